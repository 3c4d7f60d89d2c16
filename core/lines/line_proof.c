// SPDX-License-Identifier: MIT
// Which of the candidates are lines: what has lasted as long as one, and no longer than it may.
#include "line_candidates.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/surfaces.h"
#include "line_floor.h"

#include <math.h>
#include <stddef.h>

// The tangent of the entry angle from which on it must have the whole: sensors that meet something
// far apart may have met two things.
#define SURE_TANGENT 0.25F

static void accept(cmo_robot *robot, cmo_line_state *state, uint8_t sensor) {
    state->candidate[sensor].accepted = true;
    if (robot->report.sensor < 0) {
        robot->report.sensor = (int8_t)sensor;
        robot->report.crossing_us = state->candidate[sensor].near.time_us;
        robot->report.crossing_mm =
            state->candidate[sensor].near.way_mm - cmi_start_way(robot, sensor);
        cmi_notify(robot, CMO_EVENT_CROSSING, sensor);
    }
}

// It has lasted for so long: in passing, or while it stands or drives on it.
static bool has_shown(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                      float proof_mm) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    return (cmi_line_has_left(candidate) || cmi_light_on(&robot->light[sensor])) &&
           cmi_line_shown_mm(robot, state, sensor) >= proof_mm;
}

// What it has come onto before it crept on from a standstill it may have slid over.
static bool has_slid_on(const cmo_robot *robot, const cmo_line_state *state) {
    bool slid = robot->stage == CMO_STAGE_HALT;
#if CMO_SLIDING
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX && robot->stage == CMO_STAGE_PROVE; i++) {
        slid = slid || (state->candidate[i].open && !state->candidate[i].crept);
    }
#else
    (void)state;
#endif
    return slid;
}

// A halt at the crossing locks the wheels, and there is no going back to look again: there, both
// sensors may have measured less.
static float proof_mm(const cmo_robot *robot, const cmo_line_state *state) {
    bool locks = cmi_line_pairs(state) && state->parameters.rest == CMO_REST_HALTED &&
                 has_slid_on(robot, state);
    return (locks ? CMI_LINE_LESSER_PROOF : CMO_PROOF_SHARE) * state->parameters.least_width_mm;
}

// It has left what was too narrow for a line.
static bool is_narrow(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    return candidate->passed && !candidate->doubted &&
           cmi_line_shown_mm(robot, state, sensor) < proof_mm(robot, state);
}

// It has come too far from what it has left to come back onto it as it brakes.
static bool is_behind(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    return candidate->open && candidate->passed && !candidate->doubted &&
           cmi_way_now(robot, sensor) - candidate->far_mm > cmi_line_slack_mm(robot, sensor);
}

#if CMO_SLIDING
// Halted and sliding it has come onto this, and how far it has slid on it is a guess: the surer the
// other one has proved a line, the less it has to show itself.
static float slid_least_mm(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                           float proof) {
    float shown = cmi_line_shown_mm(robot, state, cmi_line_beside(sensor));
    float least = fmaxf(fminf(2.0F * proof - shown, proof), 0.0F);
    return state->candidate[sensor].before_mm > 0.0F ? least : INFINITY;
}
#endif

// What both have met here is a line, if one of them has proved it.
static bool both_show(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    uint8_t other = cmi_line_beside(sensor);
    float tangent = cmi_line_tangent(robot, state, sensor);
    float slant = sqrtf(1.0F + tangent * tangent);
    float proof = proof_mm(robot, state) * slant;
    float sure = fminf(fabsf(tangent) / SURE_TANGENT, 1.0F);
    float lesser = sure * proof +
                   (1.0F - sure) * CMI_LINE_LESSER_PROOF * state->parameters.least_width_mm * slant;
    if (!state->candidate[other].open) {
        return has_shown(robot, state, sensor, proof);
    }
#if CMO_SLIDING
    float slid = fminf(lesser, proof_mm(robot, state));
    float least = state->candidate[sensor].wider ? slid : lesser;
    float least_other = state->candidate[other].wider ? slid : lesser;
    least = fminf(least, slid_least_mm(robot, state, sensor, proof));
    least_other = fminf(least_other, slid_least_mm(robot, state, other, proof));
#else
    float least = lesser;
    float least_other = lesser;
#endif
    return has_shown(robot, state, sensor, least) && has_shown(robot, state, other, least_other) &&
           (has_shown(robot, state, sensor, proof) || has_shown(robot, state, other, proof));
}

// Where a line's most width is known, it is one once it has ended.
static bool has_ended(const cmo_line_state *state, const cmo_candidate *candidate) {
    return cmi_line_has_left(candidate) || cmi_line_most_mm(state) == 0.0F;
}

// It goes on for longer than a line that lies at this slant.
static bool is_wide(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                    float slant) {
    return CMO_TWO_SIDED && !cmi_line_settles(robot) &&
           has_shown(robot, state, sensor, cmi_line_widest_mm(robot, state, sensor, slant));
}

// The same of two, of which neither has proved a line.
static bool both_are_wide(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    const cmo_candidate *second = &state->candidate[cmi_line_beside(sensor)];
    float tangent = cmi_line_tangent(robot, state, sensor);
    float slant = sqrtf(1.0F + tangent * tangent);
    return !second->accepted &&
           (is_wide(robot, state, sensor, slant) ||
            (second->open && is_wide(robot, state, cmi_line_beside(sensor), slant)));
}

// Where one sensor is enough, the one that has met the line is the one to rest over it: the other
// one may meet it much further on, at a table's edge further than the wheels may go.
static bool is_spare(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    const cmo_line_parameters *p = &state->parameters;
    bool edge = CMO_TABLE_EDGE && p->tone == CMO_TONE_VOID;
    bool one = CMO_TWO_SIDED && !cmi_line_pairs(state) && p->rest != CMO_REST_HALTED;
    return (edge || one) && p->sensor == CMO_SENSOR_EITHER && robot->report.sensor >= 0 &&
           robot->report.sensor != (int8_t)sensor;
}

// One sensor's candidate: what has shown its width is a line.
static void judge(cmo_robot *robot, cmo_line_state *state, uint8_t sensor) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    // Coming back, it drives over what it has left.
    if (!candidate->open || candidate->accepted || is_spare(robot, state, sensor) ||
        (cmi_line_settles(robot) && !candidate->passed)) {
        return;
    }
    float shown = cmi_line_shown_mm(robot, state, sensor);
    if (is_wide(robot, state, sensor, 1.0F)) {
        cmi_line_pass_over(robot, state, sensor, shown, CMO_PASSED_TOO_WIDE);
    } else if (shown >= proof_mm(robot, state)) {
        if (has_ended(state, candidate) &&
            (candidate->passed || cmi_light_on(&robot->light[sensor]))) {
            accept(robot, state, sensor);
        }
    } else if (candidate->passed && !candidate->doubted) {
        cmi_line_pass_over(robot, state, sensor, shown, CMO_PASSED_TOO_NARROW);
    }
}

// The same of two: a line is what both of them meet, at an angle at which it may be met. A rim that
// is met nearly lengthwise, or a patch beside one sensor, is not.
static void match(cmo_robot *robot, cmo_line_state *state, uint8_t sensor) {
    uint8_t other = cmi_line_beside(sensor);
    const cmo_candidate *candidate = &state->candidate[sensor];
    const cmo_candidate *second = &state->candidate[other];
    if (!candidate->open || candidate->accepted) {
        return;
    }
    float later = cmi_line_further_mm(robot, state, sensor);
    bool within = second->met && fabsf(later) <= state->window_mm;
    bool shares = within && second->open;
    if (within && cmi_line_most_mm(state) > 0.0F && both_are_wide(robot, state, sensor)) {
        cmi_line_pass_over(robot, state, sensor, cmi_line_shown_mm(robot, state, sensor),
                           CMO_PASSED_TOO_WIDE);
        if (shares) {
            cmi_line_pass_over(robot, state, other, cmi_line_shown_mm(robot, state, other),
                               CMO_PASSED_TOO_WIDE);
        }
    } else if (within && both_show(robot, state, sensor) && has_ended(state, candidate) &&
               (!shares || has_ended(state, second))) {
        accept(robot, state, sensor);
        if (shares && !second->accepted) {
            accept(robot, state, other);
        }
    } else if (is_narrow(robot, state, sensor) &&
               (!shares || second->accepted || is_narrow(robot, state, other))) {
        cmi_line_pass_over(robot, state, sensor, cmi_line_shown_mm(robot, state, sensor),
                           CMO_PASSED_TOO_NARROW);
    } else if (shares && !cmi_line_settles(robot) && is_behind(robot, state, sensor) &&
               is_behind(robot, state, other)) { // as wide as a line, but not at that slant
        cmi_line_pass_over(robot, state, sensor, cmi_line_shown_mm(robot, state, sensor),
                           CMO_PASSED_TOO_NARROW);
        cmi_line_pass_over(robot, state, other, cmi_line_shown_mm(robot, state, other),
                           CMO_PASSED_TOO_NARROW);
    } else if (!cmi_line_settles(robot) && !within && !candidate->doubted &&
               cmi_way_now(robot, sensor) - candidate->near.way_mm >
                   cmi_line_wait_mm(state, sensor)) {
        cmi_line_pass_over(robot, state, sensor, cmi_line_shown_mm(robot, state, sensor),
                           CMO_PASSED_ONE_SIDED);
    }
}

void cmi_line_look(cmo_robot *robot, cmo_line_state *state) {
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        const cmo_light *light = &robot->light[i];
        bool watched = state->watched & 1U << i;
        if (CMO_SLIDING && watched) {
            cmi_line_know_floor(robot, state, i);
        }
        if (watched && state->take != NULL) {
            state->take(robot, state, i);
        }
        for (uint8_t n = 0; n < light->crossings && watched && state->take == NULL; n++) {
            cmi_line_take(robot, state, i, &light->crossing[n]);
        }
        if (!cmi_line_pairs(state)) {
            judge(robot, state, i);
        }
    }
    if (cmi_line_pairs(state)) {
        uint8_t first = cmi_line_first(robot, state);
        match(robot, state, first);
        match(robot, state, cmi_line_beside(first));
    }
}

void cmi_line_accept_open(cmo_robot *robot, cmo_line_state *state) {
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        const cmo_candidate *candidate = &state->candidate[i];
        if (candidate->open && !candidate->accepted && !is_spare(robot, state, i) &&
            (candidate->passed || !cmi_line_needs_far(state))) {
            accept(robot, state, i);
        }
    }
}

bool cmi_line_met(const cmo_line_state *state, bool accepted) {
    uint8_t met = 0;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        const cmo_candidate *candidate = &state->candidate[i];
        if (state->watched & 1U << i && (accepted ? candidate->accepted : candidate->open)) {
            met = (uint8_t)(met | 1U << i);
        }
    }
    return state->parameters.sensor == CMO_SENSOR_BOTH ? met == state->watched : met != 0;
}

float cmi_line_width_mm(const cmo_line_state *state, float entry_rad) {
    float sum = 0.0F;
    uint8_t count = 0;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        const cmo_candidate *candidate = &state->candidate[i];
        if (candidate->accepted && candidate->passed) {
            sum += candidate->far_mm - candidate->near.way_mm;
            count++;
        }
    }
    float sine, cosine;
    cmi_sin_cos(entry_rad, &sine, &cosine);
    return count > 0 ? sum / (float)count * cosine : 0.0F;
}
