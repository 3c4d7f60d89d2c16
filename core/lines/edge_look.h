// SPDX-License-Identifier: MIT
// What the looks of an edge that is followed say: where it is, on which side of the line the robot
// is, what lies across it, and where it has a gap.
#ifndef CMI_EDGE_LOOK_H
#define CMI_EDGE_LOOK_H

#include <cammino/follow_edge.h>

#include "../tick/odometer.h"

static inline cmo_moment cmi_wheels_now(const cmo_robot *robot) {
    return (cmo_moment){robot->clock_us, robot->odometer.left_mm, robot->odometer.right_mm};
}

// One tick of it: searches, or takes a new look.
void cmi_edge_look(cmo_robot *robot, cmo_follow_edge_state *state);

#endif
