// SPDX-License-Identifier: MIT
#include "boundary.h"

#include "../shared/description.h"
#include "../shared/routine.h"

#include <math.h>

// A reading counts as boundary from this share of the way to it on: what is worn must not hide it.
#define BOUNDARY_SHARE 0.2F
// What the floor reads at the start, against the levels: so near, it is what they say; up to so
// far, it is another floor; from so far on, it is the boundary. And so much do two spots on one
// differ.
#define FLOOR_SAME  0.05F
#define FLOOR_OFF   0.4F
#define FLOOR_RIM   0.8F
#define FLOOR_APART 0.15F

// The band of what counts as boundary, and whether it hangs on what the floor reads: a threshold
// that was chosen among all of a floor's surfaces knows better, and so does a void that is deep
// enough.
static cmo_band band_of(const cmo_levels *levels, const cmo_stay_inside_parameters *p, float floor,
                        bool *by_floor) {
    bool light_rim = p->boundary == CMO_TONE_LIGHT;
    *by_floor = false;
    if (p->band.low != p->band.high) {
        return p->band;
    }
    if (p->boundary == CMO_TONE_VOID && cmi_void_is_deep(levels)) {
        return (cmo_band){-INFINITY, cmo_threshold(levels, CMO_TONE_VOID)};
    }
    *by_floor = (light_rim ? levels->light_threshold : levels->dark_threshold) == 0;
    float share = floor + BOUNDARY_SHARE * ((light_rim ? 1.0F : 0.0F) - floor);
    float at =
        *by_floor ? share : cmo_threshold(levels, light_rim ? CMO_TONE_LIGHT : CMO_TONE_DARK);
    return light_rim ? (cmo_band){at, INFINITY} : (cmo_band){-INFINITY, at};
}

void cmi_boundary_watch(cmo_robot *robot, const cmo_stay_inside_parameters *p, float floor) {
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        bool by_floor;
#if CMO_SURFACES_MAX > 0
        if (p->surface != 0) {
            robot->teller->watch(robot, i, p->surface);
            continue;
        }
#endif
        cmi_watch_edge(robot, i, p->boundary,
                       band_of(&robot->light[i].levels, p, floor, &by_floor));
    }
}

bool cmi_boundary_know_floor(cmo_robot *robot, const cmo_stay_inside_parameters *p) {
#if CMO_SURFACES_MAX > 0
    if (p->surface != 0) {
        return true;
    }
#endif
    float ideal = p->boundary == CMO_TONE_LIGHT ? 0.0F : 1.0F;
    float mean = 0.0F;
    float apart = 0.0F;
    uint8_t count = cmi_front_lights(robot->description);
    for (uint8_t i = 0; i < count; i++) {
        bool by_floor;
        band_of(&robot->light[i].levels, p, ideal, &by_floor);
        if (!by_floor) {
            return true;
        }
        float here = robot->light[i].reflectance;
        mean += here / (float)count;
        apart = i == 0 ? here : fabsf(apart - here);
    }
    float off = fabsf(mean - ideal);
    // Where the two differ, one of them stands on something; so do both that see the boundary.
    if (!(off >= FLOOR_SAME && off <= FLOOR_RIM) || apart > FLOOR_APART) {
        return true;
    }
    if (off > FLOOR_OFF) {
        cmi_end(robot, cmi_refuse(robot, CMO_OUTCOME_LOW_CONTRAST, "levels", NAN));
        return false;
    }
    cmi_boundary_watch(robot, p, mean);
    return true;
}
