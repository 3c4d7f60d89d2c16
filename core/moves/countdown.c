// SPDX-License-Identifier: MIT
#include <cammino/countdown.h>

#include "../shared/parameters.h"
#include "../shared/routine.h"

#include <math.h>

static const cmi_row rows[] CMO_FLASH = {
    CMO_COUNTDOWN_PARAMETERS(CMI_ROW, cmo_countdown_parameters)};

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_countdown_state *state = (cmo_countdown_state *)routine;
    const cmo_countdown_parameters *p = &state->parameters;
    if (robot->stage == CMO_STAGE_IDLE) {
        cmi_request_halt(robot, CMO_HALT_DEFAULT);
        cmi_enter(robot, CMO_STAGE_WAIT);
    }
    if (robot->stage == CMO_STAGE_WAIT) {
        bool pressed = robot->sample->have & CMO_HAVE_BUTTONS && robot->sample->start;
        if (!pressed) {
            if (p->longest_ms != 0 && robot->elapsed_ms >= p->longest_ms) {
                cmi_end(robot, CMO_OUTCOME_TIME_OVER);
            }
            return;
        }
        state->pressed_us = 0;
        state->told = UINT16_MAX;
        cmi_enter(robot, CMO_STAGE_COUNTDOWN);
    } else {
        state->pressed_us += robot->dt_us;
    }
    uint32_t whole = 1000000U * (uint32_t)p->seconds;
    if (state->pressed_us >= whole) {
        cmi_end(robot, CMO_OUTCOME_DONE);
        return;
    }
    uint16_t left = (uint16_t)((whole - state->pressed_us + 999999U) / 1000000U);
    if (left != state->told) {
        state->told = left;
        cmi_notify(robot, CMO_EVENT_COUNTDOWN, (int)left);
    }
}

cmo_outcome cmo_countdown_start(cmo_robot *robot, cmo_countdown_state *state,
                                const cmo_countdown_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    *state = (cmo_countdown_state){.parameters = *parameters};
    cmo_outcome outcome = cmi_check_parameters(robot, rows, CMI_ROWS(rows), &state->parameters);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    if (!(robot->port->traits & CMO_TRAIT_START)) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "start", NAN);
    }
    cmi_begin(robot, &state->routine, step, CMO_ROUTINE_COUNTDOWN, CMO_NO_END);
    return CMO_RUNNING;
}

cmo_outcome cmo_countdown(cmo_robot *robot, const cmo_countdown_parameters *parameters) {
    cmo_countdown_state state;
    cmo_outcome outcome = cmo_countdown_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
