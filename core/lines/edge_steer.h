// SPDX-License-Identifier: MIT
// How a robot that follows an edge drives: how sharply it turns, and how fast it is.
#ifndef CMI_EDGE_STEER_H
#define CMI_EDGE_STEER_H

#include <cammino/follow_edge.h>

#include "edge_floor.h"

// The line lies to the right of its left edge. Not of both.
static inline float cmi_line_sign(const cmo_follow_edge_state *state) {
    return state->parameters.edge == CMO_LINE_LEFT ? -1.0F : 1.0F;
}

static inline float cmi_edge_spot_mm(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    return robot->description->light[state->sensor].spot_mm;
}

// On the line, or over it beyond its other edge: the edge lies back.
static inline bool cmi_edge_within(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    return state->parameters.edge != CMO_LINE_BOTH &&
           (cmi_edge_on_line(robot, state, state->sensor) || state->far);
}

// What is left of its distance, by the middle or the wheel that is told.
float cmi_edge_left_mm(const cmo_robot *robot, const cmo_follow_edge_state *state);

// One tick of it.
void cmi_edge_drive(cmo_robot *robot, cmo_follow_edge_state *state);

#endif
