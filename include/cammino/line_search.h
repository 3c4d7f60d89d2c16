// SPDX-License-Identifier: MIT
/**
 * @file line_search.h
 * How drive until line, stop on line, square on line and count lines look for a line.
 */
#ifndef CAMMINO_LINE_SEARCH_H
#define CAMMINO_LINE_SEARCH_H

#include <cammino/inside/motion.h>
#include <cammino/parameters.h>
#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

/** Which sensors are watched. */
typedef enum cmo_sensors {
    CMO_SENSOR_EITHER = 0, /**< the first that sees a line */
    CMO_SENSOR_LEFT,
    CMO_SENSOR_RIGHT,
    CMO_SENSOR_BOTH /**< it ends when both have seen it */
} cmo_sensors;
#define CMO_SENSOR_WORDS ("either", "left", "right", "both")

/** Where a robot comes to rest on a line. */
typedef enum cmo_rest {
    CMO_REST_HALTED = 0, /**< where the halt at the crossing leaves the robot */
    CMO_REST_NEAR_EDGE,  /**< with the sensors over the near edge */
    CMO_REST_CENTRE,     /**< over the middle of the line */
    CMO_REST_FAR_EDGE    /**< over the far edge */
} cmo_rest;
#define CMO_REST_WORDS ("halted", "near_edge", "centre", "far_edge")

/** How much a rest is worth. */
typedef enum cmo_effort {
    CMO_EFFORT_NORMAL = 0, /**< comes back, and settles to within an encoder step or so */
    CMO_EFFORT_QUICK,      /**< brakes and stays there: no coming back. The report predicts the
                                overshoot when the braking begins */
    CMO_EFFORT_FINE        /**< settles as finely as the readings of the edge allow */
} cmo_effort;
#define CMO_EFFORT_WORDS ("normal", "quick", "fine")

// clang-format off
#if CMO_TWO_SIDED
#define CMO_LINE_MOST_PARAMETER(P, X)                                                               \
    P(X, OTHERWISE, most_width_mm, 1, 500, "as wide as it may be",                                  \
      "what is wider is no line but a field: it is known to be one once its far edge has been met")
#else
#define CMO_LINE_MOST_PARAMETER(P, X)
#endif

/* A candidate is accepted as a line once it has lasted for 0.8 of the least width: across it, where
 * both sensors have met it; along the way, where one has. With a most width it must have ended, too,
 * before it has lasted for 1.25 of that and what edges are uncertain by: the spot, and 5 mm. */
#define CMO_LINE_PARAMETERS(P, X)                                                                   \
    P(X, CHOICE, cmo_tone, tone, CMO_TONE_DARK, CMO_TONE_VOID, CMO_TONE_WORDS, "dark",              \
      "what the line is made of")                                                                   \
    P(X, BAND, band, "by the tone", "reflectances that count as the line: a grey one")              \
    P(X, SURFACE, surface, "by tone or band",                                                       \
      "a surface that was taught is the line; its least width is 20 then")                          \
    P(X, NUMBER, blind_mm, 0, 20000, 0, "drive this far without looking")                           \
    P(X, FLAG, off_line,                                                                            \
      "further without looking, until it is clear of the line that was met last, on which it "      \
      "stands or which it would meet again; by what the robot knows of it. Right after a halt at a " \
      "line of that tone or surface it does so by itself, without blind_mm")                         \
    P(X, SPEED, cruise_mm_s, "half the top speed", "speed while blind")                             \
    P(X, SPEED, creep_mm_s, "cruise_mm_s", "speed while looking")                                   \
    P(X, WIDTH, least_width_mm, 1, 500, 10,                                                         \
      "what is narrower is no line; 0: anything is, and where there is no floor, if not stated")    \
    CMO_LINE_MOST_PARAMETER(P, X)                                                                   \
    P(X, NUMBER, largest_entry_deg, 1, 90, 45,                                                      \
      "largest angle to the line's perpendicular; what the other sensor does not meet within what " \
      "it allows is no line; 90: one sensor is enough, as at a line's end")                         \
    P(X, OTHERWISE, longest_mm, 1, 50000, "blind_mm + 2000",                                        \
      "give up after this way without a line in sight")                                             \
    P(X, TIME, longest_ms, longest_s, 0.01, "twice what the way takes, plus 6; moving 2",           \
      "give up after this time")                                                                    \
    P(X, RATE, acceleration_mm_s2, "the robot's", "limit when speeding up")                         \
    P(X, RATE, braking_mm_s2, "the robot's", "limit when slowing down")                             \
    P(X, HALT, halt, "what the motors do at the end")                                               \
    P(X, OTHERWISE, expected_mm, 0, 50000, "not known",                                             \
      "way from the start at which the line is expected: it slows down there")                      \
    P(X, CHOICE, cmo_too_fast, too_fast, CMO_TOO_FAST_REFUSE, CMO_TOO_FAST_SLOW, ("refuse", "slow"), \
      "refuse",                                                                                     \
      "where a line could be missed, or a table's edge overrun; slow: drive as fast as is safe")

/* Of drive until line and stop on line; a square needs both. */
#define CMO_LINE_SENSOR_PARAMETER(P, X)                                                             \
    P(X, CHOICE, cmo_sensors, sensor, CMO_SENSOR_EITHER, CMO_SENSOR_BOTH, CMO_SENSOR_WORDS, "either", \
      "whose crossing counts; both: when both have crossed")

/* Of drive until line. */
#define CMO_LINE_ENDING_PARAMETER(P, X)                                                             \
    P(X, CHOICE, cmo_ending, ending, CMO_END_HALTED, CMO_END_MOVING, CMO_ENDING_WORDS, "halted",    \
      "moving: go over into the next leg without a halt")

/* Of stop on line and square on line. On void only the near edge, and nothing beyond it. */
#define CMO_LINE_REST_PARAMETER(P, X)                                                               \
    P(X, CHOICE, cmo_rest, rest, CMO_REST_HALTED, CMO_REST_FAR_EDGE, CMO_REST_WORDS, "halted",      \
      "where it comes to rest; halted: where the halt at the crossing leaves it")
#define CMO_LINE_BEYOND_PARAMETER(P, X)                                                             \
    P(X, NUMBER, beyond_mm, -500, 500, 0,                                                           \
      "with a rest: how far beyond that place, along its way, the sensors come to rest; ahead_mm "  \
      "of the sensors puts the axle over it")

/* Of stop on line. */
#define CMO_LINE_EFFORT_PARAMETER(P, X)                                                             \
    P(X, CHOICE, cmo_effort, effort, CMO_EFFORT_NORMAL, CMO_EFFORT_FINE, CMO_EFFORT_WORDS, "normal", \
      "with a rest; quick: brake and stay there; fine: settle as finely as the edge allows")
// clang-format on

typedef struct cmo_line_parameters {
    CMO_LINE_PARAMETERS(CMO_FIELD, )
    CMO_LINE_SENSOR_PARAMETER(CMO_FIELD, )
    CMO_LINE_ENDING_PARAMETER(CMO_FIELD, )
    CMO_LINE_REST_PARAMETER(CMO_FIELD, )
    CMO_LINE_EFFORT_PARAMETER(CMO_FIELD, )
    CMO_LINE_BEYOND_PARAMETER(CMO_FIELD, )
} cmo_line_parameters;

/** One sensor's candidate for a line. */
typedef struct cmo_candidate {
    cmo_crossing near; /**< the crossing into it, */
    float speed_mm_s;  /**< the robot's speed there, */
    float turn_rad;    /**< and its turn */
    float far_mm;      /**< way at the crossing out of it; valid if `passed` */
#if CMO_TWO_SIDED
    float apart_mm; /**< read at rest, its edge lies further on by so much more than the others' */
#endif
    bool met;       /**< it counts as met, for the other sensor; also within the blind distance */
    bool passed;    /**< the far edge has been crossed */
    bool held;      /**< or what may be one, or the edge of a hole: that is at `far_mm` then */
    bool corrected; /**< and crossed again on the way back, which takes out what has slid */
    bool doubted;   /**< by the wheels too narrow for a line, but they may have slid */
#if CMO_TWO_SIDED
    bool read; /**< its sensor has seen its edge at rest */
#endif
#if CMO_SLIDING
    float
        before_mm; /**< halted, its tyres have slid so far before it, as tyres brake that slide, */
    float slid_mm; /**< and so far on it */
    bool crept;    /**< met as it crept on from a standstill: since then nothing has slid */
    bool wider;    /**< sliding, its wheels may have shown less than it is wide */
    bool
        braked; /**< between its edges it has braked, and they may lie further apart than counted */
#endif
    bool worn; /**< what it has met of the edge to rest on is not where that lies: no word on it */
#if CMO_SURFACES_MAX > 0
    uint8_t
        surface; /**< what has lasted under the sensor between its edges; 0: none that is known */
#endif
    int8_t side;   /**< where its spot is: -1 before it, 0 on it, 1 beyond it */
    bool open;     /**< the sensor is on a candidate, or has accepted it */
    bool accepted; /**< it has proved to be a line */
} cmo_candidate;

typedef struct cmo_line_state {
    cmo_routine routine;
    /** What an edge says that is met again on the way back; NULL: nothing. */
    void (*again)(cmo_robot *robot, struct cmo_line_state *state, uint8_t sensor,
                  const cmo_crossing *crossing, bool far);
    /** How crossings are taken into the candidates; NULL: as they come. */
    void (*take)(cmo_robot *robot, struct cmo_line_state *state, uint8_t sensor);
    cmo_line_parameters parameters;
    cmo_motion motion;
    cmo_candidate candidate[CMO_LIGHTS_MAX];
    uint8_t watched;      /**< bit n: sensor n */
    uint8_t rounds;       /**< moves to settle on the edge so far, */
    uint8_t came;         /**< in so many of them the wheels have come at least half as far, */
    float goal_mm;        /**< how far the last of them was to go, */
    float share;          /**< and by what share of the limits they are driven */
    uint8_t searches;     /**< moves to find the line again so far */
    uint8_t moves;        /**< profiles for what others have left over */
    bool stood : 1;       /**< there has been a standstill after the crossing */
    bool slid : 1;        /**< the halt was a harder one than the tyres are stated to pass */
    bool looks_again : 1; /**< it goes back slowly over what it has met, */
    bool unseen : 1;      /**< no sensor has seen the edge at rest */
    bool elsewhere : 1;   /**< or on, for it was not met there */
    bool parallel : 1;    /**< lines before have told at what angle this one is met: skew_mm */
    bool at_edge : 1;     /**< it begins where it has halted at a table's edge */
    bool via_edge : 1;    /**< to its rest, from where an edge has been seen at rest: */
    uint8_t then_rest;    /**< to this place, */
    float then_mm;        /**< and so far beyond it, */
    float far_again_mm[CMO_LIGHTS_MAX]; /**< with the far edges where they were met coming back */
    float window_mm;       /**< the other sensor meets a line within this way; 0: it need not */
    float skew_mm;         /**< by how much further on the left sensor meets it; 0: not known */
    float halt_mm;         /**< how far beyond the near edge it began to halt or brake, */
    float halt_speed_mm_s; /**< and how fast it was */
    float furthest_mm;     /**< the furthest beyond the near edge since the crossing */
    uint32_t waited_us;    /**< for small moves to settle, or for looks at rest */
#if CMO_SLIDING
    float floor_off[CMO_LIGHTS_MAX]; /**< how far each sensor has read the floor off its level */
    float halted_at_mm; /**< the way of the middle of the axle when it halted at the crossing */
    float known_mm;     /**< looked at again up to there: what is met before that is no line */
#endif
    uint32_t stood_us; /**< time of the first standstill, port clock */
#if CMO_TWO_SIDED || CMO_SLIDING
    uint32_t answered_us; /**< and of the first answer to the crossing */
#endif
} cmo_line_state;

#ifdef __cplusplus
}
#endif

#endif
