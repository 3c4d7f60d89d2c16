// SPDX-License-Identifier: MIT
#include "line_search.h"
#include "routine.h"

// At a standstill: done, or on to show the least width, or on to the next candidate.
static void stand(cmo_robot *robot, cmo_line_state *state) {
    if (cmo_line_met(state, true)) {
        cmo_line_finish(robot, state);
        return;
    }
    cmo_enter(robot, CMO_STAGE_PROVE);
    cmo_line_resume(robot, state);
    cmo_line_approach(robot, state);
}

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_line_state *state = (cmo_line_state *)routine;
    if (cmo_line_ended(robot, state)) {
        return;
    }
    cmo_line_look(robot, state);
    bool halted = false;
    switch (robot->stage) {
    case CMO_STAGE_BRAKE:
        if (cmo_line_stands(robot, state)) {
            stand(robot, state);
        }
        return;
    case CMO_STAGE_PROVE:
        if (!cmo_line_met(state, false)) {
            cmo_line_refute(robot, state);
        }
        halted = cmo_line_met(state, true);
        break;
    default:
        halted = cmo_line_met(state, false);
        break;
    }
    if (halted) {
        cmo_line_halt(robot, state);
    } else {
        cmo_line_approach(robot, state);
    }
}

cmo_outcome cmo_stop_on_line_start(cmo_robot *robot, cmo_line_state *state,
                                   const cmo_line_parameters *parameters) {
    cmo_line_parameters given = *parameters;
    given.ending = CMO_END_HALTED;
    return cmo_line_begin(robot, state, &given, step, CMO_KIND_STOP_ON_LINE, true);
}

cmo_outcome cmo_stop_on_line(cmo_robot *robot, const cmo_line_parameters *parameters) {
    cmo_line_state state;
    cmo_outcome outcome = cmo_stop_on_line_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
