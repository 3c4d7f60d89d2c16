// SPDX-License-Identifier: MIT
/**
 * @file square.h
 * Square on a line: to stand perpendicular to it, with both sensors over one of its edges.
 */
#ifndef CAMMINO_SQUARE_H
#define CAMMINO_SQUARE_H

#include <cammino/routines.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct cmo_square_parameters {
    cmo_line_parameters line; /**< how to look for it, and where to rest: near edge (default),
                                 centre or far edge, and beyond_mm on from there. Both sensors are
                                   watched, and it always ends halted */
    uint8_t rounds;           /**< moves to settle on the edge, at most, 1..20; default: 10 */
    float tolerance_mm;       /**< settled once both sensors are this near to the edge, 0.1..5;
                                   after two moves, 1.6 times this; default: 0.25 */
} cmo_square_parameters;

/** What of the parameters is kept apart from the line's. */
typedef struct cmo_square_settling {
    uint8_t rounds;
    float tolerance_mm;
} cmo_square_settling;

typedef struct cmo_square_state {
    cmo_line_state line;
    cmo_square_settling parameters;
    bool latched[2]; /**< each sensor's place on the near edge is known: */
    float x_mm[2];   /**< where it is, by odometry */
    float y_mm[2];
    float entry_rad;   /**< heading against the line's normal, as it crossed */
    float to_go[2];    /**< of each sensor, when it had settled on the edge */
    float goal_mm[2];  /**< how far each wheel was to go in the last small move, */
    float share;       /**< and by what share of the limits they are driven */
    float slip_mm;     /**< how much further than the encoders say the sensors were beyond it */
    bool seen;         /**< both of them saw it then */
    float extra_mm;    /**< on from the edge by the encoders */
    float furthest_mm; /**< the most that the sensors' middle was beyond the near edge */
    uint8_t rounds;    /**< moves to settle so far */
    uint8_t reached;   /**< at a table's edge: moves to bring the other sensor over it */
    bool settled;
} cmo_square_state;

/**
 * Drives over the line until both sensors have crossed it, up to 45 degrees from square either way.
 * Both crossings and the sensors' places give the angle; one move turns it away and brings the
 * sensors back over the edge; small moves of both wheels settle them on the readings of the edge.
 * At the edge of a table (tone void) it brakes on the first crossing, and turns the other sensor
 * towards the edge instead of driving on.
 *
 * Outcomes: done; one_sensor, where only one ever meets the line (its end, a corner): the report's
 * sensor says which, and the robot stands past the line; no_line, no_floor, sensor faults and what
 * can end any routine. Refused without two sensors whose spot_mm is known.
 * Works without encoders too: more slowly, and its figures are estimates.
 */
cmo_outcome cmo_square_on_line_start(cmo_robot *robot, cmo_square_state *state,
                                     const cmo_square_parameters *parameters);
cmo_outcome cmo_square_on_line(cmo_robot *robot, const cmo_square_parameters *parameters);

#ifdef __cplusplus
}
#endif

#endif
