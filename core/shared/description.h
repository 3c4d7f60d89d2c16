// SPDX-License-Identifier: MIT
// Whether a robot description makes sense.
#ifndef CMI_DESCRIPTION_H
#define CMI_DESCRIPTION_H

#include <cammino/robot.h>

#include <math.h>

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

// Void is told from dark paint only where one look can do so, so many standard deviations apart;
// else dark paint counts as void does.
#define CMI_VOID_SIGMAS 10.0F
static inline bool cmi_void_is_deep(const cmo_levels *levels) {
    float depth = -2.0F * cmo_threshold(levels, CMO_TONE_VOID);
    return depth > CMI_VOID_SIGMAS * 0.25F * cmo_hysteresis(levels);
}

// From the middle to a tyre's outer edge.
static inline float cmi_half_width_mm(const cmo_robot_description *d) {
    return 0.5F * (d->track_mm + (d->tyre_mm > 0.0F ? d->tyre_mm : 10.0F));
}

// How long the wheels take to answer, as budgets count it.
static inline float cmi_budget_lag_s(const cmo_robot_description *d) {
    return 1e-3F * (d->lag_ms > d->stated_lag_ms ? d->lag_ms : d->stated_lag_ms);
}

// What a drive of this lag surely passes on, mm/s2. A lag that nobody but its user has measured
// says how long a step takes and not what that is made of: some regulators ramp up to it, however
// much more they are told. A fifth of the top speed in a lag is less than such a step shows.
static inline float cmi_sure_mm_s2(const cmo_robot_description *d) {
    float lag_s = 1e-3F * d->lag_ms;
    return d->lag_measured || lag_s <= 0.0F ? INFINITY : 0.2F * d->top_speed_mm_s / lag_s;
}

// From so fast it stands within a way, braking after a time: v t + v^2 / 2 b is the way.
static inline float cmi_stops_from_mm_s(float way_mm, float time_s, float braking_mm_s2) {
    float root = sqrtf(time_s * time_s + 2.0F * way_mm / braking_mm_s2);
    return braking_mm_s2 * (root - time_s);
}

// How far the left sensor stands to the left of the right one; 0: there is only one.
static inline float cmi_across_mm(const cmo_robot_description *d) {
    return d->lights < 2 ? 0.0F : d->light[0].left_mm - d->light[CMI_FRONT - 1].left_mm;
}

#endif
