// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file limits.h
 * What figures must keep to, and whether they do. docs/formats.md describes the file.
 */
#ifndef CAMMINO_LAB_LIMITS_H
#define CAMMINO_LAB_LIMITS_H

#include <cammino_lab/results.h>

G_BEGIN_DECLS

#define LAB_LIMITS_MAX 200U

/** The figures of a whole run, and of legs besides their own: 1 for done, else 0. */
#define LAB_COMPLETED (CMO_FIGURES + 1U)

typedef struct lab_limit {
    int line;           /**< in the file */
    char *leg;          /**< a number or a name; NULL: the whole run */
    unsigned figure;    /**< cmo_figure, or LAB_COMPLETED */
    bool chosen;        /**< the column is stated; else a trace's is the robot's */
    bool truth;         /**< of the truth's column; false: the robot's */
    double least, most; /**< it must lie between; infinite: no matter */
    double share;       /**< in so many of the trials, */
    double confidence;  /**< of all there could be, by that confidence; 0: of those driven */
} lab_limit;

typedef struct lab_limits {
    char *path;
    unsigned count;
    lab_limit limit[LAB_LIMITS_MAX];
} lab_limits;

/** Reads a limits file. NULL on error. */
lab_limits *lab_limits_load(const char *path, GError **error);
lab_limits *lab_limits_from_bytes(const char *name, const char *bytes, size_t size, GError **error);
void lab_limits_free(lab_limits *limits);

/** "leg 1 rest_error_mm", and "at most 2 in 95 % of trials"; to be freed with g_free(). */
char *lab_limit_of(const lab_limit *limit);
char *lab_limit_text(const lab_limit *limit);

/** What became of a limit. */
typedef struct lab_verdict {
    bool pass;
    unsigned trials;  /**< that were asked, */
    unsigned keep;    /**< and so many kept to it; */
    unsigned without; /**< so many had no such figure, and so did not */
    double low, high; /**< the share of all there could be that do, with a confidence of 95 % */
    double surely;    /**< and at least this one, by the limit's confidence; NAN: it has none */
    double value;     /**< the worst figure in the share of trials that are best; NAN: none */
    double margin;    /**< from there to the limit; negative: beyond it. NAN: none */
} lab_verdict;

/** False: the limit is of a leg that the results have not, by `error`. */
bool lab_judge(const lab_limits *limits, unsigned number, const lab_results *results,
               lab_verdict *verdict, GError **error);

/** Clopper and Pearson's interval: of the shares with which k or fewer, and k or more, of n come
 * about by chance in half of 1 - confidence. */
void lab_share_interval(unsigned k, unsigned n, double confidence, double *low, double *high);

G_END_DECLS

#endif
