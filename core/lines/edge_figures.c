// SPDX-License-Identifier: MIT
#include "edge_figures.h"

#include "../shared/routine.h"
#include "../shared/trig.h"

#include <math.h>

// Nearer ahead of its axle, or behind it, hardly anything turns the robot so.
#define LEAST_AHEAD_MM 25.0F

void cmi_edge_joined(const cmo_robot *robot, cmo_follow_edge_state *state) {
    state->joined = true;
    state->figures.joined_mm = cmi_gone_mm(robot);
    state->figures.joined_ms = robot->elapsed_ms;
}

void cmi_edge_count_off(cmo_follow_edge_state *state, float off_mm) {
    cmo_edge_figures *f = &state->figures;
    float off = fabsf(off_mm);
    f->looks++;
    f->sum_mm += off;
    f->squares_mm2 += off * off;
    f->worst_mm = fmaxf(f->worst_mm, off);
}

// By how much the robot is turned off what it would be had its spot stayed on the edge, at an angle
// to it, once it has turned by so much and the spot has gone on by so much. It was off by
// `before_rad`.
//
// There the spot runs along the edge, and what of that lies across the robot turns it about its
// axle: heading' = sin(edge - heading) / ahead.
static float wobble_rad(float before_rad, float angle_rad, float turn_rad, float gone_mm,
                        float ahead_mm) {
    float sine, cosine;
    cmi_sin_cos(before_rad - angle_rad, &sine, &cosine);
    return before_rad + turn_rad - sine * fminf(gone_mm / fmaxf(ahead_mm, LEAST_AHEAD_MM), 1.0F);
}

void cmi_edge_count_tick(const cmo_robot *robot, cmo_follow_edge_state *state, bool full) {
    const cmo_robot_description *d = robot->description;
    const cmo_edge_track *track = &state->track;
    cmo_edge_figures *f = &state->figures;
    float dt_s = 1e-6F * (float)robot->dt_us;
    float left = robot->left.speed_mm_s;
    float right = robot->right.speed_mm_s;
    float turn = track->turn_share * (right - left) * dt_s / d->track_mm;
    float along = 0.5F * (left + right) * dt_s - track->left_mm * turn;
    float across = track->ahead_mm * turn;
    float gone = sqrtf(along * along + across * across);
    f->wobble_rad = wobble_rad(f->wobble_rad, track->angle_rad, turn, gone, track->ahead_mm);
    f->squares_rad2_s += f->wobble_rad * f->wobble_rad * dt_s;
    f->followed_s += dt_s;
    f->full_s += full ? dt_s : 0.0F;
    if (fabsf(f->wobble_rad) > CMO_SWING_RAD) {
        int8_t side = f->wobble_rad > 0.0F ? 1 : -1;
        f->swings += side == -f->side;
        f->side = side;
    }
}
