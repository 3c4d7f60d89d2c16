// SPDX-License-Identifier: MIT
// What a sensor crosses: candidates, their width, and which of them are lines.
#include "line_candidates.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/light_input.h"
#include "../tick/odometer.h"
#include "../tick/surfaces.h"
#include "line_doubt.h"
#include "line_floor.h"

#include <math.h>
#include <stddef.h>

// The tangent of the entry angle from which on it must have the whole: sensors that meet something
// far apart may have met two things.
#define SURE_TANGENT 0.25F

// By so much a line may be wider than its wheels say: its centre is off by half of it.
#define MOST_SLID_MM 2.0F

uint8_t cmi_line_first(const cmo_robot *robot, const cmo_line_state *state) {
    if (robot->report.sensor >= 0) {
        return (uint8_t)robot->report.sensor;
    }
    uint8_t first = 0;
    bool found = false;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        const cmo_candidate *candidate = &state->candidate[i];
        bool earlier =
            candidate->open && found &&
            (int32_t)(candidate->near.time_us - state->candidate[first].near.time_us) < 0;
        if (candidate->open && (!found || earlier)) {
            first = i;
            found = true;
        }
    }
    return first;
}

void cmi_line_shift(cmo_line_state *state, float by_mm) {
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        state->candidate[i].near.way_mm += by_mm;
        state->candidate[i].far_mm += by_mm;
    }
    state->furthest_mm -= by_mm;
}

static float least_mm(const cmo_line_state *state) {
    return state->parameters.least_width_mm;
}

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

void cmi_line_note_passed(cmo_robot *robot, uint8_t sensor, float way_mm, float width_mm,
                          cmo_passed_reason reason) {
    cmo_report *report = &robot->report;
    float count = cmo_figure_or(report, CMO_PASSED_OVER, 0.0F) + 1.0F;
    report->passed_at_mm = way_mm - cmi_start_way(robot, sensor);
    report->passed_width_mm = width_mm;
    report->passed_reason = (uint8_t)reason;
    report->passed_sensor = sensor;
    cmi_set_figure(robot, CMO_PASSED_OVER, count);
    cmi_notify(robot, CMO_EVENT_PASSED_OVER, (int)count);
}

static void pass_over(cmo_robot *robot, cmo_line_state *state, uint8_t sensor, float width_mm,
                      cmo_passed_reason reason) {
    cmo_candidate *candidate = &state->candidate[sensor];
    candidate->open = false;
    candidate->met = CMO_TWO_SIDED && reason == CMO_PASSED_TOO_NARROW &&
                     width_mm >= CMI_LINE_LESSER_PROOF * least_mm(state);
    cmi_line_note_passed(robot, sensor, candidate->near.way_mm, width_mm, reason);
}

// The other one of the two front sensors.
static uint8_t beside(uint8_t sensor) {
    return (uint8_t)(CMI_FRONT - 1 - sensor);
}

// By how much further on than the other sensor this one meets lines here, where that is known.
static float usual_mm(const cmo_line_state *state, uint8_t sensor) {
    return sensor == 0 ? state->skew_mm : -state->skew_mm;
}

// By how much further on than that it has met what it is on.
static float later_mm(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    float left = state->candidate[0].near.way_mm;
    float right = state->candidate[CMI_FRONT - 1].near.way_mm;
    float later = cmi_line_later_mm(robot, left, right);
    return (sensor == 0 ? later : -later) - usual_mm(state, sensor);
}

// How far a sensor goes on until the other one should have met what it has.
static float wait_mm(const cmo_line_state *state, uint8_t sensor) {
    return state->window_mm + fmaxf(-usual_mm(state, sensor), 0.0F);
}

// The other sensor has stood on something since before the search, or since it passed it over: now
// that this one meets it too, that may be the line; unless it is known to be no wider than it is.
static void count_in(const cmo_robot *robot, cmo_line_state *state, uint8_t sensor) {
    uint8_t other = beside(sensor);
    cmo_candidate *candidate = &state->candidate[other];
    if (!candidate->met && cmi_light_on(&robot->light[other]) && cmi_line_most_mm(state) == 0.0F) {
        candidate->met = true;
        candidate->near.way_mm += later_mm(robot, state, sensor);
    }
}

// It has been looked at again, and is met once more.
static bool is_known(const cmo_line_state *state, const cmo_crossing *crossing) {
#if CMO_SLIDING
    return crossing->way_mm < state->known_mm;
#else
    (void)state, (void)crossing;
    return false;
#endif
}

// It has gone over an edge out of its candidate, which may be that of a hole.
static bool has_left(const cmo_candidate *candidate) {
    return candidate->passed || (CMO_TWO_SIDED && candidate->held);
}

// How far a sensor has come over its candidate: to the far edge, or to its newest look.
static float shown_mm(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    float to = has_left(candidate) ? candidate->far_mm : robot->light[sensor].way_mm;
    return fabsf(to - candidate->near.way_mm);
}

void cmi_line_mark(const cmo_robot *robot, cmo_candidate *candidate, const cmo_crossing *crossing) {
    candidate->near = *crossing;
    candidate->speed_mm_s = fabsf(cmo_speed_mm_s(robot));
    cmo_moment moment = cmi_odometer_at(&robot->odometer, crossing->time_us);
    candidate->turn_rad = (moment.right_mm - moment.left_mm) / robot->description->track_mm;
    candidate->met = candidate->open = true;
    candidate->passed = candidate->corrected = candidate->doubted = false;
#if CMO_TWO_SIDED
    candidate->read = false;
    candidate->apart_mm = 0.0F;
#endif
#if CMO_SLIDING
    candidate->wider = candidate->braked = false;
#endif
    candidate->accepted = candidate->worn = candidate->held = false;
#if CMO_SURFACES_MAX > 0
    candidate->surface = 0;
#endif
}

static void enter(cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                  const cmo_crossing *crossing) {
    cmo_candidate *candidate = &state->candidate[sensor];
    bool blind = crossing->way_mm - cmi_start_way(robot, sensor) < state->parameters.blind_mm;
    if (candidate->accepted || is_known(state, crossing)) {
        return;
    }
    if (CMO_SLIDING && candidate->open && candidate->passed &&
        crossing->way_mm - candidate->far_mm < 0.5F * robot->description->light[sensor].spot_mm) {
        candidate->passed = false; // standing at its far edge, it has come back onto it
        return;
    }
    float on = crossing->way_mm - candidate->near.way_mm;
    if (CMO_TWO_SIDED && state->parallel && candidate->open && candidate->passed &&
        shown_mm(robot, state, sensor) >= CMI_LINE_LESSER_PROOF * least_mm(state) &&
        on <= wait_mm(state, sensor)) {
        return; // of dense lines at a slant, the next one: the other sensor has yet to meet this
    }
    if (cmi_line_pairs(state) && candidate->open && !candidate->doubted) {
        // Met too early for a line that begins here.
        float width = candidate->far_mm - candidate->near.way_mm;
        pass_over(robot, state, sensor, width, CMO_PASSED_ONE_SIDED);
    }
    cmi_line_mark(robot, candidate, crossing);
    candidate->open = !blind;
    if (cmi_line_pairs(state)) {
        count_in(robot, state, sensor);
    }
}

// The tangent of the angle at which both have met a line: by how much further on one does so, over
// the sensors' distance. A line that is w wide lasts for w sqrt(1 + tan^2) along the way.
static float met_tangent(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    float later = later_mm(robot, state, sensor) + usual_mm(state, sensor);
    return later / fmaxf(fabsf(cmi_across_mm(robot->description)), 1.0F);
}

static void leave(cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                  const cmo_crossing *crossing) {
    cmo_candidate *candidate = &state->candidate[sensor];
    if (!candidate->open) {
        return;
    }
    if (!candidate->passed) { // and not when it comes back over the near edge
        candidate->far_mm = crossing->way_mm;
        candidate->passed = true;
    }
#if CMO_SLIDING
    float width = fabsf(crossing->way_mm - candidate->near.way_mm);
    bool both = cmi_line_pairs(state) && state->candidate[beside(sensor)].open;
    float tangent = both ? met_tangent(robot, state, sensor) : 0.0F;
    float slant = sqrtf(1.0F + tangent * tangent);
    candidate->wider = cmi_line_may_be_wider(robot, state, sensor, crossing);
    // As wide as this it is at most, had it not braked.
    float within_s = 1e-6F * (float)(int32_t)(crossing->time_us - candidate->near.time_us);
    candidate->braked = robot->stage > CMO_STAGE_SEARCH &&
                        candidate->speed_mm_s > 1.25F * cmi_line_again_mm_s(robot) &&
                        candidate->speed_mm_s * within_s > width + MOST_SLID_MM;
    candidate->doubted = !candidate->accepted && candidate->wider &&
                         width < CMO_PROOF_SHARE * least_mm(state) * slant;
#else
    (void)robot;
#endif
}

// Which edge it leaves the line by: as it moves; slowly, by the one that is nearer, for since the
// look it may have turned back. Where it has not seen the far one yet, that is no nearer than the
// least width.
static bool leaves_ahead(const cmo_robot *robot, const cmo_line_state *state,
                         const cmo_candidate *candidate, float way_mm) {
    float speed = cmo_speed_mm_s(robot);
    float slow = fmaxf(2.0F * robot->description->slowest_mm_s, 60.0F);
    if (fabsf(speed) < slow && (candidate->passed || CMO_SLIDING)) {
        float near_mm = candidate->near.way_mm;
        float far_mm = candidate->passed ? candidate->far_mm : near_mm + least_mm(state);
        return fabsf(way_mm - far_mm) < fabsf(way_mm - near_mm);
    }
    return speed > 0.0F;
}

void cmi_line_take(cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                   const cmo_crossing *crossing) {
    cmo_candidate *candidate = &state->candidate[sensor];
    bool settles = cmi_line_settles(robot);
    bool far = crossing->entering
                   ? candidate->side > 0
                   : !settles || leaves_ahead(robot, state, candidate, crossing->way_mm);
    candidate->side = (int8_t)(crossing->entering ? 0 : far ? 1 : -1);
    if (settles) { // edges are met again, and nothing new is
        if (state->again != NULL) {
            state->again(robot, state, sensor, crossing, far);
        }
    } else if (crossing->entering) {
        enter(robot, state, sensor, crossing);
    } else {
        leave(robot, state, sensor, crossing);
    }
}

// It has lasted for so long: in passing, or while it stands or drives on it.
static bool has_shown(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                      float proof_mm) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    return (has_left(candidate) || cmi_light_on(&robot->light[sensor])) &&
           shown_mm(robot, state, sensor) >= proof_mm;
}

// A halt at the crossing locks the wheels, and there is no going back to look again: there, both
// sensors may have measured less.
static float proof_mm(const cmo_robot *robot, const cmo_line_state *state) {
    bool locks = cmi_line_pairs(state) && robot->stage == CMO_STAGE_HALT &&
                 state->parameters.rest == CMO_REST_HALTED;
    return (locks ? CMI_LINE_LESSER_PROOF : CMO_PROOF_SHARE) * least_mm(state);
}

// It has left what was too narrow for a line.
static bool is_narrow(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    return candidate->passed && !candidate->doubted &&
           shown_mm(robot, state, sensor) < proof_mm(robot, state);
}

// It has come too far from what it has left to come back onto it as it brakes.
static bool is_behind(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    return candidate->open && candidate->passed && !candidate->doubted &&
           cmi_way_now(robot, sensor) - candidate->far_mm > cmi_line_slack_mm(robot, sensor);
}

// What both have met here is a line, if one of them has proved it.
static bool both_show(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    uint8_t other = beside(sensor);
    float tangent = met_tangent(robot, state, sensor);
    float slant = sqrtf(1.0F + tangent * tangent);
    float proof = proof_mm(robot, state) * slant;
    float sure = fminf(fabsf(tangent) / SURE_TANGENT, 1.0F);
    float lesser = sure * proof + (1.0F - sure) * CMI_LINE_LESSER_PROOF * least_mm(state) * slant;
    if (!state->candidate[other].open) {
        return has_shown(robot, state, sensor, proof);
    }
#if CMO_SLIDING
    float slid = fminf(lesser, proof_mm(robot, state));
    float least = state->candidate[sensor].wider ? slid : lesser;
    float least_other = state->candidate[other].wider ? slid : lesser;
#else
    float least = lesser;
    float least_other = lesser;
#endif
    return has_shown(robot, state, sensor, least) && has_shown(robot, state, other, least_other) &&
           (has_shown(robot, state, sensor, proof) || has_shown(robot, state, other, proof));
}

// Where a line's most width is known, it is one once it has ended.
static bool has_ended(const cmo_line_state *state, const cmo_candidate *candidate) {
    return has_left(candidate) || cmi_line_most_mm(state) == 0.0F;
}

// It goes on for longer than a line that lies at this slant.
static bool is_wide(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                    float slant) {
    return CMO_TWO_SIDED && !cmi_line_settles(robot) &&
           has_shown(robot, state, sensor, cmi_line_widest_mm(robot, state, sensor, slant));
}

// The same of two, of which neither has proved a line.
static bool both_are_wide(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    const cmo_candidate *second = &state->candidate[beside(sensor)];
    float tangent = met_tangent(robot, state, sensor);
    float slant = sqrtf(1.0F + tangent * tangent);
    return !second->accepted && (is_wide(robot, state, sensor, slant) ||
                                 (second->open && is_wide(robot, state, beside(sensor), slant)));
}

// At a table's edge the sensor that has met it is the one to rest over it: the other one may meet
// it further on than the wheels may go.
static bool is_spare(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    const cmo_line_parameters *p = &state->parameters;
    return CMO_TABLE_EDGE && p->tone == CMO_TONE_VOID && p->sensor == CMO_SENSOR_EITHER &&
           robot->report.sensor >= 0 && robot->report.sensor != (int8_t)sensor;
}

// One sensor's candidate: what has shown its width is a line.
static void judge(cmo_robot *robot, cmo_line_state *state, uint8_t sensor) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    // Coming back, it drives over what it has left.
    if (!candidate->open || candidate->accepted || is_spare(robot, state, sensor) ||
        (cmi_line_settles(robot) && !candidate->passed)) {
        return;
    }
    float shown = shown_mm(robot, state, sensor);
    if (is_wide(robot, state, sensor, 1.0F)) {
        pass_over(robot, state, sensor, shown, CMO_PASSED_TOO_WIDE);
    } else if (shown >= proof_mm(robot, state)) {
        if (has_ended(state, candidate) &&
            (candidate->passed || cmi_light_on(&robot->light[sensor]))) {
            accept(robot, state, sensor);
        }
    } else if (candidate->passed && !candidate->doubted) {
        pass_over(robot, state, sensor, shown, CMO_PASSED_TOO_NARROW);
    }
}

// The same of two: a line is what both of them meet, at an angle at which it may be met. A rim that
// is met nearly lengthwise, or a patch beside one sensor, is not.
static void match(cmo_robot *robot, cmo_line_state *state, uint8_t sensor) {
    uint8_t other = beside(sensor);
    const cmo_candidate *candidate = &state->candidate[sensor];
    const cmo_candidate *second = &state->candidate[other];
    if (!candidate->open || candidate->accepted) {
        return;
    }
    float later = later_mm(robot, state, sensor);
    bool within = second->met && fabsf(later) <= state->window_mm;
    bool shares = within && second->open;
    if (within && both_are_wide(robot, state, sensor)) {
        pass_over(robot, state, sensor, shown_mm(robot, state, sensor), CMO_PASSED_TOO_WIDE);
        if (shares) {
            pass_over(robot, state, other, shown_mm(robot, state, other), CMO_PASSED_TOO_WIDE);
        }
    } else if (within && both_show(robot, state, sensor) && has_ended(state, candidate) &&
               (!shares || has_ended(state, second))) {
        accept(robot, state, sensor);
        if (shares && !second->accepted) {
            accept(robot, state, other);
        }
    } else if (is_narrow(robot, state, sensor) &&
               (!shares || second->accepted || is_narrow(robot, state, other))) {
        pass_over(robot, state, sensor, shown_mm(robot, state, sensor), CMO_PASSED_TOO_NARROW);
    } else if (shares && !cmi_line_settles(robot) && is_behind(robot, state, sensor) &&
               is_behind(robot, state, other)) { // as wide as a line, but not at that slant
        pass_over(robot, state, sensor, shown_mm(robot, state, sensor), CMO_PASSED_TOO_NARROW);
        pass_over(robot, state, other, shown_mm(robot, state, other), CMO_PASSED_TOO_NARROW);
    } else if (!cmi_line_settles(robot) && !within && !candidate->doubted &&
               cmi_way_now(robot, sensor) - candidate->near.way_mm > wait_mm(state, sensor)) {
        pass_over(robot, state, sensor, shown_mm(robot, state, sensor), CMO_PASSED_ONE_SIDED);
    }
}

void cmi_line_look(cmo_robot *robot, cmo_line_state *state) {
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        const cmo_light *light = &robot->light[i];
        bool watched = state->watched & 1U << i;
        cmi_line_know_floor(robot, state, i);
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
        match(robot, state, beside(first));
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
