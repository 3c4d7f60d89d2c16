// SPDX-License-Identifier: MIT
// A light sensor: exposes at its own rate, and hands its looks over with a delay.
#ifndef CMO_SIM_EYE_H
#define CMO_SIM_EYE_H

#include <cammino_simulator/simulator.h>

#include "noise.h"

#define EYE_QUEUE 16

typedef struct eye_look {
    double ready_us;
    uint16_t counts;
    uint8_t sequence;
} eye_look;

struct eye {
    const cmo_sim_eye *p;
    double ahead_mm, left_mm, delay_us, spot_mm; // this robot's own
    double black, span;                          // counts over nothing; counts per luminance
    double noise;                                // counts
    double next_us;                              // middle of the next exposure
    int half;                                    // which of its two samples comes next
    double first;                                // light of the first sample
    eye_look queue[EYE_QUEUE];
    unsigned head, count;
    uint8_t sequence;
    uint16_t last_counts;
};

void eye_start(struct eye *eye, const cmo_sim_plant *plant, unsigned number, noise *source);

// Time of the next sample of the floor, microseconds.
double eye_next_us(const struct eye *eye);

// Takes a sample at a place. `stuck`: the reading does not change any more.
void eye_sample(struct eye *eye, const cmo_sim_plant *plant, const cmo_sim_mat *mat, double x_mm,
                double y_mm, noise *source, bool stuck);

#endif
