// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/law.h>

#include <gsl/gsl_cdf.h>
#include <gsl/gsl_multifit.h>
#include <math.h>

#define TERMS_MOST 4U

typedef struct fit {
    double c[TERMS_MOST], error[TERMS_MOST]; // and their standard errors
    double sum;                              // of squares that are left
} fit;

// Ways in mm by the speed of each halt, and what they scatter by in proportion to.
typedef struct ways {
    const lab_law_halt *halts;
    double *mm, *scatter;
    unsigned n;
} ways;

// How a halt ends, in m/s: from u on at a steady rate; below that a motor brakes the less the
// slower it turns, and friction goes on as if it turned faster by `rub`.
typedef struct shape {
    double u, rub;
} shape;

// Terms of a way in mm by the speed in m/s: of a time, of a way, and of braking.
typedef double term(double v, const shape *end);

static double by_time(double v, const shape *end) {
    (void)end;
    return v;
}

static double always(double v, const shape *end) {
    (void)v;
    (void)end;
    return 1.0;
}

// What 1 / a is times of. Below u it is v' = -a (v + rub) / (u + rub).
static double by_braking(double v, const shape *end) {
    double low = fmin(v, end->u);
    double rubbed = end->rub > 0.0 ? end->rub * log1p(low / end->rub) : 0.0;
    double way = (end->u + end->rub) * (low - rubbed);
    return 1e3 * (v > end->u ? way + 0.5 * (v * v - end->u * end->u) : way);
}

// How that changes with u, and with rub.
#define SMALL 1e-4
static double by_start(double v, const shape *end) {
    const shape next = {end->u + SMALL, end->rub};
    return (by_braking(v, &next) - by_braking(v, end)) / SMALL;
}

static double by_rub(double v, const shape *end) {
    const shape next = {end->u, end->rub + SMALL};
    return (by_braking(v, &next) - by_braking(v, end)) / SMALL;
}

// What is divided by what it scatters by scatters evenly.
static fit fit_terms(const ways *w, const shape *end, term *const *terms, unsigned count) {
    gsl_matrix *x = gsl_matrix_alloc(w->n, count);
    gsl_vector *y = gsl_vector_alloc(w->n);
    gsl_vector *c = gsl_vector_alloc(count);
    gsl_matrix *covariance = gsl_matrix_alloc(count, count);
    gsl_multifit_linear_workspace *work = gsl_multifit_linear_alloc(w->n, count);
    for (unsigned i = 0; i < w->n; i++) {
        double v = 1e-3 * w->halts[i].speed_mm_s;
        for (unsigned k = 0; k < count; k++) {
            gsl_matrix_set(x, i, k, terms[k](v, end) / w->scatter[i]);
        }
        gsl_vector_set(y, i, w->mm[i] / w->scatter[i]);
    }
    fit found = {.sum = 0.0};
    gsl_multifit_linear(x, y, c, covariance, &found.sum, work);
    for (unsigned k = 0; k < count; k++) {
        found.c[k] = gsl_vector_get(c, k);
        found.error[k] = sqrt(gsl_matrix_get(covariance, k, k));
    }
    gsl_multifit_linear_free(work);
    gsl_matrix_free(covariance);
    gsl_vector_free(c);
    gsl_vector_free(y);
    gsl_matrix_free(x);
    return found;
}

static lab_known known(double value, double error, double t) {
    return (lab_known){value, value - t * error, value + t * error};
}

static void widen(lab_known *k, double value, double by) {
    k->low = fmin(k->low, value - by);
    k->high = fmax(k->high, value + by);
}

static lab_known inverse_of(const lab_known *k) {
    return (lab_known){1.0 / k->value, 1.0 / k->high, k->low > 0.0 ? 1.0 / k->low : INFINITY};
}

static term *const of_reaction[] = {always, by_time};
static term *const of_braking[] = {by_time, by_braking, by_start, by_rub};

// Given its end, braking is linear. All ends of a grid are tried first.
#define STARTS 40 // of u
#define RUBS   6  // shares of friction in what brakes at u: none to a quarter
#define ENDS   (STARTS * RUBS)

static shape nth_end(unsigned i, double fastest) {
    double u = fastest * (i / RUBS + 1) / STARTS;
    double share = 0.05 * (i % RUBS);
    return (shape){u, u * share / (1.0 - share)};
}

// Brakes do not begin before they are told to.
static fit fit_end(const ways *w, const shape *end) {
    fit found = fit_terms(w, end, of_braking, 2);
    found.sum = found.c[0] < 0.0 ? INFINITY : found.sum;
    return found;
}

// From the best of a grid on by Gauss and Newton's method; a step that leaves more is halved.
static void refine(const ways *w, double fastest, shape *end, fit *found) {
    fit slopes = fit_terms(w, end, of_braking, 4);
    double step = 1.0;
    for (int i = 0; i < 40 && found->c[1] > 0.0 && step > 0.01; i++) {
        shape next = {CLAMP(end->u + step * slopes.c[2] / found->c[1], SMALL, fastest),
                      fmax(end->rub + step * slopes.c[3] / found->c[1], 0.0)};
        fit there = fit_end(w, &next);
        if (there.sum < found->sum) {
            *end = next;
            *found = there;
            slopes = fit_terms(w, end, of_braking, 4);
            step = 1.0;
        } else {
            step *= 0.5;
        }
    }
}

// From the answer on. Where ends leave hardly more than the best one, none of them is known for
// sure, and what goes with them may be true as well.
static void fit_braking(const ways *w, lab_law *law) {
    double fastest = 1e-3 * law->fastest_mm_s;
    fit *all = g_new(fit, ENDS);
    unsigned first = 0;
    // A lag alone, or one that friction bends: never so fast that a rate rules.
    fit lag = fit_terms(w, &(shape){0}, of_braking, 1);
    double lags = lag.sum;
    for (unsigned i = 0; i < ENDS; i++) {
        shape end = nth_end(i, fastest);
        all[i] = fit_end(w, &end);
        first = all[i].sum < all[first].sum ? i : first;
        lags = end.u >= fastest ? fmin(lags, all[i].sum) : lags;
    }
    fit best = all[first];
    shape end = nth_end(first, fastest);
    refine(w, fastest, &end, &best);
    double variance = best.sum / (w->n - 4);
    double f = (lags - best.sum) / (3.0 * variance);
    law->chance = variance > 0.0 ? gsl_cdf_fdist_Q(fmax(f, 0.0), 3.0, w->n - 4) : 0.0;
    law->brakes = isfinite(best.sum) && law->chance < 0.05 && best.c[1] > 0.0;
    if (law->brakes) {
        double sure = gsl_cdf_tdist_Pinv(0.975, w->n - 4);
        fit near = fit_terms(w, &end, of_braking, 4);
        lab_known b = known(best.c[0], near.error[0], sure);
        lab_known per_a = known(1e-3 * best.c[1], 1e-3 * near.error[1], sure); // s^2/mm
        for (unsigned i = 0; i < ENDS; i++) {
            double room = sure * sure - (all[i].sum - best.sum) / variance;
            if (room >= 0.0) {
                widen(&b, all[i].c[0], sqrt(room) * all[i].error[0]);
                widen(&per_a, 1e-3 * all[i].c[1], 1e-3 * sqrt(room) * all[i].error[1]);
            }
        }
        b.low = fmax(b.low, 0.0);
        law->braking_ms = b;
        law->deceleration_mm_s2 = inverse_of(&per_a);
        law->from_mm_s = 1e3 * end.u;
        law->rub_mm_s = 1e3 * end.rub;
        law->end_mm = best.c[1] * (by_braking(end.u, &end) - 500.0 * end.u * end.u);
    } else {
        law->braking_ms = known(lag.c[0], lag.error[0], gsl_cdf_tdist_Pinv(0.975, w->n - 1));
    }
    g_free(all);
}

double lab_law_way(const lab_law *law, double speed_mm_s) {
    double way =
        law->c_mm.value + 1e-3 * speed_mm_s * (law->reaction_ms.value + law->braking_ms.value);
    if (law->brakes) {
        shape end = {1e-3 * law->from_mm_s, 1e-3 * law->rub_mm_s};
        way += by_braking(1e-3 * speed_mm_s, &end) / (1e-3 * law->deceleration_mm_s2.value);
    }
    return way;
}

bool lab_law_fit_to(const lab_law_halt *halts, unsigned n, lab_law *law) {
    *law = (lab_law){.halts = n, .slowest_mm_s = INFINITY};
    for (unsigned i = 0; i < n; i++) {
        law->slowest_mm_s = fmin(law->slowest_mm_s, halts[i].speed_mm_s);
        law->fastest_mm_s = fmax(law->fastest_mm_s, halts[i].speed_mm_s);
    }
    if (n < LAB_LAW_HALTS || !(law->fastest_mm_s >= LAB_LAW_RANGE * law->slowest_mm_s)) {
        return false;
    }
    ways w = {halts, g_new(double, n), g_new(double, n), n};
    for (unsigned i = 0; i < n; i++) { // looks come late by times
        w.mm[i] = 1e-3 * halts[i].speed_mm_s * halts[i].reaction_ms;
        w.scatter[i] = 1e-3 * halts[i].speed_mm_s;
    }
    fit reaction = fit_terms(&w, &(shape){0}, of_reaction, 2);
    double sure = gsl_cdf_tdist_Pinv(0.975, n - 2);
    law->c_mm = known(reaction.c[0], reaction.error[0], sure);
    law->reaction_ms = known(reaction.c[1], reaction.error[1], sure); // mm per m/s are ms
    for (unsigned i = 0; i < n; i++) { // and grip and battery differ by shares
        w.mm[i] = halts[i].distance_mm - w.mm[i];
        w.scatter[i] = fmax(w.mm[i], 0.1);
    }
    fit_braking(&w, law);
    double sum = 0.0;
    for (unsigned i = 0; i < n; i++) {
        double off = halts[i].distance_mm - lab_law_way(law, halts[i].speed_mm_s);
        sum += off * off;
    }
    law->off_mm = sqrt(sum / (n - (law->brakes ? 6 : 3)));
    g_free(w.mm);
    g_free(w.scatter);
    return true;
}

bool lab_law_fit(lab_results *const *results, unsigned count, unsigned leg, lab_law *law) {
    GArray *halts = g_array_new(FALSE, FALSE, sizeof(lab_law_halt));
    for (unsigned i = 0; i < count; i++) {
        for (guint n = 0; results[i] != NULL && n < results[i]->trials->len; n++) {
            const lab_trial *trial = &g_array_index(results[i]->trials, lab_trial, n);
            for (unsigned k = 0; k < trial->legs; k++) {
                const lab_trial_leg *row = &trial->leg[k];
                lab_law_halt halt;
                if (row->leg == leg && row->outcome == CMO_OUTCOME_DONE &&
                    lab_trial_figure(row, CMO_CROSSING_SPEED_MM_S, true, &halt.speed_mm_s) &&
                    lab_trial_figure(row, CMO_STOPPING_DISTANCE_MM, true, &halt.distance_mm) &&
                    lab_trial_figure(row, CMO_REACTION_MS, true, &halt.reaction_ms) &&
                    halt.speed_mm_s > 0.0) {
                    g_array_append_val(halts, halt);
                }
            }
        }
    }
    bool good = lab_law_fit_to((lab_law_halt *)(void *)halts->data, halts->len, law);
    g_array_free(halts, TRUE);
    return good;
}
