// SPDX-License-Identifier: GPL-3.0-or-later
// A floor with one line across it, and robots on their way to that.
#ifndef LINE_FLOOR_H
#define LINE_FLOOR_H

#include "support.h"

#include <cammino_lab/fleet.h>

// Where the line begins, and how wide it is.
#define EDGE_MM  1000.0
#define WIDTH_MM 20.0

// What that floor is, for a mat that is made from a function.
double line_across(void *data, double x_mm, double y_mm, unsigned *marks);

// One leg there, from so far before the line, at an angle to it.
lab_run *drive_at_line(const lab_robot *robot, const cmo_sim_mat *mat, const lab_leg *leg,
                       double before_mm, double angle_deg, uint64_t seed);

// The demo's fleet, with the levels of that floor.
lab_fleet *fleet_at_line(const cmo_sim_mat *mat);

#endif
