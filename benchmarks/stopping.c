// SPDX-License-Identifier: GPL-3.0-or-later
// Stop on line with a rest over the near edge: true rest error and the time from the crossing to
// the rest, each speed by itself, over robots drawn from the demo plant's spread; beside it the
// plain halt at the crossing.
#include "practice.h"

#include <cammino_lab/run.h>

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static const char svg[] =
    "<svg xmlns='http://www.w3.org/2000/svg' width='1100mm' height='300mm' viewBox='0 0 1100 300'>"
    "<rect width='1100' height='300' fill='#c9d2c6'/>"
    "<rect class='line' x='700' width='20' height='300' fill='#2c3036'/></svg>";

static int by_size(const void *a, const void *b) {
    double first = fabs(*(const double *)a);
    double second = fabs(*(const double *)b);
    return (first > second) - (first < second);
}

typedef struct result {
    double errors[2000], times[2000];
    double own; // robot's rest error less the truth, sum of squares
    double elapsed_ms;
    int done, failed;
} result;

static void measure(lab_route *route, int runs, result *out) {
    memset(out, 0, sizeof *out);
    for (int i = 0; i < runs; i++) {
        route->x_mm = 250.0 + 6.0 * (i % 97) / 97.0;
        route->heading_deg = (i % 13 - 6) * 0.5;
        lab_run *run = lab_drive(route, (uint64_t)i + 1);
        const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, 0);
        uint32_t needed = CMO_FIGURE_BIT(CMO_REST_ERROR_MM) | CMO_FIGURE_BIT(CMO_SETTLE_MS);
        if (leg->outcome == CMO_OUTCOME_DONE && (leg->truth.known & needed) == needed) {
            out->errors[out->done] = leg->truth.value[CMO_REST_ERROR_MM];
            double own = leg->robot.value[CMO_REST_ERROR_MM] - out->errors[out->done];
            out->own += own * own;
            out->elapsed_ms += leg->truth.value[CMO_ELAPSED_MS];
            out->times[out->done] = leg->stopped_ms + leg->truth.value[CMO_SETTLE_MS];
            out->done++;
        } else {
            out->failed++;
        }
        lab_run_free(run);
    }
    qsort(out->errors, (size_t)out->done, sizeof(double), by_size);
    qsort(out->times, (size_t)out->done, sizeof(double), by_size);
}

static bool measure_rest(lab_route *route, const char *name, cmo_rest rest, double beyond, int runs,
                         double p95_bar, double worst_bar) {
    static result r;
    bool good = true;
    printf("\n%s\n%6s %9s %9s %9s %9s %9s %9s %7s\n", name, "mm/s", "p50 mm", "p95 mm", "worst mm",
           "own, RMS", "p95 ms", "bar ms", "failed");
    for (int speed = 100; speed <= 600; speed += 100) {
        cmo_line_parameters *p = &route->leg[0].parameters.stop_on_line;
        *p = (cmo_line_parameters){.cruise_mm_s = (float)speed,
                                   .blind_mm = 200,
                                   .least_width_mm = 15,
                                   .rest = rest,
                                   .beyond_mm = (float)beyond};
        measure(route, runs, &r);
        if (r.done == 0) {
            printf("%6d all failed\n", speed);
            good = false;
            continue;
        }
        double p95 = fabs(r.errors[(int)(0.95 * r.done)]);
        double worst = fabs(r.errors[r.done - 1]);
        double time = r.times[(int)(0.95 * r.done)];
        double time_bar = 600.0 + 300.0 * (speed - 100) / 500.0;
        bool held = p95 <= p95_bar && worst <= worst_bar && time <= time_bar && r.failed == 0;
        printf("%6d %9.2f %9.2f %9.2f %9.2f %9.0f %9.0f %7d  %s\n", speed,
               fabs(r.errors[r.done / 2]), p95, worst, sqrt(r.own / r.done), time, time_bar,
               r.failed,
               rest == CMO_REST_HALTED ? ""
               : held                  ? "holds"
                                       : "misses");
        good = good && held;
    }
    return good;
}

// What this plant's grip, motors and sensors allow: until the crossing can be known at all (half a
// look interval and half an exposure later, and the sensor's delay), half a tick, the command's
// way; then the tyres at their limit, and back to the edge as fast as the grip allows.
static void print_limit(const lab_route *route) {
    const cmo_sim_plant *p = &route->robot->plant;
    double late_s =
        1e-3 * (0.5 * p->sensor[0].interval_ms + p->sensor[0].delay_ms + p->command_delay_ms) +
        0.5e-6 * route->robot->description.tick_us;
    double grip = 1000.0 * p->grip_m_s2;
    printf("\nphysical limit of this plant\n%6s %14s %18s\n", "mm/s", "past it mm",
           "back over it ms");
    for (int speed = 100; speed <= 600; speed += 100) {
        double past = speed * late_s + speed * speed / (2.0 * grip);
        double time = late_s + speed / grip + 2.0 * sqrt(past / grip);
        printf("%6d %14.1f %18.0f\n", speed, past, 1000.0 * time);
    }
}

// Threshold and stop, on the same robots.
static void measure_practice(const lab_route *route, int runs) {
    static double errors[2000];
    printf("\ncommon practice: threshold and stop\n%6s %9s %9s %9s\n", "mm/s", "p50 mm", "p95 mm",
           "worst mm");
    for (int speed = 100; speed <= 600; speed += 100) {
        int done = 0;
        for (int i = 0; i < runs; i++) {
            cmo_sim_setup setup = {.traits = route->robot->traits,
                                   .plant = route->robot->plant,
                                   .mat = route->mat,
                                   .x_mm = 250.0 + 6.0 * (i % 97) / 97.0,
                                   .y_mm = 150,
                                   .heading_deg = (i % 13 - 6) * 0.5,
                                   .seed = (uint64_t)i + 1};
            cmo_sim_faults_none(&setup.faults);
            cmo_sim *sim = cmo_sim_new(&setup);
            practice p = {.port = cmo_sim_port(sim), .tick_us = 10000, .step_mm = 0.5};
            for (int n = 0; n < 2; n++) {
                const cmo_levels *levels = &route->robot->levels[n];
                p.threshold[n] = 0.5 * (levels->dark + levels->light);
            }
            if (practice_stop(&p, speed)) {
                cmo_sim_truth end = cmo_sim_truth_now(sim);
                double x[2], y;
                cmo_sim_spot(sim, &end, 0, &x[0], &y);
                cmo_sim_spot(sim, &end, 1, &x[1], &y);
                errors[done++] = 0.5 * (x[0] + x[1]) - 700.0;
            }
            cmo_sim_free(sim);
        }
        qsort(errors, (size_t)done, sizeof(double), by_size);
        printf("%6d %9.2f %9.2f %9.2f\n", speed, fabs(errors[done / 2]),
               fabs(errors[(int)(0.95 * done)]), fabs(errors[done - 1]));
    }
}

// Each way of halting at the crossing, and a quick stop along the profile; what the robot
// predicted.
static void measure_halts(lab_route *route, int runs) {
    static const char *const names[] = {"coast", "brake", "hold", "quick rest"};
    printf("\nno coming back: overshoot by the way of halting, and as the robot predicted it\n"
           "%6s %-12s %9s %9s %16s\n",
           "mm/s", "", "mean mm", "sd mm", "predicted, RMS off");
    for (int speed = 200; speed <= 600; speed += 200) {
        for (int how = 0; how < 4; how++) {
            route->leg[0].parameters.stop_on_line = (cmo_line_parameters){
                .cruise_mm_s = (float)speed,
                .blind_mm = 200,
                .least_width_mm = 10,
                .halt = how < 3 ? (cmo_halt)(CMO_HALT_COAST + how) : CMO_HALT_DEFAULT,
                .rest = how < 3 ? CMO_REST_HALTED : CMO_REST_NEAR_EDGE,
                .effort = how < 3 ? CMO_EFFORT_NORMAL : CMO_EFFORT_QUICK};
            double sum = 0.0, squares = 0.0, off = 0.0;
            int done = 0;
            for (int i = 0; i < runs; i++) {
                route->x_mm = 250.0 + 6.0 * (i % 97) / 97.0;
                lab_run *run = lab_drive(route, (uint64_t)i + 1);
                const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, 0);
                if (leg->outcome == CMO_OUTCOME_DONE) {
                    double past = leg->truth.value[CMO_OVERSHOOT_MM];
                    double guess = leg->robot.value[CMO_PREDICTED_OVERSHOOT_MM];
                    sum += past;
                    squares += past * past;
                    off += (guess / past - 1.0) * (guess / past - 1.0);
                    done++;
                }
                lab_run_free(run);
            }
            double mean = sum / MAX(done, 1);
            printf("%6d %-12s %9.1f %9.1f %14.0f %%\n", speed, names[how], mean,
                   sqrt(fmax(squares / MAX(done, 1) - mean * mean, 0.0)),
                   100.0 * sqrt(off / MAX(done, 1)));
        }
    }
}

// A line that is expected where it is, or 30 mm before or after: the whole leg's time must not
// suffer.
static bool measure_foresight(lab_route *route, int runs) {
    static result r;
    static const float offs[] = {NAN, 0.0F, -30.0F, 30.0F};
    bool good = true;
    printf("\nthe whole leg, mean ms, near edge: the line not expected, expected where it is, 30 "
           "mm too "
           "early, too late\n");
    for (int speed = 200; speed <= 600; speed += 200) {
        double plain = 0.0;
        printf("%6d", speed);
        for (size_t n = 0; n < G_N_ELEMENTS(offs); n++) {
            cmo_line_parameters *p = &route->leg[0].parameters.stop_on_line;
            *p = (cmo_line_parameters){.cruise_mm_s = (float)speed,
                                       .blind_mm = 200,
                                       .least_width_mm = 15,
                                       .rest = CMO_REST_NEAR_EDGE};
            // From the start at 250 mm the sensors have 380 mm to the edge.
            p->expected_mm = isnan(offs[n]) ? 0.0F : 380.0F + offs[n];
            measure(route, runs, &r);
            double mean = r.elapsed_ms / MAX(r.done, 1);
            plain = n == 0 ? mean : plain;
            good = good && r.failed == 0;
            printf("%9.0f (%+.0f %%)", mean, 100.0 * (mean / plain - 1.0));
        }
        printf("\n");
    }
    return good;
}

int main(int count, char **arguments) {
    int runs = count > 1 ? CLAMP(atoi(arguments[1]), 20, 2000) : 1000;
    GError *error = NULL;
    static const char text[] = "robot: r\nmat: m\nstart: {x_mm: 250, y_mm: 150}\nlegs:\n"
                               "  - stop_on_line: {}\n";
    lab_route *route = lab_route_from_bytes("x", text, sizeof text - 1, &error);
    // bench_stopping ROBOTS ROBOT.yaml
    const char *robot = count > 2 ? arguments[2] : SOURCE_DIR "/data/ferry/mozzo.yaml";
    route->robot = lab_robot_load(robot, &error);
    route->mat = cmo_sim_mat_from_bytes("m", svg, sizeof svg - 1, NULL, &error);
    if (route->robot == NULL || route->mat == NULL) {
        fprintf(stderr, "%s\n", error->message);
        return 2;
    }
    printf("Stop on line, true figures; %d robots a speed\n", runs);
    print_limit(route);
    measure_practice(route, runs);
    measure_halts(route, MIN(runs, 200));
    measure_rest(route, "plain halt at the crossing, against the near edge", CMO_REST_HALTED, 0,
                 runs, 1.0, 2.5);
    bool near =
        measure_rest(route, "rest over the near edge", CMO_REST_NEAR_EDGE, 0, runs, 1.0, 2.5);
    bool centre = measure_rest(route, "rest over the centre", CMO_REST_CENTRE, 0, runs, 1.0, 2.5);
    bool far = measure_rest(route, "rest over the far edge", CMO_REST_FAR_EDGE, 0, runs, 1.0, 2.5);
    bool axle =
        measure_rest(route, "axle over the near edge", CMO_REST_NEAR_EDGE, 70, runs, 1.5, 1e9);
    measure_foresight(route, MIN(runs, 200));
    lab_route_free(route);
    return near && centre && far && axle ? 0 : 1;
}
