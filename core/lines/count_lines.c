// SPDX-License-Identifier: MIT
// Counts what the sensors vote to be lines; the last one is a stop on a line.
#include <cammino/count_lines.h>

#include "../shared/description.h"
#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "count_last.h"
#include "count_tally.h"
#include "line_candidates.h"
#include "line_figures.h"
#include "line_search.h"
#include "line_votes.h"
#include "stop.h"

#include <math.h>
#include <stddef.h>
#include <string.h> // CMO_READ_FLASH

static const cmi_row rows[] CMO_FLASH = {CMO_COUNTING_PARAMETERS(CMI_ROW, cmo_counting)};

#define LEAST_SPACING_MM 10.0F

// What a single sensor has met counts where a line is due.
static bool single_counts(const cmo_robot *robot, const cmo_count_lines_state *state,
                          const cmi_vote *vote) {
    float open;
    return cmi_count_knows_places(state) && state->number > 0 &&
           cmi_count_steps_to(robot, state, vote->at_mm, &open) > 0;
}

// A line has two edges: where the last one's second edge is known since, so is its width.
static void complete_width(const cmo_robot *robot, cmo_count_lines_state *state) {
    cmo_counted_line *line = &state->counted[(state->seen - 1U) % CMO_COUNTED_LINES];
    if (state->seen == 0 || line->width_mm > 0.0F) {
        return;
    }
    float sum = 0.0F;
    uint8_t count = 0;
    for (uint8_t i = 0; i < 2; i++) {
        const cmo_mark_behind *behind = &state->behind[i];
        if (line->seen & 1U << i && behind->on) {
            return;
        }
        if (line->seen & 1U << i && behind->known) {
            sum += behind->far_mm - state->line.candidate[i].near.way_mm;
            count++;
        }
    }
    if (count > 0) {
        line->width_mm = sum / (float)count * cmi_count_across_share(robot, state);
    }
}

// What is a line becomes the search's candidates.
static void as_candidates(const cmo_robot *robot, cmo_count_lines_state *state,
                          const cmi_vote *vote) {
    cmo_candidate *to = state->line.candidate;
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        to[i] = vote->marks & 1U << i ? state->mark[i][0] : (cmo_candidate){.passed = false};
        to[i].side = to[i].passed ? 1 : 0;
        to[i].accepted = vote->seen & 1U << i;
    }
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        bool seen = vote->seen & 1U << i;
        bool kept = vote->marks & 1U << i;
        if (seen && !kept) { // it was passed over before the other met it
            to[i].near.way_mm = cmi_votes_way(robot, state, i, state->alone_mm[i]);
            to[i].turn_rad = to[CMI_FRONT - 1 - i].turn_rad;
        }
    }
}

// ---------------------------------------------------------------------------------------- steps --

static bool is_last(const cmo_count_lines_state *state) {
    return state->parameters.number > 0 && state->number + 1U >= state->parameters.number;
}

// None has come for so long.
static void run_out(cmo_robot *robot, cmo_count_lines_state *state) {
    if (state->parameters.number > 0) {
        cmi_end(robot, CMO_OUTCOME_NO_LINE);
    } else {
        cmi_halt(robot, state->line.parameters.halt);
    }
}

static void take_votes(cmo_robot *robot, cmo_count_lines_state *state) {
    cmi_vote vote;
    while (!state->lands && !is_last(state) && state->seen < CMI_COUNT_MOST &&
           cmi_votes_next(robot, state, single_counts, &vote)) {
        float open;
        uint8_t steps = cmi_count_steps_to(robot, state, vote.at_mm, &open);
        if (steps == 0) {
            cmi_votes_refuse(robot, state, &vote, CMO_PASSED_OUT_OF_PLACE);
            continue;
        }
        as_candidates(robot, state, &vote);
        cmi_votes_take(robot, state, &vote);
        cmi_count_line(robot, state, &vote, steps, open);
        cmi_count_anew(robot, state);
        if (state->parameters.number > 0 && state->number >= state->parameters.number) {
            cmi_count_land_here(robot, state);
        }
    }
}

// The place of the line before the last is behind, and it was not there: the last one is next.
static bool is_missed(const cmo_robot *robot, const cmo_count_lines_state *state) {
    const cmo_counting *p = &state->parameters;
    if (!cmi_count_knows_places(state) || state->number == 0 || p->number < state->number + 2U ||
        state->marks[0] + state->marks[1] > 0) {
        return false;
    }
    float between = 0.5F * (cmi_count_way_mm(state, (uint8_t)(p->number - 1U)) +
                            cmi_count_way_mm(state, p->number));
    float on = between - cmi_count_way_mm(state, state->number);
    float before = state->last_mm + on / cmi_count_across_share(robot, state);
    bool over = true;
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        over =
            over && (!(state->line.watched & 1U << i) || cmi_votes_now(robot, state, i) >= before);
    }
    return over;
}

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_count_lines_state *state = (cmo_count_lines_state *)routine;
    if (robot->stage == CMO_STAGE_HALT && !state->lands) {
        if (cmi_stands(robot)) {
            cmi_line_write_looks(robot, &state->line);
            cmi_end(robot, CMO_OUTCOME_DONE);
        }
        return;
    }
    if (state->lands) {
        cmi_count_step_last(robot, state);
        return;
    }
    cmi_votes_look(robot, state);
    take_votes(robot, state);
    complete_width(robot, state);
    bool next = is_last(state) ? cmi_votes_clear(robot, state) : is_missed(robot, state);
    if (!state->lands && next) {
        cmi_count_land(robot, state);
    }
    if (state->lands) {
        cmi_count_step_last(robot, state);
        return;
    }
    if (cmi_gone_mm(robot) > state->line.parameters.longest_mm) {
        run_out(robot, state);
    } else if (!cmi_line_ended(robot, &state->line)) {
        cmi_line_approach(robot, &state->line);
    }
}

cmo_line_parameters cmo_count_lines_search(const cmo_count_lines_parameters *parameters) {
    return (cmo_line_parameters){
        CMO_LINE_PARAMETERS(CMO_AS_IN, parameters) CMO_LINE_SENSOR_PARAMETER(CMO_AS_IN, parameters)
            CMO_LINE_ENDING_PARAMETER(CMO_AS_IN, parameters)
                CMO_LINE_REST_PARAMETER(CMO_AS_IN, parameters)
                    CMO_LINE_EFFORT_PARAMETER(CMO_AS_IN, parameters)
                        CMO_LINE_BEYOND_PARAMETER(CMO_AS_IN, parameters)};
}

// From 0 on, each further than the one before by as much as the least spacing.
static bool places_are_sound(const cmo_count_lines_parameters *p) {
    bool sound = p->places == 0 ||
                 (p->places_mm != NULL && p->spacing_mm == 0.0F && p->places <= CMI_COUNT_MOST);
    float before = -LEAST_SPACING_MM;
    for (uint8_t i = 1; sound && i <= p->places; i++) {
        float way = cmo_counted_way_mm(0.0F, p->places_mm, p->places, i);
        sound = i == 1 ? way == 0.0F : way >= before + LEAST_SPACING_MM && way <= 50000.0F;
        before = way;
    }
    return sound;
}

// What follows from several of them.
static cmo_outcome check_together(cmo_robot *robot, const cmo_count_lines_parameters *p) {
    bool rests = p->rest != CMO_REST_HALTED;
    bool pairs = CMO_TWO_SIDED && p->largest_entry_deg <= 80.0F;
    bool two = (p->sensor == CMO_SENSOR_EITHER || p->sensor == CMO_SENSOR_BOTH) &&
               cmi_front_lights(robot->description) == 2;
    if (two && !pairs) { // each would count for itself
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "largest_entry_deg", 80.0F);
    }
    if (p->tone == CMO_TONE_VOID) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "tone", NAN);
    }
    if (p->number == 0 && (rests || p->ending == CMO_END_MOVING)) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "number", 1.0F);
    }
    if (rests && p->ending == CMO_END_MOVING) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "ending", NAN);
    }
    if (p->places > 0 && p->number > p->places) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "number", (float)p->places);
    }
    return places_are_sound(p) ? CMO_OUTCOME_DONE
                               : cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "places_mm", NAN);
}

cmo_outcome cmo_count_lines_start(cmo_robot *robot, cmo_count_lines_state *state,
                                  const cmo_count_lines_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    *state = (cmo_count_lines_state){.certainty = 1.0F, .longest_mm = parameters->longest_mm};
    cmo_counting *p = &state->parameters;
    *p = (cmo_counting){CMO_COUNTING_PARAMETERS(CMO_AS_IN, parameters).places_mm =
                            parameters->places_mm,
                        .places = parameters->places};
    if (parameters->place != NULL) {
        CMO_READ_FLASH(&p->place, parameters->place, sizeof p->place);
        p->stated = true;
    }
    cmo_outcome outcome = cmi_check_parameters(robot, rows, CMI_ROWS(rows), p);
    if (outcome == CMO_OUTCOME_DONE) {
        outcome = check_together(robot, parameters);
    }
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    cmo_line_parameters line = cmo_count_lines_search(parameters);
    if (parameters->number != 1) { // the first one is driven over at speed
        state->expected_mm = line.expected_mm;
        line.expected_mm = 0.0F;
    }
    outcome = cmi_line_begin(robot, &state->line, &line, step, CMO_ROUTINE_COUNT_LINES, true);
    if (outcome != CMO_RUNNING) {
        return outcome;
    }
    cmi_stop_prepare(&state->line);
    state->longest_mm = state->line.parameters.longest_mm;
    state->longest_ms = line.longest_ms == 0 ? state->line.parameters.longest_ms : 0;
    float least = fmaxf(state->line.parameters.least_width_mm, 1.0F);
    p->least_gap_mm = p->least_gap_mm != 0.0F ? p->least_gap_mm : least;
    cmi_set_figure(robot, CMO_LINES_SEEN, 0.0F);
    cmi_set_figure(robot, CMO_LINES_MISSED, 0.0F);
    return CMO_RUNNING;
}

cmo_outcome cmo_count_lines(cmo_robot *robot, const cmo_count_lines_parameters *parameters) {
    cmo_count_lines_state state;
    cmo_outcome outcome = cmo_count_lines_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
