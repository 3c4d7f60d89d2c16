// SPDX-License-Identifier: MIT
// The gate between the tick and the routines. A routine reads the robot, and changes nothing of it
// but by what stands here: it begins and ends, enters stages, writes figures, and asks for wheels,
// for a halt, and for how the tick is to take what it senses.
#ifndef CMI_ROUTINE_H
#define CMI_ROUTINE_H

#include <cammino/robot.h>

// Refuses: keeps the field's name and the nearest value that would do (NAN: there is none).
cmo_outcome cmi_refuse(cmo_robot *robot, cmo_outcome why, const char *field, float limit);

// Checks that the port can halt so; turns CMO_HALT_DEFAULT into what the port has.
bool cmi_choose_halt(cmo_robot *robot, cmo_halt *halt);

// Whether a routine may begin at all.
bool cmi_may_begin(cmo_robot *robot);

// Makes the routine the active one, with an empty report. It ends as time_over after longest_ms,
// whatever it and the port do.
void cmi_begin(cmo_robot *robot, cmo_routine *routine, cmo_step step, cmo_routine_id id,
               uint32_t longest_ms);

void cmi_enter(cmo_robot *robot, cmo_stage stage);

// Ends the active routine, halted.
void cmi_end(cmo_robot *robot, cmo_outcome outcome);

// Another step goes on in the place of the active routine's; the report stays.
void cmi_take_over(cmo_robot *robot, cmo_routine *routine, cmo_step step, uint32_t longest_ms);

// What watches over the routines from now on; NULL: nothing.
void cmi_oversee(cmo_robot *robot, cmo_overseer *overseer);

// While it tries, a routine that is begun is checked, and does not begin.
void cmi_try(cmo_robot *robot, bool tries);

// Way of the middle of the axle since the routine began.
static inline float cmi_gone_mm(const cmo_robot *robot) {
    return 0.5F * (robot->odometer.left_mm + robot->odometer.right_mm) -
           0.5F * (robot->start_left_mm + robot->start_right_mm);
}

// Where the spot of a sensor is in that pose.
void cmi_spot_of(const cmo_robot *robot, const cmo_pose *pose, uint8_t sensor, float *x_mm,
                 float *y_mm);

// Ends it with done, still moving under the lifetime of the last drive command.
void cmi_end_moving(cmo_robot *robot);

// ---------------------------------------------------------------------------------- the wheels --

// What the wheels are to do until the next tick.
void cmi_drive(cmo_robot *robot, float left_mm_s, float right_mm_s);

// Wheels that have not moved for so long, although they are driven, need more to start than is
// stated. What they are to be driven at then: the longer beyond that they stick, the more, up to
// this speed.
#define CMI_STICKS_US        150000U
#define CMI_PUSHED_MOST_MM_S 100.0F
#if CMO_SLIDING
float cmi_pushed_mm_s(float mm_s, uint32_t sticks_us, uint32_t patience_us);
#else
static inline float cmi_pushed_mm_s(float mm_s, uint32_t sticks_us, uint32_t patience_us) {
    (void)sticks_us, (void)patience_us;
    return mm_s;
}
#endif

// Asks for a halt; it is carried out at the end of the tick and repeated until it succeeds.
void cmi_request_halt(cmo_robot *robot, cmo_halt how);

// The same, and enters the stage in which a standstill is waited for.
void cmi_halt(cmo_robot *robot, cmo_halt how);

// What a halt has shown of how hard the motors brake: the next one is predicted by it.
void cmi_learn_halt(cmo_robot *robot, float shown_mm_s2);

// Counts the time that the wheels stand anew.
void cmi_count_still_anew(cmo_robot *robot);

// Whether they have stood for long enough to count as standing.
bool cmi_stands(const cmo_robot *robot);

// The same, or whether it has been waited for that for long enough: what is pushed never stands,
// and a regulator may hum. `waited_us` is the routine's, 0 at first.
bool cmi_stands_or_waited(const cmo_robot *robot, uint32_t *waited_us, uint32_t patience_us);

// It pushes: to be held back is no stall.
void cmi_pushes(cmo_robot *robot);

// ------------------------------------------------------------------------------ what it senses --

// Whether to take the encoders' word: the wiring check does not before it knows them.
void cmi_trust_encoders(cmo_robot *robot, bool trusts);

// It turns as it looks: looks are placed along the spots' own paths.
void cmi_looks_turning(cmo_robot *robot);

// Watches for an edge under a sensor, by a band, or by the tone where that is none; its looks,
// their times and the ways between them count from now on. Or not.
void cmi_watch_edge(cmo_robot *robot, uint8_t sensor, cmo_tone tone, cmo_band band);
void cmi_watch_nothing(cmo_robot *robot, uint8_t sensor);

// The blind distance is over: the longest way between two looks counts from now on.
void cmi_count_gaps_anew(cmo_robot *robot);

// What one sensor meets is no proof that the other one must meet it too.
void cmi_take_no_proof(cmo_robot *robot);

// A sensor drives along an edge: readings between its levels do not speak against them.
void cmi_expect_greys(cmo_robot *robot, uint8_t sensor);

// -------------------------------------------------------------------------------- what it tells --

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
