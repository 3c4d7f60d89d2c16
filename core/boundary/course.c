// SPDX-License-Identifier: MIT
#include "course.h"

#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/lead.h"

#include <math.h>

void cmi_course_start(cmo_course *course, const cmo_robot *robot, float heading_rad) {
    float speed = cmo_speed_mm_s(robot);
    course->heading_rad = heading_rad;
    course->start_mm = cmo_way_mm(robot);
    course->speed_mm_s = speed > robot->description->slowest_mm_s ? speed : 0.0F;
}

float cmi_course_way(const cmo_course *course, const cmo_robot *robot) {
    return cmo_way_mm(robot) - course->start_mm;
}

// Heading of the course where the robot is on it.
static float course_heading(const cmo_course *course, const cmo_robot *robot) {
    if (!(course->sway_rad > 0.0F)) {
        return course->heading_rad;
    }
    float sine, cosine;
    cmi_sin_cos(2.0F * CMI_PI / course->sway_mm * cmi_course_way(course, robot), &sine, &cosine);
    return course->heading_rad + course->sway_rad * sine;
}

// Heading gain, 1/s: as for places along the way, three lags to take out an error.
static float heading_gain(const cmo_robot_description *description) {
    float lag_s = description->lag_ms * 1e-3F + (float)description->tick_us * 1e-6F;
    return 1.0F / (3.0F * lag_s);
}

// Where wheels have locked, commands change no faster than by so many times what the limits allow
// them, and lead by no more than the wheels have been seen to trail. A regulator with an integral
// answers a jump harder than tyres pass on, and from then on counts tell nothing.
#define LEADS_IN 1.5F

void cmi_course_follow(cmo_course *course, cmo_robot *robot, float speed_mm_s,
                       float acceleration_mm_s2, float braking_mm_s2) {
    const cmo_robot_description *d = robot->description;
    float dt_s = (float)robot->dt_us * 1e-6F;
    float before = course->speed_mm_s;
    float up = before < 0.0F ? braking_mm_s2 : acceleration_mm_s2;
    float down = before > 0.0F ? braking_mm_s2 : acceleration_mm_s2;
    course->speed_mm_s = fmaxf(before - down * dt_s, fminf(speed_mm_s, before + up * dt_s));
    float speed = course->speed_mm_s;
    float change = dt_s > 0.0F ? (speed - before) / dt_s : 0.0F;
    float turn = 0.0F; // per mm
    float turn_change = 0.0F;
    if (course->sway_rad > 0.0F) {
        float per_mm = 2.0F * CMI_PI / course->sway_mm;
        float sine, cosine;
        cmi_sin_cos(per_mm * cmi_course_way(course, robot), &sine, &cosine);
        turn = course->sway_rad * per_mm * cosine;
        turn_change = -course->sway_rad * per_mm * per_mm * sine;
    }
    float heading = course_heading(course, robot);
    // A patrol's budget counts on the whole of it.
    float lag_s = course->softly ? cmi_lead_s(robot) : d->lag_ms * 1e-3F;
    float error = heading - robot->odometer.pose.heading_rad;
    float rate = turn * speed + lag_s * (turn * change + turn_change * speed * speed) +
                 heading_gain(d) * error;
    // Setting out, a regulator with an integral that is led by that much drives faster than it was
    // told to, and the next boundary may be near; a little later at its speed is no harm.
    bool sets_out = speed > 0.0F && change > 0.0F;
    float forward = speed + (sets_out ? 0.0F : lag_s * change);
    if (course->softly) {
        float told = 0.5F * (robot->left.command_mm_s + robot->right.command_mm_s);
        float most = LEADS_IN * fmaxf(acceleration_mm_s2, braking_mm_s2) * dt_s;
        forward = fmaxf(told - most, fminf(forward, told + most));
    }
    float half = 0.5F * rate * d->track_mm;
    // Backing off slowly it may stick, where a push would set it going.
    cmi_drive(robot, cmi_pushed_mm_s(forward - half, robot->stall_us, CMI_STICKS_US),
              cmi_pushed_mm_s(forward + half, robot->stall_us, CMI_STICKS_US));
}
