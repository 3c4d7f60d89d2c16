// SPDX-License-Identifier: MIT
#include <cammino/drive_until_line.h>

#include "../shared/routine.h"
#include "line_candidates.h"
#include "line_figures.h"
#include "line_halt.h"
#include "line_search.h"

#include <stddef.h>

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_line_state *state = (cmo_line_state *)routine;
    if (cmi_line_ended(robot, state)) {
        return;
    }
    cmi_line_look(robot, state);
    if (robot->stage == CMO_STAGE_HALT) {
        if (cmi_line_come_to_rest(robot, state)) {
            cmi_line_finish(robot, state, NULL);
        }
        return;
    }
    bool met = cmi_line_met(state, true);
    if (met && state->parameters.ending == CMO_END_HALTED) {
        cmi_line_halt(robot, state);
        return;
    }
    cmi_line_approach(robot, state);
    if (met) {
        cmi_line_finish(robot, state, NULL);
    }
}

cmo_outcome cmo_drive_until_line_start(cmo_robot *robot, cmo_line_state *state,
                                       const cmo_line_parameters *parameters) {
    return cmi_line_begin(robot, state, parameters, step, CMO_ROUTINE_DRIVE_UNTIL_LINE, false);
}

cmo_outcome cmo_drive_until_line(cmo_robot *robot, const cmo_line_parameters *parameters) {
    cmo_line_state state;
    cmo_outcome outcome = cmo_drive_until_line_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
