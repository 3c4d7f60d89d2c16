// SPDX-License-Identifier: GPL-3.0-or-later
// The lines that a leg has truly driven over, each once.
#ifndef LAB_TRUTH_COUNT_H
#define LAB_TRUTH_COUNT_H

#include <cammino_lab/run.h>

// Fills in the truth of a leg that counts: how many lines, the one that it should have ended on
// (result->target), and of each that the robot has counted where and how wide it truly is. It ended
// on one that it crossed then, by the simulator's clock; INFINITY: on none.
void labi_count_truth(const lab_route *route, const cmo_sim *sim, lab_leg_result *result,
                      const cmo_count_lines_parameters *p, double ended_ms);

#endif
