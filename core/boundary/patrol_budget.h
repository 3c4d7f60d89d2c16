// SPDX-License-Identifier: MIT
// What the patrol's budget is made of: what the robot sees of a boundary, and how it may sway.
#ifndef CMI_PATROL_BUDGET_H
#define CMI_PATROL_BUDGET_H

#include <cammino/budget.h>

// A way that no robot comes to.
#define CMI_NEVER_MM 1e6F

// The spots: least ahead, least to the side; the tyres to the side; and the foremost contact.
typedef struct cmi_sight {
    float ahead, side, half, front;
} cmi_sight;

// Of two numbers. The C library's has to mind NAN, and costs a call each time.
static inline float cmi_larger(float a, float b) {
    return a > b ? a : b;
}

static inline float cmi_smaller(float a, float b) {
    return a < b ? a : b;
}

// What is given, or else the robot's limit.
float cmi_braking_of(const cmo_robot_description *description, float braking_mm_s2);

// The highest speed at which the robot stands within a distance, by cmo_budget_braking().
float cmi_speed_within(const cmo_robot_description *description, float distance_mm, float braking);

// The same, whatever kind of drive the lag is of: one that trails by all of it however it is led,
// or one that has a ramp of its own.
float cmi_surely_from_mm_s(const cmo_robot_description *description, float distance_mm,
                           float braking);

// The fastest sway that keeps the wheels inside by a margin, within convex boundaries. Its speed
// stays 0 where there is none.
void cmi_sway_choose(const cmo_robot_description *description, const cmi_sight *s, float margin_mm,
                     float braking, cmo_patrol_budget *best);

#endif
