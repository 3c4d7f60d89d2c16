// SPDX-License-Identifier: MIT
// A line that is met again, or looked for again.
#ifndef CMI_LINE_AGAIN_H
#define CMI_LINE_AGAIN_H

#include <cammino/line_search.h>

// What looks and play leave of the place of an edge that is met again, besides half of the spot.
#define CMI_LINE_SLID_MM 2.0F

// Where no edge is left under the sensors at its rest, and what the wheels count to it may be wrong
// because they slid, it first goes to the edge that the rest is about, to the near one where that
// is the centre: at rest that tells where it is. The far edge's place is taken for the centre:
// backward the motors push from the other end of the gear play than where the body will lie.
void cmi_line_via_edge(const cmo_robot *robot, cmo_line_state *state);

// For routines that come to rest, as cmo_line_state's `again`.
void cmi_line_meet_again(cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                         const cmo_crossing *crossing, bool far);

// By its encoders a sensor has gone back onto the line, or over it, and has not met it: it has slid
// further than they know.
bool cmi_line_overdue(const cmo_robot *robot, const cmo_line_state *state);

// Standing where an edge ought to be seen, it sees none: it must have slid. Then it stands where no
// encoder knows, and only on which side.
bool cmi_line_lost(const cmo_robot *robot, const cmo_line_state *state);

// How far, and which way, it is to look for the line again.
float cmi_line_to_search(const cmo_robot *robot, const cmo_line_state *state);

#endif
