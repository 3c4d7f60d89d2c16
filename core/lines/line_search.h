// SPDX-License-Identifier: MIT
// The parameters of a search, how it begins, and the approach.
#ifndef CMI_LINE_SEARCH_H
#define CMI_LINE_SEARCH_H

#include <cammino/line_search.h>

#include "../tick/surfaces.h"

// Checks the parameters, fills in defaults, and begins. `stop`: it comes to rest on the line.
cmo_outcome cmi_line_begin(cmo_robot *robot, cmo_line_state *state,
                           const cmo_line_parameters *parameters, cmo_step step, cmo_routine_id id,
                           bool stop);

// What is looked for has to last under the other sensor too: so much further on it is told.
static inline float cmi_line_lasts_mm(const cmo_robot *robot, const cmo_line_parameters *p) {
#if CMO_SURFACES_MAX > 0
    return p->surface != 0 ? CMI_SURFACE_SPOTS * cmi_surface_spot_mm(robot, 0) : 0.0F;
#else
    (void)robot;
    (void)p;
    return 0.0F;
#endif
}

// Faults and limits of the search. True: the routine has ended.
bool cmi_line_ended(cmo_robot *robot, const cmo_line_state *state);

// Drives on: blind at cruise, down to creep at the end of the blind distance, then creep.
void cmi_line_approach(cmo_robot *robot, cmo_line_state *state);

// What it was answered to was no line: its answer and its stop are none of the next one's.
void cmi_line_forget_stop(cmo_robot *robot, cmo_line_state *state);

// The candidate was no line: back to the search, without its figures.
void cmi_line_refute(cmo_robot *robot, cmo_line_state *state);

// Drives on from a standstill.
void cmi_line_resume(cmo_robot *robot, cmo_line_state *state);

#endif
