// SPDX-License-Identifier: MIT
#include "lead.h"

#include "wheel.h"

#include <math.h>

float cmi_held_s(const cmo_robot *robot) {
    return 0.6e-6F * (float)robot->description->tick_us;
}

void cmi_lead_runs_on(cmo_robot *robot) {
#if CMO_SLIDING
    robot->runs_on = !robot->description->lag_measured;
#else
    (void)robot;
#endif
}

#if CMO_SLIDING

float cmi_lead_s(const cmo_robot *robot) {
    if (!(robot->port->traits & CMO_TRAIT_ENCODERS)) {
        return robot->description->lag_ms * 1e-3F;
    }
    if (robot->description->lag_measured) {
        return fmaxf(robot->description->lag_ms * 1e-3F - cmi_held_s(robot), 0.0F);
    }
    return fmaxf(robot->trail_s - cmi_held_s(robot), 0.0F);
}

// Motors at their limit, or a regulator with a ramp of its own that is slower than what it is told,
// trail more and more: that is no lag, and nothing leads for it. True: they do so now.
static bool falls_short(cmo_robot *robot, float asked_mm_s, float got_mm_s) {
    const cmo_robot_description *d = robot->description;
    if (asked_mm_s <= 0.2F * d->top_speed_mm_s || got_mm_s >= 0.7F * asked_mm_s) {
        return false;
    }
    float within_s = (float)(robot->clock_us - robot->ramp_us) * 1e-6F;
    float reached = fmaxf(0.5F * got_mm_s / within_s, 0.2F * d->acceleration_mm_s2);
    bool less = robot->reach_mm_s2 == 0.0F || reached < robot->reach_mm_s2;
    robot->reach_mm_s2 = less ? reached : robot->reach_mm_s2;
    return true;
}

// By how much a regulator trails what it is told differs from kind to kind, and its answer to a
// step does not tell: one with an integral catches up. Each speeding up shows it, the first time at
// once, then as a mean over some hundredths of a second; never more than the stated lag.
void cmi_lead_learn(cmo_robot *robot, float dt_s) {
    const cmo_robot_description *d = robot->description;
    float behind[2], gained[2];
    bool left = cmi_wheel_trails(&robot->left, &behind[0], &gained[0]);
    bool right = cmi_wheel_trails(&robot->right, &behind[1], &gained[1]);
    float both = gained[0] + gained[1];
    float command = fabsf(robot->left.command_mm_s) + fabsf(robot->right.command_mm_s);
    float speed = fabsf(robot->left.speed_mm_s) + fabsf(robot->right.speed_mm_s);
    if (!left || !right || both < 0.2F * d->top_speed_mm_s) { // too little to tell it by
        robot->ramp_us = robot->clock_us;
        robot->ramp_mm_s = speed;
        robot->ramp_command_mm_s = command;
        return;
    }
    float shown = fmaxf(0.0F, fminf((behind[0] + behind[1]) / both, d->lag_ms * 1e-3F));
    bool late = both > 0.5F * d->top_speed_mm_s;
    if (late && (shown > robot->trail_s || falls_short(robot, command - robot->ramp_command_mm_s,
                                                       speed - robot->ramp_mm_s))) {
        return;
    }
    float share = robot->trail_s > 0.0F ? dt_s / (0.05F + dt_s) : 1.0F;
    robot->trail_s += share * (shown - robot->trail_s);
}

#else

float cmi_lead_s(const cmo_robot *robot) {
    return robot->description->lag_ms * 1e-3F;
}

void cmi_lead_learn(cmo_robot *robot, float dt_s) {
    (void)robot;
    (void)dt_s;
}

#endif
