// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/compare.h>

#include "ranks.h"

#include <gsl/gsl_cdf.h>
#include <gsl/gsl_sort.h>
#include <gsl/gsl_statistics_double.h>
#include <math.h>
#include <stdlib.h>

// Which trials, of the first and of the second; where they are paired, one beside the other.
typedef struct chosen {
    const lab_results *results[2];
    GArray *at[2]; // of guint
    bool paired;
} chosen;

static const lab_trial *trial_of(const chosen *c, unsigned side, guint i) {
    return &g_array_index(c->results[side]->trials, lab_trial,
                          g_array_index(c->at[side], guint, i));
}

// Trials with the same seed have the same robot out of the spread and the same start.
static void choose(chosen *c) {
    const GArray *first = c->results[0]->trials;
    const GArray *second = c->results[1]->trials;
    guint k = 0;
    for (guint i = 0; i < first->len; i++) {
        uint64_t seed = g_array_index(first, lab_trial, i).seed;
        while (k < second->len && g_array_index(second, lab_trial, k).seed < seed) {
            k++;
        }
        if (k < second->len && g_array_index(second, lab_trial, k).seed == seed) {
            g_array_append_val(c->at[0], i);
            g_array_append_val(c->at[1], k);
        }
    }
    c->paired = c->at[0]->len > 0;
    for (unsigned side = 0; !c->paired && side < 2; side++) {
        for (guint i = 0; i < c->results[side]->trials->len; i++) {
            g_array_append_val(c->at[side], i);
        }
    }
}

// A figure's magnitude in a trial. False: it has none.
static bool value_of(const lab_trial *trial, const lab_difference *d, double *value) {
    double sum = 0.0;
    unsigned count = 0;
    if (d->figure == LAB_COMPLETED) {
        *value = trial->outcome == CMO_OUTCOME_DONE;
        return true;
    }
    for (unsigned i = 0; i < trial->legs && trial->outcome == CMO_OUTCOME_DONE; i++) {
        double found;
        if ((d->leg == LAB_RUN || trial->leg[i].leg == d->leg) &&
            lab_trial_figure(&trial->leg[i], (cmo_figure)d->figure, d->truth, &found)) {
            sum += fabs(found);
            count++;
        }
    }
    *value = d->leg == LAB_RUN || count == 0 ? sum : sum / count;
    return count > 0;
}

// The values of both; of pairs those that both have.
static void collect(const chosen *c, const lab_difference *d, GArray *values[2]) {
    for (unsigned side = 0; side < 2; side++) {
        g_array_set_size(values[side], 0);
        for (guint i = 0; i < c->at[side]->len; i++) {
            double value, other;
            if (value_of(trial_of(c, side, i), d, &value) &&
                (!c->paired || value_of(trial_of(c, 1 - side, i), d, &other))) {
                g_array_append_val(values[side], value);
            }
        }
    }
}

static double *data_of(const GArray *values) {
    return (double *)(void *)values->data;
}

static double median_of(const GArray *values) {
    double *sorted = g_memdup2(values->data, values->len * sizeof(double));
    gsl_sort(sorted, 1, values->len);
    double median = gsl_stats_median_from_sorted_data(sorted, 1, values->len);
    g_free(sorted);
    return median;
}

static void compare_shares(const chosen *c, lab_difference *d, GArray *values[2]) {
    unsigned have[2] = {0, 0};
    unsigned only[2] = {0, 0};
    for (unsigned side = 0; side < 2; side++) {
        for (guint i = 0; i < values[side]->len; i++) {
            bool so = data_of(values[side])[i] > 0.5;
            have[side] += so;
            only[side] += so && c->paired && data_of(values[1 - side])[i] < 0.5;
        }
        d->median[side] = (double)have[side] / values[side]->len;
    }
    labi_shift found = labi_shift_of_shares(have[0], values[0]->len, have[1], values[1]->len,
                                            c->paired ? only : NULL);
    d->shift = found.shift;
    d->low = found.low;
    d->high = found.high;
    d->chance = found.chance;
}

static double variance_of(const GArray *values) {
    return values->len > 1 ? gsl_stats_variance(data_of(values), 1, values->len) : 0.0;
}

// The size of samples that finds a tenth of the median with a chance of 0.8, at the chance that is
// left to one of so many figures. Ranks need pi / 3 as many as means of normal values do.
static double needed_for(double variance, double median, unsigned figures) {
    double z =
        gsl_cdf_ugaussian_Qinv(0.5 * LAB_COMPARE_CHANCE / figures) + gsl_cdf_ugaussian_Qinv(0.2);
    double tenth = 0.1 * fabs(median);
    return tenth > 0.0 ? ceil(G_PI / 3.0 * z * z * variance / (tenth * tenth)) : NAN;
}

// `needed` is left as the variance that it is reckoned from, until it is known how many figures
// there are.
static void compare_values(const chosen *c, lab_difference *d, GArray *values[2]) {
    labi_shift found;
    if (c->paired) {
        GArray *differences = g_array_new(FALSE, FALSE, sizeof(double));
        for (guint i = 0; i < values[0]->len; i++) {
            double difference = data_of(values[1])[i] - data_of(values[0])[i];
            g_array_append_val(differences, difference);
        }
        found = labi_shift_of_pairs(data_of(differences), differences->len);
        d->needed = variance_of(differences);
        g_array_free(differences, TRUE);
    } else {
        found = labi_shift_of_two(data_of(values[0]), values[0]->len, data_of(values[1]),
                                  values[1]->len);
        d->needed = variance_of(values[0]) + variance_of(values[1]);
    }
    d->median[0] = median_of(values[0]);
    d->median[1] = median_of(values[1]);
    d->shift = found.shift;
    d->low = found.low;
    d->high = found.high;
    d->chance = found.chance;
}

static bool compare_one(const chosen *c, lab_difference *d, GArray *values[2]) {
    collect(c, d, values);
    d->trials[0] = values[0]->len;
    d->trials[1] = values[1]->len;
    if (values[0]->len == 0 || values[1]->len == 0) {
        return false;
    }
    d->needed = NAN;
    if (d->figure == LAB_COMPLETED) {
        compare_shares(c, d, values);
    } else {
        compare_values(c, d, values);
    }
    return true;
}

static gint by_chance(gconstpointer a, gconstpointer b) {
    double first = (*(lab_difference *const *)a)->chance;
    double second = (*(lab_difference *const *)b)->chance;
    return (first > second) - (first < second);
}

// Holm's correction: the likeliest of m is to be m times as unlikely, the next one m - 1 times...
static void correct(lab_comparison *comparison) {
    GArray *all = comparison->differences;
    GPtrArray *order = g_ptr_array_new();
    for (guint i = 0; i < all->len; i++) {
        g_ptr_array_add(order, &g_array_index(all, lab_difference, i));
    }
    g_ptr_array_sort(order, by_chance);
    double least = 0.0;
    for (guint i = 0; i < order->len; i++) {
        lab_difference *d = g_ptr_array_index(order, i);
        least = fmax(least, fmin(1.0, d->chance * (order->len - i)));
        d->chance = least;
        d->differs = d->chance < LAB_COMPARE_CHANCE;
        comparison->differ += d->differs;
        d->needed = needed_for(d->needed, d->median[0], order->len);
    }
    g_ptr_array_free(order, TRUE);
}

static void add(lab_comparison *comparison, const chosen *c, unsigned leg, unsigned figure,
                GArray *values[2]) {
    lab_difference d = {.leg = leg, .figure = figure, .truth = true};
    if (!compare_one(c, &d, values)) {
        d.truth = false;
        if (!compare_one(c, &d, values)) {
            return;
        }
    }
    g_array_append_val(comparison->differences, d);
}

lab_comparison *lab_compare(const lab_results *first, const lab_results *second, bool all) {
    chosen c = {
        {first, second},
        {g_array_new(FALSE, FALSE, sizeof(guint)), g_array_new(FALSE, FALSE, sizeof(guint))},
        false};
    choose(&c);
    lab_comparison *comparison = g_new0(lab_comparison, 1);
    comparison->paired = c.paired;
    comparison->pairs = c.paired ? c.at[0]->len : 0;
    comparison->differences = g_array_new(FALSE, FALSE, sizeof(lab_difference));
    GArray *values[2] = {g_array_new(FALSE, FALSE, sizeof(double)),
                         g_array_new(FALSE, FALSE, sizeof(double))};
    add(comparison, &c, LAB_RUN, LAB_COMPLETED, values);
    add(comparison, &c, LAB_RUN, CMO_ELAPSED_MS, values);
    for (unsigned leg = 0; leg < MIN(first->legs, second->legs); leg++) {
        if (first->leg[leg].routine != second->leg[leg].routine) {
            continue;
        }
        comparison->legs++;
        for (unsigned f = 0; f < CMO_FIGURES; f++) {
            if (all || f == CMO_ELAPSED_MS || f == first->leg[leg].judged) {
                add(comparison, &c, leg, f, values);
            }
        }
    }
    correct(comparison);
    for (unsigned side = 0; side < 2; side++) {
        g_array_free(values[side], TRUE);
        g_array_free(c.at[side], TRUE);
    }
    return comparison;
}

void lab_comparison_free(lab_comparison *comparison) {
    if (comparison != NULL) {
        g_array_free(comparison->differences, TRUE);
        g_free(comparison);
    }
}
