// SPDX-License-Identifier: MIT
#include <cammino/stop_on_line.h>

#include "../moves/motion.h"
#include "../shared/routine.h"
#include "line_again.h"
#include "line_candidates.h"
#include "line_doubt.h"
#include "line_figures.h"
#include "line_halt.h"
#include "line_rest.h"
#include "line_search.h"
#include "stop.h"

#include <math.h>

// Moves to settle on the edge, at most.
#define ROUNDS 5U

// No edge is left under the sensors at the centre: what is met on the way back tells where it is,
// and less vaguely the slower.
#define CENTRE_MM_S 150.0F
// And what the wheels count there has to be right: it brakes by so much of what it may.
#define GENTLY 0.5F

// The way back is short: limits of acceleration hardly let it get faster.
#define BACK_MM_S 400.0F

// So much left over takes another profile; small moves would creep up to it.
#define FAR_OFF_MM 2.5F

// From this way on, a profile is planned to brake by a share of what it may: wheels that it finds
// ahead of itself, by a lag that it has not been led by, can still be braked in time. Shorter ones
// are driven as hard as they may be, or friction keeps them; and where no edge will be seen at
// rest, a little too far and then on again takes out the gear play.
#define ALONG_MM      4.0F
#define PLANNED_SHARE 0.75F

// An edge this near to the middle of a spot is where that reads it, whatever the spot's shape.
#define TELLS_MM 0.7F

// Moves to find a line again that it has slid away from, at most.
#define SEARCHES 3U

// Without a rest it stays where the halt at the crossing leaves it.
static bool halts_at_once(const cmo_line_state *state) {
    return state->parameters.rest == CMO_REST_HALTED;
}

// Answers the crossing.
static void stop(cmo_robot *robot, cmo_line_state *state) {
    if (halts_at_once(state)) {
        cmi_line_halt(robot, state);
    } else {
        cmi_line_brake(robot, state);
    }
}

// A profile of its own, by a share of the limits, so that small moves leave little over.
static void move_by(cmo_robot *robot, cmo_line_state *state, float way_mm, cmo_stage stage) {
    float sign = way_mm < 0.0F ? -1.0F : 1.0F;
    cmo_motion *motion = &state->motion;
    cmi_motion_start(motion, robot, fabsf(way_mm), sign, sign);
    motion->braking_mm_s2 = state->share * cmi_line_braking(state);
    motion->acceleration_mm_s2 = state->share * state->parameters.acceleration_mm_s2;
    motion->top_mm_s = fminf(robot->description->top_speed_mm_s, BACK_MM_S);
    cmi_motion_settles(motion, robot);
#if CMO_SLIDING
    if (!cmi_line_rests_on_edge(robot, state)) {
        cmi_motion_ends_blind(motion, robot);
    }
    if (fabsf(way_mm) > ALONG_MM && cmi_line_sees_at_rest(robot, state)) {
        motion->hardest_mm_s2 = motion->braking_mm_s2;
        motion->braking_mm_s2 *= PLANNED_SHARE;
    }
#endif
    cmi_count_still_anew(robot);
    cmi_enter(robot, stage);
    cmi_motion_follow(motion, robot);
}

// Slowly over what it has met, to see where it is; where it has done so in vain, the other way.
static void search_again(cmo_robot *robot, cmo_line_state *state) {
    state->elsewhere = state->looks_again && !state->elsewhere;
    state->looks_again = true;
    state->searches++;
    state->came = 0;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        state->candidate[i].corrected = false;
#if CMO_TWO_SIDED
        state->candidate[i].read = false;
        state->candidate[i].apart_mm = 0.0F;
#endif
    }
    float way = cmi_line_to_search(robot, state);
#if CMO_SLIDING
    if (way < 0.0F) { // it sees all that lies behind it, but what a sensor is on, or about to be
        uint8_t first = cmi_line_first(robot, state);
        float here = cmi_way_now(robot, first);
        for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
            const cmo_candidate *candidate = &state->candidate[i];
            bool on = candidate->open && !candidate->passed;
            here = on ? fminf(here, candidate->near.way_mm) : here;
        }
        here -= cmi_line_slack_mm(robot, first);
        state->known_mm = fmaxf(state->known_mm, here);
    }
#endif
    move_by(robot, state, way, CMO_STAGE_RETURN);
    // As slowly as a line is proved that may be none; and it has to stop where it meets it.
    state->motion.braking_mm_s2 = state->parameters.braking_mm_s2;
    float slowest = robot->description->slowest_mm_s;
    state->motion.top_mm_s =
        fminf(cmi_line_again_mm_s(robot), fmaxf(state->parameters.creep_mm_s, 2.0F * slowest));
}

// It was seen to hold at this speed, or a little less, by its own limit.
#define HOLDS_SHARE 1.1F

// It rests with no edge under its sensors, and has braked harder than what it goes there by.
static bool braked_hard(const cmo_robot *robot, const cmo_line_state *state) {
    float speed = state->candidate[cmi_line_first(robot, state)].speed_mm_s;
    const cmo_robot_description *d = robot->description;
    bool holds =
        speed < HOLDS_SHARE * d->holds_mm_s && state->parameters.braking_mm_s2 <= d->braking_mm_s2;
    return state->parameters.rest != CMO_REST_CENTRE && !cmi_line_rests_on_edge(robot, state) &&
           cmi_line_is_fast(robot, speed) && !holds &&
           state->motion.braking_mm_s2 > GENTLY * state->parameters.braking_mm_s2;
}

// At a standstill: on to the rest, or on to show what has to be known, or on to the next candidate.
static void stand(cmo_robot *robot, cmo_line_state *state) {
    if (CMO_SLIDING && !cmi_line_known(state) && cmi_line_doubts(state) &&
        state->searches < SEARCHES) {
        search_again(robot, state);
    } else if (!cmi_line_known(state)) {
        cmi_enter(robot, CMO_STAGE_PROVE);
        cmi_line_resume(robot, state);
        cmi_line_approach(robot, state);
    } else if (halts_at_once(state)) {
        cmi_line_finish(robot, state, cmi_line_off_rest);
    } else if (state->parameters.effort == CMO_EFFORT_QUICK) {
        cmi_line_accept_open(robot, state);
        cmi_line_halt(robot, state);
    } else {
        cmi_line_accept_open(robot, state);
        if (CMO_SLIDING && braked_hard(robot, state)) {
            cmi_line_via_edge(robot, state);
        }
        // It has rolled on by the play, and on the way back it rolls as far the other way. Where no
        // edge will tell by how much it has done so, half of it is right on the mean.
        float to_rest = cmi_line_to_rest(robot, state);
        bool blind = !cmi_line_rests_on_edge(robot, state);
        float on = blind && to_rest < 0.0F ? cmi_line_ran_mm(robot, state)
                                           : cmi_line_stands_mm(robot, state);
        move_by(robot, state, to_rest - on, CMO_STAGE_RETURN);
        if (state->parameters.rest == CMO_REST_CENTRE || (CMO_SLIDING && blind)) {
            state->motion.top_mm_s = fminf(state->motion.top_mm_s, CENTRE_MM_S);
            state->motion.braking_mm_s2 *= GENTLY;
        }
    }
}

// What the wheels are told to stand within: half of an encoder step, which is as near as a count
// tells, and a little more where the edge will tell the rest.
static float finest_mm(const cmo_robot *robot, const cmo_line_state *state) {
    const cmo_robot_description *d = robot->description;
    bool edge = state->parameters.rest != CMO_REST_CENTRE && state->parameters.beyond_mm == 0.0F;
    float step = fmaxf(d->left_step_mm, d->right_step_mm);
    return fmaxf((edge ? 0.6F : 0.52F) * step, 0.2F);
}

// Whether the line has been met again so that the edge which the rest is about is known: backward
// the near edge is left and the far one entered, forward the other way round; and once one of them
// has been met, the other one is a line's width from there. The centre has to meet both.
static bool has_found(const cmo_line_state *state) {
    bool far = state->parameters.rest == CMO_REST_FAR_EDGE;
    bool forward = state->motion.left_sign > 0.0F;
    int side = far == forward ? (far ? 1 : -1) : 0;
    bool centre = state->parameters.rest == CMO_REST_CENTRE;
    bool found = false;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        const cmo_candidate *candidate = &state->candidate[i];
        bool there = candidate->side == side || (!centre && candidate->side == 0);
        // Over the edge that it comes from, and the other one too.
        there = there || (!centre && far != forward && candidate->side == (forward ? 1 : -1));
        found = found || (candidate->accepted && candidate->corrected && there);
    }
    return found && !cmi_line_doubts(state);
}

// A wheel that has not crept up to its place may still roll on a good way.
static bool look_at_rest(cmo_robot *robot, cmo_line_state *state) {
    return cmi_line_look_at_rest(robot, state, 0.2F * robot->description->slowest_mm_s + 2.0F);
}

// The line is where it has been met: on to the rest, as the encoders know it now.
static void find(cmo_robot *robot, cmo_line_state *state) {
    cmo_motion *motion = &state->motion;
    state->looks_again = false;
    cmi_line_accept_open(robot, state);
    if (CMO_SLIDING && !state->via_edge && !cmi_line_rests_on_edge(robot, state)) {
        cmi_line_via_edge(robot, state); // the near one it has just left
    }
    float ahead = motion->left_sign * cmi_line_to_rest(robot, state);
    float stopping = 0.5F * motion->speed_mm_s * motion->speed_mm_s / motion->braking_mm_s2;
    motion->target_mm =
        fmaxf(cmi_motion_way(motion, robot) + fmaxf(ahead, stopping), motion->place_mm + stopping);
}

// What it looked for again was no line, or one that the other sensor has yet to meet: on from here.
static void go_on(cmo_robot *robot, cmo_line_state *state) {
    state->looks_again = false;
    state->searches = 0;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        cmo_candidate *candidate = &state->candidate[i];
        candidate->open = candidate->open && !candidate->doubted;
    }
    cmi_enter(robot, CMO_STAGE_PROVE);
    cmi_line_resume(robot, state);
    cmi_line_approach(robot, state);
}

// Follows the way back to its end; on it, what has been met again may shift where that is.
static void come_back(cmo_robot *robot, cmo_line_state *state) {
    cmo_motion *motion = &state->motion;
    bool looks = CMO_SLIDING && state->looks_again;
    if (looks && has_found(state)) {
        find(robot, state);
    } else if (looks && (motion->arrived || !cmi_line_doubts(state)) &&
               !cmi_line_met(state, true)) {
        go_on(robot, state);
        return;
    }
    bool slid = CMO_SLIDING && !looks && state->rounds == 0 && state->searches < SEARCHES &&
                cmi_line_rests_on_edge(robot, state) && cmi_line_overdue(robot, state);
    if (slid) { // on, until it meets the line
        search_again(robot, state);
        return;
    }
    if (!motion->arrived) {
        cmi_motion_follow(motion, robot);
        return;
    }
    float left_over = motion->target_mm - cmi_motion_way(motion, robot);
    bool slow =
        fabsf(cmo_speed_mm_s(robot)) < fmaxf(2.0F * robot->description->slowest_mm_s, 40.0F);
    if (!state->looks_again && slow && fabsf(left_over) > FAR_OFF_MM && state->moves < ROUNDS) {
        state->moves++;
        move_by(robot, state, motion->left_sign * left_over, CMO_STAGE_RETURN);
        return;
    }
    bool creeps = state->rounds >= CMI_LINE_PROFILES || state->unseen ||
                  !cmi_line_rests_on_edge(robot, state);
    if (!creeps || cmi_line_settle_move(robot, state, finest_mm(robot, state))) {
        if (CMO_SLIDING && state->rounds > 0 && !state->unseen &&
            cmi_motion_way(motion, robot) > 0.5F * motion->target_mm) {
            state->came++;
        }
        cmi_enter(robot, CMO_STAGE_SETTLE);
        cmi_count_still_anew(robot);
        state->waited_us = 0;
        look_at_rest(robot, state);
    }
}

// The next small move onto the edge.
static void move_on(cmo_robot *robot, cmo_line_state *state, float to_go_mm) {
    state->rounds++;
    state->goal_mm = to_go_mm;
    move_by(robot, state, cmi_line_ask(robot, to_go_mm, state->motion.left_sign), CMO_STAGE_RETURN);
}

// From the edge, which has told where it is, by the encoders: such a way crosses the gear play at
// its beginning and rolls as far on at its end.
static void on_to_rest(cmo_robot *robot, cmo_line_state *state) {
    state->via_edge = false;
    state->parameters.rest = (cmo_rest)state->then_rest;
    state->parameters.beyond_mm = state->then_mm;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX && state->then_rest == CMO_REST_CENTRE; i++) {
        state->candidate[i].far_mm = state->far_again_mm[i];
    }
    move_by(robot, state, cmi_line_to_rest(robot, state), CMO_STAGE_MOVE);
    state->motion.braking_mm_s2 *= GENTLY;
}

// By what it has crossed last, no sensor is on the line.
static bool is_off(const cmo_line_state *state) {
    bool off = true;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        off = off && !(state->candidate[i].accepted && state->candidate[i].side == 0);
    }
    return off;
}

// At a standstill: is it there by what the sensors read of the edge, or by the encoders where they
// see none?
static void settle(cmo_robot *robot, cmo_line_state *state) {
    if (!look_at_rest(robot, state) && !(CMO_SLIDING && cmi_line_rolls_off(robot, state))) {
        return;
    }
    bool fine = state->parameters.effort == CMO_EFFORT_FINE;
    // The edge is finer than a coarse step; at a slant one sensor alone tells where it is.
    float enough = fminf(finest_mm(robot, state) + 0.1F, fine ? 0.25F : 0.5F);
    if (CMO_SLIDING && !fine && cmi_line_sees_at_rest(robot, state)) {
        enough = 0.5F;
    }
    if (CMO_SLIDING && cmi_line_lost(robot, state) && state->searches < SEARCHES) {
        search_again(robot, state);
        return;
    }
    bool edge = cmi_line_rests_on_edge(robot, state);
    bool sees = edge && cmi_line_take_edge(robot, state);
    float to_go = cmi_line_to_rest(robot, state);
    bool far_off = CMO_SLIDING && fabsf(to_go) > FAR_OFF_MM + robot->description->gear_play_mm;
    bool blind = state->unseen || !cmi_line_sees_at_rest(robot, state);
    bool told = sees ? fabsf(to_go) < TELLS_MM : !far_off && blind;
    if (CMO_SLIDING && state->via_edge && (told || state->rounds >= ROUNDS)) {
        on_to_rest(robot, state);
        return;
    }
    if (edge && !sees && !state->unseen && !far_off) {
        // Then encoders are all there is: as near as they can say.
        state->unseen = true;
        cmi_enter(robot, CMO_STAGE_RETURN);
        return;
    }
#if CMO_SLIDING
    state->unseen = state->unseen && !sees;
#endif
    if (state->rounds > 0) {
        cmi_line_learn_move(&state->share, state->goal_mm, to_go);
    }
    bool more = fine || fabsf(to_go) > CMI_LINE_OVERRUN_MM;
    uint8_t most = !edge ? 0U : more ? 2U * ROUNDS : ROUNDS;
    if (fabsf(to_go) > enough && state->rounds < most) {
        move_on(robot, state, to_go);
    } else if (CMO_SLIDING && edge && !sees && is_off(state) && cmi_line_lost(robot, state)) {
        cmi_end(robot, CMO_OUTCOME_NO_LINE); // where it stands, nobody knows
    } else {
        cmi_line_halt(robot, state);
    }
}

// Halted, and at a standstill. A quick rest stays where it is, whichever edge it sees there.
static void end(cmo_robot *robot, cmo_line_state *state) {
    if (halts_at_once(state)) {
        stand(robot, state);
        return;
    }
    if (state->parameters.effort != CMO_EFFORT_QUICK) {
        cmi_line_write_slip(robot, state);
    }
    cmi_line_finish(robot, state, cmi_line_off_rest);
}

void cmi_stop_step(cmo_robot *robot, cmo_routine *routine) {
    cmo_line_state *state = (cmo_line_state *)routine;
    if (cmi_line_ended(robot, state)) {
        return;
    }
    cmi_line_look(robot, state);
    bool stops = false;
    switch (robot->stage) {
    case CMO_STAGE_HALT:
        if (cmi_line_come_to_rest(robot, state)) {
            end(robot, state);
        }
        return;
    case CMO_STAGE_BRAKE:
        cmi_line_track(robot, state);
        cmi_motion_follow(&state->motion, robot);
        if (state->motion.arrived) {
            stand(robot, state);
        }
        return;
    case CMO_STAGE_MOVE:
        cmi_line_track(robot, state);
        if (!state->motion.arrived) {
            cmi_motion_follow(&state->motion, robot);
        } else if (cmi_line_settle_move(robot, state, finest_mm(robot, state))) {
            cmi_line_halt(robot, state);
        }
        return;
    case CMO_STAGE_RETURN:
        cmi_line_track(robot, state);
        come_back(robot, state);
        return;
    case CMO_STAGE_SETTLE:
        cmi_line_track(robot, state);
        settle(robot, state);
        return;
    case CMO_STAGE_PROVE:
        if (!cmi_line_met(state, false)) {
            cmi_line_refute(robot, state);
        }
        stops = cmi_line_known(state) || (CMO_SLIDING && cmi_line_doubts(state));
        break;
    default:
        stops = cmi_line_met(state, false) &&
                (halts_at_once(state) || cmi_line_brakes_now(robot, state));
        break;
    }
    if (stops) {
        stop(robot, state);
    } else {
        cmi_line_approach(robot, state);
    }
}

void cmi_stop_prepare(cmo_line_state *state) {
    state->again = cmi_line_meet_again;
    state->share = 1.0F;
}

cmo_outcome cmo_stop_on_line_start(cmo_robot *robot, cmo_line_state *state,
                                   const cmo_line_parameters *parameters) {
    cmo_line_parameters given = *parameters;
    given.ending = CMO_END_HALTED;
    cmo_outcome outcome =
        cmi_line_begin(robot, state, &given, cmi_stop_step, CMO_ROUTINE_STOP_ON_LINE, true);
    if (outcome == CMO_RUNNING) {
        cmi_stop_prepare(state);
    }
    return outcome;
}

cmo_outcome cmo_stop_on_line(cmo_robot *robot, const cmo_line_parameters *parameters) {
    cmo_line_state state;
    cmo_outcome outcome = cmo_stop_on_line_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
