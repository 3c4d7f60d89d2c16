// SPDX-License-Identifier: GPL-3.0-or-later
// Crates that are met off the middle, by up to half of the robot's width, and with its corners: how
// many of them leave the yard, and whether the robot does. Beside it a patrol that does not feel
// them.
#include <cammino_lab/series.h>

#include <gsl/gsl_rng.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define MIDDLE_MM 700.0
#define RIM_MM    586.0 // its near edge, from the middle

static double between(gsl_rng *rng, double low, double high) {
    return low + (high - low) * gsl_rng_uniform(rng);
}

// One crate before the robot; true: it ends beyond the rim.
static bool push_one(lab_route *route, unsigned seed, bool corner, unsigned *departed,
                     unsigned *failed) {
    gsl_rng *rng = gsl_rng_alloc(gsl_rng_mt19937);
    gsl_rng_set(rng, seed);
    double heading = between(rng, 0.0, 2.0 * G_PI);
    lab_start start = {MIDDLE_MM + between(rng, -200.0, 200.0),
                       MIDDLE_MM + between(rng, -200.0, 200.0), heading * 180.0 / G_PI};
    double ahead = between(rng, 150.0, 250.0);
    double radius = between(rng, 30.0, 60.0);
    double side = between(rng, -1.0, 1.0);
    double left = side * route->robot->plant.body_half_mm;
    left += corner ? copysign(between(rng, 0.2, 0.7) * radius, side) +
                         copysign(route->robot->plant.body_half_mm, side) - left
                   : 0.0;
    lab_robot robot = *route->robot;
    robot.plant.battery *= between(rng, 0.9, 1.1);
    robot.plant.grip_m_s2 *= between(rng, 0.9, 1.1);
    route->objects = 1;
    route->object[0] =
        (cmo_sim_object){.x_mm = start.x_mm + ahead * cos(heading) - left * sin(heading),
                         .y_mm = start.y_mm + ahead * sin(heading) + left * cos(heading),
                         .radius_mm = radius,
                         .mass_kg = between(rng, 0.1, 0.3),
                         .friction_n = between(rng, 0.4, 1.2)};
    gsl_rng_free(rng);
    route->x_mm = start.x_mm;
    route->y_mm = start.y_mm;
    route->heading_deg = start.heading_deg;
    lab_run *run = lab_drive_from(route, &robot, &start, seed, true);
    const lab_row *last = &g_array_index(run->rows, lab_row, run->rows->len - 1);
    bool out = hypot(last->object_mm[0][0] - MIDDLE_MM, last->object_mm[0][1] - MIDDLE_MM) > RIM_MM;
    *departed += run->outcome == CMO_OUTCOME_DEPARTED;
    *failed += run->outcome != CMO_OUTCOME_DEPARTED && run->outcome != CMO_OUTCOME_DONE;
    lab_run_free(run);
    return out;
}

int main(int count, char **arguments) {
    unsigned crates = count > 1 ? (unsigned)atoi(arguments[1]) : 500;
    GError *error = NULL;
    lab_route *route = lab_route_load(SOURCE_DIR "/data/ferry/crate-yard.yaml", NULL, 1, &error);
    if (route == NULL || crates == 0) {
        fprintf(stderr, "bench_charge: %s\n", error != NULL ? error->message : "no crates");
        return EXIT_FAILURE;
    }
    for (unsigned way = 0; way < 4; way++) {
        bool feels = way % 2 == 0;
        unsigned out = 0;
        unsigned departed = 0;
        unsigned failed = 0;
        route->legs = 1;
        route->leg[0] = (lab_leg){.routine = CMO_ROUTINE_STAY_INSIDE,
                                  .parameters.stay_inside = {.convex = true,
                                                             .for_ms = 4000,
                                                             .charge_touch = feels ? 3 : 0,
                                                             .too_fast = CMO_TOO_FAST_SLOW}};
        lab_route_enclose(route);
        for (unsigned i = 1; i <= crates; i++) {
            out += push_one(route, i, way >= 2, &departed, &failed);
        }
        printf("%-14s %-24s %4u of %u crates out of the yard, %u departures, %u runs not done\n",
               way < 2 ? "by the front," : "by a corner,",
               feels ? "felt with the bumpers:" : "not felt:", out, crates, departed, failed);
    }
    lab_route_free(route);
    return EXIT_SUCCESS;
}
