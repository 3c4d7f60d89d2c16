// SPDX-License-Identifier: GPL-3.0-or-later
// The truth column: figures of a leg from the noiseless world alone.
#ifndef LAB_TRUTH_H
#define LAB_TRUTH_H

#include <cammino_lab/run.h>

// Fills in result->truth and result->target from what the simulator recorded between the leg's
// start and end; turns done into wrong_line where the robot ended on another line.
void labi_truth(const lab_route *route, const cmo_sim *sim, lab_leg_result *result,
                const lab_leg *leg);

// Index of the first record at or after a time.
size_t labi_first_at(const cmo_sim_truth *all, size_t count, double time_ms);

// The way at a time, between two records.
double labi_way_at(const cmo_sim_truth *all, size_t count, double time_ms);

void labi_put(lab_figures *figures, cmo_figure figure, double value);

#endif
