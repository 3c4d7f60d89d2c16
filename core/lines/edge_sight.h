// SPDX-License-Identifier: MIT
// What one look says of where an edge that is followed is.
#ifndef CMI_EDGE_SIGHT_H
#define CMI_EDGE_SIGHT_H

#include "edge_track.h"

// It sees the edge all across so much of the spot.
#define CMI_SEEN_SHARE 0.5F

// The sensors that follow, one or both.
static inline bool cmi_edge_watches(const cmo_follow_edge_state *state, uint8_t sensor) {
    return state->parameters.edge == CMO_LINE_BOTH || sensor == state->sensor;
}

// From a sensor's edge onto the line: 1 is to the left, -1 to the right.
float cmi_edge_into(const cmo_follow_edge_state *state, uint8_t sensor);

// The newest look of a sensor.
cmi_edge_sight cmi_edge_sight_of(const cmo_robot *robot, const cmo_follow_edge_state *state,
                                 uint8_t sensor);

// How far off the track's place is where a sensor is so far onto the line from its edge, and the
// robot at that angle to it.
float cmi_edge_off_mm(const cmo_robot *robot, const cmo_follow_edge_state *state, uint8_t sensor,
                      float onto_mm, float angle_rad);

// Of both edges: by so much neither spot sees the line's, on either side of the middle.
float cmi_edge_dead_mm(const cmo_robot *robot, const cmo_follow_edge_state *state);

// Of both edges: both spots are amid a line, where one of them should be off it. False too where
// both may well be.
bool cmi_edge_across(const cmo_robot *robot, const cmo_follow_edge_state *state);

// Of both edges, at least one is.
bool cmi_edge_in_sight(const cmo_robot *robot, const cmo_follow_edge_state *state);

// What both spots see does not go together, for between their edges lies the line: a line across,
// a gap, or the line's end.
bool cmi_edge_torn(const cmo_robot *robot, const cmo_follow_edge_state *state);

#endif
