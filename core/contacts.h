// SPDX-License-Identifier: MIT
// Where the robot touches the floor.
#ifndef CMO_CONTACTS_H
#define CMO_CONTACTS_H

#include <cammino/robot.h>

// From the middle to a tyre's outer edge.
static inline float cmo_half_width_mm(const cmo_robot_description *d) {
    return 0.5F * (d->track_mm + (d->tyre_mm > 0.0F ? d->tyre_mm : 10.0F));
}

static inline float cmo_inner_width_mm(const cmo_robot_description *d) {
    return d->track_mm - cmo_half_width_mm(d);
}

// From the axle back to the hindmost contact.
static inline float cmo_rear_mm(const cmo_robot_description *d) {
    return d->rear_mm > 0.0F ? d->rear_mm : 0.5F * d->track_mm;
}

#endif
