// SPDX-License-Identifier: GPL-3.0-or-later
// Routines on ports that offer more than the plain one, or less: duty alone, a ramp of their own, a
// heading, no encoders, a clock that wraps.
#include "support.h"

#include <math.h>

static cmo_sim_mat *mat;

static cmo_robot_description duty_robot(float dead_duty) {
    cmo_robot_description description = plain_robot;
    description.full_duty_mm_s = 900;
    description.dead_duty = dead_duty;
    return description;
}

START_TEST(duty_motors_drive_as_well_as_regulated_ones) {
    cmo_robot_description description = duty_robot(0.05F);
    for (int weak = 0; weak < 2; weak++) {
        cmo_sim_setup setup = plain_setup(&description, DUTY_TRAITS, mat);
        setup.plant.battery = weak ? 0.8 : 1.0;
        bench_robot bench;
        start_bench(&bench, &setup, &description);
        cmo_advance_parameters parameters = {.distance_mm = 500, .speed_mm_s = 300};
        ck_assert_int_eq(cmo_advance(&bench.robot, &parameters), CMO_OUTCOME_DONE);
        ck_assert_double_eq_tol(cmo_sim_truth_now(bench.sim).way_mm, 500, 6);
        ck_assert_double_eq_tol(figure(&bench.robot, CMO_TOP_SPEED_MM_S), 300, 30);
        end_bench(&bench);
    }
}
END_TEST

// At full duty and still too slow, the integral must not go on growing; nor must what it has taken
// at speed, for a weak battery, drive on when the command has fallen.
START_TEST(duty_motors_at_their_limit_do_not_wind_up) {
    static const struct {
        double battery;
        float speed_mm_s, distance_mm;
    } hard[] = {{0.6, 700, 1200}, {0.5, 400, 600}, {0.5, 300, 1050}};
    cmo_robot_description description = duty_robot(0.05F);
    for (size_t i = 0; i < G_N_ELEMENTS(hard); i++) {
        cmo_sim_setup setup = plain_setup(&description, DUTY_TRAITS, mat);
        setup.plant.battery = hard[i].battery;
        bench_robot bench;
        start_bench(&bench, &setup, &description);
        cmo_advance_parameters parameters = {.distance_mm = hard[i].distance_mm,
                                             .speed_mm_s = hard[i].speed_mm_s,
                                             .longest_ms = 20000};
        ck_assert_int_eq(cmo_advance(&bench.robot, &parameters), CMO_OUTCOME_DONE);
        ck_assert_double_le(figure(&bench.robot, CMO_OVERSHOOT_MM), 3);
        ck_assert_double_eq_tol(cmo_sim_truth_now(bench.sim).way_mm, (double)hard[i].distance_mm,
                                4);
        end_bench(&bench);
    }
}
END_TEST

// Its user has measured neither dead band nor slowest speed, and friction at rest is twice that in
// motion: near its place the robot stands and has to be pushed more and more. That is no stall.
START_TEST(duty_motors_that_stick_end_near_their_place) {
    cmo_robot_description description = duty_robot(0.0F);
    description.slowest_mm_s = 0;
    for (unsigned seed = 1; seed <= 8; seed++) {
        cmo_sim_setup setup = plain_setup(&description, DUTY_TRAITS, mat);
        setup.plant.dead_mm_s = 60.0;
        setup.plant.stick = 2.0;
        setup.seed = seed;
        bench_robot bench;
        start_bench(&bench, &setup, &description);
        cmo_advance_parameters parameters = {.distance_mm = 100.0F + 13.0F * (float)seed};
        ck_assert_int_eq(cmo_advance(&bench.robot, &parameters), CMO_OUTCOME_DONE);
        ck_assert_double_eq_tol(cmo_sim_truth_now(bench.sim).way_mm, (double)parameters.distance_mm,
                                2.5);
        ck_assert_double_lt(figure(&bench.robot, CMO_ELAPSED_MS), 2500.0);
        end_bench(&bench);
    }
}
END_TEST

// A ramp of its own that is far slower than the robot is said to brake: it comes to rest well
// beyond its place, comes back from there, and says by how much it was beyond.
START_TEST(what_ramps_slowly_comes_back_to_its_place) {
    cmo_robot_description description = plain_robot;
    description.lag_ms = 150;
    description.acceleration_mm_s2 = 2000;
    description.braking_mm_s2 = 3500;
    cmo_sim_setup setup = plain_setup(&description, PLAIN_TRAITS, mat);
    setup.plant.motor_lag_ms = 40;
    setup.plant.grip_m_s2 = 6.0;
    setup.plant.regulator_ramp_mm_s2 = 700;
    bench_robot bench;
    start_bench(&bench, &setup, &description);
    cmo_advance_parameters parameters = {.distance_mm = 300, .speed_mm_s = 350};
    ck_assert_int_eq(cmo_advance(&bench.robot, &parameters), CMO_OUTCOME_DONE);
    double way = cmo_sim_truth_now(bench.sim).way_mm;
    double beyond = figure(&bench.robot, CMO_OVERSHOOT_MM);
    ck_assert_double_eq_tol(way, 300, 2.5);
    ck_assert_msg(beyond > 10.0 && beyond < 100.0, "%g mm", beyond);
    end_bench(&bench);
}
END_TEST

START_TEST(a_heading_sensor_keeps_a_robot_straight_on_unequal_wheels) {
    double turned[2], believed[2];
    for (int has = 0; has < 2; has++) {
        uint16_t traits = has ? PLAIN_TRAITS | CMO_TRAIT_HEADING : PLAIN_TRAITS;
        cmo_sim_setup setup = plain_setup(&plain_robot, traits, mat);
        setup.heading_deg = 178; // what the sensor says wraps on the way
        setup.x_mm = 1700;
        setup.plant.right_wheel = 1.01; // 1 % on 900 mm of way: 4.7 degrees
        setup.plant.heading_drift_deg_s = 0.1;
        bench_robot bench;
        start_bench(&bench, &setup, &plain_robot);
        cmo_advance_parameters parameters = {.distance_mm = 900, .speed_mm_s = 400};
        ck_assert_int_eq(cmo_advance(&bench.robot, &parameters), CMO_OUTCOME_DONE);
        turned[has] = cmo_sim_truth_now(bench.sim).heading_rad * 180 / G_PI - 178;
        believed[has] = figure(&bench.robot, CMO_TURNED_DEG);
        end_bench(&bench);
    }
    ck_assert_double_ge(fabs(turned[0]), 3.5);
    ck_assert_double_le(fabs(turned[1]), 1.0); // drift, noise, and half an encoder step
    ck_assert_double_eq_tol(believed[1], turned[1], 0.5);
}
END_TEST

START_TEST(without_encoders_ways_are_estimates_and_say_so) {
    uint16_t traits = PLAIN_TRAITS & ~CMO_TRAIT_ENCODERS;
    cmo_sim_setup setup = plain_setup(&plain_robot, traits, mat);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_line_parameters parameters = {
        .blind_mm = 200, .cruise_mm_s = 300, .creep_mm_s = 150, .least_width_mm = 15};
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &parameters), CMO_OUTCOME_DONE);
    uint32_t estimated = bench.robot.report.estimated;
    ck_assert(estimated & CMO_FIGURE_BIT(CMO_OVERSHOOT_MM));
    ck_assert(estimated & CMO_FIGURE_BIT(CMO_TRAVELLED_MM));
    ck_assert(!(estimated & CMO_FIGURE_BIT(CMO_ELAPSED_MS)));
    ck_assert(!(estimated & CMO_FIGURE_BIT(CMO_REACTION_MS)));
    ck_assert_ptr_nonnull(find_crossing(bench.sim, 0, CMO_SIM_LINE));
    ck_assert_double_le(fabs(cmo_sim_truth_now(bench.sim).speed_mm_s), 1.0);
    end_bench(&bench);
}
END_TEST

START_TEST(a_run_over_the_wrap_of_the_clock_equals_one_without) {
    float rest[2];
    for (int i = 0; i < 2; i++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        setup.clock_start_us = i == 0 ? 0 : 0xFFFFFFFFU - 1250000U; // wraps amid the search
        bench_robot bench;
        start_bench(&bench, &setup, &plain_robot);
        cmo_line_parameters parameters = {
            .blind_mm = 200, .cruise_mm_s = 400, .creep_mm_s = 150, .least_width_mm = 15};
        ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &parameters), CMO_OUTCOME_DONE);
        ck_assert_uint_gt(bench.robot.run_ms, 1300);
        rest[i] = bench.robot.report.figure[CMO_REST_ERROR_MM];
        end_bench(&bench);
    }
    ck_assert_float_eq(rest[0], rest[1]);
}
END_TEST

int main(void) {
    mat = make_floor(&one_line);
    const TTest *const tests[] = {duty_motors_drive_as_well_as_regulated_ones,
                                  duty_motors_at_their_limit_do_not_wind_up,
                                  duty_motors_that_stick_end_near_their_place,
                                  what_ramps_slowly_comes_back_to_its_place,
                                  a_heading_sensor_keeps_a_robot_straight_on_unequal_wheels,
                                  without_encoders_ways_are_estimates_and_say_so,
                                  a_run_over_the_wrap_of_the_clock_equals_one_without,
                                  NULL};
    int status = run_suite("ports", tests);
    cmo_sim_mat_free(mat);
    return status;
}
