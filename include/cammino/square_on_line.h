// SPDX-License-Identifier: MIT
/**
 * @file square_on_line.h
 * Square on line: to stand perpendicular to it, with both sensors over one of its edges.
 */
#ifndef CAMMINO_SQUARE_ON_LINE_H
#define CAMMINO_SQUARE_ON_LINE_H

#include <cammino/line_search.h>

#ifdef __cplusplus
extern "C" {
#endif

// clang-format off
/* Where to come to rest, halted, */
#define CMO_SQUARE_REST_PARAMETERS(P, X)                                                            \
    P(X, CHOICE, cmo_rest, rest, CMO_REST_NEAR_EDGE, CMO_REST_FAR_EDGE,                             \
      ("near_edge", "centre", "far_edge"), "near_edge", "where both sensors come to rest")          \
    P(X, NUMBER, beyond_mm, -500, 500, 0, "how far beyond that place they come to rest")            \
    P(X, WHOLE, uint8_t, rounds, 1, 20, 10, "moves to settle on the edge, at most")                 \
    P(X, NUMBER, tolerance_mm, 0.1, 5, 0.25,                                                        \
      "settled once both sensors are this near to the edge; after two moves, 1.6 times this")
/* and how to look for the line before: both sensors are watched. */
#define CMO_SQUARE_ON_LINE_PARAMETERS(P, X)                                                         \
    CMO_LINE_PARAMETERS(P, X)                                                                       \
    P(X, PLACE, place, "not known", "where the line truly is")                                      \
    CMO_SQUARE_REST_PARAMETERS(P, X)
// clang-format on

typedef struct cmo_square_on_line_parameters {
    CMO_SQUARE_ON_LINE_PARAMETERS(CMO_FIELD, )
} cmo_square_on_line_parameters;

typedef struct cmo_square_on_line_state cmo_square_on_line_state;

/**
 * Drives over the line until both sensors have crossed it, up to 45 degrees from square either way.
 * Both crossings and the sensors' places give the angle; one move turns it away and brings the
 * sensors back over the edge; small moves of both wheels settle them on the readings of the edge.
 * At the edge of a table (tone void) it brakes on the first crossing, and turns the other sensor
 * towards the edge instead of driving on.
 *
 * Begun right after drive_until_line, stop_on_line or count_lines has halted at a line of this
 * tone or surface, it squares on that one: it first goes back until both sensors are before it (not
 * with CMO_LAST_LINE 0). Right after a square it goes on to the next line, as with off_line; at a
 * table's edge, where there is none, back to the same. Put down with one sensor on a line, or
 * astride it, it backs off that first, by 60 mm or as far as the sensors are apart. With off_line,
 * with blind_mm and where it begins moving, none of this: the next line is meant. What both stand
 * on at the start counts for nothing.
 *
 * Outcomes: done; one_sensor, where only one ever meets the line (its end, a corner): the report's
 * sensor says which, and the robot stands past the line; no_line, no_floor, sensor faults and what
 * can end any routine; no_line as well where neither sensor finds the edge again that both have
 * crossed. Refused without two sensors whose spot_mm is known.
 * Works without encoders too: more slowly, and its figures are estimates.
 */
cmo_outcome cmo_square_on_line_start(cmo_robot *robot, cmo_square_on_line_state *state,
                                     const cmo_square_on_line_parameters *parameters);
cmo_outcome cmo_square_on_line(cmo_robot *robot, const cmo_square_on_line_parameters *parameters);

/** How it looks for its line. */
cmo_line_parameters cmo_square_on_line_search(const cmo_square_on_line_parameters *parameters);

/** What of the parameters is kept apart from the line's. */
typedef struct cmo_square_settling {
    uint8_t rounds;
    float tolerance_mm;
} cmo_square_settling;

struct cmo_square_on_line_state {
    cmo_line_state line;
    cmo_square_settling parameters;
    bool latched[2]; /**< each sensor's place on the near edge is known: */
    float x_mm[2];   /**< where it is, by odometry */
    float y_mm[2];
    float entry_rad;   /**< heading against the line's normal, as it crossed */
    float to_go[2];    /**< of each sensor, when it had settled on the edge */
    float goal_mm[2];  /**< how far each wheel was to go in the last small move, */
    float share;       /**< and by what share of the limits they are driven */
    float worst_mm;    /**< how far the worse sensor was off before it; */
    bool creeps;       /**< it helped too little: the next one is crept to its end */
    float slip_mm;     /**< how much further than the encoders say the sensors were beyond it */
    bool seen;         /**< both of them saw it then */
    bool lost;         /**< neither did, nor was on the line */
    float extra_mm;    /**< on from the edge by the encoders */
    float furthest_mm; /**< the most that the sensors' middle was beyond the near edge */
    uint8_t rounds;    /**< moves to settle so far */
    uint8_t reached;   /**< at a table's edge: moves to bring the other sensor over it */
    float before_mm;   /**< way back that is known to take both sensors before the line; or 0 */
    bool stood;        /**< it began at a standstill, and not squared */
    bool was_on;       /**< backing off, a sensor has been on the line */
    bool settled;
    float deepest_mm[2]; /**< into the line, by each one's readings since the way back began, */
    float fullest_mm[2]; /**< and before: what one wholly on it reads like */
    int8_t side[2];      /**< each one is before the line, -1, on it, 0, or beyond, 1, */
    int8_t from[2];      /**< from which side it has come onto it, */
    float entered_mm[2]; /**< how far beyond the near edge then; */
    bool told[2];        /**< and that it had slid it has told coming back: */
    float slid_mm;       /**< by so much, on the mean of both */
};

#ifdef __cplusplus
}
#endif

#endif
