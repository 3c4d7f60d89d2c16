// SPDX-License-Identifier: GPL-3.0-or-later
#ifndef FLEET_H
#define FLEET_H

#include "population.h"
#include "practice.h"

// Each prints its own tables.
void fleet_stop(const char *fleet, unsigned robots);
void fleet_square(const char *fleet, unsigned robots);
void fleet_moves(const char *fleet, unsigned robots);
void fleet_marks(const char *fleet, unsigned robots);
void fleet_patrol(const char *fleet, unsigned robots);
void fleet_geometry(const char *fleet, unsigned robots);
void fleet_wiring(const char *fleet, unsigned robots);
void fleet_drive(const char *fleet, unsigned robots);
void fleet_braking(const char *fleet, unsigned robots);
void fleet_table(const char *fleet, unsigned robots);

// What comes of one leg on a robot by itself.
lab_leg_result fleet_leg(const lab_robot *robot, const cmo_sim_mat *mat, lab_leg leg,
                         const lab_start *start, uint64_t seed);

// From then on the population knows its drive as measure_drive leaves it.
void fleet_measure_drives(population *c, const cmo_sim_mat *mat);

// And its braking, as measure_braking does.
void fleet_measure_brakings(population *c, const cmo_sim_mat *mat);

// By how much a measured figure is off, and how often within what it states; by robots that have
// it.
void fleet_print_within(const population *c, const outcome *results, const char *name, unsigned off,
                        unsigned sigma, const char *unit);

// A floor of 0.6 with two dark lines across, 20 mm wide and 400 mm apart, the first at
// FLEET_EDGE_MM.
#define FLEET_EDGE_MM  1500.0
#define FLEET_LINE_MM  20.0
#define FLEET_APART_MM 400.0
#define FLEET_Y_MM     900.0
cmo_sim_mat *fleet_two_lines(void);

// Where a robot stands whose spots' middle is so far before the first line, at an angle to it.
lab_start fleet_before_line(const lab_robot *robot, double run_up_mm, double heading_deg);

// The robot as measure_geometry leaves it; false: it could not.
bool fleet_measured(const lab_robot *robot, const cmo_sim_mat *mat, uint64_t seed, lab_robot *out);

#endif
