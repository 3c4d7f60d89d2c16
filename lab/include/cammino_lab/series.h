// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file series.h
 * A route driven many times, each trial varied: how good is it, how often, out of how many.
 */
#ifndef CAMMINO_LAB_SERIES_H
#define CAMMINO_LAB_SERIES_H

#include <cammino_lab/results.h>

G_BEGIN_DECLS

/** Of so many values of a figure quantiles are exact; of more they are right within this share of
 *  themselves, or of one unit, whichever is more. All else is exact. */
#define LAB_SERIES_EXACT 1024U
#define LAB_SKETCH_ERROR 0.001

/** What is known of a figure over all trials that have it. Quantiles are of the signed values. */
typedef struct lab_statistics {
    unsigned n;
    double mean, sd, p05, p50, p95, p99;
    double worst;  /**< the one of largest magnitude */
    double within; /**< 95 % of the magnitudes are no larger */
} lab_statistics;

typedef struct lab_series_figure {
    lab_statistics robot, truth; /**< n 0: nobody has it */
} lab_series_figure;

/** So many lines of each surface, by its number, and at 0 of none that is known; and how often. */
typedef struct lab_series_tally {
    uint8_t lines[CMO_SURFACES_MAX + 1];
    unsigned times;
} lab_series_tally;

typedef struct lab_series_leg {
    cmo_routine_id routine;
    char *name;        /**< the route's; NULL: none */
    cmo_figure judged; /**< what it is to get right; CMO_FIGURES: there is no figure of that */
    unsigned outcomes[CMO_OUTCOMES]; /**< how often it ended so, in all rounds */
    unsigned counts, miscounts;      /**< how often it has counted lines, and how often wrongly */
    GArray *tallies; /**< of lab_series_tally, the most frequent first; NULL: none */
    lab_series_figure figure[CMO_FIGURES];
} lab_series_leg;

/** The trials of a fleet's robots that are of one kind in one part. */
typedef struct lab_series_kind {
    const char *part, *kind; /**< names of the fleet's */
    unsigned trials, completed;
    lab_series_leg *leg;
} lab_series_kind;

/** One of the worst trials: it was not completed, or has a large error. */
typedef struct lab_series_worst {
    uint64_t seed;
    unsigned leg; /**< from 0 */
    cmo_outcome outcome;
    cmo_figure figure; /**< that its leg is judged by; CMO_FIGURES: it has none */
    double truth;
} lab_series_worst;

#define LAB_SERIES_WORST 6U

typedef struct lab_series {
    unsigned trials, completed; /**< completed: runs that ended done */
    unsigned asked;             /**< for so many trials; more than there are: it was stopped */
    double low, high;           /**< of all runs there could be, the share that completes lies
                                     between, with a confidence of 95 % */
    unsigned uncalibrated;      /**< trials whose robot could not find out all that it was to */
    unsigned diverged;          /**< trials whose simulated robot ran away: nothing of it is true */
    unsigned undrawn;           /**< of a fleet: seeds whose draws did not go together */
    uint64_t undrawn_seed;      /**< one of them */
    unsigned legs;
    lab_series_leg *leg;
    char *surface[CMO_SURFACES_MAX + 1]; /**< names of the route's, by number; NULL: none */
    unsigned kinds;                      /**< of a fleet; else 0 */
    lab_series_kind *kind;
    unsigned worsts;
    lab_series_worst worst[LAB_SERIES_WORST];
} lab_series;

/** Sums up results. `fleet`: whose robots drove, to be summed up by their kinds too; NULL: not. */
lab_series *lab_series_of(const lab_results *results, const lab_fleet *fleet);

/** The same trial by trial, in the order of their seeds: what it takes does not grow with them. The
 *  results say of what they are; the end takes the draft. */
typedef struct lab_series_draft lab_series_draft;
lab_series_draft *lab_series_begin(const lab_results *results, const lab_fleet *fleet);
void lab_series_add(lab_series_draft *draft, const lab_trial *trial);
lab_series *lab_series_end(lab_series_draft *draft, const lab_results *results);

/** Drives results and sums them up as they come: those that are driven are not kept in memory.
 * NULL: they cannot be kept in their file, by `error`. */
lab_series *lab_series_drive(lab_results *results, const lab_route *route, unsigned threads,
                             lab_progress progress, void *context, GError **error);

/**
 * Drives the route as many times on all processors. Trial n has seed + n - 1: another robot out of
 * the plant's spread, and start and conditions drawn evenly from the route's spread. The results do
 * not depend on the number of threads; 0: as many as there are processors. Where it is stopped,
 * what it gives is a shorter series' results.
 */
lab_series *lab_series_run(const lab_route *route, unsigned trials, uint64_t seed, unsigned threads,
                           lab_progress progress, void *context);
void lab_series_free(lab_series *series);

/** The results as JSON text, one document; free with g_free(). `fleet` may be NULL. */
char *lab_series_json(const lab_series *series, const lab_fleet *fleet);

G_END_DECLS

#endif
