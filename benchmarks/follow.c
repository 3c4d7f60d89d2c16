// SPDX-License-Identifier: GPL-3.0-or-later
// Follows the left edge of a line of 20 mm over straights and bends for three metres, as fast as
// its sensors and motors can answer such bends, at 300 mm/s at most; put down up to 20 mm beside
// the edge and 15 degrees off. On the demo robot, other kinds and a fleet. Then told to drive at
// 300 mm/s; beside common practice, put down on the edge, its gain the best of a grid at each
// speed; and to a line across, which it is to rest on, over a gap or without one.
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
    double off_mm[2], heading_deg[2]; // of the spot to the left of the edge; of the robot to it
} follow_trial;

#define SPEED_MM_S 300.0F

// The right spot at a place, at an angle.
static lab_start start_beside(double x, double y, double a, const cmo_light_description *spot) {
    double ahead = (double)spot->ahead_mm;
    double left = (double)spot->left_mm;
    return (lab_start){x - ahead * cos(a) + left * sin(a), y - ahead * sin(a) - left * cos(a),
                       a * 180.0 / G_PI};
}

// A robot that cannot do it at all has not tried.
static void take_outcome(const lab_leg_result *result, outcome *out) {
    out->outcome = result->outcome;
    out->tried = result->outcome != CMO_OUTCOME_BAD_PARAMETER &&
                 result->outcome != CMO_OUTCOME_TOO_FAST &&
                 result->outcome != CMO_OUTCOME_LOW_CONTRAST;
}

static void print_faults(const unsigned *faults) {
    for (unsigned o = CMO_OUTCOME_DONE + 1; o < CMO_OUTCOMES; o++) {
        if (faults[o] > 0) {
            printf("  %s %u", cmo_outcome_name((cmo_outcome)o), faults[o]);
        }
    }
    printf("\n");
    fflush(stdout);
}

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
    double off = population_even(seed, "off", t->off_mm[0], t->off_mm[1]);
    double a =
        population_even(seed, "heading", t->heading_deg[0], t->heading_deg[1]) * G_PI / 180.0;
    lab_start start = start_beside(t->course->x + 60.0, t->course->y + HALF_MM + off, a, spot);
    lab_run *run = lab_drive_from(route, c->robot[i], &start, seed + 1, false);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    take_outcome(result, out);
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
    print_faults(faults);
}

static void print_head(const char *name, const char *how) {
    printf("%s%s\n%-34s%6s%6s%8s%8s%8s%8s%8s\n", name, how, "mm, 95 % within", "runs", "done",
           "rms", "worst", "of all", "mm/s", "joined");
}

// --------------------------------------------------------------------------- a line across --

#define LINE_Y   300.0
#define ACROSS_X 1100.0
#define GAP_X    650.0

static double across_at(void *data, double x_mm, double y_mm, unsigned *marks) {
    double gap = *(const double *)data;
    bool along = fabs(y_mm - LINE_Y) <= HALF_MM && (x_mm < GAP_X || x_mm > GAP_X + gap);
    bool on = along || (x_mm >= ACROSS_X && x_mm <= ACROSS_X + 2.0 * HALF_MM && y_mm > 150.0);
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
                                              .cruise_mm_s = SPEED_MM_S,
                                              .least_width_mm = 15.0F,
                                              .too_fast = CMO_TOO_FAST_SLOW}};
    lab_route *route = population_route(t->mat, &leg);
    double a = population_even(seed, "heading", -10, 10) * G_PI / 180.0;
    double off = population_even(seed, "off", -5, 10);
    lab_start start = start_beside(160.0, LINE_Y + HALF_MM + off, a, spot);
    lab_run *run = lab_drive_from(route, c->robot[i], &start, seed + 1, false);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    take_outcome(result, out);
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
    static outcome results[POPULATION_MOST];
    static double value[3][100000];
    unsigned known = 0;
    unsigned tried = 0;
    unsigned faults[CMO_OUTCOMES] = {0};
    across_trial t = *(const across_trial *)given;
    for (t.round = 0; t.round * c->n < runs; t.round++) {
        population_work(c, follow_to, &t, results);
        for (unsigned i = 0; i < c->n; i++) {
            tried += results[i].tried;
            faults[results[i].outcome] += results[i].tried;
            for (unsigned v = 0; v < 3 && results[i].outcome == CMO_OUTCOME_DONE; v++) {
                value[v][known] = results[i].value[v];
            }
            known += results[i].outcome == CMO_OUTCOME_DONE && known + 1 < 100000;
        }
    }
    for (unsigned v = 0; v < 3; v++) {
        population_sort(value[v], known);
    }
    unsigned most = known > 0 ? known - 1 : 0;
    unsigned usual = (unsigned)(0.95 * most);
    printf("%-34s%6u%6u%8.2f%8.2f%8.0f%8.1f", name, tried, faults[CMO_OUTCOME_DONE],
           value[REST][usual], value[REST][most], value[CROSSING_SPEED][most / 2],
           value[OFF_EDGE][usual]);
    print_faults(faults);
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
    const cmo_sim_mat *mat;
    bool stated;
} stated_trial;

static void follow_stated(const population *c, unsigned i, const void *context, outcome *out) {
    const stated_trial *t = context;
    lab_leg leg = {
        .routine = CMO_ROUTINE_FOLLOW_EDGE,
        .parameters.follow_edge = {.distance_mm = 560, .too_fast = CMO_TOO_FAST_SLOW},
        .stated = t->stated,
        .place = {.x_mm = 200, .y_mm = (float)(LINE_Y + HALF_MM)},
    };
    lab_route *route = population_route(t->mat, &leg);
    lab_start start =
        start_beside(160.0, LINE_Y + HALF_MM, 0.0, &c->robot[i]->description.light[1]);
    lab_run *run = lab_drive_from(route, c->robot[i], &start, i + 1, false);
    take_outcome(&g_array_index(run->legs, lab_leg_result, 0), out);
    out->value[0] = out->outcome == CMO_OUTCOME_DONE ? fabs(run->heading_error_deg) : NAN;
    lab_run_free(run);
    population_route_free(route);
}

static void run_stated(const population *c, const void *context, unsigned runs, const char *name) {
    static outcome results[POPULATION_MOST];
    (void)runs;
    printf("%-34s", name);
    for (int stated = 1; stated >= 0; stated--) {
        stated_trial t = *(const stated_trial *)context;
        t.stated = stated == 1;
        population_work(c, follow_stated, &t, results);
        double value[POPULATION_MOST];
        unsigned known = 0;
        for (unsigned i = 0; i < c->n; i++) {
            if (isfinite(results[i].value[0])) {
                value[known++] = results[i].value[0];
            }
        }
        population_sort(value, known);
        printf("%6u%8.2f", known, known > 0 ? value[(unsigned)(0.95 * (known - 1))] : NAN);
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

// --------------------------------------------------------------------- common practice --

typedef struct practice_trial {
    const course *course;
    const cmo_sim_mat *mat;
    double way_mm, speed_mm_s, share;
    bool on_off;
} practice_trial;

// Far off it may be beside another piece of the course: it has lost the edge then.
#define OFF_MM 30.0

static void follow_plainly(const population *c, unsigned i, const void *context, outcome *out) {
    const practice_trial *t = context;
    const lab_robot *robot = c->robot[i];
    double a = population_even(i, "heading", -3, 3) * G_PI / 180.0;
    double off = population_even(i, "off", -1, 1);
    lab_start start = start_beside(t->course->x + 60.0, t->course->y + HALF_MM + off, a,
                                   &robot->description.light[1]);
    practice p;
    cmo_sim *sim = population_practice(robot, t->mat, &start, i + 1, &p);
    cmo_sim_record(sim);
    bool there = practice_follow(&p, t->speed_mm_s, t->share, t->on_off, t->way_mm);
    size_t records;
    const cmo_sim_truth *all = cmo_sim_recorded(sim, &records);
    double worst = 0.0;
    double squares = 0.0;
    for (size_t n = 0; n < records; n++) {
        double x, y;
        cmo_sim_spot(sim, &all[n], 1, &x, &y);
        double from = INFINITY;
        for (unsigned k = 0; k < t->course->pieces; k++) {
            double here = beside(&t->course->piece[k], x, y) - HALF_MM;
            from = fabs(here) < fabs(from) ? here : from;
        }
        worst = fmax(worst, fabs(from));
        squares += from * from;
    }
    out->tried = true;
    out->value[WORST] = there && worst < OFF_MM ? worst : INFINITY;
    out->value[RMS] = sqrt(squares / (double)records);
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
        worst[i] = results[i].value[WORST];
        square[i] = results[i].value[RMS];
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
        follow_trial t = {&courses[n],       mats[n],  0,        n == 0 ? 3000.0 : 2500.0,
                          CMO_TOO_FAST_SLOW, {-5, 20}, {-15, 15}};
        population_on_kinds(USUAL_KINDS, runs, run_all, &t);
        run_all(fleet, &t, runs, "the fleet");
        printf("\n");
    }
    print_head(courses[0].name, ", told to drive at 300 mm/s");
    follow_trial t = {&courses[0], mats[0], 0, 3000.0, CMO_TOO_FAST_ACCEPT, {-5, 20}, {-15, 15}};
    population_on_kinds(2, runs, run_all, &t);
    printf("\n");
    for (double angle = 30.0; angle <= 60.0; angle += 15.0) {
        print_head("joined from beside", ", up to 60 mm and at so many degrees");
        follow_trial join = {
            &courses[0], mats[0], 0, 550.0, CMO_TOO_FAST_SLOW, {5, 60}, {-angle, -angle + 10.0}};
        printf("%.0f to %.0f degrees\n", angle - 10.0, angle);
        population_on_kinds(3, runs, run_all, &join);
        run_all(fleet, &join, runs, "the fleet");
    }
    printf("\n");
    run_across(fleet, runs);
    run_on_stated(fleet, runs);
    print_head(courses[0].name, ", common practice");
    practice_trial plain = {.course = &courses[0], .mat = mats[0], .way_mm = 2500.0};
    population_on_kinds(2, MIN(runs, 200U), run_plainly, &plain);
    population_free(fleet);
    for (size_t n = 0; n < G_N_ELEMENTS(courses); n++) {
        cmo_sim_mat_free(mats[n]);
    }
    return 0;
}
