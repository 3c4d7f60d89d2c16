// SPDX-License-Identifier: MIT
// Each sensor keeps what it has met, in a short queue of marks. The first marks of both are one
// line if they lie where parallel lines let them: the first line tells by how much further on the
// left sensor meets it, within what the largest entry angle allows; from then on that is known.
#include "line_votes.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../tick/surfaces.h"
#include "line_candidates.h"

#include <math.h>
#include <stddef.h>

// A first mark with what follows of the same line: where along the way it lies, in one measure for
// both sensors.
typedef struct extent {
    float from_mm, to_mm;
    bool open; // the sensor is still on it
} extent;

// ------------------------------------------------------------------------------------- measure --

static float along(const cmo_robot *robot, const cmo_count_lines_state *state, uint8_t sensor,
                   float way_mm) {
    float half = sensor == 0 ? -0.5F * state->skew_mm : 0.5F * state->skew_mm;
    return cmi_line_ahead_mm(robot, sensor, way_mm) + half;
}

float cmi_votes_now(const cmo_robot *robot, const cmo_count_lines_state *state, uint8_t sensor) {
    return along(robot, state, sensor, cmi_way_now(robot, sensor));
}

float cmi_votes_way(const cmo_robot *robot, const cmo_count_lines_state *state, uint8_t sensor,
                    float along_mm) {
    return along_mm - along(robot, state, sensor, 0.0F);
}

float cmi_votes_tangent(const cmo_robot *robot, float later_mm) {
    float across = cmi_across_mm(robot->description);
    return fabsf(across) < 1.0F ? 0.0F : later_mm / across;
}

// As far as the sensor has come on a mark: its far edge, or the newest look.
static float end_of(const cmo_robot *robot, const cmo_candidate *mark, uint8_t sensor) {
    return mark->passed ? mark->far_mm : robot->light[sensor].way_mm;
}

// Marks of a sensor that begin before `until_mm` are pieces of the first one: a worn line's.
static extent extent_of(const cmo_robot *robot, const cmo_count_lines_state *state, uint8_t sensor,
                        float until_mm) {
    const cmo_candidate *mark = state->mark[sensor];
    extent e = {along(robot, state, sensor, mark[0].near.way_mm), 0.0F, false};
    for (uint8_t i = 0; i < state->marks[sensor]; i++) {
        if (i == 0 || along(robot, state, sensor, mark[i].near.way_mm) <= until_mm) {
            e.to_mm = along(robot, state, sensor, end_of(robot, &mark[i], sensor));
            e.open = !mark[i].passed;
        }
    }
    return e;
}

// Whether nothing can belong to it any more.
static bool is_over(const cmo_robot *robot, const cmo_count_lines_state *state, uint8_t sensor,
                    const extent *e) {
    return !e->open &&
           cmi_votes_now(robot, state, sensor) - e->to_mm >= state->parameters.least_gap_mm;
}

static float shown(const extent *e) {
    return e->to_mm - e->from_mm;
}

// ---------------------------------------------------------------------------------- what is met --

static cmo_candidate *last_mark(cmo_count_lines_state *state, uint8_t sensor) {
    return state->marks[sensor] > 0 ? &state->mark[sensor][state->marks[sensor] - 1] : NULL;
}

// Takes the first mark out of a queue; it is behind then.
static void drop(const cmo_robot *robot, cmo_count_lines_state *state, uint8_t sensor) {
    cmo_candidate *mark = state->mark[sensor];
    state->behind[sensor] =
        (cmo_mark_behind){end_of(robot, &mark[0], sensor), true, !mark[0].passed};
    state->marks[sensor]--;
    for (uint8_t i = 0; i < state->marks[sensor]; i++) {
        mark[i] = mark[i + 1];
    }
}

// And with it what follows of the same line.
static void drop_until(const cmo_robot *robot, cmo_count_lines_state *state, uint8_t sensor,
                       float until_mm) {
    do {
        drop(robot, state, sensor);
    } while (state->marks[sensor] > 0 &&
             along(robot, state, sensor, state->mark[sensor][0].near.way_mm) <= until_mm);
}

static void pass(cmo_robot *robot, cmo_count_lines_state *state, uint8_t sensor, float width_mm,
                 cmo_passed_reason reason) {
    cmi_line_note_passed(robot, sensor, state->mark[sensor][0].near.way_mm, width_mm, reason);
    drop(robot, state, sensor);
    state->joint = false;
}

// What is behind goes on here: after a hole, or where the other sensor is still on it.
static bool is_behind(const cmo_robot *robot, const cmo_count_lines_state *state, uint8_t sensor,
                      float way_mm) {
    const cmo_mark_behind *behind = &state->behind[sensor];
    const cmo_mark_behind *other = &state->behind[1 - sensor];
    if (!behind->known) {
        return false;
    }
    if (way_mm - behind->far_mm < state->parameters.least_gap_mm) {
        return true;
    }
    float at = along(robot, state, sensor, way_mm);
    uint8_t beside = (uint8_t)(1 - sensor);
    float end = other->on ? cmi_votes_now(robot, state, beside)
                          : along(robot, state, beside, other->far_mm);
    return state->joint && at <= end;
}

// The median over the last lines: worn edges are no part of it. With the newest one or without.
static float usual_later(const cmo_count_lines_state *state, bool newest) {
    float sorted[CMO_LINE_PAIRS];
    uint8_t count = 0;
    for (uint8_t i = 0; i < state->pairs; i++) {
        if (i == state->pair && !newest) {
            continue;
        }
        uint8_t at = count++;
        for (; at > 0 && sorted[at - 1] > state->later_mm[i]; at--) {
            sorted[at] = sorted[at - 1];
        }
        sorted[at] = state->later_mm[i];
    }
    uint8_t half = count / 2;
    return count % 2 == 1 ? sorted[half] : 0.5F * (sorted[half - 1] + sorted[half]);
}

static void keep_later(cmo_count_lines_state *state, float later_mm) {
    state->pair = (uint8_t)(state->pairs == 0 ? 0 : (state->pair + 1) % CMO_LINE_PAIRS);
    state->later_mm[state->pair] = later_mm;
    state->pairs = (uint8_t)(state->pairs < CMO_LINE_PAIRS ? state->pairs + 1 : CMO_LINE_PAIRS);
    state->skew_mm = usual_later(state, true);
}

// A line is left at the angle at which it is met. Where its edges do not agree, one of them is
// worn: it counts by the one that is more like the lines before.
static void mend_later(const cmo_robot *robot, cmo_count_lines_state *state) {
    const cmo_mark_behind *behind = state->behind;
    if (!state->joint || state->pairs < 2 || behind[0].on || behind[1].on) {
        return;
    }
    float far = cmi_line_later_mm(robot, behind[0].far_mm, behind[1].far_mm);
    float *near = &state->later_mm[state->pair];
    float usual = usual_later(state, false);
    if (fabsf(far - *near) > CMI_VOTES_WORN_MM && fabsf(far - usual) < fabsf(*near - usual)) {
        *near = far;
        state->skew_mm = usual_later(state, true);
    }
}

static void enter(cmo_robot *robot, cmo_count_lines_state *state, uint8_t sensor,
                  const cmo_crossing *crossing) {
    cmo_candidate *last = last_mark(state, sensor);
    float way = crossing->way_mm - cmi_start_way(robot, sensor);
    if (way < state->line.parameters.blind_mm) {
        state->behind[sensor] = (cmo_mark_behind){crossing->way_mm, true, true};
        return;
    }
    if (last == NULL && is_behind(robot, state, sensor, crossing->way_mm)) {
        state->behind[sensor].on = true;
        return;
    }
    if (last != NULL && crossing->way_mm - last->far_mm < state->parameters.least_gap_mm) {
        last->passed = false;
        return;
    }
    if (state->marks[sensor] == CMO_LINE_MARKS) {
        float width = state->mark[sensor][0].far_mm - state->mark[sensor][0].near.way_mm;
        pass(robot, state, sensor, width, CMO_PASSED_ONE_SIDED);
    }
    cmi_line_mark(robot, &state->mark[sensor][state->marks[sensor]++], crossing);
}

static void leave(const cmo_robot *robot, cmo_count_lines_state *state, uint8_t sensor,
                  const cmo_crossing *crossing) {
    cmo_candidate *last = last_mark(state, sensor);
    if (last != NULL && !last->passed) {
        last->far_mm = crossing->way_mm;
        last->passed = true;
    } else if (state->behind[sensor].on) {
        state->behind[sensor].far_mm = crossing->way_mm;
        state->behind[sensor].on = false;
        mend_later(robot, state);
    } else if (last == NULL) { // it has stood on it
        state->behind[sensor] = (cmo_mark_behind){crossing->way_mm, true, false};
    }
}

#if CMO_SURFACES_MAX > 0
void cmi_votes_know(const cmo_robot *robot, cmo_candidate *mark, uint8_t sensor) {
    const cmo_surface_track *track = &robot->light[sensor].surface;
    float from = track->first.way_mm;
    float lead = 0.5F * cmi_surface_spot_mm(robot, sensor);
    if (track->under != 0 && track->told == track->under && from >= mark->near.way_mm - lead &&
        (!mark->passed || from <= mark->far_mm - lead)) {
        mark->surface = track->under;
    }
}
#endif

void cmi_votes_look(cmo_robot *robot, cmo_count_lines_state *state) {
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        const cmo_light *light = &robot->light[i];
        for (uint8_t n = 0; n < light->crossings && state->line.watched & 1U << i; n++) {
            if (light->crossing[n].entering) {
                enter(robot, state, i, &light->crossing[n]);
            } else {
                leave(robot, state, i, &light->crossing[n]);
            }
        }
#if CMO_SURFACES_MAX > 0
        if (state->marks[i] > 0) {
            cmi_votes_know(robot, last_mark(state, i), i);
        }
#endif
    }
}

// --------------------------------------------------------------------------------------- votes --

static float proof_mm(const cmo_robot *robot, const cmo_count_lines_state *state, float later_mm) {
    float tangent = cmi_votes_tangent(robot, later_mm);
    return CMO_PROOF_SHARE * state->line.parameters.least_width_mm *
           sqrtf(1.0F + tangent * tangent);
}

static float widest_mm(const cmo_robot *robot, const cmo_count_lines_state *state, float later_mm) {
    float tangent = cmi_votes_tangent(robot, later_mm);
    return cmi_line_widest_mm(robot, &state->line, 0, sqrtf(1.0F + tangent * tangent));
}

// Where a line's most width is known, it is one once it has ended.
static bool has_ended(const cmo_count_lines_state *state, const extent *e) {
    return !e->open || cmi_line_most_mm(&state->line) == 0.0F;
}

// Both sensors' first marks may be of one line.
static bool within(const cmo_robot *robot, const cmo_count_lines_state *state, const extent *left,
                   const extent *right) {
    if (state->pairs == 0) {
        return fabsf(left->from_mm - right->from_mm) <= state->line.window_mm;
    }
    float slack = cmi_line_slack_mm(robot, 0);
    return fabsf(left->from_mm - right->from_mm) <= slack ||
           (left->from_mm < right->to_mm && right->from_mm < left->to_mm);
}

// How far apart they may at most be for now.
static float reach_mm(const cmo_robot *robot, const cmo_count_lines_state *state) {
    return state->pairs == 0 ? state->line.window_mm : cmi_line_slack_mm(robot, 0);
}

// The first marks of both: true where that is settled, for good or for bad, or a line to be taken.
static bool judge_both(cmo_robot *robot, cmo_count_lines_state *state, extent e[2], cmi_vote *vote,
                       bool *is_line) {
    float later = state->skew_mm + e[0].from_mm - e[1].from_mm;
    float proof = proof_mm(robot, state, later);
    float lesser = CMI_LINE_LESSER_PROOF / CMO_PROOF_SHARE * proof;
    float most = fmaxf(shown(&e[0]), shown(&e[1]));
    float least = fminf(shown(&e[0]), shown(&e[1]));
    if (most > widest_mm(robot, state, later)) {
        pass(robot, state, 0, shown(&e[0]), CMO_PASSED_TOO_WIDE);
        pass(robot, state, 1, shown(&e[1]), CMO_PASSED_TOO_WIDE);
        return true;
    }
    bool ended = has_ended(state, &e[0]) && has_ended(state, &e[1]);
    if (ended && most >= proof && least >= lesser) {
        *vote = (cmi_vote){0.5F * (e[0].from_mm + e[1].from_mm), most, later, 3, 3};
        if (state->pairs > 2 && fabsf(later - state->skew_mm) > CMI_VOTES_WORN_MM) {
            vote->at_mm = fminf(e[0].from_mm, e[1].from_mm);
        }
        *is_line = true;
        return true;
    }
    bool settled = false;
    bool over[2];
    for (uint8_t i = 0; i < 2; i++) {
        over[i] = is_over(robot, state, i, &e[i]) &&
                  cmi_votes_now(robot, state, i) >= e[1 - i].to_mm; // no piece can follow
    }
    for (uint8_t i = 0; i < 2; i++) {
        bool narrow = shown(&e[i]) < lesser || (over[1 - i] && most < proof);
        if (over[i] && !e[1 - i].open && narrow) {
            pass(robot, state, i, shown(&e[i]), CMO_PASSED_TOO_NARROW);
            settled = true;
        }
    }
    return settled;
}

// What one sensor has met, and the other not where it would have been.
static bool judge_one(cmo_robot *robot, cmo_count_lines_state *state, uint8_t sensor,
                      const extent *e, cmi_single_counts single, cmi_vote *vote, bool *is_line) {
    uint8_t other = (uint8_t)(1 - sensor);
    if (shown(e) < proof_mm(robot, state, state->skew_mm)) {
        bool over = is_over(robot, state, sensor, e);
        if (over) {
            pass(robot, state, sensor, shown(e), CMO_PASSED_TOO_NARROW);
        }
        return over; // else it has yet to show what it is
    }
    if (shown(e) > widest_mm(robot, state, state->skew_mm)) {
        pass(robot, state, sensor, shown(e), CMO_PASSED_TOO_WIDE);
        return true;
    }
    if (!has_ended(state, e)) {
        return false;
    }
    uint8_t its = (uint8_t)(1U << sensor);
    *vote = (cmi_vote){e->from_mm, shown(e), state->skew_mm, its, its};
    bool two = cmi_line_pairs(&state->line);
    if (!two || single(robot, state, vote)) {
        *is_line = true;
        return true;
    }
    // The one that the other has met alone before may be the same line, and what was taken for the
    // angle is wrong.
    if (state->alone[other] &&
        fabsf(e->from_mm - state->alone_mm[other]) <= state->line.window_mm) {
        float by = e->from_mm - state->alone_mm[other];
        vote->later_mm = state->skew_mm + (sensor == 0 ? by : -by);
        vote->at_mm = 0.5F * (e->from_mm + state->alone_mm[other]);
        vote->seen = 3;
        *is_line = true;
        return true;
    }
    state->alone[sensor] = true;
    state->alone_mm[sensor] = e->from_mm;
    pass(robot, state, sensor, shown(e), CMO_PASSED_ONE_SIDED);
    return true;
}

// Whether the other sensor should have met it by now: where its edge is worn, as late as its end.
// Wider than this is no line.
#define WIDEST_MM 150.0F
static bool is_due(const cmo_robot *robot, const cmo_count_lines_state *state, uint8_t sensor,
                   const extent *e) {
    if (!cmi_line_pairs(&state->line)) {
        return true;
    }
    float end = e->open ? e->from_mm + WIDEST_MM : e->to_mm;
    float from = fmaxf(e->from_mm + reach_mm(robot, state), end);
    return cmi_votes_now(robot, state, (uint8_t)(1 - sensor)) > from;
}

bool cmi_votes_next(cmo_robot *robot, cmo_count_lines_state *state, cmi_single_counts single,
                    cmi_vote *vote) {
    for (;;) {
        extent e[2] = {{INFINITY, INFINITY, false}, {INFINITY, INFINITY, false}};
        for (uint8_t round = 0; round < 2; round++) { // what the other bridges belongs together
            for (uint8_t i = 0; i < 2; i++) {
                if (state->marks[i] > 0) {
                    bool both = round > 0 && state->marks[1 - i] > 0;
                    e[i] = extent_of(robot, state, i, both ? e[1 - i].to_mm : -INFINITY);
                }
            }
        }
        bool is_line = false;
        bool settled = false;
        bool both = cmi_line_pairs(&state->line) && state->marks[0] > 0 && state->marks[1] > 0;
        if (both && within(robot, state, &e[0], &e[1])) {
            settled = judge_both(robot, state, e, vote, &is_line);
        } else if (state->marks[0] > 0 || state->marks[1] > 0) {
            uint8_t first = e[1].from_mm < e[0].from_mm ? 1 : 0;
            settled = (both || is_due(robot, state, first, &e[first])) &&
                      judge_one(robot, state, first, &e[first], single, vote, &is_line);
        }
        if (is_line || !settled) {
            return is_line;
        }
    }
}

void cmi_votes_take(cmo_robot *robot, cmo_count_lines_state *state, const cmi_vote *vote) {
    float until = -INFINITY;
    for (uint8_t i = 0; i < 2; i++) {
        if (vote->marks & 1U << i) {
            until = fmaxf(until, extent_of(robot, state, i, -INFINITY).to_mm);
        }
    }
    for (uint8_t i = 0; i < 2; i++) {
        if (vote->marks & 1U << i) {
            drop_until(robot, state, i, until);
        }
        state->alone[i] = false;
    }
    state->joint = vote->seen == 3;
    if (vote->seen != vote->marks) { // one of both was passed over, and is a line after all
        cmi_set_figure(robot, CMO_PASSED_OVER,
                       cmo_figure_or(&robot->report, CMO_PASSED_OVER, 1.0F) - 1.0F);
        state->pairs = 0;
    }
    if (vote->seen == 3) {
        keep_later(state, vote->later_mm);
        mend_later(robot, state); // it may have left it by now
    }
}

void cmi_votes_drop_before(cmo_robot *robot, cmo_count_lines_state *state, float at_mm) {
    for (uint8_t i = 0; i < 2; i++) {
        while (state->marks[i] > 0 &&
               along(robot, state, i, state->mark[i][0].near.way_mm) < at_mm) {
            extent e = extent_of(robot, state, i, -INFINITY);
            pass(robot, state, i, shown(&e), CMO_PASSED_OUT_OF_PLACE);
        }
    }
}

bool cmi_votes_clear(const cmo_robot *robot, const cmo_count_lines_state *state) {
    bool clear = true;
    for (uint8_t i = 0; i < 2; i++) {
        const cmo_mark_behind *behind = &state->behind[i];
        float since = behind->known ? cmi_way_now(robot, i) - behind->far_mm : INFINITY;
        bool off = !behind->on && since >= state->parameters.least_gap_mm;
        clear = clear && (off || state->marks[i] > 0);
    }
    return clear;
}

void cmi_votes_refuse(cmo_robot *robot, cmo_count_lines_state *state, const cmi_vote *vote,
                      cmo_passed_reason reason) {
    for (uint8_t i = 0; i < 2; i++) {
        if (vote->marks & 1U << i) {
            pass(robot, state, i, vote->shown_mm, reason);
        }
    }
}
