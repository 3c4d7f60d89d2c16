// SPDX-License-Identifier: MIT
/**
 * @file routines.h
 * What the robot can do.
 *
 * Each routine comes as a struct of parameters, an object for its state, and two functions:
 *  - cmo_NAME_start() begins it. The parameters are copied. Then call cmo_tick() in your own loop
 *    until it no longer answers CMO_RUNNING. The state object must live as long.
 *  - cmo_NAME() does the same and waits: start, tick, wait, tick... It returns the outcome. Those
 * that measure take the state object too, for what they have found out stands in it.
 *
 * In all parameters zero means the default, as the list beside the struct says (parameters.h).
 * Parameters that make no sense are refused before anything moves: the call answers
 * CMO_OUTCOME_BAD_PARAMETER (or _NOT_SUPPORTED, _LOW_CONTRAST, _TOO_FAST), and robot->field names
 * the field. A second start while a routine runs is refused with field "routine".
 *
 * How it went is in robot->report.
 */
#ifndef CAMMINO_ROUTINES_H
#define CAMMINO_ROUTINES_H

#include <cammino/action.h>
#include <cammino/advance.h>
#include <cammino/check_wiring.h>
#include <cammino/count_lines.h>
#include <cammino/follow_edge.h>
#include <cammino/countdown.h>
#include <cammino/drive_until_line.h>
#include <cammino/measure_braking.h>
#include <cammino/measure_drive.h>
#include <cammino/measure_geometry.h>
#include <cammino/square_on_line.h>
#include <cammino/stay_inside.h>
#include <cammino/stop_on_line.h>
#include <cammino/take_levels.h>
#include <cammino/take_surface.h>
#include <cammino/turn.h>

#endif
