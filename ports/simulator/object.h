// SPDX-License-Identifier: MIT
// Things on the mat: discs that stand, drive a route of their own, and are pushed.
#ifndef CMO_SIM_OBJECT_H
#define CMO_SIM_OBJECT_H

#include "plant.h"

struct object {
    const cmo_sim_object *p;
    double x_mm, y_mm;
    double vx_mm_s, vy_mm_s;
    unsigned next; // stop that it drives to
};

void cmi_sim_object_start(struct object *object, const cmo_sim_object *parameters);

// One step of all of them: they drive, rub, and are pushed by the robot, which they hold back.
// Returns the bumpers that touch: 1 left, 2 right, 4 back.
unsigned cmi_sim_objects_step(struct object *objects, unsigned count, struct plant *plant,
                              double dt_s);

// Distance from the range sensor to the nearest one in its cone; INFINITY: none within reach.
double cmi_sim_objects_range(const struct object *objects, unsigned count,
                             const struct plant *plant);

#endif
