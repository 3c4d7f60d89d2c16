// SPDX-License-Identifier: MIT
// What crossings say of the boundary that was met, and how to turn away from it.
#ifndef CMI_WALL_H
#define CMI_WALL_H

#include <cammino/stay_inside.h>

// Into -pi..pi.
float cmi_wrap(float angle_rad);

// Takes a crossing of a sensor; the first one begins a new wall.
void cmi_wall_meet(cmo_wall *wall, const cmo_robot *robot, uint8_t sensor, uint32_t time_us);

// How much further along its heading the first sensor met the wall than it leaves it now, backing
// off, by odometry: tyres that slid since then have taken the robot on by as much unseen.
float cmi_wall_leave(const cmo_wall *wall, const cmo_robot *robot, uint32_t time_us);

// The robot has slid: the wall lies nearer than odometry has it.
void cmi_wall_shift(cmo_wall *wall, const cmo_robot *robot, float slid_mm);

// Finds the normal: measured where both sensors have crossed, else guessed from how far the robot
// has gone since, without the other one crossing too.
void cmi_wall_solve(cmo_wall *wall, const cmo_robot *robot);

// How far a spot stands beyond the wall now.
float cmi_wall_beyond(const cmo_wall *wall, const cmo_robot *robot, uint8_t sensor);

// Whether a spot that crosses now does so on the wall that is known already.
bool cmi_wall_explains(const cmo_wall *wall, const cmo_robot *robot, uint8_t sensor);

// Distance of the axle's middle to the wall, along its normal. For a guessed wall, at worst.
float cmi_wall_clearance(const cmo_wall *wall, const cmo_robot *robot);

// Way to back off until the robot can turn from its heading to `heading_rad` with all contacts
// inside by a margin. Unless it is convex, a corner of 90 degrees may poke in between the places
// where it was crossed, by up to half the way between them (Thales).
float cmi_wall_back(const cmo_wall *wall, const cmo_robot *robot, bool convex, float heading_rad,
                    float margin_mm);

#endif
