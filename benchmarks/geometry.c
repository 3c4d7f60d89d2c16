// SPDX-License-Identifier: GPL-3.0-or-later
// Geometry measured by one drive over two lines, on random robots: what was stated, what was
// measured, what is true.
#include <cammino/cammino.h>
#include <cammino_simulator/simulator.h>

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define ROBOTS_MAX 1000
#define LINES_MM   350.0

static uint64_t bits;

static double even(double low, double high) {
    bits = bits * 6364136223846793005U + 1442695040888963407U;
    return low + (high - low) * (double)(bits >> 11) * 0x1p-53;
}

static double two_lines(void *data, double x_mm, double y_mm, unsigned *marks) {
    (void)data;
    (void)y_mm;
    double from = x_mm - 600.0;
    bool line = (from >= 0.0 && from < 20.0) || (from >= LINES_MM && from < LINES_MM + 20.0);
    *marks = line ? 1U << CMO_SIM_LINE : 0U;
    return line ? 0.05 : 0.6;
}

enum { MISMATCH, TRACK, RATIO, SIZE, LEFT_DELAY, RIGHT_DELAY, FIGURES };
static const char *const names[FIGURES] = {"spots' mismatch, mm", "track, %",
                                           "wheel ratio, %",      "mean wheel size, %",
                                           "left delay, ms",      "right delay, ms"};
static const double bars[FIGURES] = {0.2, 0.3, 0.1, 0.0, 1.0, 1.0};

typedef struct result {
    double stated[FIGURES], measured[FIGURES], claimed[FIGURES];
} result;

static bool measure(uint64_t seed, const cmo_sim_mat *mat, result *out) {
    bits = seed * 0x9E3779B97F4A7C15U;
    even(0, 1);
    bool slow_ticks = even(0, 1) < 0.5;
    bool regulated = even(0, 1) < 0.7;
    cmo_robot_description d = {
        .tick_us = slow_ticks ? 10000 : 5000,
        .track_mm = (float)even(90, 150),
        .encoder_bits = 16,
        .top_speed_mm_s = 700,
        .slowest_mm_s = 15,
        .acceleration_mm_s2 = 2000,
        .braking_mm_s2 = 3000,
        .lag_ms = (float)even(30, 60),
        .full_duty_mm_s = regulated ? 0.0F : 1000.0F,
        .dead_duty = regulated ? 0.0F : 0.02F,
        .lights = 2,
    };
    double step = even(0.2, 0.8);
    d.left_step_mm = d.right_step_mm = (float)step;
    double spread = even(0.3, 0.45) * (double)d.track_mm;
    double ahead = even(0.5, 0.8) * (double)d.track_mm;
    double delay = even(4.0, 15.0);
    for (int i = 0; i < 2; i++) {
        d.light[i] = (cmo_light_description){.ahead_mm = (float)ahead,
                                             .left_mm = (float)(i == 0 ? spread : -spread),
                                             .spot_mm = 6,
                                             .delay_us = (uint32_t)(1000.0 * delay),
                                             .interval_us = 10000,
                                             .counts_max = 1023};
    }
    cmo_sim_setup setup = {
        .traits = (uint16_t)(CMO_TRAIT_ENCODERS | CMO_TRAIT_LOOK_TIMES | CMO_TRAIT_COAST |
                             CMO_TRAIT_BRAKE | (regulated ? CMO_TRAIT_SPEED : 0)),
        .mat = mat,
        .x_mm = 600.0 - ahead - even(90, 140),
        .y_mm = 700,
        .heading_deg = even(-6, 6),
        .seed = seed,
    };
    cmo_sim_plant *p = &setup.plant;
    cmo_sim_plant_default(p, &d);
    cmo_sim_faults_none(&setup.faults);
    p->wheel_spread = p->place_spread_mm = p->delay_spread_ms = 0.0; // drawn here, to be known
    p->left_wheel = 1.0 + even(-0.004, 0.004);
    p->right_wheel = 1.0 + even(-0.004, 0.004);
    p->track_mm = (double)d.track_mm * (1.0 + even(-0.02, 0.02));
    p->gear_play_mm = even(0.2, 0.8);
    p->tyre_creep = even(0.015, 0.03);
    p->battery = even(0.85, 1.1);
    for (int i = 0; i < 2; i++) {
        p->sensor[i].ahead_mm += even(-1, 1);
        p->sensor[i].left_mm += even(-1, 1);
        p->sensor[i].delay_ms += even(-1.5, 1.5);
        p->sensor[i].noise = even(0.003, 0.015);
    }
    cmo_sim *sim = cmo_sim_new(&setup);
    cmo_robot robot;
    static cmo_measure_geometry_state state;
    cmo_robot_start(&robot, &d, cmo_sim_port(sim));
    for (int i = 0; i < 2; i++) {
        const cmo_sim_light *sensor = &p->sensor[i];
        double span = (sensor->white_counts - sensor->black_counts) *
                      (1.0 + sensor->ambient_share * p->ambient);
        cmo_robot_set_levels(&robot, (uint8_t)i,
                             &(cmo_levels){.dark = (uint16_t)(sensor->black_counts + 0.05 * span),
                                           .light = (uint16_t)(sensor->black_counts + 0.6 * span),
                                           .void_counts = CMO_LEVEL_UNKNOWN,
                                           .noise = (uint16_t)(1.0 + sensor->noise * span)});
    }
    cmo_measure_geometry_parameters parameters = {.lines_mm = (float)LINES_MM};
    cmo_outcome outcome = cmo_measure_geometry(&robot, &state, &parameters);
    if (outcome != CMO_OUTCOME_DONE) {
        printf("    seed %d: %s\n", (int)seed, cmo_outcome_name(outcome));
    }
    const cmo_geometry *g = &state.geometry;
    double mean_wheel = 0.5 * (p->left_wheel + p->right_wheel);
    double mismatch = p->sensor[0].ahead_mm - p->sensor[1].ahead_mm;
    *out = (result){
        .stated = {-mismatch, 100.0 * ((double)d.track_mm / p->track_mm - 1.0),
                   100.0 * (p->left_wheel / p->right_wheel - 1.0), 100.0 * (1.0 / mean_wheel - 1.0),
                   delay - p->sensor[0].delay_ms, delay - p->sensor[1].delay_ms},
        .measured = {(double)(g->ahead_mm[0] - g->ahead_mm[1]) - mismatch,
                     100.0 * ((double)g->track_mm / p->track_mm - 1.0),
                     100.0 * ((double)(g->right_step_mm / g->left_step_mm) * p->left_wheel /
                                  p->right_wheel -
                              1.0),
                     100.0 *
                         (0.5 * (double)(g->left_step_mm + g->right_step_mm) / (step * mean_wheel) -
                          1.0),
                     (double)g->delay_ms[0] - p->sensor[0].delay_ms,
                     (double)g->delay_ms[1] - p->sensor[1].delay_ms},
        .claimed = {(double)g->mismatch_error_mm, 100.0 * (double)(g->track_error_mm / g->track_mm),
                    100.0 * (double)g->ratio_error, 100.0 * (double)g->size_error,
                    (double)g->delay_error_ms, (double)g->delay_error_ms},
    };
    cmo_sim_free(sim);
    return outcome == CMO_OUTCOME_DONE;
}

static int by_size(const void *a, const void *b) {
    double first = fabs(*(const double *)a);
    double second = fabs(*(const double *)b);
    return (first > second) - (first < second);
}

int main(int count, char **arguments) {
    int robots = count > 1 ? CLAMP(atoi(arguments[1]), 10, ROBOTS_MAX) : 200;
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1600, 1200, 2, two_lines, NULL);
    static result results[ROBOTS_MAX];
    int done = 0;
    for (int i = 0; i < robots; i++) {
        done += measure((uint64_t)i + 1, mat, &results[done]);
    }
    printf(
        "Geometry by one drive over two lines, %d of %d robots done; errors against the truth\n\n"
        "%-22s%10s%10s%10s%10s%10s%8s%8s\n",
        done, robots, "", "stated", "RMS", "p95", "worst", "claimed", "bar", "within");
    bool all = done == robots && done > 0;
    for (int f = 0; f < FIGURES && done > 0; f++) {
        double errors[ROBOTS_MAX];
        double stated = 0.0, squares = 0.0, claimed = 0.0;
        int within = 0;
        for (int i = 0; i < done; i++) {
            errors[i] = results[i].measured[f];
            stated += results[i].stated[f] * results[i].stated[f] / done;
            squares += errors[i] * errors[i] / done;
            claimed += results[i].claimed[f] * results[i].claimed[f] / done;
            within += fabs(errors[i]) <= bars[f];
        }
        qsort(errors, (size_t)done, sizeof(double), by_size);
        printf("%-22s%10.3f%10.3f%10.3f%10.3f%10.3f", names[f], sqrt(stated), sqrt(squares),
               fabs(errors[(int)(0.95 * done)]), fabs(errors[done - 1]), sqrt(claimed));
        if (bars[f] > 0.0) {
            printf("%8.1f%5d/%d  %s", bars[f], within, done, within == done ? "holds" : "misses");
            all = all && within == done;
        }
        printf("\n");
    }
    cmo_sim_mat_free(mat);
    return all ? 0 : 1;
}
