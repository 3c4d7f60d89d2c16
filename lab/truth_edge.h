// SPDX-License-Identifier: GPL-3.0-or-later
#ifndef LAB_TRUTH_EDGE_H
#define LAB_TRUTH_EDGE_H

#include <cammino_lab/run.h>

// The true distances of the spot from the edge that is followed, by the leg as it was begun; turns
// done into wrong_line where it ended on another edge.
void labi_edge_truth(const lab_route *route, const cmo_sim *sim, lab_leg_result *result,
                     const cmo_follow_edge_parameters *p);

#endif
