// SPDX-License-Identifier: MIT
/**
 * @file countdown.h
 * Countdown: to wait for the start button, and then count down.
 */
#ifndef CAMMINO_COUNTDOWN_H
#define CAMMINO_COUNTDOWN_H

#include <cammino/parameters.h>
#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

// clang-format off
#define CMO_COUNTDOWN_PARAMETERS(P, X)                                                              \
    P(X, WHOLE, uint16_t, seconds, 0, 600, 0, "counted down once the button is pressed; an event tells each one left") \
    P(X, TIME, longest_ms, longest_s, 0.01, "no limit", "give up when it is not pressed in this time")
// clang-format on

typedef struct cmo_countdown_parameters {
    CMO_COUNTDOWN_PARAMETERS(CMO_FIELD, )
} cmo_countdown_parameters;

typedef struct cmo_countdown_state cmo_countdown_state;

/** The robot stands meanwhile. Outcomes: done; time_over, when the button is not pressed in time;
 * and what can end any routine. Refused without a start button. */
cmo_outcome cmo_countdown_start(cmo_robot *robot, cmo_countdown_state *state,
                                const cmo_countdown_parameters *parameters);
cmo_outcome cmo_countdown(cmo_robot *robot, const cmo_countdown_parameters *parameters);

struct cmo_countdown_state {
    cmo_routine routine;
    cmo_countdown_parameters parameters;
    uint32_t pressed_us; /**< since the button was pressed */
    uint16_t told;       /**< seconds left, as told last */
};

#ifdef __cplusplus
}
#endif

#endif
