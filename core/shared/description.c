// SPDX-License-Identifier: MIT
#include "description.h"

#include "parameters.h"

#include <math.h>

// clang-format off
static const cmi_row of_all[] CMO_FLASH = {
    CMO_BODY_FIELDS(CMI_FIELD_ROW, cmo_robot_description)
    CMO_DRIVE_FIELDS(CMI_FIELD_ROW, cmo_robot_description)
    CMI_ROW_OF(cmo_robot_description, stated_lag_ms, 0, 500, 0, CMI_OTHERWISE)
    CMI_ROW_OF(cmo_robot_description, lights, 0, CMO_LIGHTS_MAX, 0, CMI_COUNT)
};
static const cmi_row of_encoders[] CMO_FLASH = {
    CMI_ROW_OF(cmo_robot_description, left_step_mm, 0.001, 20, 0, CMI_NUMBER)
    CMI_ROW_OF(cmo_robot_description, right_step_mm, 0.001, 20, 0, CMI_NUMBER)
    CMI_ROW_OF(cmo_robot_description, gear_play_mm, 0, 5, 0, CMI_OTHERWISE)
    CMI_ROW_OF(cmo_robot_description, encoder_bits, 8, 32, 0, CMI_COUNT)
};
static const cmi_row of_duty[] CMO_FLASH = {CMO_DUTY_FIELDS(CMI_FIELD_ROW, cmo_robot_description)};
static const cmi_row of_light[] CMO_FLASH = {CMO_LIGHT_FIELDS(CMI_FIELD_ROW, cmo_light_description)};
// clang-format on

static bool check(cmo_robot *robot, const cmi_row *rows, uint8_t count, void *of) {
    return cmi_check_parameters(robot, rows, count, of) == CMO_OUTCOME_DONE;
}

static bool check_lights(cmo_robot *robot, cmo_robot_description *d) {
    for (uint8_t i = 0; i < d->lights; i++) {
        cmo_light_description *light = &d->light[i];
        if (!check(robot, of_light, CMI_ROWS(of_light), light)) {
            return false;
        }
        if (light->counts_min > light->counts_max) {
            robot->field = "counts_min";
            return false;
        }
#if CMO_SURFACES_MAX > 0
        if (light->colour_us > 100000U) {
            robot->field = "colour_us";
            robot->limit = 1e5F;
            return false;
        }
#endif
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

// What wheels go at top speed from one sample to the next, also where that is late by half a tick,
// is to be less than half of what their counts can tell: a count that has run over by more looks
// like one that has gone back.
static bool check_bits(cmo_robot *robot, const cmo_robot_description *d) {
    float way = 1.5e-6F * (float)d->tick_us * d->top_speed_mm_s;
    float half = 128.0F * fminf(d->left_step_mm, d->right_step_mm);
    uint8_t needed = 8;
    while (half < way) {
        half *= 2.0F;
        needed++;
    }
    bool good = d->encoder_bits == 0 || d->encoder_bits >= needed;
    if (!good) {
        robot->field = "encoder_bits";
        robot->limit = needed;
    }
    return good;
}

bool cmi_check_description(cmo_robot *robot, const cmo_robot_description *description,
                           uint16_t traits) {
    cmo_robot_description d = *description; // which may stand where nothing can be written
    if (!check(robot, of_all, CMI_ROWS(of_all), &d) ||
        !check_age(robot, d.lifetime_us, "lifetime_us") ||
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
            (check(robot, of_encoders, CMI_ROWS(of_encoders), &d) && check_bits(robot, &d))) &&
           (traits & CMO_TRAIT_SPEED || check(robot, of_duty, CMI_ROWS(of_duty), &d)) &&
           check_lights(robot, &d);
}
