// SPDX-License-Identifier: MIT
// The robot against the near edge of the line that it squares up on.
#ifndef CMI_BEARING_H
#define CMI_BEARING_H

#include <cammino/square_on_line.h>

typedef struct cmi_bearing {
    float angle_rad; // heading less the line's normal
    float axle_mm;   // the axle beyond the line, along the normal
    float spot_mm[2];
} cmi_bearing;

cmi_bearing cmi_bearing_now(const cmo_robot *robot, const cmo_square_on_line_state *state);

// Where a sensor crossed the near edge, that is further on by so much.
void cmi_bearing_shift(cmo_square_on_line_state *state, uint8_t sensor, float by_mm);

// Keeps where on the mat each sensor crossed the near edge.
void cmi_bearing_latch(const cmo_robot *robot, cmo_square_on_line_state *state);

// From the heading at the first crossing to its angle, now that the line is known.
void cmi_bearing_know_entry(const cmo_robot *robot, cmo_square_on_line_state *state);

// How far ahead the middle of both spots is.
float cmi_bearing_ahead_mm(const cmo_robot *robot);

// Width of the line across it, where a sensor has crossed it: the least that it may have, where
// that has not passed the far edge. And by both.
float cmi_bearing_width_at_mm(const cmo_square_on_line_state *state, uint8_t sensor);
float cmi_bearing_width_mm(const cmo_square_on_line_state *state);

#endif
