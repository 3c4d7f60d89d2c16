// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/law.h>

#include <gsl/gsl_cdf.h>
#include <gsl/gsl_multifit.h>
#include <math.h>

typedef struct fit {
    double c[3], error[3]; // and their standard errors
    double sum;            // of squares that are left
} fit;

// Speeds in m/s, so that the terms are of one size.
static fit fit_terms(const double *speed, const double *distance, unsigned n, unsigned terms) {
    gsl_matrix *x = gsl_matrix_alloc(n, terms);
    gsl_vector *y = gsl_vector_alloc(n);
    gsl_vector *c = gsl_vector_alloc(terms);
    gsl_matrix *covariance = gsl_matrix_alloc(terms, terms);
    gsl_multifit_linear_workspace *work = gsl_multifit_linear_alloc(n, terms);
    for (unsigned i = 0; i < n; i++) {
        double v = 1e-3 * speed[i];
        double power = 1.0;
        for (unsigned k = 0; k < terms; k++, power *= v) {
            gsl_matrix_set(x, i, k, power);
        }
        gsl_vector_set(y, i, distance[i]);
    }
    fit found = {.sum = 0.0};
    gsl_multifit_linear(x, y, c, covariance, &found.sum, work);
    for (unsigned k = 0; k < terms; k++) {
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

bool lab_law_fit_to(const double *speed_mm_s, const double *distance_mm, unsigned n, lab_law *law) {
    *law = (lab_law){.halts = n, .slowest_mm_s = INFINITY};
    for (unsigned i = 0; i < n; i++) {
        law->slowest_mm_s = fmin(law->slowest_mm_s, speed_mm_s[i]);
        law->fastest_mm_s = fmax(law->fastest_mm_s, speed_mm_s[i]);
    }
    if (n < LAB_LAW_HALTS || !(law->fastest_mm_s >= LAB_LAW_RANGE * law->slowest_mm_s)) {
        return false;
    }
    fit with = fit_terms(speed_mm_s, distance_mm, n, 3);
    double t = with.error[2] > 0.0 ? with.c[2] / with.error[2] : INFINITY;
    law->chance = 2.0 * gsl_cdf_tdist_Q(fabs(t), n - 3);
    law->brakes = law->chance < 0.05 && with.c[2] > 0.0;
    unsigned terms = law->brakes ? 3 : 2;
    fit found = law->brakes ? with : fit_terms(speed_mm_s, distance_mm, n, 2);
    double sure = gsl_cdf_tdist_Pinv(0.975, n - terms);
    law->c_mm = known(found.c[0], found.error[0], sure);
    law->reaction_ms = known(found.c[1], found.error[1], sure); // mm per m/s are ms
    law->off_mm = sqrt(found.sum / (n - terms));
    if (law->brakes) {
        // mm per (m/s)^2 are 1/1000 s^2/m; the interval is that of its inverse.
        lab_known square = known(found.c[2], found.error[2], sure);
        law->deceleration_mm_s2 = (lab_known){5e5 / square.value, 5e5 / square.high,
                                              square.low > 0.0 ? 5e5 / square.low : INFINITY};
    }
    return true;
}

bool lab_law_fit(lab_results *const *results, unsigned count, unsigned leg, lab_law *law) {
    GArray *speeds = g_array_new(FALSE, FALSE, sizeof(double));
    GArray *distances = g_array_new(FALSE, FALSE, sizeof(double));
    for (unsigned i = 0; i < count; i++) {
        for (guint n = 0; results[i] != NULL && n < results[i]->trials->len; n++) {
            const lab_trial *trial = &g_array_index(results[i]->trials, lab_trial, n);
            for (unsigned k = 0; k < trial->legs; k++) {
                const lab_trial_leg *row = &trial->leg[k];
                double speed, distance;
                if (row->leg == leg && row->outcome == CMO_OUTCOME_DONE &&
                    lab_trial_figure(row, CMO_CROSSING_SPEED_MM_S, true, &speed) &&
                    lab_trial_figure(row, CMO_STOPPING_DISTANCE_MM, true, &distance) &&
                    speed > 0.0) {
                    g_array_append_val(speeds, speed);
                    g_array_append_val(distances, distance);
                }
            }
        }
    }
    bool good = lab_law_fit_to((double *)(void *)speeds->data, (double *)(void *)distances->data,
                               speeds->len, law);
    g_array_free(speeds, TRUE);
    g_array_free(distances, TRUE);
    return good;
}
