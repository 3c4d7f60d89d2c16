// SPDX-License-Identifier: MIT
// What all routines share: beginning, stages, figures, halting, ending.
#ifndef CMO_ROUTINE_H
#define CMO_ROUTINE_H

#include <cammino/routines.h>

// Refuses: keeps the field's name and the nearest value that would do (NAN: there is none).
cmo_outcome cmo_refuse(cmo_robot *robot, cmo_outcome why, const char *field, float limit);

// Checks one parameter: zero becomes `otherwise`; then it must lie between low and high.
bool cmo_take(cmo_robot *robot, float *value, float otherwise, float low, float high,
              const char *field);

// Checks that the port can halt so; turns CMO_HALT_DEFAULT into what the port has.
bool cmo_take_halt(cmo_robot *robot, cmo_halt *halt);

// Whether a routine may begin at all.
bool cmo_may_begin(cmo_robot *robot);

// Makes the routine the active one, with an empty report. It ends as time_over after longest_ms,
// whatever it and the port do.
void cmo_begin(cmo_robot *robot, cmo_routine *routine, cmo_step step, cmo_kind kind,
               uint32_t longest_ms);

void cmo_enter(cmo_robot *robot, cmo_stage stage);

// Ends the active routine, halted.
void cmo_end(cmo_robot *robot, cmo_outcome outcome);

// Ends it with done, still moving under the lifetime of the last drive command.
void cmo_end_moving(cmo_robot *robot);

// Asks for a halt; it is carried out at the end of the tick and repeated until it succeeds.
void cmo_request_halt(cmo_robot *robot, cmo_halt how);

void cmo_notify(const cmo_robot *robot, cmo_event_kind kind, int value);

// Time that adds up, and stays at the most that it can be.
uint32_t cmo_add_us(uint32_t time_us, uint32_t dt_us);

// Writes a figure, if it is a number. One that rests on the odometer is marked as an estimate
// without encoders.
void cmo_set_figure(cmo_robot *robot, cmo_figure figure, float value);

// Keeps the largest value of a figure.
void cmo_raise_figure(cmo_robot *robot, cmo_figure figure, float value);

// How long the wheels must stay within a step before the robot counts as standing, microseconds.
uint32_t cmo_standstill_us(const cmo_robot *robot);

#endif
