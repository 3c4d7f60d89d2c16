// SPDX-License-Identifier: GPL-3.0-or-later
// A fleet turns, drives straight on, measures its geometry, and checks its wiring.
#include "fleet.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

static const double degrees = 180.0 / G_PI;

// ---------------------------------------------------------------------------------------- moves --

typedef struct move_trial {
    const cmo_sim_mat *mat;
    double turn_deg; // 0: a metre straight on
    bool measured;   // its geometry
} move_trial;

enum { ANGLE, WAY, TIME };

static void move(const population *c, unsigned i, const void *context, outcome *out) {
    const move_trial *t = context;
    lab_robot robot = *c->robot[i];
    if (t->measured && !fleet_measured(c->robot[i], t->mat, i + 1, &robot)) {
        return;
    }
    lab_leg leg = {.routine = CMO_ROUTINE_ADVANCE, .parameters.advance = {.distance_mm = 1000.0F}};
    if (t->turn_deg != 0.0) {
        leg = (lab_leg){.routine = CMO_ROUTINE_TURN,
                        .parameters.turn = {.angle_deg = (float)t->turn_deg}};
    }
    lab_route *route = population_route(t->mat, &leg);
    lab_start start = {300.0, FLEET_Y_MM, population_even(i, "move angle", -20, 20)};
    lab_run *run = lab_drive_from(route, &robot, &start, i + 1, false);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    out->tried = true;
    out->outcome = result->outcome;
    double turned = run->end.heading_rad * degrees - start.heading_deg;
    out->value[ANGLE] = turned - t->turn_deg;
    out->value[TIME] = (double)result->robot.value[CMO_ELAPSED_MS];
    if (t->turn_deg == 0.0) {
        out->value[WAY] = run->end.way_mm - 1000.0;
    }
    lab_run_free(run);
    population_route_free(route);
}

void fleet_moves(const char *fleet, unsigned robots) {
    static outcome results[POPULATION_MOST];
    static const double turns[] = {30, -30, 90, -90, 180, -180, 0};
    cmo_sim_mat *mat = fleet_two_lines();
    population *c = population_new(fleet, robots, mat, 300.0, FLEET_Y_MM);
    printf("Turns, and a metre straight on: true error, degrees\n"
           "%-24s%10s%8s%8s%8s%8s%10s%8s%9s%7s\n",
           "", "done", "mean", "RMS", "95 %", "worst", "measured", "95 %", "mean ms", "95 %");
    for (size_t i = 0; i < G_N_ELEMENTS(turns); i++) {
        move_trial t = {mat, turns[i], false};
        population_work(c, move, &t, results);
        population_figure f = population_sum_up(c, results, ANGLE, POPULATION_ALL, 0);
        population_figure way = population_sum_up(c, results, WAY, POPULATION_ALL, 0);
        char name[40];
        g_snprintf(name, sizeof name, turns[i] != 0.0 ? "turn by %.0f" : "straight", turns[i]);
        t.measured = true;
        static outcome measured[POPULATION_MOST];
        population_work(c, move, &t, measured);
        population_figure m = population_sum_up(c, measured, ANGLE, POPULATION_ALL, 0);
        population_figure time = population_sum_up(c, measured, TIME, POPULATION_ALL, 0);
        printf("%-24s%5u/%-4u%8.2f%8.2f%8.2f%8.2f%10.2f%8.2f%9.0f%7.0f", name, f.done, f.tried,
               f.mean, f.rms, f.within, f.worst, m.rms, m.within, time.mean, time.within);
        population_print_outcomes(c, results);
        if (way.n > 0) {
            printf("  way: RMS %.1f mm", way.rms);
        }
        printf("\n");
    }
    move_trial t = {mat, 90.0, true};
    static const char *const names[] = {"turn by 90, deg", "time, ms"};
    static const unsigned values[] = {ANGLE, TIME};
    population_work(c, move, &t, results);
    printf("\ngeometry measured, ");
    population_print_kinds(c, results, names, values, G_N_ELEMENTS(names));
    printf("\n");
    population_free(c);
    cmo_sim_mat_free(mat);
}

// ------------------------------------------------------------------------------------- geometry --

enum { MISMATCH, TRACK, RATIO, DELAY };

static void geometry(const population *c, unsigned i, const void *context, outcome *out) {
    const cmo_sim_mat *mat = context;
    lab_robot robot = *c->robot[i];
    cmo_sim_plant *p = &robot.plant; // drawn here, to be known
    double wheel[2];
    for (int side = 0; side < 2; side++) {
        char word[16];
        g_snprintf(word, sizeof word, "place %d", side);
        p->sensor[side].ahead_mm += population_even(i, word, -1, 1) * p->place_spread_mm;
        g_snprintf(word, sizeof word, "delay %d", side);
        p->sensor[side].delay_ms = fmax(
            0.0, p->sensor[side].delay_ms + population_even(i, word, -1, 1) * p->delay_spread_ms);
        g_snprintf(word, sizeof word, "wheel %d", side);
        wheel[side] = 1.0 + population_even(i, word, -1, 1) * p->wheel_spread;
    }
    p->left_wheel = wheel[0];
    p->right_wheel = wheel[1];
    p->place_spread_mm = p->delay_spread_ms = p->wheel_spread = 0.0;
    lab_robot measured;
    out->tried = true;
    if (!fleet_measured(&robot, mat, i + 1, &measured)) {
        return;
    }
    const cmo_robot_description *d = &measured.description;
    out->outcome = CMO_OUTCOME_DONE;
    out->value[MISMATCH] = (double)(d->light[0].ahead_mm - d->light[1].ahead_mm) -
                           (p->sensor[0].ahead_mm - p->sensor[1].ahead_mm);
    out->value[TRACK] = 100.0 * ((double)d->track_mm / p->track_mm - 1.0);
    out->value[RATIO] =
        100.0 * ((double)(d->right_step_mm / d->left_step_mm) * wheel[0] / wheel[1] - 1.0);
    out->value[DELAY] = d->light[0].delay_us / 1000.0 - p->sensor[0].delay_ms;
}

void fleet_geometry(const char *fleet, unsigned robots) {
    static outcome results[POPULATION_MOST];
    cmo_sim_mat *mat = fleet_two_lines();
    population *c = population_new(fleet, robots, mat, 300.0, FLEET_Y_MM);
    population_work(c, geometry, mat, results);
    static const char *const names[] = {"mismatch, mm", "track, %", "ratio, %", "delay, ms"};
    static const unsigned values[] = {MISMATCH, TRACK, RATIO, DELAY};
    printf("Geometry measured over two lines: off by\n");
    for (unsigned v = 0; v < G_N_ELEMENTS(values); v++) {
        population_figure f = population_sum_up(c, results, values[v], POPULATION_ALL, 0);
        printf("%-16s RMS %.3f, 95 %% within %.3f, worst %.3f; %u of %u done\n", names[v], f.rms,
               f.within, f.worst, f.done, f.tried);
    }
    printf("\n");
    population_print_kinds(c, results, names, values, 4);
    printf("\n");
    population_free(c);
    cmo_sim_mat_free(mat);
}

// --------------------------------------------------------------------------------------- wiring --

typedef struct wiring_trial {
    const cmo_sim_mat *mat;
    cmo_finding fault; // CMO_FINDINGS: none
} wiring_trial;

static void wiring(const population *c, unsigned i, const void *context, outcome *out) {
    const wiring_trial *t = context;
    lab_robot robot = *c->robot[i];
    robot.plant.delay_spread_ms = 0.0;
    double run_up = population_even(i, "gap", 12, 22);
    if (t->fault == CMO_FINDING_NO_LINE) {
        run_up += 200.0;
    } else if (t->fault < CMO_FINDINGS) {
        lab_robot_break(&robot, cmo_finding_name(t->fault), NULL);
    }
    lab_leg leg = {.routine = CMO_ROUTINE_CHECK_WIRING};
    lab_route *route = population_route(t->mat, &leg);
    lab_start start = fleet_before_line(&robot, run_up, population_even(i, "wiring angle", -8, 8));
    lab_run *run = lab_drive_from(route, &robot, &start, i + 1, false);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    uint32_t wanted = t->fault < CMO_FINDINGS ? CMO_FINDING_BIT(t->fault) : 0;
    out->tried = result->outcome != CMO_OUTCOME_BAD_PARAMETER;
    bool right = result->findings == wanted &&
                 result->outcome == (wanted ? CMO_OUTCOME_WIRING_WRONG : CMO_OUTCOME_DONE);
    out->outcome = right ? CMO_OUTCOME_DONE : result->outcome;
    out->value[0] = result->findings & ~wanted;
    lab_run_free(run);
    population_route_free(route);
}

void fleet_wiring(const char *fleet, unsigned robots) {
    static outcome results[POPULATION_MOST];
    cmo_sim_mat *mat = fleet_two_lines();
    population *c = population_new(fleet, robots, mat, 300.0, FLEET_Y_MM);
    printf("Wiring check: faults named rightly, and nothing else\n");
    for (int fault = 0; fault <= CMO_FINDINGS; fault++) {
        if (fault == CMO_FINDING_CURVED) {
            continue; // every robot that has no regulator has some of it
        }
        wiring_trial t = {mat, (cmo_finding)fault};
        population_work(c, wiring, &t, results);
        population_figure f = population_sum_up(c, results, 0, POPULATION_ALL, 0);
        unsigned also[CMO_FINDINGS] = {0};
        for (unsigned i = 0; i < c->n; i++) {
            uint32_t found = results[i].tried ? (uint32_t)results[i].value[0] : 0;
            for (int n = 0; n < CMO_FINDINGS; n++) {
                also[n] += found >> n & 1U;
            }
        }
        printf("%-24s%5u of %u",
               fault < CMO_FINDINGS ? cmo_finding_name((cmo_finding)fault) : "none", f.done,
               f.tried);
        for (int n = 0; n < CMO_FINDINGS; n++) {
            if (also[n] > 0) {
                printf("  also %s %u", cmo_finding_name((cmo_finding)n), also[n]);
            }
        }
        printf("\n");
    }
    printf("\n");
    population_free(c);
    cmo_sim_mat_free(mat);
}
