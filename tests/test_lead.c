// SPDX-License-Identifier: GPL-3.0-or-later
// What a robot learns of its wheels as it drives, and what it does where they have slid.
#include "support.h"

#include <math.h>

static cmo_sim_mat *mat;

static bench_robot begin(const cmo_sim_setup *setup, const cmo_robot_description *description) {
    bench_robot bench;
    start_bench(&bench, setup, description);
    return bench;
}

// Speeds up once and stops.
static double learned_s(double regulator, double stated_lag_ms) {
    cmo_robot_description description = plain_robot;
    description.lag_ms = (float)stated_lag_ms;
    cmo_sim_setup setup = lossless_setup(PLAIN_TRAITS, mat);
    setup.plant.regulator = regulator;
    setup.plant.motor_lag_ms = 45.0;
    setup.plant.regulator_gain = 6.0;
    setup.plant.regulator_reset_ms = 80.0;
    bench_robot bench = begin(&setup, &description);
    ck_assert_float_eq(bench.robot.trail_s, 0.0F); // nothing is known yet
    cmo_advance_parameters p = {.distance_mm = 300, .speed_mm_s = 400};
    ck_assert_int_eq(cmo_advance(&bench.robot, &p), CMO_OUTCOME_DONE);
    double trail = (double)bench.robot.trail_s;
    end_bench(&bench);
    return trail;
}

START_TEST(the_lead_is_what_the_wheels_were_seen_to_trail) {
    // One lag of 45 ms, and six tenths of a tick until a command is half over.
    ck_assert_double_eq_tol(learned_s(CMO_SIM_TRIM, 60), 0.051, 0.012);
    // A regulator that catches up trails by far less, whatever its answer to a step was.
    ck_assert_double_lt(learned_s(CMO_SIM_PI, 60), 0.03);
    // And never by more than was stated.
    ck_assert_double_le(learned_s(CMO_SIM_TRIM, 20), 0.0201);
}
END_TEST

// On ice from a moment on: the wheels stop, and the robot does not.
static bench_robot slide_past(cmo_rest rest, double slip_ms, float braking_mm_s2, double *off_mm) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    setup.faults.slip_at_ms = slip_ms;
    setup.faults.slip_ms = 500.0;
    setup.faults.slip_grip = 0.3;
    bench_robot bench = begin(&setup, &plain_robot);
    cmo_line_parameters p = {
        .cruise_mm_s = 350, .least_width_mm = 20, .braking_mm_s2 = braking_mm_s2, .rest = rest};
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &p), CMO_OUTCOME_DONE);
    cmo_sim_truth now = cmo_sim_truth_now(bench.sim);
    double x[2], y;
    cmo_sim_spot(bench.sim, &now, 0, &x[0], &y);
    cmo_sim_spot(bench.sim, &now, 1, &x[1], &y);
    *off_mm = 0.5 * (x[0] + x[1]) - 700.0;
    return bench;
}

START_TEST(a_robot_that_slid_past_its_line_finds_it_again) {
    // The crossing comes 1.3 s after the start; the ice a little before, at it, and after.
    for (double slip = 1290.0; slip <= 1370.0; slip += 20.0) {
        double off;
        bench_robot bench = slide_past(CMO_REST_NEAR_EDGE, slip, 0.0F, &off);
        ck_assert_msg(fabs(off) < 1.0, "near edge, ice at %g ms: %g", slip, off);
        ck_assert_double_eq_tol((double)bench.robot.report.figure[CMO_REST_ERROR_MM], off, 0.8);
        ck_assert_float_eq(bench.robot.report.figure[CMO_PASSED_OVER], 0.0F);
        end_bench(&bench);
        bench = slide_past(CMO_REST_FAR_EDGE, slip, 0.0F, &off);
        ck_assert_msg(fabs(off - 20.0) < 1.2, "far edge, ice at %g ms: %g", slip, off);
        end_bench(&bench);
    }
}
END_TEST

// As wide as the least width, seen while the wheels lock: by their counts alone it is no line. Its
// user has stated more braking than the floor passes.
START_TEST(a_line_that_it_slides_over_is_no_decoration) {
    for (double slip = 1300.0; slip <= 1350.0; slip += 10.0) {
        double off;
        bench_robot bench = slide_past(CMO_REST_NEAR_EDGE, slip, 6000.0F, &off);
        ck_assert_msg(fabs(off) < 1.0, "ice at %g ms: %g", slip, off);
        end_bench(&bench);
    }
}
END_TEST

// What is no line is passed over all the same, and the line behind it is met.
START_TEST(a_strip_that_it_slides_over_is_looked_at_again_and_passed_over) {
    cmo_sim_mat *floor = make_strip_and_line(560, 14);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, floor);
    for (int speed = 200; speed <= 500; speed += 100) {
        bench_robot bench = begin(&setup, &plain_robot);
        cmo_line_parameters p = {
            .cruise_mm_s = (float)speed, .least_width_mm = 20, .rest = CMO_REST_NEAR_EDGE};
        ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &p), CMO_OUTCOME_DONE);
        cmo_sim_truth now = cmo_sim_truth_now(bench.sim);
        ck_assert_double_eq_tol(now.x_mm + 70.0, 700.0, 1.0);
        ck_assert_double_ge((double)bench.robot.report.figure[CMO_PASSED_OVER], 1.0);
        end_bench(&bench);
    }
    cmo_sim_mat_free(floor);
}
END_TEST

// The axle is to come to the edge, 70 mm further on: there is no need to brake at the limit.
START_TEST(where_the_rest_lies_further_on_it_brakes_no_harder_than_it_must) {
    double hardest[2];
    for (int further = 0; further < 2; further++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        bench_robot bench = begin(&setup, &plain_robot);
        cmo_sim_record(bench.sim);
        cmo_line_parameters p = {.cruise_mm_s = 350,
                                 .least_width_mm = 15,
                                 .rest = CMO_REST_NEAR_EDGE,
                                 .beyond_mm = further ? 70.0F : 0.0F};
        ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &p), CMO_OUTCOME_DONE);
        size_t count;
        const cmo_sim_truth *all = cmo_sim_recorded(bench.sim, &count);
        hardest[further] = 0.0;
        for (size_t i = 20; i < count; i++) { // over 20 ms
            double change = (all[i - 20].speed_mm_s - all[i].speed_mm_s) / 0.02;
            hardest[further] = fmax(hardest[further], all[i].speed_mm_s > 0.0 ? change : 0.0);
        }
        end_bench(&bench);
    }
    ck_assert_double_gt(hardest[0], 2000.0);
    ck_assert_double_lt(hardest[1], 0.6 * hardest[0]);
}
END_TEST

int main(void) {
    mat = make_floor(&one_line);
    const TTest *const tests[] = {the_lead_is_what_the_wheels_were_seen_to_trail,
                                  a_robot_that_slid_past_its_line_finds_it_again,
                                  a_line_that_it_slides_over_is_no_decoration,
                                  a_strip_that_it_slides_over_is_looked_at_again_and_passed_over,
                                  where_the_rest_lies_further_on_it_brakes_no_harder_than_it_must,
                                  NULL};
    int failed = run_suite("lead", tests);
    cmo_sim_mat_free(mat);
    return failed;
}
