// SPDX-License-Identifier: GPL-3.0-or-later
#include "foreign.h"

#include <glib.h>
#include <gsl/gsl_sort.h>
#include <gsl/gsl_statistics_double.h>
#include <math.h>
#include <stdio.h>

typedef struct work {
    const foreign_robots *robots;
    foreign_trial trial;
    const void *context;
    foreign_result *results;
} work;

static void try_one(gpointer number, gpointer data) {
    const work *w = data;
    unsigned n = GPOINTER_TO_UINT(number) - 1;
    foreign_result *result = &w->results[n];
    *result = (foreign_result){.outcome = CMO_RUNNING};
    for (size_t v = 0; v < G_N_ELEMENTS(result->value); v++) {
        result->value[v] = NAN;
    }
    if (w->robots->steady[n]) {
        w->trial(&w->robots->made[n], &w->robots->described[n], n + 1, w->context, result);
    }
}

void foreign_all(const foreign_robots *robots, foreign_trial trial, const void *context,
                 foreign_result *results) {
    work w = {robots, trial, context, results};
    GThreadPool *pool = g_thread_pool_new(try_one, &w, (int)g_get_num_processors(), TRUE, NULL);
    for (unsigned number = 1; number <= robots->n; number++) {
        g_thread_pool_push(pool, GUINT_TO_POINTER(number), NULL);
    }
    g_thread_pool_free(pool, FALSE, TRUE);
}

cmo_outcome foreign_robot_start(cmo_robot *robot, const cmo_robot_description *described,
                                const foreign_robot *made, const cmo_port *port) {
    cmo_outcome outcome = cmo_robot_start(robot, described, port);
    for (uint8_t i = 0; i < 2 && outcome == CMO_OUTCOME_DONE; i++) {
        cmo_levels levels = foreign_levels(made, i);
        outcome = cmo_robot_set_levels(robot, i, &levels);
    }
    return outcome;
}

foreign_figure foreign_sum_up(unsigned n, const foreign_result *results, unsigned value) {
    static double sizes[FOREIGN_MOST];
    foreign_figure f = {0, 0.0, 0.0, NAN, NAN};
    for (unsigned i = 0; i < n; i++) {
        double x = results[i].value[value];
        if (isfinite(x)) {
            sizes[f.n++] = fabs(x);
            f.mean += x;
            f.rms += x * x;
        }
    }
    f.mean /= f.n;
    f.rms = sqrt(f.rms / f.n);
    if (f.n > 0) {
        gsl_sort(sizes, 1, f.n);
        f.within = gsl_stats_quantile_from_sorted_data(sizes, 1, f.n, 0.95);
        f.worst = sizes[f.n - 1];
    }
    return f;
}

void foreign_print_outcomes(unsigned n, const foreign_result *results) {
    for (int outcome = 0; outcome < CMO_OUTCOMES; outcome++) {
        unsigned count = 0;
        for (unsigned i = 0; i < n; i++) {
            bool is = results[i].outcome == (cmo_outcome)outcome;
            if (!is || outcome == CMO_RUNNING || outcome == CMO_OUTCOME_DONE) {
                continue;
            }
            if (count == 0) {
                printf("    %s:", cmo_outcome_name((cmo_outcome)outcome));
            }
            if (count < 8) {
                printf(" %u%s%s", i + 1, results[i].field != NULL ? " " : "",
                       results[i].field != NULL ? results[i].field : "");
            }
            count++;
        }
        if (count > 0) {
            printf("%s: %u\n", count > 8 ? " ..." : "", count);
        }
    }
    fflush(stdout);
}
