// SPDX-License-Identifier: MIT
// What crossings say of the boundary that was met, and how to turn away from it.
#ifndef CMI_MET_H
#define CMI_MET_H

#include <cammino/stay_inside.h>

// Into -pi..pi.
float cmi_wrap(float angle_rad);

// Whether a turn by so much, from one direction, comes past another.
bool cmi_turns_past(float from_rad, float turn_rad, float direction_rad);

// How far a place is from a line through (x, y), before it as its normal goes.
float cmi_clear_mm(float x_mm, float y_mm, float normal_rad, const cmo_pose *place);

// Takes a crossing of a sensor; the first one begins a new boundary.
void cmi_met_add(cmo_met_boundary *boundary, const cmo_robot *robot, uint8_t sensor,
                 uint32_t time_us);

// How much further along its heading the first sensor met the boundary than it leaves it now,
// backing off, by odometry: tyres that slid since then have taken the robot on by as much unseen.
float cmi_met_leave(const cmo_met_boundary *boundary, const cmo_robot *robot, uint32_t time_us);

// The robot has slid: the boundary lies nearer than odometry has it.
void cmi_met_shift(cmo_met_boundary *boundary, const cmo_robot *robot, float slid_mm);

// A sensor has crossed it, either way, since the robot stood.
void cmi_met_note(cmo_met_boundary *boundary, const cmo_robot *robot, uint8_t sensor,
                  uint32_t time_us);

// Finds the normal: measured where both sensors have crossed, since it stands if they have, else
// guessed from how far the robot has gone since, without the other one crossing too.
void cmi_met_solve(cmo_met_boundary *boundary, const cmo_robot *robot);

// Distance to it at least, where two places on it are near to each other; 0: nothing tells.
float cmi_met_roughly(const cmo_met_boundary *boundary, const cmo_robot *robot);

// Goes by where both sensors have crossed it since the robot stood; returns by how much the tyres
// had slid since the first crossing, as far as those places tell. False: they make no boundary, and
// nothing has changed.
bool cmi_met_anew(cmo_met_boundary *boundary, const cmo_robot *robot, float *slid_mm);

// How far a spot stands beyond the boundary now.
float cmi_met_beyond(const cmo_met_boundary *boundary, const cmo_robot *robot, uint8_t sensor);

// Whether a spot that crosses now does so on the boundary that is known already.
bool cmi_met_explains(const cmo_met_boundary *boundary, const cmo_robot *robot, uint8_t sensor);

// Way since the first crossing; at least 0.
float cmi_met_gone_mm(const cmo_met_boundary *boundary, const cmo_robot *robot);

// Distance of a place to the boundary, along its normal.
float cmi_met_clearance(const cmo_met_boundary *boundary, const cmo_pose *place);

// Way to back off until the robot can turn from its heading to `heading_rad`, and swing a little
// beyond, with all contacts inside by a margin. Unless it is convex, a corner of 90 degrees may
// poke in between the places where it was crossed, by up to half the way between them (Thales).
float cmi_met_back(const cmo_met_boundary *boundary, const cmo_robot *robot, bool convex,
                   float heading_rad, float swings_rad, float margin_mm);

#endif
