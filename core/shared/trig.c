// SPDX-License-Identifier: MIT
#include "trig.h"

#include <stdint.h>

// pi/2 in three parts of few bits each, so that quadrant * part is exact (Cody and Waite).
#define HALF_PI_1 1.5703125F
#define HALF_PI_2 4.837512969970703125e-4F
#define HALF_PI_3 7.54978995489188216e-8F

void cmi_sin_cos(float angle, float *sine, float *cosine) {
    float turns = angle * 0.636619772F;
    int32_t quadrant = (int32_t)(turns + (turns < 0.0F ? -0.5F : 0.5F));
    float k = (float)quadrant;
    float r = ((angle - k * HALF_PI_1) - k * HALF_PI_2) - k * HALF_PI_3;
    float z = r * r;
    // Minimax polynomials on -pi/4..pi/4 (Moshier, Methods and Programs for Mathematical
    // Functions, 1989).
    float s = r + r * z * (-1.6666654611e-1F + z * (8.3321608736e-3F - z * 1.9515295891e-4F));
    float c =
        1.0F - 0.5F * z +
        z * z * (4.166664568298827e-2F - z * (1.388731625493765e-3F - z * 2.443315711809948e-5F));
    switch ((uint32_t)quadrant & 3U) {
    case 0:
        *sine = s;
        *cosine = c;
        break;
    case 1:
        *sine = c;
        *cosine = -s;
        break;
    case 2:
        *sine = -s;
        *cosine = -c;
        break;
    default:
        *sine = -c;
        *cosine = s;
        break;
    }
}

float cmi_atan(float x) {
    float sign = x < 0.0F ? -1.0F : 1.0F;
    float a = x * sign;
    float base = 0.0F;
    if (a > 2.414213562F) { // tan(3 pi / 8)
        base = 0.5F * CMI_PI;
        a = -1.0F / a;
    } else if (a > 0.4142135624F) { // tan(pi / 8)
        base = 0.25F * CMI_PI;
        a = (a - 1.0F) / (a + 1.0F);
    }
    float z = a * a;
    float p = ((8.05374449538e-2F * z - 1.38776856032e-1F) * z + 1.99777106478e-1F) * z -
              3.33329491539e-1F;
    return sign * (base + (p * z * a + a));
}

float cmi_direction(float x, float y) {
    if (x > 0.0F) {
        return cmi_atan(y / x);
    }
    if (x < 0.0F) {
        return cmi_atan(y / x) + (y < 0.0F ? -CMI_PI : CMI_PI);
    }
    return y > 0.0F ? 0.5F * CMI_PI : y < 0.0F ? -0.5F * CMI_PI : 0.0F;
}
