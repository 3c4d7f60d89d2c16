// SPDX-License-Identifier: MIT
#include <cammino/advance.h>

#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "move.h"

#include <math.h>

static const cmi_row rows[] CMO_FLASH = {CMO_ADVANCE_PARAMETERS(CMI_ROW, cmo_advance_parameters)};

// What slides to its end goes further than any wheel counts; and what sways there takes longer to
// settle than a gentler braking does. But what a leg before leaves of its speed is braked in time.
#define GENTLE 0.6F

static float usual_braking_mm_s2(const cmo_robot *robot, const cmo_advance_parameters *p) {
    const cmo_robot_description *d = robot->description;
    bool known = d->grip_mm_s2 > 0.0F || d->holds_mm_s > 0.0F;
    if (known || p->ending == CMO_END_MOVING || p->distance_mm == 0.0F) {
        return d->braking_mm_s2;
    }
    float speed = cmo_speed_mm_s(robot);
    float needed = 0.6F * speed * speed / fabsf(p->distance_mm);
    return fminf(fmaxf(fmaxf(GENTLE * d->braking_mm_s2, needed), 10.0F), d->braking_mm_s2);
}

cmo_outcome cmo_advance_start(cmo_robot *robot, cmo_advance_state *state,
                              const cmo_advance_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    *state = (cmo_advance_state){.parameters = *parameters};
    cmo_advance_parameters *p = &state->parameters;
    cmi_usual_speed(robot, &p->speed_mm_s, 0.5F * robot->description->top_speed_mm_s);
    if (p->braking_mm_s2 == 0.0F) {
        p->braking_mm_s2 = usual_braking_mm_s2(robot, p);
    }
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
