// SPDX-License-Identifier: MIT
#include "eye.h"

#include <math.h>
#include <string.h>

#define REFERENCE_HEIGHT_MM 8.0

void eye_start(struct eye *eye, const cmo_sim_plant *plant, unsigned number, noise *source) {
    memset(eye, 0, sizeof *eye);
    const cmo_sim_eye *p = eye->p = &plant->eye[number];
    double height = p->height_mm / REFERENCE_HEIGHT_MM;
    double gain = (1.0 + plant->gain_spread * noise_spread(source)) / (height * height);
    eye->ahead_mm = p->ahead_mm + plant->place_spread_mm * noise_spread(source);
    eye->left_mm = p->left_mm + plant->place_spread_mm * noise_spread(source);
    double delay_ms = p->delay_ms + plant->delay_spread_ms * noise_spread(source);
    eye->delay_us = fmax(1000.0 * delay_ms, 0.0);
    eye->spot_mm = p->spot_mm * height;
    eye->black = p->black_counts;
    eye->span = (p->white_counts - p->black_counts) * gain;
    eye->noise = p->noise * fabs(p->white_counts - p->black_counts);
    // Its clock has nothing to do with the program's.
    eye->next_us = 1000.0 * p->interval_ms * noise_even(source);
}

double eye_next_us(const struct eye *eye) {
    // Two samples stand for an exposure: the nodes of Gauss's rule for two points.
    double node = 1000.0 * eye->p->exposure_ms * 0.28867513459481287;
    return eye->half == 0 ? eye->next_us - node : eye->next_us + node;
}

static double ambient(const cmo_sim_plant *plant, double time_s, double x_mm, double y_mm) {
    double light = plant->ambient;
    if (plant->ambient_change_s > 0.0) {
        light *= 1.0 + plant->ambient_change * MIN(time_s / plant->ambient_change_s, 1.0);
    }
    double lamps = light;
    for (unsigned i = 0; i < plant->shadows; i++) {
        const cmo_sim_shadow *shadow = &plant->shadow[i];
        double rounds = shadow->every_s > 0.0 ? floor(time_s / shadow->every_s) : 0.0;
        double moved_s = time_s - rounds * shadow->every_s;
        double dx = x_mm - shadow->x_mm - shadow->vx_mm_s * moved_s;
        double dy = y_mm - shadow->y_mm - shadow->vy_mm_s * moved_s;
        double beyond = sqrt(dx * dx + dy * dy) - shadow->radius_mm;
        double soft = fmax(shadow->soft_mm, 1e-3);
        double share = CLAMP(0.5 - beyond / soft, 0.0, 1.0);
        light -= lamps * shadow->depth * share;
    }
    return MAX(light, 0.0);
}

// What comes back of the sensor's own lamp, and its share of the ambient light.
static double light_at(const struct eye *eye, const cmo_sim_plant *plant, const cmo_sim_mat *mat,
                       double x_mm, double y_mm) {
    double luminance = cmo_sim_mat_light(mat, x_mm, y_mm, eye->spot_mm);
    double time_s = eye_next_us(eye) * 1e-6;
    return luminance * (1.0 + eye->p->ambient_share * ambient(plant, time_s, x_mm, y_mm));
}

void eye_sample(struct eye *eye, const cmo_sim_plant *plant, const cmo_sim_mat *mat, double x_mm,
                double y_mm, noise *source, bool stuck) {
    double light = light_at(eye, plant, mat, x_mm, y_mm);
    if (eye->half == 0) {
        eye->first = light;
        eye->half = 1;
        return;
    }
    light = 0.5 * (eye->first + light);
    double counts = eye->black + eye->span * light + eye->noise * noise_normal(source);
    counts = floor(CLAMP(counts, 0.0, eye->p->counts_max) + 0.5);
    if (!stuck) {
        eye->last_counts = (uint16_t)counts;
    }
    eye_look look = {eye->next_us + eye->delay_us, eye->last_counts, ++eye->sequence};
    eye->queue[(eye->head + eye->count) % EYE_QUEUE] = look;
    if (eye->count < EYE_QUEUE) {
        eye->count++;
    } else {
        eye->head = (eye->head + 1) % EYE_QUEUE;
    }
    eye->half = 0;
    eye->next_us += 1000.0 * eye->p->interval_ms;
}
