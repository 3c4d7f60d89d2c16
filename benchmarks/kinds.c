// SPDX-License-Identifier: GPL-3.0-or-later
#include "kinds.h"

#include <stdio.h>
#include <stdlib.h>

void set_sensors(lab_robot *robot, double interval_ms, double delay_ms, double tick_ms) {
    robot->description.tick_us = (uint32_t)(1000.0 * tick_ms);
    for (int i = 0; i < 2; i++) {
        robot->description.light[i].interval_us = (uint32_t)(1000.0 * interval_ms);
        robot->description.light[i].delay_us = (uint32_t)(1000.0 * delay_ms);
        robot->plant.sensor[i].interval_ms = interval_ms;
        robot->plant.sensor[i].delay_ms = delay_ms;
    }
}

void make_heavy(lab_robot *robot) {
    robot->plant.mass_kg = 1.6;
    robot->plant.inertia_kg_m2 *= 1.6 / 0.6;
    robot->plant.grip_m_s2 = 2.0;
    robot->plant.motor_lag_ms = 90.0;
    robot->description.lag_ms = 90.0F;
    robot->description.acceleration_mm_s2 = 900.0F;
    robot->description.braking_mm_s2 = 1300.0F;
}

void make_duty_only(lab_robot *robot) {
    robot->traits &= (uint16_t)~CMO_TRAIT_SPEED;
    robot->description.full_duty_mm_s = 1000.0F;
    robot->description.lag_ms = (float)robot->plant.motor_lag_ms;
    robot->description.dead_duty = 0.02F;
    robot->plant.no_load_mm_s = 1000.0;
    robot->plant.dead_mm_s = 20.0;
}

void make_fast_sensors(lab_robot *robot) {
    set_sensors(robot, 3.0, 3.0, 2.0);
}

void make_slow_sensors(lab_robot *robot) {
    set_sensors(robot, 25.0, 25.0, 20.0);
}

void make_coarse_encoders(lab_robot *robot) {
    robot->description.left_step_mm = robot->description.right_step_mm = 2.0F;
    robot->plant.encoder_step_mm = 2.0;
}

void make_without_encoders(lab_robot *robot) {
    robot->traits &= (uint16_t)~CMO_TRAIT_ENCODERS;
}

static void leave_it(lab_robot *robot) {
    (void)robot;
}

const robot_kind usual_kinds[USUAL_KINDS] = {
    {"the demo robot", leave_it},
    {"fast sensors: 3 ms, tick 2 ms", make_fast_sensors},
    {"slow sensors: 25 ms, tick 20 ms", make_slow_sensors},
    {"coarse encoders: 2 mm a step", make_coarse_encoders},
    {"no encoders", make_without_encoders},
    {"heavy, poor grip of 2 m/s2", make_heavy},
    {"duty-only motors", make_duty_only},
};

lab_robot *robot_of_kind(const robot_kind *kind) {
    GError *error = NULL;
    lab_robot *robot = lab_robot_load(SOURCE_DIR "/data/ferry/mozzo.yaml", &error);
    if (robot == NULL) {
        fprintf(stderr, "%s\n", error->message);
        exit(2);
    }
    kind->make(robot);
    return robot;
}
