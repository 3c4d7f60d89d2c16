// SPDX-License-Identifier: GPL-3.0-or-later
// Follows the left edge of a line of 20 mm over straights and bends for three metres, as fast as
// its sensors and motors can answer such bends, at 300 mm/s at most; put down up to 20 mm beside
// the edge and 15 degrees off. On the demo robot, other kinds and a fleet. Then told to drive at
// 300 mm/s.
//
//     bench_follow [RUNS [ROBOTS]]
#include "kinds.h"
#include "population.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define HALF_MM 10.0
#define PIECES  12

// A course: straights and bends, end to end.
typedef struct piece {
    double x, y, heading; // where it begins
    double length_mm, radius_mm;
} piece;
#define STRAIGHT(mm)                                                                               \
    { .length_mm = (mm) }
#define BEND(mm, radius)                                                                           \
    { .length_mm = (mm), .radius_mm = (radius) } // positive: to the left

typedef struct course {
    const char *name;
    unsigned pieces;
    double x, y;
    double wide_mm, high_mm, tightest_mm;
    piece piece[PIECES];
} course;

static course courses[] = {
    {.name = "straights and bends of 250 mm",
     .pieces = 7,
     .x = 200,
     .y = 300,
     .wide_mm = 1900,
     .high_mm = 1900,
     .tightest_mm = 250,
     .piece = {STRAIGHT(600), BEND(393, 250), STRAIGHT(300), BEND(393, -250), STRAIGHT(200),
               BEND(785, 250), STRAIGHT(900)}},
    {.name = "S-bends of 150 mm",
     .pieces = 10,
     .x = 200,
     .y = 300,
     .wide_mm = 2600,
     .high_mm = 1200,
     .tightest_mm = 150,
     .piece = {STRAIGHT(300), BEND(236, 150), BEND(236, -150), STRAIGHT(300), BEND(236, -150),
               BEND(236, 150), STRAIGHT(300), BEND(236, 150), BEND(236, -150), STRAIGHT(700)}},
};

static void lay(course *c) {
    double x = c->x;
    double y = c->y;
    double heading = 0.0;
    for (unsigned i = 0; i < c->pieces; i++) {
        piece *p = &c->piece[i];
        p->x = x;
        p->y = y;
        p->heading = heading;
        if (p->radius_mm == 0.0) {
            x += p->length_mm * cos(heading);
            y += p->length_mm * sin(heading);
        } else {
            double turn = p->length_mm / p->radius_mm;
            x += p->radius_mm * (sin(heading + turn) - sin(heading));
            y -= p->radius_mm * (cos(heading + turn) - cos(heading));
            heading += turn;
        }
    }
}

// How far to the left of a piece's middle a place lies; INFINITY: not beside it.
static double beside(const piece *p, double x, double y) {
    double dx = x - p->x;
    double dy = y - p->y;
    double c = cos(p->heading);
    double s = sin(p->heading);
    double along = dx * c + dy * s;
    double left = -dx * s + dy * c;
    if (p->radius_mm == 0.0) {
        return along >= -0.5 && along <= p->length_mm + 0.5 ? left : INFINITY;
    }
    double r = p->radius_mm;
    double out = hypot(along, left - r);
    double turned = r > 0.0 ? atan2(along, r - left) : atan2(along, left - r);
    return turned >= -0.005 && turned <= fabs(p->length_mm / r) + 0.005
               ? (r > 0.0 ? r - out : out + r)
               : INFINITY;
}

static double light_at(void *data, double x_mm, double y_mm, unsigned *marks) {
    const course *c = data;
    bool on = false;
    for (unsigned i = 0; i < c->pieces && !on; i++) {
        on = fabs(beside(&c->piece[i], x_mm, y_mm)) <= HALF_MM;
    }
    *marks = on ? 1U << CMO_SIM_LINE : 0;
    return on ? 0.05 : 0.6;
}

typedef struct follow_trial {
    const course *course;
    const cmo_sim_mat *mat;
    unsigned round;
    double way_mm;
    cmo_too_fast too_fast;
} follow_trial;

#define SPEED_MM_S 300.0F

enum { RMS, WORST, SPEED, JOINED, VALUES };

static void follow(const population *c, unsigned i, const void *context, outcome *out) {
    const follow_trial *t = context;
    unsigned seed = t->round * c->n + i;
    const cmo_light_description *spot = &c->robot[i]->description.light[1];
    lab_leg leg = {.routine = CMO_ROUTINE_FOLLOW_EDGE,
                   .parameters.follow_edge = {.edge = CMO_LINE_LEFT,
                                              .distance_mm = (float)t->way_mm,
                                              .cruise_mm_s = SPEED_MM_S,
                                              .least_width_mm = 15.0F,
                                              .tightest_mm = (float)t->course->tightest_mm,
                                              .too_fast = t->too_fast}};
    lab_route *route = population_route(t->mat, &leg);
    double off = population_even(seed, "off", -5, 20);
    double a = population_even(seed, "heading", -15, 15) * G_PI / 180.0;
    double ahead = (double)spot->ahead_mm;
    double left = (double)spot->left_mm;
    lab_start start = {t->course->x + 60.0 - ahead * cos(a) + left * sin(a),
                       t->course->y + HALF_MM + off - ahead * sin(a) - left * cos(a),
                       a * 180.0 / G_PI};
    lab_run *run = lab_drive_from(route, c->robot[i], &start, seed + 1, false);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    out->outcome = result->outcome;
    out->tried = result->outcome != CMO_OUTCOME_BAD_PARAMETER &&
                 result->outcome != CMO_OUTCOME_TOO_FAST &&
                 result->outcome != CMO_OUTCOME_LOW_CONTRAST;
    const lab_figures *truth = &result->truth;
    if (result->outcome == CMO_OUTCOME_DONE) {
        out->value[RMS] = truth->value[CMO_EDGE_RMS_MM];
        out->value[WORST] = truth->value[CMO_EDGE_WORST_MM];
        out->value[SPEED] = truth->value[CMO_TRAVELLED_MM] / (1e-3 * truth->value[CMO_ELAPSED_MS]);
    }
    if (truth->known & LAB_FIGURE_BIT(CMO_JOINED_MM)) {
        out->value[JOINED] = truth->value[CMO_JOINED_MM];
    }
    lab_run_free(run);
    population_route_free(route);
}

static void run_all(const population *c, const void *given, unsigned runs, const char *name) {
    static outcome results[POPULATION_MOST];
    static double value[VALUES][100000];
    unsigned known[VALUES] = {0};
    unsigned tried = 0;
    unsigned faults[CMO_OUTCOMES] = {0};
    follow_trial t = *(const follow_trial *)given;
    for (t.round = 0; t.round * c->n < runs; t.round++) {
        population_work(c, follow, &t, results);
        for (unsigned i = 0; i < c->n; i++) {
            tried += results[i].tried;
            faults[results[i].outcome] += results[i].tried;
            for (unsigned v = 0; v < VALUES; v++) {
                if (isfinite(results[i].value[v]) && known[v] < G_N_ELEMENTS(value[v])) {
                    value[v][known[v]++] = results[i].value[v];
                }
            }
        }
    }
    printf("%-34s%6u%6u", name, tried, faults[CMO_OUTCOME_DONE]);
    for (unsigned v = 0; v < VALUES; v++) {
        population_sort(value[v], known[v]);
        double share = v == SPEED ? 0.5 : 0.95;
        printf("%8.1f", known[v] > 0 ? value[v][(unsigned)(share * (known[v] - 1))] : NAN);
        if (v == WORST) {
            printf("%8.1f", known[v] > 0 ? value[v][known[v] - 1] : NAN);
        }
    }
    for (unsigned o = CMO_OUTCOME_DONE + 1; o < CMO_OUTCOMES; o++) {
        if (faults[o] > 0) {
            printf("  %s %u", cmo_outcome_name((cmo_outcome)o), faults[o]);
        }
    }
    printf("\n");
    fflush(stdout);
}

static void print_head(const char *name, const char *how) {
    printf("%s%s\n%-34s%6s%6s%8s%8s%8s%8s%8s\n", name, how, "mm, 95 % within", "runs", "done",
           "rms", "worst", "of all", "mm/s", "joined");
}

int main(int arguments, char **argument) {
    unsigned runs = arguments > 1 ? (unsigned)CLAMP(atoi(argument[1]), 10, 100000) : 1000U;
    unsigned robots = arguments > 2 ? (unsigned)CLAMP(atoi(argument[2]), 20, 2000) : 200U;
    cmo_sim_mat *mats[G_N_ELEMENTS(courses)];
    for (size_t n = 0; n < G_N_ELEMENTS(courses); n++) {
        lay(&courses[n]);
        mats[n] = cmo_sim_mat_from_function(courses[n].wide_mm, courses[n].high_mm, 1.0, light_at,
                                            &courses[n]);
        cmo_sim_mat_measure(mats[n], CMO_SIM_LINE);
    }
    population *fleet =
        population_new(SOURCE_DIR "/data/ferry/fleet.yaml", robots, mats[0], 60.0, 60.0);
    for (size_t n = 0; n < G_N_ELEMENTS(courses); n++) {
        print_head(courses[n].name, "");
        follow_trial t = {&courses[n], mats[n], 0, n == 0 ? 3000.0 : 2500.0, CMO_TOO_FAST_SLOW};
        population_on_kinds(USUAL_KINDS, runs, run_all, &t);
        run_all(fleet, &t, runs, "the fleet");
        printf("\n");
    }
    print_head(courses[0].name, ", told to drive at 300 mm/s");
    follow_trial t = {&courses[0], mats[0], 0, 3000.0, CMO_TOO_FAST_ACCEPT};
    population_on_kinds(2, runs, run_all, &t);
    population_free(fleet);
    for (size_t n = 0; n < G_N_ELEMENTS(courses); n++) {
        cmo_sim_mat_free(mats[n]);
    }
    return 0;
}
