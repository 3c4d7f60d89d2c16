// SPDX-License-Identifier: MIT
// What the floor reads like where it is off its level.
#ifndef CMI_LINE_FLOOR_H
#define CMI_LINE_FLOOR_H

#include <cammino/line_search.h>

// As it drives, from the newest look.
void cmi_line_know_floor(const cmo_robot *robot, cmo_line_state *state, uint8_t sensor);

// What a sensor would read here by the levels: as much between line and floor as it does between
// the line and what it has read of the floor on the way.
float cmi_line_reading(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor);

#endif
