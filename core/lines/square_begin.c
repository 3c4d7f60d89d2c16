// SPDX-License-Identifier: MIT
#include "square_begin.h"

#include "../shared/routine.h"
#include "last_line.h"
#include "line_candidates.h"
#include "line_floor.h"

#include <math.h>

// It begins within so much.
#define BEGINS_MM 5.0F

void cmi_square_remember(const cmo_robot *robot, cmo_square_on_line_state *state,
                         const cmo_line_parameters *search) {
    cmi_halted at = cmi_last_line_halted(robot, search);
    // Beyond a table's edge there is no next line.
    bool next = at == CMI_HALTED_SQUARED && search->tone != CMO_TONE_VOID;
    float before = at != CMI_HALTED_ELSEWHERE && !next ? cmi_last_line_before_mm(robot) : 0.0F;
    state->before_mm = before > 0.0F ? before + CMI_SQUARE_OFF_BY_MM : 0.0F;
    state->was_on = false;
    state->stood = !next && fabsf(cmo_speed_mm_s(robot)) < CMI_STANDS_MM_S;
}

// How many sensors are on the line; and how many see no edge.
static uint8_t count_on(const cmo_robot *robot, const cmo_line_state *line, uint8_t *clear) {
    uint8_t on = 0;
    *clear = 0;
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        const cmo_edge *edge = &robot->light[i].edge;
        if (!robot->light[i].seen || edge->looks == 0) {
            return 0;
        }
        on = (uint8_t)(on + edge->inside);
        bool sees = cmo_edge_sees(edge, cmi_line_reading(robot, line, i));
        *clear = (uint8_t)(*clear + !sees);
    }
    return on;
}

// It stands across the line: what the one sensor is on would never be met by both. Not where both
// see its edge, for that is a square, and the next line is meant.
static bool begins_across(const cmo_robot *robot, const cmo_square_on_line_state *state) {
    const cmo_candidate *candidate = state->line.candidate;
    uint8_t clear;
    return !candidate[0].met && !candidate[CMI_FRONT - 1].met && cmi_gone_mm(robot) < BEGINS_MM &&
           count_on(robot, &state->line, &clear) == 1 && clear > 0;
}

// It began astride the line: beyond what one sensor alone has met so near to the start, the other
// one may have been.
static bool began_astride(const cmo_robot *robot, const cmo_square_on_line_state *state) {
    const cmo_report *report = &robot->report;
    const cmo_candidate *candidate = state->line.candidate;
    return !candidate[0].open && !candidate[CMI_FRONT - 1].open &&
           report->passed_reason == CMO_PASSED_ONE_SIDED &&
           report->passed_at_mm < state->line.window_mm;
}

float cmi_square_back_mm(const cmo_robot *robot, cmo_square_on_line_state *state) {
    const cmo_line_parameters *p = &state->line.parameters;
    if (!state->stood || p->blind_mm > 0.0F || p->off_line) { // another line is meant
        return 0.0F;
    }
    bool backed = p->blind_mm < 0.0F;
    if (!backed && cmi_square_knows_back(state)) {
        return state->before_mm;
    }
    if (p->tone == CMO_TONE_VOID) {
        return 0.0F;
    }
    if (!backed && begins_across(robot, state)) {
        return CMI_SQUARE_OFF_MM;
    }
    if (CMO_TWO_SIDED && began_astride(robot, state)) {
        // At 45 degrees as far as they are apart.
        float apart = fabsf(cmi_across_mm(robot->description));
        state->before_mm = cmi_gone_mm(robot) + fmaxf(apart, CMI_SQUARE_OFF_MM);
        state->stood = false; // once
        return state->before_mm;
    }
    return 0.0F;
}

bool cmi_square_is_off(const cmo_robot *robot, cmo_square_on_line_state *state) {
    uint8_t clear;
    uint8_t on = count_on(robot, &state->line, &clear);
    state->was_on |= on > 0;
    return state->was_on && on == 0 && clear == CMI_FRONT;
}
