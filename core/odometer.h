// SPDX-License-Identifier: MIT
// Odometry: wheels to pose, and where the wheels were a moment ago.
#ifndef CMO_ODOMETER_H
#define CMO_ODOMETER_H

#include <cammino/robot.h>

// Takes encoder counts. False: they jumped further than the robot can move in dt_us; the way is
// lost, and counts go on from there.
bool cmo_odometer_counts(cmo_odometer *odometer, const cmo_robot_description *description,
                         const cmo_sample *sample, uint32_t dt_us);

// Takes the ways that the wheels are thought to have gone, for robots without encoders.
void cmo_odometer_estimate(cmo_odometer *odometer, const cmo_robot_description *description,
                           const cmo_sample *sample, float left_mm, float right_mm,
                           uint32_t time_us);

// Says which way the robot heads.
void cmo_odometer_set_heading(cmo_odometer *odometer, const cmo_robot_description *description,
                              float heading_rad);

// Puts the observed places of the wheels, finer than a count, into the newest moment.
void cmo_odometer_refine(cmo_odometer *odometer, const cmo_robot_description *description,
                         float left_mm, float right_mm);

// The wheels at a time in the recent past, by a straight line between remembered moments.
cmo_moment cmo_odometer_at(const cmo_odometer *odometer, uint32_t time_us);

// The way of a light sensor along its own path, by the wheels.
float cmo_sensor_way(const cmo_robot_description *description, uint8_t sensor, float left_mm,
                     float right_mm);

#endif
