// SPDX-License-Identifier: MIT
#include "line_search.h"

#include "motion.h"
#include "odometer.h"
#include "routine.h"
#include "trig.h"

#include <math.h>

// A candidate is accepted once it has lasted for this share of the least width: between the 0.6
// of the longest decoration and the 1.0 of the narrowest line.
#define PROOF 0.8F

// ------------------------------------------------------------------------------- parameters --

static cmo_outcome check_sensors(cmo_robot *robot, cmo_line_state *state) {
    const cmo_line_parameters *p = &state->parameters;
    static const uint8_t sensors[4] = {3, 1, 2, 3};
    uint8_t lights = robot->description->lights;
    if ((unsigned)p->watch > CMO_WATCH_BOTH) {
        return cmo_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "watch", NAN);
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

// The way between two looks must be shorter than what proves a line.
static bool check_speed(cmo_robot *robot, const cmo_line_parameters *p) {
    const cmo_robot_description *d = robot->description;
    for (uint8_t i = 0; p->least_width_mm > 0.0F && i < d->lights; i++) {
        uint32_t interval = d->light[i].interval_us != 0 ? d->light[i].interval_us : d->tick_us;
        if (!(robot->port->traits & CMO_TRAIT_LOOK_TIMES) && d->tick_us > interval) {
            interval = d->tick_us;
        }
        float highest = PROOF * p->least_width_mm / ((float)interval * 1e-6F);
        if (p->creep_mm_s > highest) {
            robot->field = "creep_mm_s";
            robot->limit = highest;
            return false;
        }
    }
    return true;
}

static bool check_numbers(cmo_robot *robot, cmo_line_parameters *p) {
    const cmo_robot_description *d = robot->description;
    float slowest = fmaxf(d->slowest_mm_s, 1.0F);
    float top = d->top_speed_mm_s;
    bool good =
        cmo_take(robot, &p->blind_mm, 0.0F, 0.0F, 20000.0F, "blind_mm") &&
        cmo_take(robot, &p->cruise_mm_s, 0.5F * top, slowest, top, "cruise_mm_s") &&
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
    if (!cmo_take(robot, &p->beyond_mm, 0.0F, -500.0F, 500.0F, "beyond_mm")) {
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
    for (uint8_t i = 0; i < robot->description->lights; i++) {
        cmo_light *light = &robot->light[i];
        if (state->watched & 1U << i) {
            cmo_edge_start(&light->edge, &light->levels, state->parameters.tone,
                           robot->description->light[i].spot_mm);
            light->watching = true;
            light->interval_sum_us = light->interval_worst_us = 0;
            light->intervals = 0;
            light->gap_worst_mm = 0.0F;
            robot->band_low = light->edge.threshold - light->edge.hysteresis;
            robot->band_high = light->edge.threshold + light->edge.hysteresis;
        }
    }
}

cmo_outcome cmo_line_begin(cmo_robot *robot, cmo_line_state *state,
                           const cmo_line_parameters *parameters, cmo_step step, cmo_kind kind,
                           bool stop) {
    if (!cmo_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    *state = (cmo_line_state){.parameters = *parameters, .stop = stop};
    cmo_line_parameters *p = &state->parameters;
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
    cmo_begin(robot, &state->routine, step, kind);
    begin_look(robot, state);
    cmo_set_figure(robot, CMO_PASSED_OVER, 0.0F);
    return CMO_RUNNING;
}

// ------------------------------------------------------------------------------- candidates --

static float start_way(const cmo_robot *robot, uint8_t sensor) {
    return cmo_sensor_way(robot->description, sensor, robot->start_left_mm, robot->start_right_mm);
}

static float way_now(const cmo_robot *robot, uint8_t sensor) {
    return cmo_sensor_way(robot->description, sensor, robot->odometer.left_mm,
                          robot->odometer.right_mm);
}

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

static void take_crossing(cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                          const cmo_crossing *crossing) {
    cmo_candidate *candidate = &state->candidate[sensor];
    if (crossing->entering) {
        bool blind = crossing->way_mm - start_way(robot, sensor) < state->parameters.blind_mm;
        if (!blind && !candidate->accepted) {
            candidate->near = *crossing;
            candidate->near.speed_mm_s = fabsf(cmo_speed_mm_s(robot));
            cmo_moment moment = cmo_odometer_at(&robot->odometer, crossing->time_us);
            candidate->turn_rad = (moment.right_mm - moment.left_mm) / robot->description->track_mm;
            candidate->open = true;
            candidate->passed = false;
        }
    } else if (candidate->open) {
        if (!candidate->passed) { // and not when it comes back over the near edge
            candidate->far_mm = crossing->way_mm;
            candidate->passed = true;
        }
        if (candidate->accepted) {
            return;
        }
        float width = fabsf(crossing->way_mm - candidate->near.way_mm);
        if (width >= PROOF * state->parameters.least_width_mm) {
            accept(robot, state, sensor);
        } else {
            pass_over(robot, state, sensor, width);
        }
    }
}

void cmo_line_look(cmo_robot *robot, cmo_line_state *state) {
    for (uint8_t i = 0; i < robot->description->lights; i++) {
        if (!(state->watched & 1U << i)) {
            continue;
        }
        const cmo_light *light = &robot->light[i];
        cmo_candidate *candidate = &state->candidate[i];
        for (uint8_t n = 0; n < light->crossings; n++) {
            take_crossing(robot, state, i, &light->crossing[n]);
        }
        float width = fabsf(light->way_mm - candidate->near.way_mm);
        if (candidate->open && !candidate->accepted && light->edge.inside &&
            width >= PROOF * state->parameters.least_width_mm) {
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
    bool searching = robot->halt == 0;
    for (uint8_t i = 0; p->tone != CMO_TONE_VOID && i < robot->description->lights; i++) {
        const cmo_light *light = &robot->light[i];
        // Void must lie clearly below dark before it can be told from dark paint.
        float threshold = cmo_threshold(&light->levels, CMO_TONE_VOID);
        if (light->seen && threshold < -0.05F && light->reflectance < threshold) {
            cmo_end(robot, CMO_OUTCOME_NO_FLOOR);
            return true;
        }
    }
    if (robot->elapsed_us / 1000 > p->longest_ms) {
        cmo_end(robot, CMO_OUTCOME_TIME_OVER);
        return true;
    }
    if (searching && way > p->longest_mm) {
        cmo_end(robot, CMO_OUTCOME_NO_LINE);
        return true;
    }
    return false;
}

// --------------------------------------------------------------------------------- approach --

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
            for (uint8_t i = 0; i < robot->description->lights; i++) {
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

// ------------------------------------------------------------------------------------- stop --

// The sensor whose crossing counts: the first accepted, else the first that is on a candidate.
static uint8_t first_sensor(const cmo_robot *robot, const cmo_line_state *state) {
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

static void note_reaction(cmo_robot *robot, const cmo_line_state *state) {
    const cmo_candidate *candidate = &state->candidate[first_sensor(robot, state)];
    if (!(robot->report.present & CMO_FIGURE_BIT(CMO_REACTION_MS))) {
        cmo_set_figure(robot, CMO_REACTION_MS,
                       (float)(robot->clock_us - candidate->near.time_us) * 1e-3F);
    }
}

void cmo_line_halt(cmo_robot *robot, cmo_line_state *state) {
    note_reaction(robot, state);
    cmo_request_halt(robot, state->parameters.halt);
    robot->still_us = 0;
    cmo_enter(robot, CMO_STAGE_BRAKE);
}

void cmo_line_brake(cmo_robot *robot, cmo_line_state *state) {
    cmo_motion *motion = &state->motion;
    note_reaction(robot, state);
    cmo_motion_start(motion, robot, 0.0F, 1.0F, 1.0F);
    float speed = motion->speed_mm_s;
    motion->target_mm = speed * speed / (2.0F * motion->braking_mm_s2) +
                        speed * (float)robot->description->tick_us * 1e-6F;
    cmo_enter(robot, CMO_STAGE_BRAKE);
    cmo_motion_follow(motion, robot);
}

void cmo_line_track(cmo_robot *robot, cmo_line_state *state) {
    uint8_t sensor = first_sensor(robot, state);
    float beyond = way_now(robot, sensor) - state->candidate[sensor].near.way_mm;
    float step = fmaxf(robot->description->left_step_mm, robot->description->right_step_mm);
    bool reversed = beyond < state->furthest_mm - 1.5F * step;
    state->furthest_mm = fmaxf(state->furthest_mm, beyond);
    // First standstill: the first reversal, or 30 ms within one encoder step.
    if (!state->stood && (reversed || robot->still_us >= 30000)) {
        state->stood = true;
        state->stood_us = robot->elapsed_us - (reversed ? 0 : robot->still_us);
        cmo_set_figure(robot, CMO_STOPPING_DISTANCE_MM, reversed ? state->furthest_mm : beyond);
    }
}

bool cmo_line_stands(cmo_robot *robot, cmo_line_state *state) {
    cmo_line_track(robot, state);
    return robot->still_us >= cmo_standstill_us(robot);
}

// How far a sensor is to go on from here to its rest.
static float left_to_go(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    float place = candidate->near.way_mm;
    if (state->parameters.rest == CMO_REST_FAR_EDGE) {
        place = candidate->far_mm;
    } else if (state->parameters.rest == CMO_REST_CENTRE) {
        place = 0.5F * (candidate->near.way_mm + candidate->far_mm);
    }
    return place + state->parameters.beyond_mm - way_now(robot, sensor);
}

bool cmo_line_known(const cmo_line_state *state) {
    bool far =
        state->parameters.rest == CMO_REST_CENTRE || state->parameters.rest == CMO_REST_FAR_EDGE;
    bool known = cmo_line_met(state, true);
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        const cmo_candidate *candidate = &state->candidate[i];
        known = known && !(far && candidate->accepted && !candidate->passed);
    }
    return known;
}

void cmo_line_accept_open(cmo_robot *robot, cmo_line_state *state) {
    for (uint8_t i = 0; i < robot->description->lights; i++) {
        if (state->candidate[i].open && !state->candidate[i].accepted) {
            accept(robot, state, i);
        }
    }
}

float cmo_line_to_rest(const cmo_robot *robot, const cmo_line_state *state) {
    float sum = 0.0F;
    uint8_t count = 0;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        if (state->candidate[i].accepted) {
            sum += left_to_go(robot, state, i);
            count++;
        }
    }
    return count > 0 ? sum / (float)count : 0.0F;
}

bool cmo_line_edge_error(const cmo_robot *robot, const cmo_line_state *state, float *error_mm) {
    const cmo_line_parameters *p = &state->parameters;
    float missed[2] = {0.0F, 0.0F}; // by sensors that see the edge; by others
    uint8_t counts[2] = {0, 0};
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        if (!state->candidate[i].accepted) {
            continue;
        }
        // Each sensor that sees the edge says by how much the encoders are off; one that is past it
        // or before it says so only where the encoders claim the contrary.
        float counted = -left_to_go(robot, state, i) + p->beyond_mm;
        float place;
        bool sees = cmo_edge_place(&robot->light[i].edge, robot->light[i].reflectance, &place);
        place = p->rest == CMO_REST_FAR_EDGE ? -place : place;
        bool contrary = (place > 0.0F && counted < place) || (place < 0.0F && counted > place);
        if (sees || contrary) {
            missed[!sees] += place - counted;
        }
        counts[!sees]++;
    }
    uint8_t which = counts[0] == 0;
    float off = counts[which] > 0 ? missed[which] / (float)counts[which] : 0.0F;
    *error_mm = off - cmo_line_to_rest(robot, state);
    float spot = robot->description->light[first_sensor(robot, state)].spot_mm;
    return spot > 0.0F && fabsf(p->beyond_mm) < 0.3F * spot && p->rest != CMO_REST_CENTRE &&
           p->rest != CMO_REST_HALTED;
}

static void write_look_figures(cmo_robot *robot, const cmo_line_state *state) {
    uint32_t sum_us = 0;
    uint32_t worst_us = 0;
    uint32_t count = 0;
    float gap_mm = 0.0F;
    for (uint8_t i = 0; i < robot->description->lights; i++) {
        const cmo_light *light = &robot->light[i];
        if (state->watched & 1U << i) {
            sum_us += light->interval_sum_us;
            count += light->intervals;
            worst_us = light->interval_worst_us > worst_us ? light->interval_worst_us : worst_us;
            gap_mm = fmaxf(gap_mm, light->gap_worst_mm);
        }
    }
    if (count > 0) {
        cmo_set_figure(robot, CMO_LOOK_INTERVAL_MS, (float)sum_us * 1e-3F / (float)count);
        cmo_set_figure(robot, CMO_LOOK_INTERVAL_WORST_MS, (float)worst_us * 1e-3F);
        cmo_set_figure(robot, CMO_BLIND_GAP_MM, gap_mm);
    }
}

// The angle to the perpendicular of the line through both crossing points. When the robot's
// heading is to the left of the perpendicular, the right sensor crosses first:
// tan(angle) = (left way - right way) / (left place - right place).
static bool entry_angle(const cmo_robot *robot, const cmo_line_state *state, float *angle_rad) {
    const cmo_candidate *left = &state->candidate[0];
    const cmo_candidate *right = &state->candidate[CMO_LIGHTS_MAX > 1];
    if (CMO_LIGHTS_MAX < 2 || !left->open || !right->open) {
        return false;
    }
    const cmo_light_description *l = &robot->description->light[0];
    const cmo_light_description *r = &robot->description->light[CMO_LIGHTS_MAX > 1];
    // Both ways from where the routine started: before it the robot may have turned.
    float along = (left->near.way_mm - start_way(robot, 0) + l->ahead_mm) -
                  (right->near.way_mm - start_way(robot, 1) + r->ahead_mm);
    float across = l->left_mm - r->left_mm;
    if (fabsf(across) < 1.0F) {
        return false;
    }
    *angle_rad = cmo_atan(along / across);
    return true;
}

void cmo_line_finish(cmo_robot *robot, cmo_line_state *state) {
    uint8_t sensor = first_sensor(robot, state);
    const cmo_candidate *candidate = &state->candidate[sensor];
    write_look_figures(robot, state);
    cmo_set_figure(robot, CMO_CROSSING_SPEED_MM_S, candidate->near.speed_mm_s);
    float angle = 0.0F;
    bool angled = entry_angle(robot, state, &angle);
    if (angled) {
        cmo_set_figure(robot, CMO_ENTRY_ANGLE_DEG, cmo_degrees(angle));
    }
    if (state->stood) {
        float sine, cosine;
        cmo_sin_cos(angle, &sine, &cosine);
        float beyond = way_now(robot, sensor) - candidate->near.way_mm;
        float both = beyond;
        if (angled) { // the rest point is the middle of the spots
            both = 0.5F * (way_now(robot, 0) - state->candidate[0].near.way_mm + way_now(robot, 1) -
                           state->candidate[1].near.way_mm);
        }
        // Of a rest, errors count from there; else from the near edge.
        float target = state->parameters.rest != CMO_REST_HALTED
                           ? both + cmo_line_to_rest(robot, state)
                           : 0.0F;
        // Where the sensors stand over an edge, its reading says it better than the encoders.
        float error;
        if (cmo_line_edge_error(robot, state, &error)) {
            target = both - error;
        }
        float rolled = fmaxf(state->furthest_mm - beyond, 0.0F); // came back by itself
        uint32_t rest_us = robot->elapsed_us - robot->still_us;
        cmo_set_figure(robot, CMO_REST_ERROR_MM, (both - target) * cosine);
        cmo_set_figure(robot, CMO_OVERSHOOT_MM, (both + rolled - target) * cosine);
        cmo_set_figure(robot, CMO_SETTLE_MS,
                       rest_us > state->stood_us ? (float)(rest_us - state->stood_us) * 1e-3F
                                                 : 0.0F);
        if (angled) {
            float turned = cmo_turn_rad(robot) - candidate->turn_rad;
            cmo_set_figure(robot, CMO_RESIDUAL_ANGLE_DEG, cmo_degrees(angle + turned));
        }
    }
    cmo_end(robot, CMO_OUTCOME_DONE);
}
