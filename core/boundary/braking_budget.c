// SPDX-License-Identifier: MIT
// How far a robot goes from a boundary's crossing until it stands, and how fast it may be for that.
#include "../shared/description.h"
#include "patrol_budget.h"

#include <math.h>

// Of the lag, what is left when braking leads by it: motors differ, batteries sag.
#define LAG_LEFT 0.4F

// Until the motors are told.
static float told_s(const cmo_robot_description *d) {
    uint32_t longest_us = 0;
    for (uint8_t i = 0; i < cmi_front_lights(d); i++) {
        const cmo_light_description *light = &d->light[i];
        uint32_t interval = light->interval_us != 0 ? light->interval_us : d->tick_us;
        uint32_t here = interval + light->delay_us;
        longest_us = here > longest_us ? here : longest_us;
    }
    return (float)(longest_us + d->tick_us) * 1e-6F;
}

static float answer_s(const cmo_robot_description *d) {
    return told_s(d) + LAG_LEFT * cmi_budget_lag_s(d);
}

float cmi_braking_of(const cmo_robot_description *d, float braking_mm_s2) {
    return braking_mm_s2 > 0.0F ? braking_mm_s2 : d->braking_mm_s2;
}

float cmo_budget_braking(const cmo_robot_description *d, float speed_mm_s, float braking_mm_s2) {
    float braking = cmi_braking_of(d, braking_mm_s2);
    return speed_mm_s * answer_s(d) + speed_mm_s * speed_mm_s / (2.0F * braking);
}

float cmi_speed_within(const cmo_robot_description *d, float distance_mm, float braking) {
    if (!(distance_mm > 0.0F)) {
        return 0.0F;
    }
    float time_s = answer_s(d);
    float speed = cmi_stops_from_mm_s(distance_mm, time_s, braking);
    return cmi_smaller(speed, d->top_speed_mm_s);
}

float cmi_surely_from_mm_s(const cmo_robot_description *d, float distance_mm, float braking) {
    float lag_s = cmi_budget_lag_s(d);
    float trails = cmi_stops_from_mm_s(distance_mm, told_s(d) + lag_s, braking);
    float ramps =
        cmi_stops_from_mm_s(distance_mm, told_s(d), cmi_smaller(cmi_sure_mm_s2(d), braking));
    return cmi_smaller(trails, ramps);
}
