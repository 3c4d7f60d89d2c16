// SPDX-License-Identifier: MIT
#include "light_sensor.h"

#include "direction.h"

#include <math.h>
#include <string.h>

#define REFERENCE_HEIGHT_MM 8.0

void cmi_sim_light_start(struct light_sensor *sensor, const cmo_sim_plant *plant, unsigned number,
                         noise *source) {
    memset(sensor, 0, sizeof *sensor);
    const cmo_sim_light *p = sensor->p = &plant->sensor[number];
    double height = p->height_mm / REFERENCE_HEIGHT_MM;
    double gain = (1.0 + plant->gain_spread * noise_spread(source)) / (height * height);
    sensor->ahead_mm = p->ahead_mm + plant->place_spread_mm * noise_spread(source);
    sensor->left_mm = p->left_mm + plant->place_spread_mm * noise_spread(source);
    double delay_ms = p->delay_ms + plant->delay_spread_ms * noise_spread(source);
    sensor->delay_us = fmax(1000.0 * delay_ms, 0.0);
    sensor->spot_mm = p->spot_mm * height;
    sensor->black = p->black_counts;
    sensor->span = (p->white_counts - p->black_counts) * gain;
    sensor->noise = p->noise * fabs(p->white_counts - p->black_counts);
    // Its clock has nothing to do with the program's.
    sensor->next_us = 1000.0 * p->interval_ms * noise_even(source);
    sensor->interval_us = 1000.0 * p->interval_ms;
}

void cmi_sim_light_vary(struct light_sensor *sensor, noise *source) {
    noise_seed(&sensor->drift, noise_bits(source));
    sensor->interval_us /= 1.0 + sensor->p->clock_off * noise_spread(source);
    for (int i = 0; i < 3; i++) {
        sensor->wander[i] = noise_normal(&sensor->drift);
    }
    const cmo_sim_light *p = sensor->p;
    const double lamp[3] = {p->lamp_red, p->lamp_green, p->lamp_blue};
    for (int i = 0; i < 3 && p->colour != 0.0; i++) {
        double own = 1.0;
        for (int j = 0; j < 3; j++) {
            double through = p->colour_mix * (1.0 + 0.2 * noise_spread(&sensor->drift));
            sensor->mix[i][j] = lamp[j] * through;
            own -= i != j ? through : 0.0;
        }
        sensor->mix[i][i] = lamp[i] * own;
    }
}

// Colours that are exposed one after another are so about the middle one.
static bool one_by_one(const struct light_sensor *sensor) {
    return sensor->p->colour != 0.0 && sensor->p->colour_span_ms > 0.0;
}

double cmi_sim_light_next_us(const struct light_sensor *sensor) {
    // Two samples stand for an exposure: the nodes of Gauss's rule for two points.
    double node = 1000.0 * sensor->p->exposure_ms * 0.28867513459481287;
    double end = MAX(500.0 * sensor->p->colour_span_ms, node);
    double middle_us = sensor->next_us + sensor->off_us;
    const double apart[4] = {-end, -node, node, end};
    const double together[2] = {-node, node};
    return middle_us + (one_by_one(sensor) ? apart[sensor->step] : together[sensor->step]);
}

static double ambient(const cmo_sim_plant *plant, double time_s, double x_mm, double y_mm) {
    double light = plant->ambient;
    if (plant->ambient_change_s > 0.0) {
        light *= 1.0 + plant->ambient_change * MIN(time_s / plant->ambient_change_s, 1.0);
    }
    if (plant->flicker > 0.0) {
        light *= 1.0 + plant->flicker * sine_of_turns(plant->flicker_hz * time_s);
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
static double height_share(const struct light_sensor *sensor, const sensor_view *view) {
    return MAX(1.0 + view->rise_mm / sensor->p->height_mm, 0.2);
}

static int values_of(const struct light_sensor *sensor) {
    return sensor->p->colour != 0.0 ? SENSOR_VALUES : 1;
}

// The light within a disc, and what the channels see of its colours.
static void disc(const struct light_sensor *sensor, const cmo_sim_mat *mat, double x_mm,
                 double y_mm, double size_mm, double light[SENSOR_VALUES]) {
    light[0] = cmo_sim_mat_light(mat, x_mm, y_mm, size_mm);
    if (sensor->p->colour == 0.0) {
        return;
    }
    double colour[3];
    cmo_sim_mat_colour(mat, x_mm, y_mm, size_mm, colour);
    for (int i = 0; i < 3; i++) {
        light[1 + i] = 0.0;
        for (int j = 0; j < 3; j++) {
            light[1 + i] += sensor->mix[i][j] * colour[j];
        }
    }
}

// Two discs for a bell: with the shares 0.6 and 0.4 their second moments sum up to that of one disc
// of the spot's size. What is lopsided is the inner one, which lies ahead.
static void footprint(const struct light_sensor *sensor, const cmo_sim_mat *mat,
                      const sensor_view *view, double light[SENSOR_VALUES]) {
    const cmo_sim_light *p = sensor->p;
    double spot = sensor->spot_mm * height_share(sensor, view);
    bool bell = p->footprint == CMO_SIM_BELL;
    if (!bell && p->lopsided == 0.0) {
        disc(sensor, mat, view->x_mm, view->y_mm, spot, light);
        return;
    }
    double ahead = 0.5 * spot * p->lopsided;
    double inner[SENSOR_VALUES];
    double outer[SENSOR_VALUES];
    disc(sensor, mat, view->x_mm + ahead * view->cosine, view->y_mm + ahead * view->sine,
         (bell ? 0.6 : 0.5) * spot, inner);
    disc(sensor, mat, view->x_mm, view->y_mm, (bell ? 1.4 : 1.0) * spot, outer);
    for (int i = 0; i < values_of(sensor); i++) {
        light[i] = bell ? 0.6 * inner[i] + 0.4 * outer[i] : 0.3 * inner[i] + 0.7 * outer[i];
    }
}

// What comes back of the lamps, and of the ambient light.
static void light_at(const struct light_sensor *sensor, const cmo_sim_plant *plant,
                     const cmo_sim_mat *mat, const sensor_view *view, double time_us,
                     double light[SENSOR_VALUES]) {
    const cmo_sim_light *p = sensor->p;
    footprint(sensor, mat, view, light);
    double around = p->ambient_share * ambient(plant, time_us * 1e-6, view->x_mm, view->y_mm);
    // Of a lamp's light less comes back from further away.
    double share = view->rise_mm != 0.0 ? height_share(sensor, view) : 1.0;
    for (int i = 0; i < values_of(sensor); i++) {
        light[i] *= 1.0 + around;
        light[i] /= share * share;
    }
}

void cmi_sim_light_follow(struct light_sensor *sensor, const cmo_sim_plant *plant,
                          const cmo_sim_mat *mat, const sensor_view *view, double now_us,
                          double dt_s) {
    double light[SENSOR_VALUES];
    light_at(sensor, plant, mat, view, now_us, light);
    double share = sensor->lit ? dt_s / (sensor->p->lag_ms * 1e-3 + dt_s) : 1.0;
    for (int i = 0; i < values_of(sensor); i++) {
        sensor->slow[i] += share * (light[i] - sensor->slow[i]);
    }
    sensor->lit = true;
}

// A gain that wanders at all rates alike: three of them, each ten times as slow as the one before.
static double wander(struct light_sensor *sensor) {
    double off = 0.0;
    double span_s = 0.3;
    for (int i = 0; i < 3; i++) {
        double keeps = 1.0 - MIN(sensor->interval_us * 1e-6 / span_s, 1.0);
        sensor->wander[i] =
            keeps * sensor->wander[i] + sqrt(1.0 - keeps * keeps) * noise_normal(&sensor->drift);
        off += sensor->wander[i] * 0.5773502691896258; // a third of the variance each
        span_s *= 10.0;
    }
    return sensor->p->gain_wander * off;
}

// Bent by a parabola that leaves dark and light where they are.
static double bent(const struct light_sensor *sensor, double light) {
    return light + 4.0 * sensor->p->bend * light * (1.0 - light);
}

static uint16_t to_counts(const struct light_sensor *sensor, double light, double span,
                          double off) {
    double seen = sensor->p->bend != 0.0 ? bent(sensor, light) : light;
    double counts = sensor->black + span * seen + off;
    return (uint16_t)floor(CLAMP(counts, 0.0, sensor->p->counts_max) + 0.5);
}

// The looks of an exposure that is over.
static void hand_over(struct light_sensor *sensor, double light, noise *source, bool stuck) {
    double span = sensor->span;
    if (sensor->p->gain_wander > 0.0) {
        span *= 1.0 + wander(sensor);
    }
    uint16_t counts = to_counts(sensor, light, span, sensor->noise * noise_normal(source));
    sensor_look look = {sensor->next_us + sensor->off_us + sensor->delay_us,
                        stuck ? sensor->last_counts : counts,
                        {0},
                        ++sensor->sequence};
    for (int i = 0; i < 3 && sensor->p->colour != 0.0; i++) {
        bool apart = one_by_one(sensor) && i != 1;
        double channel = apart ? sensor->ends[i / 2] : sensor->middle[1 + i];
        double off = sensor->p->colour_noise * fabs(sensor->span) * noise_normal(&sensor->drift);
        uint16_t seen = to_counts(sensor, channel, span, off);
        look.colour[i] = stuck ? sensor->last_colour[i] : seen;
        sensor->last_colour[i] = look.colour[i];
    }
    sensor->last_counts = look.counts;
    sensor->queue[(sensor->head + sensor->count) % SENSOR_QUEUE] = look;
    if (sensor->count < SENSOR_QUEUE) {
        sensor->count++;
    } else {
        sensor->head = (sensor->head + 1) % SENSOR_QUEUE;
    }
}

void cmi_sim_light_sample(struct light_sensor *sensor, const cmo_sim_plant *plant,
                          const cmo_sim_mat *mat, const sensor_view *view, noise *source,
                          bool stuck) {
    double light[SENSOR_VALUES];
    if (sensor->lit) {
        memcpy(light, sensor->slow, sizeof light);
    } else {
        light_at(sensor, plant, mat, view, cmi_sim_light_next_us(sensor), light);
    }
    int last = one_by_one(sensor) ? 3 : 1;
    bool is_end = last == 3 && (sensor->step == 0 || sensor->step == last);
    if (is_end) {
        sensor->ends[sensor->step == last] = light[sensor->step == last ? 3 : 1];
    } else {
        bool first = sensor->step == (last == 3 ? 1 : 0);
        for (int i = 0; i < values_of(sensor); i++) {
            sensor->middle[i] = first ? light[i] : 0.5 * (sensor->middle[i] + light[i]);
        }
        if (!first && sensor->p->cross_light > 0.0) { // so little that one look at it does
            sensor->middle[0] +=
                sensor->p->cross_light *
                cmo_sim_mat_light(mat, view->other_x_mm, view->other_y_mm, sensor->spot_mm);
        }
    }
    if (sensor->step < last) {
        sensor->step++;
        return;
    }
    hand_over(sensor, sensor->middle[0], source, stuck);
    sensor->step = 0;
    sensor->next_us += sensor->interval_us;
    if (sensor->p->jitter_ms > 0.0) {
        // Two exposures of a sensor do not overlap.
        double most_us = MIN(1000.0 * sensor->p->jitter_ms, 0.4 * sensor->interval_us);
        sensor->off_us = most_us * noise_spread(&sensor->drift);
    }
}

void cmi_sim_light_still(const struct light_sensor *sensor, const cmo_sim_mat *mat,
                         const sensor_view *view, uint16_t *counts, uint16_t colour[3]) {
    double light[SENSOR_VALUES];
    footprint(sensor, mat, view, light);
    *counts = to_counts(sensor, light[0], sensor->span, 0.0);
    for (int i = 0; i < 3; i++) {
        colour[i] =
            sensor->p->colour != 0.0 ? to_counts(sensor, light[1 + i], sensor->span, 0.0) : 0;
    }
}
