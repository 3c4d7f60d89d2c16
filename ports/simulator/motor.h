// SPDX-License-Identifier: MIT
#ifndef CMO_SIM_MOTOR_H
#define CMO_SIM_MOTOR_H

#include "plant.h"

static inline double clamp(double value, double low, double high) {
    return value < low ? low : value > high ? high : value;
}

// One motor's force at the tyre in this step, mN.
double cmi_sim_motor_force(const struct plant *pl, side *s, double volts, double dt_s);

#endif
