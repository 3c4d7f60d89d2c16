// SPDX-License-Identifier: MIT
// What wheels that slide leave in doubt: how wide it is that a sensor has crossed.
#ifndef CMI_LINE_DOUBT_H
#define CMI_LINE_DOUBT_H

#include <cammino/line_search.h>

// When it was seen to cross, by its looks alone: of wheels that slide the way tells no time.
uint32_t cmi_line_seen_us(const cmo_robot *robot, uint8_t sensor, const cmo_crossing *crossing);

// By so much more than its wheels show the robot has come at a crossing since a halt that it does
// not come back from, if its tyres slide; 0 with another rest.
float cmi_line_slid_mm(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                       const cmo_crossing *crossing);

// It leaves its candidate: by so much of that it has slid on it.
void cmi_line_slide_on(const cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                       const cmo_crossing *crossing);

// With a rest, which comes back and looks again: a sensor leaves its candidate by this crossing,
// and may have gone on further over it than its wheels show.
bool cmi_line_may_be_wider(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                           const cmo_crossing *crossing);

// The same, and between its edges it has braked from speed: they may lie so much further apart that
// the centre is another.
bool cmi_line_braked_on(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                        const cmo_crossing *crossing);

// It has met what its wheels measured too narrow for a line, and may have slid meanwhile.
bool cmi_line_doubts(const cmo_line_state *state);

#endif
