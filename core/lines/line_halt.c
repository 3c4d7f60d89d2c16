// SPDX-License-Identifier: MIT
// From the crossing of a line to the first standstill after it: a halt or a braking, and what that
// teaches.
#include "line_halt.h"

#include "../moves/motion.h"
#include "../shared/routine.h"
#include "line_candidates.h"
#include "line_search.h"

#include <math.h>

bool cmi_line_brakes_now(const cmo_robot *robot, const cmo_line_state *state) {
    uint8_t sensor = cmi_line_first(robot, state);
    const cmo_line_parameters *p = &state->parameters;
    float shown = cmi_way_now(robot, sensor) - state->candidate[sensor].near.way_mm;
    float speed = fabsf(state->motion.speed_mm_s);
    float stopping = speed * speed / (2.0F * p->braking_mm_s2) +
                     speed * (float)robot->description->tick_us * 1e-6F;
    float most = cmi_line_most_mm(state);
    if (most > 0.0F) { // to stand where it has ended
        return state->candidate[sensor].passed || stopping >= most - shown;
    }
    return stopping >= CMO_PROOF_SHARE * p->least_width_mm - shown;
}

// Its first answer counts; but one from before this crossing was to another candidate, which this
// one has taken the place of.
static bool has_answered(const cmo_robot *robot, const cmo_line_state *state,
                         const cmo_candidate *candidate) {
    bool noted = robot->report.present & CMO_FIGURE_BIT(CMO_REACTION_MS);
#if CMO_TWO_SIDED
    int32_t before_us = (int32_t)(candidate->near.time_us - state->answered_us);
    return noted && before_us <= 2 * (int32_t)robot->description->tick_us;
#else
    (void)state, (void)candidate;
    return noted;
#endif
}

static void note_reaction(cmo_robot *robot, cmo_line_state *state) {
    const cmo_candidate *candidate = &state->candidate[cmi_line_first(robot, state)];
    if (has_answered(robot, state, candidate)) {
        return;
    }
#if CMO_TWO_SIDED
    cmi_line_forget_stop(robot, state);
#endif
#if CMO_TWO_SIDED || CMO_SLIDING
    state->answered_us = robot->clock_us;
#endif
    // A crossing may be placed a little beyond the newest look.
    int32_t since_us = (int32_t)(robot->clock_us - candidate->near.time_us);
    cmi_set_figure(robot, CMO_REACTION_MS, fmaxf((float)since_us * 1e-3F, 0.0F));
}

static float beyond_now(const cmo_robot *robot, const cmo_line_state *state) {
    uint8_t sensor = cmi_line_first(robot, state);
    return cmi_way_now(robot, sensor) - state->candidate[sensor].near.way_mm;
}

// From the command to a standstill at this deceleration; it reaches the motors within a tick.
static float stopping_mm(const cmo_robot *robot, float speed, float braking_mm_s2) {
    return speed * speed / (2.0F * braking_mm_s2) +
           speed * (float)robot->description->tick_us * 1e-6F;
}

// Shorted motors brake as they can: what the last halts have shown, or else what the tyres of a
// robot can pass on whose braking limit stays below it.
static float halt_braking(const cmo_robot *robot) {
    return robot->halt_mm_s2 > 0.0F ? robot->halt_mm_s2 : 1.3F * robot->description->braking_mm_s2;
}

static void predict(cmo_robot *robot, const cmo_line_state *state, float braking_mm_s2) {
    float speed = fabsf(cmo_speed_mm_s(robot));
    uint32_t predicted = CMO_FIGURE_BIT(CMO_PREDICTED_OVERSHOOT_MM);
    if (!(robot->report.present & predicted)) {
        cmi_set_figure(robot, CMO_PREDICTED_OVERSHOOT_MM,
                       beyond_now(robot, state) + stopping_mm(robot, speed, braking_mm_s2));
    }
}

// Wheels that come to a standstill by so much more than the limit that the tyres are stated to pass
// have slid: what they have counted is less than the way.
#define SLIDES 1.5F

// A halt from speed teaches what the next one will do. Halves what is old with each.
static void learn(cmo_robot *robot, cmo_line_state *state) {
    float tick = state->halt_speed_mm_s * (float)robot->description->tick_us * 1e-6F;
    float way = beyond_now(robot, state) - state->halt_mm - tick;
    float shown = state->halt_speed_mm_s * state->halt_speed_mm_s / (2.0F * fmaxf(way, 0.1F));
    state->slid = shown > SLIDES * robot->description->braking_mm_s2;
    if (state->halt_speed_mm_s > 100.0F && way > 1.0F) {
        shown = fmaxf(300.0F, fminf(shown, 30000.0F));
        cmi_learn_halt(robot, shown);
    }
}

void cmi_line_halt(cmo_robot *robot, cmo_line_state *state) {
    note_reaction(robot, state);
    if (state->parameters.rest == CMO_REST_HALTED && !state->stood) {
        predict(robot, state, halt_braking(robot));
        state->halt_mm = beyond_now(robot, state);
        state->halt_speed_mm_s = fabsf(cmo_speed_mm_s(robot));
#if CMO_SLIDING
        state->halted_at_mm = cmi_gone_mm(robot);
#endif
    }
    cmi_halt(robot, state->parameters.halt);
}

void cmi_line_brake(cmo_robot *robot, cmo_line_state *state) {
    cmo_motion *motion = &state->motion;
    note_reaction(robot, state);
    predict(robot, state, motion->braking_mm_s2);
    cmi_motion_start(motion, robot, 0.0F, 1.0F, 1.0F);
    motion->target_mm = stopping_mm(robot, motion->speed_mm_s, motion->braking_mm_s2);
    state->halt_mm = beyond_now(robot, state);
    state->halt_speed_mm_s = fabsf(cmo_speed_mm_s(robot));
    // Where the rest lies further on, it brakes for that, and no harder than it needs to.
    float on = state->parameters.beyond_mm - state->halt_mm;
    bool further = !cmi_line_needs_far(state) && state->parameters.beyond_mm > 0.0F;
    if (further && on > motion->target_mm && motion->target_mm > 0.1F * on) {
        motion->braking_mm_s2 *= motion->target_mm / on;
        motion->target_mm = on;
    }
    cmi_enter(robot, CMO_STAGE_BRAKE);
    cmi_motion_follow(motion, robot);
}

float cmi_line_rolled_mm(const cmo_robot *robot, const cmo_line_state *state) {
    float speed = state->candidate[cmi_line_first(robot, state)].speed_mm_s;
    return robot->description->gear_play_mm + CMI_TYRE_CREEP * speed * speed;
}

// Halted, it has rolled through the play; a profile ends with the motors pushing or not.
static float rolled_but(const cmo_robot *robot, const cmo_line_state *state, float share) {
    bool halted = state->parameters.rest == CMO_REST_HALTED;
    float play = halted ? 0.0F : share * robot->description->gear_play_mm;
    return cmi_line_rolled_mm(robot, state) - play;
}

float cmi_line_ran_mm(const cmo_robot *robot, const cmo_line_state *state) {
    return rolled_but(robot, state, 0.5F);
}

float cmi_line_stands_mm(const cmo_robot *robot, const cmo_line_state *state) {
    return rolled_but(robot, state, 1.0F);
}

void cmi_line_track(cmo_robot *robot, cmo_line_state *state) {
    uint8_t sensor = cmi_line_first(robot, state);
    float beyond = cmi_way_now(robot, sensor) - state->candidate[sensor].near.way_mm;
    float step = fmaxf(robot->description->left_step_mm, robot->description->right_step_mm);
    bool reversed = beyond < state->furthest_mm - 1.5F * step;
    state->furthest_mm = fmaxf(state->furthest_mm, beyond);
    // First standstill: the first reversal, or 30 ms within one encoder step.
    if (!state->stood && (reversed || robot->still_us >= 30000)) {
        state->stood = true;
        if (state->parameters.rest == CMO_REST_HALTED) {
            learn(robot, state);
        }
        state->stood_us = robot->clock_us - (reversed ? 0 : robot->still_us);
        float stopped = reversed ? state->furthest_mm : beyond;
        stopped += CMO_SLIDING ? cmi_line_ran_mm(robot, state) : 0.0F;
        cmi_set_figure(robot, CMO_STOPPING_DISTANCE_MM, stopped);
    }
}

float cmi_line_braking(const cmo_line_state *state) {
    float limit = state->parameters.braking_mm_s2;
    float way = state->furthest_mm - state->halt_mm;
    float shown = state->halt_speed_mm_s * state->halt_speed_mm_s / (2.0F * fmaxf(way, 0.1F));
    return shown > 0.0F ? fmaxf(fminf(limit, shown), CMI_LINE_LEAST_BRAKING * limit) : limit;
}

bool cmi_line_come_to_rest(cmo_robot *robot, cmo_line_state *state) {
    cmi_line_track(robot, state);
    return cmi_stands(robot);
}
