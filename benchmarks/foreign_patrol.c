// SPDX-License-Identifier: GPL-3.0-or-later
// Robots of another make stay inside, as fast as each one's own budget says is safe.
#include "foreign.h"

#include <glib.h>
#include <math.h>
#include <stdio.h>

#define REBOUNDS 12

// A boundary that is off by more is another one.
#define OFF_DEG 8.0

enum { OVER, SPEED, COUNT, MS, GUESSED, OFF };

typedef struct job {
    const char *name;
    foreign_floor floor;
    double (*over)(double x, double y);
    cmo_tone boundary;
    bool convex;
    double outside; // spots, of the tyres, from here on; negative: inside
} job;

static const job jobs[] = {
    {"rim, spots inside the tyres", foreign_ring, foreign_over_ring, CMO_TONE_DARK, true, -16},
    {"rim, spots outside the tyres", foreign_ring, foreign_over_ring, CMO_TONE_DARK, true, 4},
    {"table, spots outside", foreign_table, foreign_over_ring, CMO_TONE_VOID, true, 4},
    {"a corner pokes in, spots outside", foreign_angle, foreign_over_angle, CMO_TONE_DARK, false,
     4},
};

// How far what touches the floor is beyond the boundary, at most.
static double furthest(const foreign_plant *plant, const job *j) {
    const foreign_robot *r = plant->robot;
    double aside = 0.5 * (r->track + r->tyre);
    const double touches[][2] = {{0, aside}, {0, -aside}, {r->front - r->rear, 0}}; // one of them
    double over = -INFINITY;
    for (size_t i = 0; i < G_N_ELEMENTS(touches); i++) {
        double x, y;
        foreign_place(plant, touches[i][0], touches[i][1], &x, &y);
        over = fmax(over, j->over(x, y));
    }
    return over;
}

// By how much the direction of the boundary that it has just turned away from is off: all of them
// lie along x or y. What the turn itself is off is not counted.
static double direction_off_deg(const foreign_plant *plant, const cmo_robot *robot,
                                const cmo_stay_inside_state *state) {
    double beyond = (double)(robot->odometer.pose.heading_rad - state->heading_rad);
    double off = (plant->heading - beyond) * 180.0 / G_PI - (double)state->last.exit_deg;
    return fabs(remainder(off, 90.0));
}

// Mounts its spots beside the outer edges of its tyres.
static void mount(foreign_robot *made, cmo_robot_description *described, unsigned number,
                  double outside) {
    for (int i = 0; i < 2; i++) {
        double aside = 0.5 * (made->track + made->tyre) + outside + number % 13;
        made->aside[i] = i == 0 ? aside : -aside;
        described->light[i].left_mm = (float)made->aside[i];
    }
}

static void patrol(const foreign_robot *made, const cmo_robot_description *described,
                   unsigned number, const void *context, foreign_result *result) {
    const job *j = context;
    foreign_robot mounted = *made;
    cmo_robot_description d = *described;
    mount(&mounted, &d, number, j->outside);
    foreign_plant plant;
    foreign_start(&plant, &mounted, number, -150.0, 0.0);
    plant.floor = j->floor;
    plant.y = -150.0;
    plant.heading = 2.4 * number;
    cmo_port port = foreign_port(&plant);
    cmo_robot robot;
    cmo_stay_inside_state state;
    cmo_outcome outcome = foreign_robot_start(&robot, &d, &mounted, &port);
    bool edge = j->boundary == CMO_TONE_VOID;
    for (uint8_t i = 0; i < 2 && edge && outcome == CMO_OUTCOME_DONE; i++) {
        cmo_levels levels = foreign_levels(&mounted, i);
        levels.void_counts = foreign_void(&mounted, i);
        outcome = cmo_robot_set_levels(&robot, i, &levels);
    }
    cmo_stay_inside_parameters parameters = {
        .boundary = j->boundary, .convex = j->convex, .rebounds = REBOUNDS, .for_ms = 180000};
    outcome =
        outcome == CMO_OUTCOME_DONE ? cmo_stay_inside_start(&robot, &state, &parameters) : outcome;
    result->field = outcome != CMO_RUNNING ? robot.field : NULL;
    double over = -INFINITY, ms = 0.0;
    unsigned counted = 0, guessed = 0, off = 0;
    bool moved = outcome == CMO_RUNNING;
    for (; outcome == CMO_RUNNING; cmo_wait(&robot)) {
        outcome = cmo_tick(&robot);
        over = fmax(over, furthest(&plant, j));
        if (state.rebounds > counted) {
            counted = state.rebounds;
            ms += (state.last.done_us - state.last.crossing_us) / 1000.0;
            guessed += !state.last.known;
            off += state.last.known && direction_off_deg(&plant, &robot, &state) > OFF_DEG;
        }
    }
    foreign_pass(&plant, 0.3);
    over = fmax(over, furthest(&plant, j));
    result->outcome = outcome;
    if (moved) {
        result->value[OVER] = over;
        result->value[SPEED] = (double)state.cruise_mm_s;
        result->value[COUNT] = counted;
        result->value[MS] = counted > 0 ? ms / counted : NAN;
        result->value[GUESSED] = guessed;
        result->value[OFF] = off;
    }
    foreign_end(&plant);
}

static void print_over(unsigned n, const foreign_result *results) {
    for (unsigned i = 0; i < n; i++) {
        if (results[i].value[OVER] > 0.0) {
            printf("    robot %u over by %.1f\n", i + 1, results[i].value[OVER]);
        }
    }
}

void foreign_patrols(const foreign_robots *robots) {
    static foreign_result results[FOREIGN_MOST];
    printf(
        "%d rebounds each, as fast as each one's budget says\n%-34s%7s%7s%10s%6s%9s%9s%8s%11s%7s\n",
        REBOUNDS, "", "robots", "mm/s", "rebounds", "over", "by mm", "mean ms", "95 %", "guessed %",
        "off %");
    for (size_t k = 0; k < G_N_ELEMENTS(jobs); k++) {
        foreign_all(robots, patrol, &jobs[k], results);
        foreign_figure speed = foreign_sum_up(robots->n, results, SPEED);
        foreign_figure count = foreign_sum_up(robots->n, results, COUNT);
        foreign_figure ms = foreign_sum_up(robots->n, results, MS);
        foreign_figure guessed = foreign_sum_up(robots->n, results, GUESSED);
        foreign_figure off = foreign_sum_up(robots->n, results, OFF);
        double percent = 100.0 / (count.mean * count.n);
        unsigned over = 0;
        double furthest = -INFINITY;
        for (unsigned n = 0; n < robots->n; n++) {
            over += results[n].value[OVER] > 0.0;
            furthest = fmax(furthest,
                            isfinite(results[n].value[OVER]) ? results[n].value[OVER] : furthest);
        }
        printf("%-34s%7u%7.0f%10.0f%6u%9.1f%9.0f%8.0f%11.1f%7.1f\n", jobs[k].name, speed.n,
               speed.mean, count.mean * count.n, over, furthest, ms.mean, ms.within,
               percent * guessed.mean * guessed.n, percent * off.mean * off.n);
        foreign_print_outcomes(robots->n, results);
        print_over(robots->n, results);
    }
}
