// SPDX-License-Identifier: GPL-3.0-or-later
#include "sketch.h"

#include "results_file.h"

#include <gsl/gsl_sort.h>
#include <gsl/gsl_statistics_double.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

// As it was given: a thousandth is not exact in a float.
static double value_of(const labi_sketch *s, unsigned i) {
    return labi_rounded((double)s->value[i]);
}

// Bins are as wide in the value's area hyperbolic sine: evenly about 0, and in proportion far from
// it; the middle of one is no further than half of its width from what lies in it.
#define BIN (2.0 * LAB_SKETCH_ERROR)

static int bin_of(double value) {
    return (int)rint(asinh(value) / BIN);
}

static double middle_of(int bin) {
    return sinh(bin * BIN);
}

// Makes room for a bin, and for some beside it.
static void reach(labi_sketch *s, int bin) {
    int end = s->first + (int)s->bins;
    if (s->bins > 0 && bin >= s->first && bin < end) {
        return;
    }
    int first = s->bins > 0 ? MIN(s->first, bin) : bin;
    int last = s->bins > 0 ? MAX(end - 1, bin) : bin;
    uint32_t *count = g_new0(uint32_t, last - first + 1);
    if (s->bins > 0) {
        memcpy(count + (s->first - first), s->count, s->bins * sizeof *count);
    }
    g_free(s->count);
    s->count = count;
    s->first = first;
    s->bins = (unsigned)(last - first + 1);
}

static void put_in_bin(labi_sketch *s, double value) {
    int bin = bin_of(value);
    reach(s, bin);
    s->count[bin - s->first]++;
}

void labi_sketch_add(labi_sketch *s, double value) {
    // Welford: mean and moment with each value, without a difference of large sums.
    double step = value - s->mean;
    s->mean += step / (s->n + 1.0);
    s->moment += step * (value - s->mean);
    if (s->n == 0 || fabs(value) > fabs(s->worst)) {
        s->worst = value;
    }
    if (s->n < LAB_SERIES_EXACT) {
        // In powers of two: most figures have few values, or very many.
        if ((s->n & (s->n - 1U)) == 0) {
            s->value = g_renew(float, s->value, MAX(2U * s->n, 1U));
        }
        s->value[s->n] = (float)value;
    } else {
        for (unsigned i = 0; i < s->n && s->value != NULL; i++) {
            put_in_bin(s, value_of(s, i));
        }
        g_clear_pointer(&s->value, g_free);
        put_in_bin(s, value);
    }
    s->n++;
}

static int by_size(const void *a, const void *b) {
    double first = fabs(*(const double *)a);
    double second = fabs(*(const double *)b);
    return (first > second) - (first < second);
}

static lab_statistics sum_up_values(const labi_sketch *sketch) {
    unsigned n = sketch->n;
    lab_statistics s = {.n = n};
    double *values = g_new(double, n);
    for (unsigned i = 0; i < n; i++) {
        values[i] = value_of(sketch, i);
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
    g_free(values);
    return s;
}

// The value of a rank, from 0.
static double ranked(const labi_sketch *s, double rank) {
    double below = 0.0;
    for (unsigned i = 0; i < s->bins; i++) {
        below += s->count[i];
        if (rank < below) {
            return middle_of(s->first + (int)i);
        }
    }
    return middle_of(s->first + (int)s->bins - 1);
}

// Between two ranks, as gsl_stats_quantile_from_sorted_data() has it.
static double quantile(const labi_sketch *s, double share) {
    double rank = share * (s->n - 1.0);
    double below = ranked(s, floor(rank));
    return below + (rank - floor(rank)) * (ranked(s, ceil(rank)) - below);
}

static double count_at(const labi_sketch *s, int bin) {
    return bin >= s->first && bin < s->first + (int)s->bins ? s->count[bin - s->first] : 0.0;
}

// The magnitude that a share of the values keeps to.
static double within(const labi_sketch *s, double share) {
    double needed = ceil(share * s->n);
    double inside = count_at(s, 0);
    int bin = 0;
    while (inside < needed) {
        bin++;
        inside += count_at(s, bin) + count_at(s, -bin);
    }
    return middle_of(bin);
}

lab_statistics labi_sketch_sum_up(const labi_sketch *s) {
    if (s->n == 0) {
        return (lab_statistics){.n = 0};
    }
    if (s->value != NULL) {
        return sum_up_values(s);
    }
    return (lab_statistics){.n = s->n,
                            .mean = s->mean,
                            .sd = sqrt(s->moment / (s->n - 1.0)),
                            .p05 = quantile(s, 0.05),
                            .p50 = quantile(s, 0.50),
                            .p95 = quantile(s, 0.95),
                            .p99 = quantile(s, 0.99),
                            .worst = s->worst,
                            .within = within(s, 0.95)};
}

void labi_sketch_clear(labi_sketch *s) {
    g_free(s->value);
    g_free(s->count);
    *s = (labi_sketch){.n = 0};
}
