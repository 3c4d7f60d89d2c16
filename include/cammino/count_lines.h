// SPDX-License-Identifier: MIT
/**
 * @file count_lines.h
 * Count lines: to drive over lines, and come to rest on the Nth; or to count all that come.
 */
#ifndef CAMMINO_COUNT_LINES_H
#define CAMMINO_COUNT_LINES_H

#include <cammino/line_search.h>
#include <cammino/stated_line.h>

#ifdef __cplusplus
extern "C" {
#endif

// clang-format off
/* What is counted, */
#define CMO_COUNTING_PARAMETERS(P, X)                                                               \
    P(X, COUNT, uint8_t, number, 1, 250, "all that come",                                           \
      "end on this line; without it, done once none has come for longest_mm, or by `ends`")         \
    P(X, OTHERWISE, least_gap_mm, 1, 500, "least_width_mm",                                         \
      "what a sensor meets nearer than this behind a line still belongs to it: worn lines have holes") \
    P(X, OTHERWISE, spacing_mm, 10, 5000, "not known",                                              \
      "from one line's near edge to the next one's: what lies elsewhere is none, and missing ones " \
      "are counted too")
/* and how lines are looked for and rested on; longest_mm, and longest_s by default, count from the line before. */
#define CMO_COUNT_LINES_PARAMETERS(P, X)                                                            \
    CMO_COUNTING_PARAMETERS(P, X)                                                                   \
    P(X, PLACES, places_mm, 32, "not known",                                                        \
      "where they lie, from the first one's near edge, instead of an even spacing: [0, 140, 300]")  \
    P(X, PLACE, place, "not known", "where the first line truly is; with spacing_mm or places_mm all of them") \
    CMO_LINE_PARAMETERS(P, X) CMO_LINE_SENSOR_PARAMETER(P, X) CMO_LINE_ENDING_PARAMETER(P, X)       \
    CMO_LINE_REST_PARAMETER(P, X) CMO_LINE_EFFORT_PARAMETER(P, X) CMO_LINE_BEYOND_PARAMETER(P, X)
// clang-format on

typedef struct cmo_count_lines_parameters {
    CMO_COUNT_LINES_PARAMETERS(CMO_FIELD, )
    const float *places_mm; /**< where they lie, from the first one's near edge, which is 0, on;
                               each at least 10 further. May live in flash; must live as long. NULL:
                               by spacing_mm, or not known */
    uint8_t places;         /**< how many, up to 250 */
    const cmo_stated_line *place; /**< where the first line truly is: each line that is counted sets
                                       the robot's pose; may live in flash. NULL: not known */
} cmo_count_lines_parameters;

/** What is kept apart from the search's. */
typedef struct cmo_counting {
    CMO_COUNTING_PARAMETERS(CMO_FIELD, )
    const float *places_mm;
    uint8_t places;
    cmo_stated_line place; /**< of the first line, */
    bool stated;           /**< if it is known */
} cmo_counting;

/** A line that was counted. */
typedef struct cmo_counted_line {
    float at_mm;     /**< way of the robot from the start until the sensors' middle was over its
                          near edge */
    float width_mm;  /**< across it; 0: it has not been left yet */
    float entry_deg; /**< heading against its perpendicular; by one sensor 0 */
    uint8_t number;  /**< from 1, missing ones counted too */
    uint8_t seen;    /**< bit n: sensor n has met it */
    uint8_t surface; /**< what it was told to be made of; 0: of none that is known, or sensors say
                          different ones */
} cmo_counted_line;

/** How many lines one sensor may be ahead of the other. */
#define CMO_LINE_MARKS 4

/** Of how many lines the angle is taken. */
#define CMO_LINE_PAIRS 5

/** What one sensor has left behind last. */
typedef struct cmo_mark_behind {
    float far_mm; /**< its far edge, or what was met last of it */
    bool known;   /**< there is one, */
    bool on;      /**< and the sensor is still on it */
} cmo_mark_behind;

/** Holes of a worn line. */
typedef struct cmo_line_holes {
    float gap_mm;         /**< what is met again nearer than this is the same line */
    cmo_crossing left[2]; /**< a crossing out of it that may be one into a hole */
    bool held[2];         /**< there is one */
    float from_mm[2];     /**< the last hole: from here */
    float to_mm[2];       /**< to there */
} cmo_line_holes;

/** Worth reading: the numbers, and `counted`. */
typedef struct cmo_count_lines_state {
    cmo_line_state line;
    cmo_counting parameters;
    cmo_line_holes holes;
    uint8_t number;                              /**< of the last line, missing ones counted too */
    uint8_t seen;                                /**< lines that were met */
    cmo_counted_line counted[CMO_COUNTED_LINES]; /**< line n of those seen, from 0, is at n modulo
                                                      CMO_COUNTED_LINES */
#if CMO_SURFACES_MAX > 0
    uint8_t
        tally[CMO_SURFACES_MAX + 1]; /**< lines of each surface, by its number; at 0 the others */
#endif
    cmo_candidate mark[2][CMO_LINE_MARKS]; /**< what each sensor has met and the other not */
    uint8_t marks[2];
    cmo_mark_behind behind[2];
    bool joint;        /**< what both have left behind is one line */
    bool alone[2];     /**< a sensor's last mark was its alone, */
    float alone_mm[2]; /**< where */
    uint8_t pairs;     /**< lines that both sensors have met, of those in `later_mm`: */
    uint8_t pair;      /**< where the next one goes */
    float later_mm[CMO_LINE_PAIRS]; /**< by how much further on the left sensor has met them, */
    float skew_mm;                  /**< and the median of that */
    float last_mm;                  /**< where the last one was */
    float expected_mm;              /**< where the first one is expected; 0: not known */
    float longest_mm;               /**< way without a line after which it gives up, */
    uint32_t longest_ms;            /**< and time; 0: one is stated for all of them */
    float certainty;                /**< that the number is right, as far as the spacing tells */
    bool lands : 1;                 /**< the next line is the one to end on */
    bool last_told : 1;             /**< and has been counted, */
    bool far_mended : 1;            /**< and its far edge compared */
} cmo_count_lines_state;

/**
 * Drives over lines and counts them; where a number is given, it ends on that one as stop on line
 * does, or drives on over its edge. Each line counts once: a sensor has left it when it has gone
 * for least_gap_mm without it, or past its other edge as the other sensor knows it. Where two
 * sensors are watched, a line is what both of them meet, at the angle at which they met the ones
 * before; what only one has met is passed over, and reported. With a spacing, or places, a line
 * that only one sensor has met counts where one is due, what lies elsewhere does not, and missing
 * ones keep the number right.
 *
 * Figures: lines_seen, lines_missed (between lines that were seen), count_certainty (with a
 * spacing: 1 less the chance that something else would have fitted as well; the least over the
 * lines), and those of stop on line at the last one.
 *
 * Notifies CMO_EVENT_LINE with each number.
 */
cmo_outcome cmo_count_lines_start(cmo_robot *robot, cmo_count_lines_state *state,
                                  const cmo_count_lines_parameters *parameters);
cmo_outcome cmo_count_lines(cmo_robot *robot, const cmo_count_lines_parameters *parameters);

/** How it looks for its lines. */
cmo_line_parameters cmo_count_lines_search(const cmo_count_lines_parameters *parameters);

/** How far a line lies behind the first one, by its number; NAN: that is not known. */
float cmo_counted_way_mm(float spacing_mm, const float *places_mm, uint8_t places, uint8_t number);

/** Where a line truly is that lies so far behind the first one; that not from flash. */
cmo_stated_line cmo_counted_place(const cmo_stated_line *first, float way_mm);

#ifdef __cplusplus
}
#endif

#endif
