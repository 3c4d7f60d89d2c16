// SPDX-License-Identifier: MIT
// What both sensors read of the edge that they are settled on.
#include "square_edge.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../tick/surfaces.h"
#include "bearing.h"

#include <math.h>

// Coming back a sensor meets the line's far edge first, and where the robot has slid by as much as
// that is wide, comes to stand over it. Over the near one it has been deeper in the line before, by
// more than this.
#define DEEPER_MM 1.5F

void cmi_square_watch(const cmo_robot *robot, cmo_square_on_line_state *state) {
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        const cmo_light *light = &robot->light[i];
        float place_mm;
        cmo_edge_place(&light->edge, cmi_light_signal(light), &place_mm);
        state->deepest_mm[i] = fmaxf(state->deepest_mm[i], place_mm);
    }
}

static bool is_at_far_edge(const cmo_robot *robot, const cmo_square_on_line_state *state,
                           uint8_t sensor, float place_mm) {
    float deepest = state->deepest_mm[sensor];
    float half = 0.5F * robot->description->light[sensor].spot_mm;
    bool has_one = state->line.parameters.tone != CMO_TONE_VOID && !cmi_square_on_far_edge(state);
    return has_one && deepest < fminf(place_mm + DEEPER_MM, 0.9F * half);
}

void cmi_square_errors(const cmo_robot *robot, cmo_square_on_line_state *state, float to_go[2]) {
    cmi_bearing b = cmi_bearing_now(robot, state);
    bool far = cmi_square_on_far_edge(state);
    state->slip_mm = 0.0F;
    state->seen = true;
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        const cmo_light *light = &robot->light[i];
        float counted = far ? b.spot_mm[i] - cmi_bearing_width_mm(state) : b.spot_mm[i];
        float place_mm;
        bool sees = cmo_edge_place(&light->edge, cmi_light_signal(light), &place_mm);
        place_mm = far ? -place_mm : place_mm;
        // Square means that the spot that is further ahead is so much further beyond the edge.
        float further = robot->description->light[i].ahead_mm - cmi_bearing_ahead_mm(robot);
        bool contrary =
            (place_mm > 0.0F && counted < place_mm) || (place_mm < 0.0F && counted > place_mm);
        if (is_at_far_edge(robot, state, i, place_mm)) {
            place_mm = state->line.parameters.least_width_mm - place_mm;
            contrary = true;
            sees = false;
        }
        to_go[i] = further - (sees || contrary ? place_mm : counted);
        state->slip_mm += 0.5F * (place_mm - counted);
        state->seen = state->seen && sees;
    }
}
