// SPDX-License-Identifier: GPL-3.0-or-later
// A fleet drives to the edge of a table as fast as is safe: whose wheels stay on it.
#include "fleet.h"

#include <math.h>
#include <stdio.h>

static double table(void *data, double x_mm, double y_mm, unsigned *marks) {
    (void)data;
    (void)y_mm;
    bool floor = x_mm < FLEET_EDGE_MM;
    *marks = floor ? 0U : 1U << CMO_SIM_VOID;
    return floor ? 0.6 : 0.0;
}

typedef struct table_trial {
    const cmo_sim_mat *mat;
    double angle_deg; // at most, to either side of square on
} table_trial;

enum { OVER, SPEED };

// How far beyond the edge what touches the floor comes: the outer ends of the tyres, and a caster.
static double over_mm(const lab_robot *robot, const cmo_sim_truth *at) {
    const cmo_robot_description *d = &robot->description;
    double half = 0.5 * (double)(d->track_mm + d->tyre_mm);
    double wheel = half * fabs(sin(at->heading_rad));
    double front = (double)d->front_mm * cos(at->heading_rad);
    return at->x_mm + fmax(wheel, front) - FLEET_EDGE_MM;
}

static void drive(const population *c, unsigned i, const void *context, outcome *out) {
    const table_trial *t = context;
    const lab_robot *robot = c->robot[i];
    lab_leg leg = {.routine = CMO_ROUTINE_DRIVE_UNTIL_LINE,
                   .parameters.drive_until_line = {
                       .tone = CMO_TONE_VOID,
                       .creep_mm_s = fminf(robot->description.top_speed_mm_s, 600.0F),
                       .largest_entry_deg = (float)fmax(t->angle_deg, 5.0),
                       .too_fast = CMO_TOO_FAST_SLOW}};
    lab_route *route = population_route(t->mat, &leg);
    double angle = population_even(i, "table angle", -t->angle_deg, t->angle_deg);
    lab_start start = fleet_before_line(robot, 500.0 + population_even(i, "run-up", 0, 10), angle);
    lab_run *run = lab_drive_from(route, robot, &start, i + 1, false);
    if (run->legs->len > 0) {
        const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
        out->outcome = result->outcome;
        out->tried =
            result->outcome != CMO_OUTCOME_TOO_FAST && result->outcome != CMO_OUTCOME_LOW_CONTRAST;
        out->value[OVER] = over_mm(robot, &run->end);
        out->value[SPEED] = (double)result->truth.value[CMO_CROSSING_SPEED_MM_S];
    }
    lab_run_free(run);
    population_route_free(route);
}

void fleet_table(const char *fleet, unsigned robots) {
    static outcome results[POPULATION_MOST];
    cmo_sim_mat *mat = cmo_sim_mat_from_function(2600, 2.0 * FLEET_Y_MM, 2, table, NULL);
    population *c = population_new(fleet, robots, mat, 300.0, FLEET_Y_MM);
    printf("Until a table's edge, as fast as is safe, up to 600 mm/s: how many have a tyre or a "
           "caster over it\n%-22s%9s%10s%7s%10s%8s\n",
           "", "degrees", "done", "over", "worst, mm", "mm/s");
    for (int how = 0; how < 2; how++) {
        if (how > 0) {
            cmo_sim_mat *lines = fleet_two_lines();
            fleet_measure_drives(c, lines);
            fleet_measure_brakings(c, lines);
            cmo_sim_mat_free(lines);
        }
        for (int angle = 0; angle <= 60; angle += 15) {
            table_trial t = {mat, angle};
            population_work(c, drive, &t, results);
            population_figure speed = population_sum_up(c, results, SPEED, POPULATION_ALL, 0);
            unsigned over = 0;
            double worst = -INFINITY;
            for (unsigned i = 0; i < robots; i++) {
                if (results[i].tried && results[i].outcome == CMO_OUTCOME_DONE) {
                    over += results[i].value[OVER] > 0.0;
                    worst = fmax(worst, results[i].value[OVER]);
                }
            }
            printf("%-22s%9d%6u/%-4u%6u%10.1f%8.0f",
                   how > 0 ? "drive, braking measured" : "as stated", angle, speed.done,
                   speed.tried, over, worst, speed.mean);
            population_print_outcomes(c, results);
            printf("\n");
        }
    }
    population_free(c);
    cmo_sim_mat_free(mat);
}
