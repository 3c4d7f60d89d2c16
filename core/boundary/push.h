// SPDX-License-Identifier: MIT
// What a patrol feels with its bumpers in front is pushed.
#ifndef CMI_PUSH_H
#define CMI_PUSH_H

#include <cammino/stay_inside.h>

// What is felt: kept in the middle, for it turns to the side that touches, and on to that side to
// look for what is lost there. True: it pushes, or looks for what it has pushed.
bool cmi_push_feel(cmo_robot *robot, cmo_stay_inside_state *state);

// How fast it charges: slower on an arc.
float cmi_push_mm_s(const cmo_robot *robot, const cmo_stay_inside_state *state);

// A push that has got nowhere for too long.
bool cmi_push_stuck(const cmo_robot *robot, cmo_stay_inside_state *state);

#endif
