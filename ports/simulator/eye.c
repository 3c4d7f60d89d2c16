// SPDX-License-Identifier: MIT
#include "eye.h"

#include "direction.h"

#include <math.h>
#include <string.h>

#define REFERENCE_HEIGHT_MM 8.0

void cmi_sim_eye_start(struct eye *eye, const cmo_sim_plant *plant, unsigned number,
                       noise *source) {
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
    eye->interval_us = 1000.0 * p->interval_ms;
}

void cmi_sim_eye_vary(struct eye *eye, noise *source) {
    noise_seed(&eye->drift, noise_bits(source));
    eye->interval_us /= 1.0 + eye->p->clock_off * noise_spread(source);
    for (int i = 0; i < 3; i++) {
        eye->wander[i] = noise_normal(&eye->drift);
    }
}

double cmi_sim_eye_next_us(const struct eye *eye) {
    // Two samples stand for an exposure: the nodes of Gauss's rule for two points.
    double node = 1000.0 * eye->p->exposure_ms * 0.28867513459481287;
    double middle_us = eye->next_us + eye->off_us;
    return eye->half == 0 ? middle_us - node : middle_us + node;
}

static double ambient(const cmo_sim_plant *plant, double time_s, double x_mm, double y_mm) {
    double light = plant->ambient;
    if (plant->ambient_change_s > 0.0) {
        light *= 1.0 + plant->ambient_change * MIN(time_s / plant->ambient_change_s, 1.0);
    }
    if (plant->flicker > 0.0) {
        double sine, cosine;
        direction_of(6.283185307179586 * plant->flicker_hz * time_s, &cosine, &sine);
        light *= 1.0 + plant->flicker * sine;
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

// How much higher it is than at rest, as a share: so much the wider is its spot.
static double height_share(const struct eye *eye, const eye_view *view) {
    return MAX(1.0 + view->rise_mm / eye->p->height_mm, 0.2);
}

// Two discs for a bell: with the shares 0.6 and 0.4 their second moments sum up to that of one disc
// of the spot's size. What is lopsided is the inner one, which lies ahead.
static double footprint(const struct eye *eye, const cmo_sim_mat *mat, const eye_view *view) {
    const cmo_sim_eye *p = eye->p;
    double spot = eye->spot_mm * height_share(eye, view);
    bool bell = p->footprint == CMO_SIM_BELL;
    if (!bell && p->lopsided == 0.0) {
        return cmo_sim_mat_light(mat, view->x_mm, view->y_mm, spot);
    }
    double ahead = 0.5 * spot * p->lopsided;
    double inner = cmo_sim_mat_light(mat, view->x_mm + ahead * view->cosine,
                                     view->y_mm + ahead * view->sine, (bell ? 0.6 : 0.5) * spot);
    double outer = cmo_sim_mat_light(mat, view->x_mm, view->y_mm, (bell ? 1.4 : 1.0) * spot);
    return bell ? 0.6 * inner + 0.4 * outer : 0.3 * inner + 0.7 * outer;
}

// What comes back of the lamps, and of the ambient light.
static double light_at(const struct eye *eye, const cmo_sim_plant *plant, const cmo_sim_mat *mat,
                       const eye_view *view, double time_us) {
    const cmo_sim_eye *p = eye->p;
    double luminance = footprint(eye, mat, view);
    double around = p->ambient_share * ambient(plant, time_us * 1e-6, view->x_mm, view->y_mm);
    double light = luminance * (1.0 + around);
    if (view->rise_mm != 0.0) { // of a lamp's light less comes back from further away
        double share = height_share(eye, view);
        light /= share * share;
    }
    return light;
}

void cmi_sim_eye_follow(struct eye *eye, const cmo_sim_plant *plant, const cmo_sim_mat *mat,
                        const eye_view *view, double now_us, double dt_s) {
    double light = light_at(eye, plant, mat, view, now_us);
    double share = eye->lit ? dt_s / (eye->p->lag_ms * 1e-3 + dt_s) : 1.0;
    eye->slow += share * (light - eye->slow);
    eye->lit = true;
}

// A gain that wanders at all rates alike: three of them, each ten times as slow as the one before.
static double wander(struct eye *eye) {
    double off = 0.0;
    double span_s = 0.3;
    for (int i = 0; i < 3; i++) {
        double keeps = 1.0 - MIN(eye->interval_us * 1e-6 / span_s, 1.0);
        eye->wander[i] =
            keeps * eye->wander[i] + sqrt(1.0 - keeps * keeps) * noise_normal(&eye->drift);
        off += eye->wander[i] * 0.5773502691896258; // a third of the variance each
        span_s *= 10.0;
    }
    return eye->p->gain_wander * off;
}

// Bent by a parabola that leaves dark and light where they are.
static double bent(const struct eye *eye, double light) {
    return light + 4.0 * eye->p->bend * light * (1.0 - light);
}

void cmi_sim_eye_sample(struct eye *eye, const cmo_sim_plant *plant, const cmo_sim_mat *mat,
                        const eye_view *view, noise *source, bool stuck) {
    double light = eye->lit ? eye->slow : light_at(eye, plant, mat, view, cmi_sim_eye_next_us(eye));
    if (eye->half == 0) {
        eye->first = light;
        eye->half = 1;
        return;
    }
    light = 0.5 * (eye->first + light);
    if (eye->p->cross_light > 0.0) { // so little that one look at it does
        light += eye->p->cross_light *
                 cmo_sim_mat_light(mat, view->other_x_mm, view->other_y_mm, eye->spot_mm);
    }
    if (eye->p->bend != 0.0) {
        light = bent(eye, light);
    }
    double span = eye->span;
    if (eye->p->gain_wander > 0.0) {
        span *= 1.0 + wander(eye);
    }
    double counts = eye->black + span * light + eye->noise * noise_normal(source);
    counts = floor(CLAMP(counts, 0.0, eye->p->counts_max) + 0.5);
    if (!stuck) {
        eye->last_counts = (uint16_t)counts;
    }
    eye_look look = {eye->next_us + eye->off_us + eye->delay_us, eye->last_counts, ++eye->sequence};
    eye->queue[(eye->head + eye->count) % EYE_QUEUE] = look;
    if (eye->count < EYE_QUEUE) {
        eye->count++;
    } else {
        eye->head = (eye->head + 1) % EYE_QUEUE;
    }
    eye->half = 0;
    eye->next_us += eye->interval_us;
    if (eye->p->jitter_ms > 0.0) {
        // Two exposures of a sensor do not overlap.
        double most_us = MIN(1000.0 * eye->p->jitter_ms, 0.4 * eye->interval_us);
        eye->off_us = most_us * noise_spread(&eye->drift);
    }
}
