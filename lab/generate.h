// SPDX-License-Identifier: GPL-3.0-or-later
// The parts of which a route as C is made. Each adds to a text.
#ifndef LAB_GENERATE_H
#define LAB_GENERATE_H

#include "legs.h"

void labi_c_add(GString *out, const char *format, ...) G_GNUC_PRINTF(2, 3);

// Nine digits are the same float again.
void labi_c_float(GString *out, double value);

// A number's name, and what was reckoned from such: to be freed with g_free().
char *labi_c_constant(const char *name);
char *labi_c_reckoned(const char *text);

// The rows of a leg's parameters that are given.
void labi_c_parameters(GString *out, const lab_leg *leg);

// Ends as an object called NAME_WHAT. `leg` may be NULL: then nothing was reckoned.
void labi_c_ends(GString *out, const char *name, const char *what, const cmo_ends *ends,
                 const lab_leg *leg);

// The robot's description and its levels, called after the route.
void labi_c_robot(GString *out, const lab_robot *robot, const char *name);
void labi_c_levels(GString *out, const lab_robot *robot, const char *name);

// The surfaces, and a constant's name of one; that is to be freed with g_free().
void labi_c_surfaces(GString *out, const lab_route *route, const char *name);
char *labi_c_surface(const char *name);

#endif
