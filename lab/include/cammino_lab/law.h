// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file law.h
 * How far a robot goes before it stands, by its speed: c + v t + v^2 / 2 a.
 */
#ifndef CAMMINO_LAB_LAW_H
#define CAMMINO_LAB_LAW_H

#include <cammino_lab/results.h>

G_BEGIN_DECLS

/** A number and where it lies with a confidence of 95 %. */
typedef struct lab_known {
    double value, low, high;
} lab_known;

/**
 * The law by least squares. With a deceleration: the reaction is the time until it begins to brake,
 * which is then braked at that rate. Without: all of the way is a time's, as where a motor's lag
 * rules.
 */
typedef struct lab_law {
    unsigned halts;
    double slowest_mm_s, fastest_mm_s;
    bool brakes; /**< the term with v^2 is more than chance (5 %) and has its sign */
    lab_known c_mm, reaction_ms, deceleration_mm_s2; /**< the last of `brakes` only */
    double off_mm; /**< standard deviation of the halts about it */
    double chance; /**< of such a term, were there none */
} lab_law;

/** Fewer halts or less of a range of speeds tell no law. */
#define LAB_LAW_HALTS 10U
#define LAB_LAW_RANGE 1.5 /**< fastest over slowest */

/** Over the halts of one leg (from 0), true crossing speeds and stopping distances, of several
 *  results. False: they are too few, or of too little a range. */
bool lab_law_fit(lab_results *const *results, unsigned count, unsigned leg, lab_law *law);

/** The same of any halts. */
bool lab_law_fit_to(const double *speed_mm_s, const double *distance_mm, unsigned n, lab_law *law);

G_END_DECLS

#endif
