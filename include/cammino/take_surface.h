// SPDX-License-Identifier: MIT
/**
 * @file take_surface.h
 * Take surface: to learn what all sensors read over a surface, standing on it or driving over it.
 */
#ifndef CAMMINO_TAKE_SURFACE_H
#define CAMMINO_TAKE_SURFACE_H

#include <cammino/inside/motion.h>
#include <cammino/parameters.h>
#include <cammino/surfaces.h>

#ifdef __cplusplus
extern "C" {
#endif

// clang-format off
#define CMO_TAKE_SURFACE_PARAMETERS(P, X)                                                           \
    P(X, SURFACE, surface, "must be given", "which one is learned; all sensors stand on it")        \
    P(X, SIGNED, distance_mm, 1, 2000, "it stands",                                                 \
      "drives so far over it, which sees what differs from place to place; negative is backward")   \
    P(X, TIME, for_ms, for_s, 0.1, "1", "standing: looks for so long")                              \
    P(X, SPEED, speed_mm_s, "80, or less for 40 looks", "speed")                                                          \
    P(X, TIME, longest_ms, longest_s, 0.01, "twice what it takes, plus 3", "give up after this time")
// clang-format on

typedef struct cmo_take_surface_parameters {
    CMO_TAKE_SURFACE_PARAMETERS(CMO_FIELD, )
} cmo_take_surface_parameters;

typedef struct cmo_take_surface_state cmo_take_surface_state;

/**
 * Outcomes: done, and the robot's table of surfaces has it; sensor_silent for a sensor with fewer
 * than 20 looks; low_contrast where a sensor has seen more than one surface, for its readings
 * spread by over a tenth of its contrast, or the two front ones do not see the same, by their
 * levels. The table is left as it was then, with field "surface" and the report's sensor, -1 for
 * both. And what can end any routine.
 */
cmo_outcome cmo_take_surface_start(cmo_robot *robot, cmo_take_surface_state *state,
                                   const cmo_take_surface_parameters *parameters);
cmo_outcome cmo_take_surface(cmo_robot *robot, const cmo_take_surface_parameters *parameters);

/** Mean and spread of a channel, look by look (Welford, Note on a Method for Calculating Corrected
 *  Sums of Squares and Products, 1962). */
typedef struct cmo_channel_taker {
    float mean;
    float squares; /**< sum of squares about the mean */
} cmo_channel_taker;

struct cmo_take_surface_state {
    cmo_routine routine;
    cmo_take_surface_parameters parameters;
    cmo_motion motion;
    uint16_t looks[CMO_LIGHTS_MAX];
    uint32_t look_us[CMO_LIGHTS_MAX];
    cmo_channel_taker channel[CMO_LIGHTS_MAX][1 + CMO_COLOURS]; /**< counts, then colours */
};

#ifdef __cplusplus
}
#endif

#endif
