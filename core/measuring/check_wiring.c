// SPDX-License-Identifier: MIT
#include "check_wiring.h"

#include "../shared/description.h"
#include "../shared/parameters.h"
#include "../shared/routine.h"

#include <math.h>
#include <string.h>

// Mean time between two looks, against what is described.
static void judge_intervals(cmo_robot *robot, cmo_check_wiring_state *state) {
    const cmo_robot_description *d = robot->description;
    for (uint8_t i = 0; i < cmi_front_lights(d); i++) {
        const cmo_light_check *light = &state->light[i];
        if (light->looks < 10) {
            continue;
        }
        state->interval_ms[i] =
            (float)(light->last_us - light->first_us) * 1e-3F / (float)(light->looks - 1);
        // Between two ticks more than one look may come, and only the newest is counted here.
        uint32_t stated =
            d->light[i].interval_us > d->tick_us ? d->light[i].interval_us : d->tick_us;
        float ratio = state->interval_ms[i] * 1000.0F / (float)stated;
        if (ratio > 1.25F || ratio < 0.75F) {
            cmi_wiring_find(robot, state, CMO_FINDING_LOOK_INTERVAL);
        }
    }
}

// A fresh look goes to the half of the check that is on.
static void watch_light(const cmo_robot *robot, cmo_check_wiring_state *state, uint8_t sensor) {
    cmo_light_check *light = &state->light[sensor];
    const cmo_light *seen = &robot->light[sensor];
    if (!seen->seen || (light->looks > 0 && seen->look_us == light->look_us)) {
        return;
    }
    light->look_us = light->last_us = seen->look_us;
    if (light->looks == 0) {
        light->first = (float)seen->counts;
        light->first_us = seen->look_us;
    }
    light->looks++;
    if (robot->stage == CMO_STAGE_MOVE) {
        cmi_wiring_look_passing(robot, state, sensor);
    } else {
        cmi_wiring_look_swinging(robot, state, sensor);
    }
}

// Nothing found is done.
static void finish(cmo_robot *robot, cmo_check_wiring_state *state) {
    judge_intervals(robot, state);
    cmi_end(robot, state->findings == 0 ? CMO_OUTCOME_DONE : CMO_OUTCOME_WIRING_WRONG);
}

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_check_wiring_state *state = (cmo_check_wiring_state *)routine;
    cmi_trust_encoders(robot, robot->stage == CMO_STAGE_MOVE);
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        watch_light(robot, state, i);
    }
    switch (robot->stage) {
    case CMO_STAGE_MOVE:
        if (cmi_wiring_pass(robot, state)) {
            cmi_request_halt(robot, CMO_HALT_DEFAULT);
            finish(robot, state);
        }
        return;
    case CMO_STAGE_IDLE:
        state->left_mm = robot->odometer.left_mm;
        state->right_mm = robot->odometer.right_mm;
        cmi_enter(robot, CMO_STAGE_SWING);
        break;
    default:
        break;
    }
    if (!cmi_wiring_swing(robot, state)) {
        return;
    }
    if (state->findings == 0 && robot->description->lights > 0) {
        cmi_wiring_begin_pass(robot, state);
    } else {
        finish(robot, state);
    }
}

static const cmi_row rows[] CMO_FLASH = {
    CMO_CHECK_WIRING_PARAMETERS(CMI_ROW, cmo_check_wiring_parameters)};

cmo_outcome cmo_check_wiring_start(cmo_robot *robot, cmo_check_wiring_state *state,
                                   const cmo_check_wiring_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    const cmo_robot_description *d = robot->description;
    memset(state, 0, sizeof *state);
    state->parameters = *parameters;
    cmo_check_wiring_parameters *p = &state->parameters;
    cmi_usual_speed(robot, &p->speed_mm_s, fmaxf(2.0F * d->slowest_mm_s, 100.0F));
    cmo_outcome outcome = cmi_check_parameters(robot, rows, CMI_ROWS(rows), p);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    if (d->lights < 2) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "lights", NAN);
    }
    p->longest_ms = p->longest_ms != 0 ? p->longest_ms : 20000;
    state->saw[0] = state->saw[1] = -1;
    state->curve_deg_m = NAN;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        state->delay_ms[i] = state->delay_error_ms[i] = state->interval_ms[i] = NAN;
    }
    state->motion.acceleration_mm_s2 = fminf(d->acceleration_mm_s2, 2000.0F);
    state->motion.braking_mm_s2 = fminf(d->braking_mm_s2, 2000.0F);
    cmi_begin(robot, &state->routine, step, CMO_ROUTINE_CHECK_WIRING, p->longest_ms);
    cmi_trust_encoders(robot, false);
    return CMO_RUNNING;
}

cmo_outcome cmo_check_wiring(cmo_robot *robot, cmo_check_wiring_state *state,
                             const cmo_check_wiring_parameters *parameters) {
    cmo_outcome outcome = cmo_check_wiring_start(robot, state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
