// SPDX-License-Identifier: GPL-3.0-or-later
#include "rounds.h"

#include <math.h>
#include <stdio.h>

rounds_sum *rounds_run(const population *c, population_trial trial, const void *context,
                       unsigned *round, unsigned runs) {
    static outcome results[POPULATION_MOST];
    rounds_sum *sum = g_new0(rounds_sum, 1);
    unsigned rounds = (runs + c->n - 1) / c->n;
    for (unsigned v = 0; v < POPULATION_VALUES; v++) {
        sum->value[v] = g_new(double, (gsize)rounds * c->n);
    }
    for (*round = 0; *round < rounds; ++*round) {
        population_work(c, trial, context, results);
        for (unsigned i = 0; i < c->n; i++) {
            sum->tried += results[i].tried;
            sum->outcome[results[i].outcome] += results[i].tried;
            for (unsigned v = 0; v < POPULATION_VALUES; v++) {
                if (isfinite(results[i].value[v])) {
                    sum->value[v][sum->known[v]++] = results[i].value[v];
                }
            }
        }
    }
    sum->done = sum->outcome[CMO_OUTCOME_DONE];
    for (unsigned v = 0; v < POPULATION_VALUES; v++) {
        population_sort(sum->value[v], sum->known[v]);
    }
    return sum;
}

void rounds_free(rounds_sum *sum) {
    for (unsigned v = 0; v < POPULATION_VALUES; v++) {
        g_free(sum->value[v]);
    }
    g_free(sum);
}

double rounds_within(const rounds_sum *sum, unsigned value, double share) {
    unsigned known = sum->known[value];
    return known > 0 ? sum->value[value][(unsigned)(share * (known - 1))] : NAN;
}

void rounds_print_name(const rounds_sum *sum, const char *name) {
    printf("%-34s%6u%6u", name, sum->tried, sum->done);
}

void rounds_print_outcomes(const rounds_sum *sum) {
    for (unsigned o = CMO_OUTCOME_DONE + 1; o < CMO_OUTCOMES; o++) {
        if (sum->outcome[o] > 0) {
            printf("  %s %u", cmo_outcome_name((cmo_outcome)o), sum->outcome[o]);
        }
    }
    printf("\n");
    fflush(stdout);
}
