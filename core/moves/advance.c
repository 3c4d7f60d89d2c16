// SPDX-License-Identifier: MIT
#include <cammino/advance.h>

#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "move.h"

#include <math.h>

static const cmi_row rows[] CMO_FLASH = {CMO_ADVANCE_PARAMETERS(CMI_ROW, cmo_advance_parameters)};

cmo_outcome cmo_advance_start(cmo_robot *robot, cmo_advance_state *state,
                              const cmo_advance_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    *state = (cmo_advance_state){.parameters = *parameters};
    cmo_advance_parameters *p = &state->parameters;
    cmi_usual_speed(robot, &p->speed_mm_s, 0.5F * robot->description->top_speed_mm_s);
    cmo_outcome outcome = cmi_check_parameters(robot, rows, CMI_ROWS(rows), p);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    if (p->distance_mm == 0.0F) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "distance_mm", NAN);
    }
    if (p->tolerance_mm == 0.0F) {
        p->tolerance_mm = cmi_least_tolerance_mm(robot);
    }
    state->motion.left_sign = state->motion.right_sign = p->distance_mm < 0.0F ? -1.0F : 1.0F;
    return cmi_move_begin(robot, state, CMO_ROUTINE_ADVANCE);
}

cmo_outcome cmo_advance(cmo_robot *robot, const cmo_advance_parameters *parameters) {
    cmo_advance_state state;
    cmo_outcome outcome = cmo_advance_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
