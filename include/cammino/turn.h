// SPDX-License-Identifier: MIT
/**
 * @file turn.h
 * Turn: on the spot, by an angle.
 */
#ifndef CAMMINO_TURN_H
#define CAMMINO_TURN_H

#include <cammino/advance.h>

#ifdef __cplusplus
extern "C" {
#endif

// clang-format off
/* A body takes more force to turn than to drive on, so its limits are half of the robot's. */
#define CMO_TURN_PARAMETERS(P, X)                                                                   \
    P(X, OTHERWISE, angle_deg, -3600, 3600, "must be given", "turn; positive is to the left")       \
    P(X, SPEED, speed_mm_s, "a third of the top speed", "speed of the wheels")                      \
    P(X, RATE, acceleration_mm_s2, "half of the robot's", "limit when speeding up, of the wheels")  \
    P(X, RATE, braking_mm_s2, "half of the robot's", "limit when slowing down, of the wheels")      \
    P(X, OTHERWISE, tolerance_deg, 0.05, 20,                                                        \
      "0.4 mm at the wheels, or half an encoder step if more; 0.5 mm without encoders",             \
      "it settles until it is this near")                                                           \
    P(X, TIME, longest_ms, longest_s, 0.01, "twice what the way takes, plus 2", "give up after this time") \
    P(X, HALT, halt, "what the motors do at the end")
// clang-format on

typedef struct cmo_turn_parameters {
    CMO_TURN_PARAMETERS(CMO_FIELD, )
} cmo_turn_parameters;

/** A turn is an advance whose wheels go opposite ways. */
typedef struct cmo_advance_state cmo_turn_state;

/** Outcomes: done; and what can end any routine. An angle of 0 is refused. */
cmo_outcome cmo_turn_start(cmo_robot *robot, cmo_turn_state *state,
                           const cmo_turn_parameters *parameters);
cmo_outcome cmo_turn(cmo_robot *robot, const cmo_turn_parameters *parameters);

#ifdef __cplusplus
}
#endif

#endif
