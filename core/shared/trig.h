// SPDX-License-Identifier: MIT
// Sine, cosine and arctangent of our own: small, and the same to the last bit on every machine,
// which a C library does not promise.
#ifndef CMI_TRIG_H
#define CMI_TRIG_H

#define CMI_PI 3.14159265F

static inline float cmi_radians(float degrees) {
    return degrees * (CMI_PI / 180.0F);
}

static inline float cmi_degrees(float radians) {
    return radians * (180.0F / CMI_PI);
}

// Error below 2e-7 for |angle| up to 10000.
void cmi_sin_cos(float angle, float *sine, float *cosine);

// Error below 3e-7.
float cmi_atan(float x);

// Angle of a direction, -pi..pi; 0 for none.
float cmi_direction(float x, float y);

#endif
