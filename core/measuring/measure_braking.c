// SPDX-License-Identifier: MIT
// Stops over a line's edge, and the way back over it. What is made of them is in braking_fit.c.
#include <cammino/measure_braking.h>

#include "../moves/motion.h"
#include "../shared/description.h"
#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "../tick/odometer.h"
#include "braking_fit.h"

#include <math.h>
#include <string.h>

#define LEAST_WIDTH_MM 8.0F
// Pass by pass the edge is met as near as this to where it was met last; after a slide only on the
// way back.
#define NEAR_MM 40.0F
// Gently: what slides or rocks is measured with.
#define GENTLE_MM_S2 1200.0F
// Over the edge it has driven evenly for so long at least; the speed is that of one to two halves.
#define EVEN_US UINT32_C(240000)
// From one sensor's edge to the other's, and what it has slid beyond where it turned back: it looks
// for the edge no further than by so much more.
#define BEYOND_MM 120.0F
// Wheels that stand say nothing of a body that slides: it does so no longer than this. A regulator
// may hum for ever.
#define SLIDES_US   UINT32_C(400000)
#define PATIENCE_US UINT32_C(1500000)

static float wheels_mm(const cmo_robot *robot) {
    return 0.5F * (robot->odometer.left_mm + robot->odometer.right_mm);
}

static float gently_mm_s2(float limit_mm_s2) {
    return fminf(0.5F * limit_mm_s2, GENTLE_MM_S2);
}

static void take_rates(const cmo_robot *robot, cmo_measure_braking_state *state) {
    const cmo_robot_description *d = robot->description;
    state->motion.acceleration_mm_s2 = gently_mm_s2(d->acceleration_mm_s2);
    state->motion.braking_mm_s2 = gently_mm_s2(d->braking_mm_s2);
}

static uint8_t front_bits(const cmo_robot *robot) {
    return (uint8_t)((1U << cmi_front_lights(robot->description)) - 1U);
}

// --------------------------------------------------------------------------------------- ahead --

static void begin_pass(cmo_robot *robot, cmo_measure_braking_state *state) {
    const cmo_robot_description *d = robot->description;
    for (uint8_t i = 0; i < cmi_front_lights(d); i++) {
        cmi_watch_edge(robot, i, state->parameters.tone, (cmo_band){0.0F, 0.0F});
    }
    state->met = state->entered = 0;
    state->since_us = 0;
    state->before_us = 0;
    state->since_mm = state->before_mm = wheels_mm(robot);
    cmo_motion *motion = &state->motion;
    take_rates(robot, state);
    motion->top_mm_s = state->pass == CMI_FIND ? state->slow_mm_s : state->parameters.fast_mm_s;
    motion->braking_mm_s2 = state->pass == CMI_BY_LIMIT ? d->braking_mm_s2 : motion->braking_mm_s2;
    cmi_motion_start(motion, robot, INFINITY, 1.0F, 1.0F);
    cmi_enter(robot, CMO_STAGE_SEARCH);
}

// Even speed is taken over the last one to two halves of EVEN_US.
static void take_time(const cmo_robot *robot, cmo_measure_braking_state *state) {
    state->since_us += robot->dt_us;
    if (state->since_us >= EVEN_US / 2U) {
        state->before_us = state->since_us;
        state->before_mm = state->since_mm;
        state->since_us = 0;
        state->since_mm = wheels_mm(robot);
    }
}

static float way_now(const cmo_robot *robot, uint8_t sensor) {
    return cmi_sensor_way(robot->description, sensor, robot->odometer.left_mm,
                          robot->odometer.right_mm);
}

// Onto the line. The first pass finds the edge: what it leaves again too soon was a speck. Others
// know about where it lies.
static void look_ahead(const cmo_robot *robot, cmo_measure_braking_state *state) {
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        const cmo_light *light = &robot->light[i];
        uint8_t bit = (uint8_t)(1U << i);
        bool first = state->pass == CMI_FIND;
        for (uint8_t n = 0; n < light->crossings; n++) {
            float way = light->crossing[n].way_mm;
            if (light->crossing[n].entering &&
                (first || fabsf(way - state->edge_mm[i]) < NEAR_MM)) {
                state->ahead_mm[i] = way;
                state->entered |= bit;
                state->met = first ? state->met : (uint8_t)(state->met | bit);
            }
        }
        if (first && light->edge.inside && state->entered & bit &&
            way_now(robot, i) - state->ahead_mm[i] > LEAST_WIDTH_MM) {
            state->edge_mm[i] = state->ahead_mm[i];
            state->met |= bit;
        }
    }
}

static void stop(cmo_robot *robot, cmo_measure_braking_state *state) {
    cmo_motion *motion = &state->motion;
    float seconds = 1e-6F * (float)(state->since_us + state->before_us);
    state->told_mm = wheels_mm(robot);
    state->waited_us = 0;
    if (state->pass == CMI_HALTED) {
        state->speed_mm_s = (state->told_mm - state->before_mm) / fmaxf(seconds, 1e-3F);
        state->gone_mm = state->told_mm;
        cmi_braking_begin_slides(state, state->speed_mm_s);
        cmi_halt(robot, CMO_HALT_DEFAULT);
        return;
    }
    motion->target_mm =
        motion->place_mm + 0.5F * motion->speed_mm_s * motion->speed_mm_s / motion->braking_mm_s2;
    cmi_enter(robot, CMO_STAGE_BRAKE);
    cmi_motion_follow(motion, robot);
}

static void drive_ahead(cmo_robot *robot, cmo_measure_braking_state *state) {
    look_ahead(robot, state);
    take_time(robot, state);
    if (state->met == front_bits(robot)) {
        stop(robot, state);
    } else if (state->motion.place_mm > state->parameters.longest_mm) {
        cmi_end(robot, CMO_OUTCOME_NO_LINE);
    } else {
        cmi_motion_follow(&state->motion, robot);
    }
}

// ---------------------------------------------------------------------------------------- back --

static void begin_back(cmo_robot *robot, cmo_measure_braking_state *state) {
    state->met = 0;
    state->waited_us = 0;
    state->stopped_mm = wheels_mm(robot) - state->told_mm;
    take_rates(robot, state);
    state->motion.top_mm_s = state->slow_mm_s;
    cmi_motion_start(&state->motion, robot, INFINITY, -1.0F, -1.0F);
    cmi_enter(robot, CMO_STAGE_RETURN);
    cmi_motion_follow(&state->motion, robot);
}

static bool stands(const cmo_robot *robot, cmo_measure_braking_state *state) {
    return cmi_stands_or_waited(robot, &state->waited_us, PATIENCE_US) &&
           state->waited_us > SLIDES_US;
}

// Off the line, the way that it came.
static void look_back(const cmo_robot *robot, cmo_measure_braking_state *state) {
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        const cmo_light *light = &robot->light[i];
        uint8_t bit = (uint8_t)(1U << i);
        for (uint8_t n = 0; n < light->crossings; n++) {
            float way = light->crossing[n].way_mm;
            if (!light->crossing[n].entering && !(state->met & bit) &&
                way < state->edge_mm[i] + NEAR_MM) {
                state->met |= bit;
                state->back_mm[i] = way;
            }
        }
    }
}

// Both sensors have met the edge there and back.
static void take_pass(const cmo_robot *robot, cmo_measure_braking_state *state) {
    uint8_t front = cmi_front_lights(robot->description);
    float nearer = 0.0F;
    for (uint8_t i = 0; i < front; i++) {
        nearer += (state->ahead_mm[i] - state->back_mm[i]) / (float)front;
        state->edge_mm[i] = state->back_mm[i]; // by the wheels, it lies where it was met last
    }
    if (state->pass != CMI_FIND) {
        cmi_braking_add(state, nearer);
    }
}

static void drive_back(cmo_robot *robot, cmo_measure_braking_state *state) {
    cmo_motion *motion = &state->motion;
    uint8_t before = state->met;
    look_back(robot, state);
    bool all = state->met == front_bits(robot);
    if (all && before != state->met) {
        take_pass(robot, state);
        motion->target_mm = motion->place_mm + state->run_up_mm;
        motion->top_mm_s = 0.5F * state->parameters.fast_mm_s;
    }
    if (!all && motion->place_mm > state->stopped_mm + BEYOND_MM) {
        cmi_end(robot, CMO_OUTCOME_NO_LINE);
        return;
    }
    cmi_motion_follow(motion, robot);
}

static void end_pass(cmo_robot *robot, cmo_measure_braking_state *state) {
    state->round = (uint8_t)(state->round + (state->pass == CMI_HALTED));
    state->pass = state->pass >= CMI_HALTED ? CMI_GENTLY : (uint8_t)(state->pass + 1U);
    if (state->round < state->parameters.rounds) {
        begin_pass(robot, state);
        cmi_motion_follow(&state->motion, robot);
        return;
    }
    cmi_braking_solve(robot->description, state);
    cmi_halt(robot, CMO_HALT_DEFAULT);
}

static void slide(const cmo_robot *robot, cmo_measure_braking_state *state) {
    float gone = wheels_mm(robot);
    cmi_braking_slide(state, gone - state->gone_mm, 1e-6F * (float)robot->dt_us);
    state->gone_mm = gone;
}

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_measure_braking_state *state = (cmo_measure_braking_state *)routine;
    switch (robot->stage) {
    case CMO_STAGE_IDLE:
        state->pass = CMI_FIND;
        begin_pass(robot, state);
        drive_ahead(robot, state);
        break;
    case CMO_STAGE_SEARCH:
        drive_ahead(robot, state);
        break;
    case CMO_STAGE_BRAKE:
        if (!state->motion.arrived) {
            cmi_motion_follow(&state->motion, robot);
        } else {
            cmi_halt(robot, CMO_HALT_DEFAULT);
        }
        break;
    case CMO_STAGE_RETURN:
        if (!state->motion.arrived) {
            drive_back(robot, state);
        } else if (stands(robot, state)) {
            end_pass(robot, state);
        }
        break;
    default: // halted
        if (state->pass == CMI_HALTED) {
            slide(robot, state);
        }
        if (!stands(robot, state)) {
            break;
        }
        if (state->round == state->parameters.rounds) {
            cmi_end(robot, CMO_OUTCOME_DONE);
            break;
        }
        begin_back(robot, state);
    }
}

// --------------------------------------------------------------------------------------- start --

static const cmi_row rows[] CMO_FLASH = {
    CMO_MEASURE_BRAKING_PARAMETERS(CMI_ROW, cmo_measure_braking_parameters)};

static cmo_outcome check(cmo_robot *robot, cmo_measure_braking_state *state) {
    const cmo_robot_description *d = robot->description;
    cmo_measure_braking_parameters *p = &state->parameters;
    if (!(robot->port->traits & CMO_TRAIT_ENCODERS)) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "encoders", NAN);
    }
    uint8_t front = cmi_front_lights(d);
    if (front == 0) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "lights", NAN);
    }
    for (uint8_t i = 0; i < front; i++) {
        if (!cmo_levels_usable(&robot->light[i].levels)) {
            return cmi_refuse(robot, CMO_OUTCOME_LOW_CONTRAST, "levels", NAN);
        }
    }
    state->slow_mm_s = fmaxf(2.0F * d->slowest_mm_s, 60.0F);
    float least = 3.0F * state->slow_mm_s; // half of it is still faster than slow
    if (least > d->top_speed_mm_s) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "top_speed_mm_s", least);
    }
    cmi_usual_speed(robot, &p->fast_mm_s, fmaxf(fminf(400.0F, d->top_speed_mm_s), least));
    if (!(p->fast_mm_s >= least)) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "fast_mm_s", least);
    }
    return cmi_check_parameters(robot, rows, CMI_ROWS(rows), p);
}

cmo_outcome cmo_measure_braking_start(cmo_robot *robot, cmo_measure_braking_state *state,
                                      const cmo_measure_braking_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    memset(state, 0, sizeof *state);
    state->parameters = *parameters;
    cmo_measure_braking_parameters *p = &state->parameters;
    cmo_outcome outcome = check(robot, state);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    float speeding = gently_mm_s2(robot->description->acceleration_mm_s2);
    state->run_up_mm =
        0.5F * p->fast_mm_s * p->fast_mm_s / speeding +
        p->fast_mm_s * (1e-6F * (float)EVEN_US + cmi_budget_lag_s(robot->description));
    p->longest_ms = p->longest_ms != 0 ? p->longest_ms : UINT32_C(40000) * p->rounds;
    cmi_begin(robot, &state->routine, step, CMO_ROUTINE_MEASURE_BRAKING, p->longest_ms);
    return CMO_RUNNING;
}

cmo_outcome cmo_measure_braking(cmo_robot *robot, cmo_measure_braking_state *state,
                                const cmo_measure_braking_parameters *parameters) {
    cmo_outcome outcome = cmo_measure_braking_start(robot, state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
