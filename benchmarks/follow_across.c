// SPDX-License-Identifier: GPL-3.0-or-later
// Follows the left edge of a line of 20 mm to a line across, which the other sensor meets and it is
// to rest on, without a gap before it and over one of 40 mm. And the heading that it believes in
// after a straight edge, told where that truly is and not. On the demo robot, other kinds and a
// fleet.
//
//     bench_follow_across [RUNS [ROBOTS]]
#include "edges.h"
#include "kinds.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define LINE_Y   300.0
#define ACROSS_X 1100.0
#define GAP_X    650.0

static double across_at(void *data, double x_mm, double y_mm, unsigned *marks) {
    double gap = *(const double *)data;
    bool along = fabs(y_mm - LINE_Y) <= EDGE_HALF_MM && (x_mm < GAP_X || x_mm > GAP_X + gap);
    bool on = along || (x_mm >= ACROSS_X && x_mm <= ACROSS_X + 2.0 * EDGE_HALF_MM && y_mm > 150.0);
    *marks = on ? 1U << CMO_SIM_LINE : 0;
    return on ? 0.05 : 0.6;
}

typedef struct across_trial {
    const cmo_sim_mat *mat;
    unsigned round;
    double gap_mm;
} across_trial;

enum { REST, CROSSING_SPEED, OFF_EDGE };

static void follow_to(const population *c, unsigned i, const void *context, outcome *out) {
    const across_trial *t = context;
    unsigned seed = t->round * c->n + i;
    const cmo_light_description *spot = &c->robot[i]->description.light[1];
    float gap = t->gap_mm > 0.0 ? (float)t->gap_mm + 10.0F : 0.0F;
    lab_leg leg = {.routine = CMO_ROUTINE_FOLLOW_EDGE,
                   .parameters.follow_edge = {.edge = CMO_LINE_LEFT,
                                              .across = CMO_ACROSS_END,
                                              .gap_mm = gap,
                                              .cruise_mm_s = 300.0F,
                                              .least_width_mm = 15.0F,
                                              .too_fast = CMO_TOO_FAST_SLOW}};
    lab_route *route = population_route(t->mat, &leg);
    double a = population_even(seed, "heading", -10, 10) * G_PI / 180.0;
    double off = population_even(seed, "off", -5, 10);
    lab_start start = edge_start(160.0, LINE_Y + EDGE_HALF_MM + off, a, spot);
    lab_run *run = lab_drive_from(route, c->robot[i], &start, seed + 1, false);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    edge_take_outcome(result, out);
    if (result->outcome == CMO_OUTCOME_DONE) {
        const lab_figures *truth = &result->truth;
        out->value[REST] = fabs(truth->value[CMO_REST_ERROR_MM]);
        out->value[CROSSING_SPEED] = truth->value[CMO_CROSSING_SPEED_MM_S];
        out->value[OFF_EDGE] = truth->value[CMO_EDGE_WORST_MM];
    }
    lab_run_free(run);
    population_route_free(route);
}

static void run_to(const population *c, const void *given, unsigned runs, const char *name) {
    across_trial t = *(const across_trial *)given;
    rounds_sum *sum = rounds_run(c, follow_to, &t, &t.round, runs);
    rounds_print_name(sum, name);
    printf("%8.2f%8.2f%8.0f%8.1f", rounds_within(sum, REST, 0.95), rounds_within(sum, REST, 1.0),
           rounds_within(sum, CROSSING_SPEED, 0.5), rounds_within(sum, OFF_EDGE, 0.95));
    rounds_print_outcomes(sum);
    rounds_free(sum);
}

static void run_across(const population *fleet, unsigned runs) {
    for (int with = 0; with < 2; with++) {
        across_trial t = {.gap_mm = with * 40.0};
        cmo_sim_mat *mat = cmo_sim_mat_from_function(1500, 600, 1.0, across_at, &t.gap_mm);
        cmo_sim_mat_measure(mat, CMO_SIM_LINE);
        t.mat = mat;
        printf("to a line across, over a gap of %.0f mm\n%-34s%6s%6s%8s%8s%8s%8s\n", t.gap_mm,
               "mm, 95 % within", "runs", "done", "rest", "of all", "mm/s", "edge");
        population_on_kinds(USUAL_KINDS, runs, run_to, &t);
        run_to(fleet, &t, runs, "the fleet");
        printf("\n");
        cmo_sim_mat_free(mat);
    }
}

// ----------------------------------------------------------------------------- a stated edge --

typedef struct stated_trial {
    unsigned round;
    const cmo_sim_mat *mat;
    bool stated;
} stated_trial;

static void follow_stated(const population *c, unsigned i, const void *context, outcome *out) {
    const stated_trial *t = context;
    lab_leg leg = {
        .routine = CMO_ROUTINE_FOLLOW_EDGE,
        .parameters.follow_edge = {.distance_mm = 560, .too_fast = CMO_TOO_FAST_SLOW},
        .stated = t->stated,
        .place = {.x_mm = 200, .y_mm = (float)(LINE_Y + EDGE_HALF_MM)},
    };
    lab_route *route = population_route(t->mat, &leg);
    lab_start start =
        edge_start(160.0, LINE_Y + EDGE_HALF_MM, 0.0, &c->robot[i]->description.light[1]);
    lab_run *run = lab_drive_from(route, c->robot[i], &start, t->round * c->n + i + 1, false);
    edge_take_outcome(&g_array_index(run->legs, lab_leg_result, 0), out);
    out->value[0] = out->outcome == CMO_OUTCOME_DONE ? fabs(run->heading_error_deg) : NAN;
    lab_run_free(run);
    population_route_free(route);
}

static void run_stated(const population *c, const void *given, unsigned runs, const char *name) {
    stated_trial t = *(const stated_trial *)given;
    printf("%-34s", name);
    for (int stated = 1; stated >= 0; stated--) {
        t.stated = stated == 1;
        rounds_sum *sum = rounds_run(c, follow_stated, &t, &t.round, runs);
        printf("%6u%8.2f", sum->done, rounds_within(sum, 0, 0.95));
        rounds_free(sum);
    }
    printf("\n");
}

static void run_on_stated(const population *fleet, unsigned runs) {
    double gap = 0.0;
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1500, 600, 1.0, across_at, &gap);
    cmo_sim_mat_measure(mat, CMO_SIM_LINE);
    stated_trial t = {.mat = mat};
    printf("after a straight edge of 560 mm\n%-34s%14s%14s\n", "heading off, degrees, 95 % within",
           "its place told", "not told");
    population_on_kinds(USUAL_KINDS, runs, run_stated, &t);
    run_stated(fleet, &t, runs, "the fleet");
    printf("\n");
    cmo_sim_mat_free(mat);
}

int main(int arguments, char **argument) {
    unsigned robots;
    unsigned runs = edge_asked(arguments, argument, &robots);
    double gap = 0.0;
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1500, 600, 1.0, across_at, &gap);
    population *fleet =
        population_new(SOURCE_DIR "/data/ferry/fleet.yaml", robots, mat, 60.0, 60.0);
    run_across(fleet, runs);
    run_on_stated(fleet, runs);
    population_free(fleet);
    cmo_sim_mat_free(mat);
    return 0;
}
