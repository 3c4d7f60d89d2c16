// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file compare.h
 * Two results: by how much their figures differ, and whether that is more than chance.
 */
#ifndef CAMMINO_LAB_COMPARE_H
#define CAMMINO_LAB_COMPARE_H

#include <cammino_lab/limits.h>

G_BEGIN_DECLS

/** The chance of finding a difference in any figure where there is none. */
#define LAB_COMPARE_CHANCE 0.05

/**
 * One figure in both. Magnitudes are compared, so that an error to either side is an error; of a
 * leg that is repeated, their mean in each trial. Of a run that was not completed nothing is but
 * that.
 */
typedef struct lab_difference {
    unsigned leg;       /**< from 0; LAB_RUN: of the whole run */
    unsigned figure;    /**< cmo_figure, or LAB_COMPLETED, which is a share */
    bool truth;         /**< false: nobody but the robot has it */
    unsigned trials[2]; /**< that have it; pairs: both the same */
    double median[2];   /**< of completed: the share */
    double shift;       /**< by how much the second is more: of all pairs of a trial of either the
                             median difference (Hodges and Lehmann); of pairs with one seed, of all
                             means of two of their differences */
    double low, high;   /**< it lies between, with a confidence of 95 %, each by itself */
    double chance;      /**< of a difference as large, were there none; corrected for the number of
                             figures by Holm */
    bool differs;       /**< that is less than LAB_COMPARE_CHANCE */
    double needed;      /**< so many trials of each would tell a tenth of the first's median, four
                             times in five; NAN: that cannot be said */
} lab_difference;

#define LAB_RUN UINT_MAX

typedef struct lab_comparison {
    bool paired;         /**< they have seeds in common, and of those trials it is */
    unsigned pairs;      /**< how many */
    unsigned legs;       /**< whose routine is the same in both */
    unsigned differ;     /**< figures that do */
    GArray *differences; /**< of lab_difference */
} lab_comparison;

/** `all`: every figure; else the run's, and of each leg its time and what it is judged by. */
lab_comparison *lab_compare(const lab_results *first, const lab_results *second, bool all);
void lab_comparison_free(lab_comparison *comparison);

G_END_DECLS

#endif
