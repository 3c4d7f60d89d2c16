// SPDX-License-Identifier: MIT
// What both sensors read of the edge that they are settled on.
#ifndef CMI_SQUARE_EDGE_H
#define CMI_SQUARE_EDGE_H

#include <cammino/square_on_line.h>

// Which edge it is; over the centre the near one, and on from it by the encoders.
static inline bool cmi_square_on_far_edge(const cmo_square_on_line_state *state) {
    return state->line.parameters.rest == CMO_REST_FAR_EDGE;
}

// The way back begins.
void cmi_square_come_back(const cmo_robot *robot, cmo_square_on_line_state *state);

// Each tick: keeps how deep in the line the sensors have been since then, and on which side of it
// they are by what they have crossed. True: the far edge was not where it should have been, and the
// near one is known to be elsewhere.
bool cmi_square_watch(const cmo_robot *robot, cmo_square_on_line_state *state);

// How far each sensor is to go on to stand over the edge: by its reading where it sees the edge,
// else by the encoders, put right where the reading contradicts them. Keeps whether both see it,
// and by how much the encoders are off then. Returns the larger one's size.
float cmi_square_errors(const cmo_robot *robot, cmo_square_on_line_state *state, float to_go[2]);

#endif
