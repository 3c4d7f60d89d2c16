// SPDX-License-Identifier: MIT
// From the crossing to the first standstill: halts and braking.
#ifndef CMI_LINE_HALT_H
#define CMI_LINE_HALT_H

#include <cammino/line_search.h>

// Answers the crossing with a halt.
void cmi_line_halt(cmo_robot *robot, cmo_line_state *state);

// Answers it with braking along the profile instead, within the robot's limit.
void cmi_line_brake(cmo_robot *robot, cmo_line_state *state);

// Whether braking for a rest must begin now: before that, the way to a standstill would end short
// of what proves a line, and a candidate that is none need not stop the robot at all.
bool cmi_line_brakes_now(const cmo_robot *robot, const cmo_line_state *state);

// Follows how far the robot gets beyond the near edge, and its first standstill.
void cmi_line_track(cmo_robot *robot, cmo_line_state *state);

// How hard the robot brakes: as the stop has shown, where its regulator does not reach the limit.
float cmi_line_braking(const cmo_line_state *state);

// While halted: follows the roll-out. True: the robot stands.
bool cmi_line_come_to_rest(cmo_robot *robot, cmo_line_state *state);

#endif
