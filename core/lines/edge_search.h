// SPDX-License-Identifier: MIT
// The search for an edge that is to be followed.
#ifndef CMI_EDGE_SEARCH_H
#define CMI_EDGE_SEARCH_H

#include <cammino/follow_edge.h>

// What has been found crosses an edge at about this angle.
#define CMI_ENTRY_RAD 0.4F

// It has left the line over the other edge: its own lies behind, beyond the line.
void cmi_edge_beyond(cmo_follow_edge_state *state);

// It comes to the line from beyond it, and about so steeply; 0: nothing tells that.
float cmi_edge_from_beyond_rad(const cmo_robot *robot, const cmo_follow_edge_state *state);

// Begins it anew.
void cmi_edge_search_start(cmo_robot *robot, cmo_follow_edge_state *state);

// What has lost the edge as it joined, may have taken the wrong one for it, or have gone over it:
// once it looks to the other side than it has turned to. False: it has done so, or has followed.
bool cmi_edge_search_anew(cmo_robot *robot, cmo_follow_edge_state *state);

// In the rest of its way of search it looks to the other side than that of its own edge.
bool cmi_edge_looks_back(const cmo_robot *robot, const cmo_follow_edge_state *state);

// One tick of it, while it drives straight on: a look of that sensor sees an edge, or one lies
// behind it.
void cmi_edge_search(cmo_robot *robot, cmo_follow_edge_state *state, uint8_t sensor);

// The same with both.
void cmi_edge_search_both(cmo_robot *robot, cmo_follow_edge_state *state);

#endif
