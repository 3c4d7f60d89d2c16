// SPDX-License-Identifier: GPL-3.0-or-later
// A fleet stops on lines and squares up on them.
#include "fleet.h"

#include <math.h>
#include <stdio.h>

// --------------------------------------------------------------------------------------- shared --

static double two_lines(void *data, double x_mm, double y_mm, unsigned *marks) {
    (void)data;
    (void)y_mm;
    double from = x_mm - FLEET_EDGE_MM;
    bool line = (from >= 0.0 && from < FLEET_LINE_MM) ||
                (from >= FLEET_APART_MM && from < FLEET_APART_MM + FLEET_LINE_MM);
    *marks = line ? 1U << CMO_SIM_LINE : 0U;
    return line ? 0.05 : 0.6;
}

cmo_sim_mat *fleet_two_lines(void) {
    return cmo_sim_mat_from_function(2600, 2.0 * FLEET_Y_MM, 2, two_lines, NULL);
}

lab_start fleet_before_line(const lab_robot *robot, double run_up_mm, double heading_deg) {
    double turn = heading_deg * G_PI / 180.0;
    double ahead = (double)robot->description.light[0].ahead_mm;
    double left = (double)robot->description.light[0].left_mm;
    double reach = ahead * cos(turn) + left * fabs(sin(turn)) + run_up_mm * cos(turn);
    return (lab_start){FLEET_EDGE_MM - reach, FLEET_Y_MM - run_up_mm * sin(turn), heading_deg};
}

bool fleet_measured(const lab_robot *robot, const cmo_sim_mat *mat, uint64_t seed, lab_robot *out) {
    lab_leg leg = {.routine = CMO_ROUTINE_MEASURE_GEOMETRY,
                   .parameters.measure_geometry = {.lines_mm = (float)FLEET_APART_MM}};
    lab_route *route = population_route(mat, &leg);
    lab_start start = fleet_before_line(robot, 120.0, 0.0);
    lab_run *run = lab_drive_from(route, robot, &start, seed, false);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    bool good = run->legs->len > 0 && result->outcome == CMO_OUTCOME_DONE;
    *out = *robot;
    if (good) {
        cmo_geometry_apply(&result->geometry, &out->description);
    }
    lab_run_free(run);
    population_route_free(route);
    return good;
}

enum { REST, RESIDUAL, OWN, TIME };

static double truth_of(const lab_leg_result *leg, cmo_figure figure) {
    return leg->truth.known & LAB_FIGURE_BIT(figure) ? (double)leg->truth.value[figure] : NAN;
}

// ----------------------------------------------------------------------------------------- stop --

typedef struct stop_trial {
    const cmo_sim_mat *mat;
    double speed_mm_s;
    cmo_rest rest;
    bool axle;
    double slant_deg; // at most
} stop_trial;

// What a robot that was put down by hand has.
#define BY_HAND_DEG 3.0

static lab_start stop_start(const stop_trial *t, const lab_robot *robot, unsigned i) {
    return fleet_before_line(robot, 450.0 + population_even(i, "run-up", 0, 10),
                             population_even(i, "stop angle", -t->slant_deg, t->slant_deg));
}

static void stop(const population *c, unsigned i, const void *context, outcome *out) {
    const stop_trial *t = context;
    const lab_robot *robot = c->robot[i];
    lab_leg leg = {.routine = CMO_ROUTINE_STOP_ON_LINE,
                   .parameters.stop_on_line = {
                       .cruise_mm_s = (float)t->speed_mm_s,
                       .least_width_mm = (float)FLEET_LINE_MM,
                       .rest = t->rest,
                       .beyond_mm = t->axle ? robot->description.light[0].ahead_mm : 0.0F}};
    lab_route *route = population_route(t->mat, &leg);
    lab_start start = stop_start(t, robot, i);
    lab_run *run = lab_drive_from(route, robot, &start, i + 1, false);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    out->outcome = result->outcome;
    out->tried =
        result->outcome != CMO_OUTCOME_TOO_FAST && result->outcome != CMO_OUTCOME_BAD_PARAMETER;
    if (result->outcome == CMO_OUTCOME_DONE) {
        out->value[REST] = truth_of(result, CMO_REST_ERROR_MM);
        out->value[OWN] = (double)result->robot.value[CMO_REST_ERROR_MM] - out->value[REST];
        out->value[TIME] = result->stopped_ms + truth_of(result, CMO_SETTLE_MS);
    }
    lab_run_free(run);
    population_route_free(route);
}

static double middle_of(const cmo_sim *sim) {
    cmo_sim_truth end = cmo_sim_truth_now(sim);
    double x[2], y;
    cmo_sim_spot(sim, &end, 0, &x[0], &y);
    cmo_sim_spot(sim, &end, 1, &x[1], &y);
    return 0.5 * (x[0] + x[1]);
}

static void plain_stop(const population *c, unsigned i, const void *context, outcome *out) {
    const stop_trial *t = context;
    lab_start start = stop_start(t, c->robot[i], i);
    practice p;
    cmo_sim *sim = population_practice(c->robot[i], t->mat, &start, i + 1, &p);
    out->tried = c->robot[i]->has_levels[0] && c->robot[i]->has_levels[1];
    if (out->tried && practice_stop(&p, t->speed_mm_s)) {
        out->outcome = CMO_OUTCOME_DONE;
        out->value[REST] = middle_of(sim) - FLEET_EDGE_MM;
    }
    cmo_sim_free(sim);
}

// One line a speed: all, and the 95 % by kind of the first part.
static void print_stop(const population *c, const outcome *results, const outcome *plain,
                       double speed) {
    population_figure rest = population_sum_up(c, results, REST, POPULATION_ALL, 0);
    population_figure own = population_sum_up(c, results, OWN, POPULATION_ALL, 0);
    population_figure time = population_sum_up(c, results, TIME, POPULATION_ALL, 0);
    population_figure theirs = population_sum_up(c, plain, REST, POPULATION_ALL, 0);
    printf("%5.0f%5u/%-4u%7.2f%8.2f%8.2f%6.0f%7.2f%8.1f%7.1f |", speed, rest.done, rest.tried,
           rest.within, rest.worst, own.rms, time.within, theirs.rms, theirs.within, theirs.worst);
    for (unsigned kind = 0; kind < lab_fleet_kinds(c->fleet, 0); kind++) {
        population_figure f = population_sum_up(c, results, REST, 0, kind);
        printf("%8.2f", f.within);
    }
    printf("  worst:");
    population_print_worst(c, results, REST);
    printf(" slow:");
    population_print_worst(c, results, TIME);
    printf(" mean %.0f", time.mean);
    population_print_outcomes(c, results);
    printf("\n");
}

static void print_stop_head(const population *c) {
    printf("%5s%10s%7s%8s%8s%6s%7s%8s%7s |", "mm/s", "done", "95 %", "worst", "own RMS", "ms",
           "RMS", "95 %", "worst");
    for (unsigned kind = 0; kind < lab_fleet_kinds(c->fleet, 0); kind++) {
        printf("%8s", lab_fleet_kind(c->fleet, 0, kind));
    }
    printf("\n");
}

void fleet_stop(const char *fleet, unsigned robots) {
    static outcome results[POPULATION_MOST], plain[POPULATION_MOST];
    static const struct {
        const char *name;
        cmo_rest rest;
        bool axle;
        double slant_deg, speed_mm_s;
    } places[] = {{"centre", CMO_REST_CENTRE, false, BY_HAND_DEG, 300},
                  {"far edge", CMO_REST_FAR_EDGE, false, BY_HAND_DEG, 300},
                  {"axle over the near edge", CMO_REST_NEAR_EDGE, true, BY_HAND_DEG, 300},
                  {"axle over the near edge", CMO_REST_NEAR_EDGE, true, BY_HAND_DEG, 500},
                  {"near edge met at up to 30 degrees", CMO_REST_NEAR_EDGE, false, 30.0, 300},
                  {"halted, met at up to 30 degrees", CMO_REST_HALTED, false, 30.0, 300},
                  {"halted, met at up to 30 degrees", CMO_REST_HALTED, false, 30.0, 500}};
    cmo_sim_mat *mat = fleet_two_lines();
    population *c = population_new(fleet, robots, mat, 300.0, FLEET_Y_MM);
    printf(
        "Stop over the near edge, true error, mm; a line of %.0f mm, stated as wide; to the right "
        "plain halts, then 95 %% by kind\n",
        FLEET_LINE_MM);
    for (int how = 0; how < 2; how++) {
        if (how > 0) {
            fleet_measure_drives(c, mat);
            fleet_measure_brakings(c, mat);
            printf("\nThe same with drive and braking measured\n");
        }
        print_stop_head(c);
        for (int speed = 100; speed <= 600; speed += 100) {
            stop_trial t = {mat, speed, CMO_REST_NEAR_EDGE, false, BY_HAND_DEG};
            population_work(c, stop, &t, results);
            population_work(c, plain_stop, &t, plain);
            print_stop(c, results, plain, speed);
        }
        for (size_t i = 0; i < G_N_ELEMENTS(places); i++) {
            stop_trial t = {mat, places[i].speed_mm_s, places[i].rest, places[i].axle,
                            places[i].slant_deg};
            population_work(c, stop, &t, results);
            population_figure rest = population_sum_up(c, results, REST, POPULATION_ALL, 0);
            printf("%s, %.0f mm/s: %u of %u done, 95 %% within %.2f, worst %.2f mm;",
                   places[i].name, places[i].speed_mm_s, rest.done, rest.tried, rest.within,
                   rest.worst);
            population_print_outcomes(c, results);
            printf("\n");
        }
    }
    stop_trial t = {mat, 300, CMO_REST_NEAR_EDGE, false, BY_HAND_DEG};
    static const char *const names[] = {"rest, mm", "time, ms"};
    static const unsigned values[] = {REST, TIME};
    population_work(c, stop, &t, results);
    printf("\nnear edge, 300 mm/s, ");
    population_print_kinds(c, results, names, values, 2);
    printf("\n");
    population_free(c);
    cmo_sim_mat_free(mat);
}

// --------------------------------------------------------------------------------------- square --

typedef enum known { STATED, EXACT, MEASURED } known;

typedef struct square_trial {
    const cmo_sim_mat *mat;
    double speed_mm_s;
    known known; // places of the spots, as the robot knows them
} square_trial;

static lab_start square_start(const lab_robot *robot, unsigned i) {
    return fleet_before_line(robot, 250.0 + population_even(i, "run-up", 0, 10),
                             population_even(i, "square angle", -40, 40));
}

static void square(const population *c, unsigned i, const void *context, outcome *out) {
    const square_trial *t = context;
    lab_robot robot = *c->robot[i];
    if (t->known == EXACT) {
        robot.plant.place_spread_mm = 0.0;
    } else if (t->known == MEASURED && !fleet_measured(c->robot[i], t->mat, i + 1, &robot)) {
        return; // not tried
    }
    lab_leg leg = {.routine = CMO_ROUTINE_SQUARE_ON_LINE,
                   .parameters.square_on_line = {.cruise_mm_s = (float)t->speed_mm_s,
                                                 .least_width_mm = (float)FLEET_LINE_MM,
                                                 .too_fast = CMO_TOO_FAST_SLOW,
                                                 .rest = CMO_REST_NEAR_EDGE}};
    lab_route *route = population_route(t->mat, &leg);
    lab_start start = square_start(&robot, i);
    lab_run *run = lab_drive_from(route, &robot, &start, i + 1, false);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    out->outcome = result->outcome;
    out->tried = true;
    if (result->outcome == CMO_OUTCOME_DONE) {
        out->value[REST] = truth_of(result, CMO_REST_ERROR_MM);
        out->value[RESIDUAL] = truth_of(result, CMO_RESIDUAL_ANGLE_DEG);
        out->value[OWN] =
            (double)result->robot.value[CMO_RESIDUAL_ANGLE_DEG] - out->value[RESIDUAL];
        // The second sensor crosses later than the first by the spots' distance times tan.
        double apart = 2.0 * (double)robot.description.light[0].left_mm;
        double later = apart * fabs(tan(start.heading_deg * G_PI / 180.0)) / t->speed_mm_s;
        out->value[TIME] = result->stopped_ms + truth_of(result, CMO_SETTLE_MS) - 1000.0 * later;
    }
    lab_run_free(run);
    population_route_free(route);
}

static void plain_square(const population *c, unsigned i, const void *context, outcome *out) {
    const square_trial *t = context;
    lab_start start = square_start(c->robot[i], i);
    practice p;
    cmo_sim *sim = population_practice(c->robot[i], t->mat, &start, i + 1, &p);
    out->tried = c->robot[i]->has_levels[0] && c->robot[i]->has_levels[1];
    if (out->tried && practice_square_by_wheel(&p, t->speed_mm_s, 0.4)) {
        cmo_sim_truth end = cmo_sim_truth_now(sim);
        out->outcome = CMO_OUTCOME_DONE;
        out->value[REST] = middle_of(sim) - FLEET_EDGE_MM;
        out->value[RESIDUAL] = remainder(end.heading_rad * 180.0 / G_PI, 360.0);
    }
    cmo_sim_free(sim);
}

void fleet_square(const char *fleet, unsigned robots) {
    static outcome results[POPULATION_MOST];
    static const char *const names[] = {"spots as stated", "spots exact", "spots measured",
                                        "wheel by wheel", "drive, braking too"};
    cmo_sim_mat *mat = fleet_two_lines();
    population *c = population_new(fleet, robots, mat, 300.0, FLEET_Y_MM);
    printf("Square over the near edge, entry -40 to 40 degrees, true figures\n%-20s%6s%10s%8s%8s%8s"
           "%10s%8s%8s%8s\n",
           "", "mm/s", "done", "RMS deg", "95 %", "99 %", "own RMS", "RMS mm", "99 %", "ms");
    for (int how = 0; how <= 4; how++) {
        if (how == 4) {
            fleet_measure_drives(c, mat);
            fleet_measure_brakings(c, mat);
        }
        for (int speed = 200; speed <= 300; speed += 100) {
            bool plain = how == 3;
            square_trial t = {mat, speed, (known)MIN(how, 2)};
            population_work(c, plain ? plain_square : square, &t, results);
            population_figure residual = population_sum_up(c, results, RESIDUAL, POPULATION_ALL, 0);
            population_figure own = population_sum_up(c, results, OWN, POPULATION_ALL, 0);
            population_figure rest = population_sum_up(c, results, REST, POPULATION_ALL, 0);
            population_figure time = population_sum_up(c, results, TIME, POPULATION_ALL, 0);
            printf("%-20s%6d%5u/%-4u%8.2f%8.2f%8.2f%10.2f%8.2f%8.2f%8.0f", names[how], speed,
                   residual.done, residual.tried, residual.rms, residual.within, residual.within_99,
                   own.rms, rest.rms, rest.within_99, time.within);
            if (!plain) {
                population_print_outcomes(c, results);
            }
            printf("\n");
        }
    }
    square_trial t = {mat, 200, MEASURED};
    static const char *const figures[] = {"residual, deg", "rest, mm", "time, ms"};
    static const unsigned values[] = {RESIDUAL, REST, TIME};
    population_work(c, square, &t, results);
    printf("\nspots and drive measured, 200 mm/s, ");
    population_print_kinds(c, results, figures, values, 3);
    printf("\n");
    population_free(c);
    cmo_sim_mat_free(mat);
}
