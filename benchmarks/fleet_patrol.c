// SPDX-License-Identifier: GPL-3.0-or-later
// A fleet patrols eight arenas at the speed that each robot's own budget allows.
#include "fleet.h"

#include "arenas.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

#define REBOUNDS 12

enum { DEPARTURES, MARGIN, TURN, COUNT, SPEED, TIME };

static bool is_convex(unsigned number) {
    return strcmp(arenas[number].name, "L-shape") != 0;
}

typedef struct patrol_trial {
    const lab_route *ground;
    bool convex;
    double speed_mm_s; // of common practice
} patrol_trial;

static lab_route *route_in(const patrol_trial *t) {
    lab_route *route = population_route(t->ground->mat, &t->ground->leg[0]);
    route->region = t->ground->region;
    route->x_mm = t->ground->x_mm;
    route->y_mm = t->ground->y_mm;
    return route;
}

static void patrol(const population *c, unsigned i, const void *context, outcome *out) {
    const patrol_trial *t = context;
    const lab_robot *robot = c->robot[i];
    cmo_patrol_budget anywhere;
    cmo_budget_patrol(&robot->description, CMO_GRAZING_SWAY, false, 3.0F, 0.0F, &anywhere);
    bool sways = anywhere.speed_mm_s <= 0.0F;
    lab_route *route = route_in(t);
    cmo_stay_inside_parameters *p = &route->leg[0].parameters.stay_inside;
    *p = (cmo_stay_inside_parameters){
        .boundary = p->boundary, .rebounds = REBOUNDS, .for_ms = 180000, .convex = sways};
    lab_start start = {route->x_mm, route->y_mm, population_even(i, "patrol angle", 0, 360)};
    // What its user calls safe holds for a fuller or emptier battery and a little more dust, too.
    lab_robot varied = *robot;
    set_corner(&varied, robot, i % 4);
    if ((sways && !t->convex) || !robot->has_levels[0] || !robot->has_levels[1]) {
        population_route_free(route);
        return; // refused
    }
    lab_run *run = lab_drive_from(route, &varied, &start, i + 1, false);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    out->outcome = result->outcome;
    out->tried =
        result->outcome != CMO_OUTCOME_TOO_FAST && result->outcome != CMO_OUTCOME_BAD_PARAMETER;
    if (out->tried && result->rebounds != NULL) {
        out->value[DEPARTURES] = result->truth.value[CMO_DEPARTURES];
        out->value[MARGIN] = result->truth.value[CMO_MARGIN_MM];
        out->value[SPEED] = result->cruise_mm_s;
        out->value[COUNT] = result->rebounds->len;
        double squares = 0.0;
        double time = 0.0;
        unsigned turns = 0;
        for (guint n = 0; n < result->rebounds->len; n++) {
            const lab_rebound *r = &g_array_index(result->rebounds, lab_rebound, n);
            if (isfinite(r->turn_error_deg)) {
                squares += r->turn_error_deg * r->turn_error_deg;
                turns++;
            }
            time += r->end_ms - r->start_ms;
        }
        out->value[TURN] = turns > 0 ? sqrt(squares / turns) : NAN;
        out->value[TIME] = result->rebounds->len > 0 ? time / result->rebounds->len : NAN;
    }
    lab_run_free(run);
    population_route_free(route);
}

static void plain_patrol(const population *c, unsigned i, const void *context, outcome *out) {
    const patrol_trial *t = context;
    lab_route *route = route_in(t);
    lab_robot varied = *c->robot[i];
    set_corner(&varied, c->robot[i], i % 4);
    route->robot = &varied;
    lab_start start = {route->x_mm, route->y_mm, population_even(i, "patrol angle", 0, 360)};
    practice p;
    cmo_sim *sim = population_practice(&varied, route->mat, &start, i + 1, &p);
    cmo_sim_record(sim);
    p.light = route->leg[0].parameters.stay_inside.boundary == CMO_TONE_LIGHT;
    if (!varied.has_levels[0] || !varied.has_levels[1]) {
        cmo_sim_free(sim);
        population_route_free(route);
        return;
    }
    out->tried = true;
    out->outcome = CMO_OUTCOME_DONE;
    out->value[COUNT] = practice_patrol(&p, PRACTICE_DISTANCE, t->speed_mm_s, 20000.0);
    lab_leg_result result = {.rebounds = g_array_new(FALSE, FALSE, sizeof(lab_rebound)),
                             .end_ms = cmo_sim_truth_now(sim).time_ms};
    lab_patrol_truth(route, sim, &result);
    out->value[DEPARTURES] = result.truth.value[CMO_DEPARTURES];
    g_array_free(result.rebounds, TRUE);
    g_free(result.heat.seconds);
    cmo_sim_free(sim);
    population_route_free(route);
}

static double sum_of(const population *c, const outcome *results, unsigned value) {
    population_figure f = population_sum_up(c, results, value, POPULATION_ALL, 0);
    return f.n > 0 ? f.mean * f.n : 0.0;
}

static unsigned departed(const population *c, const outcome *results, unsigned part,
                         unsigned kind) {
    unsigned n = 0;
    for (unsigned i = 0; i < c->n; i++) {
        bool of = part == POPULATION_ALL || lab_fleet_kind_of(c->fleet, part, i + 1) == kind;
        n += of && results[i].value[DEPARTURES] > 0.0;
    }
    return n;
}

static void print_arena(unsigned number, const population *c, const outcome *results,
                        const outcome *plain) {
    double least = INFINITY;
    for (unsigned i = 0; i < c->n; i++) {
        least = fmin(least, isfinite(results[i].value[MARGIN]) ? results[i].value[MARGIN] : least);
    }
    population_figure turn = population_sum_up(c, results, TURN, POPULATION_ALL, 0);
    population_figure speed = population_sum_up(c, results, SPEED, POPULATION_ALL, 0);
    population_figure time = population_sum_up(c, results, TIME, POPULATION_ALL, 0);
    printf("%-18s%7u%7.0f%10.0f%8u%9.1f%8.1f%8.0f%10.0f", arenas[number].name, speed.n, speed.mean,
           sum_of(c, results, COUNT), departed(c, results, POPULATION_ALL, 0), least, turn.within,
           time.within, 1000.0 * sum_of(c, plain, DEPARTURES) / fmax(1.0, sum_of(c, plain, COUNT)));
    population_print_outcomes(c, results);
    printf("\n");
    fflush(stdout);
}

void fleet_patrol(const char *fleet, unsigned robots) {
    static outcome results[POPULATION_MOST], plain[POPULATION_MOST];
    unsigned over[LAB_PARTS_MAX][16] = {{0}}, runs[LAB_PARTS_MAX][16] = {{0}};
    printf(
        "Patrols at the speed that each robot's budget allows, %d rebounds each; battery and grip "
        "at corners of 10 %%\n%-18s%7s%7s%10s%8s%9s%8s%8s%10s\n%-18s%7s%7s%10s%8s%9s%8s%8s%10s\n",
        REBOUNDS, "", "robots", "speed", "rebounds", "robots", "margin", "turn", "95 %", "theirs",
        "", "", "mm/s", "", "over", "mm", "deg", "ms", "per 1000");
    for (unsigned a = 0; a < ARENAS; a++) {
        lab_route *ground = make_patrol(0, a);
        population *c = population_new(fleet, robots, ground->mat, ground->x_mm, ground->y_mm);
        patrol_trial t = {ground, is_convex(a), 300.0};
        population_work(c, patrol, &t, results);
        population_work(c, plain_patrol, &t, plain);
        print_arena(a, c, results, plain);
        for (unsigned part = 0; part < lab_fleet_parts(c->fleet); part++) {
            for (unsigned kind = 0; kind < lab_fleet_kinds(c->fleet, part); kind++) {
                over[part][kind] += departed(c, results, part, kind);
                runs[part][kind] += population_sum_up(c, results, SPEED, part, kind).n;
            }
        }
        if (a + 1 == ARENAS) {
            printf("\npatrols with a departure, by kind\n");
            for (unsigned part = 0; part < lab_fleet_parts(c->fleet); part++) {
                for (unsigned kind = 0; kind < lab_fleet_kinds(c->fleet, part); kind++) {
                    printf("%-12s%-13s%6u of %u\n", kind == 0 ? lab_fleet_part(c->fleet, part) : "",
                           lab_fleet_kind(c->fleet, part, kind), over[part][kind],
                           runs[part][kind]);
                }
            }
        }
        population_free(c);
        free_patrol(ground);
    }
    printf("\n");
}
