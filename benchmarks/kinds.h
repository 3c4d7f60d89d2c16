// SPDX-License-Identifier: GPL-3.0-or-later
// What makes the demo robot into another one, as it believes itself and as the simulator has it.
#ifndef KINDS_H
#define KINDS_H

#include <cammino_lab/files.h>

void set_sensors(lab_robot *robot, double interval_ms, double delay_ms, double tick_ms);
void make_heavy(lab_robot *robot); // on poor grip, with slow motors
void make_duty_only(lab_robot *robot);
void make_fast_sensors(lab_robot *robot);    // 3 ms, in a tick of 2
void make_slow_sensors(lab_robot *robot);    // 25 ms, in a tick of 20
void make_coarse_encoders(lab_robot *robot); // 2 mm a step
void make_without_encoders(lab_robot *robot);

typedef struct robot_kind {
    const char *name;
    void (*make)(lab_robot *robot);
} robot_kind;

// The demo robot first; up to LIGHT_KINDS what a sensor sees differs, then what a drive does.
#define LIGHT_KINDS 5
#define USUAL_KINDS 7
extern const robot_kind usual_kinds[USUAL_KINDS];

// The demo robot, made into that kind. Ends the program where its file cannot be read.
lab_robot *robot_of_kind(const robot_kind *kind);

#endif
