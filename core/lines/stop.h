// SPDX-License-Identifier: MIT
// A stop on a line, as part of another routine: that has begun the search.
#ifndef CMI_STOP_H
#define CMI_STOP_H

#include <cammino/line_search.h>

void cmi_stop_prepare(cmo_line_state *state);

// One tick of it; `routine` is the line's state.
void cmi_stop_step(cmo_robot *robot, cmo_routine *routine);

#endif
