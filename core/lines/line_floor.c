// SPDX-License-Identifier: MIT
#include "line_floor.h"

#include "../tick/light_input.h"
#include "../tick/surfaces.h"
#include "line_candidates.h"

#include <math.h>

#if CMO_SLIDING
// The floor reads otherwise than its level where the light is another, or the paint: by more than
// the one, and what is further off than the other is something else. Lamps flicker, and slow looks
// see that as a slow swell: so it is the mean over some ticks.
#define SAME_FLOOR  0.05F
#define OTHER_FLOOR 0.25F
#define FLOOR_TICKS 20.0F
#endif

void cmi_line_know_floor(const cmo_robot *robot, cmo_line_state *state, uint8_t sensor) {
#if CMO_SLIDING
    const cmo_edge *edge = &robot->light[sensor].edge;
    float off = edge->behind - cmi_band_around(&edge->band);
    float span = fabsf(cmi_band_around(&edge->band) - cmi_band_target(&edge->band));
    if (cmi_light_by_tone(&robot->light[sensor]) && edge->looks > 1 && !edge->onto &&
        !edge->inside && !cmi_line_settles(robot) && fabsf(off) < fminf(OTHER_FLOOR, 0.5F * span)) {
        state->floor_off[sensor] += (off - state->floor_off[sensor]) / FLOOR_TICKS;
    }
#else
    (void)robot, (void)state, (void)sensor;
#endif
}

float cmi_line_reading(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    const cmo_light *light = &robot->light[sensor];
    float reading = cmi_light_signal(light);
#if CMO_SLIDING
    float line = cmi_band_target(&light->edge.band);
    float span = cmi_band_around(&light->edge.band) - line;
    float off = state->floor_off[sensor];
    if (fabsf(off) > SAME_FLOOR) {
        reading = line + (reading - line) * span / (span + off);
    }
#else
    (void)state;
#endif
    return reading;
}
