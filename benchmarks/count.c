// SPDX-License-Identifier: GPL-3.0-or-later
// Counts lines and rests on one of them: lines of any width and gap, met at a slant, a third of
// them worn under one sensor; evenly spaced ones of which some are missing, with decorations as
// wide as a line under one sensor between them. Right: it stands on the line that was asked for;
// off: on that one, but not by its edge, which is worn. On the demo robot, on other kinds and on a
// fleet, with common practice beside. Then where the robot believes to be after ten lines at stated
// places, put down up to 10 mm and 2 degrees off; after one of them; and by odometry alone.
//
//     bench_count [RUNS [ROBOTS]]
#include "kinds.h"
#include "population.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#define WIDE_MM  2900.0
#define HIGH_MM  1700.0
#define LINES    20
#define FLOORS   64U
#define START_X  150.0
#define FIRST_MM 330.0 // of the mat, where the first line is met

// Worn in strips, of which one sensor goes over one at most.
#define STRIPS_MM 180.0
#define STRIP_MM  75.0

// A floor: lines across a way that lies at a slant to them.
typedef struct floor_of {
    unsigned lines; // missing ones too
    double width_mm, pitch_mm, slant_deg;
    bool missing[LINES];
    double hole_mm[LINES][2];    // from its near edge, along x; none: 0
    double worn_aside_mm[LINES]; // where along it
    double fake_mm[LINES];       // a decoration behind this line, from its near edge; 0: none
    int fake_side[LINES];
    bool spaced;
} floor_of;

static double start_y(const floor_of *f) {
    return f->slant_deg > 0.0 ? 250.0 : HIGH_MM - 250.0;
}

// How far to the left of the way a place lies.
static double aside_of(const floor_of *f, double x_mm, double y_mm) {
    double a = f->slant_deg * G_PI / 180.0;
    return (y_mm - start_y(f)) * cos(a) - (x_mm - START_X) * sin(a);
}

static double light_at(void *data, double x_mm, double y_mm, unsigned *marks) {
    const floor_of *f = data;
    *marks = 0;
    double aside = aside_of(f, x_mm, y_mm);
    for (unsigned i = 0; i < f->lines; i++) {
        double from = x_mm - FIRST_MM - i * f->pitch_mm;
        if (from >= 0.0 && from < f->width_mm && !f->missing[i]) {
            *marks = 1U << CMO_SIM_LINE;
            double strip = aside + f->worn_aside_mm[i];
            strip -= STRIPS_MM * floor(strip / STRIPS_MM);
            bool worn = from >= f->hole_mm[i][0] && from < f->hole_mm[i][1] && strip < STRIP_MM;
            return worn ? 0.6 : 0.05;
        }
        double fake = from - f->fake_mm[i];
        if (f->fake_mm[i] > 0.0 && fake >= 0.0 && fake < f->width_mm &&
            aside * f->fake_side[i] > 10.0) {
            *marks = 1U << CMO_SIM_DECORATION;
            return 0.05;
        }
    }
    return 0.6;
}

static void lay(floor_of *f, unsigned number, bool spaced) {
    *f = (floor_of){.spaced = spaced,
                    .width_mm = population_even(number, "width", 12, 40),
                    .slant_deg = population_even(number, "slant", -20, 20)};
    double gap = population_even(number, "gap", spaced ? 4 : 2, spaced ? 8 : 5);
    f->pitch_mm = f->width_mm * (1.0 + gap);
    // As many as there is room for.
    double room = WIDE_MM - FIRST_MM - 350.0;
    f->lines = (unsigned)CLAMP(population_even(number, "lines", 3, 21), 3.0, room / f->pitch_mm);
    for (unsigned i = 0; i < f->lines; i++) {
        unsigned seed = number * LINES + i;
        f->worn_aside_mm[i] = population_even(seed, "worn aside", 0, STRIPS_MM);
        if (population_even(seed, "worn", 0, 1) < 1.0 / 3.0) {
            double share = population_even(seed, "hole", 0.15, 0.38);
            bool late = population_even(seed, "late", 0, 1) < 0.5;
            double from = late ? population_even(seed, "from", 0.55, 0.95 - share)
                               : population_even(seed, "from", 0.05, 0.45 - share);
            f->hole_mm[i][0] = from * f->width_mm;
            f->hole_mm[i][1] = (from + share) * f->width_mm;
        }
        if (spaced) {
            f->missing[i] =
                i > 0 && i + 1 < f->lines && population_even(seed, "missing", 0, 1) < 0.1;
            f->fake_side[i] = population_even(seed, "fake side", 0, 1) < 0.5 ? -1 : 1;
            if (population_even(seed, "fake", 0, 1) < 0.2) {
                f->fake_mm[i] = population_even(seed, "fake at", 0.35, 0.5) * f->pitch_mm;
            }
        }
    }
}

typedef struct count_trial {
    const floor_of *floors;
    cmo_sim_mat *const *mats;
    unsigned round;
} count_trial;

enum { REST, THEIRS, SPEED, RIGHT };

// On the one that was asked for; which is there.
static unsigned asked(const floor_of *f, unsigned seed) {
    unsigned number = 1U + (unsigned)population_even(seed, "number", 0, f->lines - 0.001);
    while (f->missing[number - 1]) {
        number--;
    }
    return number;
}

// What common practice stops on: the line that is nearest to where the sensors stand.
static bool practice_is_right(const population *c, unsigned i, const count_trial *t, unsigned seed,
                              const lab_start *start, double speed, unsigned number) {
    const floor_of *f = &t->floors[seed % FLOORS];
    practice p;
    cmo_sim *sim = population_practice(c->robot[i], t->mats[seed % FLOORS], start, seed + 1, &p);
    bool right = practice_count(&p, speed, number);
    size_t records;
    const cmo_sim_crossing *all = cmo_sim_crossings(sim, &records);
    double x = -INFINITY; // where its sensor came onto the last line
    for (size_t n = 0; n < records; n++) {
        if (all[n].entering && all[n].sensor == 0 && all[n].mark == CMO_SIM_LINE) {
            x = all[n].x_mm;
        }
    }
    right = right && fabs(x - FIRST_MM - (number - 1) * f->pitch_mm) < 0.5 * f->width_mm;
    cmo_sim_free(sim);
    return right;
}

static void count(const population *c, unsigned i, const void *context, outcome *out) {
    const count_trial *t = context;
    unsigned seed = t->round * c->n + i;
    const floor_of *f = &t->floors[seed % FLOORS];
    unsigned number = asked(f, seed);
    double speed = population_even(seed, "speed", 100, 500);
    lab_leg leg = {.routine = CMO_ROUTINE_COUNT_LINES,
                   .parameters.count_lines = {.number = (uint8_t)number,
                                              .cruise_mm_s = (float)speed,
                                              .least_width_mm = (float)(0.5 * f->width_mm),
                                              .least_gap_mm = (float)(0.9 * f->width_mm),
                                              .largest_entry_deg = 25.0F,
                                              .spacing_mm = f->spaced ? (float)f->pitch_mm : 0.0F,
                                              .too_fast = CMO_TOO_FAST_SLOW,
                                              .rest = CMO_REST_NEAR_EDGE}};
    lab_route *route = population_route(t->mats[seed % FLOORS], &leg);
    double ahead = (double)c->robot[i]->description.light[0].ahead_mm - 70.0;
    double heading = f->slant_deg + population_even(seed, "heading", -2, 2);
    double a = f->slant_deg * G_PI / 180.0;
    lab_start start = {START_X - ahead * cos(a),
                       start_y(f) - ahead * sin(a) + population_even(seed, "aside", -5, 5),
                       heading};
    lab_run *run = lab_drive_from(route, c->robot[i], &start, seed + 1, false);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    out->outcome = result->outcome;
    out->tried = result->outcome != CMO_OUTCOME_TOO_FAST &&
                 result->outcome != CMO_OUTCOME_BAD_PARAMETER &&
                 result->outcome != CMO_OUTCOME_LOW_CONTRAST;
    // It may stand on the line that was asked for, and off its edge, which is worn there.
    bool stands = result->outcome == CMO_OUTCOME_DONE || result->outcome == CMO_OUTCOME_WRONG_LINE;
    out->value[RIGHT] =
        stands && fabs(result->truth.value[CMO_REST_ERROR_MM]) < 0.25 * f->pitch_mm ? 1.0 : 0.0;
    if (out->value[RIGHT] > 0.5) {
        out->value[REST] = result->truth.value[CMO_REST_ERROR_MM];
    }
    out->value[SPEED] = result->robot.value[CMO_TOP_SPEED_MM_S];
    out->value[THEIRS] =
        out->tried && practice_is_right(c, i, t, seed, &start, speed, number) ? 1.0 : 0.0;
    lab_run_free(run);
    population_route_free(route);
}

static void run_all(const population *c, const void *given, unsigned runs, const char *name) {
    static outcome results[POPULATION_MOST];
    static double rest[200000];
    unsigned tried = 0;
    unsigned right = 0;
    unsigned off_edge = 0;
    unsigned theirs = 0;
    unsigned known = 0;
    unsigned faults[CMO_OUTCOMES] = {0};
    double speed = 0.0;
    count_trial t = *(const count_trial *)given;
    for (t.round = 0; t.round * c->n < runs; t.round++) {
        population_work(c, count, &t, results);
        for (unsigned i = 0; i < c->n; i++) {
            if (!results[i].tried) {
                continue;
            }
            tried++;
            right += results[i].value[RIGHT] > 0.5;
            off_edge +=
                results[i].value[RIGHT] > 0.5 && results[i].outcome == CMO_OUTCOME_WRONG_LINE;
            faults[results[i].outcome]++;
            theirs += results[i].value[THEIRS] > 0.5;
            speed += results[i].value[SPEED];
            if (isfinite(results[i].value[REST]) && known < G_N_ELEMENTS(rest)) {
                rest[known++] = fabs(results[i].value[REST]);
            }
        }
    }
    population_sort(rest, known);
    printf("%-36s%7u%7u%7u%8.2f%8.2f%7.0f%9.1f ", name, tried, right, off_edge,
           known > 0 ? rest[(unsigned)ceil(0.95 * known) - 1] : NAN,
           known > 0 ? rest[known - 1] : NAN, speed / tried, 100.0 * theirs / tried);
    for (unsigned o = CMO_OUTCOME_DONE + 1; o < CMO_OUTCOMES; o++) {
        if (o == CMO_OUTCOME_WRONG_LINE) {
            faults[o] -= off_edge;
        }
        if (faults[o] > 0) {
            printf(" %s %u", cmo_outcome_name((cmo_outcome)o), faults[o]);
        }
    }
    printf("\n");
    fflush(stdout);
}

// ---------------------------------------------------------------------- where it believes to be --

enum { TENTH, FIRST, ODOMETRY, HEADING, PLACED_VALUES };

static void place_run(const population *c, unsigned i, const void *context, outcome *out) {
    const count_trial *t = context;
    unsigned seed = t->round * c->n + i;
    unsigned floor_number = seed % FLOORS;
    while (t->floors[floor_number].lines < 10 || t->floors[floor_number].missing[9]) {
        floor_number = (floor_number + 1) % FLOORS;
    }
    const floor_of *f = &t->floors[floor_number];
    double a = f->slant_deg * G_PI / 180.0;
    double ahead = (double)c->robot[i]->description.light[0].ahead_mm - 70.0;
    lab_start start = {START_X - ahead * cos(a) + population_even(seed, "off", -10, 10),
                       start_y(f) - ahead * sin(a) + population_even(seed, "aside", -10, 10),
                       f->slant_deg + population_even(seed, "heading", -2, 2)};
    out->tried = true;
    for (unsigned n = TENTH; n <= ODOMETRY; n++) {
        lab_leg leg = {.routine = CMO_ROUTINE_COUNT_LINES,
                       .stated = n != ODOMETRY,
                       .place = {(float)FIRST_MM, 0.0F, 0.0F},
                       .parameters.count_lines = {
                           .number = n == FIRST ? 1 : 10,
                           .cruise_mm_s = (float)population_even(seed, "speed", 100, 500),
                           .least_width_mm = (float)(0.5 * f->width_mm),
                           .least_gap_mm = (float)(0.9 * f->width_mm),
                           .largest_entry_deg = 25.0F,
                           .spacing_mm = (float)f->pitch_mm,
                           .too_fast = CMO_TOO_FAST_SLOW,
                           .rest = CMO_REST_NEAR_EDGE}};
        lab_route *route = population_route(t->mats[floor_number], &leg);
        route->x_mm = START_X - ahead * cos(a);
        route->y_mm = start_y(f) - ahead * sin(a);
        route->heading_deg = f->slant_deg;
        lab_run *run = lab_drive_from(route, c->robot[i], &start, seed + 1, false);
        // What became of the ten stands in the table above; where it believes to be counts anyway.
        if (n == TENTH) {
            out->outcome = run->outcome;
            out->value[HEADING] = fabs(run->heading_error_deg);
        }
        if (run->outcome == CMO_OUTCOME_DONE || run->outcome == CMO_OUTCOME_WRONG_LINE) {
            out->value[n] = fabs(run->pose_off_x_mm);
        }
        lab_run_free(run);
        population_route_free(route);
    }
}

static void place_all(const population *c, const void *given, unsigned runs, const char *name) {
    static outcome results[POPULATION_MOST];
    static double off[PLACED_VALUES][200000];
    unsigned known[PLACED_VALUES] = {0};
    unsigned within = 0;
    count_trial t = *(const count_trial *)given;
    for (t.round = 0; t.round * c->n < runs; t.round++) {
        population_work(c, place_run, &t, results);
        for (unsigned i = 0; i < c->n; i++) {
            within += results[i].value[TENTH] <= 2.0;
            for (unsigned v = 0; v < PLACED_VALUES; v++) {
                if (isfinite(results[i].value[v]) && known[v] < G_N_ELEMENTS(off[v])) {
                    off[v][known[v]++] = results[i].value[v];
                }
            }
        }
    }
    printf("%-36s%7u%9u", name, known[TENTH], within);
    for (unsigned v = 0; v < PLACED_VALUES; v++) {
        population_sort(off[v], known[v]);
        printf("%9.2f%8.2f", known[v] > 0 ? off[v][(unsigned)ceil(0.95 * known[v]) - 1] : NAN,
               known[v] > 0 ? off[v][known[v] - 1] : NAN);
    }
    printf("\n");
    fflush(stdout);
}

// ----------------------------------------------------------------------------------- the robots --

// On the kinds, and on the fleet.
static void on_all(const population *fleet, const count_trial *t, unsigned runs,
                   population_runs run) {
    population_on_kinds(USUAL_KINDS, runs, run, t);
    run(fleet, t, runs, "the fleet");
    printf("\n");
}

int main(int arguments, char **argument) {
    unsigned runs = arguments > 1 ? (unsigned)CLAMP(atoi(argument[1]), 20, 100000) : 2000U;
    unsigned robots = arguments > 2 ? (unsigned)CLAMP(atoi(argument[2]), 20, 2000) : 200U;
    static floor_of floors[2][FLOORS];
    static cmo_sim_mat *mats[2][FLOORS];
    for (unsigned spaced = 0; spaced < 2; spaced++) {
        for (unsigned n = 0; n < FLOORS; n++) {
            lay(&floors[spaced][n], n + spaced * FLOORS, spaced);
            mats[spaced][n] =
                cmo_sim_mat_from_function(WIDE_MM, HIGH_MM, 1.0, light_at, &floors[spaced][n]);
        }
    }
    population *fleet =
        population_new(SOURCE_DIR "/data/ferry/fleet.yaml", robots, mats[0][0], 60.0, 60.0);
    for (unsigned spaced = 0; spaced < 2; spaced++) {
        printf("%s\n%-36s%7s%7s%7s%8s%8s%7s%9s\n",
               spaced ? "Spacing stated; one line in ten missing, a decoration as wide as a line "
                        "in one gap of five"
                      : "Lines of 12 to 40 mm, gaps of 2 to 5 times that, up to 20 degrees, a "
                        "third of them worn",
               "rest on the Nth", "runs", "right", "off", "95 % mm", "worst", "mm/s", "theirs %");
        count_trial t = {floors[spaced], mats[spaced], 0};
        on_all(fleet, &t, runs, run_all);
    }
    printf(
        "Where it believes to be across the lines, less the truth, mm: after ten at stated places, "
        "after one, and by odometry alone; heading, degrees\n"
        "%-36s%7s%9s%9s%8s%9s%8s%9s%8s%9s%8s\n",
        "", "runs", "in 2 mm", "ten 95 %", "worst", "one 95 %", "worst", "none", "worst", "heading",
        "worst");
    count_trial placed = {floors[1], mats[1], 0};
    on_all(fleet, &placed, runs, place_all);
    population_free(fleet);
    for (unsigned n = 0; n < FLOORS; n++) {
        cmo_sim_mat_free(mats[0][n]);
        cmo_sim_mat_free(mats[1][n]);
    }
    return 0;
}
