// SPDX-License-Identifier: MIT
// How a rebound leaves: on which heading, and how far it has to back off for that.
#include "rebound.h"

#include "../shared/description.h"
#include "../shared/trig.h"
#include "contacts.h"
#include "met.h"

#include <math.h>

// How near to the boundary a new heading may point.
#define SHALLOWEST_RAD (75.0F * (CMI_PI / 180.0F))
// Within this the entry is head on, and either side would do.
#define HEAD_ON_RAD 0.035F
// A turn that would go this far the wrong way round goes the right way round, which is hardly
// longer.
#define ROUND_RAD 2.8F
// After so many rebounds in a row that leave square, it turns aside by more.
#define MOST_TO_AND_FRO 2U
#define ASIDE_RAD       0.7F
// A turn swings beyond its end by no less than so.
#define SWINGS_RAD 0.15F
// So many runs in a row that got hardly anywhere are a corner.
#define SHORT_RUNS 3U
// Boundaries left behind that are kept.
#define PAST ((uint8_t)(sizeof((cmo_stay_inside_state *)0)->past / sizeof(cmo_past_boundary)))
// It backs off at least so far from where it crossed: the sensors are clear of the boundary again.
#define CLEAR_MM 4.0F

// Which side the boundary is on: 1, it heads to the left of the boundary's normal, and turns on to
// the left. Head on, either would do; then by turns, so that it does not always end on the same
// side.
static float side_of(const cmo_stay_inside_state *state, float entry_rad) {
    if (fabsf(entry_rad) < HEAD_ON_RAD) {
        return state->other ? 1.0F : -1.0F;
    }
    return entry_rad > 0.0F ? 1.0F : -1.0F;
}

// The new heading, counted from straight inward (the normal and half a turn), as it was asked for.
static float asked_off_inward(const cmo_robot *robot, const cmo_stay_inside_state *state,
                              float entry_rad, float side) {
    const cmo_stay_inside_parameters *p = &state->parameters;
    const cmo_pose *pose = &robot->odometer.pose;
    float middle;
    switch (state->short_runs >= SHORT_RUNS ? CMO_LEAVE_MIDDLE : p->leave) {
    case CMO_LEAVE_MIRRORED: // light that comes in at e to the normal goes out at -e
        return state->to_and_fro < MOST_TO_AND_FRO ? -entry_rad : -side * ASIDE_RAD;
    case CMO_LEAVE_BY_ANGLE:
        return cmi_wrap(entry_rad + side * cmi_radians(p->angle_deg) - CMI_PI);
    case CMO_LEAVE_MIDDLE:
        middle = cmi_direction(state->covered_x_mm - pose->x_mm, state->covered_y_mm - pose->y_mm);
        return cmi_wrap(middle - state->boundary.normal_rad - CMI_PI);
    default:
        return 0.0F;
    }
}

// Whether the rear, turning so far from here, comes round over this boundary: nothing looks behind.
static bool sweeps(const cmo_robot *robot, const cmo_past_boundary *of, float margin_mm,
                   float turn_rad) {
    const cmo_pose *pose = &robot->odometer.pose;
    float clear = cmi_clear_mm(of->x_mm, of->y_mm, of->normal_rad, pose);
    return of->known && clear < cmi_rear_mm(robot->description) + margin_mm + CMI_MARGIN_LEFT_MM &&
           cmi_turns_past(pose->heading_rad, turn_rad, of->normal_rad + CMI_PI);
}

static cmo_past_boundary this_one(const cmo_stay_inside_state *state) {
    const cmo_met_boundary *met = &state->boundary;
    return (cmo_past_boundary){met->known, met->x_mm[met->first], met->y_mm[met->first],
                               met->normal_rad};
}

// In a corner those that were left before are as near as the one that is met. That one it has made
// room for, unless it leaves on the way that it came by.
static bool sweeps_any(const cmo_robot *robot, const cmo_stay_inside_state *state, float turn_rad) {
    float margin = state->parameters.margin_mm;
    cmo_past_boundary here = this_one(state);
    bool any = state->answers > 0 && sweeps(robot, &here, margin, turn_rad);
    for (uint8_t i = 0; i < PAST; i++) {
        any |= sweeps(robot, &state->past[i], margin, turn_rad);
    }
    return any;
}

float cmi_rebound_way_round(const cmo_robot *robot, const cmo_stay_inside_state *state,
                            float turn_rad) {
    float round = turn_rad < 0.0F ? turn_rad + 2.0F * CMI_PI : turn_rad - 2.0F * CMI_PI;
    bool better = sweeps_any(robot, state, turn_rad) && !sweeps_any(robot, state, round);
    return better ? round : turn_rad;
}

void cmi_rebound_keep(cmo_stay_inside_state *state) {
    if (state->boundary.known) {
        for (uint8_t i = PAST - 1U; i > 0; i--) {
            state->past[i] = state->past[i - 1U];
        }
        state->past[0] = this_one(state);
    }
}

// The heading to leave on, and which way round: radians to turn from here.
float cmi_rebound_choose_turn(const cmo_robot *robot, cmo_stay_inside_state *state) {
    const cmo_met_boundary *boundary = &state->boundary;
    // Swaying, it is the course that comes to the boundary and leaves it.
    bool sways = state->course.sway_rad > 0.0F;
    float heading = sways ? state->course.heading_rad : boundary->entry_rad;
    float entry = cmi_wrap(heading - boundary->normal_rad);
    float side = side_of(state, entry);
    float off = asked_off_inward(robot, state, entry, side);
    // What is guessed may be off by half a right angle.
    float shallowest = boundary->known ? SHALLOWEST_RAD : 0.5F * SHALLOWEST_RAD;
    off = fmaxf(-shallowest, fminf(off, shallowest));
    float now = robot->odometer.pose.heading_rad;
    float turn = cmi_wrap(boundary->normal_rad + CMI_PI + off - now);
    // Away from the side that the boundary is on; where it is measured, only if that is hardly
    // longer.
    if (turn * side < 0.0F && (!boundary->known || fabsf(turn) > ROUND_RAD)) {
        turn += side * 2.0F * CMI_PI;
    }
    turn = cmi_rebound_way_round(robot, state, turn);
    state->heading_rad = now + turn;
    return turn;
}

// What is known of this rebound as it begins to leave.
void cmi_rebound_note(const cmo_robot *robot, cmo_stay_inside_state *state) {
    const cmo_met_boundary *boundary = &state->boundary;
    cmo_rebound *last = &state->last;
    *last = (cmo_rebound){
        .back_mm = last->back_mm,
        .sensor = boundary->first,
        .crossed = last->crossed,
        .known = boundary->known,
        .crossing_us = robot->report.crossing_us,
        .x_mm = boundary->x_mm[boundary->first],
        .y_mm = boundary->y_mm[boundary->first],
        .speed_mm_s = last->speed_mm_s,
        .entry_deg = cmi_degrees(cmi_wrap(boundary->entry_rad - boundary->normal_rad)),
    };
    if (boundary->known) {
        float sine, cosine;
        cmi_sin_cos(state->stood.heading_rad - boundary->normal_rad, &sine, &cosine);
        last->margin_mm = cmi_met_clearance(boundary, &state->stood) -
                          cmi_reach_mm(robot->description, sine, cosine);
        state->margin_mm = fminf(state->margin_mm, last->margin_mm);
    }
}

// What the contacts sweep as it turns on the spot, this boundary is at least away from.
void cmi_rebound_note_turn(const cmo_robot *robot, cmo_stay_inside_state *state) {
    if (state->boundary.known) {
        float clear = cmi_met_clearance(&state->boundary, &robot->odometer.pose);
        state->margin_mm = fminf(state->margin_mm, clear - cmi_sweep_mm(robot->description));
    }
}

float cmi_rebound_missing_mm(const cmo_robot *robot, const cmo_stay_inside_state *state,
                             bool convex) {
    return cmi_met_back(&state->boundary, robot, convex, state->heading_rad,
                        fmaxf(state->swings_rad, SWINGS_RAD),
                        state->parameters.margin_mm + CMI_MARGIN_LEFT_MM);
}

// How far it has to back off to turn, and may: on the way that it has come, and no further.
float cmi_rebound_way_back_mm(const cmo_robot *robot, const cmo_stay_inside_state *state,
                              float beyond_mm) {
    const cmo_stay_inside_parameters *p = &state->parameters;
    float back = cmi_rebound_missing_mm(robot, state, p->convex);
    back = fmaxf(back, beyond_mm + CLEAR_MM);
    if (!state->boundary.known) { // a guess may ask for any way; what the robot takes up must do
        back = fminf(back, beyond_mm + 2.0F * cmi_half_width_mm(robot->description));
    }
    return fminf(back, fmaxf(state->come_mm, 0.0F));
}
