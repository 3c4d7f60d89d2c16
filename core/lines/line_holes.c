// SPDX-License-Identifier: MIT
#include "line_holes.h"

#include "line_candidates.h"
#include "line_doubt.h"

#include <math.h>

// The search stands at the beginning of the state that counts.
static cmo_line_holes *holes_of(cmo_line_state *state) {
    return &((cmo_count_lines_state *)state)->holes;
}

static void give_held(cmo_robot *robot, cmo_line_state *state, uint8_t sensor) {
    cmo_line_holes *holes = holes_of(state);
    if (holes->held[sensor]) {
        holes->held[sensor] = state->candidate[sensor].held = false;
        cmi_line_take(robot, state, sensor, &holes->left[sensor]);
    }
}

// Nearer to an edge of the hole than to one of the line.
static bool is_of_hole(cmo_line_state *state, uint8_t sensor, float way_mm) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    const cmo_line_holes *holes = holes_of(state);
    float from = holes->from_mm[sensor];
    float to = holes->to_mm[sensor];
    float hole = fminf(fabsf(way_mm - from), fabsf(way_mm - to));
    float line = fabsf(way_mm - candidate->near.way_mm);
    line = candidate->passed ? fminf(line, fabsf(way_mm - candidate->far_mm)) : line;
    return to > from && hole < line;
}

// Of the line behind it, over which it has come while it braked.
static bool is_of_next(cmo_line_state *state, uint8_t sensor, float way_mm) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    return candidate->passed && way_mm - candidate->far_mm > holes_of(state)->gap_mm;
}

// What is left may be a hole: it counts once nothing has been met for the least gap.
static void take(cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                 const cmo_crossing *crossing) {
    cmo_line_holes *holes = holes_of(state);
    if (cmi_line_settles(robot)) {
        if (!is_of_hole(state, sensor, crossing->way_mm) &&
            !is_of_next(state, sensor, crossing->way_mm)) {
            cmi_line_take(robot, state, sensor, crossing);
        }
    } else if (!crossing->entering) {
        cmo_candidate *candidate = &state->candidate[sensor];
        holes->left[sensor] = *crossing;
        holes->held[sensor] = true;
        if (candidate->open && !candidate->passed) { // so far it has shown what it is
            candidate->far_mm = crossing->way_mm;
            candidate->held = true;
#if CMO_SLIDING
            cmi_line_slide_on(robot, state, sensor, crossing);
#endif
        }
    } else if (holes->held[sensor] &&
               crossing->way_mm - holes->left[sensor].way_mm < holes->gap_mm) {
        holes->from_mm[sensor] = holes->left[sensor].way_mm;
        holes->to_mm[sensor] = crossing->way_mm;
        holes->held[sensor] = state->candidate[sensor].held = false;
    } else {
        give_held(robot, state, sensor);
        cmi_line_take(robot, state, sensor, crossing);
    }
}

void cmi_line_take_over_holes(cmo_robot *robot, cmo_line_state *state, uint8_t sensor) {
    const cmo_light *light = &robot->light[sensor];
    const cmo_line_holes *holes = holes_of(state);
    float since = cmi_way_now(robot, sensor) - holes->left[sensor].way_mm;
    if (holes->held[sensor] && (cmi_line_settles(robot) || since >= holes->gap_mm)) {
        give_held(robot, state, sensor);
    }
    for (uint8_t n = 0; n < light->crossings; n++) {
        take(robot, state, sensor, &light->crossing[n]);
    }
}
