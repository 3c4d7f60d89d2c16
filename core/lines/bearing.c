// SPDX-License-Identifier: MIT
#include "bearing.h"
#include "line_candidates.h"

#include "../shared/description.h"
#include "../shared/trig.h"

#include <math.h>

typedef struct spots {
    float cosine, sine;
    float x[2], y[2];
} spots;

static spots spots_now(const cmo_robot *robot) {
    const cmo_pose *pose = &robot->odometer.pose;
    spots s;
    cmi_sin_cos(pose->heading_rad, &s.sine, &s.cosine);
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        const cmo_light_description *light = &robot->description->light[i];
        s.x[i] = pose->x_mm + light->ahead_mm * s.cosine - light->left_mm * s.sine;
        s.y[i] = pose->y_mm + light->ahead_mm * s.sine + light->left_mm * s.cosine;
    }
    return s;
}

// From where its spot is now, back along its way since then.
void cmi_bearing_latch(const cmo_robot *robot, cmo_square_on_line_state *state) {
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        const cmo_candidate *candidate = &state->line.candidate[i];
        if (!candidate->open) {
            state->latched[i] = false;
        } else if (!state->latched[i]) {
            spots s = spots_now(robot);
            if (!state->latched[1 - i]) {
                state->entry_rad = robot->odometer.pose.heading_rad;
            }
            float back = candidate->near.way_mm - cmi_way_now(robot, i);
            state->latched[i] = true;
            state->x_mm[i] = s.x[i] + back * s.cosine;
            state->y_mm[i] = s.y[i] + back * s.sine;
        }
    }
}

// Of the line, ahead: to the right of the way from the right end to the left one.
static void normal(const cmo_square_on_line_state *state, float *nx, float *ny) {
    float tx = state->x_mm[0] - state->x_mm[1];
    float ty = state->y_mm[0] - state->y_mm[1];
    float length = sqrtf(tx * tx + ty * ty);
    *nx = length > 1.0F ? ty / length : 1.0F;
    *ny = length > 1.0F ? -tx / length : 0.0F;
}

void cmi_bearing_shift(cmo_square_on_line_state *state, uint8_t sensor, float by_mm) {
    float nx, ny;
    normal(state, &nx, &ny);
    state->x_mm[sensor] += by_mm * nx;
    state->y_mm[sensor] += by_mm * ny;
}

cmi_bearing cmi_bearing_now(const cmo_robot *robot, const cmo_square_on_line_state *state) {
    float nx, ny;
    normal(state, &nx, &ny);
    spots s = spots_now(robot);
    float cosine = nx * s.cosine + ny * s.sine;
    float sine = nx * s.sine - ny * s.cosine;
    cmi_bearing b;
    b.angle_rad = cmi_atan(sine / fmaxf(cosine, 0.05F));
    const cmo_pose *pose = &robot->odometer.pose;
    b.axle_mm = (pose->x_mm - state->x_mm[0]) * nx + (pose->y_mm - state->y_mm[0]) * ny;
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        b.spot_mm[i] = (s.x[i] - state->x_mm[0]) * nx + (s.y[i] - state->y_mm[0]) * ny;
    }
    return b;
}

void cmi_bearing_know_entry(const cmo_robot *robot, cmo_square_on_line_state *state) {
    float turned = robot->odometer.pose.heading_rad - state->entry_rad;
    state->entry_rad = cmi_bearing_now(robot, state).angle_rad - turned;
}

float cmi_bearing_ahead_mm(const cmo_robot *robot) {
    const cmo_light_description *light = robot->description->light;
    return 0.5F * (light[0].ahead_mm + light[CMI_FRONT - 1].ahead_mm);
}

float cmi_bearing_width_at_mm(const cmo_square_on_line_state *state, uint8_t sensor) {
    const cmo_candidate *candidate = &state->line.candidate[sensor];
    float sine, cosine;
    cmi_sin_cos(state->entry_rad, &sine, &cosine);
    return candidate->passed ? cosine * (candidate->far_mm - candidate->near.way_mm)
                             : state->line.parameters.least_width_mm;
}

float cmi_bearing_width_mm(const cmo_square_on_line_state *state) {
    return 0.5F *
           (cmi_bearing_width_at_mm(state, 0) + cmi_bearing_width_at_mm(state, CMI_FRONT - 1));
}
