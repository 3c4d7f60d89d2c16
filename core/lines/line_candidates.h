// SPDX-License-Identifier: MIT
// What may be a line (line_candidates.c), and which of it is one (line_proof.c).
#ifndef CMI_LINE_CANDIDATES_H
#define CMI_LINE_CANDIDATES_H

#include <cammino/budget.h>
#include <cammino/line_search.h>

#include "../shared/description.h"
#include "../tick/odometer.h"

#include <math.h>

// Whatever tyres and floor: a robot that slides is thought to brake with no less than this share of
// what is stated of it.
#define CMI_LINE_LEAST_BRAKING 0.2F

// Where one sensor has proved a line, the other one need not have measured it as wide: its tyre may
// slide, and the spots may differ. Wider than the longest decoration it must be.
#define CMI_LINE_LESSER_PROOF 0.65F

// Two places of one thing differ by no more: each is known to within a part of the spot, and the
// way to within some counts.
static inline float cmi_line_slack_mm(const cmo_robot *robot, uint8_t sensor) {
    return robot->description->light[sensor].spot_mm + 5.0F;
}

// So fast is looked again for a line that may be none, or that has been lost: nothing slides.
static inline float cmi_line_again_mm_s(const cmo_robot *robot) {
    float six = 6.0F * robot->description->slowest_mm_s;
    return six > 120.0F ? six : 120.0F;
}

// From such a speed tyres may slide.
static inline bool cmi_line_is_fast(const cmo_robot *robot, float speed_mm_s) {
    return speed_mm_s > 1.25F * cmi_line_again_mm_s(robot);
}

// A sensor's way where the routine started, and now.
static inline float cmi_start_way(const cmo_robot *robot, uint8_t sensor) {
    return cmi_sensor_way(robot->description, sensor, robot->start_left_mm, robot->start_right_mm);
}

static inline float cmi_way_now(const cmo_robot *robot, uint8_t sensor) {
    return cmi_sensor_way(robot->description, sensor, robot->odometer.left_mm,
                          robot->odometer.right_mm);
}

// Where a place on its way lies ahead of where the axle started.
static inline float cmi_line_ahead_mm(const cmo_robot *robot, uint8_t sensor, float way_mm) {
    return way_mm - cmi_start_way(robot, sensor) + robot->description->light[sensor].ahead_mm;
}

// By how much further on than the right one the left sensor has met something; both ways count from
// where the routine started, for before it the robot may have turned.
static inline float cmi_line_later_mm(const cmo_robot *robot, float left_way_mm,
                                      float right_way_mm) {
    return cmi_line_ahead_mm(robot, 0, left_way_mm) -
           cmi_line_ahead_mm(robot, CMI_FRONT - 1, right_way_mm);
}

// The same of both candidates, with what it has slid, halted, between the two.
float cmi_line_begins_later_mm(const cmo_robot *robot, const cmo_line_state *state);

// A candidate begins with this crossing.
void cmi_line_mark(const cmo_robot *robot, cmo_candidate *candidate, const cmo_crossing *crossing);

// Reports what was no line, and where the sensor was on its way when it met that.
void cmi_line_note_passed(cmo_robot *robot, uint8_t sensor, float way_mm, float width_mm,
                          cmo_passed_reason reason);

// It comes back or settles: edges are met again, and nothing new is.
static inline bool cmi_line_settles(const cmo_robot *robot) {
    return robot->stage == CMO_STAGE_RETURN || robot->stage == CMO_STAGE_SETTLE;
}

// The other one of the two front sensors.
static inline uint8_t cmi_line_beside(uint8_t sensor) {
    return (uint8_t)(CMI_FRONT - 1 - sensor);
}

// It has gone over an edge out of its candidate, which may be that of a hole.
static inline bool cmi_line_has_left(const cmo_candidate *candidate) {
    return candidate->passed || (CMO_TWO_SIDED && candidate->held);
}

// By how much further on than lines let it here this sensor has met what it is on, against the
// other one; how far it goes on until that one should have met it too; and the tangent of the angle
// at which both have.
float cmi_line_further_mm(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor);
float cmi_line_wait_mm(const cmo_line_state *state, uint8_t sensor);
float cmi_line_tangent(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor);

// How far a sensor has come over its candidate: to the far edge, or to its newest look; and by what
// it has slid there, halted.
static inline float cmi_line_shown_mm(const cmo_robot *robot, const cmo_line_state *state,
                                      uint8_t sensor) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    float to = cmi_line_has_left(candidate) ? candidate->far_mm : robot->light[sensor].way_mm;
#if CMO_SLIDING
    return fabsf(to - candidate->near.way_mm) + candidate->slid_mm;
#else
    return fabsf(to - candidate->near.way_mm);
#endif
}

// That was no line.
static inline void cmi_line_pass_over(cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                                      float width_mm, cmo_passed_reason reason) {
    cmo_candidate *candidate = &state->candidate[sensor];
    candidate->open = false;
    candidate->met = CMO_TWO_SIDED && reason == CMO_PASSED_TOO_NARROW &&
                     width_mm >= CMI_LINE_LESSER_PROOF * state->parameters.least_width_mm;
    cmi_line_note_passed(robot, sensor, candidate->near.way_mm, width_mm, reason);
}

// Takes a crossing into the candidates; and this tick's.
void cmi_line_take(cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                   const cmo_crossing *crossing);
void cmi_line_look(cmo_robot *robot, cmo_line_state *state);

// Whether a line must be met by both sensors.
static inline bool cmi_line_pairs(const cmo_line_state *state) {
    return CMO_TWO_SIDED && state->window_mm > 0.0F;
}

// The sensor whose crossing counts: the first accepted, else the first that is on a candidate.
uint8_t cmi_line_first(const cmo_robot *robot, const cmo_line_state *state);

// The sensors asked for stand on a candidate; with `accepted`, on a line that has proved itself.
bool cmi_line_met(const cmo_line_state *state, bool accepted);

// Whether a sensor says where the line is: not where it is worn.
static inline bool cmi_line_tells(const cmo_candidate *candidate) {
    return candidate->accepted && !(CMO_TWO_SIDED && candidate->worn);
}

// 0: as wide as it may be.
static inline float cmi_line_most_mm(const cmo_line_state *state) {
#if CMO_TWO_SIDED
    return state->parameters.most_width_mm;
#else
    (void)state;
    return 0.0F;
#endif
}

// What lasts longer than this is no line; where its edges are is known to within the slack.
static inline float cmi_line_widest_mm(const cmo_robot *robot, const cmo_line_state *state,
                                       uint8_t sensor, float slant) {
    float most = cmi_line_most_mm(state);
    return most > 0.0F ? slant * most / CMO_PROOF_SHARE + cmi_line_slack_mm(robot, sensor)
                       : INFINITY;
}

// Whether the rest asks for the far edge too.
static inline bool cmi_line_needs_far(const cmo_line_state *state) {
    return state->parameters.rest == CMO_REST_CENTRE || state->parameters.rest == CMO_REST_FAR_EDGE;
}

// Width of the line across it, by the sensors that have gone over both its edges; 0: none has.
float cmi_line_width_mm(const cmo_line_state *state, float entry_rad);

// All edges are elsewhere by the encoders, by as much.
void cmi_line_shift(cmo_line_state *state, float by_mm);

// What one sensor has proved to be a line, the other one's candidate is too; unless the rest asks
// for a far edge that it has not met.
void cmi_line_accept_open(cmo_robot *robot, cmo_line_state *state);

#endif
