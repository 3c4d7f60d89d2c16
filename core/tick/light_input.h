// SPDX-License-Identifier: MIT
// Light, tick by tick: looks and latches from the sample, the drift of the levels, and whether the
// sensor can still be trusted.
#ifndef CMI_LIGHT_INPUT_H
#define CMI_LIGHT_INPUT_H

#include <cammino/line_search.h>

#include "../shared/description.h"

#include <math.h>

// What is given, or else a default that is at least `least`.
static inline uint32_t cmi_age_limit(uint32_t given, uint32_t otherwise, uint32_t least) {
    uint32_t chosen = given != 0 ? given : otherwise;
    return given != 0 || chosen > least ? chosen : least;
}

// The reflectance that a band's surface is expected to have, and what lies around it.
float cmi_band_target(const cmo_band *band);
static inline float cmi_band_around(const cmo_band *band) {
    return isinf(band->high) ? 0.0F : 1.0F;
}

// Takes all sensors' looks and latches.
void cmi_light_take(cmo_robot *robot, const cmo_sample *sample);

// Sensors that are there of those that a search watches, bit n: sensor n.
uint8_t cmi_sensors_watched(const cmo_robot *robot, cmo_sensors sensor);

// Whether they are there, and their levels tell what is looked for.
cmo_outcome cmi_check_sensors(cmo_robot *robot, cmo_sensors sensor, cmo_tone tone,
                              uint8_t *watched);

#if CMO_SURFACES_MAX > 0
// Whether a surface was taught to all sensors that watch for it, in the place of tone and band; 0:
// none is looked for.
cmo_outcome cmi_check_surface(cmo_robot *robot, uint8_t surface, cmo_tone tone,
                              const cmo_band *band, uint8_t watched);
#endif

// Whether a front sensor sees no floor under it.
static inline bool cmi_light_no_floor(const cmo_robot *robot) {
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        const cmo_light *light = &robot->light[i];
        // Void must lie clearly below dark before it can be told from dark paint; and paint may be
        // darker than the line by which levels were taken.
        float threshold = cmo_threshold(&light->levels, CMO_TONE_VOID);
        if (light->seen && threshold < -0.05F && light->reflectance < 1.5F * threshold) {
            return true;
        }
    }
    return false;
}

// Whether a sensor has given no look for longer than it may take.
bool cmi_light_silent(const cmo_robot *robot, uint8_t sensor);

// The fault of a sensor that is watched, or CMO_RUNNING.
cmo_outcome cmi_light_fault(const cmo_robot *robot, uint8_t sensor);

#endif
