// SPDX-License-Identifier: GPL-3.0-or-later
// What a robot finds out about itself before it drives a route.
#ifndef LAB_CALIBRATE_H
#define LAB_CALIBRATE_H

#include <cammino_lab/run.h>

#include <gsl/gsl_rng.h>

// Evenly from minus to plus.
double labi_spread(gsl_rng *rng, double most);

// A start out of the route's spread.
lab_start labi_spread_start(const lab_route *route, gsl_rng *rng);

// Takes over a sensor's levels; those of the void stay.
void labi_take_levels(lab_robot *robot, unsigned sensor, const lab_leg_result *leg);

// The robot drives the route's calibrations on its plant of that seed, and goes by what they find.
// One that fails is begun again from another start. False: one of them failed to the last, and what
// it would have told stays as stated.
bool labi_calibrate(const lab_route *route, lab_robot *robot, uint64_t seed);

#endif
