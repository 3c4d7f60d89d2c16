// SPDX-License-Identifier: MIT
#include <cammino/take_levels.h>

#include "../moves/motion.h"
#include "../moves/move.h"
#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "../shared/trig.h"

#include <math.h>

static const cmi_row rows[] CMO_FLASH = {
    CMO_TAKE_LEVELS_PARAMETERS(CMI_ROW, cmo_take_levels_parameters)};

// Every fresh look of every sensor.
static void collect(cmo_robot *robot, cmo_take_levels_state *state) {
    for (uint8_t i = 0; i < robot->description->lights; i++) {
        const cmo_light *light = &robot->light[i];
        if (light->seen && light->look_us != state->look_us[i]) {
            state->look_us[i] = light->look_us;
            cmo_level_taker_add(&state->taker[i], light->counts);
        }
    }
}

// One small step of working the levels out, for one sensor after the other. True: all are done.
static bool work_out(const cmo_robot *robot, cmo_take_levels_state *state) {
    uint8_t sensor = state->finished;
    const cmo_light_description *light = &robot->description->light[sensor];
    if (state->finish.split == 0) {
        state->taken[sensor] = robot->light[sensor].levels; // keeps the level of void
    }
    if (cmo_level_finish_step(&state->finish, &state->taker[sensor], light->dark_is_high,
                              light->counts_max, &state->taken[sensor], &state->fault[sensor])) {
        state->finish = (cmo_level_finish){.split = 0};
        state->finished++;
    }
    return state->finished == robot->description->lights;
}

// A sensor that has seen much less of a difference than the first one, or the first one then.
static void find_unlike(const cmo_robot *robot, cmo_take_levels_state *state) {
    const cmo_levels *taken = state->taken;
    for (uint8_t i = 1; i < CMO_LIGHTS_MAX && i < robot->description->lights; i++) {
        if (state->fault[i] == CMO_LEVELS_GOOD && state->fault[0] == CMO_LEVELS_GOOD &&
            !cmo_levels_alike(&taken[0], &taken[i])) {
            float first = fabsf((float)taken[0].light - (float)taken[0].dark);
            float here = fabsf((float)taken[i].light - (float)taken[i].dark);
            state->fault[here < first ? i : 0] = CMO_LEVELS_UNLIKE;
        }
    }
}

// All sensors or none: a robot with one good sensor is no better at a line than before.
static void take(cmo_robot *robot, cmo_take_levels_state *state) {
    cmo_outcome outcome = CMO_OUTCOME_DONE;
    find_unlike(robot, state);
    for (uint8_t i = 0; i < robot->description->lights; i++) {
        if (state->fault[i] == CMO_LEVELS_SILENT) {
            outcome = CMO_OUTCOME_SENSOR_SILENT;
        } else if (state->fault[i] != CMO_LEVELS_GOOD && outcome == CMO_OUTCOME_DONE) {
            outcome = CMO_OUTCOME_LOW_CONTRAST;
        }
        if (state->fault[i] != CMO_LEVELS_GOOD && robot->field == NULL) {
            cmi_refuse(robot, outcome, "levels", NAN); // state->fault says what is wrong with whose
        }
    }
    for (uint8_t i = 0; outcome == CMO_OUTCOME_DONE && i < robot->description->lights; i++) {
        cmo_robot_set_levels(robot, i, &state->taken[i]);
    }
    cmi_end(robot, outcome);
}

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_take_levels_state *state = (cmo_take_levels_state *)routine;
    cmo_motion *motion = &state->motion;
    float way = state->parameters.distance_mm;
    if (robot->stage == CMO_STAGE_HALT) {
        state->stands = state->stands || cmi_stands(robot);
        if (!state->stands) {
            collect(robot, state);
        } else if (work_out(robot, state)) {
            take(robot, state);
        }
        return;
    }
    collect(robot, state);
    if (robot->stage == CMO_STAGE_IDLE || (motion->arrived && !state->back)) {
        state->back = robot->stage != CMO_STAGE_IDLE;
        float sign = (way < 0.0F) != state->back ? -1.0F : 1.0F;
        float left = state->parameters.angle_deg != 0.0F ? -sign : sign;
        float gone = state->back ? cmi_motion_way(motion, robot) : fabsf(way);
        cmi_motion_start(motion, robot, gone, left, sign);
        cmi_enter(robot, CMO_STAGE_MOVE);
    }
    if (!motion->arrived) {
        cmi_motion_follow(motion, robot);
        return;
    }
    cmi_enter(robot, CMO_STAGE_SETTLE);
    state->settle_us += robot->dt_us;
    if (cmi_motion_settle(motion, robot, cmi_least_tolerance_mm(robot), CMI_STICKS_US) ||
        state->settle_us > 1500000) {
        cmi_halt(robot, CMO_HALT_DEFAULT);
    }
}

cmo_outcome cmo_take_levels_start(cmo_robot *robot, cmo_take_levels_state *state,
                                  const cmo_take_levels_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    const cmo_robot_description *d = robot->description;
    *state = (cmo_take_levels_state){.parameters = *parameters};
    cmo_take_levels_parameters *p = &state->parameters;
    cmi_usual_speed(robot, &p->speed_mm_s, 80.0F);
    cmo_outcome outcome = cmi_check_parameters(robot, rows, CMI_ROWS(rows), p);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    float arc_mm_deg = d->track_mm * (CMI_PI / 360.0F);
    bool turns = p->angle_deg != 0.0F;
    float way = turns ? p->angle_deg * arc_mm_deg : p->distance_mm;
    p->distance_mm = way != 0.0F ? way : 150.0F;
    if (d->lights == 0) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "lights", NAN);
    }
    if (p->longest_ms == 0) {
        p->longest_ms = (uint32_t)(4000.0F * fabsf(p->distance_mm) / p->speed_mm_s) + 4000U;
    }
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        cmo_level_taker_start(&state->taker[i]);
    }
    state->motion.top_mm_s = p->speed_mm_s;
    state->motion.acceleration_mm_s2 = fminf(d->acceleration_mm_s2, 1000.0F);
    state->motion.braking_mm_s2 = fminf(d->braking_mm_s2, 1000.0F);
    cmi_begin(robot, &state->routine, step, CMO_ROUTINE_TAKE_LEVELS, p->longest_ms);
    return CMO_RUNNING;
}

cmo_outcome cmo_take_levels(cmo_robot *robot, cmo_take_levels_state *state,
                            const cmo_take_levels_parameters *parameters) {
    cmo_outcome outcome = cmo_take_levels_start(robot, state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
