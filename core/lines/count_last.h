// SPDX-License-Identifier: MIT
// The last line of a count.
#ifndef CMI_COUNT_LAST_H
#define CMI_COUNT_LAST_H

#include "line_votes.h"

// The next line is the one to end on; or the one that has just been driven over at speed.
void cmi_count_land(cmo_robot *robot, cmo_count_lines_state *state);
void cmi_count_land_here(cmo_robot *robot, cmo_count_lines_state *state);

// One tick of that.
void cmi_count_step_last(cmo_robot *robot, cmo_count_lines_state *state);

#endif
