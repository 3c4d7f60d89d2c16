// SPDX-License-Identifier: MIT
// Sets the pose against a line whose true place is known.
#ifndef CMI_STATED_H
#define CMI_STATED_H

#include <cammino/stated_line.h>

// The heading of a robot that stands square to it, with the whole turns that the pose has.
float cmi_square_rad(const cmo_robot *robot, const cmo_stated_line *line);

// The axle is so far beyond the line's near edge; the place along it stays odometry's.
void cmi_stand_beyond(cmo_robot *robot, const cmo_stated_line *line, float square_rad,
                      float beyond_mm);

#endif
