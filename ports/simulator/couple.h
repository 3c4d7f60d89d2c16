// SPDX-License-Identifier: MIT
#ifndef CMO_SIM_COUPLE_H
#define CMO_SIM_COUPLE_H

#include "plant.h"

// Turns the robot by an impulse's moment: where the axle may slide, about the centre of mass.
static G_ALWAYS_INLINE inline void twist(struct plant *pl, double moment, bool loose) {
    double turn = moment * pl->per_turn;
    pl->turn_rad_s += turn;
    if (loose) {
        pl->side_mm_s -= pl->p->centre_mm * turn;
    }
}

// Solves what the parts push each other by, after the forces of a step have changed their speeds.
void cmi_sim_plant_couple(struct plant *pl, double dt_s);

#endif
