// SPDX-License-Identifier: GPL-3.0-or-later
// Robots of another make follow a line's left edge through two bends.
#include "foreign.h"

#include <glib.h>
#include <math.h>
#include <stdio.h>

enum { WORST, RMS, SPEED };

typedef struct job {
    const char *name;
    float speed_mm_s;
} job;

static const job jobs[] = {
    {"at 150 mm/s", 150}, {"at 300 mm/s, or as fast as it may", 300}, {"as fast as it may", 0}};

static void follow(const foreign_robot *made, const cmo_robot_description *described,
                   unsigned number, const void *context, foreign_result *result) {
    const job *j = context;
    foreign_plant plant;
    foreign_start(&plant, made, number, 0.0, -0.25);
    plant.floor = foreign_lane;
    plant.y = 45.0 + 0.5 * made->aside[0] - made->aside[1];
    cmo_port port = foreign_port(&plant);
    cmo_robot robot;
    cmo_follow_edge_state state;
    cmo_outcome outcome = foreign_robot_start(&robot, described, made, &port);
    cmo_follow_edge_parameters parameters = {
        .cruise_mm_s =
            j->speed_mm_s > 0.0F ? fminf(j->speed_mm_s, described->top_speed_mm_s) : 0.0F,
        .distance_mm = 2200.0F,
        .least_width_mm = 0.95F * (float)FOREIGN_WIDTH_MM,
        .too_fast = CMO_TOO_FAST_SLOW};
    outcome =
        outcome == CMO_OUTCOME_DONE ? cmo_follow_edge_start(&robot, &state, &parameters) : outcome;
    result->field = outcome != CMO_RUNNING ? robot.field : NULL;
    double worst = 0.0, squares = 0.0, since = 0.0;
    unsigned looks = 0;
    for (; outcome == CMO_RUNNING; cmo_wait(&robot)) {
        outcome = cmo_tick(&robot);
        if (!state.joined) {
            since = plant.now;
            continue;
        }
        double x, y;
        foreign_place(&plant, made->ahead[1], made->aside[1], &x, &y);
        double off = foreign_off_lane(x, y) - 0.5 * FOREIGN_WIDTH_MM;
        worst = fmax(worst, fabs(off));
        squares += off * off;
        looks++;
    }
    result->outcome = outcome;
    if (looks > 0) {
        result->value[WORST] = worst;
        result->value[RMS] = sqrt(squares / looks);
        double way = (double)(parameters.distance_mm - state.figures.joined_mm);
        result->value[SPEED] = outcome == CMO_OUTCOME_DONE ? way / (plant.now - since) : NAN;
    }
    foreign_end(&plant);
}

void foreign_follows(const foreign_robots *robots) {
    static foreign_result results[FOREIGN_MOST];
    printf("2.2 m of a line with two bends of 250 mm, its spot off the edge\n"
           "%-36s%6s%8s%8s%9s%9s%10s%8s\n",
           "", "robots", "RMS mm", "95 %", "worst mm", "95 %", "most", "mm/s");
    for (size_t k = 0; k < G_N_ELEMENTS(jobs); k++) {
        foreign_all(robots, follow, &jobs[k], results);
        foreign_figure worst = foreign_sum_up(robots->n, results, WORST);
        foreign_figure rms = foreign_sum_up(robots->n, results, RMS);
        foreign_figure speed = foreign_sum_up(robots->n, results, SPEED);
        printf("%-36s%6u%8.1f%8.1f%9.1f%9.1f%10.1f%8.0f\n", jobs[k].name, speed.n, rms.mean,
               rms.within, worst.mean, worst.within, worst.worst, speed.mean);
        foreign_print_outcomes(robots->n, results);
    }
}
