// SPDX-License-Identifier: MIT
// How it backs off: on the way just come, and no further.
#include "../shared/description.h"
#include "../shared/routine.h"
#include "course.h"
#include "met.h"
#include "rebound.h"

#include <math.h>

// Backing off while it sways, share of the cruise.
#define BACK_SHARE 0.6F
// On the way just come there is little to be won by more than this.
#define BACK_MM_S 300.0F
// So slow it stands, or will before it has turned far.
#define STANDS_MM_S 20.0F
// Some more way back is worth it from here on.
#define LEAST_BACK_MM 1.0F
// A run shorter than this got hardly anywhere; so many in a row are too many.
#define SHORT_RUN_MM 40.0F
#define MOST_RUNS    10U

// Backs off along the course just come, until it stands there.
bool cmi_rebound_goes_back(cmo_robot *robot, cmo_stay_inside_state *state) {
    const cmo_stay_inside_parameters *p = &state->parameters;
    const cmo_robot_description *d = robot->description;
    float sure = cmi_sure_mm_s2(d);
    float acceleration = fminf(p->acceleration_mm_s2, sure);
    float braking = fminf(p->braking_mm_s2, sure);
    float left = cmi_course_way(&state->course, robot) - state->back_to_mm;
    float slow = sqrtf(2.0F * braking * fmaxf(left, 0.0F));
    float top = fminf(d->top_speed_mm_s, BACK_MM_S);
    if (state->course.sway_rad > 0.0F) { // tyres that turn as hard as they drive slide
        top = fminf(top, BACK_SHARE * state->cruise_mm_s);
    }
    // A drive that nothing leads as it should stops later by all of its lag: still on the way come.
    float come = fmaxf(left + fmaxf(state->come_mm, 0.0F), 0.0F);
    float surely = cmi_stops_from_mm_s(come, cmi_budget_lag_s(d), braking);
    top = fminf(top, fmaxf(surely, d->slowest_mm_s + STANDS_MM_S));
    cmi_course_follow(&state->course, robot, -fminf(slow, top), acceleration, braking);
    return left > 0.5F || cmo_speed_mm_s(robot) < -(d->slowest_mm_s + STANDS_MM_S);
}

// Backs off by so much from here, which is taken from the way that it has come.
void cmi_rebound_back_by(cmo_robot *robot, cmo_stay_inside_state *state, float way_mm,
                         cmo_stage stage) {
    state->come_mm -= way_mm;
    state->last.back_mm += way_mm;
    state->course.speed_mm_s = 0.0F;
    state->back_to_mm = cmi_course_way(&state->course, robot) - way_mm;
    cmi_enter(robot, stage);
    cmi_rebound_goes_back(robot, state);
}

// So many runs in a row that got hardly anywhere, and it is cornered.
bool cmi_rebound_is_cornered(cmo_robot *robot, cmo_stay_inside_state *state, float beyond_mm) {
    bool short_run = state->come_mm - beyond_mm < SHORT_RUN_MM;
    state->short_runs = (uint8_t)(short_run ? state->short_runs + 1 : 0);
    if (state->short_runs >= MOST_RUNS) {
        cmi_end(robot, CMO_OUTCOME_CORNERED);
    }
    return state->short_runs >= MOST_RUNS;
}

void cmi_rebound_back_off(cmo_robot *robot, cmo_stay_inside_state *state) {
    float slid;
    if (cmi_met_anew(&state->boundary, robot, &slid)) {
        cmi_rebound_slid(robot, state, slid);
    } else {
        cmi_met_solve(&state->boundary, robot);
    }
    float beyond = cmi_met_gone_mm(&state->boundary, robot);
    if (!cmi_rebound_is_cornered(robot, state, beyond)) {
        cmi_rebound_choose_turn(robot, state);
        float back = cmi_rebound_way_back_mm(robot, state, beyond);
        cmi_rebound_note(robot, state);
        cmi_rebound_back_by(robot, state, back, CMO_STAGE_BACK);
    }
}

// Backing off, both sensors have left the boundary: its direction is known anew, whatever the tyres
// had slid between the two crossings. True: that asks for some way more.
bool cmi_rebound_knows_better(cmo_robot *robot, cmo_stay_inside_state *state) {
    float slid;
    if (state->answers > 0 || !cmi_met_anew(&state->boundary, robot, &slid)) {
        return false;
    }
    cmi_rebound_choose_turn(robot, state);
    float missing = cmi_rebound_missing_mm(robot, state, state->parameters.convex);
    missing = fminf(missing, fmaxf(state->come_mm, 0.0F));
    cmi_rebound_note(robot, state);
    if (missing < LEAST_BACK_MM) {
        return false;
    }
    cmi_rebound_back_by(robot, state, missing, CMO_STAGE_BACK);
    return true;
}
