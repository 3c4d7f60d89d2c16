// SPDX-License-Identifier: MIT
#include "drive_fit.h"

#include <math.h>

// A ramp is one if the trail grows by so many of its standard deviations with the speed, and is
// more than a trifle: a thousandth of a second per 20 mm/s is a ramp of 10 m/s2.
#define SURE_DEVIATIONS 4.0F
#define LEAST_SLOPE     5e-5F
// No regulator is a lag alone: by how much it trails hangs a little on how large the change is and
// how long it takes, s.
#define LEAST_ERROR_S 0.0025F
// And what a ramp is known to at best, for it does not begin and end sharply.
#define LEAST_SHARE 0.03F

void cmi_drive_fit_add(cmo_drive_fit *fit, float gained_mm_s, const float trail_s[2]) {
    float x = gained_mm_s;
    float weight = x * x;
    float y = 0.5F * (trail_s[0] + trail_s[1]);
    fit->weight += weight;
    fit->x += weight * x;
    fit->y += weight * y;
    fit->xx += weight * x * x;
    fit->xy += weight * x * y;
    fit->yy += weight * y * y;
    fit->wheel[0] += weight * trail_s[0];
    fit->wheel[1] += weight * trail_s[1];
    fit->count++;
}

// A lag T trails by T in every change. A regulator with a ramp of its own, R, takes the time v / R
// for the change v, and trails by v / 2R more: the trail is a line over the change, and its slope
// is 1 / 2R. Weighted least squares, and the errors that their residuals tell.
bool cmi_drive_fit_solve(const cmo_drive_fit *fit, cmo_drive *drive) {
    float n = (float)fit->count;
    float det = fit->weight * fit->xx - fit->x * fit->x;
    if (fit->count < 4 || !(det > 0.0F)) {
        return false;
    }
    float slope = (fit->weight * fit->xy - fit->x * fit->y) / det;
    float lag = (fit->y - slope * fit->x) / fit->weight;
    float left = fmaxf(fit->yy - lag * fit->y - slope * fit->xy, 0.0F) / (n - 2.0F);
    float slope_error = sqrtf(left * fit->weight / det);
    float lag_error = sqrtf(left * fit->xx / det);
    if (slope > LEAST_SLOPE && slope > SURE_DEVIATIONS * slope_error) {
        drive->ramp_mm_s2 = 0.5F / slope;
        float share = slope_error / slope;
        drive->ramp_error_mm_s2 =
            drive->ramp_mm_s2 * sqrtf(share * share + LEAST_SHARE * LEAST_SHARE);
    } else {
        slope = 0.0F;
        lag = fit->y / fit->weight;
        left = fmaxf(fit->yy - lag * fit->y, 0.0F) / (n - 1.0F);
        lag_error = sqrtf(left / fit->weight);
    }
    drive->lag_ms = fmaxf(1e3F * lag, 0.0F);
    drive->lag_error_ms = 1e3F * sqrtf(lag_error * lag_error + LEAST_ERROR_S * LEAST_ERROR_S);
    for (uint8_t wheel = 0; wheel < 2; wheel++) {
        float own = (fit->wheel[wheel] - slope * fit->x) / fit->weight;
        drive->wheel_lag_ms[wheel] = fmaxf(1e3F * own, 0.0F);
    }
    return true;
}

void cmo_drive_apply(const cmo_drive *drive, cmo_robot_description *description) {
    float slowest = 0.0F;
    for (uint8_t wheel = 0; wheel < 2; wheel++) {
        slowest = fmaxf(slowest, fmaxf(drive->ahead_mm_s[wheel], drive->back_mm_s[wheel]));
    }
    if (!description->lag_measured) {
        description->stated_lag_ms = description->lag_ms;
        description->stated_braking_mm_s2 = description->braking_mm_s2;
    }
    description->lag_ms = drive->lag_ms;
    description->lag_measured = true;
    description->slowest_mm_s = slowest;
    if (drive->ramp_mm_s2 > 0.0F) {
        float most = CMO_RAMP_SHARE * drive->ramp_mm_s2;
        description->braking_mm_s2 = fminf(description->braking_mm_s2, most);
        description->acceleration_mm_s2 = fminf(description->acceleration_mm_s2, most);
    }
}
