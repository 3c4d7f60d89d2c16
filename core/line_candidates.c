// SPDX-License-Identifier: MIT
// What a sensor crosses: candidates, their width, and which of them are lines.
#include "line_search.h"

#include "description.h"
#include "light_input.h"
#include "odometer.h"
#include "routine.h"

#include <math.h>
#include <stddef.h>

static void accept(cmo_robot *robot, cmo_line_state *state, uint8_t sensor) {
    state->candidate[sensor].accepted = true;
    if (robot->report.sensor < 0) {
        robot->report.sensor = (int8_t)sensor;
        robot->report.crossing_us = state->candidate[sensor].near.time_us;
        robot->report.crossing_mm = state->candidate[sensor].near.way_mm - start_way(robot, sensor);
        cmo_notify(robot, CMO_EVENT_CROSSING, sensor);
    }
}

static void pass_over(cmo_robot *robot, cmo_line_state *state, uint8_t sensor, float width_mm) {
    cmo_report *report = &robot->report;
    float count = cmo_figure_or(report, CMO_PASSED_OVER, 0.0F) + 1.0F;
    state->candidate[sensor].open = false;
    report->passed_at_mm = state->candidate[sensor].near.way_mm - start_way(robot, sensor);
    report->passed_width_mm = width_mm;
    report->passed_reason = CMO_PASSED_TOO_NARROW;
    cmo_set_figure(robot, CMO_PASSED_OVER, count);
    cmo_notify(robot, CMO_EVENT_PASSED_OVER, (int)count);
}

static bool is_settling(const cmo_robot *robot) {
    return robot->stage == CMO_STAGE_RETURN || robot->stage == CMO_STAGE_SETTLE;
}

// By the wheels it is too narrow. But they may have slid while they braked: no robot is faster then
// than it was at the crossing, and as wide as that it may be.
static bool may_be_wide(const cmo_robot *robot, const cmo_line_state *state,
                        const cmo_candidate *candidate, const cmo_crossing *crossing) {
    float within_s = (float)(crossing->time_us - candidate->near.time_us) * 1e-6F;
    return CMO_SLIDING && robot->stage == CMO_STAGE_BRAKE &&
           state->parameters.rest != CMO_REST_HALTED &&
           candidate->speed_mm_s * within_s >= CMO_LINE_PROOF * state->parameters.least_width_mm;
}

void cmo_line_judge(cmo_robot *robot, cmo_line_state *state, uint8_t sensor, float width_mm) {
    if (width_mm >= CMO_LINE_PROOF * state->parameters.least_width_mm) {
        accept(robot, state, sensor);
    } else {
        pass_over(robot, state, sensor, width_mm);
    }
}

static void enter(cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                  const cmo_crossing *crossing) {
    cmo_candidate *candidate = &state->candidate[sensor];
    bool blind = crossing->way_mm - start_way(robot, sensor) < state->parameters.blind_mm;
    if (blind || candidate->accepted) {
        return;
    }
    candidate->near = *crossing;
    candidate->speed_mm_s = fabsf(cmo_speed_mm_s(robot));
    cmo_moment moment = cmo_odometer_at(&robot->odometer, crossing->time_us);
    candidate->turn_rad = (moment.right_mm - moment.left_mm) / robot->description->track_mm;
    candidate->open = true;
    candidate->passed = candidate->corrected = candidate->doubted = false;
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
    if (candidate->accepted) {
        return;
    }
    float width = fabsf(crossing->way_mm - candidate->near.way_mm);
    candidate->doubted = width < CMO_LINE_PROOF * state->parameters.least_width_mm &&
                         may_be_wide(robot, state, candidate, crossing);
    if (!candidate->doubted) {
        cmo_line_judge(robot, state, sensor, width);
    }
}

// Which edge it leaves the line by: as it moves; hardly moving, by the one that is nearer.
static bool leaves_ahead(const cmo_robot *robot, const cmo_candidate *candidate, float way_mm) {
    float speed = cmo_speed_mm_s(robot);
    float slow = fmaxf(2.0F * robot->description->slowest_mm_s, 20.0F);
    if (fabsf(speed) < slow && candidate->passed) {
        return fabsf(way_mm - candidate->far_mm) < fabsf(way_mm - candidate->near.way_mm);
    }
    return speed > 0.0F;
}

static void take_crossing(cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                          const cmo_crossing *crossing) {
    cmo_candidate *candidate = &state->candidate[sensor];
    bool settles = is_settling(robot);
    bool far = crossing->entering ? candidate->side > 0
                                  : !settles || leaves_ahead(robot, candidate, crossing->way_mm);
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

void cmo_line_look(cmo_robot *robot, cmo_line_state *state) {
    for (uint8_t i = 0; i < cmo_front_lights(robot->description); i++) {
        if (!(state->watched & 1U << i)) {
            continue;
        }
        const cmo_light *light = &robot->light[i];
        cmo_candidate *candidate = &state->candidate[i];
        for (uint8_t n = 0; n < light->crossings; n++) {
            take_crossing(robot, state, i, &light->crossing[n]);
        }
        float width = fabsf(light->way_mm - candidate->near.way_mm);
        if (candidate->open && !candidate->accepted && light->edge.inside && !is_settling(robot) &&
            width >= CMO_LINE_PROOF * state->parameters.least_width_mm) {
            accept(robot, state, i);
        }
    }
}

void cmo_line_accept_open(cmo_robot *robot, cmo_line_state *state) {
    for (uint8_t i = 0; i < cmo_front_lights(robot->description); i++) {
        const cmo_candidate *candidate = &state->candidate[i];
        if (candidate->open && !candidate->accepted &&
            (candidate->passed || !cmo_line_needs_far(state))) {
            accept(robot, state, i);
        }
    }
}

bool cmo_line_met(const cmo_line_state *state, bool accepted) {
    uint8_t met = 0;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        const cmo_candidate *candidate = &state->candidate[i];
        if (state->watched & 1U << i && (accepted ? candidate->accepted : candidate->open)) {
            met = (uint8_t)(met | 1U << i);
        }
    }
    return state->parameters.watch == CMO_WATCH_BOTH ? met == state->watched : met != 0;
}
