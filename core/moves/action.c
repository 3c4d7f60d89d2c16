// SPDX-License-Identifier: MIT
#include <cammino/action.h>

#include "../shared/routine.h"

#include <math.h>
#include <stddef.h>

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_action_state *state = (cmo_action_state *)routine;
    cmi_enter(robot, CMO_STAGE_ACTION);
    if (state->parameters.function(robot, state->parameters.context)) {
        cmi_end(robot, CMO_OUTCOME_DONE);
    }
}

cmo_outcome cmo_action_start(cmo_robot *robot, cmo_action_state *state,
                             const cmo_action_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    *state = (cmo_action_state){.parameters = *parameters};
    if (parameters->function == NULL) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "function", NAN);
    }
    if (parameters->longest_ms > 600000) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "longest_ms", 600000.0F);
    }
    if (parameters->longest_ms == 0) {
        state->parameters.longest_ms = 10000;
    }
    cmi_begin(robot, &state->routine, step, CMO_ROUTINE_ACTION, state->parameters.longest_ms);
    return CMO_RUNNING;
}

cmo_outcome cmo_action(cmo_robot *robot, const cmo_action_parameters *parameters) {
    cmo_action_state state;
    cmo_outcome outcome = cmo_action_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
