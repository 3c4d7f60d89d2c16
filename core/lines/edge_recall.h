// SPDX-License-Identifier: MIT
// The line that was met last, where that may be the one to follow: after a stop and a turn it lies
// beside the robot, and odometry tells on which side.
#ifndef CMI_EDGE_RECALL_H
#define CMI_EDGE_RECALL_H

#include <cammino/follow_edge.h>

// Where the edge lies by that.
typedef struct cmi_recalled {
    float off_mm;    // of the spot from the edge, to the left
    float angle_rad; // of the robot against it
} cmi_recalled;

#if CMO_LAST_LINE

// False: it knows of none that it could mean, or has come to where that should have been.
bool cmi_edge_recall(const cmo_robot *robot, cmo_follow_edge_state *state, cmi_recalled *edge);

#else // none is remembered

static inline bool cmi_edge_recall(const cmo_robot *robot, cmo_follow_edge_state *state,
                                   cmi_recalled *edge) {
    (void)robot, (void)state, (void)edge;
    return false;
}

#endif

#endif
