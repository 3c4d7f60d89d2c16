// SPDX-License-Identifier: GPL-3.0-or-later
// Stay inside: departures in ten thousand rebounds on six robots in eight arenas, at the corners of
// the stated spread of battery and grip; how the budget compares with the speed at which departures
// begin; how precisely it turns away; and common practice beside it. True figures.
#include "arenas.h"
#include "practice.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define CORNERS 4

typedef struct tally {
    unsigned rebounds, departures, failed, both, felt, guessed, corners;
    double margin_mm, speed_mm_s, share, seconds;
    GArray *both_deg, *felt_deg; // turn errors
} tally;

static void start_tally(tally *t) {
    *t = (tally){.margin_mm = INFINITY,
                 .both_deg = g_array_new(FALSE, FALSE, sizeof(double)),
                 .felt_deg = g_array_new(FALSE, FALSE, sizeof(double))};
}

static void end_tally(tally *t) {
    g_array_free(t->both_deg, TRUE);
    g_array_free(t->felt_deg, TRUE);
}

static int by_value(const void *a, const void *b) {
    double first = *(const double *)a;
    double second = *(const double *)b;
    return (first > second) - (first < second);
}

static double p95(GArray *values) {
    if (values->len == 0) {
        return NAN;
    }
    g_array_sort(values, by_value);
    return g_array_index(values, double, (guint)(0.95 * (values->len - 1)));
}

static void add(tally *t, const lab_leg_result *leg) {
    if (leg->outcome != CMO_OUTCOME_DONE && leg->outcome != CMO_OUTCOME_DEPARTED) {
        t->failed++;
        return;
    }
    t->rebounds += leg->rebounds->len;
    t->departures += (unsigned)leg->truth.value[CMO_DEPARTURES];
    t->margin_mm = fmin(t->margin_mm, leg->truth.value[CMO_MARGIN_MM]);
    t->speed_mm_s = leg->cruise_mm_s;
    t->share += leg->truth.value[CMO_COVERED_SHARE];
    t->seconds += (leg->end_ms - leg->start_ms) / 1000.0;
    for (guint i = 0; i < leg->rebounds->len; i++) {
        const lab_rebound *r = &g_array_index(leg->rebounds, lab_rebound, i);
        double error = fabs(r->turn_error_deg);
        if (r->robot.answered) {
            t->corners++;
        } else if (!r->robot.known) {
            t->guessed++;
        } else if (r->both && isfinite(error)) {
            t->both++;
            g_array_append_val(t->both_deg, error);
        } else if (isfinite(error)) {
            t->felt++;
            g_array_append_val(t->felt_deg, error);
        }
    }
}

// Runs one patrol at each corner of the spread, each from another heading.
static void patrol(lab_route *route, const cmo_stay_inside_parameters *parameters, uint64_t seed,
                   tally *t) {
    for (unsigned corner = 0; corner < CORNERS; corner++) {
        lab_robot robot = *route->robot;
        set_corner(&robot, route->robot, corner);
        cmo_tone boundary = route->leg[0].parameters.stay_inside.boundary;
        route->leg[0].parameters.stay_inside = *parameters;
        route->leg[0].parameters.stay_inside.boundary = boundary;
        lab_start start = {route->x_mm, route->y_mm, 37.0 * (corner + 1.0) + 11.0 * (double)seed};
        lab_run *run = lab_drive_from(route, &robot, &start, seed + corner, false);
        add(t, &g_array_index(run->legs, lab_leg_result, 0));
        lab_run_free(run);
    }
}

static bool convex(unsigned a) {
    return strcmp(arenas[a].name, "L-shape") != 0;
}

// Whether the robot can patrol in convex arenas alone.
static bool needs_convex(const lab_route *route) {
    cmo_patrol_budget b;
    cmo_budget_patrol(&route->robot->description, CMO_GRAZING_SWAY, false, 3.0F, 0.0F, &b);
    return b.speed_mm_s <= 0.0F;
}

// ------------------------------------------------------------------------------ ten thousand --

static bool ten_thousand(unsigned each) {
    printf("Rebounds at the speed that the budget allows in any arena, wheels and caster; turn "
           "error 95 %% within\n\n%-28s%-19s%6s%9s%8s%9s%6s%6s%7s%8s%8s\n%-28s%-19s%6s%9s%8s%9s"
           "%6s%6s%7s%8s%8s\n",
           "", "", "speed", "rebounds", "over", "margin", "both", "deg", "felt", "deg", "corners",
           "", "", "mm/s", "", "", "mm", "", "", "", "", "");
    unsigned rebounds = 0;
    unsigned departures = 0;
    unsigned failed = 0;
    for (unsigned r = 0; r < ROBOTS; r++) {
        for (unsigned a = 0; a < ARENAS; a++) {
            lab_route *route = make_patrol(r, a);
            tally t;
            start_tally(&t);
            bool sways = needs_convex(route);
            if (sways && !convex(a)) {
                printf("%-28s%-19s refused: a corner that pokes in can pass under a tyre unseen\n",
                       "", arenas[a].name);
                end_tally(&t);
                free_patrol(route);
                continue;
            }
            cmo_stay_inside_parameters p = {
                .rebounds = (uint16_t)each, .for_ms = CMO_NO_END, .convex = sways};
            patrol(route, &p, 1, &t);
            printf("%-28s%-19s%6.0f%9u%8u%9.1f%6u%6.1f%7u%8.1f%8u\n",
                   a == 0 ? robot_kinds[r].name : "", arenas[a].name, t.speed_mm_s, t.rebounds,
                   t.departures, t.margin_mm, t.both, p95(t.both_deg), t.felt, p95(t.felt_deg),
                   t.corners);
            fflush(stdout);
            rebounds += t.rebounds;
            departures += t.departures;
            failed += t.failed;
            end_tally(&t);
            free_patrol(route);
        }
    }
    printf("\n%u rebounds, %u departures, %u patrols ended otherwise\n\n", rebounds, departures,
           failed);
    return departures == 0 && failed == 0;
}

// --------------------------------------------------------------------------- the budget's worth --

// All convex arenas together, at a factor of the speed that the budget allows there.
static void beyond(unsigned r, double factor, unsigned each, tally *t) {
    for (unsigned a = 0; a < ARENAS; a++) {
        if (!convex(a)) {
            continue;
        }
        lab_route *route = make_patrol(r, a);
        cmo_patrol_budget b;
        cmo_budget_patrol(&route->robot->description, CMO_GRAZING_SWAY, true, 3.0F, 0.0F, &b);
        double top = (double)route->robot->description.top_speed_mm_s;
        cmo_stay_inside_parameters p = {.rebounds = (uint16_t)each,
                                        .for_ms = CMO_NO_END,
                                        .convex = true,
                                        .too_fast = CMO_TOO_FAST_ACCEPT,
                                        .cruise_mm_s =
                                            (float)fmin(factor * (double)b.speed_mm_s, top)};
        patrol(route, &p, 1, t);
        free_patrol(route);
    }
}

static void budget(unsigned each) {
    printf("Where no corner pokes in: the speed that the budget allows, and the one at which "
           "departures begin, in steps of 5 %%;\n%u rebounds each\n\n%-28s%8s%8s%10s%8s%9s\n",
           each * CORNERS * (ARENAS - 1), "", "allowed", "margin", "none at", "some at", "share");
    for (unsigned r = 0; r < ROBOTS; r++) {
        double allowed = 0.0;
        double none = 0.0;
        double some = NAN;
        double margin = NAN;
        for (int step = 0; step <= 24 && isnan(some); step++) {
            tally t;
            start_tally(&t);
            beyond(r, 1.0 + 0.05 * step, each, &t);
            if (step == 0) {
                allowed = t.speed_mm_s;
                margin = t.margin_mm;
            }
            if (t.departures > 0) {
                some = t.speed_mm_s;
            } else {
                none = t.speed_mm_s;
            }
            end_tally(&t);
        }
        printf("%-28s%8.0f%8.1f%10.0f%8.0f%8.0f%%\n", robot_kinds[r].name, allowed, margin, none,
               some, 100.0 * allowed / some);
        fflush(stdout);
    }
    printf("\n");
}

// ------------------------------------------------------------------------------ common practice --

static void theirs(lab_route *route, practice_means means, double speed, double seconds, tally *t) {
    for (unsigned corner = 0; corner < CORNERS; corner++) {
        lab_robot robot = *route->robot;
        set_corner(&robot, route->robot, corner);
        cmo_sim_setup setup = {.traits = robot.traits | CMO_TRAIT_SPEED,
                               .plant = robot.plant,
                               .mat = route->mat,
                               .x_mm = route->x_mm,
                               .y_mm = route->y_mm,
                               .heading_deg = 37.0 * (corner + 1.0) + 11.0,
                               .seed = corner + 1};
        cmo_sim_faults_none(&setup.faults);
        cmo_sim *sim = cmo_sim_new(&setup);
        cmo_sim_record(sim);
        practice p = {.port = cmo_sim_port(sim),
                      .tick_us = robot.description.tick_us,
                      .step_mm = robot.plant.encoder_step_mm,
                      .track_mm = (double)robot.description.track_mm,
                      .light = route->leg[0].parameters.stay_inside.boundary == CMO_TONE_LIGHT};
        for (int n = 0; n < 2; n++) {
            p.threshold[n] = 0.5 * (robot.levels[n].dark + robot.levels[n].light);
        }
        t->rebounds += practice_patrol(&p, means, speed, 1000.0 * seconds);
        lab_leg_result result = {.rebounds = g_array_new(FALSE, FALSE, sizeof(lab_rebound)),
                                 .end_ms = cmo_sim_truth_now(sim).time_ms};
        lab_patrol_truth(route, sim, &result);
        t->departures += (unsigned)result.truth.value[CMO_DEPARTURES];
        t->share += result.truth.value[CMO_COVERED_SHARE];
        t->seconds += result.end_ms / 1000.0;
        g_array_free(result.rebounds, TRUE);
        g_free(result.heat.seconds);
        cmo_sim_free(sim);
    }
}

static void print_practice(const char *name, double speed, const tally *t, unsigned runs) {
    char text[16] = "safe";
    if (speed > 0.0) {
        g_snprintf(text, sizeof text, "%.0f", speed);
    }
    printf("%-44s%8s%10u%14.0f%14.0f%%\n", name, text, t->rebounds,
           t->rebounds > 0 ? 1000.0 * t->departures / t->rebounds : 0.0, 100.0 * t->share / runs);
}

static void compare(unsigned seconds) {
    static const char *const means[] = {"fixed back-off and turn, by time",
                                        "fixed back-off and turn, by distance"};
    static const unsigned robots[] = {0, 1};
    printf("Beside common practice: patrols of %u s in all eight arenas, the demo robot's "
           "in\nseven: not in the L-shape, where it is refused\n\n%-44s%8s%10s%14s%15s\n",
           seconds, "", "mm/s", "rebounds", "over per 1000", "covered");
    for (unsigned i = 0; i < G_N_ELEMENTS(robots); i++) {
        printf("%s\n", robot_kinds[robots[i]].name);
        for (unsigned m = 0; m < 2; m++) {
            for (int speed = 100; speed <= 500; speed += 100) {
                tally t;
                start_tally(&t);
                unsigned runs = 0;
                for (unsigned a = 0; a < ARENAS; a++) {
                    lab_route *route = make_patrol(robots[i], a);
                    if (needs_convex(route) && !convex(a)) {
                        free_patrol(route);
                        continue;
                    }
                    runs += CORNERS;
                    theirs(route, (practice_means)m, speed, seconds, &t);
                    free_patrol(route);
                }
                print_practice(speed == 100 ? means[m] : "", speed, &t, runs);
                end_tally(&t);
            }
        }
        for (int faster = 0; faster < 2; faster++) {
            tally t;
            start_tally(&t);
            unsigned runs = 0;
            for (unsigned a = 0; a < ARENAS; a++) {
                lab_route *route = make_patrol(robots[i], a);
                bool sways = needs_convex(route);
                if (!sways || convex(a)) {
                    cmo_stay_inside_parameters p = {.for_ms = 1000 * seconds,
                                                    .convex = (faster == 1 || sways) && convex(a),
                                                    .guess = faster == 1};
                    runs += CORNERS;
                    patrol(route, &p, 1, &t);
                }
                free_patrol(route);
            }
            print_practice(faster ? "stay inside, arena known to be convex, guessing"
                                  : "stay inside",
                           0.0, &t, runs);
            end_tally(&t);
        }
    }
}

int main(int count, char **arguments) {
    unsigned each = count > 1 ? (unsigned)CLAMP(atoi(arguments[1]), 5, 5000) : 54;
    bool good = ten_thousand(each);
    budget((each * 2) / 3);
    compare(60);
    return good ? 0 : 1;
}
