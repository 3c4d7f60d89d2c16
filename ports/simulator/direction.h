// SPDX-License-Identifier: MIT
// Sine and cosine by their series on a sixteenth of the angle: the same on every machine.
#ifndef CMO_SIM_DIRECTION_H
#define CMO_SIM_DIRECTION_H

#include <math.h>

static inline void direction_of(double heading_rad, double *cosine, double *sine) {
    double turn = heading_rad / 6.283185307179586;
    turn -= floor(turn + 0.5);
    double a = turn * 6.283185307179586 / 16.0;
    double z = a * a;
    double s = a * (1.0 - z / 6.0 * (1.0 - z / 20.0 * (1.0 - z / 42.0 * (1.0 - z / 72.0))));
    double c = 1.0 - z / 2.0 * (1.0 - z / 12.0 * (1.0 - z / 30.0 * (1.0 - z / 56.0)));
    for (int i = 0; i < 4; i++) {
        double twice = 2.0 * s * c;
        c = c * c - s * s;
        s = twice;
    }
    double norm = sqrt(s * s + c * c);
    *sine = s / norm;
    *cosine = c / norm;
}

#endif
