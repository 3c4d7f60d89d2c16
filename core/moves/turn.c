// SPDX-License-Identifier: MIT
#include <cammino/turn.h>

#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "motion.h"
#include "move.h"

#include <math.h>

static const cmi_row rows[] CMO_FLASH = {CMO_TURN_PARAMETERS(CMI_ROW, cmo_turn_parameters)};

cmo_outcome cmo_turn_start(cmo_robot *robot, cmo_turn_state *state,
                           const cmo_turn_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    const cmo_robot_description *d = robot->description;
    cmo_turn_parameters p = *parameters;
    cmi_usual_speed(robot, &p.speed_mm_s, d->top_speed_mm_s / 3.0F);
    if (p.acceleration_mm_s2 == 0.0F) {
        p.acceleration_mm_s2 = fmaxf(CMI_TURN_SHARE * d->acceleration_mm_s2, 10.0F);
    }
    if (p.braking_mm_s2 == 0.0F) {
        p.braking_mm_s2 = fmaxf(CMI_TURN_SHARE * d->braking_mm_s2, 10.0F);
    }
    cmo_outcome outcome = cmi_check_parameters(robot, rows, CMI_ROWS(rows), &p);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    if (p.angle_deg == 0.0F) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "angle_deg", NAN);
    }
    float arc_mm_deg = d->track_mm * (CMI_PI / 360.0F);
    float least_deg = fmaxf(fminf(cmi_least_tolerance_mm(robot) / arc_mm_deg, 20.0F), 0.05F);
    *state = (cmo_turn_state){
        .parameters = {
            .distance_mm = fabsf(p.angle_deg) * arc_mm_deg,
            .speed_mm_s = p.speed_mm_s,
            .acceleration_mm_s2 = p.acceleration_mm_s2,
            .braking_mm_s2 = p.braking_mm_s2,
            .tolerance_mm = (p.tolerance_deg != 0.0F ? p.tolerance_deg : least_deg) * arc_mm_deg,
            .longest_ms = p.longest_ms,
            .halt = p.halt,
        }};
    state->motion.right_sign = p.angle_deg < 0.0F ? -1.0F : 1.0F;
    state->motion.left_sign = -state->motion.right_sign;
    return cmi_move_begin(robot, state, CMO_ROUTINE_TURN);
}

cmo_outcome cmo_turn(cmo_robot *robot, const cmo_turn_parameters *parameters) {
    cmo_turn_state state;
    cmo_outcome outcome = cmo_turn_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
