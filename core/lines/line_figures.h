// SPDX-License-Identifier: MIT
// The figures of a line that was met.
#ifndef CMI_LINE_FIGURES_H
#define CMI_LINE_FIGURES_H

#include <cammino/line_search.h>

// The angle to the perpendicular of a line that the left sensor has met by so much further on, when
// the wheels had turned the robot by `turn_rad` since they were started.
float cmi_line_entry_rad(const cmo_robot *robot, float later_mm, float turn_rad);

// Writes the figures of the looks.
void cmi_line_write_looks(cmo_robot *robot, const cmo_line_state *state);

// The same, the crossing speed, and the time to settle.
void cmi_line_write_settling(cmo_robot *robot, const cmo_line_state *state);

// How far beyond its rest a robot stands whose sensors are so far beyond the near edge by its
// encoders.
typedef float (*cmi_off_rest)(const cmo_robot *robot, const cmo_line_state *state, float beyond_mm);

// Writes the figures of the crossing, and of the rest if the robot stands; then ends with done.
// Without a rest of its own, figures count from the near edge.
void cmi_line_finish(cmo_robot *robot, cmo_line_state *state, cmi_off_rest off_rest);

#endif
