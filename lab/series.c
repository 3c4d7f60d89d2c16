// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/series.h>

#include <cammino_lab/fleet.h>
#include <cammino_lab/limits.h>

#include <gsl/gsl_sort.h>
#include <gsl/gsl_statistics_double.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

// ----------------------------------------------------------------------------------- statistics --

static int by_size(const void *a, const void *b) {
    double first = fabs(*(const double *)a);
    double second = fabs(*(const double *)b);
    return (first > second) - (first < second);
}

static lab_statistics sum_up(double *values, unsigned n) {
    lab_statistics s = {.n = n};
    if (n == 0) {
        return s;
    }
    gsl_sort(values, 1, n);
    s.mean = gsl_stats_mean(values, 1, n);
    s.sd = n > 1 ? gsl_stats_sd(values, 1, n) : 0.0;
    s.p05 = gsl_stats_quantile_from_sorted_data(values, 1, n, 0.05);
    s.p50 = gsl_stats_quantile_from_sorted_data(values, 1, n, 0.50);
    s.p95 = gsl_stats_quantile_from_sorted_data(values, 1, n, 0.95);
    s.p99 = gsl_stats_quantile_from_sorted_data(values, 1, n, 0.99);
    s.worst = fabs(values[0]) > fabs(values[n - 1]) ? values[0] : values[n - 1];
    qsort(values, n, sizeof(double), by_size);
    s.within = fabs(values[(unsigned)ceil(0.95 * n) - 1]);
    return s;
}

// A part of the trials: those whose robot is of a kind in a part; a part of NONE is all of them.
typedef struct choice {
    unsigned part, kind;
} choice;
#define NONE LAB_PARTS_MAX

typedef struct work {
    const lab_results *results;
    const lab_fleet *fleet;
} work;

static const lab_trial *trial_of(const work *w, unsigned i) {
    return &g_array_index(w->results->trials, lab_trial, i);
}

static bool is_of(const work *w, const choice *of, const lab_trial *trial) {
    return of->part == NONE || lab_fleet_kind_of(w->fleet, of->part, trial->seed) == of->kind;
}

// A figure of a leg, over all trials and rounds; `values` is used for that.
static lab_statistics column(const work *w, const choice *of, unsigned leg, cmo_figure figure,
                             bool truth, GArray *values) {
    g_array_set_size(values, 0);
    for (unsigned i = 0; i < w->results->trials->len; i++) {
        const lab_trial *trial = trial_of(w, i);
        unsigned legs = is_of(w, of, trial) ? trial->legs : 0;
        for (unsigned n = 0; n < legs; n++) {
            double value;
            if (trial->leg[n].leg == leg &&
                lab_trial_figure(&trial->leg[n], figure, truth, &value)) {
                g_array_append_val(values, value);
            }
        }
    }
    return sum_up((double *)(void *)values->data, values->len);
}

// Whether it has counted as many lines as there truly were.
static void add_count(lab_series_leg *leg, const lab_trial_leg *row) {
    double robot, truth;
    if (lab_trial_figure(row, CMO_LINES_SEEN, false, &robot) &&
        lab_trial_figure(row, CMO_LINES_SEEN, true, &truth)) {
        leg->counts++;
        leg->miscounts += fabs(robot - truth) > 0.5;
    }
}

static void add_tally(lab_series_leg *leg, const lab_trial_leg *row) {
    if (!row->tells) {
        return;
    }
    if (leg->tallies == NULL) {
        leg->tallies = g_array_new(FALSE, FALSE, sizeof(lab_series_tally));
    }
    guint at = 0;
    while (at < leg->tallies->len && memcmp(g_array_index(leg->tallies, lab_series_tally, at).lines,
                                            row->tally, sizeof row->tally) != 0) {
        at++;
    }
    if (at == leg->tallies->len) {
        lab_series_tally new = {.times = 0};
        memcpy(new.lines, row->tally, sizeof new.lines);
        g_array_append_val(leg->tallies, new);
    }
    g_array_index(leg->tallies, lab_series_tally, at).times++;
}

// The most frequent first; of two as frequent the one with more lines of the lower surfaces.
static gint by_times(gconstpointer a, gconstpointer b) {
    const lab_series_tally *first = a;
    const lab_series_tally *second = b;
    int order = (first->times < second->times) - (first->times > second->times);
    return order != 0 ? order : memcmp(second->lines, first->lines, sizeof first->lines);
}

// The legs' outcomes and figures over a part of the trials.
static lab_series_leg *sum_up_legs(const work *w, const choice *of, unsigned *trials,
                                   unsigned *completed) {
    const lab_results *results = w->results;
    lab_series_leg *summed = g_new0(lab_series_leg, results->legs);
    GArray *values = g_array_new(FALSE, FALSE, sizeof(double));
    *trials = *completed = 0;
    for (unsigned i = 0; i < results->trials->len; i++) {
        const lab_trial *trial = trial_of(w, i);
        if (is_of(w, of, trial)) {
            ++*trials;
            *completed += trial->outcome == CMO_OUTCOME_DONE;
            for (unsigned n = 0; n < trial->legs; n++) {
                lab_series_leg *to = &summed[trial->leg[n].leg];
                to->outcomes[trial->leg[n].outcome]++;
                add_count(to, &trial->leg[n]);
                add_tally(to, &trial->leg[n]);
            }
        }
    }
    for (unsigned leg = 0; leg < results->legs; leg++) {
        summed[leg].routine = results->leg[leg].routine;
        summed[leg].name = g_strdup(results->leg[leg].name);
        summed[leg].judged = results->leg[leg].judged;
        if (summed[leg].tallies != NULL) {
            g_array_sort(summed[leg].tallies, by_times);
        }
        for (unsigned f = 0; f < CMO_FIGURES; f++) {
            lab_series_figure *to = &summed[leg].figure[f];
            to->robot = column(w, of, leg, (cmo_figure)f, false, values);
            to->truth = column(w, of, leg, (cmo_figure)f, true, values);
        }
    }
    g_array_free(values, TRUE);
    return summed;
}

// -------------------------------------------------------------------------------------- kinds --

static void sum_up_kinds(const work *w, lab_series *series) {
    const lab_fleet *fleet = w->fleet;
    for (unsigned part = 0; part < lab_fleet_parts(fleet); part++) {
        series->kinds += lab_fleet_kinds(fleet, part);
    }
    lab_series_kind *to = series->kind = g_new0(lab_series_kind, series->kinds);
    for (unsigned part = 0; part < lab_fleet_parts(fleet); part++) {
        for (unsigned kind = 0; kind < lab_fleet_kinds(fleet, part); kind++, to++) {
            choice of = {part, kind};
            to->part = lab_fleet_part(fleet, part);
            to->kind = lab_fleet_kind(fleet, part, kind);
            to->leg = sum_up_legs(w, &of, &to->trials, &to->completed);
        }
    }
}

// How bad a trial was: one that was not completed is worse than any error, and errors count by what
// 95 % of the trials keep to. Legs may well end otherwise than done where the route says what
// follows.
static double badness(const lab_trial *trial, const lab_series *series, lab_series_worst *worst) {
    double most = 0.0;
    for (unsigned i = 0; i < trial->legs; i++) {
        const lab_trial_leg *row = &trial->leg[i];
        cmo_figure figure = series->leg[row->leg].judged;
        double truth = NAN;
        bool known = figure != CMO_FIGURES && lab_trial_figure(row, figure, true, &truth);
        double size = 0.0;
        if (row->outcome != CMO_OUTCOME_DONE) {
            size = trial->outcome == CMO_OUTCOME_DONE ? 0.0 : INFINITY;
        } else if (known && series->leg[row->leg].figure[figure].truth.within > 0.0) {
            size = fabs(truth) / series->leg[row->leg].figure[figure].truth.within;
        }
        if (size > most) {
            most = size;
            *worst = (lab_series_worst){trial->seed, row->leg, (cmo_outcome)row->outcome,
                                        known ? figure : CMO_FIGURES, truth};
        }
    }
    return most;
}

static void find_worst(const work *w, lab_series *series) {
    double size[LAB_SERIES_WORST + 1];
    for (unsigned i = 0; i < w->results->trials->len; i++) {
        lab_series_worst one;
        double bad = badness(trial_of(w, i), series, &one);
        unsigned at = series->worsts;
        while (at > 0 && size[at - 1] < bad) {
            at--;
        }
        if (bad > 0.0 && at < LAB_SERIES_WORST) {
            series->worsts = MIN(series->worsts + 1, LAB_SERIES_WORST);
            for (unsigned n = series->worsts - 1; n > at; n--) {
                size[n] = size[n - 1];
                series->worst[n] = series->worst[n - 1];
            }
            size[at] = bad;
            series->worst[at] = one;
        }
    }
}

// ---------------------------------------------------------------------------------------- run --

lab_series *lab_series_of(const lab_results *results, const lab_fleet *fleet) {
    work w = {results, fleet};
    lab_series *series = g_new0(lab_series, 1);
    *series = (lab_series){.trials = results->trials->len,
                           .asked = results->asked,
                           .diverged = results->diverged,
                           .undrawn = results->undrawn,
                           .undrawn_seed = results->undrawn_seed,
                           .legs = results->legs};
    for (unsigned i = 1; i <= CMO_SURFACES_MAX; i++) {
        series->surface[i] = g_strdup(results->surface[i]);
    }
    choice all = {NONE, 0};
    unsigned counted;
    series->leg = sum_up_legs(&w, &all, &counted, &series->completed);
    lab_share_interval(series->completed, series->trials, 0.95, &series->low, &series->high);
    find_worst(&w, series);
    if (fleet != NULL) {
        sum_up_kinds(&w, series);
    }
    return series;
}

lab_series *lab_series_run(const lab_route *route, unsigned trials, uint64_t seed, unsigned threads,
                           lab_progress progress, void *context) {
    lab_part whole = {1, 1};
    lab_results *results = lab_results_new(route, seed, trials, whole);
    lab_results_drive(results, route, threads, progress, context, NULL); // no file that could fail
    lab_series *series = lab_series_of(results, route->fleet);
    lab_results_free(results);
    return series;
}

static void free_legs(lab_series_leg *leg, unsigned legs) {
    for (unsigned i = 0; i < legs; i++) {
        g_clear_pointer(&leg[i].tallies, g_array_unref);
        g_free(leg[i].name);
    }
    g_free(leg);
}

void lab_series_free(lab_series *series) {
    if (series != NULL) {
        for (unsigned i = 0; i < series->kinds; i++) {
            free_legs(series->kind[i].leg, series->legs);
        }
        g_free(series->kind);
        free_legs(series->leg, series->legs);
        for (unsigned i = 0; i < G_N_ELEMENTS(series->surface); i++) {
            g_free(series->surface[i]);
        }
        g_free(series);
    }
}
