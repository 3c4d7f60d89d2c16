// SPDX-License-Identifier: MIT
#include "wall.h"

#include "../shared/description.h"
#include "../shared/trig.h"
#include "../tick/odometer.h"
#include "contacts.h"

#include <math.h>

// Two places on a boundary must be as far apart as this to tell its direction.
#define SHORTEST_MM 28.0F
// A boundary may bend towards the robot by this much of the way along it.
#define BEND 0.15F
// Entry angles that a guess reckons with, at most.
#define STEEPEST_RAD 1.4F

float cmi_wrap(float angle_rad) {
    return angle_rad - 2.0F * CMI_PI * floorf(angle_rad / (2.0F * CMI_PI) + 0.5F);
}

static void spot_of(const cmo_robot *robot, const cmo_pose *pose, uint8_t sensor, float *x_mm,
                    float *y_mm) {
    const cmo_light_description *light = &robot->description->light[sensor];
    float sine, cosine;
    cmi_sin_cos(pose->heading_rad, &sine, &cosine);
    *x_mm = pose->x_mm + light->ahead_mm * cosine - light->left_mm * sine;
    *y_mm = pose->y_mm + light->ahead_mm * sine + light->left_mm * cosine;
}

// The pose a moment ago, back along the arc that the wheels have gone since: from where the wheels
// are thought to be, finer than a count.
static cmo_pose pose_at(const cmo_robot *robot, uint32_t time_us) {
    const cmo_odometer *odometer = &robot->odometer;
    cmo_moment then = cmi_odometer_at(odometer, time_us);
    float left = then.left_mm - odometer->left_mm;
    float right = then.right_mm - odometer->right_mm;
    float turn = (right - left) / robot->description->track_mm;
    float sine, cosine;
    cmi_sin_cos(odometer->pose.heading_rad + 0.5F * turn, &sine, &cosine);
    float way = 0.5F * (left + right);
    return (cmo_pose){odometer->pose.x_mm + way * cosine, odometer->pose.y_mm + way * sine,
                      odometer->pose.heading_rad + turn};
}

void cmi_wall_meet(cmo_wall *wall, const cmo_robot *robot, uint8_t sensor, uint32_t time_us) {
    cmo_pose pose = pose_at(robot, time_us);
    if (wall->met == 0) {
        cmo_moment then = cmi_odometer_at(&robot->odometer, time_us);
        wall->entry_rad = pose.heading_rad;
        wall->entry_way_mm = 0.5F * (then.left_mm + then.right_mm);
        wall->known = false;
        wall->first = sensor;
    }
    // Whatever comes after the first crossing takes the other place, by the same sensor too.
    uint8_t slot = wall->met == 0 ? sensor : (uint8_t)(1U - wall->first);
    spot_of(robot, &pose, sensor, &wall->x_mm[slot], &wall->y_mm[slot]);
    wall->met = (uint8_t)(wall->met | 1U << slot);
}

float cmi_wall_leave(const cmo_wall *wall, const cmo_robot *robot, uint32_t time_us) {
    cmo_pose pose = pose_at(robot, time_us);
    float x_mm, y_mm, sine, cosine;
    spot_of(robot, &pose, wall->first, &x_mm, &y_mm);
    cmi_sin_cos(pose.heading_rad, &sine, &cosine);
    return (wall->x_mm[wall->first] - x_mm) * cosine + (wall->y_mm[wall->first] - y_mm) * sine;
}

void cmi_wall_shift(cmo_wall *wall, const cmo_robot *robot, float slid_mm) {
    float sine, cosine;
    cmi_sin_cos(robot->odometer.pose.heading_rad, &sine, &cosine);
    for (uint8_t i = 0; i < 2; i++) {
        wall->x_mm[i] -= slid_mm * cosine;
        wall->y_mm[i] -= slid_mm * sine;
    }
    wall->entry_way_mm -= slid_mm;
}

static float clearance_at(const cmo_wall *wall, const cmo_robot *robot, float normal_rad) {
    const cmo_pose *pose = &robot->odometer.pose;
    uint8_t slot = wall->first;
    float sine, cosine;
    cmi_sin_cos(normal_rad, &sine, &cosine);
    return (wall->x_mm[slot] - pose->x_mm) * cosine + (wall->y_mm[slot] - pose->y_mm) * sine;
}

// Direction of the normal of a line through both places, on the side away from the robot. Places
// that are too near to each other say nothing; nor does a line that a wheel would stand beyond: one
// of the two was the far edge of the paint.
static bool measure(cmo_wall *wall, const cmo_robot *robot) {
    float dx = wall->x_mm[0] - wall->x_mm[1];
    float dy = wall->y_mm[0] - wall->y_mm[1];
    if (wall->met != 3 || dx * dx + dy * dy < SHORTEST_MM * SHORTEST_MM) {
        return false;
    }
    const cmo_pose *pose = &robot->odometer.pose;
    float nx = dy;
    float ny = -dx;
    if (nx * (wall->x_mm[0] - pose->x_mm) + ny * (wall->y_mm[0] - pose->y_mm) < 0.0F) {
        nx = -nx;
        ny = -ny;
    }
    wall->normal_rad = cmi_direction(nx, ny);
    float sine, cosine;
    cmi_sin_cos(wall->entry_rad - wall->normal_rad, &sine, &cosine);
    float reach = cmi_reach_mm(robot->description, sine, cosine);
    return clearance_at(wall, robot, wall->normal_rad) > reach - 5.0F;
}

// Least entry angle of a wall that one sensor alone has crossed.
static float least_entry(const cmo_wall *wall, const cmo_robot *robot) {
    float beyond = fmaxf(cmo_way_mm(robot) - wall->entry_way_mm, 0.0F);
    float least = cmi_atan(beyond / fmaxf(fabsf(cmi_across_mm(robot->description)), 1.0F));
    return robot->description->lights > 1 ? fminf(least, 1.2F) : 0.0F;
}

static float side_of(const cmo_wall *wall) {
    return wall->first == 0 ? 1.0F : -1.0F; // the wall is to the left of a heading that met it left
}

void cmi_wall_solve(cmo_wall *wall, const cmo_robot *robot) {
    wall->known = measure(wall, robot);
    if (!wall->known) {
        float guess = 0.5F * (least_entry(wall, robot) + STEEPEST_RAD);
        guess = robot->description->lights > 1 ? guess : 0.0F;
        wall->normal_rad = wall->entry_rad + side_of(wall) * guess;
    }
}

float cmi_wall_beyond(const cmo_wall *wall, const cmo_robot *robot, uint8_t sensor) {
    float x_mm, y_mm, sine, cosine;
    spot_of(robot, &robot->odometer.pose, sensor, &x_mm, &y_mm);
    cmi_sin_cos(wall->normal_rad, &sine, &cosine);
    return (x_mm - wall->x_mm[0]) * cosine + (y_mm - wall->y_mm[0]) * sine;
}

bool cmi_wall_explains(const cmo_wall *wall, const cmo_robot *robot, uint8_t sensor) {
    float x_mm, y_mm;
    spot_of(robot, &robot->odometer.pose, sensor, &x_mm, &y_mm);
    for (uint8_t i = 0; i < 2; i++) {
        float dx = x_mm - wall->x_mm[i];
        float dy = y_mm - wall->y_mm[i];
        if (wall->met & 1U << i && dx * dx + dy * dy < 15.0F * 15.0F) {
            return true;
        }
    }
    if (!wall->known) {
        return false;
    }
    float sine, cosine;
    cmi_sin_cos(wall->normal_rad, &sine, &cosine);
    float beyond = cmi_wall_beyond(wall, robot, sensor);
    float along = (y_mm - wall->y_mm[0]) * cosine - (x_mm - wall->x_mm[0]) * sine;
    return beyond > -8.0F - BEND * fabsf(along); // beyond it nothing is to be found
}

// The entry angles that a wall may have: one if it is known, else three.
static float candidate(const cmo_wall *wall, const cmo_robot *robot, uint8_t number) {
    if (wall->known) {
        return wall->normal_rad;
    }
    float least = least_entry(wall, robot);
    float entry = least + 0.5F * (float)number * (STEEPEST_RAD - least);
    return wall->entry_rad + side_of(wall) * entry;
}

float cmi_wall_clearance(const cmo_wall *wall, const cmo_robot *robot) {
    float least = INFINITY;
    for (uint8_t i = 0; i < 3; i++) {
        least = fminf(least, clearance_at(wall, robot, candidate(wall, robot, i)));
    }
    return least;
}

float cmi_wall_back(const cmo_wall *wall, const cmo_robot *robot, bool convex, float heading_rad,
                    float margin_mm) {
    const cmo_robot_description *d = robot->description;
    float most = 0.0F;
    float dx = wall->x_mm[0] - wall->x_mm[1];
    float dy = wall->y_mm[0] - wall->y_mm[1];
    float apart = wall->known ? sqrtf(dx * dx + dy * dy) : fabsf(cmi_across_mm(robot->description));
    float poke = convex ? 0.0F : 0.5F * apart;
    for (uint8_t i = 0; i < 3; i++) {
        float normal = candidate(wall, robot, i);
        // On the way the wheels stand once along the normal; the rear ends where it turns to.
        float sine, cosine;
        cmi_sin_cos(heading_rad - normal, &sine, &cosine);
        float reach = fmaxf(cmi_sweep_mm(d), -cosine * cmi_rear_mm(d));
        float missing = reach + margin_mm + poke - clearance_at(wall, robot, normal);
        cmi_sin_cos(robot->odometer.pose.heading_rad - normal, &sine, &cosine);
        most = fmaxf(most, missing / fmaxf(cosine, 0.3F));
    }
    return most;
}
