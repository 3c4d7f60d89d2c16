// SPDX-License-Identifier: MIT
// How a square begins at a standstill: on a line, or where one was met just now.
#ifndef CMI_SQUARE_BEGIN_H
#define CMI_SQUARE_BEGIN_H

#include <cammino/square_on_line.h>

// From a line of which it knows nothing it backs off by so much at most; and in any case by so much
// further than to where both sensors are off it.
#define CMI_SQUARE_OFF_MM    60.0F
#define CMI_SQUARE_OFF_BY_MM 10.0F

// And where it was not met on a way that should have done, by so much more than that once again.
#define CMI_SQUARE_SLID_MM 100.0F

// Keeps what the report still tells of the routine before; to be called before this one begins.
void cmi_square_remember(const cmo_robot *robot, cmo_square_on_line_state *state,
                         const cmo_line_parameters *search);

// It is to back off by so much before it looks for the line; 0: it looks on from here.
float cmi_square_back_mm(const cmo_robot *robot, cmo_square_on_line_state *state);

// It backs off by a way that is known to take both before the line.
static inline bool cmi_square_knows_back(const cmo_square_on_line_state *state) {
    return (CMO_LAST_LINE || CMO_TWO_SIDED) && state->before_mm > 0.0F;
}

// Each tick as it backs off: both sensors read floor, and no edge; and one has been on the line, or
// they may be beyond it.
bool cmi_square_is_off(const cmo_robot *robot, cmo_square_on_line_state *state);

#endif
