// SPDX-License-Identifier: MIT
// What the floor beside an edge reads, where that is another one than that of the levels.
#ifndef CMI_EDGE_FLOOR_H
#define CMI_EDGE_FLOOR_H

#include <cammino/follow_edge.h>

// It is that of the levels.
void cmi_edge_start_floor(const cmo_robot *robot, cmo_follow_edge_state *state);

// Whether a sensor's newest reading can only be that of a spot over the edge; and how far onto the
// line its spot is by that reading alone. As cmo_edge_sees() and cmo_edge_place(), by the floor.
bool cmi_edge_sees(const cmo_robot *robot, const cmo_follow_edge_state *state, uint8_t sensor);
bool cmi_edge_place(const cmo_robot *robot, const cmo_follow_edge_state *state, uint8_t sensor,
                    float *onto_mm);

// Which side of the edge a sensor is on. A reading at a level tells that by itself: whether it has
// left the line by all of the hysteresis is of no matter then.
bool cmi_edge_on_line(const cmo_robot *robot, const cmo_follow_edge_state *state, uint8_t sensor);

// Before the looks of this tick are taken. A floor that is a little darker than where the levels
// were taken, or lighter beside a light line, reads as if the spot touched an edge, and went on
// touching it wherever the robot drives. True: what it has followed so far was none.
bool cmi_edge_know_floor(const cmo_robot *robot, cmo_follow_edge_state *state);

// What tells that may still be to come: a first look of the other sensor.
bool cmi_edge_floor_waits(const cmo_robot *robot, const cmo_follow_edge_state *state);

#endif
