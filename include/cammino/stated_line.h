// SPDX-License-Identifier: MIT
/**
 * @file stated_line.h
 * Lines whose true place is known: they set the robot's pose, and take its drift out.
 */
#ifndef CAMMINO_STATED_LINE_H
#define CAMMINO_STATED_LINE_H

#include <cammino/line_search.h>

#ifdef __cplusplus
extern "C" {
#endif

/** A line at its true place on the mat. */
typedef struct cmo_stated_line {
    float x_mm; /**< any point on its near edge, as the robot comes to it */
    float y_mm;
    float heading_deg; /**< of a robot that stands square to it, coming that way */
} cmo_stated_line;

/** What a routine has left over, for the next one to make good. */
typedef struct cmo_left_over {
    float ahead_mm; /**< the robot stands so much too far ahead: advance by so much less */
    float turn_deg; /**< and is turned so much too far to the left: turn by so much less */
} cmo_left_over;

/**
 * Sets the robot's pose from a stated line, after stop on line or square on line has ended with
 * done: the place across the line from where it rests against it; the heading, if both sensors have
 * met the line, from the residual angle. The place along the line stays odometry's.
 *
 * @param state      that of the routine that has just ended (of squaring, its `line`)
 * @param left_over  what remains of its errors; may be NULL
 * @return false, and nothing set, if the last routine was another one, or did not end with done
 */
bool cmo_take_pose(cmo_robot *robot, const cmo_line_state *state, const cmo_stated_line *line,
                   cmo_left_over *left_over);

#ifdef __cplusplus
}
#endif

#endif
