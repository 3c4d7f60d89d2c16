// SPDX-License-Identifier: MIT
// Follows a profile of way over time with both wheels.
#ifndef CMO_MOTION_H
#define CMO_MOTION_H

#include <cammino/routines.h>

// Begins from the speed that the robot has. Signs say which way each wheel turns; `target_mm` is
// the way of a wheel whose sign is 1, INFINITY for an open end.
void cmo_motion_start(cmo_motion *motion, const cmo_robot *robot, float target_mm, float left_sign,
                      float right_sign);

// One tick of the profile: sets both wheels' commands.
void cmo_motion_follow(cmo_motion *motion, cmo_robot *robot);

// After the profile has arrived: small moves until both wheels stand within the tolerance.
// True: they do.
bool cmo_motion_settle(cmo_motion *motion, cmo_robot *robot, float tolerance_mm);

// Way of the wheels along the motion, mean of both.
float cmo_motion_way(const cmo_motion *motion, const cmo_robot *robot);

#endif
