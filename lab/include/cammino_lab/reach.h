// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file reach.h
 * How far a number of a route or robot may go while limits are kept.
 */
#ifndef CAMMINO_LAB_REACH_H
#define CAMMINO_LAB_REACH_H

#include <cammino_lab/limits.h>

G_BEGIN_DECLS

/** What is asked. A series with the same seeds is driven at one value after the other, each halving
 *  what is left between one that is good and one that is not. */
typedef struct lab_reach_asked {
    lab_series_call series; /**< at each value; without changes of its own */
    const char *field;      /**< as in lab_change */
    double from, to;        /**< from where it is good to where it may not be, up or down */
    double within;          /**< as fine as this */
} lab_reach_asked;

/** Most values at which a series is driven. */
#define LAB_REACH_MAX 64U

/** A value that was tried. */
typedef struct lab_reach_tried {
    double value;
    bool keeps;        /**< all limits are kept there, */
    bool surely;       /**< by so many trials more that it is no chance (97.5 %), */
    bool surely_not;   /**< or one is missed as surely. Refused by the route, it is that too */
    bool refused;      /**< it was, or its robot ran away: there is nothing of the following */
    unsigned tightest; /**< the limit that is kept by the least, or missed by the most: */
    double share, low, high; /**< in what share of trials it is kept, and of all there could be */
} lab_reach_tried;

typedef struct lab_reach {
    bool none;         /**< the limits are not even kept where it begins */
    bool all;          /**< they are even at the end */
    double value;      /**< the last value at which they are, to the good side */
    double surely;     /**< the last at which they surely are; NAN: nowhere */
    double surely_not; /**< the first at which they surely are not; NAN: nowhere */
    unsigned tried;
    lab_reach_tried at[LAB_REACH_MAX]; /**< in the order from begin to end */
    char *refused;     /**< what the route says of a value; NULL: none was refused */
    double refused_at; /**< the nearest such */
    bool stopped;      /**< by its progress: only what was tried is true */
} lab_reach;

/** NULL: the call makes no sense, by `error`. */
lab_reach *lab_reach_find(const lab_reach_asked *asked, const lab_limits *limits, GError **error);
void lab_reach_free(lab_reach *reach);

G_END_DECLS

#endif
