// SPDX-License-Identifier: GPL-3.0-or-later
// Stops on a line, and where the robot truly stands then.
#ifndef STOP_RUNS_H
#define STOP_RUNS_H

#include "support.h"

// The true distance of the middle of the spots beyond x_mm, along the way.
double beyond(const bench_robot *bench, double x_mm);

// A stop that is done, and halted.
bench_robot stop(const cmo_sim_setup *setup, const cmo_robot_description *description,
                 const cmo_line_parameters *parameters);

#endif
