// SPDX-License-Identifier: MIT
// Where the edge that is followed lies against the robot: a Kalman filter of the spot's distance
// from it, the robot's angle to it, and its curvature, driven by the wheels.
#ifndef CMI_EDGE_TRACK_H
#define CMI_EDGE_TRACK_H

#include <cammino/follow_edge.h>

// What a look says: the spot is so far to the left of the edge.
typedef struct cmi_edge_sight {
    float off_mm;
    float sigma_mm;
    float turns_mm; // by so much further to the left it would be, by a radian more of angle
    int8_t beyond;  // 1: at least so far; -1: at most
    bool bends;     // what does not fit may be a bend of the edge
} cmi_edge_sight;

// About how well the angle to an edge is known that has just been met: to 23 degrees.
#define CMI_ANGLE_SD_RAD 0.4F

// The spot is so far from an edge, and the robot at about this angle to it. What it was before
// about place, aim and bends holds.
void cmi_track_start(cmo_edge_track *track, float off_mm, float angle_rad, float angle_sd_rad);

// How well it knows both: standard deviations.
typedef struct cmi_track_sds {
    float off_mm, angle_rad;
} cmi_track_sds;

cmi_track_sds cmi_track_sd(const cmo_edge_track *track);

// The wheels have gone on.
void cmi_track_go(cmo_edge_track *track, const cmo_robot *robot, const cmo_moment *from,
                  const cmo_moment *to);

// Takes a look that was taken when the wheels were at `then`; they are at `now`. False: it does not
// fit where the edge is thought to be, and nothing is taken.
bool cmi_track_look(cmo_edge_track *track, const cmo_robot *robot, const cmi_edge_sight *sight,
                    const cmo_moment *then, const cmo_moment *now);

#endif
