// SPDX-License-Identifier: GPL-3.0-or-later
// What results share with the files that they are kept in.
#ifndef LAB_RESULTS_FILE_H
#define LAB_RESULTS_FILE_H

#include <cammino_lab/results.h>

// Figures are given to a thousandth of their unit: finer would be noise.
double labi_rounded(double value);

// A leg before its values are put away; of `leg` they are still missing.
typedef struct labi_leg_staged {
    lab_trial_leg leg;
    lab_figures robot, truth;
} labi_leg_staged;

void labi_trial_make(lab_trial *trial, const labi_leg_staged *staged, unsigned legs);

// False: its robot cannot be drawn.
bool labi_trial_drive(const lab_route *route, uint64_t seed, lab_trial *trial, bool *diverged);

// Whether they are the same trial, with the same figures.
bool labi_trials_same(const lab_trial *a, const lab_trial *b);

#define LABI_RESULTS_MAX ((size_t)2048 << 20)

lab_results *labi_results_empty(unsigned legs);
void labi_results_sort(lab_results *results);

// A trial's line, and such lines added to the file.
void labi_results_put(GString *lines, const lab_trial *trial);
bool labi_results_write(const lab_results *results, const GString *lines, GError **error);

#endif
