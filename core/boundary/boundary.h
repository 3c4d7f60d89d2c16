// SPDX-License-Identifier: MIT
// What counts as the boundary that a robot stays inside of.
#ifndef CMI_BOUNDARY_H
#define CMI_BOUNDARY_H

#include <cammino/stay_inside.h>

// Looks for crossings of it from now on. `floor`: what the floor reads, 1 or 0 by the levels.
void cmi_boundary_watch(cmo_robot *robot, const cmo_stay_inside_parameters *p, float floor);

// Before it moves it stands on the floor, as a rule: one that is a little darker here than where
// the levels were taken is the floor all the same. False: it has ended, for that is neither the
// floor of the levels nor their boundary.
bool cmi_boundary_know_floor(cmo_robot *robot, const cmo_stay_inside_parameters *p);

#endif
