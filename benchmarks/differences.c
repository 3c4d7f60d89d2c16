// SPDX-License-Identifier: GPL-3.0-or-later
// How often two series are said to differ: of the same route, where nothing does, and with a number
// changed by which a figure becomes a tenth more.
//
//     bench_differences [PAIRS [TRIALS]]
#include <cammino_lab/compare.h>

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define ROUTE   SOURCE_DIR "/data/ferry/first-round.yaml"
#define REPEATS 20U // of the changed one

static lab_results *drive(unsigned trials, uint64_t seed, const lab_change *change) {
    GError *error = NULL;
    lab_series_call call = {.route = ROUTE, .changes = change, .trials = trials, .seed = seed};
    lab_results *results = lab_results_of(&call, &error);
    if (results == NULL) {
        fprintf(stderr, "%s\n", error->message);
        exit(2);
    }
    return results;
}

// A view of some trials of a pool, with seeds of its own.
static lab_results some_of(const lab_results *pool, const guint *at, unsigned n, uint64_t seed) {
    lab_results some = *pool;
    some.trials = g_array_new(FALSE, FALSE, sizeof(lab_trial));
    for (unsigned i = 0; i < n; i++) {
        lab_trial trial = g_array_index(pool->trials, lab_trial, at[i]);
        trial.seed = seed + i;
        g_array_append_val(some.trials, trial);
    }
    return some;
}

// Of two samples without a trial in common, how often any figure is said to differ.
static void without_difference(const lab_results *pool, unsigned pairs, unsigned n, bool paired) {
    GRand *rng = g_rand_new_with_seed(1);
    guint *at = g_new(guint, pool->trials->len);
    unsigned said = 0;
    unsigned figures = 0;
    unsigned of = 0;
    for (unsigned i = 0; i < pool->trials->len; i++) {
        at[i] = i;
    }
    for (unsigned pair = 0; pair < pairs; pair++) {
        for (unsigned i = 0; i < 2 * n; i++) { // the first of a shuffle
            unsigned other = (unsigned)g_rand_int_range(rng, (gint32)i, (gint32)pool->trials->len);
            guint swapped = at[i];
            at[i] = at[other];
            at[other] = swapped;
        }
        lab_results first = some_of(pool, at, n, 1);
        lab_results second = some_of(pool, at + n, n, paired ? 1 : 1 + n);
        lab_comparison *c = lab_compare(&first, &second, true);
        said += c->differ > 0;
        figures += c->differ;
        of += c->differences->len;
        lab_comparison_free(c);
        g_array_free(first.trials, TRUE);
        g_array_free(second.trials, TRUE);
    }
    printf("%u pairs of %u trials each, %s: said to differ in %u (%.1f %%), of %u figures %u\n",
           pairs, n, paired ? "one by one" : "at large", said, 100.0 * said / pairs, of / pairs,
           figures);
    g_free(at);
    g_rand_free(rng);
}

static void with_difference(const lab_change *change, unsigned leg, cmo_figure figure, unsigned n,
                            bool paired) {
    unsigned said = 0;
    double more = 0.0;
    for (unsigned i = 0; i < REPEATS; i++) {
        lab_results *first = drive(n, 1 + 2 * i * n, NULL);
        lab_results *second = drive(n, 1 + (2 * i + !paired) * n, change);
        lab_comparison *c = lab_compare(first, second, true);
        for (guint k = 0; k < c->differences->len; k++) {
            const lab_difference *d = &g_array_index(c->differences, lab_difference, k);
            if (d->leg == leg && d->figure == (unsigned)figure) {
                said += d->differs && d->shift > 0.0;
                more += 100.0 * d->shift / d->median[0] / REPEATS;
            }
        }
        lab_comparison_free(c);
        lab_results_free(first);
        lab_results_free(second);
    }
    printf("%s = %g, %u trials each, seeds %s: %s of leg %u more by %.1f %%, said in %u of %u\n",
           change->field, change->value, n, paired ? "the same" : "others", cmo_figure_name(figure),
           leg + 1, more, said, REPEATS);
}

int main(int count, char **arguments) {
    unsigned pairs = count > 1 ? (unsigned)atoi(arguments[1]) : 1000;
    unsigned n = count > 2 ? (unsigned)atoi(arguments[2]) : 100;
    lab_results *pool = drive(20 * n, 100000, NULL);
    without_difference(pool, pairs, n, true);
    without_difference(pool, pairs, n, false);
    lab_results_free(pool);
    lab_change faster = {.field = "legs[4].drive_until_line.creep_mm_s"};
    faster.value = count > 3 ? atof(arguments[3]) : 231.0;
    with_difference(&faster, 3, CMO_OVERSHOOT_MM, n, true);
    with_difference(&faster, 3, CMO_OVERSHOOT_MM, n, false);
    return 0;
}
