// SPDX-License-Identifier: MIT
// What may be a line, and which of it is one.
#ifndef CMI_LINE_CANDIDATES_H
#define CMI_LINE_CANDIDATES_H

#include <cammino/budget.h>
#include <cammino/line_search.h>

#include "../tick/odometer.h"

// Whatever tyres and floor: a robot that slides is thought to brake with no less than this share of
// what is stated of it.
#define CMI_LINE_LEAST_BRAKING 0.2F

// Two places of one thing differ by no more: each is known to within a part of the spot, and the
// way to within some counts.
static inline float cmi_line_slack_mm(const cmo_robot *robot, uint8_t sensor) {
    return robot->description->light[sensor].spot_mm + 5.0F;
}

// A sensor's way where the routine started, and now.
static inline float cmi_start_way(const cmo_robot *robot, uint8_t sensor) {
    return cmi_sensor_way(robot->description, sensor, robot->start_left_mm, robot->start_right_mm);
}

static inline float cmi_way_now(const cmo_robot *robot, uint8_t sensor) {
    return cmi_sensor_way(robot->description, sensor, robot->odometer.left_mm,
                          robot->odometer.right_mm);
}

// Takes this tick's crossings into the candidates.
void cmi_line_look(cmo_robot *robot, cmo_line_state *state);

// Whether a line must be met by both sensors.
static inline bool cmi_line_pairs(const cmo_line_state *state) {
    return CMO_TWO_SIDED && state->window_mm > 0.0F;
}

// The sensor whose crossing counts: the first accepted, else the first that is on a candidate.
uint8_t cmi_line_first(const cmo_robot *robot, const cmo_line_state *state);

// The sensors asked for stand on a candidate; with `accepted`, on a line that has proved itself.
bool cmi_line_met(const cmo_line_state *state, bool accepted);

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
