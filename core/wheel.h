// SPDX-License-Identifier: MIT
// One wheel: an observer of its speed, and the speed control for ports that take duty.
#ifndef CMO_WHEEL_H
#define CMO_WHEEL_H

#include <cammino/robot.h>

// Lets the observer go on by dt. `way_mm` is the encoder's way; NAN without encoders.
void cmo_wheel_observe(cmo_wheel *wheel, const cmo_robot_description *description, float way_mm,
                       float dt_s, uint8_t halt);

// What it was commanded and has not driven, over the speed that it has gained, is how long it
// trails its commands. False: it does not speed up now.
bool cmo_wheel_trails(const cmo_wheel *wheel, float *behind_mm, float *gained_mm_s);

// Duty for the wheel's command: feed-forward and PI with anti-windup.
float cmo_wheel_duty(cmo_wheel *wheel, const cmo_robot_description *description, float dt_s,
                     bool measured);

#endif
