// SPDX-License-Identifier: MIT
// Drives along a course: straight on, or swaying evenly to both sides of a heading.
#ifndef CMI_COURSE_H
#define CMI_COURSE_H

#include <cammino/stay_inside.h>

// Swaying, tyres turn as hard as they brake: this share of the braking limit is left for braking.
#define CMI_SWAY_BRAKING 0.6F

// Sets out from here on a heading, with the speed that the robot has.
void cmi_course_start(cmo_course *course, const cmo_robot *robot, float heading_rad);

// One tick: towards a speed within the limits, along the course, or back on it at a speed below 0.
// Sets both wheels' commands.
void cmi_course_follow(cmo_course *course, cmo_robot *robot, float speed_mm_s,
                       float acceleration_mm_s2, float braking_mm_s2);

// Way gone along the course.
float cmi_course_way(const cmo_course *course, const cmo_robot *robot);

#endif
