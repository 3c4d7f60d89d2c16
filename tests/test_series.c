// SPDX-License-Identifier: GPL-3.0-or-later
// Many trials of a route, and what is summed up of them.
#include "kept.h"

#include <cammino_lab/series.h>
#include <json-glib/json-glib.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static lab_route *load(const char *text) {
    GError *error = NULL;
    lab_route *route = lab_route_from_bytes("series.yaml", text, strlen(text), &error);
    ck_assert_msg(route != NULL, "%s", error != NULL ? error->message : "");
    route->robot = lab_robot_load("data/ferry/mozzo.yaml", &error);
    route->mat = cmo_sim_mat_load("data/ferry/quay.svg", NULL, &error);
    ck_assert(route->robot != NULL && route->mat != NULL);
    return route;
}

#define STOP                                                                                       \
    "robot: r\nmat: m\nstart: {x_mm: 250, y_mm: 550}\n"                                            \
    "legs:\n  - stop_on_line: {least_width_mm: 15, rest: near_edge, cruise_mm_s: 300}\n"           \
    "  - advance: {distance_mm: 40}\n"

START_TEST(the_number_of_threads_changes_nothing) {
    lab_route *route = load(STOP);
    lab_series *one = lab_series_run(route, 60, 7, 1, NULL, NULL);
    lab_series *many = lab_series_run(route, 60, 7, 5, NULL, NULL);
    char *first = lab_series_json(one, NULL);
    char *second = lab_series_json(many, NULL);
    ck_assert_str_eq(first, second);
    lab_series_free(many);
    many = lab_series_run(route, 60, 8, 5, NULL, NULL); // other trials
    g_free(second);
    second = lab_series_json(many, NULL);
    ck_assert_str_ne(first, second);
    g_free(first);
    g_free(second);
    lab_series_free(one);
    lab_series_free(many);
    lab_route_free(route);
}
END_TEST

static int by_size(const void *a, const void *b) {
    double x = fabs(*(const double *)a);
    double y = fabs(*(const double *)b);
    return (x > y) - (x < y);
}

// Trials with one figure, drawn so that it has a long tail to either side.
static lab_series *series_of(double *values, unsigned n, double scale) {
    GString *text = begin_kept(n);
    unsigned state = 5;
    for (unsigned i = 0; i < n; i++) {
        double u = 2.0 * drawn_evenly(&state) - 1.0;
        // As results keep it: to a thousandth, in a float.
        values[i] = (double)(float)(rint(1000.0 * scale * u * u * u / (1.02 - u * u)) / 1000.0);
        values[i] = rint(1000.0 * values[i]) / 1000.0;
        add_kept(text, i, true, values[i], 1000.0);
    }
    GError *error = NULL;
    lab_results *results = lab_results_from_bytes("t", text->str, text->len, &error);
    ck_assert_msg(results != NULL, "%s", error != NULL ? error->message : "");
    lab_series *series = lab_series_of(results, NULL);
    lab_results_free(results);
    g_string_free(text, TRUE);
    return series;
}

// The value between two ranks, of a sorted list.
static double quantile(const double *sorted, unsigned n, double share) {
    double rank = share * (n - 1);
    unsigned below = (unsigned)rank;
    double next = sorted[MIN(below + 1, n - 1)];
    return sorted[below] + (rank - below) * (next - sorted[below]);
}

START_TEST(of_many_trials_quantiles_are_as_near_as_is_said) {
    static const double scales[] = {1.0, 40.0, 3000.0};
    static const unsigned counts[] = {LAB_SERIES_EXACT, LAB_SERIES_EXACT + 1, 5000};
    double *values = g_new(double, 5000);
    for (size_t i = 0; i < G_N_ELEMENTS(scales) * G_N_ELEMENTS(counts); i++) {
        unsigned n = counts[i / G_N_ELEMENTS(scales)];
        lab_series *series = series_of(values, n, scales[i % G_N_ELEMENTS(scales)]);
        const lab_statistics *s = &series->leg[1].figure[CMO_REST_ERROR_MM].truth;
        double sum = 0.0;
        for (unsigned k = 0; k < n; k++) {
            sum += values[k];
        }
        double squares = 0.0;
        for (unsigned k = 0; k < n; k++) {
            squares += (values[k] - sum / n) * (values[k] - sum / n);
        }
        ck_assert_uint_eq(s->n, n);
        ck_assert_double_eq_tol(s->mean, sum / n, 1e-9 * fabs(sum));
        ck_assert_double_eq_tol(s->sd, sqrt(squares / (n - 1)), 1e-6 * s->sd);
        qsort(values, n, sizeof *values, by_value);
        const double found[] = {s->p05, s->p50, s->p95, s->p99};
        static const double shares[] = {0.05, 0.5, 0.95, 0.99};
        for (size_t k = 0; k < G_N_ELEMENTS(found); k++) {
            double exact = quantile(values, n, shares[k]);
            double off = n > LAB_SERIES_EXACT ? LAB_SKETCH_ERROR * fmax(fabs(exact), 1.0)
                                              : 1e-6 * fmax(fabs(exact), 1.0);
            ck_assert_double_eq_tol(found[k], exact, off);
        }
        qsort(values, n, sizeof *values, by_size);
        double within = fabs(values[(unsigned)ceil(0.95 * n) - 1]);
        double off =
            n > LAB_SERIES_EXACT ? LAB_SKETCH_ERROR * fmax(within, 1.0) : 1e-6 * fmax(within, 1.0);
        ck_assert_double_eq_tol(s->within, within, off);
        ck_assert_double_eq(s->worst, values[n - 1]);
        ck_assert_double_eq(series->worst[0].truth, values[n - 1]);
        ck_assert_double_eq(fabs(series->worst[5].truth), fabs(values[n - 6]));
        lab_series_free(series);
    }
    g_free(values);
}
END_TEST

START_TEST(a_series_is_drawn) {
    ck_assert_int_eq(CALL("series data/ferry/first-round.yaml --trials 4 --quiet --picture "
                          "%s/s.svg"),
                     0);
    ck_assert_str_eq(out, "");
    static const char *const words[] = {
        "true rest_error_mm", "true overshoot_mm", "1 stop_on_line", "done 4 of 4", "worst", NULL};
    check_picture_says("s.svg", words);
    ck_assert_int_eq(CALL("series data/ferry/take-levels.yaml --trials 2 --picture %s/n.svg"), 2);
    ck_assert_ptr_nonnull(strstr(err, "n.svg: no leg of the route has an error"));
}
END_TEST

START_TEST(statistics_are_those_of_the_trials_themselves) {
    enum { TRIALS = 41 };
    lab_route *route = load(STOP);
    lab_series *series = lab_series_run(route, TRIALS, 3, 0, NULL, NULL);
    double values[TRIALS];
    double sum = 0.0;
    double squares = 0.0;
    double worst = 0.0;
    for (int i = 0; i < TRIALS; i++) {
        lab_run *run = lab_drive_trial(route, 3 + (uint64_t)i, false);
        const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, 0);
        // As results keep it: to a thousandth.
        values[i] = rint(leg->truth.value[CMO_REST_ERROR_MM] * 1000.0) / 1000.0;
        sum += values[i];
        squares += values[i] * values[i];
        worst = fabs(values[i]) > fabs(worst) ? values[i] : worst;
        lab_run_free(run);
    }
    const lab_statistics *s = &series->leg[0].figure[CMO_REST_ERROR_MM].truth;
    ck_assert_uint_eq(s->n, TRIALS);
    ck_assert_double_eq_tol(s->mean, sum / TRIALS, 1e-9);
    double variance = (squares - sum * sum / TRIALS) / (TRIALS - 1);
    ck_assert_double_eq_tol(s->sd, sqrt(variance), 1e-9);
    ck_assert_double_eq(s->worst, worst);
    unsigned below = 0;
    for (int i = 0; i < TRIALS; i++) {
        below += values[i] < s->p50;
    }
    ck_assert_uint_eq(below, TRIALS / 2); // the middle one of 41
    ck_assert(s->p05 <= s->p50 && s->p50 <= s->p95 && s->p95 <= s->p99);
    lab_series_free(series);
    lab_route_free(route);
}
END_TEST

START_TEST(a_spread_is_what_makes_trials_differ) {
    lab_route *route =
        load("robot: r\nmat: m\nstart: {x_mm: 250, y_mm: 550}\n"
             "spread: {x_mm: 0, y_mm: 0, heading_deg: 0, battery: 0, grip: 0, gain: 0}\n"
             "legs:\n  - advance: {distance_mm: 100}\n");
    cmo_sim_plant *p = &route->robot->plant;
    p->wheel_spread = p->place_spread_mm = p->delay_spread_ms = p->strength_spread = 0.0;
    lab_series *narrow = lab_series_run(route, 30, 1, 0, NULL, NULL);
    route->spread.battery = 0.3;
    p->wheel_spread = 0.01;
    lab_series *wide = lab_series_run(route, 30, 1, 0, NULL, NULL);
    // What is left is where motors and caster happen to stand.
    double narrow_sd = narrow->leg[0].figure[CMO_TRAVELLED_MM].truth.sd;
    double wide_sd = wide->leg[0].figure[CMO_TRAVELLED_MM].truth.sd;
    ck_assert_double_lt(narrow_sd, 0.4);
    ck_assert_double_gt(wide_sd, 0.3); // 1 % of 100 mm, evenly, on the mean of two wheels
    ck_assert_double_gt(wide_sd, 1.3 * narrow_sd);
    lab_series_free(narrow);
    lab_series_free(wide);
    lab_route_free(route);
}
END_TEST

static double rest_sd(lab_route *route) {
    lab_series *series = lab_series_run(route, 30, 1, 0, NULL, NULL);
    double sd = series->leg[0].figure[CMO_REST_ERROR_MM].truth.sd;
    lab_series_free(series);
    return sd;
}

static double robots(lab_route *route, cmo_figure figure, bool worst) {
    lab_series *series = lab_series_run(route, 30, 1, 0, NULL, NULL);
    const lab_statistics *s = &series->leg[0].figure[figure].robot;
    double found = worst ? s->worst : s->mean;
    lab_series_free(series);
    return found;
}

START_TEST(light_height_ticks_and_looks_may_differ_too) {
    lab_route *route = load(STOP);
    double sd = rest_sd(route);
    ck_assert_double_eq(robots(route, CMO_TICK_LATE_US, true), 0.0);
    double interval = robots(route, CMO_LOOK_INTERVAL_MS, false);
    route->spread.late_ms = 6.0; // from nothing to that, and another in each trial
    double late = robots(route, CMO_TICK_LATE_US, true);
    ck_assert(late > 4500.0 && late <= 6000.0);
    double mean = robots(route, CMO_TICK_LATE_US, false);
    ck_assert(mean > 2000.0 && mean < 4000.0);
    route->spread.late_ms = 0.0;
    route->spread.looks_lost = 0.5; // a quarter of them on the mean
    ck_assert_double_gt(robots(route, CMO_LOOK_INTERVAL_MS, false), 1.15 * interval);
    route->spread.looks_lost = 0.0;
    ck_assert_double_eq(rest_sd(route), sd);
    // A spot that is higher is wider and darker, so the threshold lies elsewhere in its edge.
    route->spread.height = 0.3;
    ck_assert_double_gt(rest_sd(route), 1.2 * sd);
    route->spread.height = 0.0;
    route->robot->plant.ambient = 3.0;
    double bright = rest_sd(route);
    route->spread.ambient = 1.0;
    ck_assert_double_ne(rest_sd(route), bright);
    lab_route_free(route);
}
END_TEST

START_TEST(trials_that_fail_are_counted_by_their_outcome) {
    lab_route *route =
        load("robot: r\nmat: m\nstart: {x_mm: 250, y_mm: 550}\n"
             "legs:\n  - stop_on_line: {longest_mm: 100}\n  - advance: {distance_mm: 9}\n");
    lab_series *series = lab_series_run(route, 12, 1, 0, NULL, NULL);
    ck_assert_uint_eq(series->completed, 0);
    ck_assert_uint_eq(series->leg[0].outcomes[CMO_OUTCOME_NO_LINE], 12);
    ck_assert_uint_eq(series->leg[0].figure[CMO_REST_ERROR_MM].truth.n, 0);
    ck_assert_uint_eq(series->leg[1].outcomes[CMO_OUTCOME_DONE], 0);
    lab_series_free(series);
    lab_route_free(route);
}
END_TEST

// Of n trials, at least k complete with that chance.
static double at_least(unsigned k, unsigned n, double share) {
    double sum = 0.0;
    for (unsigned i = k; i <= n; i++) {
        double ways = exp(lgamma(n + 1.0) - lgamma(i + 1.0) - lgamma(n - i + 1.0));
        sum += ways * pow(share, i) * pow(1.0 - share, n - i);
    }
    return sum;
}

START_TEST(the_share_that_completes_is_known_within_an_interval) {
    // In half of the trials the line is further away than it looks for it.
    lab_route *route = load("robot: r\nmat: m\nstart: {x_mm: 250, y_mm: 550}\nspread: {x_mm: 40}\n"
                            "legs:\n  - stop_on_line: {least_width_mm: 15, longest_mm: 260}\n");
    lab_series *series = lab_series_run(route, 40, 1, 0, NULL, NULL);
    ck_assert_uint_gt(series->completed, 0);
    ck_assert_uint_lt(series->completed, 40);
    ck_assert_double_eq_tol(at_least(series->completed, 40, series->low), 0.025, 1e-6);
    ck_assert_double_eq_tol(at_least(series->completed + 1, 40, series->high), 0.975, 1e-6);
    lab_series_free(series);
    series = lab_series_run(route, 40, 1, 0, NULL, NULL);
    // A leg that was not done is worse than any error.
    ck_assert_uint_eq(series->worsts, LAB_SERIES_WORST);
    ck_assert_int_eq(series->worst[0].outcome, CMO_OUTCOME_NO_LINE);
    lab_series_free(series);
    lab_route_free(route);
}
END_TEST

static bool stop_after_ten(void *context, unsigned done, unsigned trials) {
    (void)context;
    (void)trials;
    return done < 10;
}

START_TEST(what_is_stopped_is_a_shorter_series) {
    lab_route *route = load(STOP);
    lab_series *stopped = lab_series_run(route, 100000, 7, 2, stop_after_ten, NULL);
    ck_assert_uint_ge(stopped->trials, 10);
    ck_assert_uint_lt(stopped->trials, 100000);
    ck_assert_uint_eq(stopped->asked, 100000);
    lab_series *other = lab_series_run(route, stopped->trials, 7, 1, NULL, NULL);
    stopped->asked = stopped->trials;
    char *first = lab_series_json(stopped, NULL);
    char *second = lab_series_json(other, NULL);
    ck_assert_str_eq(first, second);
    g_free(first);
    g_free(second);
    lab_series_free(stopped);
    lab_series_free(other);
    lab_route_free(route);
    // From a terminal, by Ctrl-C.
    ck_assert_int_eq(call("timeout --preserve-status -s INT 3 " COMMAND
                          " series data/ferry/first-round.yaml --trials 1000000"),
                     1);
    ck_assert_ptr_nonnull(strstr(out, "; stopped before the other "));
    unsigned completed, trials;
    ck_assert_int_eq(sscanf(strstr(out, "first-round.yaml\n"), "first-round.yaml\n%u of %u trials",
                            &completed, &trials),
                     2);
    ck_assert_uint_ge(trials, 1);
    ck_assert_uint_lt(trials, 1000000);
}
END_TEST

START_TEST(the_worst_trials_are_driven_again_by_their_seeds) {
    ck_assert_int_eq(CALL("series data/ferry/first-round.yaml --trials 30 --seed 40"), 0);
    const char *line = strstr(out, "  cammino drive data/ferry/first-round.yaml --varied --seed ");
    ck_assert_ptr_nonnull(line);
    unsigned seed, leg, again;
    double worst;
    ck_assert_int_eq(sscanf(strstr(line, "--seed "), "--seed %u", &again), 1);
    line = strstr(line, "\n  seed ");
    ck_assert_ptr_nonnull(line);
    ck_assert_int_eq(
        sscanf(line, "\n  seed %u, leg %u: done, rest_error_mm %lf", &seed, &leg, &worst), 3);
    ck_assert_uint_eq(seed, again);
    ck_assert(seed >= 40 && seed < 70);
    char *drive = g_strdup_printf(
        COMMAND " drive data/ferry/first-round.yaml --varied --seed %u --json", seed);
    ck_assert_int_eq(call(drive), 0);
    g_free(drive);
    JsonParser *parser = json_parser_new();
    ck_assert(json_parser_load_from_data(parser, out, -1, NULL));
    JsonArray *legs =
        json_object_get_array_member(json_node_get_object(json_parser_get_root(parser)), "legs");
    JsonObject *truth =
        json_object_get_object_member(json_array_get_object_element(legs, leg - 1), "truth");
    ck_assert_double_eq_tol(json_object_get_double_member(truth, "rest_error_mm"), worst, 0.006);
    g_object_unref(parser);
}
END_TEST

START_TEST(the_results_are_one_document_with_the_keys_of_the_vocabulary) {
    ck_assert_int_eq(CALL("series data/ferry/take-levels.yaml --trials 5 --json"), 0);
    GError *error = NULL;
    JsonParser *parser = json_parser_new();
    ck_assert(json_parser_load_from_data(parser, out, -1, &error));
    JsonObject *root = json_node_get_object(json_parser_get_root(parser));
    ck_assert_int_eq(json_object_get_int_member(root, "trials"), 5);
    ck_assert_int_eq(json_object_get_int_member(root, "completed"), 5);
    JsonArray *figures = json_object_get_array_member(root, "figures");
    ck_assert_uint_gt(json_array_get_length(figures), 3);
    JsonObject *figure = json_array_get_object_element(figures, 0);
    ck_assert_int_eq(json_object_get_int_member(figure, "leg"), 1);
    ck_assert_str_eq(json_object_get_string_member(figure, "routine"), "take_levels");
    ck_assert_str_eq(json_object_get_string_member(figure, "figure"), "elapsed_ms");
    JsonObject *truth = json_object_get_object_member(figure, "truth");
    static const char *const keys[] = {"n", "mean", "sd", "p05", "p50", "p95", "p99", "worst"};
    for (size_t i = 0; i < G_N_ELEMENTS(keys); i++) {
        ck_assert(json_object_has_member(truth, keys[i]));
    }
    g_object_unref(parser);
}
END_TEST

START_TEST(the_command_prints_a_table_and_says_whether_all_completed) {
    ck_assert_int_eq(CALL("series data/ferry/take-levels.yaml --trials 5"), 0);
    ck_assert_ptr_nonnull(strstr(out, "5 of 5 trials completed (100.0 %)"));
    // 0.025 to the power of 1 / 5
    ck_assert_ptr_nonnull(strstr(out, "; with 95 % confidence 47.8 to 100.0 % of all do\n"));
    ck_assert_ptr_nonnull(strstr(out, "\n  1 take_levels              5 of 5  "));
    ck_assert_int_eq(CALL("series data/ferry/take-levels.yaml --trials 5 --all"), 0);
    ck_assert_ptr_nonnull(strstr(out, "leg 1  take_levels: done 5 of 5"));
    ck_assert_str_eq(err, ""); // no progress where nobody watches
    static const char *const wrong[][2] = {
        {COMMAND " series", "series takes one route"},
        {COMMAND " series data/ferry/take-levels.yaml --trials 0", "--trials: 0 is out of range"},
        {COMMAND " series data/ferry/take-levels.yaml --threads -1", "--threads: -1 is out of"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); i++) {
        ck_assert_int_eq(call(wrong[i][0]), 2);
        ck_assert_ptr_nonnull(strstr(err, wrong[i][1]));
    }
}
END_TEST

int main(void) {
    const TTest *const tests[] = {the_number_of_threads_changes_nothing,
                                  statistics_are_those_of_the_trials_themselves,
                                  of_many_trials_quantiles_are_as_near_as_is_said,
                                  a_series_is_drawn,
                                  a_spread_is_what_makes_trials_differ,
                                  light_height_ticks_and_looks_may_differ_too,
                                  trials_that_fail_are_counted_by_their_outcome,
                                  the_share_that_completes_is_known_within_an_interval,
                                  what_is_stopped_is_a_shorter_series,
                                  the_worst_trials_are_driven_again_by_their_seeds,
                                  the_results_are_one_document_with_the_keys_of_the_vocabulary,
                                  the_command_prints_a_table_and_says_whether_all_completed,
                                  NULL};
    make_folder();
    int failed = run_suite("series", tests);
    remove_folder();
    return failed;
}
