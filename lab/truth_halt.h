// SPDX-License-Identifier: GPL-3.0-or-later
#ifndef LAB_TRUTH_HALT_H
#define LAB_TRUTH_HALT_H

#include <cammino_lab/run.h>

// Fills in result->halt, from the target that was crossed and the true reaction to the standstill;
// by records from the leg's start to its end.
void labi_halt_truth(const lab_route *route, const cmo_sim_truth *all, size_t count,
                     lab_leg_result *result, double still_ms);

#endif
