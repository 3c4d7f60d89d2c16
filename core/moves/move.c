// SPDX-License-Identifier: MIT
#include "move.h"

#include "../shared/routine.h"
#include "motion.h"

#include <math.h>

// What a trapezoid of this way takes at most, ms, doubled; two seconds to settle; and to roll out,
// which without encoders is thought to take six lags for each factor of e.
static uint32_t longest_ms(const cmo_advance_parameters *p, float lag_ms) {
    float way = fabsf(p->distance_mm);
    float seconds =
        way / p->speed_mm_s + p->speed_mm_s / fminf(p->acceleration_mm_s2, p->braking_mm_s2);
    return (uint32_t)(2000.0F * seconds + 40.0F * lag_ms) + 2000U;
}

float cmi_least_tolerance_mm(const cmo_robot *robot) {
    const cmo_robot_description *d = robot->description;
    bool counted = robot->port->traits & CMO_TRAIT_ENCODERS;
    return counted ? fmaxf(0.4F, 0.5F * fmaxf(d->left_step_mm, d->right_step_mm)) : 0.5F;
}

// The furthest beyond its end; on the way there it is not yet.
static void note_overshoot(cmo_robot *robot, const cmo_motion *motion) {
    float beyond = cmi_motion_beyond_mm(motion, robot);
    if (robot->stage != CMO_STAGE_MOVE || beyond > 0.0F) {
        cmi_raise_figure(robot, CMO_OVERSHOOT_MM, beyond);
    }
}

static void rest(cmo_robot *robot, cmo_advance_state *state) {
    state->settle_us += robot->dt_us;
    if (!cmi_stands(robot)) {
        return;
    }
    // Of use where they can be put right by as little.
    if (cmi_motion_least_mm(robot) <= state->parameters.tolerance_mm) {
        cmi_motion_recentre(&state->motion, robot);
    }
    // It may have rolled on, or back.
    if (state->settle_us < CMI_SETTLE_US &&
        !cmi_motion_within(&state->motion, robot, state->parameters.tolerance_mm)) {
        cmi_enter(robot, CMO_STAGE_SETTLE);
    } else {
        cmi_end(robot, CMO_OUTCOME_DONE);
    }
}

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_advance_state *state = (cmo_advance_state *)routine;
    const cmo_advance_parameters *p = &state->parameters;
    cmo_motion *motion = &state->motion;
    if (robot->stage == CMO_STAGE_IDLE) { // the first step: from here on
        // Where it is to go on moving, the profile must not brake for its target.
        float target = p->ending == CMO_END_MOVING ? INFINITY : fabsf(p->distance_mm);
        cmi_motion_start(motion, robot, target, motion->left_sign, motion->right_sign);
        cmi_enter(robot, CMO_STAGE_MOVE);
    }
    note_overshoot(robot, motion);
    if (robot->stage == CMO_STAGE_HALT) {
        rest(robot, state);
        return;
    }
    if (robot->stage == CMO_STAGE_MOVE) {
        if (p->ending == CMO_END_MOVING && p->over_mm_s != 0.0F) { // slow enough by its end
            float left = fabsf(p->distance_mm) - motion->place_mm;
            float over =
                sqrtf(p->over_mm_s * p->over_mm_s + 2.0F * p->braking_mm_s2 * fmaxf(left, 0.0F));
            motion->top_mm_s = fminf(p->speed_mm_s, over);
        }
        cmi_motion_follow(motion, robot);
        float beyond = cmi_motion_way(motion, robot) - fabsf(p->distance_mm);
        if (p->ending == CMO_END_MOVING && beyond >= 0.0F) {
            cmi_raise_figure(robot, CMO_OVERSHOOT_MM, beyond);
            cmi_end_moving(robot);
        } else if (motion->arrived && !cmi_motion_again(motion, robot)) {
            cmi_enter(robot, CMO_STAGE_SETTLE);
            state->settle_us = 0;
        }
        return;
    }
    state->settle_us += robot->dt_us;
    bool settled = cmi_motion_settle(motion, robot, p->tolerance_mm, CMI_STICKS_US);
    if (settled || state->settle_us > CMI_SETTLE_US) {
        cmi_halt(robot, p->halt);
    }
}

cmo_outcome cmi_move_begin(cmo_robot *robot, cmo_advance_state *state, cmo_routine_id id) {
    cmo_advance_parameters *p = &state->parameters;
    p->longest_ms = p->longest_ms != 0 ? p->longest_ms : longest_ms(p, robot->description->lag_ms);
    cmo_motion *motion = &state->motion;
    motion->acceleration_mm_s2 = p->acceleration_mm_s2;
    motion->braking_mm_s2 = p->braking_mm_s2;
    motion->top_mm_s = p->speed_mm_s;
    cmi_begin(robot, &state->routine, step, id, p->longest_ms);
    return CMO_RUNNING;
}
