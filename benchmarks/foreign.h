// SPDX-License-Identifier: GPL-3.0-or-later
// The robots of another make, all through one trial on all processors.
#ifndef FOREIGN_H
#define FOREIGN_H

#include "foreign_plant.h"

#define FOREIGN_MOST 2000U

typedef struct foreign_robots {
    unsigned n;
    foreign_robot made[FOREIGN_MOST];
    cmo_robot_description described[FOREIGN_MOST];
    bool steady[FOREIGN_MOST];
} foreign_robots;

// What came of a robot's trial; values as its trial has them, NAN: none.
typedef struct foreign_result {
    cmo_outcome outcome;
    const char *field; // refused for this one
    double value[6];
} foreign_result;

// Robot `number`, from 1, is `made`, and its user thinks that it is `described`.
typedef void (*foreign_trial)(const foreign_robot *made, const cmo_robot_description *described,
                              unsigned number, const void *context, foreign_result *result);

// The robots that are not steady are left out: their outcome is CMO_RUNNING.
void foreign_all(const foreign_robots *robots, foreign_trial trial, const void *context,
                 foreign_result *results);

// Starts a robot with its levels on a plant that has been started.
cmo_outcome foreign_robot_start(cmo_robot *robot, const cmo_robot_description *described,
                                const foreign_robot *made, const cmo_port *port);

typedef struct foreign_figure {
    unsigned n;
    double rms, mean, within, worst; // sizes but for the mean; within: 95 %
} foreign_figure;

foreign_figure foreign_sum_up(unsigned n, const foreign_result *results, unsigned value);

// How many ended with each outcome but done, and which robots, the first eight.
void foreign_print_outcomes(unsigned n, const foreign_result *results);

void foreign_moves(const foreign_robots *robots); // to a line, turns and ways
void foreign_patrols(const foreign_robots *robots);
void foreign_follows(const foreign_robots *robots);
void foreign_counts(const foreign_robots *robots);
void foreign_checks(const foreign_robots *robots);   // the wiring, and faults of it
void foreign_measures(const foreign_robots *robots); // levels, geometry and drive; then moves

#endif
