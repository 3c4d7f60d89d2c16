// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/series.h>

#include <cammino_lab/fleet.h>

#include <gsl/gsl_cdf.h>
#include <gsl/gsl_rng.h>
#include <gsl/gsl_sort.h>
#include <gsl/gsl_statistics_double.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

// --------------------------------------------------------------------------------------- trials --

// Evenly from minus to plus.
static double spread(gsl_rng *rng, double most) {
    return most * (2.0 * gsl_rng_uniform(rng) - 1.0);
}

lab_run *lab_trial(const lab_route *route, uint64_t seed, bool traces) {
    lab_robot *own = NULL;
    if (route->fleet != NULL) {
        own = lab_fleet_robot(route->fleet, seed, NULL);
        if (own == NULL) {
            return NULL;
        }
    }
    gsl_rng *rng = gsl_rng_alloc(gsl_rng_mt19937);
    gsl_rng_set(rng, (unsigned long)(seed * 2654435761U % 4294967291U + 1U));
    const lab_spread *s = &route->spread;
    lab_robot robot = own != NULL ? *own : *route->robot;
    lab_start start = {route->x_mm + spread(rng, s->x_mm), route->y_mm + spread(rng, s->y_mm),
                       route->heading_deg + spread(rng, s->heading_deg)};
    robot.plant.battery *= 1.0 + spread(rng, s->battery);
    robot.plant.grip_m_s2 *= 1.0 + spread(rng, s->grip);
    robot.plant.wheel_spread = fmax(robot.plant.wheel_spread, s->wheel);
    robot.plant.gain_spread = fmax(robot.plant.gain_spread, s->gain);
    gsl_rng_free(rng);
    lab_run *run = lab_drive_from(route, &robot, &start, seed, traces);
    lab_robot_free(own);
    return run;
}

// A leg as a trial has driven it.
typedef struct outcome_row {
    unsigned leg; // from 0
    lab_figures robot, truth;
    cmo_outcome outcome;
    bool tells; // it has counted lines by their surface:
    uint8_t tally[CMO_SURFACES_MAX + 1];
} outcome_row;

typedef struct trial_rows {
    unsigned count;
    bool completed;
    outcome_row *row;
} trial_rows;

typedef struct work {
    const lab_route *route;
    uint64_t seed;
    unsigned trials;
    gint next, done, diverged, undrawn, stopped;
    gint undrawn_trial;
    trial_rows *rows; // of each trial
} work;

static outcome_row row_of(const lab_leg_result *leg) {
    outcome_row row = {.leg = leg->number - 1U,
                       .robot = leg->robot,
                       .truth = leg->truth,
                       .outcome = leg->outcome,
                       .tells = leg->counted != NULL && leg->tells};
    for (guint i = 0; row.tells && i < leg->counted->len; i++) {
        row.tally[g_array_index(leg->counted, lab_counted, i).robot.surface]++;
    }
    return row;
}

static gpointer run_thread(gpointer data) {
    work *w = data;
    while (!g_atomic_int_get(&w->stopped)) {
        unsigned trial = (unsigned)g_atomic_int_add(&w->next, 1);
        if (trial >= w->trials) {
            break;
        }
        lab_run *run = lab_trial(w->route, w->seed + trial, false);
        if (run == NULL) {
            g_atomic_int_inc(&w->undrawn);
            g_atomic_int_set(&w->undrawn_trial, (gint)trial);
            g_atomic_int_inc(&w->done);
            continue;
        }
        trial_rows *rows = &w->rows[trial];
        rows->completed = run->outcome == CMO_OUTCOME_DONE;
        rows->count = run->legs->len;
        rows->row = g_new(outcome_row, rows->count);
        for (guint i = 0; i < run->legs->len; i++) {
            rows->row[i] = row_of(&g_array_index(run->legs, lab_leg_result, i));
        }
        g_atomic_int_add(&w->diverged, run->diverged);
        lab_run_free(run);
        g_atomic_int_inc(&w->done);
    }
    return NULL;
}

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

static bool is_of(const work *w, const choice *of, unsigned trial) {
    return of->part == NONE ||
           lab_fleet_kind_of(w->route->fleet, of->part, w->seed + trial) == of->kind;
}

// A figure of a leg, over all trials and rounds; `values` is used for that.
static lab_statistics column(const work *w, const choice *of, unsigned leg, cmo_figure figure,
                             bool truth, GArray *values) {
    g_array_set_size(values, 0);
    for (unsigned trial = 0; trial < w->trials; trial++) {
        const trial_rows *rows = &w->rows[trial];
        unsigned count = is_of(w, of, trial) ? rows->count : 0;
        for (unsigned i = 0; i < count; i++) {
            const lab_figures *figures = truth ? &rows->row[i].truth : &rows->row[i].robot;
            if (rows->row[i].leg == leg && figures->known & LAB_FIGURE_BIT(figure)) {
                g_array_append_val(values, figures->value[figure]);
            }
        }
    }
    return sum_up((double *)(void *)values->data, values->len);
}

// Whether it has counted as many lines as there truly were.
static void add_count(lab_series_leg *leg, const outcome_row *row) {
    uint64_t seen = LAB_FIGURE_BIT(CMO_LINES_SEEN);
    if (row->robot.known & row->truth.known & seen) {
        leg->counts++;
        leg->miscounts +=
            fabs(row->robot.value[CMO_LINES_SEEN] - row->truth.value[CMO_LINES_SEEN]) > 0.5;
    }
}

static void add_tally(lab_series_leg *leg, const outcome_row *row) {
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

// What a leg is to get right.
static cmo_figure judged_by(const lab_leg *leg) {
    cmo_line_parameters line;
    switch (leg->routine) {
    case CMO_ROUTINE_STOP_ON_LINE:
    case CMO_ROUTINE_COUNT_LINES:
        return CMO_REST_ERROR_MM;
    case CMO_ROUTINE_SQUARE_ON_LINE:
        return CMO_RESIDUAL_ANGLE_DEG;
    case CMO_ROUTINE_FOLLOW_EDGE:
        return lab_leg_line(leg, &line) && line.ending == CMO_END_HALTED ? CMO_REST_ERROR_MM
                                                                         : CMO_EDGE_WORST_MM;
    case CMO_ROUTINE_STAY_INSIDE:
        return CMO_TURN_ERROR_DEG;
    default:
        return CMO_FIGURES;
    }
}

// The legs' outcomes and figures over a part of the trials.
static lab_series_leg *sum_up_legs(const work *w, const choice *of, unsigned *trials,
                                   unsigned *completed) {
    unsigned legs = w->route->legs;
    lab_series_leg *summed = g_new0(lab_series_leg, legs);
    GArray *values = g_array_new(FALSE, FALSE, sizeof(double));
    *trials = *completed = 0;
    for (unsigned trial = 0; trial < w->trials; trial++) {
        const trial_rows *rows = &w->rows[trial];
        if (is_of(w, of, trial)) {
            ++*trials;
            *completed += rows->completed;
            for (unsigned i = 0; i < rows->count; i++) {
                summed[rows->row[i].leg].outcomes[rows->row[i].outcome]++;
                add_count(&summed[rows->row[i].leg], &rows->row[i]);
                add_tally(&summed[rows->row[i].leg], &rows->row[i]);
            }
        }
    }
    for (unsigned leg = 0; leg < legs; leg++) {
        summed[leg].routine = w->route->leg[leg].routine;
        summed[leg].name = w->route->leg[leg].name;
        summed[leg].judged = judged_by(&w->route->leg[leg]);
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
    const lab_fleet *fleet = w->route->fleet;
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
static double badness(const work *w, const lab_series *series, unsigned trial,
                      lab_series_worst *worst) {
    double most = 0.0;
    for (unsigned i = 0; i < w->rows[trial].count; i++) {
        const outcome_row *row = &w->rows[trial].row[i];
        unsigned leg = row->leg;
        cmo_figure figure = series->leg[leg].judged;
        bool known = figure != CMO_FIGURES && (row->truth.known & LAB_FIGURE_BIT(figure)) != 0;
        double truth = known ? (double)row->truth.value[figure] : NAN;
        double size = 0.0;
        if (row->outcome != CMO_OUTCOME_DONE) {
            size = w->rows[trial].completed ? 0.0 : INFINITY;
        } else if (known && series->leg[leg].figure[figure].truth.within > 0.0) {
            size = fabs(truth) / series->leg[leg].figure[figure].truth.within;
        }
        if (size > most) {
            most = size;
            *worst = (lab_series_worst){w->seed + trial, leg, row->outcome,
                                        known ? figure : CMO_FIGURES, truth};
        }
    }
    return most;
}

static void find_worst(const work *w, lab_series *series) {
    double size[LAB_SERIES_WORST + 1];
    for (unsigned trial = 0; trial < w->trials; trial++) {
        lab_series_worst one;
        double bad = badness(w, series, trial, &one);
        unsigned at = series->worsts;
        while (at > 0 && size[at - 1] < bad) {
            at--;
        }
        if (bad > 0.0 && at < LAB_SERIES_WORST) {
            series->worsts = MIN(series->worsts + 1, LAB_SERIES_WORST);
            for (unsigned i = series->worsts - 1; i > at; i--) {
                size[i] = size[i - 1];
                series->worst[i] = series->worst[i - 1];
            }
            size[at] = bad;
            series->worst[at] = one;
        }
    }
}

// Clopper and Pearson's interval: of the shares with which so many or fewer, and so many or more,
// complete by chance in 2.5 % of series.
static void find_share(lab_series *series) {
    double n = series->trials;
    double k = series->completed;
    series->low = k > 0.0 ? gsl_cdf_beta_Pinv(0.025, k, n - k + 1.0) : 0.0;
    series->high = k < n ? gsl_cdf_beta_Pinv(0.975, k + 1.0, n - k) : 1.0;
}

// ---------------------------------------------------------------------------------------- run --

#define POLL_US 20000U

lab_series *lab_series_run(const lab_route *route, unsigned trials, uint64_t seed, unsigned threads,
                           lab_progress progress, void *context) {
    work w = {.route = route, .seed = seed, .trials = trials};
    w.rows = g_new0(trial_rows, trials);
    threads = threads != 0 ? threads : g_get_num_processors();
    threads = MIN(threads, trials);
    GThread **population = g_new0(GThread *, threads);
    for (unsigned i = 0; i < threads; i++) {
        population[i] = g_thread_new("trials", run_thread, &w);
    }
    while (progress != NULL && (unsigned)g_atomic_int_get(&w.done) < trials) {
        if (!progress(context, (unsigned)g_atomic_int_get(&w.done), trials)) {
            g_atomic_int_set(&w.stopped, 1);
            break;
        }
        g_usleep(POLL_US);
    }
    for (unsigned i = 0; i < threads; i++) {
        g_thread_join(population[i]);
    }
    g_free(population);
    w.trials = MIN((unsigned)w.next, trials); // what was begun was ended
    lab_series *series = g_new0(lab_series, 1);
    *series = (lab_series){.seed = seed,
                           .trials = w.trials,
                           .asked = trials,
                           .diverged = (unsigned)w.diverged,
                           .undrawn = (unsigned)w.undrawn,
                           .undrawn_seed = seed + (unsigned)w.undrawn_trial,
                           .legs = route->legs};
    for (uint8_t i = 1; i <= route->surfaces; i++) {
        series->surface[i] = lab_surface_name(route, i);
    }
    choice all = {NONE, 0};
    unsigned counted;
    series->leg = sum_up_legs(&w, &all, &counted, &series->completed);
    find_share(series);
    find_worst(&w, series);
    if (route->fleet != NULL) {
        sum_up_kinds(&w, series);
    }
    for (unsigned i = 0; i < trials; i++) {
        g_free(w.rows[i].row);
    }
    g_free(w.rows);
    return series;
}

static void free_legs(lab_series_leg *leg, unsigned legs) {
    for (unsigned i = 0; i < legs; i++) {
        g_clear_pointer(&leg[i].tallies, g_array_unref);
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
        g_free(series);
    }
}
