// SPDX-License-Identifier: MIT
// What four passes over two lines say of the robot.
#ifndef CMI_GEOMETRY_H
#define CMI_GEOMETRY_H

#include <cammino/measure_geometry.h>

#define CMI_PASSES 4U
// Of a cmo_geometry, which is made of nothing else.
#define CMI_GEOMETRY_NUMBERS ((uint8_t)(sizeof(cmo_geometry) / sizeof(float)))

// Heading against the lines' normal, radians, at the end of a pass of this way, by what the
// description says of the sensors' places.
float cmi_geometry_heading(const cmo_robot_description *description,
                           const cmo_line_meeting meeting[2], float way_mm);

// One small step of taking a round's meetings into the mean of all rounds so far. True: that is
// done.
bool cmi_geometry_solve(const cmo_robot_description *description,
                        cmo_measure_geometry_state *state);

#endif
