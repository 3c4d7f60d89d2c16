// SPDX-License-Identifier: MIT
// How well an edge is followed, once the robot has joined.
#ifndef CMI_EDGE_FIGURES_H
#define CMI_EDGE_FIGURES_H

#include <cammino/follow_edge.h>

// It has joined.
void cmi_edge_joined(const cmo_robot *robot, cmo_follow_edge_state *state);

// A look saw the edge, so far from the spot.
void cmi_edge_count_off(cmo_follow_edge_state *state, float off_mm);

// A tick in which it follows; `full`: a wheel was to turn faster than it can.
void cmi_edge_count_tick(const cmo_robot *robot, cmo_follow_edge_state *state, bool full);

#endif
