// SPDX-License-Identifier: MIT
// What a sensor crosses: candidates, where they begin and end, and what was none.
#include "line_candidates.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/light_input.h"
#include "../tick/odometer.h"
#include "../tick/surfaces.h"
#include "line_doubt.h"

#include <math.h>
#include <stddef.h>

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

// By how much further on than the other sensor this one meets lines here, where that is known.
static float usual_mm(const cmo_line_state *state, uint8_t sensor) {
    return sensor == 0 ? state->skew_mm : -state->skew_mm;
}

float cmi_line_begins_later_mm(const cmo_robot *robot, const cmo_line_state *state) {
    const cmo_candidate *left = &state->candidate[0];
    const cmo_candidate *right = &state->candidate[CMI_FRONT - 1];
    float later = cmi_line_later_mm(robot, left->near.way_mm, right->near.way_mm);
#if CMO_SLIDING
    later += left->before_mm - right->before_mm;
#endif
    return later;
}

// By how much further on than usual it has met what it is on.
float cmi_line_further_mm(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    float later = cmi_line_begins_later_mm(robot, state);
    return (sensor == 0 ? later : -later) - usual_mm(state, sensor);
}

// How far a sensor goes on until the other one should have met what it has.
float cmi_line_wait_mm(const cmo_line_state *state, uint8_t sensor) {
    return state->window_mm + fmaxf(-usual_mm(state, sensor), 0.0F);
}

// The other sensor has stood on something since before the search, or since it passed it over: now
// that this one meets it too, that may be the line. Where a line's most width is known it is none:
// what a sensor stands on may be a field. Nor where both are to cross its edge.
static void count_in(const cmo_robot *robot, cmo_line_state *state, uint8_t sensor) {
    uint8_t other = cmi_line_beside(sensor);
    cmo_candidate *candidate = &state->candidate[other];
    if (!candidate->met && cmi_light_on(&robot->light[other]) && cmi_line_most_mm(state) == 0.0F &&
        state->parameters.sensor != CMO_SENSOR_BOTH) {
        candidate->met = true;
        candidate->near.way_mm += cmi_line_further_mm(robot, state, sensor);
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
    candidate->before_mm = candidate->slid_mm = 0.0F;
    candidate->crept = robot->stage == CMO_STAGE_PROVE;
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
        cmi_line_shown_mm(robot, state, sensor) >=
            CMI_LINE_LESSER_PROOF * state->parameters.least_width_mm &&
        on <= cmi_line_wait_mm(state, sensor)) {
        return; // of dense lines at a slant, the next one: the other sensor has yet to meet this
    }
    if (cmi_line_pairs(state) && candidate->open && !candidate->doubted) {
        // Met too early for a line that begins here.
        float width = candidate->far_mm - candidate->near.way_mm;
        cmi_line_pass_over(robot, state, sensor, width, CMO_PASSED_ONE_SIDED);
    }
    cmi_line_mark(robot, candidate, crossing);
#if CMO_SLIDING
    candidate->before_mm = cmi_line_slid_mm(robot, state, sensor, crossing);
#endif
    candidate->open = !blind;
    if (cmi_line_pairs(state)) {
        count_in(robot, state, sensor);
    }
}

// The tangent of the angle at which both have met a line: by how much further on one does so, over
// the sensors' distance. A line that is w wide lasts for w sqrt(1 + tan^2) along the way.
float cmi_line_tangent(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    float later = cmi_line_further_mm(robot, state, sensor) + usual_mm(state, sensor);
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
    bool both = cmi_line_pairs(state) && state->candidate[cmi_line_beside(sensor)].open;
    float tangent = both ? cmi_line_tangent(robot, state, sensor) : 0.0F;
    float slant = sqrtf(1.0F + tangent * tangent);
    if (state->take == NULL) { // or else it has been told when it came to the edge
        cmi_line_slide_on(robot, state, sensor, crossing);
    }
    candidate->wider = cmi_line_may_be_wider(robot, state, sensor, crossing);
    candidate->braked = cmi_line_braked_on(robot, state, sensor, crossing);
    candidate->doubted = !candidate->accepted && candidate->wider &&
                         width < CMO_PROOF_SHARE * state->parameters.least_width_mm * slant;
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
        float far_mm =
            candidate->passed ? candidate->far_mm : near_mm + state->parameters.least_width_mm;
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
