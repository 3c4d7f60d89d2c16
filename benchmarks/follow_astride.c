// SPDX-License-Identifier: GPL-3.0-or-later
// Follows a line of 20 mm astride, with the sensors from 12 to 40 mm apart, over straights and
// bends for three metres, and through S-bends; put down up to 5 mm off its middle and 8 degrees
// off. On the demo robot, other kinds and a fleet. Then joined from beside it, at angles to it.
//
//     bench_follow_astride [RUNS [ROBOTS]]
#include "edges.h"
#include "kinds.h"

#include <stdio.h>
#include <stdlib.h>

int main(int arguments, char **argument) {
    unsigned robots;
    unsigned runs = edge_asked(arguments, argument, &robots);
    static const char *const names[] = {"straights and bends of 250 mm", "S-bends of 150 mm"};
    static const double apart_mm[] = {12, 20, 24, 40};
    course courses[] = {course_of_bends(), course_of_s_bends(150.0, 3)};
    cmo_sim_mat *mats[] = {course_mat(&courses[0]), course_mat(&courses[1])};
    population *fleet =
        population_new(SOURCE_DIR "/data/ferry/fleet.yaml", robots, mats[0], 60.0, 60.0);
    edge_trial t = {.cruise_mm_s = 300.0,
                    .too_fast = CMO_TOO_FAST_SLOW,
                    .off_mm = {-5, 5},
                    .heading_deg = {-8, 8}};
    for (size_t n = 0; n < G_N_ELEMENTS(courses); n++) {
        edge_print_head(names[n], "");
        t.course = &courses[n];
        t.mat = mats[n];
        t.way_mm = courses[n].way_mm;
        for (size_t a = 0; a < G_N_ELEMENTS(apart_mm); a++) {
            t.apart_mm = apart_mm[a];
            printf("sensors %.0f mm apart\n", apart_mm[a]);
            // As far apart as it is wide, on all kinds.
            population_on_kinds(apart_mm[a] == 20.0 ? USUAL_KINDS : 1, runs, edge_run_all, &t);
            edge_run_all(fleet, &t, runs, "the fleet");
        }
        printf("\n");
    }
    edge_print_head("joined from beside", ", up to 80 mm");
    edge_trial join = {.course = &courses[0],
                       .mat = mats[0],
                       .way_mm = 550.0,
                       .cruise_mm_s = 300.0,
                       .too_fast = CMO_TOO_FAST_SLOW,
                       .off_mm = {45, 80}};
    for (size_t a = 0; a < G_N_ELEMENTS(apart_mm); a++) {
        join.apart_mm = apart_mm[a];
        for (double angle = 15.0; angle <= 60.0; angle += 15.0) {
            printf("sensors %.0f mm apart, at %.0f to %.0f degrees\n", apart_mm[a], angle - 5.0,
                   angle);
            join.heading_deg[0] = -angle;
            join.heading_deg[1] = 5.0 - angle;
            population_on_kinds(1, runs, edge_run_all, &join);
            edge_run_all(fleet, &join, runs, "the fleet");
        }
    }
    population_free(fleet);
    cmo_sim_mat_free(mats[0]);
    cmo_sim_mat_free(mats[1]);
    return 0;
}
