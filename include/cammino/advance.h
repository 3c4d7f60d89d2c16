// SPDX-License-Identifier: MIT
/**
 * @file advance.h
 * Advance: to drive straight on by a distance.
 */
#ifndef CAMMINO_ADVANCE_H
#define CAMMINO_ADVANCE_H

#include <cammino/inside/motion.h>
#include <cammino/parameters.h>
#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

// clang-format off
#define CMO_ADVANCE_PARAMETERS(P, X)                                                                \
    P(X, OTHERWISE, distance_mm, -20000, 20000, "must be given", "way to drive; negative is backward") \
    P(X, SPEED, speed_mm_s, "half the top speed", "speed")                                          \
    P(X, RATE, acceleration_mm_s2, "the robot's", "limit when speeding up")                         \
    P(X, RATE, braking_mm_s2, "the robot's; halted, 0.6 of it until its braking was measured",      \
      "limit when slowing down")                                                                    \
    P(X, OTHERWISE, tolerance_mm, 0.1, 50, "0.4, or half an encoder step if more; 0.5 without encoders", \
      "it settles until it is this near")                                                           \
    P(X, TIME, longest_ms, longest_s, 0.01, "twice what the way takes, plus 2", "give up after this time") \
    P(X, HALT, halt, "what the motors do at the end")                                               \
    P(X, CHOICE, cmo_ending, ending, CMO_END_HALTED, CMO_END_MOVING, CMO_ENDING_WORDS, "halted",    \
      "moving: go over into the next leg without a halt")                                           \
    P(X, SPEED, over_mm_s, "in a file what the next leg can take; else speed_mm_s",                 \
      "with ending: moving, the speed to go over at")
// clang-format on

typedef struct cmo_advance_parameters {
    CMO_ADVANCE_PARAMETERS(CMO_FIELD, )
} cmo_advance_parameters;

typedef struct cmo_advance_state cmo_advance_state;

/** Outcomes: done; and what can end any routine. A distance of 0 is refused. */
cmo_outcome cmo_advance_start(cmo_robot *robot, cmo_advance_state *state,
                              const cmo_advance_parameters *parameters);
cmo_outcome cmo_advance(cmo_robot *robot, const cmo_advance_parameters *parameters);

struct cmo_advance_state {
    cmo_routine routine;
    cmo_advance_parameters parameters;
    cmo_motion motion;
    uint32_t settle_us;
};

#ifdef __cplusplus
}
#endif

#endif
