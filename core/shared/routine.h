// SPDX-License-Identifier: MIT
// What all routines share: beginning, stages, figures, halting, ending.
#ifndef CMI_ROUTINE_H
#define CMI_ROUTINE_H

#include <cammino/routines.h>

// Refuses: keeps the field's name and the nearest value that would do (NAN: there is none).
cmo_outcome cmi_refuse(cmo_robot *robot, cmo_outcome why, const char *field, float limit);

// Checks one parameter: zero becomes `otherwise`; then it must lie between low and high.
bool cmi_take(cmo_robot *robot, float *value, float otherwise, float low, float high,
              const char *field);

// Checks that the port can halt so; turns CMO_HALT_DEFAULT into what the port has.
bool cmi_take_halt(cmo_robot *robot, cmo_halt *halt);

// Whether a routine may begin at all.
bool cmi_may_begin(cmo_robot *robot);

// Makes the routine the active one, with an empty report. It ends as time_over after longest_ms,
// whatever it and the port do.
void cmi_begin(cmo_robot *robot, cmo_routine *routine, cmo_step step, cmo_routine_id kind,
               uint32_t longest_ms);

void cmi_enter(cmo_robot *robot, cmo_stage stage);

// Ends the active routine, halted.
void cmi_end(cmo_robot *robot, cmo_outcome outcome);

// Ends it with done, still moving under the lifetime of the last drive command.
void cmi_end_moving(cmo_robot *robot);

// Asks for a halt; it is carried out at the end of the tick and repeated until it succeeds.
void cmi_request_halt(cmo_robot *robot, cmo_halt how);

void cmi_notify(const cmo_robot *robot, cmo_event_kind kind, int value);

// Time that adds up, and stays at the most that it can be.
uint32_t cmi_add_us(uint32_t time_us, uint32_t dt_us);

// Writes a figure, if it is a number. One that rests on the odometer is marked as an estimate
// without encoders.
void cmi_set_figure(cmo_robot *robot, cmo_figure figure, float value);

// Keeps the largest value of a figure.
void cmi_raise_figure(cmo_robot *robot, cmo_figure figure, float value);

// How long the wheels must stay within a step before the robot counts as standing, microseconds.
uint32_t cmi_standstill_us(const cmo_robot *robot);

#endif
