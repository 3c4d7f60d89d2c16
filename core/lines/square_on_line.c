// SPDX-License-Identifier: MIT
// Square on a line: latch both sensors on the way over it, turn and place the robot in one move,
// and settle both wheels on what the sensors read of the edge.
#include <cammino/square_on_line.h>

#include "../moves/motion.h"
#include "../shared/description.h"
#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "bearing.h"
#include "last_line.h"
#include "line_candidates.h"
#include "line_figures.h"
#include "line_floor.h"
#include "line_halt.h"
#include "line_rest.h"
#include "line_search.h"
#include "square_begin.h"
#include "square_edge.h"

#include <math.h>

// As near as this share of a line's least width, no other edge is near.
#define NEAR_SHARE 0.25F
// No wheel is sent a shorter way.
#define LEAST_WAY_MM 0.01F

// Crossings that are met in turn are known to so much, as an angle.
#define ENTRY_SLACK_RAD 0.1F

// The long way back over the edge, and small moves: over such ways limits of acceleration hardly
// let a robot get faster.
#define BACK_MM_S  500.0F
#define SMALL_MM_S 400.0F
// Off a line of which it knows nothing it backs so fast.
#define OFF_MM_S 100.0F

// --------------------------------------------------------------------------------------- moves --

// Both wheels by ways of their own, in step with each other, by a share of the limits.
static void move_wheels(cmo_robot *robot, cmo_square_on_line_state *state, float left_mm,
                        float right_mm, float share, float top_mm_s, cmo_stage stage) {
    float most = fmaxf(fmaxf(fabsf(left_mm), fabsf(right_mm)), LEAST_WAY_MM);
    cmo_motion *motion = &state->line.motion;
    cmi_motion_start(motion, robot, most, left_mm / most, right_mm / most);
    share *= cmi_motion_share(motion->left_sign, motion->right_sign);
    motion->acceleration_mm_s2 = share * state->line.parameters.acceleration_mm_s2;
    motion->braking_mm_s2 = share * state->line.parameters.braking_mm_s2;
    motion->top_mm_s = fminf(robot->description->top_speed_mm_s, top_mm_s);
    cmi_motion_settles(motion, robot);
    cmi_count_still_anew(robot);
    cmi_enter(robot, stage);
    cmi_motion_follow(motion, robot);
}

// The middle by a way, and a turn with it.
static void move(cmo_robot *robot, cmo_square_on_line_state *state, float way_mm, float turn_rad,
                 float top_mm_s, cmo_stage stage) {
    float half = 0.5F * turn_rad * robot->description->track_mm;
    move_wheels(robot, state, way_mm - half, way_mm + half, 1.0F, top_mm_s, stage);
}

// Turns to square and puts the sensors over the edge, in one move: while the angle falls evenly
// from a to 0 over the way D, the axle comes nearer along the normal by D sin(a) / a.
static void place(cmo_robot *robot, cmo_square_on_line_state *state) {
    cmi_bearing b = cmi_bearing_now(robot, state);
    float goal = (cmi_square_on_far_edge(state) ? cmi_bearing_width_mm(state) : 0.0F) -
                 cmi_bearing_ahead_mm(robot);
    float sine, cosine;
    cmi_sin_cos(b.angle_rad, &sine, &cosine);
    float share = fabsf(b.angle_rad) > 0.01F ? sine / b.angle_rad : 1.0F;
    move(robot, state, (goal - b.axle_mm) / share, -b.angle_rad, BACK_MM_S, CMO_STAGE_RETURN);
}

// At the end, as it was asked to.
static void halt(cmo_robot *robot, cmo_square_on_line_state *state) {
    cmi_line_halt(robot, &state->line);
}

// ------------------------------------------------------------------------------------- settling --

// After so many moves to settle, this much more than the tolerance will do: what is left then is as
// much gear play and noise as it is an error.
#define PATIENT_ROUNDS 2U
#define CONTENT        1.6F

// After a few moves, one that leaves more than this share of what there was helps too little: the
// next one is crept to its end.
#define HELPS_SHARE 0.9F

// Of the limits, these moves are driven by a share: of gentle ones, what both wheels leave differs
// less.
#define SHARE 0.5F

// Ways of both wheels that take the sensors by these.
static void wheel_ways(const cmo_robot *robot, const float sensors[2], float wheels[2]) {
    const cmo_robot_description *d = robot->description;
    float turn = -(sensors[0] - sensors[1]) / cmi_across_mm(d);
    float way = sensors[0] + turn * d->light[0].left_mm;
    wheels[0] = way - 0.5F * turn * d->track_mm;
    wheels[1] = way + 0.5F * turn * d->track_mm;
}

// What the last small move has left of what each wheel was to go.
static void learn_move(const cmo_robot *robot, cmo_square_on_line_state *state,
                       const float to_go[2]) {
    float left[2];
    wheel_ways(robot, to_go, left);
    for (int i = 0; i < 2; i++) {
        cmi_line_learn_move(&state->share, state->goal_mm[i], left[i]);
    }
}

// The next small move, of both wheels at once.
static void move_on(cmo_robot *robot, cmo_square_on_line_state *state, const float to_go[2]) {
    // Where no spot sees any of the line it is at least so far off, and goes on by twice of that,
    // if it cannot come over the whole line so.
    float furthest = fmaxf(fabsf(to_go[0]), fabsf(to_go[1]));
    bool twice = CMO_SLIDING && state->lost && state->rounds > 0 &&
                 2.0F * furthest < state->line.parameters.least_width_mm;
    float times = twice ? 2.0F : 1.0F;
    const float ways[2] = {times * to_go[0], times * to_go[1]};
    wheel_ways(robot, ways, state->goal_mm);
    state->rounds++;
    const cmo_motion *last = &state->line.motion;
    float left = cmi_line_ask(robot, state->goal_mm[0], last->left_sign);
    float right = cmi_line_ask(robot, state->goal_mm[1], last->right_sign);
    move_wheels(robot, state, left, right, state->share, SMALL_MM_S, CMO_STAGE_RETURN);
}

// At a standstill: are both sensors over the edge, or does it take another move?
static void settle(cmo_robot *robot, cmo_square_on_line_state *state) {
    float slow = 0.6F * robot->description->slowest_mm_s + 1.0F; // it has crept up to there
    if (!cmi_line_look_at_rest(robot, &state->line, slow)) {
        return;
    }
    float to_go[2];
    float worst = cmi_square_errors(robot, state, to_go);
    if (state->rounds > 0) {
        learn_move(robot, state, to_go);
    }
    bool few = state->rounds + 1U < CMI_LINE_PROFILES;
    state->creeps = !few && worst > HELPS_SHARE * state->worst_mm;
    state->worst_mm = worst;
    float enough = state->parameters.tolerance_mm;
    if (state->rounds >= PATIENT_ROUNDS) {
        enough *= CONTENT;
    }
    if ((!state->seen || worst > enough) && state->rounds < state->parameters.rounds) {
        move_on(robot, state, to_go);
        return;
    }
    if (state->lost) { // where it stands, nobody knows
        cmi_end(robot, CMO_OUTCOME_NO_LINE);
        return;
    }
    // What is beyond the edge, the encoders have to say.
    float extra = state->line.parameters.beyond_mm;
    if (state->line.parameters.rest == CMO_REST_CENTRE) {
        extra += 0.5F * cmi_bearing_width_mm(state);
    }
    state->to_go[0] = to_go[0];
    state->to_go[1] = to_go[1];
    state->settled = true;
    if (fabsf(extra) > LEAST_WAY_MM) {
        float on = extra + 0.5F * (to_go[0] + to_go[1]);
        state->extra_mm = extra;
        move_wheels(robot, state, on, on, state->share, SMALL_MM_S, CMO_STAGE_MOVE);
        return;
    }
    halt(robot, state);
}

// As it creeps, both sensors read that they are there.
static bool is_there(const cmo_robot *robot, cmo_square_on_line_state *state) {
    float to_go[2];
    return cmi_square_errors(robot, state, to_go) < state->parameters.tolerance_mm && state->seen;
}

// Follows a move to its end, and to rest where that is worth waiting for.
static void follow(cmo_robot *robot, cmo_square_on_line_state *state) {
    cmo_motion *motion = &state->line.motion;
    if (!motion->arrived) {
        cmi_motion_follow(motion, robot);
        return;
    }
    if (!state->settled && cmi_motion_again(motion, robot)) {
        return;
    }
    const cmo_robot_description *d = robot->description;
    float step = fmaxf(d->left_step_mm, d->right_step_mm);
    float finest = fmaxf((state->settled ? 0.52F : 0.8F) * step, 0.2F);
    // What the sensors are to judge need not be crept to. But the long way back may end far off,
    // unless it is known how the wheels trail: where by the counts a sensor could be at the line's
    // other edge, it would be taken for this one.
    float near = NEAR_SHARE * state->line.parameters.least_width_mm;
    float rolls =
        1e-3F * d->lag_ms * fmaxf(fabsf(robot->left.speed_mm_s), fabsf(robot->right.speed_mm_s));
    bool judged = d->lag_measured || state->rounds > 0 ||
                  (rolls < near && cmi_motion_within(motion, robot, near));
    bool quick = !state->settled && judged && (!state->creeps || is_there(robot, state));
    if (quick || cmi_line_settle_move(robot, &state->line, finest)) {
        if (state->settled) {
            halt(robot, state);
        } else {
            cmi_enter(robot, CMO_STAGE_SETTLE);
            cmi_count_still_anew(robot);
            state->line.waited_us = 0;
        }
    }
}

// -------------------------------------------------------------------------------------- figures --

// How far the sensors' middle is beyond the near edge, by the encoders alone.
static float middle_mm(const cmo_robot *robot, const cmo_square_on_line_state *state) {
    cmi_bearing b = cmi_bearing_now(robot, state);
    return 0.5F * (b.spot_mm[0] + b.spot_mm[1]);
}

// It stands, halted: the figures, by the readings of the edge, or on from it by the encoders.
static void finish(cmo_robot *robot, cmo_square_on_line_state *state) {
    const cmo_motion *motion = &state->line.motion;
    float now[2] = {state->to_go[0], state->to_go[1]};
    float beyond = 0.0F;
    if (state->extra_mm != 0.0F) { // on from the edge by the encoders
        beyond = cmi_motion_way(motion, robot) - motion->target_mm;
        beyond = state->extra_mm < 0.0F ? -beyond : beyond;
    } else {
        cmi_square_errors(robot, state, now);
        beyond = -0.5F * (now[0] + now[1]);
    }
    float angle = (now[0] - now[1]) / cmi_across_mm(robot->description);
    float back = state->furthest_mm - middle_mm(robot, state);
    cmi_set_figure(robot, CMO_ENTRY_ANGLE_DEG, cmi_degrees(state->entry_rad));
    cmi_set_figure(robot, CMO_RESIDUAL_ANGLE_DEG, cmi_degrees(angle));
    cmi_set_figure(robot, CMO_REST_ERROR_MM, beyond);
    cmi_set_figure(robot, CMO_OVERSHOOT_MM, beyond + fmaxf(back, 0.0F));
    if (state->seen) { // as far as the edge: on from there the encoders count alone
        cmi_set_figure(robot, CMO_SLIP_MM, state->slip_mm);
    }
    cmi_line_write_settling(robot, &state->line);
    if (CMO_LAST_LINE) {
        cmi_last_line_keep(robot, &state->line.parameters, angle,
                           cmi_bearing_now(robot, state).axle_mm, cmi_bearing_width_mm(state));
    }
    cmi_end(robot, CMO_OUTCOME_DONE);
}

// ---------------------------------------------------------------------------------------- steps --

// Drives on until both sensors have crossed the near edge; that is the line.
static void search(cmo_robot *robot, cmo_square_on_line_state *state) {
    cmo_line_state *line = &state->line;
    const cmo_line_parameters *p = &line->parameters;
    bool void_edge = p->tone == CMO_TONE_VOID;
    cmi_bearing_latch(robot, state);
    if (void_edge && (line->candidate[0].open || line->candidate[CMI_FRONT - 1].open)) {
        cmi_line_accept_open(robot, line);
        if (!state->latched[0] || !state->latched[1]) { // the wheels must not follow the sensor
            cmi_line_brake(robot, line);
            return;
        }
    }
    if (cmi_line_known(line)) {
        cmi_line_brake(robot, line);
    } else {
        cmi_line_approach(robot, line);
    }
}

// Until both sensors are before the line, as far as is known of it; then it looks for it.
static void back_off(cmo_robot *robot, cmo_square_on_line_state *state) {
    cmo_motion *motion = &state->line.motion;
    bool off = cmi_square_is_off(robot, state);
    if (off && !cmi_square_knows_back(state)) {
        float stopping = 0.5F * motion->speed_mm_s * motion->speed_mm_s / motion->braking_mm_s2;
        float target = motion->place_mm + stopping + CMI_SQUARE_OFF_BY_MM;
        motion->target_mm = fminf(motion->target_mm, target);
    }
    cmi_motion_follow(motion, robot);
    if (!motion->arrived) {
        return;
    }
    float known = state->before_mm;
    state->before_mm = 0.0F;
    if (!off && known > 0.0F) { // not where it was thought to be: it may have slid
        move(robot, state, -(known + CMI_SQUARE_SLID_MM), 0.0F, OFF_MM_S, CMO_STAGE_BACK);
    } else {
        for (uint8_t i = 0; i < CMI_FRONT && CMO_TWO_SIDED; i++) {
            state->line.candidate[i].open = false; // it lies before them again
        }
        cmi_line_resume(robot, &state->line);
    }
}

// At an edge of the table with one sensor over it: turns the other one towards it, then creeps on.
static void reach_out(cmo_robot *robot, cmo_square_on_line_state *state) {
    cmo_line_state *line = &state->line;
    cmi_bearing_latch(robot, state);
    cmi_line_accept_open(robot, line);
    if (state->latched[0] && state->latched[1]) {
        cmi_line_brake(robot, line);
        return;
    }
    cmo_motion *motion = &line->motion;
    if (!motion->arrived) {
        cmi_motion_follow(motion, robot);
        return;
    }
    uint8_t met = state->latched[0] ? 0 : 1;
    float turn = state->reached == 0 ? (met == 0 ? 0.8F : -0.8F) : 0.0F;
    float way = state->reached == 0 ? 0.0F : 4.0F;
    float slow = fmaxf(3.0F * robot->description->slowest_mm_s, 60.0F);
    if (state->reached++ > 6) {
        cmi_end(robot, CMO_OUTCOME_ONE_SENSOR);
        return;
    }
    move(robot, state, way, turn, slow, CMO_STAGE_TURN);
}

// What the other sensor was turned to at a table's edge lies at no angle that the robot may have
// come at: both stand in a notch of it.
static bool is_notch(const cmo_square_on_line_state *state) {
    float most = cmi_radians(state->line.parameters.largest_entry_deg) + ENTRY_SLACK_RAD;
    return state->reached > 0 && fabsf(state->entry_rad) > most;
}

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_square_on_line_state *state = (cmo_square_on_line_state *)routine;
    cmo_line_state *line = &state->line;
    if (cmi_line_ended(robot, line)) {
        return;
    }
    if (state->latched[0] && state->latched[1]) {
        state->furthest_mm = fmaxf(state->furthest_mm, middle_mm(robot, state));
    }
    bool slid = cmi_square_watch(robot, state);
    switch (robot->stage) {
    case CMO_STAGE_HALT:
        if (cmi_line_come_to_rest(robot, line)) {
            finish(robot, state);
        }
        return;
    case CMO_STAGE_BRAKE:
        cmi_line_track(robot, line);
        cmi_line_look(robot, line);
        cmi_bearing_latch(robot, state);
        cmi_motion_follow(&line->motion, robot);
        if (line->motion.arrived) {
            if (state->latched[0] && state->latched[1]) {
                cmi_bearing_know_entry(robot, state);
                if (is_notch(state)) {
                    cmi_end(robot, CMO_OUTCOME_ONE_SENSOR);
                    return;
                }
                cmi_square_come_back(robot, state);
                place(robot, state);
            } else {
                reach_out(robot, state);
            }
        }
        return;
    case CMO_STAGE_TURN:
        cmi_line_look(robot, line);
        reach_out(robot, state);
        return;
    case CMO_STAGE_RETURN:
    case CMO_STAGE_MOVE:
        cmi_line_track(robot, line);
        if (slid && robot->stage == CMO_STAGE_RETURN && state->rounds == 0) {
            place(robot, state);
        } else {
            follow(robot, state);
        }
        return;
    case CMO_STAGE_SETTLE:
        cmi_line_track(robot, line);
        settle(robot, state);
        return;
    case CMO_STAGE_BACK:
        back_off(robot, state);
        return;
    default:
        cmi_line_look(robot, line);
        float back = cmi_square_back_mm(robot, state);
        if (back > 0.0F) {
            // Ways from the start are below 0 then, and none of them is blind.
            line->parameters.blind_mm = -INFINITY;
            move(robot, state, -back, 0.0F, cmi_square_knows_back(state) ? BACK_MM_S : OFF_MM_S,
                 CMO_STAGE_BACK);
            return;
        }
        search(robot, state);
        return;
    }
}

static const cmi_row rows[] CMO_FLASH = {
    CMO_SQUARE_REST_PARAMETERS(CMI_ROW, cmo_square_on_line_parameters)};

cmo_line_parameters cmo_square_on_line_search(const cmo_square_on_line_parameters *parameters) {
    return (cmo_line_parameters){
        CMO_LINE_PARAMETERS(CMO_AS_IN, parameters).sensor = CMO_SENSOR_BOTH,
        .rest = parameters->rest == CMO_REST_HALTED ? CMO_REST_NEAR_EDGE : parameters->rest,
        .beyond_mm = parameters->beyond_mm,
    };
}

cmo_outcome cmo_square_on_line_start(cmo_robot *robot, cmo_square_on_line_state *state,
                                     const cmo_square_on_line_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    const cmo_robot_description *d = robot->description;
    cmo_square_on_line_parameters p = *parameters;
    if (cmi_across_mm(d) < 10.0F) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "lights", NAN);
    }
    if (d->light[0].spot_mm <= 0.0F || d->light[CMI_FRONT - 1].spot_mm <= 0.0F) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "spot_mm", NAN);
    }
    cmo_outcome outcome = cmi_check_parameters(robot, rows, CMI_ROWS(rows), &p);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    cmo_line_parameters line = cmo_square_on_line_search(parameters);
    cmi_square_remember(robot, state, &line);
    outcome = cmi_line_begin(robot, &state->line, &line, step, CMO_ROUTINE_SQUARE_ON_LINE, true);
    if (outcome != CMO_RUNNING) {
        return outcome;
    }
    state->parameters = (cmo_square_settling){p.rounds, p.tolerance_mm};
    state->latched[0] = state->latched[1] = state->settled = state->seen = state->lost = false;
    state->creeps = false;
    state->rounds = state->reached = 0;
    state->share = SHARE;
    state->entry_rad = state->extra_mm = state->worst_mm = 0.0F;
    state->furthest_mm = state->deepest_mm[0] = state->deepest_mm[1] = -INFINITY;
    cmi_square_come_back(robot, state);
    return CMO_RUNNING;
}

cmo_outcome cmo_square_on_line(cmo_robot *robot, const cmo_square_on_line_parameters *parameters) {
    cmo_square_on_line_state state;
    cmo_outcome outcome = cmo_square_on_line_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
