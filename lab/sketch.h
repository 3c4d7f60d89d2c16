// SPDX-License-Identifier: GPL-3.0-or-later
// What is known of many values of a figure, in room that does not grow with them.
#ifndef LAB_SKETCH_H
#define LAB_SKETCH_H

#include <cammino_lab/series.h>

// Up to so many values all are kept. Of more it is counted how many lie in which bin: quantiles are
// then right within LAB_SKETCH_ERROR of themselves or of one unit, whichever is more.
typedef struct labi_sketch {
    unsigned n;
    float *value;        // NULL: they are in bins
    double mean, moment; // of all, and the sum of squares about it
    double worst;
    int first; // bin of count[0]
    unsigned bins;
    uint32_t *count;
} labi_sketch;

void labi_sketch_add(labi_sketch *sketch, double value);
lab_statistics labi_sketch_sum_up(const labi_sketch *sketch);
void labi_sketch_clear(labi_sketch *sketch);

#endif
