// SPDX-License-Identifier: GPL-3.0-or-later
// Speed of the simulator and of core, as ratios: simulated time over real time, and a tick's time
// beside that of a plain loop of floating-point work in the same run.
#define _POSIX_C_SOURCE 199309L // clock_gettime

#include "paper.h"

#include <cammino_lab/run.h>
#include <cammino_simulator/simulator.h>

#include <math.h>
#include <stdio.h>
#include <string.h>
#include <time.h>

static double seconds(void) {
    struct timespec now;
    clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &now);
    return (double)now.tv_sec + 1e-9 * (double)now.tv_nsec;
}

// Everything on: both sensors, truth, recording of the pose, the demo mat. Without core.
static double simulator_ns(const lab_route *route) {
    double best = INFINITY;
    for (int round = 0; round < 5; round++) {
        double span_ms = 0.0;
        double from = seconds();
        for (uint64_t seed = 1; seed <= 40; seed++) {
            cmo_sim_setup setup = {.traits = route->robot->traits,
                                   .plant = route->robot->plant,
                                   .faults = route->robot->faults,
                                   .mat = route->mat,
                                   .x_mm = route->x_mm,
                                   .y_mm = route->y_mm,
                                   .heading_deg = (double)(seed % 7) - 3.0,
                                   .seed = seed};
            cmo_sim *sim = cmo_sim_new(&setup);
            cmo_sim_record(sim);
            const cmo_port *port = cmo_sim_port(sim);
            for (int i = 0; i < 400; i++) {
                cmo_sample sample;
                memset(&sample, 0, sizeof sample);
                float speed = i % 200 < 120 ? 350.0F : -300.0F;
                port->drive(port->context, speed, speed, 100000);
                port->sample(port->context, &sample);
                port->wait(port->context, port->clock(port->context) + 10000);
            }
            span_ms += cmo_sim_truth_now(sim).time_ms;
            cmo_sim_free(sim);
        }
        best = fmin(best, (seconds() - from) * 1e9 / span_ms);
    }
    return best;
}

// A tick while searching a line, the costliest stage.
static double tick_ns(const lab_robot *described) {
    cmo_port port = paper_port(described->traits);
    double best = INFINITY;
    for (int round = 0; round < 5; round++) {
        cmo_robot robot;
        cmo_line_state state;
        cmo_robot_start(&robot, &described->description, &port);
        for (uint8_t i = 0; i < 2; i++) {
            cmo_robot_set_levels(&robot, i, &described->levels[i]);
        }
        cmo_line_parameters parameters = {
            .cruise_mm_s = 250, .longest_mm = 50000, .longest_ms = 100000000};
        cmo_drive_until_line_start(&robot, &state, &parameters);
        int ticks = 15000; // 37 m, below longest_mm
        double from = seconds();
        int done = 0;
        while (done < ticks && cmo_tick(&robot) == CMO_RUNNING) {
            paper_wait(10000);
            done++;
        }
        if (done == ticks) {
            best = fmin(best, (seconds() - from) * 1e9 / ticks);
        }
    }
    return best;
}

// One dependent addition and multiplication of doubles, as a measure of the machine.
static double machine_ns(void) {
    double best = INFINITY;
    for (int round = 0; round < 5; round++) {
        volatile double start = 1.0;
        double x = start;
        double from = seconds();
        for (int i = 0; i < 10000000; i++) {
            x = x * 0.999999 + 1e-6;
        }
        start = x;
        best = fmin(best, (seconds() - from) * 1e9 / 1e7);
    }
    return best;
}

int main(void) {
    GError *error = NULL;
    lab_route *route = lab_route_load(SOURCE_DIR "/data/ferry/first-round.yaml", NULL, 1, &error);
    if (route == NULL) {
        fprintf(stderr, "%s\n", error->message);
        return 2;
    }
    double machine = machine_ns();
    double simulator = simulator_ns(route);
    double tick = tick_ns(route->robot);
    printf("machine: one dependent multiply and add %.2f ns\n", machine);
    printf(
        "simulator: %.0f ns per simulated millisecond, %.0f times real time, %.0f multiply-adds\n",
        simulator, 1e6 / simulator, simulator / machine);
    printf("core: %.0f ns per tick while searching, %.0f multiply-adds\n", tick, tick / machine);
    bool good = simulator <= 1000.0 && isfinite(tick);
    printf("1,000 times real time: %s; 3,000 times: %s; tick under 300 ns: %s\n",
           simulator <= 1000.0 ? "holds" : "FAILS", simulator <= 1e6 / 3000.0 ? "holds" : "not yet",
           tick < 300.0 ? "holds" : "FAILS");
    lab_route_free(route);
    return good ? 0 : 1;
}
