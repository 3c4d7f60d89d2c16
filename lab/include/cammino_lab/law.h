// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file law.h
 * How far a robot goes before it stands, by its speed: c + v t + v^2 / 2 a, and what that leaves
 * out.
 */
#ifndef CAMMINO_LAB_LAW_H
#define CAMMINO_LAB_LAW_H

#include <cammino_lab/results.h>

G_BEGIN_DECLS

/** A halt, as it truly was. */
typedef struct lab_law_halt {
    double speed_mm_s;  /**< at the crossing, above 0 */
    double distance_mm; /**< from there to the first standstill */
    double reaction_ms; /**< from there until the motors are told something else */
} lab_law_halt;

/** A number and where it lies with a confidence of 95 %. */
typedef struct lab_known {
    double value, low, high;
} lab_known;

/**
 * The law by least squares, in two parts, for when a robot answers is known of each halt.
 *
 * Until it answers: c + v t, a way (the width that a line must have shown) and a time (delay,
 * looks, tick). From then on v b, the time until the brakes have built up, and a braking at the
 * rate a as long as it is faster than u. Below u a motor slows down the less the slower it turns,
 * with friction besides: v' = -a (v + r) / (u + r). So from u on the distance is c + e + v (t + b)
 * + v^2 / 2 a, with a constant e; a robot that is never so fast needs a time alone.
 */
typedef struct lab_law {
    unsigned halts;
    double slowest_mm_s, fastest_mm_s;
    bool brakes; /**< that a rate rules, and not a lag alone, is more than chance (5 %) */
    lab_known c_mm, reaction_ms;  /**< c and t */
    lab_known braking_ms;         /**< b; without `brakes` all of its way is that time's */
    lab_known deceleration_mm_s2; /**< a; of `brakes` only, as are u, r and e: */
    double from_mm_s, rub_mm_s, end_mm;
    double off_mm; /**< standard deviation of the halts about it */
    double chance; /**< of such a braking, were there a lag alone */
} lab_law;

/** Fewer halts or less of a range of speeds tell no law. */
#define LAB_LAW_HALTS 10U
#define LAB_LAW_RANGE 1.5 /**< fastest over slowest */

/** Over the halts of one leg (from 0), by the truth, of several results. False: they are too few,
 * or of too little a range. */
bool lab_law_fit(lab_results *const *results, unsigned count, unsigned leg, lab_law *law);

/** What the law says of a speed, mm. */
double lab_law_way(const lab_law *law, double speed_mm_s);

/** The same of any halts. */
bool lab_law_fit_to(const lab_law_halt *halts, unsigned n, lab_law *law);

G_END_DECLS

#endif
