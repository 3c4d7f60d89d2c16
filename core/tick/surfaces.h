// SPDX-License-Identifier: MIT
// Which surface a sensor is on, look by look, and the edges of the one that is looked for.
#ifndef CMI_SURFACES_H
#define CMI_SURFACES_H

#include <cammino/surfaces.h>

// A surface is told where the whole spot lies on it: of its line, so many spots go to the two edges
// and to lasting.
#define CMI_SURFACE_SPOTS 1.7F

#if CMO_SURFACES_MAX > 0

// A spot's size, or what it is taken for where it is not known.
static inline float cmi_surface_spot_mm(const cmo_robot *robot, uint8_t sensor) {
    float spot_mm = robot->description->light[sensor].spot_mm;
    return spot_mm > 0.0F ? spot_mm : 5.0F;
}

#endif

// Whether a tone or a band is looked for; else a surface is.
static inline bool cmi_light_by_tone(const cmo_light *light) {
#if CMO_SURFACES_MAX > 0
    return light->surface.target == 0;
#else
    (void)light;
    return true;
#endif
}

// What the edge that is watched for is read by: the reflectance, or how much of the spot lies on
// the surface that is looked for.
static inline float cmi_light_signal(const cmo_light *light) {
#if CMO_SURFACES_MAX > 0
    return cmi_light_by_tone(light) ? light->reflectance : light->surface.signal;
#else
    return light->reflectance;
#endif
}

// Whether it is on what is looked for.
static inline bool cmi_light_on(const cmo_light *light) {
#if CMO_SURFACES_MAX > 0
    return cmi_light_by_tone(light) ? light->edge.inside : light->surface.on;
#else
    return light->edge.inside;
#endif
}

#endif
