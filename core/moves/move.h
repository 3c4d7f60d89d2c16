// SPDX-License-Identifier: MIT
// A move by a known way of the wheels: what advance and turn share.
#ifndef CMI_MOVE_H
#define CMI_MOVE_H

#include <cammino/advance.h>

// The finest tolerance that the encoders allow, 0.5 mm at best.
float cmi_least_tolerance_mm(const cmo_robot *robot);

// Begins the move: state holds the parameters, checked, and the signs of the wheels.
cmo_outcome cmi_move_begin(cmo_robot *robot, cmo_advance_state *state, cmo_routine_id id);

#endif
