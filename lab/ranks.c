// SPDX-License-Identifier: GPL-3.0-or-later
#include "ranks.h"

#include <glib.h>
#include <gsl/gsl_cdf.h>
#include <gsl/gsl_randist.h>
#include <math.h>
#include <stdbool.h>
#include <stdlib.h>

#define Z_95 1.959963984540054

// Below this many pairs each way in which signs may fall is counted.
#define EXACT_MOST 12U

typedef struct ranked {
    double value;
    double rank;
    unsigned group;
} ranked;

static int by_value(const void *a, const void *b) {
    double first = ((const ranked *)a)->value;
    double second = ((const ranked *)b)->value;
    return (first > second) - (first < second);
}

// Ranks from 1, of equal values the mean one. Returns the sum of t^3 - t over groups of t equal
// ones.
static double rank(ranked *values, unsigned n) {
    double ties = 0.0;
    qsort(values, n, sizeof *values, by_value);
    for (unsigned i = 0; i < n;) {
        unsigned end = i + 1;
        while (end < n && values[end].value == values[i].value) {
            end++;
        }
        double t = end - i;
        ties += t * t * t - t;
        for (unsigned k = i; k < end; k++) {
            values[k].rank = 0.5 * (i + 1 + end);
        }
        i = end;
    }
    return ties;
}

// How far a statistic is from what is expected, in standard deviations. A statistic of ranks moves
// in steps; half of one is taken off (a correction for continuity).
static double score(double statistic, double expected, double variance, double step) {
    double off = fabs(statistic - expected) - 0.5 * step;
    if (off <= 0.0 || variance <= 0.0) {
        return 0.0;
    }
    return copysign(off / sqrt(variance), statistic - expected);
}

static double two_sided(double z) {
    return fmin(1.0, 2.0 * gsl_cdf_ugaussian_Q(fabs(z)));
}

typedef struct sample {
    const double *first, *second; // second NULL: differences
    unsigned n, m;
    ranked *work;
    bool plain; // without the correction for continuity
} sample;

static unsigned signed_ranks(const sample *s, double shift, double *sum, double *ties) {
    unsigned n = 0;
    for (unsigned i = 0; i < s->n; i++) {
        double d = s->first[i] - shift;
        if (d != 0.0) { // a pair without a difference tells nothing of its sign
            s->work[n++] = (ranked){fabs(d), 0.0, d > 0.0};
        }
    }
    *ties = rank(s->work, n);
    *sum = 0.0;
    for (unsigned i = 0; i < n; i++) {
        *sum += s->work[i].group ? s->work[i].rank : 0.0;
    }
    return n;
}

// Positive where the values lie beyond the shift.
static double score_of(const sample *s, double shift) {
    double ties, sum;
    if (s->second == NULL) {
        double n = signed_ranks(s, shift, &sum, &ties);
        double variance = n * (n + 1.0) * (2.0 * n + 1.0) / 24.0 - ties / 48.0;
        return score(sum, n * (n + 1.0) / 4.0, variance, s->plain ? 0.0 : 1.0);
    }
    double n = s->n;
    double m = s->m;
    for (unsigned i = 0; i < s->n; i++) {
        s->work[i] = (ranked){s->first[i], 0.0, 0};
    }
    for (unsigned i = 0; i < s->m; i++) {
        s->work[s->n + i] = (ranked){s->second[i] - shift, 0.0, 1};
    }
    ties = rank(s->work, s->n + s->m);
    sum = 0.0;
    for (unsigned i = 0; i < s->n + s->m; i++) {
        sum += s->work[i].group ? s->work[i].rank : 0.0;
    }
    double all = n + m;
    double variance = n * m / 12.0 * (all + 1.0 - ties / (all * (all - 1.0)));
    return score(sum, m * (all + 1.0) / 2.0, variance, s->plain ? 0.0 : 1.0);
}

// Figures are given to a thousandth.
#define FINE 1e-4

// The shift at which the score is z: it falls as the shift grows.
static double invert(sample *s, double low, double high, double z) {
    while (high - low > FINE) {
        double middle = 0.5 * (low + high);
        if (score_of(s, middle) > z) {
            low = middle;
        } else {
            high = middle;
        }
    }
    return 0.5 * (low + high);
}

static labi_shift find_shift(sample *s, double low, double high) {
    labi_shift found = {.chance = two_sided(score_of(s, 0.0))};
    low -= FINE;
    high += FINE;
    s->plain = true;
    // From both sides, for the score stays zero where values are few.
    found.shift = 0.5 * (invert(s, low, high, 1e-12) + invert(s, low, high, -1e-12));
    s->plain = false;
    found.low = invert(s, low, high, Z_95);
    found.high = invert(s, low, high, -Z_95);
    return found;
}

// Each of the signs may be either with the same chance.
static double exact_chance(const sample *s) {
    double ties, sum;
    unsigned n = signed_ranks(s, 0.0, &sum, &ties);
    double expected = n * (n + 1.0) / 4.0;
    unsigned as_far = 0;
    for (unsigned signs = 0; signs < 1U << n; signs++) {
        double other = 0.0;
        for (unsigned i = 0; i < n; i++) {
            other += signs >> i & 1U ? s->work[i].rank : 0.0;
        }
        as_far += fabs(other - expected) >= fabs(sum - expected) - 1e-9;
    }
    return (double)as_far / (double)(1U << n);
}

static void extend(const double *values, unsigned n, double *low, double *high) {
    *low = *high = values[0];
    for (unsigned i = 1; i < n; i++) {
        *low = fmin(*low, values[i]);
        *high = fmax(*high, values[i]);
    }
}

labi_shift labi_shift_of_pairs(const double *difference, unsigned n) {
    sample s = {.first = difference, .n = n, .work = g_new(ranked, n)};
    double low, high;
    extend(difference, n, &low, &high);
    labi_shift found = find_shift(&s, low, high);
    if (n <= EXACT_MOST) {
        found.chance = exact_chance(&s);
    }
    g_free(s.work);
    return found;
}

labi_shift labi_shift_of_two(const double *first, unsigned n, const double *second, unsigned m) {
    sample s = {.first = first, .second = second, .n = n, .m = m, .work = g_new(ranked, n + m)};
    double low[2], high[2];
    extend(first, n, &low[0], &high[0]);
    extend(second, m, &low[1], &high[1]);
    labi_shift found = find_shift(&s, low[1] - high[0], high[1] - low[0]);
    g_free(s.work);
    return found;
}

// -------------------------------------------------------------------------------------- shares --

// Wilson's interval.
static void wilson(double k, double n, double *low, double *high) {
    double z2 = Z_95 * Z_95;
    double middle = (k + 0.5 * z2) / (n + z2);
    double half = Z_95 / (n + z2) * sqrt(k * (n - k) / n + 0.25 * z2);
    *low = middle - half;
    *high = middle + half;
}

// Of all tables with these sums, the chance of those that are no likelier than this one.
static double fisher(unsigned k, unsigned n, unsigned l, unsigned m) {
    unsigned drawn = k + l;
    double here = gsl_ran_hypergeometric_pdf(k, n, m, drawn);
    double sum = 0.0;
    for (unsigned i = drawn > m ? drawn - m : 0; i <= MIN(n, drawn); i++) {
        double chance = gsl_ran_hypergeometric_pdf(i, n, m, drawn);
        sum += chance <= here * (1.0 + 1e-7) ? chance : 0.0;
    }
    return fmin(sum, 1.0);
}

labi_shift labi_shift_of_shares(unsigned k, unsigned n, unsigned l, unsigned m,
                                const unsigned *only) {
    double low[2], high[2];
    double p = (double)k / n;
    double q = (double)l / m;
    wilson(k, n, &low[0], &high[0]);
    wilson(l, m, &low[1], &high[1]);
    labi_shift found = {.shift = q - p,
                        .low = q - p - hypot(q - low[1], high[0] - p),
                        .high = q - p + hypot(high[1] - q, p - low[0])};
    if (only != NULL) {
        unsigned least = MIN(only[0], only[1]);
        found.chance = fmin(1.0, 2.0 * gsl_cdf_binomial_P(least, 0.5, only[0] + only[1]));
    } else {
        found.chance = fisher(k, n, l, m);
    }
    return found;
}
