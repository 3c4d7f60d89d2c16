// SPDX-License-Identifier: GPL-3.0-or-later
// A fleet's robots at work: the same trial for each of them, and tables of what came of it.
#ifndef POPULATION_H
#define POPULATION_H

#include "practice.h"

#include <cammino_lab/fleet.h>
#include <cammino_lab/series.h>

#define POPULATION_MOST   2000U
#define POPULATION_VALUES 6U

typedef struct population {
    lab_fleet *fleet;
    unsigned n;
    lab_robot *robot[POPULATION_MOST]; // of the seeds 1, 2...
} population;

// What became of one robot's trial. A value that there is not is NAN.
typedef struct outcome {
    bool tried; // not refused before it moved
    cmo_outcome outcome;
    double value[POPULATION_VALUES];
} outcome;

// Draws so many robots of a fleet file, described on this mat. Ends the program where it cannot.
population *population_new(const char *path, unsigned n, const cmo_sim_mat *mat, double x_mm,
                           double y_mm);
void population_free(population *c);

// One robot so many times over; it stays the caller's, and g_free() frees the rest.
population *population_alone(lab_robot *robot, unsigned n);

// The same for each robot, on all processors; `results` has room for them all.
typedef void (*population_trial)(const population *c, unsigned number, const void *context,
                                 outcome *result);
void population_work(const population *c, population_trial trial, const void *context,
                     outcome *results);

// Of those of a kind; a part that is not there: of all.
typedef struct population_figure {
    unsigned tried, done;
    unsigned n; // that have the value
    double rms, mean, within, within_99, worst;
} population_figure;
#define POPULATION_ALL LAB_PARTS_MAX
population_figure population_sum_up(const population *c, const outcome *results, unsigned value,
                                    unsigned part, unsigned kind);

// One line a kind: what is done, 95 % and worst of some values.
void population_print_kinds(const population *c, const outcome *results, const char *const *names,
                            const unsigned *values, unsigned count);

// Which robots, by their seeds, have the largest values, worst first: "17 4 99".
void population_print_worst(const population *c, const outcome *results, unsigned value);

// How often each outcome came, but done: "no_line 3, stalled 1".
void population_print_outcomes(const population *c, const outcome *results);

// Smallest first.
void population_sort(double *values, unsigned n);

// So many runs on the demo robot, a fifth of them on each of the other kinds, the first `kinds` of
// kinds.h.
typedef void (*population_runs)(const population *c, const void *context, unsigned runs,
                                const char *name);
void population_on_kinds(size_t kinds, unsigned runs, population_runs run, const void *context);

// Numbers that hang on a robot and a word alone.
double population_even(unsigned number, const char *word, double low, double high);

// Common practice on one of the robots; the simulator is the caller's to free.
cmo_sim *population_practice(const lab_robot *robot, const cmo_sim_mat *mat, const lab_start *start,
                             uint64_t seed, practice *p);

// A route with one leg on this mat; the mat stays the caller's.
lab_route *population_route(const cmo_sim_mat *mat, const lab_leg *leg);
void population_route_free(lab_route *route);

#endif
