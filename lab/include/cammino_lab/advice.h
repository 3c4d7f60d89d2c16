// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file advice.h
 * Which one change would help most: each is tried on the same trials, and what helps most there on
 * others.
 */
#ifndef CAMMINO_LAB_ADVICE_H
#define CAMMINO_LAB_ADVICE_H

#include <cammino_lab/compare.h>
#include <cammino_lab/limits.h>

G_BEGIN_DECLS

#define LAB_ADVICE_CHANGES 4U /**< numbers that one change is of, at most */
#define LAB_ADVICE_MOST    64U
#define LAB_ADVICE_TOLD    3U  /**< that are told, at most */
#define LAB_ADVICE_LEAST   0.1 /**< less of a gain is none to speak of */

/** What was tried, and what came of it: of those that are told on other trials than those they were
 *  chosen by. What comes out best of many has had luck, too, and would promise too much. */
typedef struct lab_advice_tried {
    char *text; /**< what is to be done: "legs[1]....cruise_mm_s 315 instead of 450" */
    unsigned changes;
    char *field[LAB_ADVICE_CHANGES];
    double value[LAB_ADVICE_CHANGES];
    const char *word[LAB_ADVICE_CHANGES]; /**< in the place of the number; NULL: none */
    bool sets_right; /**< what is not as described, or as it should be: counts twice */
    double gain; /**< what ranks it: shares of each leg's error and of the run's time that it takes
                    away, and ten times the share of runs that complete more; 0: nothing that is
                    more than chance. An error of less than half a millimetre or degree counts by as
                    much less. */
    unsigned kept; /**< limits that are kept with it, on the trials of the results; of those that
                      are asked for */
    lab_comparison *comparison; /**< with what is, second; NULL: the route refuses it */
} lab_advice_tried;

typedef struct lab_advice {
    unsigned trials; /**< that each was tried on */
    unsigned others; /**< and that those which are told were tried on again */
    unsigned count;
    unsigned told; /**< so many, the first ones, are worth a word: by their gain on other trials, or
                      by limits that are kept with them only */
    lab_advice_tried tried[LAB_ADVICE_MOST]; /**< the one that helps most first */
    bool stopped;                            /**< by its progress */
} lab_advice;

/**
 * Tries changes that somebody with experience would think of: lines met slower, looked for later,
 * braked for more gently; where trials do not find theirs, looked for sooner, further, narrower, at
 * more of a slant, or of the other tone; and where the simulated robot is not as it is described,
 * or not as it should be, that put right. The route was loaded and driven `as` that says, and came
 * to `results`. Those that help most there are driven again, with the seeds that follow. `limits`:
 * what keeps more of them comes first; NULL: there are none.
 */
lab_advice *lab_advise(const lab_route *route, const lab_series_call *as,
                       const lab_results *results, const lab_limits *limits);
void lab_advice_free(lab_advice *advice);

/** Of a difference, by how much less the error is as a share; NAN: that is no more than chance, or
 * it is no error. */
double lab_advice_gain(const lab_results *results, const lab_difference *difference);

/** What a difference adds to the gain that ranks a change. */
double lab_advice_rank(const lab_results *results, const lab_difference *difference);

G_END_DECLS

#endif
