// SPDX-License-Identifier: MIT
/**
 * @file take_levels.h
 * Take levels: to drive or turn slowly over a line and back to where it began, and take all
 * sensors' levels.
 */
#ifndef CAMMINO_TAKE_LEVELS_H
#define CAMMINO_TAKE_LEVELS_H

#include <cammino/inside/motion.h>
#include <cammino/levels.h>
#include <cammino/parameters.h>

#ifdef __cplusplus
extern "C" {
#endif

// clang-format off
#define CMO_TAKE_LEVELS_PARAMETERS(P, X)                                                            \
    P(X, SIGNED, distance_mm, 10, 2000, "150", "way over the line and back; negative is backward; at least 10") \
    P(X, SIGNED, angle_deg, 10, 360, "it drives", "turns on the spot by this and back instead; at least 10") \
    P(X, SPEED, speed_mm_s, "80", "speed")                                                          \
    P(X, TIME, longest_ms, longest_s, 0.01, "four times the way, plus 4", "give up after this time")
// clang-format on

typedef struct cmo_take_levels_parameters {
    CMO_TAKE_LEVELS_PARAMETERS(CMO_FIELD, )
} cmo_take_levels_parameters;

typedef struct cmo_take_levels_state cmo_take_levels_state;

/**
 * Outcomes: done, and the robot has its levels; low_contrast or sensor_silent where a sensor's were
 * refused (state->fault says why; that sensor keeps its old levels); and what can end any routine.
 * A level for void that is already known is kept.
 */
cmo_outcome cmo_take_levels_start(cmo_robot *robot, cmo_take_levels_state *state,
                                  const cmo_take_levels_parameters *parameters);
cmo_outcome cmo_take_levels(cmo_robot *robot, cmo_take_levels_state *state,
                            const cmo_take_levels_parameters *parameters);

struct cmo_take_levels_state {
    cmo_routine routine;
    cmo_take_levels_parameters parameters;
    cmo_motion motion;
    bool back;
    uint32_t settle_us;
    cmo_level_taker taker[CMO_LIGHTS_MAX];
    cmo_levels_fault fault[CMO_LIGHTS_MAX]; /**< what became of each sensor */
    uint32_t look_us[CMO_LIGHTS_MAX];
    cmo_level_finish finish; /**< of the sensor whose levels are worked out */
    cmo_levels taken[CMO_LIGHTS_MAX];
    uint8_t finished; /**< sensors that are done */
    bool stands;
};

#ifdef __cplusplus
}
#endif

#endif
