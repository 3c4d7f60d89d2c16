// SPDX-License-Identifier: MIT
// Sine and cosine in plain arithmetic: the same on every machine.
#ifndef CMO_SIM_DIRECTION_H
#define CMO_SIM_DIRECTION_H

#include <stdint.h>
#include <string.h>

// What is left of a number, half of one at most, when the nearest whole one is taken off; and that
// one's last bits. Added to 1.5 * 2^52 a number's fraction is rounded away.
static inline double off_whole(double number, uint64_t *whole) {
    const double large = 6755399441055744.0;
    double rounded = number + large;
    memcpy(whole, &rounded, sizeof *whole);
    return number - (rounded - large);
}

// Of so many whole turns. The nearest quarter turn is taken off; within the eighth that is left on
// either side the series need terms up to the 16th power for a double's precision. There is no
// division: it would take as long as several multiplications.
static inline void direction_of_turns(double turns, double *cosine, double *sine) {
    uint64_t quadrant;
    double a = off_whole(4.0 * turns, &quadrant) * 1.5707963267948966;
    double z = a * a;
    double s =
        -1.0 / 6.0 +
        z * (1.0 / 120.0 +
             z * (-1.0 / 5040.0 + z * (1.0 / 362880.0 + z * (-1.0 / 39916800.0 +
                                                             z * (1.0 / 6227020800.0 -
                                                                  z * (1.0 / 1307674368000.0))))));
    double c = 1.0 / 24.0 +
               z * (-1.0 / 720.0 +
                    z * (1.0 / 40320.0 +
                         z * (-1.0 / 3628800.0 +
                              z * (1.0 / 479001600.0 +
                                   z * (-1.0 / 87178291200.0 + z * (1.0 / 20922789888000.0))))));
    s = a + a * z * s;
    c = 1.0 - 0.5 * z + z * z * c;
    double x = quadrant & 1U ? -s : c;
    double y = quadrant & 1U ? c : s;
    *cosine = quadrant & 2U ? -x : x;
    *sine = quadrant & 2U ? -y : y;
}

// The sine alone: the nearest half turn is taken off, and one series does.
static inline double sine_of_turns(double turns) {
    uint64_t half;
    double a = off_whole(2.0 * turns, &half) * 3.141592653589793;
    double z = a * a;
    double s =
        -1.0 / 6.0 +
        z * (1.0 / 120.0 +
             z * (-1.0 / 5040.0 +
                  z * (1.0 / 362880.0 + z * (-1.0 / 39916800.0 +
                                             z * (1.0 / 6227020800.0 +
                                                  z * (-1.0 / 1307674368000.0 +
                                                       z * (1.0 / 355687428096000.0 -
                                                            z * (1.0 / 121645100408832000.0))))))));
    s = a + a * z * s;
    return half & 1U ? -s : s;
}

static inline void direction_of(double heading_rad, double *cosine, double *sine) {
    direction_of_turns(heading_rad * 0.15915494309189535, cosine, sine);
}

#endif
