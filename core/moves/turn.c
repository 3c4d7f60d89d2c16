// SPDX-License-Identifier: MIT
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "motion.h"
#include "move.h"

#include <math.h>

cmo_outcome cmo_turn_start(cmo_robot *robot, cmo_turn_state *state,
                           const cmo_turn_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    if (parameters->angle_deg == 0.0F || !(fabsf(parameters->angle_deg) <= 3600.0F)) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "angle_deg", NAN);
    }
    float arc_mm_deg = robot->description->track_mm * (CMI_PI / 360.0F);
    float tolerance_deg = parameters->tolerance_deg;
    if (!cmi_take(robot, &tolerance_deg, cmi_least_tolerance_mm(robot) / arc_mm_deg, 0.05F, 20.0F,
                  "tolerance_deg")) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    *state = (cmo_turn_state){.parameters = {
                                  .distance_mm = fabsf(parameters->angle_deg) * arc_mm_deg,
                                  .speed_mm_s = parameters->speed_mm_s,
                                  .acceleration_mm_s2 = parameters->acceleration_mm_s2,
                                  .braking_mm_s2 = parameters->braking_mm_s2,
                                  .tolerance_mm = tolerance_deg * arc_mm_deg,
                                  .longest_ms = parameters->longest_ms,
                                  .halt = parameters->halt,
                              }};
    cmo_advance_parameters *p = &state->parameters;
    const cmo_robot_description *d = robot->description;
    if (p->acceleration_mm_s2 == 0.0F) {
        p->acceleration_mm_s2 = fmaxf(CMI_TURN_SHARE * d->acceleration_mm_s2, 10.0F);
    }
    if (p->braking_mm_s2 == 0.0F) {
        p->braking_mm_s2 = fmaxf(CMI_TURN_SHARE * d->braking_mm_s2, 10.0F);
    }
    if (parameters->speed_mm_s == 0.0F) {
        p->speed_mm_s = fmaxf(d->top_speed_mm_s / 3.0F, d->slowest_mm_s);
    }
    state->motion.right_sign = parameters->angle_deg < 0.0F ? -1.0F : 1.0F;
    state->motion.left_sign = -state->motion.right_sign;
    return cmi_move_begin(robot, state, CMO_KIND_TURN);
}

cmo_outcome cmo_turn(cmo_robot *robot, const cmo_turn_parameters *parameters) {
    cmo_turn_state state;
    cmo_outcome outcome = cmo_turn_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
