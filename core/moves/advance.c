// SPDX-License-Identifier: MIT
#include "../shared/routine.h"
#include "move.h"

#include <math.h>

cmo_outcome cmo_advance_start(cmo_robot *robot, cmo_advance_state *state,
                              const cmo_advance_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    *state = (cmo_advance_state){.parameters = *parameters};
    cmo_advance_parameters *p = &state->parameters;
    if (p->distance_mm == 0.0F || !(fabsf(p->distance_mm) <= 20000.0F)) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "distance_mm", NAN);
    }
    if (!cmi_take(robot, &p->tolerance_mm, cmi_least_tolerance_mm(robot), 0.1F, 50.0F,
                  "tolerance_mm")) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    if ((unsigned)p->ending > CMO_END_MOVING) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "ending", NAN);
    }
    state->motion.left_sign = state->motion.right_sign = p->distance_mm < 0.0F ? -1.0F : 1.0F;
    return cmi_move_begin(robot, state, CMO_KIND_ADVANCE);
}

cmo_outcome cmo_advance(cmo_robot *robot, const cmo_advance_parameters *parameters) {
    cmo_advance_state state;
    cmo_outcome outcome = cmo_advance_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
