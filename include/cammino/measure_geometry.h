// SPDX-License-Identifier: MIT
/**
 * @file measure_geometry.h
 * Geometry by measurement: what a ruler can't tell of a robot, from one drive over two lines.
 */
#ifndef CAMMINO_MEASURE_GEOMETRY_H
#define CAMMINO_MEASURE_GEOMETRY_H

#include <stddef.h>
#include <cammino/inside/motion.h>
#include <cammino/parameters.h>
#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What was measured, and standard uncertainties (one standard deviation). */
typedef struct cmo_geometry {
    float left_step_mm;  /**< way of the left wheel per encoder count */
    float right_step_mm; /**< and of the right */
    float track_mm;      /**< by turning: what makes odometry's turns true */
    float
        ahead_mm[2]; /**< the spots' places, left and right sensor; their difference is measured, */
    float left_mm[2];  /**< their mean is as stated, ahead and across */
    float delay_ms[2]; /**< from mid-exposure to a look's own time */

    float size_error;     /**< of the mean wheel size, as a share; NAN: it was not measured */
    float ratio_error;    /**< of right step over left step */
    float track_error_mm; /**< of the track */
    float
        mismatch_error_mm; /**< of ahead_mm[0] - ahead_mm[1], which decides how square is square */
    float delay_error_ms;  /**< of either delay */
} cmo_geometry;

// clang-format off
#define CMO_MEASURE_GEOMETRY_PARAMETERS(P, X)                                                       \
    P(X, CHOICE, cmo_tone, tone, CMO_TONE_DARK, CMO_TONE_LIGHT, ("dark", "light"), "dark", "of both lines") \
    P(X, OTHERWISE, lines_mm, 100, 3000, "not known; the mean wheel size stays",                    \
      "from one line's middle to the other's")                                                      \
    P(X, NUMBER, slant_deg, 10, 40, 20, "slant of two of the four passes")                          \
    P(X, SPEED, speed_mm_s, "100", "slow speed")                                                    \
    P(X, SPEED, fast_mm_s, "450", "fast speed, at least twice the slow one")                        \
    P(X, NUMBER, longest_mm, 200, 6000, 1500, "give up a pass after this way")                      \
    P(X, WHOLE, uint8_t, rounds, 1, 20, 2, "how often the four passes are driven")                  \
    P(X, TIME, longest_ms, longest_s, 0.01, "60 a round", "give up after this time")
// clang-format on

/** The robot stands before two parallel lines, 8 mm wide or more, square to them within some 10
 * degrees, at least 60 mm from its sensors to the first. Beyond the second and before the first it
 * needs room for twice the sensors' ahead_mm and 100 mm, and to the right the tangent of slant_deg
 * of all that.
 */
typedef struct cmo_measure_geometry_parameters {
    CMO_MEASURE_GEOMETRY_PARAMETERS(CMO_FIELD, )
} cmo_measure_geometry_parameters;

typedef struct cmo_measure_geometry_state cmo_measure_geometry_state;

/**
 * Drives four times over both lines, straight, at a slant to the left of the line's normal,
 * straight, at a slant to the right of it, with half a turn after each, and ends where it began.
 *
 * What it rests on: the way between two parallel lines grows with one over the cosine of the slant,
 * which gives the true angle without any sensor's place; a line looks the same from both sides, so
 * half a turn is known to be one; the first pass speeds up between the lines, and what a delay adds
 * to its way it does not add to the third.
 *
 * The robot goes on with what its description says. cmo_geometry_apply() puts the result into a
 * description for the next start.
 *
 * Outcomes: done; no_line where a pass has not met both lines; and what can end any routine.
 * Refused without encoders, with a heading sensor, with one light sensor, without levels.
 */
cmo_outcome cmo_measure_geometry_start(cmo_robot *robot, cmo_measure_geometry_state *state,
                                       const cmo_measure_geometry_parameters *parameters);
cmo_outcome cmo_measure_geometry(cmo_robot *robot, cmo_measure_geometry_state *state,
                                 const cmo_measure_geometry_parameters *parameters);

/** Puts a measured geometry into a description. */
void cmo_geometry_apply(const cmo_geometry *geometry, cmo_robot_description *description);

/** Bytes of the stored form: mark, version, reserve, fourteen numbers of 4 bytes, checksum. */
#define CMO_STORED_GEOMETRY_SIZE (4 + 14 * 4 + 2)

/** Writes a geometry. @return bytes written; 0 if `size` is too small. */
size_t cmo_store_geometry(const cmo_geometry *geometry, uint8_t *bytes, size_t size);

/** Takes a geometry from its stored form. False, and nothing changed, for bytes that are damaged,
 *  foreign or of another version. */
bool cmo_load_geometry(cmo_geometry *geometry, const uint8_t *bytes, size_t size);

/** A line as both sensors met it in one pass. Ways from the start of the pass. */
typedef struct cmo_line_meeting {
    float way_mm[2];   /**< each sensor's way to the middle of the line */
    float width_mm[2]; /**< and the line's width along it */
    float left_mm;     /**< odometer's ways of the wheels, mean of both crossings */
    float right_mm;
    float speed_mm_s;
} cmo_line_meeting;

/** What the meetings are solved for, on the way to a geometry. */
typedef struct cmo_geometry_solution {
    float way[4];      /**< between the lines, mean of both sensors, for each pass */
    float angle[4][2]; /**< heading against the normal at each line */
    float ahead;       /**< place of the spots' middle */
    float normal;      /**< way between the lines along their normal, by the odometer */
    float mismatch, across;
    float delay_ms[2];
} cmo_geometry_solution;

/** Squares of how much the rounds differ, summed up. */
typedef struct cmo_geometry_scatter {
    float size, ratio, track, mismatch, delay;
} cmo_geometry_scatter;

struct cmo_measure_geometry_state {
    cmo_routine routine;
    cmo_measure_geometry_parameters parameters;
    cmo_motion motion;
    uint8_t pass;
    uint8_t round;
    uint8_t met[2];                      /**< lines that each sensor has left behind in this pass */
    cmo_crossing into[2];                /**< the way into the line that each is on */
    cmo_moment wheels[2];                /**< and where the wheels were there */
    float start_left_mm, start_right_mm; /**< of the pass */
    uint32_t settle_us;
    cmo_line_meeting meeting[4][2];
    cmo_geometry_solution solution;
    uint8_t solved;               /**< steps of the solution so far, one a tick */
    bool turned;                  /**< it stands, and works the round out */
    cmo_geometry_scatter scatter; /**< of all rounds so far */
    cmo_geometry geometry;        /**< the result, the mean of all rounds */
};

#ifdef __cplusplus
}
#endif

#endif
