// SPDX-License-Identifier: MIT
// What stops over an edge say of the tyres.
#ifndef CMI_BRAKING_FIT_H
#define CMI_BRAKING_FIT_H

#include <cammino/measure_braking.h>

// The passes of a round; before the first one the edge is found.
enum { CMI_GENTLY, CMI_BY_LIMIT, CMI_HALTED, CMI_BRAKING_PASSES, CMI_FIND = CMI_BRAKING_PASSES };

// Of a cmo_braking, which is made of nothing else.
#define CMI_BRAKING_NUMBERS ((uint8_t)(sizeof(cmo_braking) / sizeof(float)))

// A pass is at its end: by the wheels, the edge is so much nearer on the way back.
void cmi_braking_add(cmo_measure_braking_state *state, float nearer_mm);

// A halt begins; the wheels have gone on.
void cmi_braking_begin_slides(cmo_measure_braking_state *state, float speed_mm_s);
void cmi_braking_slide(cmo_measure_braking_state *state, float way_mm, float seconds);

// After all rounds.
void cmi_braking_solve(const cmo_robot_description *description, cmo_measure_braking_state *state);

#endif
