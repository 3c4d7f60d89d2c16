// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/series.h>

#include <gsl/gsl_rng.h>
#include <gsl/gsl_sort.h>
#include <gsl/gsl_statistics_double.h>
#include <json-glib/json-glib.h>
#include <math.h>

// --------------------------------------------------------------------------------------- trials --

// Evenly from minus to plus.
static double spread(gsl_rng *rng, double most) {
    return most * (2.0 * gsl_rng_uniform(rng) - 1.0);
}

lab_run *lab_trial(const lab_route *route, uint64_t seed) {
    gsl_rng *rng = gsl_rng_alloc(gsl_rng_mt19937);
    gsl_rng_set(rng, (unsigned long)(seed * 2654435761U % 4294967291U + 1U));
    const lab_spread *s = &route->spread;
    lab_robot robot = *route->robot;
    lab_start start = {route->x_mm + spread(rng, s->x_mm), route->y_mm + spread(rng, s->y_mm),
                       route->heading_deg + spread(rng, s->heading_deg)};
    robot.plant.battery *= 1.0 + spread(rng, s->battery);
    robot.plant.grip_m_s2 *= 1.0 + spread(rng, s->grip);
    robot.plant.wheel_spread = fmax(robot.plant.wheel_spread, s->wheel);
    robot.plant.gain_spread = fmax(robot.plant.gain_spread, s->gain);
    gsl_rng_free(rng);
    return lab_drive_from(route, &robot, &start, seed, false);
}

typedef struct outcome_row {
    lab_figures robot, truth;
    cmo_outcome outcome; // CMO_RUNNING: not driven
} outcome_row;

typedef struct work {
    const lab_route *route;
    uint64_t seed;
    unsigned trials;
    gint next, done, diverged;
    outcome_row *rows; // trials x legs
} work;

static gpointer labour(gpointer data) {
    work *w = data;
    for (;;) {
        unsigned trial = (unsigned)g_atomic_int_add(&w->next, 1);
        if (trial >= w->trials) {
            return NULL;
        }
        lab_run *run = lab_trial(w->route, w->seed + trial);
        for (guint i = 0; i < run->legs->len; i++) {
            const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, i);
            w->rows[(size_t)trial * w->route->legs + i] =
                (outcome_row){leg->robot, leg->truth, leg->outcome};
        }
        g_atomic_int_add(&w->diverged, run->diverged);
        lab_run_free(run);
        g_atomic_int_inc(&w->done);
    }
}

// ----------------------------------------------------------------------------------- statistics --

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
    return s;
}

static lab_statistics column(const work *w, unsigned leg, cmo_figure figure, bool truth,
                             double *values) {
    unsigned n = 0;
    for (unsigned trial = 0; trial < w->trials; trial++) {
        const outcome_row *row = &w->rows[(size_t)trial * w->route->legs + leg];
        const lab_figures *figures = truth ? &row->truth : &row->robot;
        if (figures->known & CMO_FIGURE_BIT(figure)) {
            values[n++] = figures->value[figure];
        }
    }
    return sum_up(values, n);
}

lab_series *lab_series_run(const lab_route *route, unsigned trials, uint64_t seed, unsigned threads,
                           lab_progress progress, void *context) {
    work w = {.route = route, .seed = seed, .trials = trials};
    w.rows = g_new0(outcome_row, (size_t)trials * route->legs);
    threads = threads != 0 ? threads : g_get_num_processors();
    threads = MIN(threads, trials);
    GThread **crew = g_new0(GThread *, threads);
    for (unsigned i = 0; i < threads; i++) {
        crew[i] = g_thread_new("trials", labour, &w);
    }
    while (progress != NULL && (unsigned)g_atomic_int_get(&w.done) < trials) {
        progress(context, (unsigned)g_atomic_int_get(&w.done), trials);
        g_usleep(100000);
    }
    for (unsigned i = 0; i < threads; i++) {
        g_thread_join(crew[i]);
    }
    g_free(crew);
    lab_series *series = g_new0(lab_series, 1);
    *series = (lab_series){
        .seed = seed, .trials = trials, .diverged = (unsigned)w.diverged, .legs = route->legs};
    series->leg = g_new0(lab_series_leg, route->legs);
    double *values = g_new(double, trials);
    for (unsigned leg = 0; leg < route->legs; leg++) {
        lab_series_leg *to = &series->leg[leg];
        to->kind = route->leg[leg].kind;
        for (unsigned trial = 0; trial < trials; trial++) {
            cmo_outcome outcome = w.rows[(size_t)trial * route->legs + leg].outcome;
            to->outcomes[outcome] += outcome != CMO_RUNNING;
        }
        for (unsigned f = 0; f < CMO_FIGURES; f++) {
            to->figure[f].robot = column(&w, leg, (cmo_figure)f, false, values);
            to->figure[f].truth = column(&w, leg, (cmo_figure)f, true, values);
        }
    }
    series->completed = series->leg[route->legs - 1].outcomes[CMO_OUTCOME_DONE];
    g_free(values);
    g_free(w.rows);
    return series;
}

void lab_series_free(lab_series *series) {
    if (series != NULL) {
        g_free(series->leg);
        g_free(series);
    }
}

// ----------------------------------------------------------------------------------------- json --

static void add_statistics(JsonBuilder *builder, const char *name, const lab_statistics *s) {
    if (s->n == 0) {
        return;
    }
    const struct {
        const char *name;
        double value;
    } numbers[] = {{"mean", s->mean}, {"sd", s->sd},   {"p05", s->p05},    {"p50", s->p50},
                   {"p95", s->p95},   {"p99", s->p99}, {"worst", s->worst}};
    json_builder_set_member_name(builder, name);
    json_builder_begin_object(builder);
    json_builder_set_member_name(builder, "n");
    json_builder_add_int_value(builder, s->n);
    for (size_t i = 0; i < G_N_ELEMENTS(numbers); i++) {
        json_builder_set_member_name(builder, numbers[i].name);
        json_builder_add_double_value(builder, rint(numbers[i].value * 1000.0) / 1000.0);
    }
    json_builder_end_object(builder);
}

static void add_leg(JsonBuilder *builder, const lab_series_leg *leg, unsigned number) {
    for (unsigned f = 0; f < CMO_FIGURES; f++) {
        const lab_series_figure *figure = &leg->figure[f];
        if (figure->robot.n == 0 && figure->truth.n == 0) {
            continue;
        }
        json_builder_begin_object(builder);
        json_builder_set_member_name(builder, "leg");
        json_builder_add_int_value(builder, number);
        json_builder_set_member_name(builder, "routine");
        json_builder_add_string_value(builder, cmo_kind_name(leg->kind));
        json_builder_set_member_name(builder, "figure");
        json_builder_add_string_value(builder, cmo_figure_name((cmo_figure)f));
        add_statistics(builder, "robot", &figure->robot);
        add_statistics(builder, "truth", &figure->truth);
        json_builder_end_object(builder);
    }
}

char *lab_series_json(const lab_series *series) {
    JsonBuilder *builder = json_builder_new();
    json_builder_begin_object(builder);
    json_builder_set_member_name(builder, "trials");
    json_builder_add_int_value(builder, series->trials);
    json_builder_set_member_name(builder, "completed");
    json_builder_add_int_value(builder, series->completed);
    json_builder_set_member_name(builder, "figures");
    json_builder_begin_array(builder);
    for (unsigned i = 0; i < series->legs; i++) {
        add_leg(builder, &series->leg[i], i + 1);
    }
    json_builder_end_array(builder);
    json_builder_end_object(builder);
    JsonNode *root = json_builder_get_root(builder);
    char *text = lab_json_tidy(json_to_string(root, TRUE));
    json_node_unref(root);
    g_object_unref(builder);
    return text;
}
