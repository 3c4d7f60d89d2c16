// SPDX-License-Identifier: GPL-3.0-or-later
// Stop and square on robots of quite other kinds, and common practice on each of them: what each
// reaches, true figures. Spots as measured (calibrated) on all of them.
#include "compare.h"
#include "kinds.h"

#include <stdio.h>
#include <stdlib.h>

static void set_size(lab_robot *robot, double track_mm, double left_mm) {
    robot->description.track_mm = (float)track_mm;
    robot->plant.track_mm = track_mm;
    double half = 1.2e-3 * track_mm;
    robot->plant.inertia_kg_m2 = robot->plant.mass_kg * 2.0 * half * half / 12.0;
    for (int i = 0; i < 2; i++) {
        double place = i == 0 ? left_mm : -left_mm;
        robot->description.light[i].left_mm = (float)place;
        robot->plant.sensor[i].left_mm = place;
    }
}

static void wide(lab_robot *robot) {
    set_size(robot, 200.0, 85.0);
}

static void narrow(lab_robot *robot) {
    set_size(robot, 80.0, 20.0);
}

static void demo(lab_robot *robot) {
    (void)robot;
}

static const struct {
    const char *name;
    void (*make)(lab_robot *robot);
} kinds[] = {{"the demo robot", demo},
             {"fast sensors: 3 ms, tick 2 ms", make_fast_sensors},
             {"slow sensors: 25 ms, tick 20 ms", make_slow_sensors},
             {"coarse encoders: 2 mm a step", make_coarse_encoders},
             {"wide: track 200, spots 170 apart", wide},
             {"narrow: track 80, spots 40 apart", narrow},
             {"heavy, poor grip of 2 m/s2", make_heavy},
             {"duty-only motors", make_duty_only},
             {"no encoders", make_without_encoders}};

int main(int count, char **arguments) {
    int runs = count > 1 ? CLAMP(atoi(arguments[1]), 10, COMPARE_MOST) : 200;
    compare_head(runs);
    bool good = true;
    for (size_t i = 0; i < G_N_ELEMENTS(kinds); i++) {
        lab_robot *robot = compare_robot("mozzo.yaml");
        kinds[i].make(robot);
        good = compare(kinds[i].name, robot, runs) && good;
    }
    printf("%s\n",
           good ? "nowhere worse than common practice" : "somewhere worse than common practice");
    return good ? 0 : 1;
}
