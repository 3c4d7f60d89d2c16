// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file results.h
 * What trials of a route have come to, one by one: driven here, kept in a file, or both.
 */
#ifndef CAMMINO_LAB_RESULTS_H
#define CAMMINO_LAB_RESULTS_H

#include <cammino_lab/run.h>

G_BEGIN_DECLS

/** A leg as a trial has driven it; one that is repeated is there each time. */
typedef struct lab_trial_leg {
    uint8_t leg;     /**< in the route, from 0 */
    uint8_t outcome; /**< cmo_outcome */
    bool tells;      /**< it has counted lines by their surface: so many of each, */
    uint8_t tally[CMO_SURFACES_MAX + 1]; /**< by its number, and at 0 of none that is known */
    uint64_t robot, truth;               /**< bit n: figure n is known */
    const float *value; /**< the robot's, by figure, and the true ones after them */
} lab_trial_leg;

/** A figure of it. False: not known. */
bool lab_trial_figure(const lab_trial_leg *leg, cmo_figure figure, bool truth, double *value);

typedef struct lab_trial {
    uint64_t seed;
    cmo_outcome outcome; /**< done, or that of the leg that ended the run */
    bool uncalibrated;   /**< it was to be calibrated first, and that failed in part */
    unsigned legs;
    lab_trial_leg *leg;
} lab_trial;

/** Is given a trial; it is gone after the call. */
typedef void (*lab_take)(void *context, const lab_trial *trial);

typedef struct lab_results_leg {
    cmo_routine_id routine;
    char *name;        /**< the route's; NULL: none */
    cmo_figure judged; /**< what it is to get right; CMO_FIGURES: there is no figure of that */
} lab_results_leg;

typedef struct lab_results {
    char *route, *robot, *mat; /**< as they were called; the robot by its name */
    unsigned legs;
    lab_results_leg *leg;
    char *surface[CMO_SURFACES_MAX + 1]; /**< names of the route's, by number; NULL: none */
    unsigned asked;                      /**< for so many trials */
    uint64_t *seeds;                     /**< theirs, ascending; NULL: not known */
    uint64_t first;                      /**< the first one of all that they are a part of, */
    unsigned of_all;                     /**< and how many those are */
    GArray *trials;                      /**< of lab_trial, by their seeds */
    unsigned diverged;     /**< trials whose simulated robot ran away: nothing of it is true */
    unsigned undrawn;      /**< of a fleet: seeds whose draws did not go together */
    uint64_t undrawn_seed; /**< one of them */
    bool calibrated;       /**< each robot was to find out what it is first */
    bool of_trace;         /**< a trace: no truth, and not how it ended */
    lab_take take;         /**< where it is set, trials are handed over to it, in the order of their
                                seeds; those that are driven are not kept here */
    void *taker;           /**< its context */
    unsigned taken;        /**< so many driven ones, */
    guint handed;          /**< and so many of those that were there */
    int file;              /**< that trials are added to; -1: none */
    char *path;            /**< its name */
} lab_results;

/** Most trials at once. */
#define LAB_TRIALS_MAX 1000000U

/** A part of the trials: every `of`th from that number on, from 1. */
typedef struct lab_part {
    unsigned number, of;
} lab_part;

/** No trial yet of those that are asked for, which are a part of so many: the first of those has
 * that seed, each one the next. */
lab_results *lab_results_new(const lab_route *route, uint64_t seed, unsigned trials, lab_part part);
void lab_results_free(lab_results *results);

/**
 * Keeps trials in a file: takes those that it has already, and those that are driven from here on
 * are added, in the order of their seeds. A file that is cut off in its last line is mended. Two of
 * its trials are driven again, for results of another route, robot, mat, calibration or version are
 * refused. False on error; the file is as it was.
 */
bool lab_results_keep(lab_results *results, const lab_route *route, const char *path,
                      GError **error);

/** Reads such a file, or the document of lab_run_json() as one trial. NULL on error. */
lab_results *lab_results_load(const char *path, GError **error);
lab_results *lab_results_from_bytes(const char *name, const char *bytes, size_t size,
                                    GError **error);

/** Called now and then while trials run, from the calling thread; false: no more of them are begun.
 */
typedef bool (*lab_progress)(void *context, unsigned done, unsigned trials);

/**
 * Drives those that are not there yet, on so many threads; 0: as many as there are processors. What
 * comes of a trial does not depend on that. False: they cannot be kept, by `error`.
 */
bool lab_results_drive(lab_results *results, const lab_route *route, unsigned threads,
                       lab_progress progress, void *context, GError **error);

/** How a series is driven: of which route, how often. */
typedef struct lab_series_call {
    const char *route, *robot;     /**< files; robot NULL: the route's */
    const lab_change *changes;     /**< NULL: none */
    const char *const *calibrated; /**< as in lab_route_calibrate() */
    unsigned trials;
    uint64_t seed;
    unsigned threads;
    lab_progress progress; /**< NULL: none */
    void *context;
    lab_route **like; /**< a route whose mat and region it takes over where they are the same; where
                           there is none yet, its own is left there. NULL: of no use */
} lab_series_call;

/** Loads the route with its changes, checks it and drives it. NULL: it is refused, by `error`. */
lab_results *lab_results_of(const lab_series_call *call, GError **error);

/** How many trials came to something true, kept or handed over. */
unsigned lab_results_count(const lab_results *results);

/** Whether all were driven that are asked for, but for those that ran away or were not drawn; else
 * it was stopped. */
bool lab_results_ended(const lab_results *results);

/** One trial's run, with a trace or without: another robot out of the plant's spread, and start and
 * conditions drawn evenly from the route's spread. NULL: its robot cannot be drawn. */
lab_run *lab_drive_trial(const lab_route *route, uint64_t seed, bool traces);

G_END_DECLS

#endif
