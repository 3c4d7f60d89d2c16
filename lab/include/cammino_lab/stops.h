// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file stops.h
 * What a robot's budget says, beside what the simulated robot does.
 */
#ifndef CAMMINO_LAB_STOPS_H
#define CAMMINO_LAB_STOPS_H

#include <cammino_lab/run.h>

G_BEGIN_DECLS

/** Stops at one speed: true way from the crossing to first standstill, mm. */
typedef struct lab_stops {
    double speed_mm_s;
    unsigned n; /**< stops measured */
    double least_mm, mean_mm, most_mm;
} lab_stops;

/**
 * Stops the simulated robot on a line of its own tones, `trials` other robots out of its spread,
 * with the brake along the profile. False: the robot has no levels or cannot stop so.
 */
bool lab_measure_stops(const lab_robot *robot, double speed_mm_s, unsigned trials,
                       lab_stops *stops);

G_END_DECLS

#endif
