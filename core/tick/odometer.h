// SPDX-License-Identifier: MIT
// Odometry: wheels to pose, and where the wheels were a moment ago.
#ifndef CMI_ODOMETER_H
#define CMI_ODOMETER_H

#include "wheel.h"

// Takes encoder counts: what each wheel has counted since the last ones. False: they jumped further
// than the robot can move in dt_us; the way is lost, and counts go on from there.
bool cmi_odometer_counts(cmo_odometer *odometer, const cmo_robot_description *description,
                         const cmo_sample *sample, uint32_t dt_us, cmi_counted counted[2]);

// Takes the ways that the wheels are thought to have gone.
void cmi_odometer_go(cmo_odometer *odometer, const cmo_robot_description *description,
                     const cmo_sample *sample, float left_mm, float right_mm, uint32_t time_us);

// Wheels that stand may be anywhere within their counts, whatever the model says of how they rolled
// out: takes them to be in the middle.
void cmi_recentre_wheels(cmo_robot *robot);

// Says which way the robot heads.
void cmi_odometer_set_heading(cmo_odometer *odometer, const cmo_robot_description *description,
                              float heading_rad);

// The wheels at a time in the recent past, by a straight line between remembered moments.
cmo_moment cmi_odometer_at(const cmo_odometer *odometer, uint32_t time_us);

// The way of a light sensor along its own path, by the wheels.
float cmi_sensor_way(const cmo_robot_description *description, uint8_t sensor, float left_mm,
                     float right_mm);

#endif
