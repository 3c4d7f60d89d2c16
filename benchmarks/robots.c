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

static const robot_kind sizes[] = {{"wide: track 200, spots 170 apart", wide},
                                   {"narrow: track 80, spots 40 apart", narrow}};

static bool compare_kind(const robot_kind *kind, int runs) {
    return compare(kind->name, robot_of_kind(kind), runs);
}

int main(int count, char **arguments) {
    int runs = count > 1 ? CLAMP(atoi(arguments[1]), 10, COMPARE_MOST) : 200;
    compare_head(runs);
    bool good = true;
    for (size_t i = 0; i < USUAL_KINDS; i++) {
        good = compare_kind(&usual_kinds[i], runs) && good;
    }
    for (size_t i = 0; i < G_N_ELEMENTS(sizes); i++) {
        good = compare_kind(&sizes[i], runs) && good;
    }
    printf("%s\n",
           good ? "nowhere worse than common practice" : "somewhere worse than common practice");
    return good ? 0 : 1;
}
