// SPDX-License-Identifier: MIT
// Whether a robot description makes sense.
#ifndef CMI_DESCRIPTION_H
#define CMI_DESCRIPTION_H

#include <cammino/robot.h>

// As many sensors as routines go by at most. Those that need two are refused on a build for one,
// but must still compile.
#if CMO_LIGHTS_MAX > 1
#define CMI_FRONT 2
#else
#define CMI_FRONT 1
#endif

// Light sensors that routines go by: the left one and the right one.
static inline uint8_t cmi_front_lights(const cmo_robot_description *description) {
    return description->lights < CMI_FRONT ? description->lights : CMI_FRONT;
}

// False: robot->field names the field, robot->limit the nearest value that would do.
bool cmi_check_description(cmo_robot *robot, const cmo_robot_description *description,
                           uint16_t traits);

// How long the wheels take to answer, as budgets count it.
static inline float cmi_budget_lag_s(const cmo_robot_description *d) {
    return 1e-3F * (d->lag_ms > d->stated_lag_ms ? d->lag_ms : d->stated_lag_ms);
}

// How far the left sensor stands to the left of the right one; 0: there is only one.
static inline float cmi_across_mm(const cmo_robot_description *d) {
    return d->lights < 2 ? 0.0F : d->light[0].left_mm - d->light[CMI_FRONT - 1].left_mm;
}

#endif
