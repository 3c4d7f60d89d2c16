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

// How far the robot stands beyond what its encoders say, once it has stopped after a crossing: it
// was met with the motors pushing, and at rest the robot has rolled on within the gear play; and
// braking, further than its wheels.
float cmi_line_rolled_mm(const cmo_robot *robot, const cmo_line_state *state);

// The same of its first standstill, or of where it came the furthest: halted, it has rolled through
// the play; a profile ends with the motors pushing or not, so it is in the midst of it on the mean.
float cmi_line_ran_mm(const cmo_robot *robot, const cmo_line_state *state);

// And of where it stands in the end: small moves take the play out.
float cmi_line_stands_mm(const cmo_robot *robot, const cmo_line_state *state);

#endif
