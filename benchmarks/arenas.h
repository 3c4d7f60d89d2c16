// SPDX-License-Identifier: GPL-3.0-or-later
// Arenas and robots of quite different kinds, to patrol in.
#ifndef ARENAS_H
#define ARENAS_H

#include "kinds.h"

#include <cammino_lab/series.h>

typedef struct arena {
    const char *name;
    const char *drawing; // inside of the SVG
    const char *ground;  // colour of the mat all over; NULL: void
    cmo_tone boundary;
    double x_mm, y_mm;
} arena;

#define ARENAS 8
extern const arena arenas[ARENAS];

#define ROBOTS 6
extern const robot_kind robot_kinds[ROBOTS];

// A route with one leg, stay_inside, in that arena and with that robot.
lab_route *make_patrol(unsigned robot, unsigned arena);
void free_patrol(lab_route *route);

// Sets battery and grip to a corner of the stated spread of 10 % each, 0..3.
void set_corner(lab_robot *robot, const lab_robot *plain, unsigned corner);

#endif
