// SPDX-License-Identifier: MIT
// What changes of speed say of a drive.
#ifndef CMI_DRIVE_FIT_H
#define CMI_DRIVE_FIT_H

#include <cammino/measure_drive.h>

// Of a cmo_drive, which is made of nothing else.
#define CMI_DRIVE_NUMBERS ((uint8_t)(sizeof(cmo_drive) / sizeof(float)))

// One change: speed gained, and each wheel's way that was commanded and not driven, over that.
void cmi_drive_fit_add(cmo_drive_fit *fit, float gained_mm_s, const float trail_s[2]);

// Lag and ramp of all changes. False: they are too few.
bool cmi_drive_fit_solve(const cmo_drive_fit *fit, cmo_drive *drive);

#endif
