// SPDX-License-Identifier: MIT
// Looking for a line: candidates and their width, the approach, the figures of a stop.
#ifndef CMO_LINE_SEARCH_H
#define CMO_LINE_SEARCH_H

#include <cammino/routines.h>

// Checks the parameters, fills in defaults, and begins. `stop`: halt at the near edge.
cmo_outcome cmo_line_begin(cmo_robot *robot, cmo_line_state *state,
                           const cmo_line_parameters *parameters, cmo_step step, cmo_kind kind,
                           bool stop);

// Faults and limits of the search. True: the routine has ended.
bool cmo_line_ended(cmo_robot *robot, const cmo_line_state *state);

// Takes this tick's crossings into the candidates.
void cmo_line_look(cmo_robot *robot, cmo_line_state *state);

// The sensors asked for stand on a candidate; with `accepted`, on a line that has proved itself.
bool cmo_line_met(const cmo_line_state *state, bool accepted);

// Drives on: blind at cruise, down to creep at the end of the blind distance, then creep.
void cmo_line_approach(cmo_robot *robot, cmo_line_state *state);

// Answers the crossing with a halt.
void cmo_line_halt(cmo_robot *robot, cmo_line_state *state);

// While halted: follows the roll-out. True: the robot stands.
bool cmo_line_stands(cmo_robot *robot, cmo_line_state *state);

// The candidate was no line: back to the search, without its figures.
void cmo_line_refute(cmo_robot *robot, cmo_line_state *state);

// Drives on from a standstill.
void cmo_line_resume(cmo_robot *robot, cmo_line_state *state);

// Writes the figures of the crossing, and of the rest if the robot stands; then ends with done.
void cmo_line_finish(cmo_robot *robot, cmo_line_state *state);

#endif
