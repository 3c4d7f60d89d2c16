// SPDX-License-Identifier: MIT
// Four passes over two lines. What is made of them is in geometry.c.
#include <cammino/measure_geometry.h>

#include "geometry.h"

#include "../moves/motion.h"
#include "../moves/move.h"
#include "../shared/description.h"
#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/odometer.h"

#include <math.h>
#include <string.h>

#define LEAST_WIDTH_MM 8.0F
#define CLEAR_MM       100.0F

static const float slants[CMI_PASSES] = {0.0F, 1.0F, 0.0F, -1.0F};

static void watch(cmo_robot *robot, cmo_measure_geometry_state *state) {
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        cmi_watch_edge(robot, i, state->parameters.tone, (cmo_band){0.0F, 0.0F});
        state->met[i] = 0;
    }
}

// Gently: what slides or rocks is measured with.
static void take_rates(const cmo_robot *robot, cmo_measure_geometry_state *state, float share) {
    const cmo_robot_description *d = robot->description;
    state->motion.acceleration_mm_s2 = share * fminf(d->acceleration_mm_s2, 1500.0F);
    state->motion.braking_mm_s2 = share * fminf(d->braking_mm_s2, 1500.0F);
}

static void begin_pass(cmo_robot *robot, cmo_measure_geometry_state *state) {
    state->start_left_mm = robot->odometer.left_mm;
    state->start_right_mm = robot->odometer.right_mm;
    memset(state->meeting[state->pass], 0, sizeof state->meeting[state->pass]);
    watch(robot, state);
    take_rates(robot, state, 1.0F);
    cmi_motion_start(&state->motion, robot, INFINITY, 1.0F, 1.0F);
    cmi_enter(robot, CMO_STAGE_SEARCH);
}

// By how much the wheels have turned it since the pass began.
static float turned_rad(const cmo_robot *robot, const cmo_measure_geometry_state *state,
                        const cmo_moment *then) {
    float left = then->left_mm - state->start_left_mm;
    float right = then->right_mm - state->start_right_mm;
    return (right - left) / robot->description->track_mm;
}

// A sensor leaves a line: its middle lies halfway between the crossing into it and this one. Of its
// own way what turning has added is taken out: what is left is the robot's.
static void take_line(cmo_robot *robot, cmo_measure_geometry_state *state, uint8_t sensor,
                      const cmo_crossing *out) {
    const cmo_crossing *in = &state->into[sensor];
    float width = out->way_mm - in->way_mm;
    if (width < LEAST_WIDTH_MM || state->met[sensor] >= 2) {
        return; // a speck
    }
    const cmo_robot_description *d = robot->description;
    cmo_line_meeting *meeting = &state->meeting[state->pass][state->met[sensor]++];
    cmo_moment then = cmi_odometer_at(&robot->odometer, out->time_us);
    const cmo_moment *before = &state->wheels[sensor];
    float turn = 0.5F * (turned_rad(robot, state, before) + turned_rad(robot, state, &then));
    float start = cmi_sensor_way(d, sensor, state->start_left_mm, state->start_right_mm);
    meeting->way_mm[sensor] =
        0.5F * (in->way_mm + out->way_mm) - start + d->light[sensor].left_mm * turn;
    meeting->width_mm[sensor] = width;
    // Where the wheels were half way through: both sensors' mean stands for the robot.
    meeting->left_mm += 0.25F * (then.left_mm + before->left_mm);
    meeting->right_mm += 0.25F * (then.right_mm + before->right_mm);
    meeting->speed_mm_s += 0.5F * width / ((float)(out->time_us - in->time_us) * 1e-6F);
}

static void look(cmo_robot *robot, cmo_measure_geometry_state *state) {
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        const cmo_light *light = &robot->light[i];
        for (uint8_t n = 0; n < light->crossings; n++) {
            if (light->crossing[n].entering) {
                state->into[i] = light->crossing[n];
                state->wheels[i] = cmi_odometer_at(&robot->odometer, light->crossing[n].time_us);
            } else {
                take_line(robot, state, i, &light->crossing[n]);
            }
        }
    }
}

// Evenly, but for the first pass: slow over the first line and fast over the second. Not the other
// way round: after braking, the wheels roll on somewhere within the gear play.
static float pass_speed(const cmo_measure_geometry_state *state) {
    const cmo_measure_geometry_parameters *p = &state->parameters;
    bool beyond = state->met[0] > 0 && state->met[1] > 0;
    if (state->pass > 0) {
        return p->speed_mm_s;
    }
    return beyond ? p->fast_mm_s : p->speed_mm_s;
}

static void drive_pass(cmo_robot *robot, cmo_measure_geometry_state *state) {
    cmo_motion *motion = &state->motion;
    look(robot, state);
    bool both = state->met[0] >= 2 && state->met[1] >= 2;
    if (both && isinf(motion->target_mm)) {
        // After half a turn the sensors are to stand before the line again, with a run-up.
        const cmo_light_description *light = robot->description->light;
        float ahead = fmaxf(light[0].ahead_mm, light[CMI_FRONT - 1].ahead_mm);
        motion->target_mm = motion->place_mm + 2.0F * fmaxf(ahead, 0.0F) + CLEAR_MM +
                            0.2F * fabsf(light[0].left_mm - light[CMI_FRONT - 1].left_mm);
    }
    if (!both && motion->place_mm > state->parameters.longest_mm) {
        cmi_end(robot, CMO_OUTCOME_NO_LINE);
        return;
    }
    motion->top_mm_s = pass_speed(state);
    cmi_motion_follow(motion, robot);
}

// Half a turn, and what the slant of the next pass and the heading of this one ask for.
static void begin_turn(cmo_robot *robot, cmo_measure_geometry_state *state) {
    uint8_t pass = state->pass;
    float slant = cmi_radians(state->parameters.slant_deg) * slants[(pass + 1U) % CMI_PASSES];
    float now =
        cmi_geometry_heading(robot->description, state->meeting[pass], state->motion.place_mm);
    float turn = CMI_PI + slant - now;
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        cmi_watch_nothing(robot, i);
    }
    cmi_motion_start(&state->motion, robot, 0.5F * turn * robot->description->track_mm, -1.0F,
                     1.0F);
    state->motion.top_mm_s = 2.0F * state->parameters.speed_mm_s;
    take_rates(robot, state, CMI_TURN_SHARE);
    state->settle_us = 0;
    cmi_enter(robot, CMO_STAGE_TURN);
}

// Half a turn; then it stands still for as long as the round takes to be worked out.
static void turn(cmo_robot *robot, cmo_measure_geometry_state *state) {
    if (!state->motion.arrived) {
        cmi_motion_follow(&state->motion, robot);
        return;
    }
    state->settle_us += robot->dt_us;
    bool settled =
        cmi_motion_settle(&state->motion, robot, cmi_least_tolerance_mm(robot), CMI_STICKS_US);
    if (!settled && !state->turned && state->settle_us < 600000) {
        return;
    }
    if (!state->turned) {
        state->turned = true;
        if (++state->pass == CMI_PASSES) {
            state->pass = 0;
            state->round++;
        }
    }
    if (state->pass == 0 && !cmi_geometry_solve(robot->description, state)) {
        return;
    }
    state->turned = false;
    if (state->round < state->parameters.rounds) {
        begin_pass(robot, state);
        cmi_motion_follow(&state->motion, robot);
        return;
    }
    cmi_halt(robot, CMO_HALT_DEFAULT);
}

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_measure_geometry_state *state = (cmo_measure_geometry_state *)routine;
    switch (robot->stage) {
    case CMO_STAGE_IDLE:
        begin_pass(robot, state);
        drive_pass(robot, state);
        break;
    case CMO_STAGE_SEARCH:
        if (!state->motion.arrived) {
            drive_pass(robot, state);
        } else {
            begin_turn(robot, state);
            turn(robot, state);
        }
        break;
    case CMO_STAGE_TURN:
        turn(robot, state);
        break;
    default:
        if (cmi_stands(robot)) {
            cmi_end(robot, CMO_OUTCOME_DONE);
        }
        break;
    }
}

static const cmi_row rows[] CMO_FLASH = {
    CMO_MEASURE_GEOMETRY_PARAMETERS(CMI_ROW, cmo_measure_geometry_parameters)};

static cmo_outcome check(cmo_robot *robot, cmo_measure_geometry_parameters *p) {
    const cmo_robot_description *d = robot->description;
    uint16_t traits = robot->port->traits;
    if (!(traits & CMO_TRAIT_ENCODERS) || traits & CMO_TRAIT_HEADING) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED,
                          traits & CMO_TRAIT_HEADING ? "heading" : "encoders", NAN);
    }
    if (d->lights < 2 || fabsf(d->light[0].left_mm - d->light[CMI_FRONT - 1].left_mm) < 10.0F) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "lights", NAN);
    }
    if (!cmo_levels_usable(&robot->light[0].levels) ||
        !cmo_levels_usable(&robot->light[CMI_FRONT - 1].levels)) {
        return cmi_refuse(robot, CMO_OUTCOME_LOW_CONTRAST, "levels", NAN);
    }
    if (2.0F * d->slowest_mm_s > d->top_speed_mm_s) { // it has to go twice as fast as slow
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "slowest_mm_s",
                          0.5F * d->top_speed_mm_s);
    }
    cmi_usual_speed(robot, &p->speed_mm_s,
                    fminf(fmaxf(100.0F, 2.0F * d->slowest_mm_s), 0.5F * d->top_speed_mm_s));
    cmi_usual_speed(robot, &p->fast_mm_s, fmaxf(450.0F, 2.0F * p->speed_mm_s));
    cmo_outcome outcome = cmi_check_parameters(robot, rows, CMI_ROWS(rows), p);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    if (p->speed_mm_s > 0.5F * d->top_speed_mm_s) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "speed_mm_s", 0.5F * d->top_speed_mm_s);
    }
    if (p->fast_mm_s < 2.0F * p->speed_mm_s) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "fast_mm_s", 2.0F * p->speed_mm_s);
    }
    return CMO_OUTCOME_DONE;
}

cmo_outcome cmo_measure_geometry_start(cmo_robot *robot, cmo_measure_geometry_state *state,
                                       const cmo_measure_geometry_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    memset(state, 0, sizeof *state);
    state->parameters = *parameters;
    cmo_outcome outcome = check(robot, &state->parameters);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    if (state->parameters.longest_ms == 0) {
        state->parameters.longest_ms = UINT32_C(60000) * state->parameters.rounds;
    }
    cmi_begin(robot, &state->routine, step, CMO_ROUTINE_MEASURE_GEOMETRY,
              state->parameters.longest_ms);
    return CMO_RUNNING;
}

cmo_outcome cmo_measure_geometry(cmo_robot *robot, cmo_measure_geometry_state *state,
                                 const cmo_measure_geometry_parameters *parameters) {
    cmo_outcome outcome = cmo_measure_geometry_start(robot, state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
