// SPDX-License-Identifier: MIT
#include "geometry.h"

#include "../shared/description.h"

#include "../moves/motion.h"
#include "../shared/trig.h"

#include <math.h>
#include <string.h>

// By how much further the left sensor had to go to the line than the right one: with the left spot
// `mismatch` further ahead, `across` apart and a heading `angle` to the left of the normal, that is
// across * tan(angle) - mismatch.
static float difference(const cmo_line_meeting *meeting) {
    return meeting->way_mm[0] - meeting->way_mm[1];
}

static float tangent(float angle) {
    float sine, cosine;
    cmi_sin_cos(angle, &sine, &cosine);
    return sine / cosine;
}

static float cosine_of(float angle) {
    float sine, cosine;
    cmi_sin_cos(angle, &sine, &cosine);
    return cosine;
}

float cmi_geometry_heading(const cmo_robot_description *description,
                           const cmo_line_meeting meeting[2], float way_mm) {
    const cmo_light_description *light = description->light;
    float mismatch = light[0].ahead_mm - light[CMI_FRONT - 1].ahead_mm;
    float across = light[0].left_mm - light[CMI_FRONT - 1].left_mm;
    float first = cmi_atan((difference(&meeting[0]) + mismatch) / across);
    float second = cmi_atan((difference(&meeting[1]) + mismatch) / across);
    float between = 0.5F * (meeting[1].way_mm[0] + meeting[1].way_mm[1] - meeting[0].way_mm[0] -
                            meeting[0].way_mm[1]);
    float after = way_mm - 0.5F * (meeting[1].way_mm[0] + meeting[1].way_mm[1]);
    return between > 1.0F ? second + (second - first) * after / between : second;
}

// Rounds of solving the places, before the delays are known and after.
#define PLACE_ROUNDS 4U

typedef cmo_geometry_solution solution;

// Of a whole pass: the mean of what both lines say.
static float pass_angle(const solution *s, uint8_t pass) {
    return 0.5F * (s->angle[pass][0] + s->angle[pass][1]);
}

// How much nearer the axle stays to the second line than to the first, because in between the robot
// has turned and its sensors with it.
static float nearer(const solution *s, uint8_t pass) {
    return s->ahead * (cosine_of(s->angle[pass][1]) - cosine_of(s->angle[pass][0]));
}

// A straight pass's way along the normal.
static float normal_way(const solution *s, uint8_t pass, float way) {
    return way * cosine_of(pass_angle(s, pass)) + nearer(s, pass);
}

// sqrt(1 - c^2) / c, the tangent of the angle whose cosine is c.
static float slope_of(float cosine) {
    float c = fminf(cosine, 1.0F);
    return sqrtf(fmaxf(1.0F - c * c, 0.0F)) / c;
}

// The slanted passes' angles follow from their ways alone; then their differences tell how far the
// spots are apart and how far one is ahead; then those tell the straight passes' small angles. A
// few rounds of that, and they stay.
static void solve_places(solution *s, const cmo_measure_geometry_state *state) {
    for (uint8_t p = 0; p < CMI_PASSES; p++) {
        for (uint8_t n = 0; n < 2; n++) {
            s->angle[p][n] =
                cmi_atan((difference(&state->meeting[p][n]) + s->mismatch) / s->across);
        }
    }
    s->normal = normal_way(s, 2, s->way[2]);
    float left = slope_of((s->normal - nearer(s, 1)) / s->way[1]);
    float right = -slope_of((s->normal - nearer(s, 3)) / s->way[3]);
    float left_difference =
        0.5F * (difference(&state->meeting[1][0]) + difference(&state->meeting[1][1]));
    float right_difference =
        0.5F * (difference(&state->meeting[3][0]) + difference(&state->meeting[3][1]));
    if (left - right > 0.1F) {
        s->across = (left_difference - right_difference) / (left - right);
    }
    s->mismatch = 0.5F * (s->across * (left + right) - left_difference - right_difference);
}

// Standard deviation of one crossing, from how much the lines' widths differ among the passes.
static float crossing_error(const solution *s, const cmo_measure_geometry_state *state) {
    float sum = 0.0F;
    for (uint8_t n = 0; n < 2; n++) {
        float widths[8];
        float mean = 0.0F;
        for (uint8_t k = 0; k < 8; k++) {
            uint8_t p = k / 2;
            // The second pass meets the lines in the other order.
            uint8_t line = p % 2 == 0 ? n : (uint8_t)(1 - n);
            widths[k] = state->meeting[p][line].width_mm[k % 2] * cosine_of(s->angle[p][line]);
            mean += widths[k] / 8.0F;
        }
        for (uint8_t k = 0; k < 8; k++) {
            sum += (widths[k] - mean) * (widths[k] - mean) / 7.0F;
        }
    }
    return fmaxf(sqrtf(0.25F * sum), 0.02F); // two edges a width, two lines
}

// By how much the wheels have turned it between the lines of a pass.
static float counted_turn(const cmo_robot_description *d, const cmo_line_meeting *m) {
    return (m[1].right_mm - m[0].right_mm - (m[1].left_mm - m[0].left_mm)) / d->track_mm;
}

// One pass: what the lines say of its turn, less what the odometer says of it.
static float turn_error(const cmo_robot_description *d, const solution *s,
                        const cmo_measure_geometry_state *state, uint8_t pass) {
    return s->angle[pass][1] - s->angle[pass][0] - counted_turn(d, state->meeting[pass]);
}

// Ratio of the wheels: what a straight pass turned in truth and not by the counts. Size: the lines'
// true distance over the counted one. Track: half turns, of which the lines know that they are half
// turns, against the ways that the wheels rolled in them.
static void solve_wheels(const cmo_robot_description *d, const solution *s,
                         const cmo_measure_geometry_state *state, float sigma, cmo_geometry *g) {
    float ratio = 0.0F; // right size less left size, as a share
    for (uint8_t p = 0; p < CMI_PASSES; p++) {
        ratio += 0.25F * turn_error(d, s, state, p) * d->track_mm / s->way[p];
    }
    float size = state->parameters.lines_mm > 0.0F ? state->parameters.lines_mm / s->normal : 1.0F;
    g->left_step_mm = d->left_step_mm * size * (1.0F - 0.5F * ratio);
    g->right_step_mm = d->right_step_mm * size * (1.0F + 0.5F * ratio);
    float turned = 0.0F;
    float rolled = 0.0F;
    for (uint8_t p = 0; p + 1U < CMI_PASSES; p++) {
        const cmo_line_meeting *from = &state->meeting[p][1];
        const cmo_line_meeting *to = &state->meeting[p + 1][0];
        turned += CMI_PI + s->angle[p + 1][0] - s->angle[p][1];
        rolled += (to->right_mm - from->right_mm) * size * (1.0F + 0.5F * ratio) -
                  (to->left_mm - from->left_mm) * size * (1.0F - 0.5F * ratio);
    }
    g->track_mm = rolled / turned;
    // A meeting's middle is the mean of two edges; an angle takes two of them.
    float angle_error = sigma / s->across;
    g->size_error = state->parameters.lines_mm > 0.0F ? 0.5F * sigma / s->normal : NAN;
    g->ratio_error = 0.5F * 1.414F * angle_error * d->track_mm / s->normal;
    g->track_error_mm = g->track_mm * (2.449F * angle_error / turned);
}

// A sensor's own way from line to line along their normal: of what it turns as the wheels say so.
static float own_way(const cmo_robot_description *d, const solution *s,
                     const cmo_measure_geometry_state *state, uint8_t pass, uint8_t sensor) {
    const cmo_line_meeting *m = state->meeting[pass];
    float turned = d->light[sensor].left_mm * counted_turn(d, m);
    return normal_way(s, pass, m[1].way_mm[sensor] - m[0].way_mm[sensor] - turned);
}

// A delay d moves a line on by v d. The first pass meets the second line faster than the first one,
// the third both alike: their ways between the lines differ by (v2 - v1) d.
static float solve_delay(const cmo_robot_description *d, const solution *s,
                         const cmo_measure_geometry_state *state, uint8_t sensor) {
    const cmo_line_meeting *up = state->meeting[0];
    const cmo_line_meeting *even = state->meeting[2];
    float change = own_way(d, s, state, 0, sensor) - own_way(d, s, state, 2, sensor);
    float speeds = up[1].speed_mm_s - up[0].speed_mm_s - even[1].speed_mm_s + even[0].speed_mm_s;
    float squares = up[1].speed_mm_s * up[1].speed_mm_s - up[0].speed_mm_s * up[0].speed_mm_s -
                    even[1].speed_mm_s * even[1].speed_mm_s +
                    even[0].speed_mm_s * even[0].speed_mm_s;
    return 1000.0F * (change - CMI_TYRE_CREEP * squares) / speeds;
}

static void take_ways(solution *s, const cmo_measure_geometry_state *state) {
    for (uint8_t p = 0; p < CMI_PASSES; p++) {
        const cmo_line_meeting *m = state->meeting[p];
        s->way[p] = 0.5F * (m[1].way_mm[0] + m[1].way_mm[1] - m[0].way_mm[0] - m[0].way_mm[1]);
    }
}

static void begin(const cmo_robot_description *d, const cmo_measure_geometry_state *state,
                  solution *s) {
    const cmo_light_description *light = d->light;
    *s = (solution){.ahead = 0.5F * (light[0].ahead_mm + light[CMI_FRONT - 1].ahead_mm),
                    .mismatch = light[0].ahead_mm - light[CMI_FRONT - 1].ahead_mm,
                    .across = light[0].left_mm - light[CMI_FRONT - 1].left_mm};
    take_ways(s, state);
}

static void take_out_delays(const cmo_robot_description *d, cmo_measure_geometry_state *state,
                            solution *s) {
    for (uint8_t i = 0; i < 2; i++) {
        float off_ms = solve_delay(d, s, state, i);
        s->delay_ms[i] = (float)d->light[i].delay_us * 1e-3F + off_ms;
        for (uint8_t k = 0; k < 2 * CMI_PASSES; k++) {
            cmo_line_meeting *m = &state->meeting[k / 2][k % 2];
            m->way_mm[i] -= 1e-3F * off_ms * m->speed_mm_s;
        }
    }
    take_ways(s, state);
}

static void conclude(const cmo_robot_description *d, const cmo_measure_geometry_state *state,
                     const solution *s, cmo_geometry *g) {
    const cmo_light_description *light = d->light;
    float sigma = crossing_error(s, state);
    solve_wheels(d, s, state, sigma, g);
    float size = (g->left_step_mm + g->right_step_mm) / (d->left_step_mm + d->right_step_mm);
    float ahead =
        0.5F * (light[0].ahead_mm + light[CMI_FRONT - 1].ahead_mm); // a ruler's, not this drive's
    float middle = 0.5F * (light[0].left_mm + light[CMI_FRONT - 1].left_mm);
    for (uint8_t i = 0; i < 2; i++) {
        float half = i == 0 ? 0.5F : -0.5F;
        g->ahead_mm[i] = ahead + half * s->mismatch * size;
        g->left_mm[i] = middle + half * s->across * size;
        g->delay_ms[i] = s->delay_ms[i];
    }
    float slope = tangent(cmi_radians(state->parameters.slant_deg));
    float tilt = sigma / (1.414F * s->normal * slope); // error of a slanted pass's angle
    g->mismatch_error_mm =
        sqrtf(0.25F * sigma * sigma + 0.5F * s->across * s->across * tilt * tilt);
    float speeds = state->parameters.fast_mm_s - state->parameters.speed_mm_s;
    g->delay_error_ms = 1000.0F * 1.414F * sigma / speeds;
}

// What more rounds do not lessen. A spot whose size is stated wrong by a sixth places its crossings
// wrong by a sixth of as far as the edge is from its middle by then, a fifth of a radius; and two
// sensors' need not agree. What tyres creep while they speed up looks like a delay.
static float spots_error_mm(const cmo_robot_description *d) {
    return 0.5F * 0.2F * 0.17F * (d->light[0].spot_mm + d->light[CMI_FRONT - 1].spot_mm) * 0.707F;
}

static float creep_error_ms(const cmo_measure_geometry_parameters *p) {
    return 1000.0F * CMI_TYRE_CREEP_ERROR * (p->fast_mm_s + p->speed_mm_s);
}

// A round's value is so far off the mean of those before it.
static void note_scatter(float *scatter, float off, float rounds) {
    *scatter += off * off * (rounds - 1.0F) / rounds;
}

// The error of the mean: by what one round knows of its own, and by how much they differ.
static float mean_error(float one, float scatter, float rounds, float common) {
    float square = one * one;
    if (rounds > 1.0F) {
        square = fmaxf(square, scatter / (rounds - 1.0F));
    }
    return sqrtf(square / rounds + common * common);
}

static void take_into_mean(const cmo_robot_description *d, cmo_measure_geometry_state *state,
                           const cmo_geometry *now) {
    cmo_geometry *g = &state->geometry;
    cmo_geometry_scatter *scatter = &state->scatter;
    float rounds = (float)state->round;
    float size = (g->left_step_mm + g->right_step_mm) / (d->left_step_mm + d->right_step_mm);
    float sizes = (now->left_step_mm + now->right_step_mm) / (d->left_step_mm + d->right_step_mm);
    float stated = d->right_step_mm / d->left_step_mm;
    note_scatter(&scatter->size, sizes - size, rounds);
    note_scatter(&scatter->ratio,
                 (now->right_step_mm / now->left_step_mm - g->right_step_mm / g->left_step_mm) /
                     stated,
                 rounds);
    note_scatter(&scatter->track, now->track_mm - g->track_mm, rounds);
    note_scatter(&scatter->mismatch,
                 now->ahead_mm[0] - now->ahead_mm[1] - g->ahead_mm[0] + g->ahead_mm[1], rounds);
    float later = now->delay_ms[0] + now->delay_ms[1] - g->delay_ms[0] - g->delay_ms[1];
    note_scatter(&scatter->delay, 0.707F * later, rounds); // as of one, were they by themselves
    float *mean = (float *)g;                              // nothing but numbers
    const float *value = (const float *)now;
    for (uint8_t i = 0; i < CMI_GEOMETRY_NUMBERS; i++) {
        mean[i] += (value[i] - mean[i]) / rounds;
    }
    g->size_error = mean_error(now->size_error, scatter->size, rounds, 0.0F);
    g->ratio_error = mean_error(now->ratio_error, scatter->ratio, rounds, 0.0F);
    g->track_error_mm = mean_error(now->track_error_mm, scatter->track, rounds, 0.0F);
    g->mismatch_error_mm =
        mean_error(now->mismatch_error_mm, scatter->mismatch, rounds, spots_error_mm(d));
    g->delay_error_ms =
        mean_error(now->delay_error_ms, scatter->delay, rounds, creep_error_ms(&state->parameters));
}

bool cmi_geometry_solve(const cmo_robot_description *d, cmo_measure_geometry_state *state) {
    solution *s = &state->solution;
    uint8_t step = state->solved++;
    if (step == 0) {
        begin(d, state, s);
    } else if (step == PLACE_ROUNDS + 1U) {
        take_out_delays(d, state, s);
    } else if (step <= 2U * PLACE_ROUNDS + 1U) {
        solve_places(s, state);
    } else {
        cmo_geometry now;
        conclude(d, state, s, &now);
        take_into_mean(d, state, &now);
        state->solved = 0;
    }
    return state->solved == 0;
}

void cmo_geometry_apply(const cmo_geometry *geometry, cmo_robot_description *description) {
    description->left_step_mm = geometry->left_step_mm;
    description->right_step_mm = geometry->right_step_mm;
    description->track_mm = geometry->track_mm;
    for (uint8_t i = 0; i < description->lights && i < 2; i++) {
        description->light[i].ahead_mm = geometry->ahead_mm[i];
        description->light[i].left_mm = geometry->left_mm[i];
        float delay_us = fmaxf(0.0F, fminf(1000.0F * geometry->delay_ms[i], 50000.0F));
        description->light[i].delay_us = (uint32_t)(delay_us + 0.5F);
    }
}
