// SPDX-License-Identifier: GPL-3.0-or-later
// The budget, and what routines do whose speed breaks it.
#include "calls.h"
#include "leg_runs.h"
#include "line_floor.h"

#include <cammino_lab/stops.h>
#include <cammino_lab/run.h>
#include <glib/gstdio.h>
#include <math.h>
#include <string.h>

START_TEST(the_parts_add_up_and_the_speed_is_their_inverse) {
    for (float v = 50.0F; v <= 700.0F; v += 50.0F) {
        cmo_budget b = cmo_budget_at(&plain_robot, 0, v, 0.0F);
        ck_assert_float_eq_tol(b.look_mm, 0.01F * v, 1e-4F);
        ck_assert_float_eq_tol(b.delay_mm, 0.01F * v, 1e-4F);
        ck_assert_float_eq_tol(b.lag_mm, 0.045F * v, 1e-4F);
        ck_assert_float_eq_tol(b.braking_mm, v * v / 6000.0F, 1e-3F);
        ck_assert_float_eq_tol(b.total_mm,
                               b.look_mm + b.delay_mm + b.tick_mm + b.lag_mm + b.braking_mm, 1e-4F);
        ck_assert_float_eq_tol(cmo_budget_speed(&plain_robot, 0, b.total_mm, 0.0F), v, 0.05F);
    }
    ck_assert_float_eq(cmo_budget_speed(&plain_robot, 0, 0.0F, 0.0F), 0.0F);
    ck_assert_float_eq(cmo_budget_speed(&plain_robot, 0, -5.0F, 0.0F), 0.0F);
    ck_assert_float_eq(cmo_budget_speed(&plain_robot, 0, 1e6F, 0.0F), 700.0F);
    // Harder braking, a shorter way.
    ck_assert_float_gt(cmo_budget_speed(&plain_robot, 0, 40.0F, 4000.0F),
                       cmo_budget_speed(&plain_robot, 0, 40.0F, 1000.0F));
    ck_assert_float_eq_tol(cmo_budget_width(&plain_robot, PLAIN_TRAITS, 400.0F), 5.0F, 1e-4F);
}
END_TEST

// What is stated of the tyres is not counted on in full; and turned by e, a tyre whose end stands
// further out than the spot has as much less as tan e has of that.
START_TEST(at_a_tables_edge_it_is_as_fast_as_it_surely_stops) {
    cmo_robot_description d = plain_robot;
    float apart = 0.5F * (d.track_mm + 10.0F) - d.light[0].left_mm;
    ck_assert_float_eq_tol(cmo_budget_reach(&d, 0.0F, true), 60.0F, 1e-3F);
    ck_assert_float_eq_tol(cmo_budget_reach(&d, 45.0F, true), 60.0F - apart, 1e-3F);
    ck_assert_float_eq_tol(cmo_budget_reach(&d, 45.0F, false),
                           60.0F - apart - 2.0F * d.light[0].left_mm, 1e-3F);
    ck_assert_float_lt(cmo_budget_reach(&d, 90.0F, true), 0.0F);
    ck_assert_float_eq(cmo_budget_edge_speed(&d, 90.0F, true, 0.0F), 0.0F);
    float reach = cmo_budget_reach(&d, 20.0F, true);
    ck_assert_float_eq(cmo_budget_edge_speed(&d, 20.0F, true, 0.0F),
                       cmo_budget_speed(&d, 0, reach, 0.75F * d.braking_mm_s2));
    ck_assert_float_eq(cmo_budget_edge_speed(&d, 20.0F, true, 500.0F),
                       cmo_budget_speed(&d, 0, reach, 500.0F));
    d.stated_braking_mm_s2 = d.braking_mm_s2; // what a ramp leaves of it, the tyres surely pass on
    d.braking_mm_s2 = 900.0F;
    ck_assert_float_eq(cmo_budget_edge_speed(&d, 20.0F, true, 0.0F),
                       cmo_budget_speed(&d, 0, reach, 900.0F));
    d.braking_mm_s2 = d.stated_braking_mm_s2;
    d.grip_mm_s2 = 2100.0F; // measured
    ck_assert_float_eq(cmo_budget_edge_speed(&d, 20.0F, true, 0.0F),
                       cmo_budget_speed(&d, 0, reach, 2100.0F));
    d.front_mm = 30.0F; // a caster ahead of the axle comes first
    ck_assert_float_eq_tol(cmo_budget_reach(&d, 0.0F, true), 30.0F, 1e-3F);
    d.light[0].left_mm = d.light[1].left_mm = 0.0F;
    d.lights = 1;
    ck_assert_float_eq(cmo_budget_reach(&d, 0.0F, true), 30.0F);
    d.lights = 0;
    ck_assert_float_eq(cmo_budget_reach(&d, 0.0F, true), 0.0F);
}
END_TEST

START_TEST(a_tighter_bend_and_a_slower_answer_are_followed_more_slowly) {
    cmo_robot_description d = plain_robot;
    d.light[0].spot_mm = 6.0F;
    d.top_speed_mm_s = 1000.0F;
    d.light[0].interval_us = 4000;
    d.light[0].left_mm = 12.0F;
    float before = 0.0F;
    for (float r = 20.0F; r <= 400.0F; r *= 1.5F) {
        float v = cmo_budget_follow(&d, 0, r, false);
        ck_assert_float_gt(v, before);
        before = v;
    }
    // Ways go with the square root of the radius, unless the spot is far ahead for so tight a bend;
    // and beyond some radius a bend is as good as straight.
    ck_assert_float_eq_tol(cmo_budget_follow(&d, 0, 360.0F, false),
                           1.5F * cmo_budget_follow(&d, 0, 160.0F, false), 0.01F);
    ck_assert_float_lt(cmo_budget_follow(&d, 0, 50.0F, false),
                       0.48F * cmo_budget_follow(&d, 0, 200.0F, false));
    ck_assert_float_eq(cmo_budget_follow(&d, 0, 5000.0F, false),
                       cmo_budget_follow(&d, 0, 500.0F, false));
    float quick = cmo_budget_follow(&d, 0, 150.0F, false);
    ck_assert_float_lt(cmo_budget_follow(&d, 0, 150.0F, true), 0.7F * quick);
    cmo_robot_description slow = d; // one look in a spot's way
    slow.light[0].interval_us = 50000;
    ck_assert_float_eq_tol(cmo_budget_follow(&slow, 0, 400.0F, false),
                           slow.light[0].spot_mm / 0.05F, 0.01F);
    d.light[0].delay_us = 40000;
    ck_assert_float_lt(cmo_budget_follow(&d, 0, 150.0F, false), 0.9F * quick);
    // Further aside than 0.6 of the radius it is the slower, and from 0.7 of it on there is no way.
    cmo_robot_description aside = d;
    aside.light[0].left_mm = -89.0F;
    ck_assert_float_eq(cmo_budget_follow(&aside, 0, 150.0F, false),
                       cmo_budget_follow(&d, 0, 150.0F, false));
    aside.light[0].left_mm = 100.0F;
    ck_assert_float_eq_tol(cmo_budget_follow(&aside, 0, 150.0F, false),
                           5.0F / 6.0F * cmo_budget_follow(&d, 0, 150.0F, false), 0.01F);
    aside.light[0].left_mm = -106.0F;
    ck_assert_float_eq(cmo_budget_follow(&aside, 0, 150.0F, false), 0.0F);
    d.light[0].spot_mm = 0.0F; // without a spot's size nothing can be followed
    ck_assert_float_eq(cmo_budget_follow(&d, 0, 150.0F, false), 0.0F);
}
END_TEST

static void stays_within(const lab_robot *robot) {
    for (double v = 100.0; v <= 700.0; v += 150.0) {
        lab_stops stops;
        ck_assert(lab_measure_stops(robot, v, 6, &stops));
        ck_assert_uint_eq(stops.n, 6);
        cmo_budget b = cmo_budget_at(&robot->description, 0, (float)v, 0.0F);
        ck_assert_double_le(stops.most_mm, (double)b.total_mm);
        // And it is no empty promise: at least half of it is used.
        ck_assert_double_ge(stops.most_mm, 0.5 * (double)b.total_mm);
    }
}

// As stated, and with its drive measured, which finds no lag to lead by: that is no sooner a stop.
START_TEST(the_simulated_robot_stays_within_its_budget) {
    lab_route *route = lab_route_load("data/ferry/measure-drive.yaml", NULL, 0, NULL);
    ck_assert_ptr_nonnull(route);
    stays_within(route->robot);
    lab_run *run = lab_drive(route, 1);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    cmo_robot_description *described = &route->robot->description;
    cmo_drive_apply(&result->drive, described);
    ck_assert_float_lt(described->lag_ms, 10.0F);
    stays_within(route->robot);
    // Measured again, what was stated stays.
    cmo_drive_apply(&result->drive, described);
    ck_assert_float_eq(described->stated_lag_ms, 25.0F);
    lab_run_free(run);
    lab_route_free(route);
}
END_TEST

START_TEST(a_speed_that_breaks_the_budget_is_refused_or_slowed) {
    static const floor_plan table = {0.6, 1, {STRIPE(900, 2000, 0, -1, CMO_SIM_VOID)}};
    cmo_sim_mat *mat = make_floor(&table);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_line_parameters p = {.tone = CMO_TONE_VOID, .cruise_mm_s = 600};
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &p), CMO_OUTCOME_TOO_FAST);
    ck_assert_str_eq(bench.robot.field, "creep_mm_s");
    float highest = cmo_budget_edge_speed(&plain_robot, 45.0F, true, 0.0F);
    ck_assert_float_eq_tol(bench.robot.limit, highest, 0.1F);
    p.too_fast = CMO_TOO_FAST_SLOW;
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &p), CMO_OUTCOME_DONE);
    ck_assert_double_le(figure(&bench.robot, CMO_CROSSING_SPEED_MM_S), (double)highest + 10.0);
    ck_assert_double_lt(cmo_sim_truth_now(bench.sim).x_mm, 900.0); // the wheels are on the table
    // A line that could be missed.
    cmo_line_parameters thin = {.cruise_mm_s = 500, .least_width_mm = 3};
    ck_assert_int_eq(cmo_drive_until_line(&bench.robot, &thin), CMO_OUTCOME_TOO_FAST);
    ck_assert_float_eq_tol(bench.robot.limit, 240.0F, 0.1F);
    thin.too_fast = 5;
    ck_assert_int_eq(cmo_drive_until_line(&bench.robot, &thin), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(bench.robot.field, "too_fast");
    // What it has to do more slowly may take as much longer.
    cmo_line_state state;
    p.longest_mm = 3000;
    ck_assert_int_eq(cmo_stop_on_line_start(&bench.robot, &state, &p), CMO_RUNNING);
    ck_assert_double_ge(state.parameters.longest_ms, 2000.0 * 3000.0 / (double)highest);
    end_bench(&bench);
    cmo_sim_mat_free(mat);
}
END_TEST

static double table(void *data, double x_mm, double y_mm, unsigned *marks) {
    (void)data;
    (void)y_mm;
    *marks = x_mm < EDGE_MM ? 0U : 1U << CMO_SIM_VOID;
    return x_mm < EDGE_MM ? 0.6 : 0.0;
}

// Void that can hardly be told from dark paint, halts that slide, and a tyre that is there before
// the spot beside it: each of them took some over it.
START_TEST(at_a_tables_edge_the_wheels_of_every_kind_stay_on_it) {
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1800, 1000, 2, table, NULL);
    lab_fleet *fleet = fleet_at_line(mat);
    unsigned refused = 0;
    for (unsigned i = 1; i <= 200; i++) {
        lab_robot *robot = lab_fleet_robot(fleet, i, NULL);
        const cmo_robot_description *d = &robot->description;
        double angle = 9.0 * (i % 11) - 45.0;
        lab_leg leg = {
            .routine = CMO_ROUTINE_DRIVE_UNTIL_LINE,
            .parameters.drive_until_line = {.tone = CMO_TONE_VOID,
                                            .creep_mm_s = fminf(d->top_speed_mm_s, 600.0F),
                                            .too_fast = CMO_TOO_FAST_SLOW}};
        lab_run *run = drive_at_line(robot, mat, &leg, 300.0, angle, i);
        if (run->outcome == CMO_OUTCOME_TOO_FAST) {
            refused++;
        } else {
            double half = 0.5 * (double)(d->track_mm + d->tyre_mm);
            double contact = fmax(half * fabs(sin(run->end.heading_rad)), (double)d->front_mm);
            ck_assert_int_eq(run->outcome, CMO_OUTCOME_DONE);
            ck_assert_msg(run->end.x_mm + contact < EDGE_MM, "robot %u at %g degrees: %g mm over",
                          i, angle, run->end.x_mm + contact - EDGE_MM);
        }
        lab_run_free(run);
        lab_robot_free(robot);
    }
    ck_assert_uint_lt(refused, 10);
    lab_fleet_free(fleet);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(the_command_prints_draws_and_answers) {
    ck_assert_int_eq(
        CALL("budget data/ferry/mozzo.yaml --distance 40 --width 5 --picture %s/b.png"), 0);
    ck_assert_ptr_nonnull(strstr(out, "within 40 mm: up to 352 mm/s"));
    ck_assert_ptr_nonnull(strstr(out, "a line of 5 mm: up to 400 mm/s"));
    ck_assert_ptr_nonnull(strstr(out, "at a table's edge, up to 10 degrees off square: the wheels "
                                      "have 58 mm, up to 400 mm/s\n"));
    ck_assert_ptr_nonnull(strstr(out, "up to 45 degrees off square: the wheels have 46 mm"));
    ck_assert_ptr_null(strstr(out, "simulated, it goes further"));
    ck_assert_int_eq(CALL("budget data/ferry/fleet.yaml --seed 28"), 0);
    ck_assert_ptr_nonnull(strstr(out, "simulated, it goes further, by 40 % at 100 mm/s"));
    char *picture = in_folder("b.png");
    ck_assert_int_eq(g_unlink(picture), 0);
    g_free(picture);
    // So slow that it is not driven at most of the table's speeds; and one that would need a
    // kilometre to come up to its speed.
    write_runs_robot("slow.yaml", "top_mm_s: 700", "top_mm_s: 20");
    ck_assert_int_eq(CALL("budget %s/slow.yaml"), 0);
    ck_assert_ptr_nonnull(strstr(out, "\n     20     0.2"));
    write_runs_robot("slow.yaml", "top_mm_s: 700\n  slowest_mm_s: 15\n  acceleration_mm_s2: 2000",
                     "top_mm_s: 5000\n  slowest_mm_s: 15\n  acceleration_mm_s2: 10");
    ck_assert_int_eq(CALL("budget %s/slow.yaml"), 0);
    ck_assert_ptr_nonnull(strstr(out, "  4441.7                 -"));
    char *slow = in_folder("slow.yaml");
    ck_assert_int_eq(g_unlink(slow), 0);
    g_free(slow);
    ck_assert_int_eq(CALL("budget data/ferry/mozzo.yaml --speed 300 --json"), 0);
    ck_assert_ptr_nonnull(strstr(out, "\"braking_mm\" : 15.0"));
    ck_assert_ptr_nonnull(strstr(out, "\"tightest_mm\" : 250.0,\n      \"follow_mm_s\" : 300.36"));
    ck_assert_int_eq(CALL("budget data/ferry/mozzo.yaml --speed 300"), 0);
    ck_assert_ptr_nonnull(strstr(out, "tightest bend, mm         50     100     150     250"));
    static const char *const wrong[][2] = {
        {COMMAND " budget", "budget takes one robot file"},
        {COMMAND " budget data/ferry/first-round.yaml", "unknown key"},
        {COMMAND " budget data/ferry/mozzo.yaml --speed 900", "up to this robot's top speed, 700"},
        {COMMAND " budget data/ferry/mozzo.yaml --distance -1", "--distance: -1 is out of range"},
        {COMMAND " budget data/ferry/mozzo.yaml --width x", "--width"},
        {COMMAND " budget data/ferry/mozzo.yaml --picture b.gif", "must end with .png or .svg"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); i++) {
        ck_assert_int_eq(call(wrong[i][0]), 2);
        ck_assert_msg(strstr(err, wrong[i][1]) != NULL, "%s", err);
    }
}
END_TEST

START_TEST(the_budget_follows_from_the_geometry) {
    cmo_robot_description d = robot_with(70);
    cmo_patrol_budget b;
    cmo_budget_patrol(&d, CMO_GRAZING_SWAY, true, 3.0F, 0.0F, &b);
    // Spots 11 mm outside of the tyres' 59: head on is the tightest, 70 - 3 mm to stand.
    ck_assert_double_eq_tol((double)b.stop_mm, 67.0, 0.1);
    double v = (double)b.speed_mm_s;
    double answer_s = 0.01 + 0.01 + 0.01 + 0.4 * 0.045;
    ck_assert_double_eq_tol(v * answer_s + v * v / 6000.0, 67.0, 0.1);
    ck_assert_float_eq(b.blind_deg, 90.0F);
    ck_assert_float_eq(b.sway_deg, 0.0F);
    ck_assert_float_eq(cmo_budget_sight(&d, b.speed_mm_s * 0.99F, 3.0F, 0.0F), 90.0F);
    ck_assert_float_eq(cmo_budget_sight(&d, b.speed_mm_s * 1.01F, 3.0F, 0.0F), 0.0F);
    // A corner that pokes in leaves less.
    cmo_patrol_budget any;
    cmo_budget_patrol(&d, CMO_GRAZING_SWAY, false, 3.0F, 0.0F, &any);
    ck_assert(any.corners);
    ck_assert_float_lt(any.speed_mm_s, b.speed_mm_s);
    // Spots 14 mm within: blind from atan(70 / 14) on, and it sways.
    d = robot_with(45);
    cmo_budget_patrol(&d, CMO_GRAZING_SWAY, true, 3.0F, 0.0F, &b);
    ck_assert_double_eq_tol((double)b.blind_deg, 78.69, 0.05);
    ck_assert(b.sway_deg > 10.0F && b.sway_mm > 50.0F);
    ck_assert(b.speed_mm_s > 100.0F && b.speed_mm_s < 300.0F);
    cmo_budget_patrol(&d, CMO_GRAZING_ACCEPT, true, 3.0F, 0.0F, &b);
    ck_assert_float_eq(b.sway_deg, 0.0F);
    double e = (double)b.sees_deg * G_PI / 180.0;
    ck_assert_double_eq_tol((double)b.stop_mm, 70.0 - 14.0 * tan(e) - 3.0 / cos(e), 0.1);
    ck_assert_double_eq_tol((double)cmo_budget_sight(&d, b.speed_mm_s, 3.0F, 0.0F),
                            (double)b.sees_deg, 0.2);
    cmo_budget_patrol(&d, CMO_GRAZING_SWAY, false, 3.0F, 0.0F, &b);
    ck_assert_float_eq(b.speed_mm_s, 0.0F);
    cmo_budget_patrol(&d, CMO_GRAZING_REFUSE, true, 3.0F, 0.0F, &b);
    ck_assert_float_eq(b.speed_mm_s, 0.0F);
    d.lights = 0;
    cmo_budget_patrol(&d, CMO_GRAZING_SWAY, true, 3.0F, 0.0F, &b);
    ck_assert_float_eq(b.speed_mm_s, 0.0F);
}
END_TEST

// Far within, they have to be swung out further, and that takes a margin more; further still,
// nothing helps.
START_TEST(the_further_in_the_spots_the_wider_it_sways) {
    float before_mm_s = INFINITY;
    bool wide = false;
    for (int side = 48; side >= 15; side--) {
        cmo_robot_description d = robot_with((float)side);
        cmo_patrol_budget b;
        cmo_budget_patrol(&d, CMO_GRAZING_SWAY, true, 3.0F, 0.0F, &b);
        ck_assert_msg(b.speed_mm_s <= before_mm_s + 10.0F, "%d: %g after %g mm/s", side,
                      (double)b.speed_mm_s, (double)before_mm_s);
        before_mm_s = b.speed_mm_s;
        if (b.speed_mm_s > 0.0F) {
            ck_assert(!wide || b.sway_deg > 33.0F);
            wide = b.sway_deg > 33.0F;
        }
    }
    ck_assert(wide);
    ck_assert_float_eq(before_mm_s, 0.0F);
}
END_TEST

// Its wheels speed up and slow down with each swing. A lag that was only stated may be a ramp's,
// and surely passes no more than a fifth of the top speed in that time.
START_TEST(it_sways_no_harder_than_its_drive_surely_passes) {
    for (int measured = 0; measured < 2; measured++) {
        cmo_robot_description d = robot_with(45);
        d.lag_ms = 150;
        d.lag_measured = measured != 0;
        // Quick senses and a long way to stand: nothing else limits it.
        d.light[0].ahead_mm = d.light[1].ahead_mm = 90;
        d.light[0].interval_us = d.light[1].interval_us = 2000;
        cmo_patrol_budget b;
        cmo_budget_patrol(&d, CMO_GRAZING_SWAY, true, 3.0F, 0.0F, &b);
        ck_assert_float_gt(b.sway_deg, 0.0F);
        double rate = 2.0 * G_PI / (double)b.sway_mm * (double)b.speed_mm_s;
        double turning = (double)b.sway_deg * G_PI / 180.0 * rate * rate;
        double wheel = 0.5 * (double)d.track_mm * turning;
        double sure = 0.2 * (double)d.top_speed_mm_s / 0.15;
        ck_assert(measured ? wheel > 1.05 * sure : wheel <= 1.001 * sure);
    }
}
END_TEST

int main(void) {
    make_folder();
    const TTest *const tests[] = {the_parts_add_up_and_the_speed_is_their_inverse,
                                  at_a_tables_edge_it_is_as_fast_as_it_surely_stops,
                                  at_a_tables_edge_the_wheels_of_every_kind_stay_on_it,
                                  a_tighter_bend_and_a_slower_answer_are_followed_more_slowly,
                                  the_simulated_robot_stays_within_its_budget,
                                  a_speed_that_breaks_the_budget_is_refused_or_slowed,
                                  the_command_prints_draws_and_answers,
                                  the_budget_follows_from_the_geometry,
                                  the_further_in_the_spots_the_wider_it_sways,
                                  it_sways_no_harder_than_its_drive_surely_passes,
                                  NULL};
    int status = run_suite("budget", tests);
    remove_folder();
    return status;
}
