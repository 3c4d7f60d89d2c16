// SPDX-License-Identifier: GPL-3.0-or-later
// Surfaces by name: in a robot file, in a route's legs, and as a robot takes them.
#ifndef LAB_SURFACES_H
#define LAB_SURFACES_H

#include "sections.h"
#include "yaml_reader.h"

#include <cammino_lab/files.h>

typedef struct staged_shade {
    double counts, red, green, blue, spread;
} staged_shade;

typedef struct staged_surface {
    char *name;
    staged_shade left, right;
} staged_surface;

typedef struct staged_surfaces {
    unsigned count;
    staged_surface surface[CMO_SURFACES_MAX];
    double change;
} staged_surfaces;

extern const lab_section labi_surface_section, labi_shade_section;

// Whether names are such that legs can use, each once. False, and the error.
bool labi_surfaces_check(const yaml_reader *reader, const yaml_node_t *node,
                         const staged_surfaces *from);

// What the robot knows; names are copied.
void labi_surfaces_finish(lab_robot *robot, const staged_surfaces *from);

// Gives the legs of a route the numbers of the surfaces that they name: the robot's, and those that
// a leg teaches. False, and the error: there is no such one.
bool labi_surfaces_resolve(lab_route *route, GError **error);

// Lets a robot know them, in a table of its own; nothing where there are none.
void labi_set_surfaces(cmo_robot *robot, cmo_surfaces *table, const lab_route *route);

// Whether a sensor would tell what it reads at a place, without noise, to be that surface: what it
// was taught says what is meant by a name.
bool labi_is_surface(const lab_route *route, const cmo_sim *sim, unsigned sensor, double x_mm,
                     double y_mm, uint8_t surface);

#endif
