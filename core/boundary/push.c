// SPDX-License-Identifier: MIT
#include "push.h"

#include "../shared/routine.h"

#include <math.h>

// To the side that touches it turns along an arc of so many tracks, at no more than half of what
// the tyres are stated to pass on: what it pushes takes some of that too. What is lost is looked
// for as far round as this. A push gets on by so much, or it does not.
#define ARC_TRACKS   1.2F
#define ARC_SHARE    0.5F
#define LOST_RAD     1.2F
#define PUSHED_ON_MM 5.0F

bool cmi_push_feel(cmo_robot *robot, cmo_stay_inside_state *state) {
    const cmo_sample *sample = robot->sample;
    uint8_t front = (uint8_t)(sample->touch & state->parameters.charge_touch & 3U);
    if (sample->have & CMO_HAVE_TOUCH && front != 0) {
        if (!state->pushes) {
            state->course.heading_rad = robot->odometer.pose.heading_rad;
            state->push_from_mm = state->push_mm = cmo_way_mm(robot);
            state->push_us = 0;
        }
        state->pushes = true;
        state->side = (int8_t)(front == 1 ? 1 : front == 2 ? -1 : 0);
        state->lost_rad = 0.0F;
    }
    if (!state->pushes) {
        return false;
    }
    float arc_mm = ARC_TRACKS * robot->description->track_mm;
    float turn = fabsf(state->course.speed_mm_s) * (float)robot->dt_us * 1e-6F / arc_mm;
    state->course.heading_rad += (float)state->side * turn;
    state->lost_rad += turn;
    state->pushes = state->lost_rad < LOST_RAD;
    return state->pushes;
}

float cmi_push_mm_s(const cmo_robot *robot, const cmo_stay_inside_state *state) {
    bool arc = state->pushes && state->side != 0;
    float most = sqrtf(ARC_SHARE * state->parameters.braking_mm_s2 * ARC_TRACKS *
                       robot->description->track_mm);
    return arc ? fminf(state->charge_mm_s, most) : state->charge_mm_s;
}

bool cmi_push_stuck(const cmo_robot *robot, cmo_stay_inside_state *state) {
    if (fabsf(cmo_way_mm(robot) - state->push_mm) > PUSHED_ON_MM) {
        state->push_mm = cmo_way_mm(robot);
        state->push_us = 0;
    }
    state->push_us += robot->dt_us;
    const cmo_stay_inside_parameters *p = &state->parameters;
    return state->push_us > 1000U * p->push_ms ||
           cmo_way_mm(robot) - state->push_from_mm > p->push_longest_mm;
}
