// SPDX-License-Identifier: MIT
// A light sensor: exposes at its own rate, and hands its looks over with a delay.
#ifndef CMI_SIM_LIGHT_SENSOR_H
#define CMI_SIM_LIGHT_SENSOR_H

#include <cammino_simulator/simulator.h>

#include "noise.h"

#define SENSOR_QUEUE 16

// What it sees: the light, and red, green and blue of a sensor that has them.
#define SENSOR_VALUES 4

typedef struct sensor_look {
    double ready_us;
    uint16_t counts;
    uint16_t colour[3];
    uint8_t sequence;
} sensor_look;

struct light_sensor {
    const cmo_sim_light *p;
    double ahead_mm, left_mm, delay_us, spot_mm; // this robot's own
    double black, span;                          // counts over nothing; counts per luminance
    double noise;                                // counts
    double next_us;                              // middle of the next exposure
    double interval_us;                          // by its own clock
    double off_us;                               // of the next exposure, by jitter
    double slow[SENSOR_VALUES];                  // light after the lag of its electronics
    bool lit;                                    // `slow` has begun
    double wander[3];                            // of its gain, each ten times as slow
    noise drift;                                 // of clock, jitter and gain
    double mix[3][3];                            // what its channels see of red, green and blue
    int step;                                    // which of its samples comes next
    double middle[SENSOR_VALUES];                // light of those that make up the exposure
    double ends[2];                              // of the first and the last colour, if apart
    sensor_look queue[SENSOR_QUEUE];
    unsigned head, count;
    uint8_t sequence;
    uint16_t last_counts;
    uint16_t last_colour[3];
};

void cmi_sim_light_start(struct light_sensor *sensor, const cmo_sim_plant *plant, unsigned number,
                         noise *source);

// Time of the next sample of the floor, microseconds.
double cmi_sim_light_next_us(const struct light_sensor *sensor);

// Draws what was added to the sensor later, from a stream of its own.
void cmi_sim_light_vary(struct light_sensor *sensor, noise *source);

// Where a spot is, which way its sensor faces, and where the other sensor's is.
typedef struct sensor_view {
    double x_mm, y_mm, cosine, sine, other_x_mm, other_y_mm;
    double rise_mm; // above its height at rest
} sensor_view;

// Follows the light between exposures; for sensors whose electronics lag.
void cmi_sim_light_follow(struct light_sensor *sensor, const cmo_sim_plant *plant,
                          const cmo_sim_mat *mat, const sensor_view *view, double now_us,
                          double dt_s);

// Takes a sample at a place. `stuck`: the reading does not change any more.
void cmi_sim_light_sample(struct light_sensor *sensor, const cmo_sim_plant *plant,
                          const cmo_sim_mat *mat, const sensor_view *view, noise *source,
                          bool stuck);

// What it reads at a place without noise, and without ambient light.
void cmi_sim_light_still(const struct light_sensor *sensor, const cmo_sim_mat *mat,
                         const sensor_view *view, uint16_t *counts, uint16_t colour[3]);

#endif
