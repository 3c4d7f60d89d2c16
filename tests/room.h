// SPDX-License-Identifier: GPL-3.0-or-later
// A room to patrol, and a robot in it.
#ifndef ROOM_H
#define ROOM_H

#include "support.h"

// A room of 600 by 500 mm, behind a painted rim or with no floor around.
typedef struct room {
    double floor, rim; // luminance; of the rim below 0: void
    double wall_mm;    // width of the rim
    double notch_mm;   // a corner that pokes in at the upper right, 0: none
} room;

#define LEFT  100.0
#define RIGHT 700.0
#define LOW   100.0
#define HIGH  600.0

extern const room dark_room;
extern const room light_room;
extern const room table;

typedef struct patrol {
    cmo_sim_mat *mat;
    cmo_sim_region *region;
    cmo_robot_description description;
    bench_robot bench;
    cmo_stay_inside_state state;
    double least_mm; // true margin
    unsigned stages; // bit n: stage n was seen
} patrol;

// A patrol's robot in the middle of the room, its spots so far to the side. `extra`: objects and
// faults; NULL: none.
void start_patrol(patrol *p, const room *r, float side_mm, uint16_t traits,
                  const cmo_sim_setup *extra);
void end_patrol(patrol *p);

// A setup of the same robot and room, without objects and faults; and to begin anew with one.
cmo_sim_setup patrol_setup(const patrol *p, double x_mm, double y_mm, double heading_deg);
void start_again(patrol *p, const cmo_sim_setup *setup);

// Runs it to its end, or until a time, and keeps an sensor on all contacts.
cmo_outcome run_patrol(patrol *p, const cmo_stay_inside_parameters *parameters, double until_ms);

// Runs it tick by tick to its end, and looks at each.
cmo_outcome watch_patrol(patrol *p, const cmo_stay_inside_parameters *parameters,
                         void (*look)(const patrol *p, double *seen), double *seen);

#endif
