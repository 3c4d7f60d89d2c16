// SPDX-License-Identifier: MIT
// Where the robot touches the floor.
#ifndef CMI_CONTACTS_H
#define CMI_CONTACTS_H

#include "../shared/description.h"

static inline float cmi_inner_width_mm(const cmo_robot_description *d) {
    return d->track_mm - cmi_half_width_mm(d);
}

// From the axle back to the hindmost contact.
static inline float cmi_rear_mm(const cmo_robot_description *d) {
    return d->rear_mm > 0.0F ? d->rear_mm : 0.5F * d->track_mm;
}

// How far the contacts reach towards a boundary from the middle of the axle, when the robot's
// heading is turned from the boundary's normal.
static inline float cmi_reach_mm(const cmo_robot_description *d, float sine, float cosine) {
    float wheel = cmi_half_width_mm(d) * (sine < 0.0F ? -sine : sine);
    float front = d->front_mm * cosine;
    float rear = -cmi_rear_mm(d) * cosine;
    float ahead = front > rear ? front : rear;
    return ahead > wheel ? ahead : wheel;
}

// The furthest that they reach in any direction that comes by as it turns away from a boundary
// ahead.
static inline float cmi_sweep_mm(const cmo_robot_description *d) {
    float half = cmi_half_width_mm(d);
    return d->front_mm > half ? d->front_mm : half;
}

#endif
