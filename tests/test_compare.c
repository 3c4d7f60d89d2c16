// SPDX-License-Identifier: GPL-3.0-or-later
// Two results against each other: what differs, by how much, and whether it is chance.
#include "kept.h"

#include <cammino_lab/compare.h>
#include <json-glib/json-glib.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

#define ROUND "data/ferry/first-round.yaml"

// Results of trials with these rest errors, from a seed on.
static lab_results *results_of(const double *errors, unsigned n, unsigned seed, unsigned lost) {
    GString *text = begin_kept(n);
    for (unsigned i = 0; i < n; i++) {
        add_kept(text, seed + i, i >= lost, errors[i], 1000.0);
    }
    lab_results *results = lab_results_from_bytes("made", text->str, text->len, NULL);
    ck_assert_ptr_nonnull(results);
    g_string_free(text, TRUE);
    return results;
}

// Leg 0 of the whole run.
static lab_difference difference_of(const lab_comparison *c, unsigned leg, unsigned figure) {
    for (guint i = 0; i < c->differences->len; i++) {
        const lab_difference *d = &g_array_index(c->differences, lab_difference, i);
        if (d->leg == (leg == 0 ? LAB_RUN : leg - 1) && d->figure == figure) {
            return *d;
        }
    }
    ck_abort_msg("it is not compared");
}

static lab_difference rests(const lab_results *a, const lab_results *b) {
    lab_comparison *c = lab_compare(a, b, false);
    // Run: completed, time; leg 1: time; leg 2: time, rest error. All but the last are the same.
    ck_assert_uint_eq(c->differences->len, 5);
    lab_difference d = difference_of(c, 2, CMO_REST_ERROR_MM);
    lab_comparison_free(c);
    return d;
}

static double middle(double *values, unsigned n) {
    qsort(values, n, sizeof *values, by_value);
    return 0.5 * (values[(n - 1) / 2] + values[n / 2]);
}

START_TEST(few_pairs_are_counted_out) {
    const double a[] = {1.0, 2.0, 1.5, -3.0, 0.5};
    const double b[] = {1.1, 2.3, 1.7, 3.7,
                        0.9}; // all larger: one of 32 ways, and one the other way
    const double c[] = {1.1, 1.8, 1.7, 3.7, 0.9}; // the second least is less: rank 2 of 15
    lab_results *first = results_of(a, 5, 1, 0);
    lab_results *second = results_of(b, 5, 1, 0);
    lab_results *third = results_of(c, 5, 1, 0);
    lab_difference d = rests(first, second);
    ck_assert_double_eq_tol(d.chance, 5.0 * 2.0 / 32.0, 1e-9);
    ck_assert(!d.differs && d.truth);
    ck_assert_uint_eq(d.trials[0], 5);
    ck_assert_double_eq_tol(d.median[0], 1.5, 1e-9);
    ck_assert_double_eq_tol(d.median[1], 1.7, 1e-9);
    // Differences 0.1, 0.3, 0.2, 0.7, 0.4: the middle of their 15 means of two.
    ck_assert_double_eq_tol(d.shift, 0.35, 0.051);
    lab_difference less = rests(first, third);
    ck_assert_double_gt(less.chance, d.chance);
    ck_assert_double_eq(rests(first, first).chance, 1.0);
    ck_assert_double_eq(rests(first, first).shift, 0.0);
    lab_results_free(first);
    lab_results_free(second);
    lab_results_free(third);
}
END_TEST

// How many of the sums of signed ranks 1..n are each.
static double tail_of_signed_ranks(unsigned n, double sum) {
    double ways[512] = {1.0};
    unsigned most = 0;
    for (unsigned rank = 1; rank <= n; rank++) {
        most += rank;
        for (unsigned s = most; s >= rank; s--) {
            ways[s] += ways[s - rank];
        }
    }
    double tail = 0.0;
    for (unsigned s = 0; s <= most; s++) {
        tail += fabs(s - 0.5 * most) >= fabs(sum - 0.5 * most) - 1e-9 ? ways[s] : 0.0;
    }
    return tail / pow(2.0, n);
}

START_TEST(pairs_are_compared_by_signed_ranks) {
    enum { N = 24 };
    unsigned state = 7;
    for (unsigned round = 0; round < 20; round++) {
        double a[N], b[N], walsh[N * (N + 1) / 2], d[N];
        for (unsigned i = 0; i < N; i++) {
            a[i] = rint(1e3 * (2.0 + drawn_evenly(&state))) / 1e3;
            b[i] = rint(1e3 * (2.0 + 0.02 * round + drawn_evenly(&state))) / 1e3;
            d[i] = b[i] - a[i];
        }
        unsigned count = 0;
        double sum = 0.0;
        for (unsigned i = 0; i < N; i++) {
            unsigned rank = 0;
            for (unsigned k = 0; k < N; k++) {
                rank += fabs(d[k]) <= fabs(d[i]) + 1e-12;
                if (k <= i) {
                    walsh[count++] = 0.5 * (d[i] + d[k]);
                }
            }
            sum += d[i] > 0.0 ? rank : 0.0;
        }
        lab_results *first = results_of(a, N, 1, 0);
        lab_results *second = results_of(b, N, 1, 0);
        lab_difference found = rests(first, second);
        ck_assert_double_eq_tol(found.chance, fmin(1.0, 5.0 * tail_of_signed_ranks(N, sum)), 0.05);
        ck_assert_double_eq_tol(found.shift, middle(walsh, count), 2e-3);
        // 300 means: of them 81 are below the interval of 95 % (the table's rank for 24 pairs).
        ck_assert_double_eq_tol(found.low, 0.5 * (walsh[80] + walsh[81]), 0.02);
        ck_assert_double_eq_tol(found.high, 0.5 * (walsh[count - 81] + walsh[count - 82]), 0.02);
        lab_results_free(first);
        lab_results_free(second);
    }
}
END_TEST

START_TEST(others_are_compared_at_large) {
    enum { N = 30, M = 40 };
    unsigned state = 11;
    for (unsigned round = 0; round < 20; round++) {
        double a[M], b[M], all[N * M];
        double beyond = 0.0;
        for (unsigned i = 0; i < M; i++) {
            a[i] = rint(1e3 * (1.0 - 0.5 * log(drawn_evenly(&state) + 1e-3))) / 1e3;
            b[i] = rint(1e3 * (1.0 + 0.03 * round - 0.5 * log(drawn_evenly(&state) + 1e-3))) / 1e3;
        }
        for (unsigned i = 0; i < N; i++) {
            for (unsigned k = 0; k < M; k++) {
                all[i * M + k] = b[k] - a[i];
                beyond += b[k] > a[i] ? 1.0 : b[k] == a[i] ? 0.5 : 0.0;
            }
        }
        lab_results *first = results_of(a, N, 1, 0);
        lab_results *second = results_of(b, M, 1000, 0); // no seed in common
        lab_comparison *c = lab_compare(first, second, false);
        ck_assert(!c->paired);
        lab_difference found = difference_of(c, 2, CMO_REST_ERROR_MM);
        ck_assert_uint_eq(found.trials[0], N);
        ck_assert_uint_eq(found.trials[1], M);
        double off = fabs(beyond - 0.5 * N * M) - 0.5;
        double z = fmax(off, 0.0) / sqrt(N * M * (N + M + 1) / 12.0);
        ck_assert_double_eq_tol(found.chance, fmin(1.0, 5.0 * erfc(z / sqrt(2.0))), 0.01);
        ck_assert_double_eq_tol(found.shift, middle(all, N * M), 2e-3);
        ck_assert(found.low < found.shift && found.shift < found.high);
        lab_comparison_free(c);
        lab_results_free(first);
        lab_results_free(second);
    }
}
END_TEST

// Of skewed values with some equal ones; beyond chance by none is said in 5 % of calls.
START_TEST(where_nothing_differs_little_is_said_to) {
    enum { CALLS = 200, N = 30 };
    unsigned state = 3;
    unsigned said[2] = {0, 0};
    for (unsigned call_number = 0; call_number < CALLS; call_number++) {
        double a[N], b[N];
        for (unsigned i = 0; i < N; i++) {
            a[i] = rint(-20.0 * log(drawn_evenly(&state) + 1e-4)) / 20.0;
            b[i] = rint(-20.0 * log(drawn_evenly(&state) + 1e-4)) / 20.0;
        }
        for (unsigned paired = 0; paired < 2; paired++) {
            lab_results *first = results_of(a, N, 1, 0);
            lab_results *second = results_of(b, N, paired ? 1 : 100, 0);
            said[paired] +=
                rests(first, second).chance < 5.0 * LAB_COMPARE_CHANCE; // that one's own
            lab_results_free(first);
            lab_results_free(second);
        }
    }
    // 10 of 200 on the mean, 3.1 their standard deviation.
    ck_assert(said[0] > 0 && said[0] < 22);
    ck_assert(said[1] > 0 && said[1] < 22);
}
END_TEST

static double choose(unsigned n, unsigned k) {
    return exp(lgamma(n + 1.0) - lgamma(k + 1.0) - lgamma(n - k + 1.0));
}

START_TEST(what_completes_is_compared_by_its_share) {
    double same[20];
    for (unsigned i = 0; i < 20; i++) {
        same[i] = 1.0;
    }
    lab_results *first = results_of(same, 20, 1, 1);
    lab_results *paired = results_of(same, 20, 1, 8);
    lab_results *other = results_of(same, 20, 101, 8);
    lab_comparison *c = lab_compare(first, paired, false);
    lab_difference d = difference_of(c, 0, LAB_COMPLETED);
    ck_assert_double_eq_tol(d.median[0], 0.95, 1e-9);
    ck_assert_double_eq_tol(d.shift, -0.35, 1e-9);
    // In seven pairs one alone completes, and always the first.
    ck_assert_double_eq_tol(d.chance, 5.0 * 2.0 / 128.0, 1e-9);
    lab_comparison_free(c);
    c = lab_compare(first, other, false);
    d = difference_of(c, 0, LAB_COMPLETED);
    double sum = 0.0;
    for (unsigned k = 11; k <= 20; k++) { // of the 31 that complete, so many in the first
        double chance = choose(20, k) * choose(20, 31 - k) / choose(40, 31);
        sum += k >= 19 || k <= 12 ? chance : 0.0;
    }
    ck_assert_double_eq_tol(d.chance, fmin(1.0, 5.0 * sum), 1e-6);
    ck_assert(d.low < -0.35 && d.low > -0.62 && d.high > -0.35 && d.high < -0.05);
    lab_comparison_free(c);
    // Errors are compared where both completed.
    ck_assert_uint_eq(rests(first, paired).trials[0], 12);
    lab_results_free(first);
    lab_results_free(paired);
    lab_results_free(other);
}
END_TEST

START_TEST(as_many_trials_as_it_says_tell_a_tenth) {
    unsigned state = 5;
    unsigned told = 0;
    double needed = 0.0;
    for (unsigned round = 0; round < 12; round++) {
        enum { FEW = 40, MOST = 2000 };
        double a[MOST], b[MOST];
        for (unsigned i = 0; i < MOST; i++) {
            double shared = 5.0 + 3.0 * drawn_evenly(&state);
            a[i] = shared + 3.0 * (drawn_evenly(&state) + drawn_evenly(&state) - 1.0);
            b[i] = 1.1 * 6.5 - 6.5 + shared +
                   3.0 * (drawn_evenly(&state) + drawn_evenly(&state) - 1.0);
        }
        if (round == 0) {
            lab_results *first = results_of(a, FEW, 1, 0);
            lab_results *second = results_of(a + FEW, FEW, 1, 0);
            needed = rests(first, second).needed;
            ck_assert(needed > FEW && needed < MOST);
            lab_results_free(first);
            lab_results_free(second);
        }
        lab_results *first = results_of(a, (unsigned)needed, 1, 0);
        lab_results *second = results_of(b, (unsigned)needed, 1, 0);
        told += rests(first, second).differs;
        lab_results_free(first);
        lab_results_free(second);
    }
    ck_assert_uint_gt(told, 5); // 10 on the mean, or more
}
END_TEST

START_TEST(a_route_is_compared_with_itself_but_for_a_number) {
    ck_assert_int_eq(CALL("compare " ROUND " --trials 40 --seed 2 --field "
                          "legs[4].drive_until_line.cruise_mm_s --value 320 --json "
                          "--picture %s/chart.svg"),
                     0);
    JsonNode *node = json_from_string(out, NULL);
    JsonObject *root = json_node_get_object(node);
    ck_assert_int_eq(json_object_get_int_member(root, "pairs"), 40);
    ck_assert_ptr_nonnull(strstr(json_object_get_string_member(root, "b"),
                                 "40 trials, with legs[4].drive_until_line.cruise_mm_s 320"));
    json_node_free(node);
    char *path = in_folder("chart.svg");
    char *text;
    ck_assert(g_file_get_contents(path, &text, NULL, NULL));
    ck_assert_ptr_nonnull(strstr(text, "leg 7 rest_error_mm"));
    ck_assert_ptr_nonnull(strstr(text, "B - A, % of A"));
    g_free(text);
    g_free(path);
    ck_assert_int_eq(CALL("compare " ROUND " --trials 20 --field "
                          "legs[1].stop_on_line.cruise_mm_s --value 200"),
                     0);
    ck_assert_ptr_nonnull(strstr(out, "\n20 pairs of trials with the same seeds\n"));
    ck_assert_ptr_nonnull(strstr(out, "\nleg 1 elapsed_ms "));
    ck_assert_ptr_nonnull(strstr(out, "  B more\n"));
    ck_assert_ptr_null(strstr(out, "\nleg 4 overshoot_mm "));
    // Kept results are what the route comes to; every figure on request.
    ck_assert_int_eq(CALL("series " ROUND " --trials 8 --quiet --results %s/kept"), 0);
    ck_assert_int_eq(CALL("compare %s/kept " ROUND " --trials 8 --all"), 0);
    ck_assert_ptr_nonnull(strstr(out, "\nleg 4 overshoot_mm "));
    ck_assert_ptr_nonnull(strstr(out, "\nleg 1 look_interval_ms (robot's) "));
    ck_assert_ptr_nonnull(strstr(out, "\n0 of "));
    ck_assert_ptr_null(strstr(out, "B more"));
}
END_TEST

START_TEST(a_wrong_call_says_what_would_be_right) {
    static const char *const wrong[][2] = {
        {"", "compare takes two routes or results, or one route with --field and --value"},
        {ROUND, "compare takes two routes or results"},
        {ROUND " " ROUND " --field a --value 1", "compare takes two routes or results"},
        {ROUND " --field legs[1].stop_on_line.cruise_mm_s", "--field and --value go together"},
        {ROUND " " ROUND " --value 2", "--field and --value go together"},
        {ROUND " --field legs[1].turn.angle --value 1", "legs[1].turn"},
        {ROUND " " ROUND " --picture a.gif", "a.gif"},
        {ROUND " " ROUND " --trials 0", "--trials: 0 is out of range"},
        {ROUND " nowhere.yaml --trials 1", "nowhere.yaml: the route cannot be read"},
        {ROUND " data/ferry/lane.yaml --trials 1", "no leg of the same routine"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); i++) {
        char *line = g_strdup_printf(COMMAND " compare %s", wrong[i][0]);
        ck_assert_msg(call(line) == 2, "%s: %s", line, out);
        ck_assert_msg(strstr(err, wrong[i][1]) != NULL, "%s: %s", line, err);
        ck_assert_str_eq(out, "");
        g_free(line);
    }
    GString *kept = begin_kept(1);
    add_kept(kept, 1, true, 1.0, 1.0);
    write_kept(kept, "kept");
    ck_assert_int_eq(CALL("compare %s/kept --field a --value 1"), 2);
    ck_assert_ptr_nonnull(strstr(err, "kept: these are results already; a route would do"));
}
END_TEST

int main(void) {
    make_folder();
    const TTest *const tests[] = {few_pairs_are_counted_out,
                                  pairs_are_compared_by_signed_ranks,
                                  others_are_compared_at_large,
                                  where_nothing_differs_little_is_said_to,
                                  what_completes_is_compared_by_its_share,
                                  as_many_trials_as_it_says_tell_a_tenth,
                                  a_route_is_compared_with_itself_but_for_a_number,
                                  a_wrong_call_says_what_would_be_right,
                                  NULL};
    int failed = run_suite("compare", tests);
    remove_folder();
    return failed;
}
