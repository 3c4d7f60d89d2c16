// SPDX-License-Identifier: GPL-3.0-or-later
// Robots of another make than the simulator's stop, square, turn and advance.
#include "foreign_plant.h"

#include <glib.h>
#include <gsl/gsl_sort.h>
#include <gsl/gsl_statistics_double.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define MOST 2000U

typedef enum job_kind { STOP, SQUARE, TURN, ADVANCE } job_kind;

typedef struct job {
    const char *name;
    job_kind kind;
    double speed_mm_s, number; // degrees to the line, or to turn; a way
    cmo_rest rest;
} job;

static const job jobs[] = {
    {"stop at 150 mm/s, mm", STOP, 150, 2, CMO_REST_NEAR_EDGE},
    {"... at 300", STOP, 300, 2, CMO_REST_NEAR_EDGE},
    {"... at 500", STOP, 500, 2, CMO_REST_NEAR_EDGE},
    {"... at 300, met at up to 14 degrees", STOP, 300, 14, CMO_REST_NEAR_EDGE},
    {"... over the far edge", STOP, 300, 2, CMO_REST_FAR_EDGE},
    {"... over the centre", STOP, 300, 2, CMO_REST_CENTRE},
    {"square up at 200 mm/s, degrees", SQUARE, 200, 36, CMO_REST_NEAR_EDGE},
    {"turn by 30, degrees", TURN, 0, 30, CMO_REST_HALTED},
    {"turn by 90", TURN, 0, 90, CMO_REST_HALTED},
    {"turn by -180", TURN, 0, -180, CMO_REST_HALTED},
    {"advance by 300 mm, mm", ADVANCE, 0, 300, CMO_REST_HALTED},
};

typedef struct routine_state {
    cmo_line_state line;
    cmo_square_on_line_state square;
    cmo_advance_state move;
} routine_state;

static cmo_outcome begin(cmo_robot *robot, routine_state *state, const job *j) {
    float speed = fminf((float)j->speed_mm_s, robot->description->top_speed_mm_s);
    float least_mm = 0.95F * (float)FOREIGN_WIDTH_MM;
    if (j->kind == STOP) {
        return cmo_stop_on_line_start(robot, &state->line,
                                      &(cmo_line_parameters){.cruise_mm_s = speed,
                                                             .least_width_mm = least_mm,
                                                             .rest = j->rest});
    }
    if (j->kind == SQUARE) {
        return cmo_square_on_line_start(
            robot, &state->square,
            &(cmo_square_on_line_parameters){.cruise_mm_s = speed,
                                             .least_width_mm = least_mm,
                                             .rest = j->rest,
                                             .too_fast = CMO_TOO_FAST_SLOW});
    }
    if (j->kind == TURN) {
        return cmo_turn_start(robot, &state->move,
                              &(cmo_turn_parameters){.angle_deg = (float)j->number});
    }
    return cmo_advance_start(robot, &state->move,
                             &(cmo_advance_parameters){.distance_mm = (float)j->number});
}

// By how much it is off in the end, in truth.
static double off(const foreign_plant *plant, const job *j, double heading, double x) {
    static const double place[] = {[CMO_REST_NEAR_EDGE] = 0.0,
                                   [CMO_REST_CENTRE] = 0.5 * FOREIGN_WIDTH_MM,
                                   [CMO_REST_FAR_EDGE] = FOREIGN_WIDTH_MM};
    switch (j->kind) {
    case STOP:
        return foreign_beyond(plant) - place[j->rest];
    case SQUARE:
        return plant->heading * 180.0 / G_PI;
    case TURN:
        return (plant->heading - heading) * 180.0 / G_PI - j->number;
    default:
        return hypot(plant->x - x, plant->y) - j->number;
    }
}

// False: it was not done.
static bool drive(const foreign_robot *made, unsigned number, cmo_robot_description *d,
                  const job *j, double *off_by, double *ms) {
    bool to_line = j->kind == STOP || j->kind == SQUARE;
    double angle = to_line ? j->number * (double)((int)(number % 5) - 2) / 2.0 : 0.0;
    double x = FOREIGN_EDGE_MM - (j->kind == SQUARE ? 350.0 : 450.0) - made->ahead[0];
    foreign_plant plant;
    foreign_start(&plant, made, number, x, angle * G_PI / 180.0);
    cmo_port port = foreign_port(&plant);
    cmo_robot robot;
    routine_state state;
    cmo_outcome outcome = cmo_robot_start(&robot, d, &port);
    for (uint8_t i = 0; i < 2 && outcome == CMO_OUTCOME_DONE; i++) {
        cmo_levels levels = foreign_levels(made, i);
        outcome = cmo_robot_set_levels(&robot, i, &levels);
    }
    outcome = outcome == CMO_OUTCOME_DONE ? begin(&robot, &state, j) : outcome;
    double since = 0.0;
    bool crossed = !to_line;
    for (; outcome == CMO_RUNNING; cmo_wait(&robot)) {
        outcome = cmo_tick(&robot);
        since = crossed ? since : plant.now;
        crossed = crossed || foreign_first(&plant) >= 0.0;
    }
    *ms = 1000.0 * (plant.now - since);
    foreign_pass(&plant, 0.3); // where it truly comes to rest
    *off_by = off(&plant, j, angle * G_PI / 180.0, x);
    foreign_end(&plant);
    if (outcome != CMO_OUTCOME_DONE) {
        printf("robot %u, %s: %s\n", number, j->name, cmo_outcome_name(outcome));
    }
    return outcome == CMO_OUTCOME_DONE;
}

static void print(const char *name, double *offs, double *ms, size_t n, size_t tried) {
    double rms = 0.0;
    for (size_t i = 0; i < n; i++) {
        rms += offs[i] * offs[i] / (double)n;
        offs[i] = fabs(offs[i]);
    }
    gsl_sort(offs, 1, n);
    gsl_sort(ms, 1, n);
    printf("%-38s%5zu/%-5zu%7.2f%8.2f%8.2f%9.0f%8.0f\n", name, n, tried, sqrt(rms),
           gsl_stats_quantile_from_sorted_data(offs, 1, n, 0.95), n > 0 ? offs[n - 1] : NAN,
           gsl_stats_mean(ms, 1, n), gsl_stats_quantile_from_sorted_data(ms, 1, n, 0.95));
    fflush(stdout);
}

int main(int argc, char **argv) {
    unsigned robots = argc > 1 ? (unsigned)strtoul(argv[1], NULL, 10) : 300;
    robots = CLAMP(robots, 1U, MOST);
    static foreign_robot made[MOST];
    static cmo_robot_description described[MOST];
    static bool steady[MOST];
    for (unsigned n = 0; n < robots; n++) {
        foreign_draw(&made[n], n + 1);
        steady[n] = foreign_describe(&made[n], n + 1, &described[n]);
    }
    printf("%u robots of another make, as their users state them; true errors\n"
           "%-38s%11s%7s%8s%8s%9s%8s\n",
           robots, "", "done", "RMS", "95 %", "worst", "mean ms", "95 %");
    for (size_t k = 0; k < G_N_ELEMENTS(jobs); k++) {
        static double offs[MOST], ms[MOST];
        size_t done = 0, tried = 0;
        for (unsigned n = 0; n < robots; n++) {
            tried += steady[n];
            done += steady[n] &&
                    drive(&made[n], n + 1, &described[n], &jobs[k], &offs[done], &ms[done]);
        }
        print(jobs[k].name, offs, ms, done, tried);
    }
    return 0;
}
