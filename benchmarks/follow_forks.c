// SPDX-License-Identifier: GPL-3.0-or-later
// Follows the left edge of a line of 20 mm straight on past one that leaves it on that side, or
// over one that crosses it, at angles of 15 to 90 degrees. On the demo robot, other kinds and a
// fleet.
//
//     bench_follow_forks [RUNS [ROBOTS]]
#include "edges.h"
#include "kinds.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define LINE_Y 300.0
#define FORK_X 700.0
#define WAY_MM 1000.0

typedef struct fork_trial {
    const cmo_sim_mat *mat;
    unsigned round;
    double angle_rad;
    bool crosses;
} fork_trial;

static double fork_at(void *data, double x_mm, double y_mm, unsigned *marks) {
    const fork_trial *t = data;
    double c = cos(t->angle_rad);
    double s = sin(t->angle_rad);
    double along = (x_mm - FORK_X) * c + (y_mm - LINE_Y) * s;
    double across = -(x_mm - FORK_X) * s + (y_mm - LINE_Y) * c;
    bool other = fabs(across) <= EDGE_HALF_MM && fabs(along) < 250.0 && (t->crosses || along > 0.0);
    bool on = fabs(y_mm - LINE_Y) <= EDGE_HALF_MM || other;
    *marks = on ? 1U << CMO_SIM_LINE : 0;
    return on ? 0.05 : 0.6;
}

enum { WORST, TURNED, SPEED };

// How far off the line's own edge the spot truly came once it had joined.
static double worst_off(const lab_run *run, const lab_robot *robot, double joined_mm) {
    const cmo_sim_light *spot = &robot->plant.sensor[1];
    double worst = 0.0;
    for (guint i = 0; i < run->rows->len; i++) {
        const lab_row *row = &g_array_index(run->rows, lab_row, i);
        double a = row->true_heading_deg * G_PI / 180.0;
        double y = row->true_y_mm + spot->ahead_mm * sin(a) + spot->left_mm * cos(a);
        if ((double)row->robot.way_mm > joined_mm) {
            worst = fmax(worst, fabs(y - LINE_Y - EDGE_HALF_MM));
        }
    }
    return worst;
}

static void follow_past(const population *c, unsigned i, const void *context, outcome *out) {
    const fork_trial *t = context;
    unsigned seed = t->round * c->n + i;
    lab_leg leg = {.routine = CMO_ROUTINE_FOLLOW_EDGE,
                   .parameters.follow_edge = {.edge = CMO_LINE_LEFT,
                                              .fork = CMO_FORK_PASS,
                                              .distance_mm = (float)WAY_MM,
                                              .least_width_mm = 15.0F,
                                              .too_fast = CMO_TOO_FAST_SLOW}};
    lab_route *route = population_route(t->mat, &leg);
    double a = population_even(seed, "heading", -10, 10) * G_PI / 180.0;
    double off = population_even(seed, "off", -5, 10);
    lab_start start =
        edge_start(160.0, LINE_Y + EDGE_HALF_MM + off, a, &c->robot[i]->description.light[1]);
    lab_run *run = lab_drive_from(route, c->robot[i], &start, seed + 1, true);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    edge_take_outcome(result, out);
    double heading = run->end.heading_rad;
    if (result->outcome == CMO_OUTCOME_DONE && fabs(heading) > 0.15) { // along the other line
        out->outcome = CMO_OUTCOME_WRONG_LINE;
    } else if (result->outcome == CMO_OUTCOME_DONE) {
        out->value[WORST] = worst_off(run, c->robot[i], result->truth.value[CMO_JOINED_MM]);
        out->value[TURNED] = fabs(heading) * 180.0 / G_PI;
        out->value[SPEED] = result->truth.value[CMO_MEAN_SPEED_MM_S];
    }
    lab_run_free(run);
    population_route_free(route);
}

static void run_past(const population *c, const void *given, unsigned runs, const char *name) {
    fork_trial t = *(const fork_trial *)given;
    rounds_sum *sum = rounds_run(c, follow_past, &t, &t.round, runs);
    rounds_print_name(sum, name);
    printf("%8.1f%8.1f%8.1f%8.0f", rounds_within(sum, WORST, 0.95), rounds_within(sum, WORST, 1.0),
           rounds_within(sum, TURNED, 0.95), rounds_within(sum, SPEED, 0.5));
    rounds_print_outcomes(sum);
    rounds_free(sum);
}

int main(int arguments, char **argument) {
    unsigned robots;
    unsigned runs = edge_asked(arguments, argument, &robots);
    static const double angles_deg[] = {15, 20, 30, 45, 60, 90};
    population *fleet = NULL;
    printf("%-34s%6s%6s%8s%8s%8s%8s\n", "mm, 95 % within", "runs", "done", "worst", "of all", "deg",
           "mm/s");
    for (size_t n = 0; n < 2 * G_N_ELEMENTS(angles_deg); n++) {
        double angle = angles_deg[n / 2];
        fork_trial t = {.angle_rad = angle * G_PI / 180.0, .crosses = n % 2 == 1};
        cmo_sim_mat *mat = cmo_sim_mat_from_function(1500, 600, 1.0, fork_at, &t);
        cmo_sim_mat_measure(mat, CMO_SIM_LINE);
        t.mat = mat;
        if (fleet == NULL) {
            fleet = population_new(SOURCE_DIR "/data/ferry/fleet.yaml", robots, mat, 60.0, 60.0);
        }
        printf("%s at %.0f degrees\n", t.crosses ? "crossing" : "leaving", angle);
        population_on_kinds(n == 4 ? USUAL_KINDS : 1, runs, run_past, &t);
        run_past(fleet, &t, runs, "the fleet");
        cmo_sim_mat_free(mat);
    }
    population_free(fleet);
    return 0;
}
