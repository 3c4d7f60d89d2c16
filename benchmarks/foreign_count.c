// SPDX-License-Identifier: GPL-3.0-or-later
// Robots of another make count lines, and come to rest on the fifth.
#include "foreign.h"

#include <glib.h>
#include <math.h>
#include <stdio.h>

#define NUMBER 5

typedef struct job {
    const char *name;
    double speed_mm_s, angle_deg;
    bool spaced; // it knows how far they are apart
} job;

static const job jobs[] = {
    {"at 150 mm/s", 150, 3, false},
    {"at 300", 300, 3, false},
    {"at 300, spacing known", 300, 3, true},
    {"at 500, spacing known", 500, 3, true},
    {"at 300, met at up to 15 degrees", 300, 15, false},
};

enum { OFF, LINES, MS };

static void count(const foreign_robot *made, const cmo_robot_description *described,
                  unsigned number, const void *context, foreign_result *result) {
    const job *j = context;
    double angle = j->angle_deg * (double)((int)(number % 5) - 2) / 2.0;
    foreign_plant plant;
    foreign_start(&plant, made, number, FOREIGN_EDGE_MM - 250.0 - made->ahead[0],
                  angle * G_PI / 180.0);
    plant.floor = foreign_rungs;
    cmo_port port = foreign_port(&plant);
    cmo_robot robot;
    cmo_count_lines_state state;
    cmo_outcome outcome = foreign_robot_start(&robot, described, made, &port);
    cmo_count_lines_parameters parameters = {
        .number = NUMBER,
        .spacing_mm = j->spaced ? (float)FOREIGN_SPACING_MM : 0.0F,
        .cruise_mm_s = fminf((float)j->speed_mm_s, described->top_speed_mm_s),
        .least_width_mm = 0.95F * (float)FOREIGN_WIDTH_MM,
        .rest = CMO_REST_NEAR_EDGE,
        .too_fast = CMO_TOO_FAST_SLOW};
    outcome =
        outcome == CMO_OUTCOME_DONE ? cmo_count_lines_start(&robot, &state, &parameters) : outcome;
    result->field = outcome != CMO_RUNNING ? robot.field : NULL;
    for (; outcome == CMO_RUNNING; cmo_wait(&robot)) {
        outcome = cmo_tick(&robot);
    }
    result->value[MS] = 1000.0 * plant.now;
    foreign_pass(&plant, 0.3);
    result->outcome = outcome;
    if (outcome == CMO_OUTCOME_DONE) {
        double lines = round(foreign_beyond(&plant) / FOREIGN_SPACING_MM);
        result->value[LINES] = lines - (NUMBER - 1);
        if (lines == NUMBER - 1) {
            result->value[OFF] = foreign_beyond(&plant) - lines * FOREIGN_SPACING_MM;
        }
    }
    foreign_end(&plant);
}

void foreign_counts(const foreign_robots *robots) {
    static foreign_result results[FOREIGN_MOST];
    printf("to rest on the fifth of many lines, %.0f mm apart\n%-36s%6s%9s%8s%8s%8s%9s\n",
           FOREIGN_SPACING_MM, "", "done", "on it", "RMS mm", "95 %", "worst", "mean ms");
    for (size_t k = 0; k < G_N_ELEMENTS(jobs); k++) {
        foreign_all(robots, count, &jobs[k], results);
        foreign_figure lines = foreign_sum_up(robots->n, results, LINES);
        foreign_figure off = foreign_sum_up(robots->n, results, OFF);
        foreign_figure ms = foreign_sum_up(robots->n, results, MS);
        printf("%-36s%6u%9u%8.2f%8.2f%8.2f%9.0f\n", jobs[k].name, lines.n, off.n, off.rms,
               off.within, off.worst, ms.mean);
        foreign_print_outcomes(robots->n, results);
    }
}
