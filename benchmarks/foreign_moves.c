// SPDX-License-Identifier: GPL-3.0-or-later
// Robots of another make stop, square, turn and advance.
#include "foreign.h"

#include <glib.h>
#include <math.h>
#include <stdio.h>

typedef enum job_kind { STOP, SQUARE, TURN, ADVANCE } job_kind;

typedef struct job {
    const char *name;
    job_kind kind;
    double speed_mm_s, number; // degrees to the line, or to turn; a way
    cmo_rest rest;
    double beyond_mm;
} job;

static const job jobs[] = {
    {"stop at 150 mm/s, mm", STOP, 150, 2, CMO_REST_NEAR_EDGE, 0},
    {"... at 300", STOP, 300, 2, CMO_REST_NEAR_EDGE, 0},
    {"... at 500", STOP, 500, 2, CMO_REST_NEAR_EDGE, 0},
    {"... at 300, met at up to 14 degrees", STOP, 300, 14, CMO_REST_NEAR_EDGE, 0},
    {"... over the far edge", STOP, 300, 2, CMO_REST_FAR_EDGE, 0},
    {"... over the centre", STOP, 300, 2, CMO_REST_CENTRE, 0},
    {"... 70 mm beyond the near edge", STOP, 300, 2, CMO_REST_NEAR_EDGE, 70},
    {"... at 500", STOP, 500, 2, CMO_REST_NEAR_EDGE, 70},
    {"... 70 mm before it, at 500", STOP, 500, 2, CMO_REST_NEAR_EDGE, -70},
    {"halted from 300 at up to 30 degrees", STOP, 300, 30, CMO_REST_HALTED, 0},
    {"... from 500", STOP, 500, 30, CMO_REST_HALTED, 0},
    {"square up at 200 mm/s, degrees", SQUARE, 200, 36, CMO_REST_NEAR_EDGE, 0},
    {"turn by 30, degrees", TURN, 0, 30, CMO_REST_HALTED, 0},
    {"turn by 90", TURN, 0, 90, CMO_REST_HALTED, 0},
    {"turn by -180", TURN, 0, -180, CMO_REST_HALTED, 0},
    {"advance by 300 mm, mm", ADVANCE, 0, 300, CMO_REST_HALTED, 0},
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
                                                             .rest = j->rest,
                                                             .beyond_mm = (float)j->beyond_mm});
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
    static const double place[] = {[CMO_REST_HALTED] = 0.0,
                                   [CMO_REST_NEAR_EDGE] = 0.0,
                                   [CMO_REST_CENTRE] = 0.5 * FOREIGN_WIDTH_MM,
                                   [CMO_REST_FAR_EDGE] = FOREIGN_WIDTH_MM};
    switch (j->kind) {
    case STOP:
        return foreign_beyond(plant) - place[j->rest] - j->beyond_mm;
    case SQUARE:
        return plant->heading * 180.0 / G_PI;
    case TURN:
        return (plant->heading - heading) * 180.0 / G_PI - j->number;
    default:
        return hypot(plant->x - x, plant->y) - j->number;
    }
}

enum { OFF, MS };

static void drive(const foreign_robot *made, const cmo_robot_description *described,
                  unsigned number, const void *context, foreign_result *result) {
    const job *j = context;
    bool to_line = j->kind == STOP || j->kind == SQUARE;
    double angle = to_line ? j->number * (double)((int)(number % 5) - 2) / 2.0 : 0.0;
    double x = FOREIGN_EDGE_MM - (j->kind == SQUARE ? 350.0 : 450.0) - made->ahead[0];
    foreign_plant plant;
    foreign_start(&plant, made, number, x, angle * G_PI / 180.0);
    cmo_port port = foreign_port(&plant);
    cmo_robot robot;
    routine_state state;
    cmo_outcome outcome = foreign_robot_start(&robot, described, made, &port);
    outcome = outcome == CMO_OUTCOME_DONE ? begin(&robot, &state, j) : outcome;
    double since = 0.0;
    bool crossed = !to_line;
    for (; outcome == CMO_RUNNING; cmo_wait(&robot)) {
        outcome = cmo_tick(&robot);
        since = crossed ? since : plant.now;
        crossed = crossed || foreign_first(&plant) >= 0.0;
    }
    double ms = 1000.0 * (plant.now - since);
    foreign_pass(&plant, 0.3); // where it truly comes to rest
    result->outcome = outcome;
    if (outcome == CMO_OUTCOME_DONE) {
        result->value[OFF] = off(&plant, j, angle * G_PI / 180.0, x);
        result->value[MS] = ms;
    }
    foreign_end(&plant);
}

void foreign_moves(const foreign_robots *robots) {
    static foreign_result results[FOREIGN_MOST];
    printf("%-38s%5s%7s%8s%8s%9s%8s\n", "", "done", "RMS", "95 %", "worst", "mean ms", "95 %");
    for (size_t k = 0; k < G_N_ELEMENTS(jobs); k++) {
        foreign_all(robots, drive, &jobs[k], results);
        foreign_figure off_by = foreign_sum_up(robots->n, results, OFF);
        foreign_figure ms = foreign_sum_up(robots->n, results, MS);
        printf("%-38s%5u%7.2f%8.2f%8.2f%9.0f%8.0f\n", jobs[k].name, off_by.n, off_by.rms,
               off_by.within, off_by.worst, ms.mean, ms.within);
        foreign_print_outcomes(robots->n, results);
    }
}
