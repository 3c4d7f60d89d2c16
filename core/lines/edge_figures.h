// SPDX-License-Identifier: MIT
// How well an edge is followed, once the robot has joined.
#ifndef CMI_EDGE_FIGURES_H
#define CMI_EDGE_FIGURES_H

#include <cammino/follow_edge.h>

// It has joined.
void cmi_edge_joined(const cmo_robot *robot, cmo_follow_edge_state *state);

// A look saw the edge, so far from the spot.
void cmi_edge_count_off(cmo_follow_edge_state *state, float off_mm);

// By how much the robot is turned off what it would be had its spot stayed on the edge, at an angle
// to it, once it has turned by so much and the spot has gone on by so much. It was off by
// `before_rad`.
//
// There the spot runs along the edge, and what of that lies across the robot turns it about its
// axle: heading' = sin(edge - heading) / ahead.
float cmi_edge_wobble_rad(float before_rad, float angle_rad, float turn_rad, float gone_mm,
                          float ahead_mm);

// A tick in which it follows; `full`: a wheel was to turn faster than it can.
void cmi_edge_count_tick(const cmo_robot *robot, cmo_follow_edge_state *state, bool full);

#endif
