// SPDX-License-Identifier: GPL-3.0-or-later
// A fleet meets what is no line before it meets one: thin rims at any angle, grey patches, dark
// ones that are narrower than the spots are apart, and dark fields that are not.
#include "fleet.h"

#include <math.h>
#include <stdio.h>

#define WIDE_MM 1100.0
#define HIGH_MM 500.0
#define EDGE_MM 900.0
#define MARKS   3
#define FLOORS  60U

enum { RIMS, GREY, DARK, FIELDS, FIELDS_KNOWN, MARK_KINDS };
static const char *const mark_names[MARK_KINDS] = {
    "rims of 3 to 8 mm", "grey patches", "dark patches of 20 to 40 mm",
    "dark fields of 45 to 120 mm", "... the line's most width known"};

// A rectangle, by its middle, its half sides and its direction.
typedef struct mark {
    double x_mm, y_mm, half_long_mm, half_wide_mm, cosine, sine, luminance;
} mark;

typedef struct deck {
    mark mark[MARKS];
} deck;

static double light_at(void *data, double x_mm, double y_mm, unsigned *marks) {
    const deck *d = data;
    *marks = 0;
    if (x_mm >= EDGE_MM && x_mm < EDGE_MM + FLEET_LINE_MM) {
        *marks = 1U << CMO_SIM_LINE;
        return 0.05;
    }
    for (int i = 0; i < MARKS; i++) {
        const mark *m = &d->mark[i];
        double x = x_mm - m->x_mm;
        double y = y_mm - m->y_mm;
        if (fabs(x * m->cosine + y * m->sine) < m->half_long_mm &&
            fabs(y * m->cosine - x * m->sine) < m->half_wide_mm) {
            *marks = 1U << CMO_SIM_DECORATION;
            return m->luminance;
        }
    }
    return 0.6;
}

// Three of a kind, one after the other along the way.
static void lay(deck *d, unsigned number, unsigned kind) {
    for (unsigned i = 0; i < MARKS; i++) {
        unsigned seed = (number * MARKS + i) * (DARK + 1) + kind;
        double angle = population_even(seed, "angle", 0, 180) * G_PI / 180.0;
        mark *m = &d->mark[i];
        *m = (mark){.x_mm = 330.0 + 180.0 * i + population_even(seed, "x", 0, 40),
                    .y_mm = 0.5 * HIGH_MM + population_even(seed, "y", -50, 50),
                    .cosine = cos(angle),
                    .sine = sin(angle),
                    .luminance = 0.05};
        if (kind == RIMS) {
            m->half_long_mm = population_even(seed, "long", 60, 150);
            m->half_wide_mm = population_even(seed, "wide", 1.5, 4);
        } else if (kind == GREY) { // light enough to be told from the line
            m->half_long_mm = population_even(seed, "long", 10, 80);
            m->half_wide_mm = population_even(seed, "wide", 5, 80);
            m->luminance = population_even(seed, "tone", 0.42, 0.58);
        } else if (kind == FIELDS) {
            m->half_long_mm = population_even(seed, "long", 80, 120);
            m->half_wide_mm = population_even(seed, "wide", 22.5, 60);
        } else {
            m->half_long_mm = population_even(seed, "long", 10, 20);
            m->half_wide_mm = population_even(seed, "wide", 10, 20);
        }
    }
}

typedef struct marks_trial {
    cmo_sim_mat *const *mats; // one a floor
    unsigned round;
    double speed_mm_s;
    double most_mm; // stated as the line's most width; 0: nothing is
    cmo_rest rest;
} marks_trial;

enum { FALSE_STOP, MISSED, REST };

static void pass(const population *c, unsigned i, const void *context, outcome *out) {
    const marks_trial *t = context;
    unsigned seed = t->round * c->n + i;
    lab_leg leg = {.routine = CMO_ROUTINE_STOP_ON_LINE,
                   .parameters.stop_on_line = {.cruise_mm_s = (float)t->speed_mm_s,
                                               .least_width_mm = (float)FLEET_LINE_MM,
                                               .most_width_mm = (float)t->most_mm,
                                               .longest_mm = 1000.0F,
                                               .too_fast = CMO_TOO_FAST_SLOW,
                                               .rest = t->rest}};
    lab_route *route = population_route(t->mats[seed % FLOORS], &leg);
    lab_start start = {150.0, 0.5 * HIGH_MM + population_even(seed, "aside", -40, 40),
                       population_even(seed, "pass angle", -3, 3)};
    lab_run *run = lab_drive_from(route, c->robot[i], &start, seed + 1, false);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    out->tried = result->outcome != CMO_OUTCOME_BAD_PARAMETER;
    out->outcome = result->outcome;
    bool ends = result->outcome == CMO_OUTCOME_DONE;
    out->value[FALSE_STOP] = result->outcome == CMO_OUTCOME_WRONG_LINE;
    out->value[MISSED] = !ends && result->outcome != CMO_OUTCOME_WRONG_LINE;
    if (ends) {
        out->value[REST] = (double)result->truth.value[CMO_REST_ERROR_MM];
    }
    lab_run_free(run);
    population_route_free(route);
}

// All floors of a kind, five rounds of all robots.
static void print_kind(const population *c, cmo_sim_mat *const *mats, unsigned kind,
                       cmo_rest rest) {
    static outcome results[POPULATION_MOST];
    double false_stops = 0.0;
    double missed = 0.0;
    double within = 0.0;
    unsigned passes = 0;
    unsigned faults[CMO_OUTCOMES] = {0};
    for (unsigned round = 0; round < 5; round++) {
        double most_mm = kind == FIELDS_KNOWN ? FLEET_LINE_MM : 0.0;
        marks_trial t = {mats, round, 300.0, most_mm, rest};
        population_work(c, pass, &t, results);
        for (unsigned i = 0; i < c->n; i++) {
            if (results[i].tried) {
                false_stops += results[i].value[FALSE_STOP];
                missed += results[i].value[MISSED];
                faults[results[i].outcome]++;
                passes++;
            }
        }
        within = fmax(within, population_sum_up(c, results, REST, POPULATION_ALL, 0).within);
    }
    printf("%-32s%8u%13.0f%8.0f%14.2f ", mark_names[kind], passes, false_stops, missed, within);
    for (unsigned o = CMO_OUTCOME_DONE + 1; o < CMO_OUTCOMES; o++) {
        if (faults[o] > 0) {
            printf(" %s %u", cmo_outcome_name((cmo_outcome)o), faults[o]);
        }
    }
    printf("\n");
}

void fleet_marks(const char *fleet, unsigned robots) {
    static cmo_sim_mat *mats[MARK_KINDS][FLOORS];
    for (unsigned kind = 0; kind < MARK_KINDS; kind++) {
        for (unsigned n = 0; n < FLOORS; n++) {
            deck d;
            lay(&d, n, kind == FIELDS_KNOWN ? FIELDS : kind);
            mats[kind][n] = cmo_sim_mat_from_function(WIDE_MM, HIGH_MM, 1.5, light_at, &d);
        }
    }
    population *c = population_new(fleet, robots, mats[0][0], 60.0, 0.5 * HIGH_MM);
    printf("Three marks that are no lines before one that is, 300 mm/s; the line of %.0f mm is "
           "stated as wide\n",
           FLEET_LINE_MM);
    static const cmo_rest rests[] = {CMO_REST_NEAR_EDGE, CMO_REST_HALTED};
    for (size_t r = 0; r < G_N_ELEMENTS(rests); r++) {
        printf("%-32s%8s%13s%8s%14s\n",
               rests[r] == CMO_REST_HALTED ? "halted at the crossing" : "rest over the near edge",
               "passes", "false stops", "missed", "rest 95 %, mm");
        for (unsigned kind = 0; kind < MARK_KINDS; kind++) {
            print_kind(c, mats[kind], kind, rests[r]);
        }
    }
    printf("\n");
    population_free(c);
    for (unsigned kind = 0; kind < MARK_KINDS; kind++) {
        for (unsigned n = 0; n < FLOORS; n++) {
            cmo_sim_mat_free(mats[kind][n]);
        }
    }
}
