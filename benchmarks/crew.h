// SPDX-License-Identifier: GPL-3.0-or-later
// A fleet's robots at work: the same trial for each of them, and tables of what came of it.
#ifndef CREW_H
#define CREW_H

#include <cammino_lab/fleet.h>
#include <cammino_lab/series.h>

#define CREW_MOST   2000U
#define CREW_VALUES 6U

typedef struct crew {
    lab_fleet *fleet;
    unsigned n;
    lab_robot *robot[CREW_MOST]; // of the seeds 1, 2...
} crew;

// What became of one robot's trial. A value that there is not is NAN.
typedef struct outcome {
    bool tried; // not refused before it moved
    cmo_outcome outcome;
    double value[CREW_VALUES];
} outcome;

// Draws so many robots of a fleet file, described on this mat. Ends the program where it cannot.
crew *crew_new(const char *path, unsigned n, const cmo_sim_mat *mat, double x_mm, double y_mm);
void crew_free(crew *c);

// The same for each robot, on all processors; `results` has room for them all.
typedef void (*crew_trial)(const crew *c, unsigned number, const void *context, outcome *result);
void crew_work(const crew *c, crew_trial trial, const void *context, outcome *results);

// Of those of a kind; a part that is not there: of all.
typedef struct crew_figure {
    unsigned tried, done;
    unsigned n; // that have the value
    double rms, mean, within, within_99, worst;
} crew_figure;
#define CREW_ALL LAB_PARTS_MAX
crew_figure crew_sum_up(const crew *c, const outcome *results, unsigned value, unsigned part,
                        unsigned kind);

// One line a kind: what is done, 95 % and worst of some values.
void crew_print_kinds(const crew *c, const outcome *results, const char *const *names,
                      const unsigned *values, unsigned count);

// Which robots, by their seeds, have the largest values, worst first: "17 4 99".
void crew_print_worst(const crew *c, const outcome *results, unsigned value);

// How often each outcome came, but done: "no_line 3, stalled 1".
void crew_print_outcomes(const crew *c, const outcome *results);

// Numbers that hang on a robot and a word alone.
double crew_even(unsigned number, const char *word, double low, double high);

// A route with one leg on this mat; the mat stays the caller's.
lab_route *crew_route(const cmo_sim_mat *mat, const lab_leg *leg);
void crew_route_free(lab_route *route);

#endif
