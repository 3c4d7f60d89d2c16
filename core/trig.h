// SPDX-License-Identifier: MIT
// Sine, cosine and arctangent of our own: small, and the same to the last bit on every machine,
// which a C library does not promise.
#ifndef CMO_TRIG_H
#define CMO_TRIG_H

#define CMO_PI 3.14159265F

static inline float cmo_radians(float degrees) {
    return degrees * (CMO_PI / 180.0F);
}

static inline float cmo_degrees(float radians) {
    return radians * (180.0F / CMO_PI);
}

// Error below 2e-7 for |angle| up to 10000.
void cmo_sin_cos(float angle, float *sine, float *cosine);

// Error below 3e-7.
float cmo_atan(float x);

// Angle of a direction, -pi..pi; 0 for none.
float cmo_direction(float x, float y);

#endif
