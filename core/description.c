// SPDX-License-Identifier: MIT
#include "description.h"

#include "routine.h"

static bool within(cmo_robot *robot, float value, float low, float high, const char *field) {
    return cmo_take(robot, &value, value, low, high, field);
}

static bool check_lights(cmo_robot *robot, const cmo_robot_description *d) {
    if (!within(robot, (float)d->lights, 0.0F, (float)CMO_LIGHTS_MAX, "lights")) {
        return false;
    }
    for (uint8_t i = 0; i < d->lights; i++) {
        const cmo_light_description *light = &d->light[i];
        bool good = within(robot, light->ahead_mm, -500.0F, 500.0F, "light.ahead_mm") &&
                    within(robot, light->left_mm, -500.0F, 500.0F, "light.left_mm") &&
                    within(robot, light->spot_mm, 0.0F, 50.0F, "light.spot_mm") &&
                    within(robot, (float)light->delay_us, 0.0F, 50000.0F, "light.delay_us") &&
                    (light->interval_us == 0 || within(robot, (float)light->interval_us, 500.0F,
                                                       100000.0F, "light.interval_us"));
        if (!good) {
            return false;
        }
        if (light->counts_min > light->counts_max) {
            robot->field = "light.counts_min";
            return false;
        }
    }
    return true;
}

static bool check_drive(cmo_robot *robot, const cmo_robot_description *d, uint16_t traits) {
    bool good = within(robot, d->top_speed_mm_s, 10.0F, 5000.0F, "top_speed_mm_s") &&
                within(robot, d->slowest_mm_s, 0.0F, 500.0F, "slowest_mm_s") &&
                within(robot, d->acceleration_mm_s2, 10.0F, 50000.0F, "acceleration_mm_s2") &&
                within(robot, d->braking_mm_s2, 10.0F, 50000.0F, "braking_mm_s2") &&
                within(robot, d->lag_ms, 0.0F, 500.0F, "lag_ms");
    if (!good || !within(robot, d->slowest_mm_s, 0.0F, d->top_speed_mm_s, "slowest_mm_s")) {
        return false;
    }
    if (!(traits & CMO_TRAIT_SPEED)) {
        return within(robot, d->full_duty_mm_s, 10.0F, 10000.0F, "full_duty_mm_s") &&
               within(robot, d->dead_duty, 0.0F, 0.9F, "dead_duty") &&
               within(robot, d->speed_gain, 0.0F, 1.0F, "speed_gain") &&
               within(robot, d->speed_reset_ms, 0.0F, 10000.0F, "speed_reset_ms");
    }
    return true;
}

bool cmo_check_description(cmo_robot *robot, const cmo_robot_description *d, uint16_t traits) {
    if (!within(robot, (float)d->tick_us, 1000.0F, 25000.0F, "tick_us") ||
        !within(robot, d->track_mm, 20.0F, 1000.0F, "track_mm") ||
        !within(robot, d->drift_most, 0.0F, 0.2F, "drift_most")) {
        return false;
    }
    if (traits & CMO_TRAIT_ENCODERS) {
        bool good = within(robot, d->left_step_mm, 0.001F, 20.0F, "left_step_mm") &&
                    within(robot, d->right_step_mm, 0.001F, 20.0F, "right_step_mm") &&
                    within(robot, d->gear_play_mm, 0.0F, 5.0F, "gear_play_mm") &&
                    (d->encoder_bits == 0 ||
                     within(robot, (float)d->encoder_bits, 8.0F, 32.0F, "encoder_bits"));
        if (!good) {
            return false;
        }
    }
    return check_drive(robot, d, traits) && check_lights(robot, d);
}
