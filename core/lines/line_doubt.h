// SPDX-License-Identifier: MIT
// What wheels that slide leave in doubt: how wide it is that a sensor has crossed.
#ifndef CMI_LINE_DOUBT_H
#define CMI_LINE_DOUBT_H

#include <cammino/line_search.h>

// A sensor leaves its candidate by this crossing, and may have gone on further than its wheels
// show.
bool cmi_line_may_be_wider(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                           const cmo_crossing *crossing);

// The same, and between its edges it has braked from speed: they may lie so much further apart that
// the centre is another.
bool cmi_line_braked_on(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                        const cmo_crossing *crossing);

// It has met what its wheels measured too narrow for a line, and may have slid meanwhile.
bool cmi_line_doubts(const cmo_line_state *state);

#endif
