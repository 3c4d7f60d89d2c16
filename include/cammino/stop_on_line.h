// SPDX-License-Identifier: MIT
/**
 * @file stop_on_line.h
 * Stop on line: to drive to a line and come to rest on it.
 */
#ifndef CAMMINO_STOP_ON_LINE_H
#define CAMMINO_STOP_ON_LINE_H

#include <cammino/line_search.h>

#ifdef __cplusplus
extern "C" {
#endif

// clang-format off
#define CMO_STOP_ON_LINE_PARAMETERS(P, X)                                                           \
    CMO_LINE_PARAMETERS(P, X) CMO_LINE_SENSOR_PARAMETER(P, X)                                       \
    P(X, PLACE, place, "not known", "where the line truly is")                                      \
    CMO_LINE_REST_PARAMETER(P, X) CMO_LINE_EFFORT_PARAMETER(P, X) CMO_LINE_BEYOND_PARAMETER(P, X)
// clang-format on

/** It always ends halted. */
typedef cmo_line_parameters cmo_stop_on_line_parameters;
typedef cmo_line_state cmo_stop_on_line_state;

/**
 * Drives to a line and stops on it. Where the robot stands before the line has shown its least
 * width, it creeps on until it has; and goes on looking if it was no line.
 *
 * Without a rest, it halts at the crossing and stays where that leaves it. With one, it brakes no
 * harder than the robot's limit, so that the tyres do not slide, comes back by the encoders, and
 * where the rest is an edge under the sensors, settles on the reading of the edge itself. A robot
 * that has slid away from its line and finds it no more ends with no_line.
 */
cmo_outcome cmo_stop_on_line_start(cmo_robot *robot, cmo_line_state *state,
                                   const cmo_line_parameters *parameters);
cmo_outcome cmo_stop_on_line(cmo_robot *robot, const cmo_line_parameters *parameters);

#ifdef __cplusplus
}
#endif

#endif
