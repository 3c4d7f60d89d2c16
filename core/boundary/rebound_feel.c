// SPDX-License-Identifier: MIT
// How the direction of a boundary is felt for: the robot turns until the other sensor has crossed
// it, or the first one has left it.
#include "../shared/description.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "contacts.h"
#include "met.h"
#include "rebound.h"

#include <math.h>

// How far it turns at most.
#define FEEL_RAD 1.75F
// A spot so far beyond the chord has left paint behind, and not entered it.
#define PAINT_MM 3.0F

float cmi_rebound_room_mm(const cmo_robot *robot, const cmo_stay_inside_state *state) {
    return robot->description->light[state->boundary.first].ahead_mm -
           cmi_met_gone_mm(&state->boundary, robot);
}

float cmi_rebound_feels_rad(const cmo_robot *robot, const cmo_stay_inside_state *state) {
    float room = cmi_rebound_room_mm(robot, state) - state->parameters.margin_mm;
    float sine = fmaxf(room, 0.0F) / cmi_half_width_mm(robot->description);
    return sine < 1.0F ? cmi_atan(sine / sqrtf(1.0F - sine * sine)) : FEEL_RAD;
}

// Whether the turn takes the spot that has crossed last outward, as the boundary is thought to be.
static bool turns_outward(const cmo_robot *robot, const cmo_stay_inside_state *state) {
    const cmo_met_boundary *boundary = &state->boundary;
    const cmo_pose *pose = &robot->odometer.pose;
    float rx = boundary->x_mm[1U - boundary->first] - pose->x_mm;
    float ry = boundary->y_mm[1U - boundary->first] - pose->y_mm;
    float sine, cosine;
    cmi_sin_cos(boundary->normal_rad, &sine, &cosine);
    return state->motion.right_sign * (rx * sine - ry * cosine) > 0.0F;
}

// All but the first crossing; it may stand square to the boundary again, and turns no further than
// that allows.
static void forget_others(const cmo_robot *robot, cmo_stay_inside_state *state) {
    cmo_met_boundary *boundary = &state->boundary;
    cmo_motion *motion = &state->motion;
    boundary->known = false;
    boundary->anew = 0;
    boundary->met = (uint8_t)(1U << boundary->first);
    float square = 0.5F * cmi_rebound_feels_rad(robot, state) * robot->description->track_mm;
    float stands =
        motion->place_mm + motion->speed_mm_s * motion->speed_mm_s / (2.0F * motion->braking_mm_s2);
    motion->target_mm = fminf(motion->target_mm, fmaxf(square, stands));
}

// A second crossing makes the chord of two, which is the boundary: the other sensor comes to it, or
// the first one leaves it on the far side of the normal. What leads elsewhere than the turn goes
// was the far edge of the paint, left or entered from outside, and is forgotten.
static void feel_crossing(cmo_robot *robot, cmo_stay_inside_state *state, uint8_t sensor,
                          const cmo_crossing *crossing) {
    cmo_met_boundary *boundary = &state->boundary;
    bool other = sensor != boundary->first;
    if (crossing->entering == other) {
        cmi_met_add(boundary, robot, sensor, crossing->time_us);
        if (state->parameters.convex) { // else it may lie on another side of a corner
            cmi_met_note(boundary, robot, sensor, crossing->time_us);
        }
        cmi_met_solve(boundary, robot);
        cmi_take_no_proof(robot);
        bool elsewhere = turns_outward(robot, state) != crossing->entering ||
                         (!other && !state->other_met &&
                          cmi_met_beyond(boundary, robot, (uint8_t)(1U - sensor)) > PAINT_MM);
        if (boundary->known && elsewhere) {
            forget_others(robot, state);
        }
        // It need not stand square any more, and may turn on until the other one comes to it.
        float sweeps = cmi_sweep_mm(robot->description) + state->parameters.margin_mm;
        if (!other && !boundary->known && state->parameters.convex &&
            cmi_met_roughly(boundary, robot) > sweeps + CMI_MARGIN_LEFT_MM) {
            state->motion.target_mm = 0.5F * FEEL_RAD * robot->description->track_mm;
        }
    } else if (!other) { // what it had left was a gap
        forget_others(robot, state);
    }
    if (crossing->entering && other) { // a wheel comes to it some 45 degrees of turn later
        cmo_motion *motion = &state->motion;
        float further = 0.3F * robot->description->track_mm;
        motion->target_mm = fminf(motion->target_mm, motion->place_mm + further);
        state->other_met = true;
    }
}

void cmi_rebound_felt(cmo_robot *robot, cmo_stay_inside_state *state) {
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        const cmo_light *light = &robot->light[i];
        for (uint8_t n = 0; n < light->crossings; n++) {
            feel_crossing(robot, state, i, &light->crossing[n]);
        }
    }
}
