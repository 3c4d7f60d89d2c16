// SPDX-License-Identifier: MIT
#include "met.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/odometer.h"
#include "contacts.h"

#include <math.h>

// Two places on a boundary must be as far apart as this to tell its direction.
#define SHORTEST_MM 28.0F
// And to tell it roughly, within so much.
#define ROUGH_MM  8.0F
#define ROUGH_RAD 0.2F
// Crossed again, it lies no further out than by so much.
#define AGAIN_MM 3.0F
// A boundary may bend towards the robot by this much of the way along it.
#define BEND 0.15F
// Entry angles that a guess reckons with, at most, unless it is known to be steeper.
#define STEEPEST_RAD 1.4F

float cmi_wrap(float angle_rad) {
    return angle_rad - 2.0F * CMI_PI * floorf(angle_rad / (2.0F * CMI_PI) + 0.5F);
}

bool cmi_turns_past(float from_rad, float turn_rad, float direction_rad) {
    float to = cmi_wrap(direction_rad - from_rad);
    to = turn_rad < 0.0F ? -to : to;
    return (to < 0.0F ? to + 2.0F * CMI_PI : to) < fabsf(turn_rad);
}

float cmi_clear_mm(float x_mm, float y_mm, float normal_rad, const cmo_pose *place) {
    float sine, cosine;
    cmi_sin_cos(normal_rad, &sine, &cosine);
    return (x_mm - place->x_mm) * cosine + (y_mm - place->y_mm) * sine;
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

void cmi_met_add(cmo_met_boundary *boundary, const cmo_robot *robot, uint8_t sensor,
                 uint32_t time_us) {
    cmo_pose pose = pose_at(robot, time_us);
    if (boundary->met == 0) {
        cmo_moment then = cmi_odometer_at(&robot->odometer, time_us);
        boundary->entry_rad = pose.heading_rad;
        boundary->entry_way_mm = 0.5F * (then.left_mm + then.right_mm);
        boundary->known = false;
        boundary->anew = 0;
        boundary->felt_rad = 0.0F;
        boundary->first = sensor;
    }
    // Whatever comes after the first crossing takes the other place, by the same sensor too.
    uint8_t slot = boundary->met == 0 ? sensor : (uint8_t)(1U - boundary->first);
    cmi_spot_of(robot, &pose, sensor, &boundary->x_mm[slot], &boundary->y_mm[slot]);
    boundary->met = (uint8_t)(boundary->met | 1U << slot);
}

void cmi_met_note(cmo_met_boundary *boundary, const cmo_robot *robot, uint8_t sensor,
                  uint32_t time_us) {
    cmo_pose pose = pose_at(robot, time_us);
    cmi_spot_of(robot, &pose, sensor, &boundary->anew_x_mm[sensor], &boundary->anew_y_mm[sensor]);
    boundary->anew = (uint8_t)(boundary->anew | 1U << sensor);
}

float cmi_met_leave(const cmo_met_boundary *boundary, const cmo_robot *robot, uint32_t time_us) {
    cmo_pose pose = pose_at(robot, time_us);
    float x_mm, y_mm, sine, cosine;
    cmi_spot_of(robot, &pose, boundary->first, &x_mm, &y_mm);
    cmi_sin_cos(pose.heading_rad, &sine, &cosine);
    return (boundary->x_mm[boundary->first] - x_mm) * cosine +
           (boundary->y_mm[boundary->first] - y_mm) * sine;
}

void cmi_met_shift(cmo_met_boundary *boundary, const cmo_robot *robot, float slid_mm) {
    float sine, cosine;
    cmi_sin_cos(robot->odometer.pose.heading_rad, &sine, &cosine);
    for (uint8_t i = 0; i < 2; i++) {
        boundary->x_mm[i] -= slid_mm * cosine;
        boundary->y_mm[i] -= slid_mm * sine;
    }
    boundary->entry_way_mm -= slid_mm;
}

static float clearance_at(const cmo_met_boundary *boundary, const cmo_pose *place,
                          float normal_rad) {
    uint8_t slot = boundary->first;
    return cmi_clear_mm(boundary->x_mm[slot], boundary->y_mm[slot], normal_rad, place);
}

// Direction of the normal of a line through both places, on the side away from the robot. Places
// that are too near to each other say nothing; nor does a line that a wheel would stand beyond: one
// of the two was the far edge of the paint.
static bool measure(cmo_met_boundary *boundary, const cmo_robot *robot, float shortest_mm) {
    float dx = boundary->x_mm[0] - boundary->x_mm[1];
    float dy = boundary->y_mm[0] - boundary->y_mm[1];
    if (boundary->met != 3 || dx * dx + dy * dy < shortest_mm * shortest_mm) {
        return false;
    }
    const cmo_pose *pose = &robot->odometer.pose;
    float nx = dy;
    float ny = -dx;
    if (nx * (boundary->x_mm[0] - pose->x_mm) + ny * (boundary->y_mm[0] - pose->y_mm) < 0.0F) {
        nx = -nx;
        ny = -ny;
    }
    boundary->normal_rad = cmi_direction(nx, ny);
    float sine, cosine;
    cmi_sin_cos(boundary->entry_rad - boundary->normal_rad, &sine, &cosine);
    float reach = cmi_reach_mm(robot->description, sine, cosine);
    return clearance_at(boundary, pose, boundary->normal_rad) > reach - 5.0F;
}

float cmi_met_gone_mm(const cmo_met_boundary *boundary, const cmo_robot *robot) {
    return fmaxf(cmo_way_mm(robot) - boundary->entry_way_mm, 0.0F);
}

// Least entry angle of a boundary that one sensor alone has crossed. Where that one, at the angle a
// from the heading, has been turned to its side by t and is still over it, the angle is a + t / 2
// at least, but for the little that it had rolled on: by less, it would have come back.
static float least_entry(const cmo_met_boundary *boundary, const cmo_robot *robot) {
    const cmo_robot_description *d = robot->description;
    if (d->lights < 2) {
        return 0.0F;
    }
    float beyond = cmi_met_gone_mm(boundary, robot);
    float least = fminf(cmi_atan(beyond / fmaxf(fabsf(cmi_across_mm(d)), 1.0F)), 1.2F);
    if (boundary->felt_rad > 0.0F) {
        const cmo_light_description *light = &d->light[boundary->first];
        float aside = cmi_atan(fabsf(light->left_mm) / fmaxf(light->ahead_mm, 1.0F));
        least = fmaxf(least, fminf(aside + 0.5F * boundary->felt_rad, 0.5F * CMI_PI));
    }
    return least;
}

static float steepest_entry(float least_rad) {
    return fmaxf(STEEPEST_RAD, 0.5F * (least_rad + 0.5F * CMI_PI));
}

static float side_of(const cmo_met_boundary *boundary) {
    return boundary->first == 0
               ? 1.0F
               : -1.0F; // the boundary is to the left of a heading that met it left
}

// The boundary through the two places that were crossed since the robot stood: no slide has been
// between them. Neither of those before may lie inside of it: one of the two is then the far edge
// of the paint.
static bool lies_anew(const cmo_met_boundary *boundary, const cmo_robot *robot,
                      cmo_met_boundary *met) {
    uint8_t first = boundary->first;
    *met = *boundary;
    for (uint8_t i = 0; i < 2; i++) {
        met->x_mm[i] = boundary->anew_x_mm[i];
        met->y_mm[i] = boundary->anew_y_mm[i];
    }
    if (boundary->anew != 3 || !measure(met, robot, SHORTEST_MM)) {
        return false;
    }
    for (uint8_t i = 0; i < 2; i++) {
        const cmo_pose before = {boundary->x_mm[i], boundary->y_mm[i], 0.0F};
        if (cmi_clear_mm(met->x_mm[first], met->y_mm[first], met->normal_rad, &before) > AGAIN_MM) {
            return false;
        }
    }
    met->known = true;
    return true;
}

void cmi_met_solve(cmo_met_boundary *boundary, const cmo_robot *robot) {
    cmo_met_boundary met;
    if (lies_anew(boundary, robot, &met)) {
        boundary->normal_rad = met.normal_rad;
        boundary->known = true;
        return;
    }
    boundary->known = measure(boundary, robot, SHORTEST_MM);
    if (!boundary->known) {
        float least = least_entry(boundary, robot);
        float most = steepest_entry(least);
        float guess = 0.5F * (least + most);
        met = *boundary;
        if (measure(&met, robot, ROUGH_MM)) { // of what little there is
            float roughly = side_of(boundary) * cmi_wrap(met.normal_rad - met.entry_rad);
            guess = fmaxf(least, fminf(roughly, most));
        }
        guess = robot->description->lights > 1 ? guess : 0.0F;
        boundary->normal_rad = boundary->entry_rad + side_of(boundary) * guess;
    }
}

float cmi_met_roughly(const cmo_met_boundary *boundary, const cmo_robot *robot) {
    cmo_met_boundary met = *boundary;
    if (!measure(&met, robot, ROUGH_MM)) {
        return 0.0F;
    }
    const cmo_pose *pose = &robot->odometer.pose;
    float aside = cmi_clear_mm(met.x_mm[met.first], met.y_mm[met.first],
                               met.normal_rad + 0.5F * CMI_PI, pose);
    return cmi_met_clearance(&met, pose) - ROUGH_RAD * fabsf(aside);
}

bool cmi_met_anew(cmo_met_boundary *boundary, const cmo_robot *robot, float *slid_mm) {
    cmo_met_boundary met;
    if (!lies_anew(boundary, robot, &met)) {
        return false;
    }
    uint8_t first = boundary->first;
    const cmo_pose before = {boundary->x_mm[first], boundary->y_mm[first], 0.0F};
    float beyond = -cmi_clear_mm(met.x_mm[first], met.y_mm[first], met.normal_rad, &before);
    float sine, cosine;
    cmi_sin_cos(met.entry_rad - met.normal_rad, &sine, &cosine);
    *slid_mm = beyond / fmaxf(cosine, 0.3F);
    met.entry_way_mm -= *slid_mm;
    // Where it was met first, and of the others the one that is further from there.
    cmi_sin_cos(met.normal_rad, &sine, &cosine);
    float x = before.x_mm - beyond * cosine;
    float y = before.y_mm - beyond * sine;
    float along[2];
    for (uint8_t i = 0; i < 2; i++) {
        along[i] = fabsf((met.y_mm[i] - y) * cosine - (met.x_mm[i] - x) * sine);
    }
    uint8_t other = (uint8_t)(1U - first);
    uint8_t further = along[0] > along[1] ? 0 : 1;
    met.x_mm[other] = met.x_mm[further];
    met.y_mm[other] = met.y_mm[further];
    met.x_mm[first] = x;
    met.y_mm[first] = y;
    met.anew = 0;
    *boundary = met;
    return true;
}

float cmi_met_beyond(const cmo_met_boundary *boundary, const cmo_robot *robot, uint8_t sensor) {
    float x_mm, y_mm, sine, cosine;
    cmi_spot_of(robot, &robot->odometer.pose, sensor, &x_mm, &y_mm);
    cmi_sin_cos(boundary->normal_rad, &sine, &cosine);
    return (x_mm - boundary->x_mm[0]) * cosine + (y_mm - boundary->y_mm[0]) * sine;
}

bool cmi_met_explains(const cmo_met_boundary *boundary, const cmo_robot *robot, uint8_t sensor) {
    float x_mm, y_mm;
    cmi_spot_of(robot, &robot->odometer.pose, sensor, &x_mm, &y_mm);
    for (uint8_t i = 0; i < 2; i++) {
        float dx = x_mm - boundary->x_mm[i];
        float dy = y_mm - boundary->y_mm[i];
        if (boundary->met & 1U << i && dx * dx + dy * dy < 15.0F * 15.0F) {
            return true;
        }
    }
    if (!boundary->known) {
        return false;
    }
    float sine, cosine;
    cmi_sin_cos(boundary->normal_rad, &sine, &cosine);
    float beyond = cmi_met_beyond(boundary, robot, sensor);
    float along = (y_mm - boundary->y_mm[0]) * cosine - (x_mm - boundary->x_mm[0]) * sine;
    return beyond > -8.0F - BEND * fabsf(along); // beyond it nothing is to be found
}

// The entry angles that a boundary may have: one if it is known, else three.
static float candidate(const cmo_met_boundary *boundary, const cmo_robot *robot, uint8_t number) {
    if (boundary->known) {
        return boundary->normal_rad;
    }
    float least = least_entry(boundary, robot);
    float entry = least + 0.5F * (float)number * (steepest_entry(least) - least);
    return boundary->entry_rad + side_of(boundary) * entry;
}

float cmi_met_clearance(const cmo_met_boundary *boundary, const cmo_pose *place) {
    return clearance_at(boundary, place, boundary->normal_rad);
}

float cmi_met_back(const cmo_met_boundary *boundary, const cmo_robot *robot, bool convex,
                   float heading_rad, float swings_rad, float margin_mm) {
    const cmo_robot_description *d = robot->description;
    const cmo_pose *pose = &robot->odometer.pose;
    float most = 0.0F;
    float dx = boundary->x_mm[0] - boundary->x_mm[1];
    float dy = boundary->y_mm[0] - boundary->y_mm[1];
    float apart =
        boundary->known ? sqrtf(dx * dx + dy * dy) : fabsf(cmi_across_mm(robot->description));
    float poke = convex ? 0.0F : 0.5F * apart;
    for (uint8_t i = 0; i < 3; i++) {
        float normal = candidate(boundary, robot, i);
        // On the way the wheels stand once along the normal; the rear ends where it turns to, or
        // swings a little beyond, if it does not come past the normal before.
        float turn = heading_rad - pose->heading_rad;
        turn += turn < 0.0F ? -swings_rad : swings_rad;
        float sine, cosine;
        cmi_sin_cos(pose->heading_rad + turn - normal, &sine, &cosine);
        bool past = cmi_turns_past(pose->heading_rad, turn, normal + CMI_PI);
        float reach = fmaxf(cmi_sweep_mm(d), (past ? 1.0F : -cosine) * cmi_rear_mm(d));
        float missing = reach + margin_mm + poke - clearance_at(boundary, pose, normal);
        cmi_sin_cos(pose->heading_rad - normal, &sine, &cosine);
        most = fmaxf(most, missing / fmaxf(cosine, 0.3F));
    }
    return most;
}
