// SPDX-License-Identifier: MIT
// One wheel: an observer of its speed, and the speed control for ports that take duty.
#ifndef CMI_WHEEL_H
#define CMI_WHEEL_H

#include <cammino/robot.h>

// What an encoder has counted in a tick, and the way that one count stands for.
typedef struct cmi_counted {
    float way_mm;
    float step_mm;
} cmi_counted;

// Lets the observer go on by dt; `counted` is NULL where there are no counts, `lag_s` INFINITY
// where nothing drives or brakes the wheel, so that only the encoder knows. Returns the way that
// the wheel is thought to have gone: finer than a count, and never further from the counts than
// half of one.
float cmi_wheel_observe(cmo_wheel *wheel, const cmo_robot_description *description,
                        const cmi_counted *counted, float dt_s, float lag_s);

// What it was commanded and has not driven, over the speed that it has gained, is how long it
// trails its commands. False: it does not speed up now.
bool cmi_wheel_trails(const cmo_wheel *wheel, float *behind_mm, float *gained_mm_s);

// Duty for the wheel's command: feed-forward and PI with anti-windup.
float cmi_wheel_duty(cmo_wheel *wheel, const cmo_robot_description *description, float dt_s,
                     bool measured);

#endif
