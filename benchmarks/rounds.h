// SPDX-License-Identifier: GPL-3.0-or-later
// A population's trial in rounds, until there are so many runs, and what came of all of them.
#ifndef ROUNDS_H
#define ROUNDS_H

#include "population.h"

typedef struct rounds_sum {
    unsigned tried, done;
    unsigned outcome[CMO_OUTCOMES];
    unsigned known[POPULATION_VALUES];
    double *value[POPULATION_VALUES]; // smallest first
} rounds_sum;

// Runs them; `round` lies within `context`, and the trial's seeds count it in.
rounds_sum *rounds_run(const population *c, population_trial trial, const void *context,
                       unsigned *round, unsigned runs);
void rounds_free(rounds_sum *sum);

// What this share of the values keep to; NAN: there is none.
double rounds_within(const rounds_sum *sum, unsigned value, double share);

// Name, how many tried it, how many did it.
void rounds_print_name(const rounds_sum *sum, const char *name);

// How often each outcome came, but done; and the line's end.
void rounds_print_outcomes(const rounds_sum *sum);

#endif
