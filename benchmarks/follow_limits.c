// SPDX-License-Identifier: GPL-3.0-or-later
// How fast the budget says that the left edge of a line of 20 mm can be followed, by the radius of
// its S-bends, and where losses begin: up to which speed, in steps of a tenth, at most one run in
// sixty is lost. On the demo robot and other kinds; and of five times as many robots of a fleet,
// to how many it says so at all, and of those how many are lost at so many times their own budget.
//
//     bench_follow_limits [RUNS]
#include "edges.h"
#include "kinds.h"

#include <cammino/budget.h>

#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define STEP 1.1
// A speed at which more are lost may be a bad one among good ones; two in a row are not.
#define BAD_MOST 2U

static double onset_mm_s(const population *c, edge_trial *t, double from_mm_s, unsigned runs) {
    double best = NAN;
    double top = (double)c->robot[0]->description.top_speed_mm_s;
    unsigned bad = 0;
    for (double v = from_mm_s; v <= top && bad < BAD_MOST; v *= STEP) {
        t->cruise_mm_s = v;
        rounds_sum *sum = rounds_run(c, edge_follow, t, &t->round, runs);
        bool holds = sum->tried > 0 && 60 * (sum->tried - sum->done) <= sum->tried;
        best = holds ? v : best;
        bad = holds ? 0 : bad + 1;
        rounds_free(sum);
    }
    return best;
}

static void run_limits(const population *c, const void *given, unsigned runs, const char *name) {
    edge_trial t = *(const edge_trial *)given;
    float radius = (float)t.course->tightest_mm;
    double budget = (double)cmo_budget_follow(&c->robot[0]->description, 1, radius, false);
    double onset = budget > 0.0 ? onset_mm_s(c, &t, budget / (STEP * STEP), runs) : NAN;
    printf("%-34s%10.0f%10.0f%10.0f%10.2f\n", name, (double)radius, budget, onset, budget / onset);
    fflush(stdout);
}

// The same of a fleet, each robot at so many times its own budget: how many are lost.
static void run_fleet(const population *fleet, const edge_trial *given, unsigned runs) {
    edge_trial t = *given;
    printf("%-34s%10.0f", "the fleet, of each hundred lost", t.course->tightest_mm);
    for (double budgets = 1.0; budgets < 2.0; budgets *= STEP * STEP) {
        t.budgets = budgets;
        rounds_sum *sum = rounds_run(fleet, edge_follow, &t, &t.round, runs);
        if (budgets == 1.0) {
            printf("  of %u", sum->tried);
        }
        printf("  %.2f: %.1f", budgets, 100.0 * (sum->tried - sum->done) / sum->tried);
        rounds_free(sum);
        fflush(stdout);
    }
    printf("\n");
}

int main(int arguments, char **argument) {
    unsigned runs = arguments > 1 ? (unsigned)CLAMP(atoi(argument[1]), 10, 100000) : 120U;
    static const double radii[] = {75.0, 100.0, 150.0, 250.0, 500.0};
    printf("%-34s%10s%10s%10s%10s\n", "S-bends, mm, mm/s", "radius", "budget", "losses", "share");
    for (size_t n = 0; n < G_N_ELEMENTS(radii); n++) {
        course c = course_of_s_bends(radii[n], 1);
        edge_trial t = {.course = &c,
                        .mat = course_mat(&c),
                        .way_mm = c.way_mm,
                        .too_fast = CMO_TOO_FAST_ACCEPT,
                        .off_mm = {-1, 2},
                        .heading_deg = {-5, 5}};
        for (size_t k = 0; k < USUAL_KINDS; k++) {
            lab_robot *robot = robot_of_kind(&usual_kinds[k]);
            population *one = population_alone(robot, runs);
            run_limits(one, &t, runs, usual_kinds[k].name);
            g_free(one);
            lab_robot_free(robot);
        }
        population *fleet = population_new(SOURCE_DIR "/data/ferry/fleet.yaml",
                                           MIN(5 * runs, 1000U), t.mat, 60.0, 60.0);
        run_fleet(fleet, &t, 5 * runs);
        population_free(fleet);
        cmo_sim_mat_free((cmo_sim_mat *)(uintptr_t)t.mat);
    }
    return 0;
}
