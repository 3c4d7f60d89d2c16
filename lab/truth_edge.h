// SPDX-License-Identifier: GPL-3.0-or-later
#ifndef LAB_TRUTH_EDGE_H
#define LAB_TRUTH_EDGE_H

#include <cammino_lab/run.h>

// The true distances of the spot from the edge that is followed, by the leg as it was begun; turns
// done into wrong_line where it ended on another edge.
void labi_edge_truth(const lab_route *route, const cmo_sim *sim, lab_leg_result *result,
                     const cmo_follow_edge_parameters *p);

// The edge beside the spot, as it truly is at a time; not `there`: there is none beside it.
lab_edge_beside labi_edge_beside(const lab_route *route, const cmo_sim *sim,
                                 const cmo_sim_truth *at, const cmo_follow_edge_parameters *p);

// Wobble, from its mean square, and how often it swings, from swings in a time.
void labi_put_swings(lab_figures *figures, double squares_rad2, unsigned swings, double followed_s);

// Mean speed, from the way and time that stand there.
void labi_put_mean_speed(lab_figures *figures);

#endif
