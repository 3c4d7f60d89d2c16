// SPDX-License-Identifier: MIT
// What the patrol's budget is made of: what the robot sees of a boundary, and how it may sway.
#ifndef CMO_PATROL_BUDGET_H
#define CMO_PATROL_BUDGET_H

#include <cammino/budget.h>

// A way that no robot comes to.
#define NEVER_MM 1e6F

// The spots: least ahead, least to the side; the tyres to the side; and the foremost contact.
typedef struct sight {
    float ahead, side, half, front;
} sight;

// Of two numbers. The C library's has to mind NAN, and costs a call each time.
static inline float larger(float a, float b) {
    return a > b ? a : b;
}

static inline float smaller(float a, float b) {
    return a < b ? a : b;
}

// The highest speed at which the robot stands within a distance, by cmo_budget_braking().
float cmo_speed_within(const cmo_robot_description *description, float distance_mm, float braking);

// The fastest sway that keeps the wheels inside by a margin, within convex boundaries. Its speed
// stays 0 where there is none.
void cmo_sway_choose(const cmo_robot_description *description, const sight *s, float margin_mm,
                     float braking, cmo_patrol_budget *best);

#endif
