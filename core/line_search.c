// SPDX-License-Identifier: MIT
#include "line_search.h"

#include <cammino/budget.h>

#include "description.h"
#include "light_input.h"
#include "motion.h"
#include "odometer.h"
#include "routine.h"

#include <math.h>

// ------------------------------------------------------------------------------- parameters --

static cmo_outcome check_sensors(cmo_robot *robot, cmo_line_state *state) {
    const cmo_line_parameters *p = &state->parameters;
    static const uint8_t sensors[4] = {3, 1, 2, 3};
    uint8_t lights = cmo_front_lights(robot->description);
    if ((unsigned)p->watch > CMO_WATCH_BOTH) {
        return cmo_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "watch", NAN);
    }
    if (!(p->band.low <= p->band.high)) {
        return cmo_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "band", NAN);
    }
    if ((unsigned)p->tone > CMO_TONE_VOID) {
        return cmo_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "tone", NAN);
    }
    bool enough =
        p->watch == CMO_WATCH_EITHER || p->watch == CMO_WATCH_LEFT ? lights >= 1 : lights >= 2;
    if (!enough) {
        return cmo_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "watch", NAN);
    }
    state->watched = sensors[p->watch];
    for (uint8_t i = 0; i < lights; i++) {
        if (!(state->watched & 1U << i)) {
            continue;
        }
        const cmo_levels *levels = &robot->light[i].levels;
        if (!cmo_levels_usable(levels)) {
            return cmo_refuse(robot, CMO_OUTCOME_LOW_CONTRAST, "levels", NAN);
        }
        if (p->tone == CMO_TONE_VOID && !(cmo_threshold(levels, CMO_TONE_VOID) < -0.02F)) {
            return cmo_refuse(robot, CMO_OUTCOME_LOW_CONTRAST, "tone", NAN);
        }
    }
    return CMO_OUTCOME_DONE;
}

// The way between two looks must be shorter than what proves a line; and at the edge of a table the
// robot must stand before its wheels get there.
static bool check_speed(cmo_robot *robot, cmo_line_parameters *p) {
    const cmo_robot_description *d = robot->description;
    float highest = d->top_speed_mm_s;
    if (p->least_width_mm > 0.0F) {
        float width = cmo_budget_width(d, robot->port->traits, 1.0F);
        highest = fminf(highest, p->least_width_mm / width);
    }
#if CMO_TABLE_EDGE
    for (uint8_t i = 0; p->tone == CMO_TONE_VOID && i < cmo_front_lights(d); i++) {
        float safe = cmo_budget_speed(d, i, cmo_budget_reach(d), p->braking_mm_s2);
        highest = fminf(highest, safe);
    }
#endif
    if (p->creep_mm_s <= highest) {
        return true;
    }
    robot->field = "creep_mm_s";
    robot->limit = highest;
    if (p->too_fast == CMO_TOO_FAST_REFUSE || highest < fmaxf(d->slowest_mm_s, 1.0F)) {
        return false;
    }
    p->creep_mm_s = highest;
    return true;
}

static bool check_numbers(cmo_robot *robot, cmo_line_parameters *p) {
    const cmo_robot_description *d = robot->description;
    float slowest = fmaxf(d->slowest_mm_s, 1.0F);
    float top = d->top_speed_mm_s;
    bool good =
        cmo_take(robot, &p->blind_mm, 0.0F, 0.0F, 20000.0F, "blind_mm") &&
        cmo_take(robot, &p->cruise_mm_s, fmaxf(0.5F * top, slowest), slowest, top, "cruise_mm_s") &&
        cmo_take(robot, &p->creep_mm_s, p->cruise_mm_s, slowest, top, "creep_mm_s") &&
        cmo_take(robot, &p->longest_mm, p->blind_mm + 2000.0F, p->blind_mm + 1.0F, 50000.0F,
                 "longest_mm") &&
        cmo_take(robot, &p->acceleration_mm_s2, d->acceleration_mm_s2, 10.0F, 50000.0F,
                 "acceleration_mm_s2") &&
        cmo_take(robot, &p->braking_mm_s2, d->braking_mm_s2, 10.0F, 50000.0F, "braking_mm_s2");
    if (!good) {
        return false;
    }
    if (p->least_width_mm == CMO_ANY_WIDTH) {
        p->least_width_mm = 0.0F;
    } else if (!cmo_take(robot, &p->least_width_mm, 10.0F, 1.0F, 500.0F, "least_width_mm")) {
        return false;
    }
    if ((unsigned)p->rest > CMO_REST_FAR_EDGE) {
        robot->field = "rest";
        robot->limit = NAN;
        return false;
    }
    // There is nothing to stand on beyond the edge of a table.
    bool over = p->rest > CMO_REST_NEAR_EDGE;
    if (p->tone == CMO_TONE_VOID && p->rest != CMO_REST_HALTED && (over || p->beyond_mm > 0.0F)) {
        robot->field = over ? "rest" : "beyond_mm";
        robot->limit = over ? NAN : 0.0F;
        return false;
    }
    if (!cmo_take(robot, &p->beyond_mm, 0.0F, -500.0F, 500.0F, "beyond_mm")) {
        return false;
    }
    if (!cmo_take(robot, &p->expected_mm, 0.0F, 0.0F, 50000.0F, "expected_mm")) {
        return false;
    }
    if ((unsigned)p->effort > CMO_EFFORT_FINE) {
        robot->field = "effort";
        robot->limit = NAN;
        return false;
    }
    if ((unsigned)p->too_fast > CMO_TOO_FAST_SLOW) {
        robot->field = "too_fast";
        robot->limit = NAN;
        return false;
    }
    if ((unsigned)p->ending > CMO_END_MOVING) {
        robot->field = "ending";
        robot->limit = NAN;
        return false;
    }
    if (p->longest_ms == 0) {
        float seconds =
            p->blind_mm / p->cruise_mm_s + (p->longest_mm - p->blind_mm) / p->creep_mm_s;
        p->longest_ms = (uint32_t)(2000.0F * seconds) + 2000U;
    }
    return true;
}

static void begin_look(cmo_robot *robot, cmo_line_state *state) {
    for (uint8_t i = 0; i < cmo_front_lights(robot->description); i++) {
        cmo_light *light = &robot->light[i];
        if (state->watched & 1U << i) {
            float spot_mm = robot->description->light[i].spot_mm;
            if (state->parameters.band.low != state->parameters.band.high) {
                cmo_edge_start_band(&light->edge, &light->levels, state->parameters.band, spot_mm);
            } else {
                cmo_edge_start(&light->edge, &light->levels, state->parameters.tone, spot_mm);
            }
            cmo_light_count_anew(light);
        }
    }
}

cmo_outcome cmo_line_begin(cmo_robot *robot, cmo_line_state *state,
                           const cmo_line_parameters *parameters, cmo_step step, cmo_kind kind,
                           bool stop) {
    if (!cmo_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    *state = (cmo_line_state){.parameters = *parameters};
    cmo_line_parameters *p = &state->parameters;
    if (!stop && (p->rest != CMO_REST_HALTED || p->effort != CMO_EFFORT_NORMAL ||
                  p->beyond_mm != 0.0F)) { // of stop on line
        return cmo_refuse(robot, CMO_OUTCOME_BAD_PARAMETER,
                          p->rest != CMO_REST_HALTED       ? "rest"
                          : p->effort != CMO_EFFORT_NORMAL ? "effort"
                                                           : "beyond_mm",
                          p->beyond_mm != 0.0F ? 0.0F : NAN);
    }
    cmo_outcome outcome = check_sensors(robot, state);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    if (!check_numbers(robot, p)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    if (!cmo_take_halt(robot, &p->halt)) {
        return CMO_OUTCOME_NOT_SUPPORTED;
    }
    if (!check_speed(robot, p)) {
        return CMO_OUTCOME_TOO_FAST;
    }
    state->motion.acceleration_mm_s2 = p->acceleration_mm_s2;
    state->motion.braking_mm_s2 = p->braking_mm_s2;
    cmo_begin(robot, &state->routine, step, kind, p->longest_ms);
    begin_look(robot, state);
    cmo_set_figure(robot, CMO_PASSED_OVER, 0.0F);
    return CMO_RUNNING;
}

// ------------------------------------------------------------------------------- candidates --

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

// By as much as the two places of an edge that is met twice differ, the encoders have gone wrong in
// between, through sliding and gear play: so have all that they say of this line.
static void shift(cmo_line_state *state, float shift_mm) {
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        cmo_candidate *candidate = &state->candidate[i];
        if (candidate->open && !candidate->corrected) {
            candidate->near.way_mm += shift_mm;
            candidate->far_mm += shift_mm;
        }
    }
}

// On the way back over the far edge: how far it is off is gear play, creep and the looks' own
// error, or else it has slid. Small shifts count only for the centre, where no edge is left under
// the sensors to settle on, and only if the spot had left the line by twice its width: near the
// edge the second crossing is a slow and vague one.
static void correct(cmo_robot *robot, cmo_line_state *state, uint8_t sensor, float way_mm) {
    cmo_candidate *candidate = &state->candidate[sensor];
    float by = way_mm - candidate->far_mm;
    float beyond = candidate->near.way_mm + state->furthest_mm - candidate->far_mm;
    float spot_mm = robot->description->light[sensor].spot_mm;
    float rolled = cmo_line_rolled_mm(robot, state);
    bool centre = state->parameters.rest == CMO_REST_CENTRE;
    if (candidate->corrected) {
        return;
    }
    if (fabsf(by + rolled) > 2.0F + rolled + 0.5F * spot_mm) {
        shift(state, by);
        candidate->corrected = true;
        state->furthest_mm -= by;
        state->motion.target_mm += state->motion.left_sign * by;
        // Then what lies between the edges was not measured rightly either: on over the near one.
        if (centre) {
            state->looks_again = true;
            state->motion.target_mm = INFINITY;
        }
    } else if (beyond >= 2.0F * spot_mm && centre) {
        uint8_t accepted = 0;
        for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
            accepted = (uint8_t)(accepted + state->candidate[i].accepted);
        }
        candidate->corrected = true;
        candidate->near.way_mm += by;
        candidate->far_mm += by;
        // The shift holds what has rolled on, which the way back has been given already.
        state->motion.target_mm += (state->motion.left_sign * by - rolled) / (float)accepted;
    }
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

static void judge(cmo_robot *robot, cmo_line_state *state, uint8_t sensor, float width_mm) {
    if (width_mm >= CMO_LINE_PROOF * state->parameters.least_width_mm) {
        accept(robot, state, sensor);
    } else {
        pass_over(robot, state, sensor, width_mm);
    }
}

// Going back over it slowly, nothing slides: here the edges are.
static void look_again(cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                       const cmo_crossing *crossing, bool is_far) {
    cmo_candidate *candidate = &state->candidate[sensor];
    float by = crossing->way_mm - (is_far ? candidate->far_mm : candidate->near.way_mm);
    if (is_far && !candidate->passed) {
        candidate->far_mm = crossing->way_mm;
        candidate->passed = true;
    } else if (is_far || candidate->accepted) {
        float before = candidate->near.way_mm;
        shift(state, by);
        candidate->near.way_mm = before + by;
        candidate->corrected = true;
        state->furthest_mm -= by;
    }
    if (!is_far && candidate->doubted) {
        float width = fabsf(candidate->far_mm - crossing->way_mm);
        candidate->near.way_mm = crossing->way_mm;
        candidate->doubted = false;
        judge(robot, state, sensor, width);
    }
}

// While it comes back and settles, edges are met again, and nothing new is.
static void take_again(cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                       const cmo_crossing *crossing, bool far) {
    cmo_candidate *candidate = &state->candidate[sensor];
    if (!CMO_SLIDING || !candidate->open) {
        return;
    }
    if (state->looks_again) {
        look_again(robot, state, sensor, crossing, far);
    } else if (crossing->entering && far && candidate->accepted && candidate->passed &&
               robot->stage == CMO_STAGE_RETURN) {
        correct(robot, state, sensor, crossing->way_mm);
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
        judge(robot, state, sensor, width);
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
    if (settles) {
        take_again(robot, state, sensor, crossing, far);
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

bool cmo_line_doubts(const cmo_line_state *state) {
    bool doubts = false;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        const cmo_candidate *candidate = &state->candidate[i];
        doubts = doubts || (candidate->open && !candidate->accepted && candidate->doubted);
    }
    return doubts;
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

bool cmo_line_ended(cmo_robot *robot, const cmo_line_state *state) {
    const cmo_line_parameters *p = &state->parameters;
    float way = cmo_way_mm(robot) - 0.5F * (robot->start_left_mm + robot->start_right_mm);
    for (uint8_t i = 0; p->tone != CMO_TONE_VOID && i < cmo_front_lights(robot->description); i++) {
        const cmo_light *light = &robot->light[i];
        // Void must lie clearly below dark before it can be told from dark paint.
        float threshold = cmo_threshold(&light->levels, CMO_TONE_VOID);
        if (light->seen && threshold < -0.05F && light->reflectance < threshold) {
            cmo_end(robot, CMO_OUTCOME_NO_FLOOR);
            return true;
        }
    }
    // Once it is on a candidate, a line's greatest width more is allowed to show what it is.
    bool searches = robot->stage == CMO_STAGE_BLIND || robot->stage == CMO_STAGE_SEARCH;
    if ((searches && !cmo_line_met(state, false) && way > p->longest_mm) ||
        (robot->stage == CMO_STAGE_PROVE && way > p->longest_mm + 500.0F)) {
        cmo_end(robot, CMO_OUTCOME_NO_LINE);
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

void cmo_line_approach(cmo_robot *robot, cmo_line_state *state) {
    const cmo_line_parameters *p = &state->parameters;
    cmo_motion *motion = &state->motion;
    if (robot->stage == CMO_STAGE_IDLE) {
        cmo_motion_start(motion, robot, INFINITY, 1.0F, 1.0F);
        cmo_enter(robot, CMO_STAGE_BLIND);
    }
    if (robot->stage == CMO_STAGE_BLIND) {
        float left = p->blind_mm - motion->place_mm;
        if (left <= 0.0F) {
            cmo_enter(robot, CMO_STAGE_SEARCH);
            for (uint8_t i = 0; i < cmo_front_lights(robot->description); i++) {
                robot->light[i].gap_worst_mm = 0.0F;
            }
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
        slow = p->rest != CMO_REST_HALTED ? 3.0F * slow : slow; // it comes back anyway
        motion->top_mm_s = fminf(p->creep_mm_s, slow);
    }
    cmo_motion_follow(motion, robot);
}

void cmo_line_refute(cmo_robot *robot, cmo_line_state *state) {
    state->stood = false;
    state->furthest_mm = 0.0F;
    robot->report.present &=
        ~(CMO_FIGURE_BIT(CMO_REACTION_MS) | CMO_FIGURE_BIT(CMO_STOPPING_DISTANCE_MM));
    cmo_enter(robot, CMO_STAGE_SEARCH);
}

void cmo_line_resume(cmo_robot *robot, cmo_line_state *state) {
    if (!cmo_line_met(state, false)) { // that was no line: its figures go with it
        cmo_line_refute(robot, state);
    }
    cmo_motion_start(&state->motion, robot, INFINITY, 1.0F, 1.0F);
}
