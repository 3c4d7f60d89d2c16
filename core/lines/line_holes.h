// SPDX-License-Identifier: MIT
// Worn lines among others: a hole is no second line, and the next line is not this one.
#ifndef CMI_LINE_HOLES_H
#define CMI_LINE_HOLES_H

#include <cammino/count_lines.h>

// Takes this tick's crossings of a sensor; `state` is that of a count.
void cmi_line_take_over_holes(cmo_robot *robot, cmo_line_state *state, uint8_t sensor);

#endif
