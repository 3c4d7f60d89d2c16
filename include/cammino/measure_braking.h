// SPDX-License-Identifier: MIT
/**
 * @file measure_braking.h
 * Braking by measurement: what the tyres pass on before they slide, from stops over a line's edge.
 */
#ifndef CAMMINO_MEASURE_BRAKING_H
#define CAMMINO_MEASURE_BRAKING_H

#include <stddef.h>
#include <cammino/inside/motion.h>
#include <cammino/light.h>
#include <cammino/parameters.h>
#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What was measured. Uncertainties are standard ones (one standard deviation). */
typedef struct cmo_braking {
    float slid_mm;          /**< by so much it slides when it brakes by limit_mm_s2, */
    float halt_slid_mm;     /**< and when it halts */
    float slid_error_mm;    /**< the uncertainty of both */
    float grip_mm_s2;       /**< what the tyres pass on as they slide; 0: halts do not make them */
    float grip_error_mm_s2; /**< its uncertainty */
    float speed_mm_s;       /**< the speed that it braked from, */
    float limit_mm_s2;      /**< and its own limit then */
} cmo_braking;

// clang-format off
#define CMO_MEASURE_BRAKING_PARAMETERS(P, X)                                                        \
    P(X, CHOICE, cmo_tone, tone, CMO_TONE_DARK, CMO_TONE_LIGHT, ("dark", "light"), "dark", "of the line") \
    P(X, SPEED, fast_mm_s, "400, or as fast as it can", "the speed that it brakes from")            \
    P(X, NUMBER, longest_mm, 50, 6000, 1000, "give up a pass after this way")                       \
    P(X, WHOLE, uint8_t, rounds, 2, 10, 3, "how often the three passes are driven")                  \
    P(X, TIME, longest_ms, longest_s, 0.01, "40 a round", "give up after this time")
// clang-format on

/** The robot stands before a line, 8 mm wide or more, square to it within some 10 degrees, its
 *  sensors 30 mm or more before it. Before the line it needs room to get fast in, some 250 mm, and
 *  beyond it 200 mm: floor, or more of the line. */
typedef struct cmo_measure_braking_parameters {
    CMO_MEASURE_BRAKING_PARAMETERS(CMO_FIELD, )
} cmo_measure_braking_parameters;

typedef struct cmo_measure_braking_state cmo_measure_braking_state;

/**
 * Drives over the near edge of a line and stops beyond it, and comes back over it: braked gently,
 * by its own limit, and halted.
 *
 * What it rests on: the edge stays where it is. By the wheels it is nearer on the way back by what
 * the tyres have slid. A body that slides brakes by what its tyres pass on: of what it would have
 * slid beyond its wheels by each grip, that one is true which comes to what it did slide.
 *
 * The robot goes on with what its description says. cmo_braking_apply() puts the result into a
 * description for the next start.
 *
 * Outcomes: done; no_line where a pass has not met the edge, there or back; and what can end any
 * routine. Refused without encoders, without levels.
 */
cmo_outcome cmo_measure_braking_start(cmo_robot *robot, cmo_measure_braking_state *state,
                                      const cmo_measure_braking_parameters *parameters);
cmo_outcome cmo_measure_braking(cmo_robot *robot, cmo_measure_braking_state *state,
                                const cmo_measure_braking_parameters *parameters);

/** Share of the grip that profiles are to use: no floor is the same everywhere. */
#define CMO_GRIP_SHARE 0.8F

/** Puts what was measured into a description: grip_mm_s2, where halts slid. Where its own limit did
 *  not, it brakes no harder than by that, and holds_mm_s is known; where it did, limits of
 *  acceleration and braking come within CMO_GRIP_SHARE of the grip. */
void cmo_braking_apply(const cmo_braking *braking, cmo_robot_description *description);

/** Bytes of the stored form: mark, version, reserve, seven numbers of 4 bytes, checksum. */
#define CMO_STORED_BRAKING_SIZE (4 + 7 * 4 + 2)

/** Writes it. @return bytes written; 0 if `size` is too small. */
size_t cmo_store_braking(const cmo_braking *braking, uint8_t *bytes, size_t size);

/** Takes it from its stored form. False, and nothing changed, for bytes that are damaged, foreign
 *  or of another version. */
bool cmo_load_braking(cmo_braking *braking, const uint8_t *bytes, size_t size);

/** How many grips are tried against a halt. */
#define CMO_BRAKING_GRIPS 16

struct cmo_measure_braking_state {
    cmo_routine routine;
    cmo_measure_braking_parameters parameters;
    cmo_motion motion;
    uint8_t pass;
    uint8_t round;
    uint8_t met;        /**< bit n: sensor n has come over the edge; on the way back, left it */
    uint8_t entered;    /**< the same, but it may have been a speck */
    float edge_mm[2];   /**< where each sensor met the edge last */
    float ahead_mm[2];  /**< the edge by each sensor's way, ahead, */
    float back_mm[2];   /**< and back */
    float told_mm;      /**< where the wheels were when they were told to stop, */
    float speed_mm_s;   /**< how fast they were in the last halt, */
    float stopped_mm;   /**< and their way from there */
    float gone_mm;      /**< where they were in the last tick */
    uint32_t since_us;  /**< when the way for the speed began, */
    float since_mm;     /**< and where; */
    uint32_t before_us; /**< and the one before that */
    float before_mm;
    float run_up_mm; /**< from the edge back to where fast passes begin */
    float slow_mm_s;
    uint32_t waited_us;
    float nearer_mm[3]; /**< by the wheels the edge is so much nearer on the way back, means */
    float scatter_mm2;  /**< of all passes about their means, summed up */
    float body_mm_s[CMO_BRAKING_GRIPS]; /**< in a halt, for each grip that is tried, */
    float slides_mm[CMO_BRAKING_GRIPS]; /**< and by how much it slides, over all halts */
    cmo_braking braking;                /**< the result */
};

#ifdef __cplusplus
}
#endif

#endif
