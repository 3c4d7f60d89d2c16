// SPDX-License-Identifier: MIT
#include "description.h"

#include "parameters.h"

#define NUMBER(of, name, least, most)   CMI_ROW_OF(of, name, least, most, 0, CMI_NUMBER)
#define WHOLE(of, name, least, most)    CMI_ROW_OF(of, name, least, most, 0, CMI_WHOLE)
#define OPTIONAL(of, name, least, most) CMI_ROW_OF(of, name, least, most, 0, CMI_COUNT)
#define ROBOT                           cmo_robot_description
#define LIGHT                           cmo_light_description

// clang-format off
static const cmi_row all[] CMO_FLASH = {
    WHOLE(ROBOT, tick_us, 1000, 25000)
    NUMBER(ROBOT, track_mm, 20, 1000)
    NUMBER(ROBOT, drift_most, 0, 0.2F)
    NUMBER(ROBOT, top_speed_mm_s, 10, 5000)
    NUMBER(ROBOT, slowest_mm_s, 0, 500)
    NUMBER(ROBOT, acceleration_mm_s2, 10, 50000)
    NUMBER(ROBOT, braking_mm_s2, 10, 50000)
    NUMBER(ROBOT, lag_ms, 0, 500)
    NUMBER(ROBOT, stated_lag_ms, 0, 500)
    WHOLE(ROBOT, lights, 0, CMO_LIGHTS_MAX)
};
static const cmi_row with_encoders[] CMO_FLASH = {
    NUMBER(ROBOT, left_step_mm, 0.001F, 20)
    NUMBER(ROBOT, right_step_mm, 0.001F, 20)
    NUMBER(ROBOT, gear_play_mm, 0, 5)
    OPTIONAL(ROBOT, encoder_bits, 8, 32)
};
static const cmi_row with_duty[] CMO_FLASH = {
    NUMBER(ROBOT, full_duty_mm_s, 10, 10000)
    NUMBER(ROBOT, dead_duty, 0, 0.9F)
    NUMBER(ROBOT, speed_gain, 0, 1)
    NUMBER(ROBOT, speed_reset_ms, 0, 10000)
};
static const cmi_row of_lights[] CMO_FLASH = {
    NUMBER(LIGHT, ahead_mm, -500, 500)
    NUMBER(LIGHT, left_mm, -500, 500)
    NUMBER(LIGHT, spot_mm, 0, 50)
    OPTIONAL(LIGHT, delay_us, 0, 50000)
    OPTIONAL(LIGHT, interval_us, 500, 100000)
};
// clang-format on

static bool check(cmo_robot *robot, const cmi_row *rows, uint8_t count, void *of) {
    return cmi_check_parameters(robot, rows, count, of) == CMO_OUTCOME_DONE;
}

static bool check_lights(cmo_robot *robot, cmo_robot_description *d) {
    for (uint8_t i = 0; i < d->lights; i++) {
        cmo_light_description *light = &d->light[i];
        if (!check(robot, of_lights, CMI_ROWS(of_lights), light)) {
            return false;
        }
        if (light->counts_min > light->counts_max) {
            robot->field = "counts_min";
            return false;
        }
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

bool cmi_check_description(cmo_robot *robot, const cmo_robot_description *description,
                           uint16_t traits) {
    cmo_robot_description d = *description; // which may stand where nothing can be written
    if (!check(robot, all, CMI_ROWS(all), &d) || !check_age(robot, d.lifetime_us, "lifetime_us") ||
        !check_age(robot, d.encoder_age_us, "encoder_age_us") ||
        !check_age(robot, d.light_age_us, "light_age_us")) {
        return false;
    }
    if (d.slowest_mm_s > d.top_speed_mm_s) {
        robot->field = "slowest_mm_s";
        robot->limit = d.top_speed_mm_s;
        return false;
    }
    return (!(traits & CMO_TRAIT_ENCODERS) ||
            check(robot, with_encoders, CMI_ROWS(with_encoders), &d)) &&
           (traits & CMO_TRAIT_SPEED || check(robot, with_duty, CMI_ROWS(with_duty), &d)) &&
           check_lights(robot, &d);
}
