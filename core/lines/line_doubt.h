// SPDX-License-Identifier: MIT
// What wheels that slide leave in doubt: how wide it is that a sensor has crossed.
#ifndef CMI_LINE_DOUBT_H
#define CMI_LINE_DOUBT_H

#include <cammino/line_search.h>

// When it was seen to cross, by its looks alone: of wheels that slide the way tells no time.
uint32_t cmi_line_seen_us(const cmo_robot *robot, uint8_t sensor, const cmo_crossing *crossing);

// A sensor leaves its candidate by this crossing. By so much more than its wheels show has it come
// over it since a halt that it does not come back from, if its tyres slide; 0 with another rest.
float cmi_line_slid_mm(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                       const cmo_crossing *crossing);

// The same with a rest, which comes back and looks again: it may have gone on further than they
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
