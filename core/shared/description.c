// SPDX-License-Identifier: MIT
#include "description.h"

#include "routine.h"

static bool within(cmo_robot *robot, float value, float low, float high, const char *field) {
    return cmi_take(robot, &value, value, low, high, field);
}

// The same for whole numbers, which take less of a small part's flash.
static bool between(cmo_robot *robot, float value, int16_t low, uint16_t high, const char *field) {
    return within(robot, value, (float)low, (float)high, field);
}

static bool check_lights(cmo_robot *robot, const cmo_robot_description *d) {
    if (!within(robot, (float)d->lights, 0.0F, (float)CMO_LIGHTS_MAX, "lights")) {
        return false;
    }
    for (uint8_t i = 0; i < d->lights; i++) {
        const cmo_light_description *light = &d->light[i];
        bool good = between(robot, light->ahead_mm, -500, 500, "light.ahead_mm") &&
                    between(robot, light->left_mm, -500, 500, "light.left_mm") &&
                    between(robot, light->spot_mm, 0, 50, "light.spot_mm") &&
                    between(robot, (float)light->delay_us, 0, 50000, "light.delay_us") &&
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
    bool good = between(robot, d->top_speed_mm_s, 10, 5000, "top_speed_mm_s") &&
                between(robot, d->slowest_mm_s, 0, 500, "slowest_mm_s") &&
                between(robot, d->acceleration_mm_s2, 10, 50000, "acceleration_mm_s2") &&
                between(robot, d->braking_mm_s2, 10, 50000, "braking_mm_s2") &&
                between(robot, d->lag_ms, 0, 500, "lag_ms") &&
                between(robot, d->stated_lag_ms, 0, 500, "stated_lag_ms");
    if (!good || !within(robot, d->slowest_mm_s, 0.0F, d->top_speed_mm_s, "slowest_mm_s")) {
        return false;
    }
    if (!(traits & CMO_TRAIT_SPEED)) {
        return between(robot, d->full_duty_mm_s, 10, 10000, "full_duty_mm_s") &&
               within(robot, d->dead_duty, 0.0F, 0.9F, "dead_duty") &&
               between(robot, d->speed_gain, 0, 1, "speed_gain") &&
               between(robot, d->speed_reset_ms, 0, 10000, "speed_reset_ms");
    }
    return true;
}

// Shorter than two ticks, a command would run out, and a reading be too old, between them.
static bool check_age(cmo_robot *robot, uint32_t age_us, const char *field) {
    uint32_t least = 2 * robot->description->tick_us;
    bool good = age_us == 0 || (age_us >= least && age_us <= 10000000);
    if (!good) {
        robot->field = field;
        robot->limit = age_us < least ? (float)least : 1e7F;
    }
    return good;
}

bool cmi_check_description(cmo_robot *robot, const cmo_robot_description *d, uint16_t traits) {
    if (!between(robot, (float)d->tick_us, 1000, 25000, "tick_us") ||
        !between(robot, d->track_mm, 20, 1000, "track_mm") ||
        !within(robot, d->drift_most, 0.0F, 0.2F, "drift_most") ||
        !check_age(robot, d->lifetime_us, "lifetime_us") ||
        !check_age(robot, d->encoder_age_us, "encoder_age_us") ||
        !check_age(robot, d->light_age_us, "light_age_us")) {
        return false;
    }
    if (traits & CMO_TRAIT_ENCODERS) {
        bool good =
            within(robot, d->left_step_mm, 0.001F, 20.0F, "left_step_mm") &&
            within(robot, d->right_step_mm, 0.001F, 20.0F, "right_step_mm") &&
            between(robot, d->gear_play_mm, 0, 5, "gear_play_mm") &&
            (d->encoder_bits == 0 || between(robot, (float)d->encoder_bits, 8, 32, "encoder_bits"));
        if (!good) {
            return false;
        }
    }
    return check_drive(robot, d, traits) && check_lights(robot, d);
}
