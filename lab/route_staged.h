// SPDX-License-Identifier: GPL-3.0-or-later
// What the reader fills in first: nothing but numbers, NAN where nothing was given.
#ifndef LAB_ROUTE_STAGED_H
#define LAB_ROUTE_STAGED_H

#include "legs.h"

#include <cammino_lab/files.h>
#include <cammino_lab/keys.h>

typedef struct staged_stop {
    double x_mm, y_mm;
} staged_stop;

typedef struct staged_object {
    double x_mm, y_mm, radius_mm, mass_kg, friction_n, speed_mm_s;
    unsigned stops;
    staged_stop stop[8];
} staged_object;

typedef struct staged_route {
    char *robot, *mat;
    double mat_width_mm, mat_px_per_mm, mat_soft_mm, longest_s, start_pressed_s, stop_pressed_s;
    unsigned objects;
    staged_object object[CMO_SIM_OBJECTS_MAX];
    staged_start start;
    lab_spread spread;
} staged_route;

// A path as a file names it: beside that file, unless it is absolute. To be freed with g_free().
char *labi_beside(const char *route_path, const char *name);

extern const lab_section labi_route_section, labi_start_section, labi_spread_section,
    labi_leg_section;
extern const lab_key labi_leg_keys[];

#endif
