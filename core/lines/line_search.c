// SPDX-License-Identifier: MIT
#include "line_search.h"

#include <cammino/budget.h>

#include "../moves/motion.h"
#include "../shared/description.h"
#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/light_input.h"
#include "../tick/odometer.h"
#include "../tick/surfaces.h"
#include "last_line.h"
#include "line_candidates.h"

#include <math.h>

// ------------------------------------------------------------------------------- parameters --

static const cmi_row rows[] CMO_FLASH = {
    CMO_LINE_PARAMETERS(CMI_ROW, cmo_line_parameters)
        CMO_LINE_SENSOR_PARAMETER(CMI_ROW, cmo_line_parameters)
            CMO_LINE_ENDING_PARAMETER(CMI_ROW, cmo_line_parameters)
                CMO_LINE_REST_PARAMETER(CMI_ROW, cmo_line_parameters)
                    CMO_LINE_EFFORT_PARAMETER(CMI_ROW, cmo_line_parameters)
                        CMO_LINE_BEYOND_PARAMETER(CMI_ROW, cmo_line_parameters)};

#if CMO_SURFACES_MAX > 0
// Of the least width, what a search for a surface has to tell it by: what the spot does not share
// with the edges.
static float told_mm(const cmo_robot *robot, const cmo_line_parameters *p) {
    float spot = 0.0F;
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        spot = fmaxf(spot, cmi_surface_spot_mm(robot, i));
    }
    return p->least_width_mm - CMI_SURFACE_SPOTS * spot;
}

// Two looks have to lie there, with all that they expose one after another.
static float told_speed_mm_s(const cmo_robot *robot, const cmo_line_parameters *p, float look_s) {
    uint32_t span_us = 0;
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        uint32_t its = robot->description->light[i].colour_us;
        span_us = its > span_us ? its : span_us;
    }
    return told_mm(robot, p) / (2.0F * look_s + 1e-6F * (float)span_us);
}
#endif

// The way between two looks must be shorter than what proves a line; and at the edge of a table the
// robot must stand before its wheels get there.
static bool check_speed(cmo_robot *robot, cmo_line_parameters *p, cmo_routine_id id) {
    const cmo_robot_description *d = robot->description;
    float highest = d->top_speed_mm_s;
    if (p->least_width_mm > 0.0F) {
        float width = cmo_budget_width(d, robot->port->traits, 1.0F);
        highest = fminf(highest, p->least_width_mm / width);
#if CMO_SURFACES_MAX > 0
        highest = p->surface != 0 ? fminf(highest, told_speed_mm_s(robot, p, width)) : highest;
#endif
    }
#if CMO_TABLE_EDGE
    if (p->tone == CMO_TONE_VOID) {
        // A square watches both, and answers the first of them there.
        bool either = p->sensor == CMO_SENSOR_EITHER || id == CMO_ROUTINE_SQUARE_ON_LINE;
        highest = fminf(highest,
                        cmo_budget_edge_speed(d, p->largest_entry_deg, either, p->braking_mm_s2));
    }
#else
    (void)id;
#endif
    if (p->creep_mm_s <= highest) {
        return true;
    }
    cmi_refuse(robot, CMO_OUTCOME_TOO_FAST, "creep_mm_s", highest);
    if (p->too_fast == CMO_TOO_FAST_REFUSE || highest < fmaxf(d->slowest_mm_s, 1.0F)) {
        return false;
    }
    p->creep_mm_s = highest;
    return true;
}

// What follows from several of them.
static cmo_outcome check_together(cmo_robot *robot, cmo_line_parameters *p) {
    if (p->longest_mm < p->blind_mm + 1.0F) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "longest_mm", p->blind_mm + 1.0F);
    }
#if CMO_SURFACES_MAX > 0
    if (p->surface != 0 && told_mm(robot, p) <= 0.0F) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "least_width_mm",
                          ceilf(p->least_width_mm - told_mm(robot, p) + 1.0F));
    }
#endif
#if CMO_TWO_SIDED
    // Void has no far edge to be known by.
    if (p->most_width_mm != 0.0F &&
        (p->most_width_mm < p->least_width_mm || p->tone == CMO_TONE_VOID)) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "most_width_mm",
                          p->tone == CMO_TONE_VOID ? 0.0F : p->least_width_mm);
    }
#endif
    // There is nothing to stand on beyond the edge of a table.
    bool over = p->rest > CMO_REST_NEAR_EDGE;
    if (p->tone == CMO_TONE_VOID && p->rest != CMO_REST_HALTED && (over || p->beyond_mm > 0.0F)) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, over ? "rest" : "beyond_mm",
                          over ? NAN : 0.0F);
    }
    return CMO_OUTCOME_DONE;
}

static void fill_in(const cmo_robot *robot, cmo_line_parameters *p) {
    cmi_usual_speed(robot, &p->cruise_mm_s, 0.5F * robot->description->top_speed_mm_s);
    p->creep_mm_s = p->creep_mm_s != 0.0F ? p->creep_mm_s : p->cruise_mm_s;
    p->longest_mm = p->longest_mm != 0.0F ? p->longest_mm : p->blind_mm + 2000.0F;
#if CMO_SURFACES_MAX > 0
    if (p->surface != 0 && p->least_width_mm == 0.0F) {
        p->least_width_mm = 20.0F;
    }
#endif
#if CMO_TABLE_EDGE
    // An edge that was judged and found too narrow would be driven over.
    if (p->tone == CMO_TONE_VOID && p->least_width_mm == 0.0F) {
        p->least_width_mm = CMO_ANY_WIDTH;
    }
#endif
}

static uint32_t usual_longest_ms(const cmo_line_parameters *p) {
    float seconds = p->blind_mm / p->cruise_mm_s + (p->longest_mm - p->blind_mm) / p->creep_mm_s;
    // A rest takes moves, and looks at each; where the tyres slide or the motors stick, many. And
    // it halts, and creeps on, at what is no line.
    uint32_t settling_ms = p->ending == CMO_END_MOVING ? 2000U : 6000U;
    return (uint32_t)(2000.0F * seconds) + settling_ms;
}

// Within which way the second sensor meets a line that the first one has met.
static float window_mm(const cmo_robot *robot, const cmo_line_state *state) {
    const cmo_line_parameters *p = &state->parameters;
    bool two = CMO_TWO_SIDED && cmi_front_lights(robot->description) == 2 && state->watched == 3;
    if (!two || p->tone == CMO_TONE_VOID || p->largest_entry_deg > 89.0F) {
        return 0.0F;
    }
    float sine, cosine;
    cmi_sin_cos(cmi_radians(p->largest_entry_deg), &sine, &cosine);
    return fabsf(cmi_across_mm(robot->description)) * sine / cosine + cmi_line_slack_mm(robot, 0) +
           cmi_line_lasts_mm(robot, p);
}

// It stands at a line that it has halted at, and the next one is meant: amid its edge, sensors
// would cross it once more or not. A square is meant for that line, unless it has squared there.
static bool means_next(const cmo_robot *robot, const cmo_line_parameters *p, cmo_routine_id id) {
    cmi_halted at = cmi_last_line_halted(robot, p);
    bool halted = id == CMO_ROUTINE_SQUARE_ON_LINE
                      ? at == CMI_HALTED_SQUARED
                      : id != CMO_ROUTINE_FOLLOW_EDGE && at != CMI_HALTED_ELSEWHERE;
    return halted && p->blind_mm == 0.0F && p->tone != CMO_TONE_VOID;
}

// Off the line that was met last: the rest of the way counts from there. Returns the way to it.
static float start_clear(const cmo_robot *robot, cmo_line_state *state, cmo_routine_id id) {
    cmo_line_parameters *p = &state->parameters;
    if (!CMO_LAST_LINE || !(p->off_line || means_next(robot, p, id))) {
        return 0.0F;
    }
    p->off_line = true;
    float clear = cmi_last_line_clear_mm(robot, state->watched);
    float further = clear - p->blind_mm;
    if (further > 0.0F) {
        uint32_t longer_ms = (uint32_t)(2000.0F * further / p->cruise_mm_s);
        p->longest_mm += further;
        p->longest_ms += longer_ms < CMO_NO_END - p->longest_ms ? longer_ms : 0U;
        p->blind_mm = clear;
    }
    return clear;
}

static void begin_look(cmo_robot *robot, cmo_line_state *state) {
    const cmo_line_parameters *p = &state->parameters;
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        if (state->watched & 1U << i) {
#if CMO_SURFACES_MAX > 0
            if (p->surface != 0) {
                robot->teller->watch(robot, i, p->surface);
                continue;
            }
#endif
            cmi_watch_edge(robot, i, p->tone, p->band);
        }
    }
}

cmo_outcome cmi_line_begin(cmo_robot *robot, cmo_line_state *state,
                           const cmo_line_parameters *parameters, cmo_step step, cmo_routine_id id,
                           bool stop) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    *state = (cmo_line_state){.parameters = *parameters};
    cmo_line_parameters *p = &state->parameters;
    if (!stop && (p->rest != CMO_REST_HALTED || p->effort != CMO_EFFORT_NORMAL ||
                  p->beyond_mm != 0.0F)) { // of stop on line
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER,
                          p->rest != CMO_REST_HALTED       ? "rest"
                          : p->effort != CMO_EFFORT_NORMAL ? "effort"
                                                           : "beyond_mm",
                          p->beyond_mm != 0.0F ? 0.0F : NAN);
    }
    fill_in(robot, p);
    cmo_outcome outcome = cmi_check_parameters(robot, rows, CMI_ROWS(rows), p);
    if (outcome == CMO_OUTCOME_DONE) {
        outcome = check_together(robot, p);
    }
    if (outcome == CMO_OUTCOME_DONE && !CMO_LAST_LINE && p->off_line) {
        outcome = cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "off_line", NAN);
    }
    if (outcome == CMO_OUTCOME_DONE) {
        outcome = cmi_check_sensors(robot, p->sensor, p->tone, &state->watched);
    }
#if CMO_SURFACES_MAX > 0
    if (outcome == CMO_OUTCOME_DONE) {
        outcome = cmi_check_surface(robot, p->surface, p->tone, &p->band, state->watched);
    }
#endif
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    if (!check_speed(robot, p, id)) {
        return CMO_OUTCOME_TOO_FAST;
    }
    p->longest_ms = p->longest_ms != 0 ? p->longest_ms : usual_longest_ms(p);
    state->motion.acceleration_mm_s2 = p->acceleration_mm_s2;
    state->motion.braking_mm_s2 = p->braking_mm_s2;
    float clear = start_clear(robot, state, id);
    if (CMO_TABLE_EDGE && p->tone == CMO_TONE_VOID) {
        state->at_edge = cmi_last_line_halted(robot, p) != CMI_HALTED_ELSEWHERE;
    }
    cmi_begin(robot, &state->routine, step, id, p->longest_ms);
    begin_look(robot, state);
    state->window_mm = window_mm(robot, state);
#if CMO_SLIDING
    state->known_mm = -INFINITY;
#endif
    cmi_set_figure(robot, CMO_PASSED_OVER, 0.0F);
    if (p->off_line) {
        cmi_set_figure(robot, CMO_CLEAR_MM, clear);
    }
    return CMO_RUNNING;
}

// ------------------------------------------------------------------------------------- limits --

static bool is_searching(const cmo_robot *robot) {
    return robot->stage == CMO_STAGE_BLIND || robot->stage == CMO_STAGE_SEARCH;
}

// It has halted at a table's edge, and a watched sensor has been over void since the start: the
// edge that it is to find lies behind that. Elsewhere what reads like void may be a dark field.
static bool begins_over_edge(const cmo_robot *robot, const cmo_line_state *state) {
    bool over = false;
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        const cmo_light *light = &robot->light[i];
        bool crosses = state->candidate[i].met || light->crossings > 0;
        over = over || (state->watched & 1U << i && !crosses && cmi_light_on(light));
    }
    return over && state->at_edge && is_searching(robot);
}

bool cmi_line_ended(cmo_robot *robot, const cmo_line_state *state) {
    const cmo_line_parameters *p = &state->parameters;
    float way = cmi_gone_mm(robot);
    if (p->tone != CMO_TONE_VOID ? cmi_light_no_floor(robot)
                                 : CMO_TABLE_EDGE && begins_over_edge(robot, state)) {
        cmi_end(robot, CMO_OUTCOME_NO_FLOOR);
        return true;
    }
    // Once it is on a candidate, a line's greatest width more is allowed to show what it is.
    bool searches = is_searching(robot);
    if ((searches && !cmi_line_met(state, false) && way > p->longest_mm) ||
        (robot->stage == CMO_STAGE_PROVE && way > p->longest_mm + 500.0F)) {
        cmo_report *report = &robot->report;
        bool one = p->sensor == CMO_SENSOR_BOTH && report->passed_reason == CMO_PASSED_ONE_SIDED;
        report->sensor = (int8_t)(one ? report->passed_sensor : report->sensor);
        cmi_end(robot, one ? CMO_OUTCOME_ONE_SENSOR : CMO_OUTCOME_NO_LINE);
        return true;
    }
    return false;
}

// --------------------------------------------------------------------------------- approach --

// Where the line is expected, give or take what odometry drifts, the robot is slow enough to stop
// within some millimetres; elsewhere it is as fast as it may be.
static void slow_down_for(const cmo_robot *robot, cmo_line_state *state) {
    const cmo_line_parameters *p = &state->parameters;
    cmo_motion *motion = &state->motion;
    float drift = 4.0F + 0.01F * p->expected_mm;
    float left = p->expected_mm - drift - motion->place_mm;
    // Where the way to stop is short anyway, creeping over the drift would take longer than coming
    // back.
    float stopping = p->creep_mm_s * p->creep_mm_s / (2.0F * p->braking_mm_s2);
    if (motion->place_mm > p->expected_mm + drift || stopping < 4.5F * drift) {
        return; // or it was not there
    }
    float slow = fmaxf(4.0F * robot->description->slowest_mm_s, 100.0F);
    float limit = sqrtf(slow * slow + 2.0F * p->braking_mm_s2 * fmaxf(left, 0.0F));
    motion->top_mm_s = fminf(motion->top_mm_s, limit);
}

void cmi_line_approach(cmo_robot *robot, cmo_line_state *state) {
    const cmo_line_parameters *p = &state->parameters;
    cmo_motion *motion = &state->motion;
    if (robot->stage == CMO_STAGE_IDLE) {
        cmi_motion_start(motion, robot, INFINITY, 1.0F, 1.0F);
        cmi_enter(robot, CMO_STAGE_BLIND);
    }
    if (robot->stage == CMO_STAGE_BLIND) {
        float left = p->blind_mm - motion->place_mm;
        if (left <= 0.0F) {
            cmi_enter(robot, CMO_STAGE_SEARCH);
            cmi_count_gaps_anew(robot);
        }
        float slow =
            sqrtf(p->creep_mm_s * p->creep_mm_s + 2.0F * p->braking_mm_s2 * fmaxf(left, 0.0F));
        motion->top_mm_s = fminf(p->cruise_mm_s, slow);
    }
    if (robot->stage == CMO_STAGE_SEARCH) {
        motion->top_mm_s = p->creep_mm_s;
    }
    if (p->expected_mm > 0.0F) {
        slow_down_for(robot, state);
    }
    if (robot->stage == CMO_STAGE_PROVE) { // some millimetres, and it is to stop again at once
        float slow = fmaxf(2.0F * robot->description->slowest_mm_s, 40.0F);
        // With a rest it comes back anyway; and where it has to see a line's far edge, it stops
        // then.
        bool quick = p->rest != CMO_REST_HALTED || cmi_line_most_mm(state) > 0.0F;
        slow = quick ? 3.0F * slow : slow;
        motion->top_mm_s = fminf(p->creep_mm_s, slow);
    }
    cmi_motion_follow(motion, robot);
}

void cmi_line_forget_stop(cmo_robot *robot, cmo_line_state *state) {
    state->stood = false;
    state->furthest_mm = 0.0F;
    robot->report.present &=
        ~(CMO_FIGURE_BIT(CMO_REACTION_MS) | CMO_FIGURE_BIT(CMO_STOPPING_DISTANCE_MM) |
          CMO_FIGURE_BIT(CMO_PREDICTED_OVERSHOOT_MM));
}

void cmi_line_refute(cmo_robot *robot, cmo_line_state *state) {
    cmi_line_forget_stop(robot, state);
    cmi_enter(robot, CMO_STAGE_SEARCH);
}

void cmi_line_resume(cmo_robot *robot, cmo_line_state *state) {
    if (!cmi_line_met(state, false)) { // that was no line: its figures go with it
        cmi_line_refute(robot, state);
    }
    cmi_motion_start(&state->motion, robot, INFINITY, 1.0F, 1.0F);
    state->motion.braking_mm_s2 = state->parameters.braking_mm_s2;
}
