// SPDX-License-Identifier: MIT
/**
 * @file drive_until_line.h
 * Drive until line: to drive until a line has proved to be one, and end on it, halted or moving.
 */
#ifndef CAMMINO_DRIVE_UNTIL_LINE_H
#define CAMMINO_DRIVE_UNTIL_LINE_H

#include <cammino/line_search.h>

#ifdef __cplusplus
extern "C" {
#endif

// clang-format off
#define CMO_DRIVE_UNTIL_LINE_PARAMETERS(P, X)                                                       \
    CMO_LINE_PARAMETERS(P, X) CMO_LINE_SENSOR_PARAMETER(P, X) CMO_LINE_ENDING_PARAMETER(P, X)
// clang-format on

/** Of these, a rest, its effort and beyond_mm are not its own and are refused. */
typedef cmo_line_parameters cmo_drive_until_line_parameters;
typedef cmo_line_state cmo_drive_until_line_state;

/**
 * Drives until a line, and ends on it: halted, or still moving.
 *
 * Outcomes: done; no_line after longest_mm; no_floor when a sensor reads three quarters of the way
 * from dark to a void level that is known, and clearly darker than dark, or with void is over it
 * from the start right after a halt at a table's edge; sensor_silent; time_over; and what can end
 * any routine. Refused as too_fast: a speed at which the way between two looks is more than 0.8 of
 * least_width_mm, so that such a line could be missed; and on void one at which the robot cannot
 * stand before its wheels are over the edge (budget.h). robot->limit is the highest that would do.
 * With CMO_TOO_FAST_SLOW that speed is taken instead.
 */
cmo_outcome cmo_drive_until_line_start(cmo_robot *robot, cmo_line_state *state,
                                       const cmo_line_parameters *parameters);
cmo_outcome cmo_drive_until_line(cmo_robot *robot, const cmo_line_parameters *parameters);

#ifdef __cplusplus
}
#endif

#endif
