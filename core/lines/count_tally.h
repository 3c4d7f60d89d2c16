// SPDX-License-Identifier: MIT
// The lines of a count: which one it is, and what is kept of it.
#ifndef CMI_COUNT_TALLY_H
#define CMI_COUNT_TALLY_H

#include "line_votes.h"

// What a wheel's stated way and the mat's own measures may be wrong by, of the way between two
// lines.
#define CMI_COUNT_SPACING_SHARE 0.04F

// Of the way along which lines are met, how much lies across them.
float cmi_count_across_share(const cmo_robot *robot, const cmo_count_lines_state *state);

// How far the middle of the watched sensors is ahead of the axle.
float cmi_count_ahead_mm(const cmo_robot *robot, const cmo_count_lines_state *state);

// Whether lines before have told at what angle the next one is met.
bool cmi_count_is_sure(const cmo_count_lines_state *state);

// Lines that are counted at most.
#define CMI_COUNT_MOST 250U

// Whether it is known where lines lie; and how far behind the first one, NAN: not of this one.
bool cmi_count_knows_places(const cmo_count_lines_state *state);
float cmi_count_way_mm(const cmo_count_lines_state *state, uint8_t number);

// Which one it is by where it lies: how many on from the last, 0: none lies there. `open`: the
// share of all places at which something else would fit as well.
uint8_t cmi_count_steps_to(const cmo_robot *robot, const cmo_count_lines_state *state, float at_mm,
                           float *open);

// From here on the way and, unless one is stated for all, the time to the next line count anew.
void cmi_count_anew(cmo_robot *robot, cmo_count_lines_state *state);

// A line more, so many on from the last, whose marks are the search's candidates; something else
// would have fitted at the share `open` of all places.
void cmi_count_line(cmo_robot *robot, cmo_count_lines_state *state, const cmi_vote *vote,
                    uint8_t steps, float open);

#endif
