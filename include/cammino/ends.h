// SPDX-License-Identifier: MIT
/**
 * @file ends.h
 * Ends: what may end any routine besides itself, and how it then comes to an end.
 *
 *     cmo_ends_state ends;
 *     cmo_end_on(&robot, &ends, &(cmo_ends){.range_below_mm = 120});
 *     cmo_advance(&robot, &(cmo_advance_parameters){.distance_mm = 900});
 *     if (robot.report.by == CMO_BY_RANGE_BELOW) ...something is near
 */
#ifndef CAMMINO_ENDS_H
#define CAMMINO_ENDS_H

#include <cammino/line_search.h>
#include <cammino/parameters.h>
#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

// clang-format off
/* What is given ends it, whichever comes first. Ways, turn and time count from the routine's start.
 * An end that is to halt brakes within the robot's limit; before a way or a turn it begins to early
 * enough to stand at it, within some millimetres. */
#define CMO_ENDS_PARAMETERS(P, X)                                                                   \
    P(X, OTHERWISE, way_mm, 1, 20000, "none", "way of the middle of the axle, forward or back")     \
    P(X, OTHERWISE, left_way_mm, 1, 20000, "none", "way of the left wheel, forward or back")        \
    P(X, OTHERWISE, right_way_mm, 1, 20000, "none", "way of the right wheel, forward or back")      \
    P(X, OTHERWISE, turn_deg, 1, 3600, "none", "turn, either way")                                  \
    P(X, TIME, for_ms, for_s, 0.01, "none", "time")                                                 \
    P(X, OTHERWISE, range_below_mm, 1, 20000, "none", "something stands as near ahead as this, or nearer") \
    P(X, OTHERWISE, range_above_mm, 1, 20000, "none", "nothing stands as near ahead as this")       \
    P(X, BITS, touch, CMO_TOUCH_WORDS, "none", "one of these bumpers touches")                      \
    P(X, FLAG, button, "the start button is pressed; one that is held from before counts once it has been let go") \
    P(X, COUNT, uint8_t, lines, 0, 255, "none",                                                     \
      "a sensor has come onto so many lines, or other things of that tone or band; where it stands from the start does not count") \
    P(X, CHOICE, cmo_tone, tone, CMO_TONE_DARK, CMO_TONE_VOID, CMO_TONE_WORDS, "dark", "what those are made of") \
    P(X, BAND, band, "none", "a band of reflectance instead of the tone")                           \
    P(X, SURFACE, surface, "none", "a surface that was taught instead of the tone")                 \
    P(X, CHOICE, cmo_sensors, sensor, CMO_SENSOR_EITHER, CMO_SENSOR_BOTH, CMO_SENSOR_WORDS, "either", \
      "which sensor has to come onto them; both: at once")                                          \
    P(X, CHOICE, cmo_ending, ending, CMO_END_HALTED, CMO_END_MOVING, CMO_ENDING_WORDS, "halted",    \
      "moving: go over into the next leg without a halt")
// clang-format on

/** Zero: none of it. */
typedef struct cmo_ends {
    CMO_ENDS_PARAMETERS(CMO_FIELD, )
} cmo_ends;

/** What is remembered from tick to tick. */
typedef struct cmo_ends_seen {
    uint8_t lines;
    bool on_line : 1;
    bool let_go : 1; /**< the button was not pressed since */
    bool begun : 1;
} cmo_ends_seen;

typedef struct cmo_ends_state {
    cmo_overseer overseer;
    cmo_routine stop; /**< brings the robot to a stand */
    cmo_ends ends;
    cmo_ends_seen seen;
} cmo_ends_state;

/**
 * States what may end the next routine besides itself; the ends are copied. It then ends with done,
 * and robot->report.by says what it was. The state must live as long. A routine that is refused
 * does not use it up: it holds for the next one that begins. A route's legs have their own.
 * @return CMO_OUTCOME_DONE, or CMO_OUTCOME_BAD_PARAMETER, _NOT_SUPPORTED or _LOW_CONTRAST with
 * robot->field set
 */
cmo_outcome cmo_end_on(cmo_robot *robot, cmo_ends_state *state, const cmo_ends *ends);

#ifdef __cplusplus
}
#endif

#endif
