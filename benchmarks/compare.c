// SPDX-License-Identifier: GPL-3.0-or-later
#include "compare.h"

#include "practice.h"

#include <cammino_lab/series.h>

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define MOST COMPARE_MOST

static const char svg[] =
    "<svg xmlns='http://www.w3.org/2000/svg' width='1300mm' height='1000mm' viewBox='0 0 1300 "
    "1000'>"
    "<rect width='1300' height='1000' fill='#c9d2c6'/>"
    "<rect class='line' x='800' width='20' height='1000' fill='#2c3036'/></svg>";
#define EDGE_MM 800.0

typedef struct outcome {
    double rest[MOST], residual[MOST], time_ms[MOST];
    int done;
} outcome;

static int by_size(const void *a, const void *b) {
    double first = fabs(*(const double *)a);
    double second = fabs(*(const double *)b);
    return (first > second) - (first < second);
}

static double p95(double *values, int n) {
    qsort(values, (size_t)n, sizeof(double), by_size);
    return n > 0 ? fabs(values[(int)(0.95 * n)]) : NAN;
}

static double angle_of(int i, double most) {
    return most * (2.0 * fmod(i * 0.6180339887, 1.0) - 1.0);
}

static lab_start start_of(const lab_robot *robot, int i, double most_deg) {
    double heading = angle_of(i, most_deg);
    double turn = heading * G_PI / 180.0;
    double ahead = (double)robot->description.light[0].ahead_mm;
    double left = (double)robot->description.light[0].left_mm;
    double run_up = 280.0 + i % 10;
    return (lab_start){EDGE_MM - ahead * cos(turn) - left * fabs(sin(turn)) - run_up * cos(turn),
                       500.0 - run_up * sin(turn), heading};
}

static void ours(lab_route *route, const lab_leg *leg, int runs, double most_deg, outcome *out) {
    memset(out, 0, sizeof *out);
    route->leg[0] = *leg;
    for (int i = 0; i < runs; i++) {
        lab_start start = start_of(route->robot, i, most_deg);
        lab_run *run = lab_drive_from(route, route->robot, &start, (uint64_t)i + 1, false);
        const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
        if (result->outcome == CMO_OUTCOME_DONE) {
            out->rest[out->done] = result->truth.value[CMO_REST_ERROR_MM];
            out->residual[out->done] = result->truth.value[CMO_RESIDUAL_ANGLE_DEG];
            out->time_ms[out->done] = result->stopped_ms + result->truth.value[CMO_SETTLE_MS];
            out->done++;
        } else {
            printf("    trial %d: %s %s\n", i + 1, cmo_routine_name(leg->routine),
                   cmo_outcome_name(result->outcome));
        }
        lab_run_free(run);
    }
}

static void theirs(lab_route *route, int runs, double speed, bool square, double most_deg,
                   outcome *out) {
    memset(out, 0, sizeof *out);
    for (int i = 0; i < runs; i++) {
        const lab_robot *robot = route->robot;
        lab_start start = start_of(robot, i, most_deg);
        cmo_sim_setup setup = {.traits = robot->traits | CMO_TRAIT_SPEED,
                               .plant = robot->plant,
                               .mat = route->mat,
                               .x_mm = start.x_mm,
                               .y_mm = start.y_mm,
                               .heading_deg = start.heading_deg,
                               .seed = (uint64_t)i + 1};
        cmo_sim_faults_none(&setup.faults);
        cmo_sim *sim = cmo_sim_new(&setup);
        practice p = {.port = cmo_sim_port(sim),
                      .tick_us = robot->description.tick_us,
                      .step_mm = robot->plant.encoder_step_mm};
        for (int n = 0; n < 2; n++) {
            p.threshold[n] = 0.5 * (robot->levels[n].dark + robot->levels[n].light);
        }
        bool done = square ? practice_square_by_wheel(&p, speed, 0.4) : practice_stop(&p, speed);
        if (done) {
            cmo_sim_truth end = cmo_sim_truth_now(sim);
            double x[2], y;
            cmo_sim_spot(sim, &end, 0, &x[0], &y);
            cmo_sim_spot(sim, &end, 1, &x[1], &y);
            out->rest[out->done] = 0.5 * (x[0] + x[1]) - EDGE_MM;
            out->residual[out->done] = remainder(end.heading_rad * 180.0 / G_PI, 360.0);
            out->done++;
        }
        cmo_sim_free(sim);
    }
}

lab_robot *compare_robot(const char *name) {
    GError *error = NULL;
    char *path = g_strconcat(SOURCE_DIR "/data/ferry/", name, NULL);
    lab_robot *robot = lab_robot_load(path, &error);
    if (robot == NULL) {
        fprintf(stderr, "%s\n", error->message);
        exit(2);
    }
    g_free(path);
    return robot;
}

void compare_head(int runs) {
    printf(
        "Stop and square over the near edge, true figures, 95 %% within, %d trials each;\n"
        "entry within 3 degrees to stop, 40 to square; theirs: threshold and stop, wheel by wheel "
        "with a reverse\n\n%-34s%6s%8s%8s%7s%9s%8s%8s%7s %9s\n%-34s%6s%8s%8s%7s%9s%8s%8s%7s\n",
        runs, "", "speed", "stop", "theirs", "time", "square", "theirs", "rest", "time", "done", "",
        "mm/s", "mm", "mm", "ms", "deg", "deg", "mm", "ms");
}

bool compare(const char *name, lab_robot *robot, int runs) {
    GError *error = NULL;
    static const char text[] = "robot: r\nmat: m\nstart: {x_mm: 300, y_mm: 500}\nlegs:\n"
                               "  - advance: {distance_mm: 1}\n";
    lab_route *route = lab_route_from_bytes("x", text, sizeof text - 1, &error);
    route->robot = robot;
    route->mat = cmo_sim_mat_from_bytes("m", svg, sizeof svg - 1, NULL, &error);
    if (route->mat == NULL) {
        fprintf(stderr, "%s\n", error->message);
        exit(2);
    }
    route->robot->plant.place_spread_mm = 0.05;
    static outcome f, g;
    bool good = true;
    for (int speed = 200; speed <= 400; speed += 200) {
        lab_leg stop = {.routine = CMO_ROUTINE_STOP_ON_LINE,
                        .parameters.stop_on_line = {.cruise_mm_s = (float)speed,
                                                    .least_width_mm = 15,
                                                    .too_fast = CMO_TOO_FAST_SLOW,
                                                    .rest = CMO_REST_NEAR_EDGE}};
        lab_leg square = {.routine = CMO_ROUTINE_SQUARE_ON_LINE,
                          .parameters.square_on_line = {.cruise_mm_s = (float)speed,
                                                        .least_width_mm = 15,
                                                        .too_fast = CMO_TOO_FAST_SLOW}};
        ours(route, &stop, runs, 3.0, &f);
        theirs(route, runs, speed, false, 3.0, &g);
        int stops = f.done;
        double rest = p95(f.rest, f.done);
        double their_rest = p95(g.rest, g.done);
        double stop_ms = p95(f.time_ms, f.done);
        ours(route, &square, runs, 40.0, &f);
        theirs(route, runs, speed, true, 40.0, &g);
        double residual = p95(f.residual, f.done);
        double their_residual = p95(g.residual, g.done);
        double square_rest = p95(f.rest, f.done);
        double square_ms = p95(f.time_ms, f.done);
        bool better =
            stops == runs && f.done == runs && rest < their_rest && residual < their_residual;
        printf("%-34s%6d%8.2f%8.1f%7.0f%9.2f%8.1f%8.2f%7.0f %4d/%-4d%s\n", speed == 200 ? name : "",
               speed, rest, their_rest, stop_ms, residual, their_residual, square_rest, square_ms,
               MIN(stops, f.done), runs, better ? "" : "  worse");
        good = good && better;
    }
    lab_route_free(route);
    return good;
}
