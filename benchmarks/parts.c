// SPDX-License-Identifier: GPL-3.0-or-later
// What each part of the demo robot does to stopping and squaring, alone: the plain robot with that
// part as the demo robot has it. Then the demo robot, with all of them.
#include "compare.h"

#include <stddef.h>
#include <stdio.h>
#include <stdlib.h>

#define PLANT(field)  offsetof(cmo_sim_plant, field)
#define SENSOR(field) offsetof(cmo_sim_light, field)
#define NONE          ((size_t)-1)

#define PI_REGULATOR                                                                               \
    {                                                                                              \
        PLANT(regulator), PLANT(regulator_gain), PLANT(regulator_reset_ms),                        \
            PLANT(regulator_filter_ms), NONE                                                       \
    }

// The fields of the plant, and of each sensor, that make a part.
static const struct {
    const char *name;
    size_t plant[5], sensor[2];
    bool measured; // its lag is another one, and its user has measured it
} parts[] = {
    {"nothing: the plain robot", {NONE}, {NONE}, false},
    {"a PI regulator, lag as it was", PI_REGULATOR, {NONE}, false},
    {"a PI regulator, lag measured", PI_REGULATOR, {NONE}, true},
    {"commands that come late", {PLANT(command_delay_ms), NONE}, {NONE}, false},
    {"motors' current", {PLANT(electric_ms), NONE}, {NONE}, false},
    {"gears that stick",
     {PLANT(stick), PLANT(stick_mm_s), PLANT(dead_backward), NONE},
     {NONE},
     false},
    {"motors that pull unevenly", {PLANT(ripple), PLANT(ripple_mm), NONE}, {NONE}, false},
    {"a battery that tires", {PLANT(battery_deep), PLANT(battery_recovery_s), NONE}, {NONE}, false},
    {"wheels that are not round", {PLANT(eccentric), PLANT(wheel_mm), NONE}, {NONE}, false},
    {"encoder edges that are off", {PLANT(encoder_wobble), NONE}, {NONE}, false},
    {"a slip curve that bends", {PLANT(tyre_curve), NONE}, {NONE}, false},
    {"tyres that slide more easily", {PLANT(slide_grip), PLANT(slide_mm_s), NONE}, {NONE}, false},
    {"an axle that slides aside", {PLANT(side_creep), NONE}, {NONE}, false},
    {"weight behind the axle", {PLANT(centre_mm), NONE}, {NONE}, false},
    {"weight that shifts", {PLANT(centre_mm), PLANT(height_mm), NONE}, {NONE}, false},
    {"a nose that dips", {PLANT(nose_mm), NONE}, {NONE}, false},
    {"tyres that scrub in turns", {PLANT(turn_widens), NONE}, {NONE}, false},
    {"a body that leans", {PLANT(lean_mm), NONE}, {NONE}, false},
    {"a lamp that flickers", {PLANT(flicker), PLANT(flicker_hz), NONE}, {NONE}, false},
    {"spots that fade out", {NONE}, {SENSOR(footprint), NONE}, false},
    {"lopsided spots", {NONE}, {SENSOR(lopsided), NONE}, false},
    {"a bent response", {NONE}, {SENSOR(bend), NONE}, false},
    {"electronics that lag", {NONE}, {SENSOR(lag_ms), NONE}, false},
    {"clocks that are off and jitter", {NONE}, {SENSOR(clock_off), SENSOR(jitter_ms)}, false},
    {"a gain that wanders", {NONE}, {SENSOR(gain_wander), NONE}, false},
    {"light of the other's lamp", {NONE}, {SENSOR(cross_light), NONE}, false},
};

static void take(void *to, const void *from, size_t offset) {
    *(double *)(void *)((char *)to + offset) =
        *(const double *)(const void *)((const char *)from + offset);
}

static lab_robot *with_part(size_t part, const lab_robot *demo) {
    lab_robot *robot = compare_robot("mozzo-plain.yaml");
    for (int i = 0; i < 5 && parts[part].plant[i] != NONE; i++) {
        take(&robot->plant, &demo->plant, parts[part].plant[i]);
    }
    for (int i = 0; i < 2 && parts[part].sensor[i] != NONE; i++) {
        for (unsigned sensor = 0; sensor < robot->plant.sensors; sensor++) {
            take(&robot->plant.sensor[sensor], &demo->plant.sensor[sensor], parts[part].sensor[i]);
        }
    }
    if (parts[part].measured) {
        robot->description.lag_ms = demo->description.lag_ms;
    }
    return robot;
}

int main(int count, char **arguments) {
    int runs = count > 1 ? CLAMP(atoi(arguments[1]), 10, COMPARE_MOST) : 100;
    lab_robot *demo = compare_robot("mozzo.yaml");
    compare_head(runs);
    for (size_t i = 0; i < G_N_ELEMENTS(parts); i++) {
        compare(parts[i].name, with_part(i, demo), runs);
    }
    compare("all of them: the demo robot", demo, runs);
    return 0;
}
