// SPDX-License-Identifier: GPL-3.0-or-later
// Follows the left edge of a line of 20 mm over straights and bends for three metres, as fast as
// its sensors and motors can answer such bends, at 300 mm/s at most; put down up to 20 mm beside
// the edge and 15 degrees off. On the demo robot, other kinds and a fleet. Then told to drive at
// 300 mm/s; joined from further away; and beside common practice, put down on the edge, its gain
// the best of a grid at each speed.
//
//     bench_follow [RUNS [ROBOTS]]
#include "edges.h"
#include "kinds.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>

// ------------------------------------------------------------------------- common practice --

typedef struct practice_trial {
    const course *course;
    const cmo_sim_mat *mat;
    double speed_mm_s, share;
    bool on_off;
} practice_trial;

// Far off it may be beside another piece of the course: it has lost the edge then.
#define OFF_MM   30.0
#define PLAIN_MM 2500.0
// So far it may swing onto the edge, as a robot that joins may.
#define FREE_MM 100.0

static void follow_plainly(const population *c, unsigned i, const void *context, outcome *out) {
    const practice_trial *t = context;
    const lab_robot *robot = c->robot[i];
    double a = population_even(i, "heading", -3, 3) * G_PI / 180.0;
    double off = population_even(i, "off", -1, 1);
    lab_start start = edge_start(t->course->x + 60.0, t->course->y + EDGE_HALF_MM + off, a,
                                 &robot->description.light[1]);
    practice p;
    cmo_sim *sim = population_practice(robot, t->mat, &start, i + 1, &p);
    cmo_sim_record(sim);
    bool there = practice_follow(&p, t->speed_mm_s, t->share, t->on_off, PLAIN_MM);
    size_t records;
    const cmo_sim_truth *all = cmo_sim_recorded(sim, &records);
    double worst = 0.0;
    double squares = 0.0;
    unsigned counted = 0;
    for (size_t n = 0; n < records; n++) {
        if (all[n].way_mm - all[0].way_mm < FREE_MM) {
            continue;
        }
        double x, y;
        cmo_sim_spot(sim, &all[n], 1, &x, &y);
        double here = fabs(course_off(t->course, x, y));
        worst = fmax(worst, here);
        squares += here * here;
        counted++;
    }
    out->tried = true;
    out->value[EDGE_WORST] = there && worst < OFF_MM ? worst : INFINITY;
    out->value[EDGE_RMS] = sqrt(squares / counted);
    cmo_sim_free(sim);
}

// Of its runs, what 95 % keep to.
static double plainly(const population *c, const practice_trial *t, unsigned *done, double *rms) {
    static outcome results[POPULATION_MOST];
    static double worst[POPULATION_MOST];
    static double square[POPULATION_MOST];
    population_work(c, follow_plainly, t, results);
    *done = 0;
    for (unsigned i = 0; i < c->n; i++) {
        worst[i] = results[i].value[EDGE_WORST];
        square[i] = results[i].value[EDGE_RMS];
        *done += isfinite(worst[i]);
    }
    population_sort(worst, c->n);
    population_sort(square, c->n);
    *rms = square[(unsigned)(0.95 * (c->n - 1))];
    return worst[(unsigned)(0.95 * (c->n - 1))];
}

static void run_plainly(const population *c, const void *given, unsigned runs, const char *name) {
    static const double speeds[] = {80, 100, 130, 160, 200, 250, 300};
    static const double shares[] = {0.03, 0.05, 0.08, 0.12, 0.16, 0.22, 0.3, 0.4, 0.55};
    practice_trial t = *(const practice_trial *)given;
    population few = *c;
    few.n = MIN(c->n, MAX(runs / 5, 20U));
    for (int on_off = 0; on_off < 2; on_off++) {
        t.on_off = on_off == 1;
        printf("%s, %s\n", name, t.on_off ? "on-off" : "proportional");
        for (size_t v = 0; v < G_N_ELEMENTS(speeds); v++) {
            t.speed_mm_s = speeds[v];
            double best = shares[0];
            double least = INFINITY;
            unsigned done;
            double rms;
            for (size_t g = 0; g < G_N_ELEMENTS(shares); g++) {
                t.share = shares[g];
                double worst = plainly(&few, &t, &done, &rms);
                best = worst < least ? shares[g] : best;
                least = fmin(worst, least);
            }
            t.share = best;
            double worst = plainly(c, &t, &done, &rms);
            printf("  %3.0f mm/s%26u%6u%8.1f%8.1f   share %.2f\n", t.speed_mm_s, c->n, done, rms,
                   worst, best);
            fflush(stdout);
        }
    }
}

static void join_at_angles(edge_trial *join, population *fleet, unsigned runs, const char *what,
                           double sign) {
    for (double angle = 30.0; angle <= 60.0; angle += 15.0) {
        edge_print_head(what, "");
        printf("at %.0f to %.0f degrees\n", angle - 10.0, angle);
        join->heading_deg[0] = sign * angle;
        join->heading_deg[1] = sign * (angle - 10.0);
        population_on_kinds(3, runs, edge_run_all, join);
        edge_run_all(fleet, join, runs, "the fleet");
    }
}

int main(int arguments, char **argument) {
    unsigned robots;
    unsigned runs = edge_asked(arguments, argument, &robots);
    static const char *const names[] = {"straights and bends of 250 mm", "S-bends of 150 mm"};
    course courses[] = {course_of_bends(), course_of_s_bends(150.0, 3)};
    cmo_sim_mat *mats[] = {course_mat(&courses[0]), course_mat(&courses[1])};
    population *fleet =
        population_new(SOURCE_DIR "/data/ferry/fleet.yaml", robots, mats[0], 60.0, 60.0);
    edge_trial t = {.cruise_mm_s = 300.0,
                    .too_fast = CMO_TOO_FAST_SLOW,
                    .off_mm = {-5, 20},
                    .heading_deg = {-15, 15}};
    for (size_t n = 0; n < G_N_ELEMENTS(courses); n++) {
        edge_print_head(names[n], "");
        t.course = &courses[n];
        t.mat = mats[n];
        t.way_mm = courses[n].way_mm;
        population_on_kinds(USUAL_KINDS, runs, edge_run_all, &t);
        edge_run_all(fleet, &t, runs, "the fleet");
        printf("\n");
    }
    edge_print_head(names[0], ", told to drive at 300 mm/s");
    t.course = &courses[0];
    t.mat = mats[0];
    t.way_mm = courses[0].way_mm;
    t.too_fast = CMO_TOO_FAST_ACCEPT;
    population_on_kinds(2, runs, edge_run_all, &t);
    printf("\n");
    edge_trial join = {.course = &courses[0],
                       .mat = mats[0],
                       .way_mm = 550.0,
                       .cruise_mm_s = 300.0,
                       .too_fast = CMO_TOO_FAST_SLOW,
                       .off_mm = {5, 60}};
    join_at_angles(&join, fleet, runs, "joined from beside, up to 60 mm", -1.0);
    course straight = course_straight();
    cmo_sim_mat *long_mat = course_mat(&straight);
    join.course = &straight;
    join.mat = long_mat;
    join.way_mm = straight.way_mm;
    join.beyond = true;
    join_at_angles(&join, fleet, runs,
                   "joined from beyond the line, the other spot up to 60 mm off", 1.0);
    edge_print_head("put down along the line", ", the spot up to 80 mm to either side of its edge");
    join.beyond = false;
    join.off_mm[0] = -80.0;
    join.off_mm[1] = 80.0;
    join.heading_deg[0] = -10.0;
    join.heading_deg[1] = 10.0;
    population_on_kinds(3, runs, edge_run_all, &join);
    edge_run_all(fleet, &join, runs, "the fleet");
    cmo_sim_mat_free(long_mat);
    printf("\n");
    edge_print_head(names[0], ", common practice");
    practice_trial plain = {.course = &courses[0], .mat = mats[0]};
    population_on_kinds(2, MIN(runs, 200U), run_plainly, &plain);
    population_free(fleet);
    cmo_sim_mat_free(mats[0]);
    cmo_sim_mat_free(mats[1]);
    return 0;
}
