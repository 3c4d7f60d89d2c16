// SPDX-License-Identifier: MIT
// The last line of a count: a stop on a line that knows what has been met of it, and at what angle.
#include "count_last.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../tick/surfaces.h"
#include "count_tally.h"
#include "line_candidates.h"
#include "line_figures.h"
#include "line_holes.h"
#include "line_rest.h"
#include "line_search.h"
#include "line_votes.h"
#include "stop.h"

#include <math.h>
#include <stddef.h>

// The next line is the one to end on: a search of its own goes on with what has been met of it.
void cmi_count_land(cmo_robot *robot, cmo_count_lines_state *state) {
    cmo_line_state *line = &state->line;
    cmi_count_anew(robot, state);
    if (cmi_count_knows_places(state) && state->number > 0) {
        // It can only be where it is due.
        float on = cmi_count_way_mm(state, state->parameters.number) -
                   cmi_count_way_mm(state, state->number);
        float way = on / cmi_count_across_share(robot, state);
        float within = cmi_line_slack_mm(robot, 0) + CMI_COUNT_SPACING_SHARE * way;
        cmi_votes_drop_before(robot, state, state->last_mm + way - within);
        within += 0.5F * fabsf(state->skew_mm);
        float due = state->last_mm - cmi_count_ahead_mm(robot, state) + way;
        if (state->marks[0] + state->marks[1] == 0) {
            line->parameters.blind_mm = fmaxf(due - within, line->parameters.blind_mm);
        }
        line->parameters.longest_mm = due + within;
    }
    state->lands = true;
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        cmo_candidate *to = &line->candidate[i];
        *to = state->marks[i] > 0 ? state->mark[i][0] : (cmo_candidate){.passed = false};
        to->side = to->passed ? 1 : 0;
    }
    state->holes.gap_mm = state->parameters.least_gap_mm;
    line->take = cmi_line_take_over_holes;
    line->parallel = true;
    line->skew_mm = state->skew_mm;
    if (state->pairs > 0) { // by one line alone, which may be worn, less is known
        float slack = (cmi_count_is_sure(state) ? 2.0F : 4.0F) * cmi_line_slack_mm(robot, 0);
        line->window_mm =
            fminf(line->window_mm, slack + cmi_line_lasts_mm(robot, &line->parameters));
    }
}

// It was met while the lines before it were still looked for: it has been driven over at speed.
void cmi_count_land_here(cmo_robot *robot, cmo_count_lines_state *state) {
    state->lands = state->last_told = true;
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        state->line.candidate[i].accepted = false;
    }
    cmi_line_accept_open(robot, &state->line);
}

// Halted from speed it has slid between the two: their places do not tell what is worn.
static bool slides_between(const cmo_robot *robot, const cmo_line_state *line) {
    return CMO_SLIDING && line->parameters.rest == CMO_REST_HALTED &&
           (robot->stage == CMO_STAGE_HALT || robot->stage == CMO_STAGE_PROVE) &&
           cmi_line_is_fast(robot, line->halt_speed_mm_s);
}

// An edge is never met before it is there: where one sensor has met it by that much later than the
// other one, it is worn there.
static void mend_near(cmo_robot *robot, cmo_count_lines_state *state) {
    cmo_candidate *left = &state->line.candidate[0];
    cmo_candidate *right = &state->line.candidate[CMI_FRONT - 1];
    if (!cmi_count_is_sure(state) || !left->accepted || !right->accepted ||
        slides_between(robot, &state->line)) {
        return;
    }
    float over = cmi_line_begins_later_mm(robot, &state->line) - state->skew_mm;
    if (fabsf(over) <= CMI_VOTES_WORN_MM) {
        return;
    }
    uint8_t sensor = over > 0.0F ? 0 : CMI_FRONT - 1;
    cmo_candidate *worn = over > 0.0F ? left : right;
    uint32_t late_us = (uint32_t)(1e6F * fabsf(over) / fmaxf(worn->speed_mm_s, 10.0F));
    worn->near.way_mm -= fabsf(over);
    worn->near.time_us -= late_us;
    worn->worn = state->line.parameters.rest != CMO_REST_FAR_EDGE;
    if (robot->report.sensor == (int8_t)sensor) {
        robot->report.crossing_mm -= fabsf(over);
        robot->report.crossing_us -= late_us;
    }
}

// Nor is it left behind where it ends.
static void mend_far(const cmo_robot *robot, cmo_count_lines_state *state) {
    cmo_candidate *left = &state->line.candidate[0];
    cmo_candidate *right = &state->line.candidate[CMI_FRONT - 1];
    if (state->far_mended || !cmi_count_is_sure(state) || !left->passed || !right->passed ||
        !left->accepted || !right->accepted) {
        return;
    }
    state->far_mended = true;
    float early = cmi_line_later_mm(robot, left->far_mm, right->far_mm) - state->skew_mm;
    if (fabsf(early) > CMI_VOTES_WORN_MM) {
        cmo_candidate *worn = early < 0.0F ? left : right;
        worn->far_mm += fabsf(early);
        worn->worn = true;
    }
}

// Where it is to rest, a sensor may stand over a hole of the line, whose edges are none to rest on:
// at a slant one stands further on than the other.
static void doubt_over_holes(const cmo_robot *robot, cmo_count_lines_state *state) {
    float to_rest = cmi_line_to_rest(robot, &state->line);
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        float at = cmi_way_now(robot, i) + to_rest;
        float half = 0.5F * robot->description->light[i].spot_mm;
        float from = state->holes.from_mm[i];
        float to = state->holes.to_mm[i];
        if (to > from && at > from - half && at < to + half) {
            state->line.candidate[i].worn = true;
        }
    }
}

// Counts the last one, once it has proved to be one.
static void tell_last(cmo_robot *robot, cmo_count_lines_state *state) {
    const cmo_candidate *candidate = state->line.candidate;
    cmi_vote vote = {.later_mm = state->skew_mm};
    float sum = 0.0F;
    uint8_t count = 0;
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        if (candidate[i].accepted) {
            sum += cmi_line_ahead_mm(robot, i, candidate[i].near.way_mm);
            vote.seen = (uint8_t)(vote.seen | 1U << i);
            count++;
        }
    }
    vote.at_mm = sum / (float)count;
    if (count == 2) {
        vote.later_mm = cmi_line_begins_later_mm(robot, &state->line);
    }
    state->last_told = true;
    uint8_t steps = (uint8_t)(state->parameters.number - state->number);
#if CMO_SURFACES_MAX > 0
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        cmi_votes_know(robot, &state->line.candidate[i], i);
    }
#endif
    cmi_count_line(robot, state, &vote, steps, 0.0F);
}

// One tick of the stop, or of driving on over the line.
void cmi_count_step_last(cmo_robot *robot, cmo_count_lines_state *state) {
    cmo_line_state *line = &state->line;
    if (line->parameters.ending == CMO_END_HALTED) {
        cmi_stop_step(robot, &line->routine);
    } else if (!cmi_line_ended(robot, line)) {
        cmi_line_look(robot, line);
        cmi_line_approach(robot, line);
    }
    bool met = cmi_line_met(line, true);
    if (cmi_line_needs_far(line) && met) {
        mend_far(robot, state);
    }
    if (met && !state->last_told) {
        mend_near(robot, state);
        tell_last(robot, state);
    }
    if (met && !cmi_line_settles(robot)) {
        doubt_over_holes(robot, state);
    }
    if (met && line->parameters.ending == CMO_END_MOVING && robot->routine != NULL) {
        cmi_line_finish(robot, line, NULL);
    }
}
