// SPDX-License-Identifier: MIT
// The line that was met last: where it is, and what it takes to be clear of it.
#ifndef CMI_LAST_LINE_H
#define CMI_LAST_LINE_H

#include <cammino/line_search.h>

// Keeps it: the robot is turned to the left of its normal by an angle, and its axle is so far
// beyond its near edge.
void cmi_last_line_keep(cmo_robot *robot, float angle_rad, float axle_mm, float width_mm);

// The way ahead after which none of the watched sensors (bit n: sensor n) can meet it any more.
float cmi_last_line_clear_mm(const cmo_robot *robot, uint8_t watched);

#endif
