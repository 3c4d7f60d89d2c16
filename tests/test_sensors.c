// SPDX-License-Identifier: GPL-3.0-or-later
// Bands and thresholds, light that changes, and sensors that fail while the robot drives.
#include "support.h"

#include <math.h>

// --------------------------------------------------------------------------------------- bands --

START_TEST(the_threshold_goes_between_the_line_and_its_nearest_neighbour) {
    const cmo_surface floor[4] = {{0.0F, 0.01F}, {1.0F, 0.01F}, {0.4F, 0.01F}, {0.7F, 0.02F}};
    cmo_choice choice;
    ck_assert(cmo_choose_band(floor, 4, 0, 0.0F, &choice));
    // From 0 + 4 * 0.01 to 0.4 - 4 * 0.01: the middle is 0.2, and 0.16 away from both.
    ck_assert(isinf(choice.band.low));
    ck_assert_float_eq_tol(choice.band.high, 0.2F, 1e-6F);
    ck_assert_float_eq_tol(choice.margin, 0.16F, 1e-6F);
    ck_assert_uint_eq(choice.nearest, 2);
    ck_assert(choice.safe);
    // The grey surface as the line has neighbours on both sides.
    ck_assert(cmo_choose_band(floor, 4, 2, 0.0F, &choice));
    ck_assert_float_eq_tol(choice.band.low, 0.2F, 1e-6F);
    ck_assert_float_eq_tol(choice.band.high, 0.5F * (0.44F + 0.62F), 1e-6F);
    ck_assert_uint_eq(choice.nearest, 3);
    // Light that changes readings by a quarter leaves the lighter two no room.
    ck_assert(cmo_choose_band(floor, 4, 3, 0.25F, &choice));
    ck_assert(!choice.safe && choice.margin < 0.0F);
    ck_assert(!cmo_choose_band(floor, 1, 0, 0.0F, &choice));
    ck_assert(!cmo_choose_band(floor, 4, 4, 0.0F, &choice));
}
END_TEST

START_TEST(a_reading_stays_in_its_band_until_it_is_well_out_of_it) {
    const cmo_band bands[2] = {{-INFINITY, 0.3F}, {0.3F, 0.6F}};
    ck_assert_int_eq(cmo_band_of(bands, 2, 0.1F, 0.05F, -1), 0);
    ck_assert_int_eq(cmo_band_of(bands, 2, 0.33F, 0.05F, 0), 0);
    ck_assert_int_eq(cmo_band_of(bands, 2, 0.36F, 0.05F, 0), 1);
    ck_assert_int_eq(cmo_band_of(bands, 2, 0.27F, 0.05F, 1), 1);
    ck_assert_int_eq(cmo_band_of(bands, 2, 0.7F, 0.05F, 1), -1);
}
END_TEST

START_TEST(counts_and_reflectance_turn_into_each_other_in_either_polarity) {
    const cmo_levels plain = {.dark = 100, .light = 700};
    const cmo_levels inverted = {.dark = 900, .light = 200};
    for (int i = 0; i <= 10; i++) {
        float reflectance = (float)i / 10.0F;
        ck_assert_float_eq_tol(cmo_reflectance(&plain, cmo_counts_of(&plain, reflectance)),
                               reflectance, 0.002F);
        ck_assert_float_eq_tol(cmo_reflectance(&inverted, cmo_counts_of(&inverted, reflectance)),
                               reflectance, 0.002F);
    }
}
END_TEST

// A worn patch of 60 mm, then the line.
static const floor_plan worn_then_line = {
    0.6, 2, {STRIPE(480, 60, 0, 0.2, CMO_SIM_DECORATION), STRIPE(800, 20, 0, 0.05, CMO_SIM_LINE)}};

static double stops_at(const cmo_sim_setup *setup, const cmo_levels *levels,
                       const cmo_line_parameters *parameters) {
    bench_robot bench;
    start_bench(&bench, setup, &plain_robot);
    cmo_robot_set_levels(&bench.robot, 0, levels);
    cmo_robot_set_levels(&bench.robot, 1, levels);
    ck_assert_int_eq(cmo_drive_until_line(&bench.robot, parameters), CMO_OUTCOME_DONE);
    double at = 270.0 + (double)bench.robot.report.crossing_mm;
    end_bench(&bench);
    return at;
}

START_TEST(a_threshold_of_its_own_drives_over_what_halfway_stops_on) {
    cmo_sim_mat *mat = make_floor(&worn_then_line);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    cmo_levels levels = fitting_levels(&setup, 0.05, 0.6);
    cmo_line_parameters parameters = {.cruise_mm_s = 250};
    ck_assert_double_eq_tol(stops_at(&setup, &levels, &parameters), 480.0, 2.0);
    levels.dark_threshold = cmo_counts_of(&levels, 0.14F); // the patch is at 0.27
    ck_assert_double_eq_tol(stops_at(&setup, &levels, &parameters), 800.0, 2.0);
    // And the patch itself can be looked for, by a band.
    parameters.band = (cmo_band){0.15F, 0.45F};
    ck_assert_double_eq_tol(stops_at(&setup, &levels, &parameters), 480.0, 2.0);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(a_band_that_is_none_is_refused) {
    cmo_sim_mat *mat = make_floor(&one_line);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_line_parameters parameters = {.band = {0.5F, 0.2F}};
    ck_assert_int_eq(cmo_drive_until_line(&bench.robot, &parameters), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(bench.robot.field, "band");
    end_bench(&bench);
    cmo_sim_mat_free(mat);
}
END_TEST

// --------------------------------------------------------------------------- light that changes --

// To and fro over the line, six times, while a lamp comes up; the levels are those of the start.
static bench_robot drive_into_daylight(float drift_most, double change) {
    static cmo_robot_description description;
    static cmo_sim_mat *mat;
    description = plain_robot;
    description.drift_most = drift_most;
    cmo_sim_mat_free(mat);
    mat = make_floor(&one_line);
    cmo_sim_setup setup = plain_setup(&description, PLAIN_TRAITS, mat);
    setup.x_mm = 500;
    for (unsigned i = 0; i < 2; i++) {
        setup.plant.sensor[i].ambient_share = 1.0;
    }
    cmo_levels levels = fitting_levels(&setup, 0.05, 0.6);
    setup.plant.ambient_change = change;
    setup.plant.ambient_change_s = 10.0;
    bench_robot bench;
    start_bench(&bench, &setup, &description);
    cmo_robot_set_levels(&bench.robot, 0, &levels);
    cmo_robot_set_levels(&bench.robot, 1, &levels);
    for (int i = 0; i < 12; i++) {
        cmo_advance_parameters way = {.distance_mm = i % 2 ? -250 : 250, .speed_mm_s = 150};
        ck_assert_int_eq(cmo_advance(&bench.robot, &way), CMO_OUTCOME_DONE);
    }
    return bench;
}

START_TEST(levels_follow_a_slow_change_of_the_light_if_they_may) {
    // Light goes from 1.3 to 1.45 of what the lamp alone gives: white reads 1.13 by the old levels.
    bench_robot fixed = drive_into_daylight(0.0F, 0.5);
    ck_assert_float_gt(fixed.robot.light[0].reflectance, 1.09F);
    end_bench(&fixed);
    bench_robot following = drive_into_daylight(0.2F, 0.5);
    ck_assert_float_eq_tol(following.robot.light[0].reflectance, 1.0F, 0.04F);
    ck_assert(!following.robot.light[0].unfit);
    end_bench(&following);
}
END_TEST

START_TEST(levels_follow_no_further_than_they_may) {
    bench_robot bench = drive_into_daylight(0.05F, 2.0);
    for (int i = 0; i < 2; i++) {
        ck_assert_int_le(abs(bench.robot.light[i].light_drift), 26); // of 512
        ck_assert_int_le(abs(bench.robot.light[i].dark_drift), 26);
    }
    end_bench(&bench);
}
END_TEST

START_TEST(levels_that_no_longer_fit_are_warned_of) {
    bench_robot bench = drive_into_daylight(0.0F, 3.0); // white reads 1.8
    ck_assert(bench.robot.light[0].unfit && bench.robot.light[1].unfit);
    cmo_levels fresh = {.dark = 100, .light = 900, .void_counts = CMO_LEVEL_UNKNOWN, .noise = 8};
    cmo_robot_set_levels(&bench.robot, 0, &fresh);
    ck_assert(!bench.robot.light[0].unfit);
    end_bench(&bench);
}
END_TEST

START_TEST(a_moving_shadow_comes_and_goes) {
    static const floor_plan bare = {.luminance = 0.6};
    cmo_sim_mat *mat = make_floor(&bare);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    setup.plant.sensor[0].ambient_share = setup.plant.sensor[1].ambient_share = 1.0;
    setup.plant.shadows = 1;
    // It needs half a second to the sensors at x = 270, and as long to leave them.
    setup.plant.shadow[0] = (cmo_sim_shadow){.x_mm = 670,
                                             .y_mm = 500,
                                             .radius_mm = 150,
                                             .soft_mm = 5,
                                             .depth = 1,
                                             .vx_mm_s = -500,
                                             .every_s = 2.0};
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    static const bool dark_at[8] = {false, true, false, false, false, true, false, false};
    for (int i = 0; i < 8; i++) { // every half second from 0.25 s
        for (int n = 0; n < (i == 0 ? 25 : 50); n++) {
            cmo_tick(&bench.robot);
            cmo_wait(&bench.robot);
        }
        bool dark = bench.robot.light[0].reflectance < 0.88F;
        ck_assert_msg(dark == dark_at[i], "at %g s: %g", 0.25 + 0.5 * i,
                      (double)bench.robot.light[0].reflectance);
    }
    end_bench(&bench);
    cmo_sim_mat_free(mat);
}
END_TEST

// ------------------------------------------------------------------------------ failing sensors --

static void expect_fault(void (*use)(cmo_sim_faults *), cmo_outcome expected, double within_mm) {
    cmo_sim_mat *mat = make_floor(&one_line);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    use(&setup.faults);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    // Both are watched: the one that fails is missed.
    cmo_line_parameters parameters = {.sensor = CMO_SENSOR_BOTH, .cruise_mm_s = 200};
    ck_assert_int_eq(cmo_drive_until_line(&bench.robot, &parameters), expected);
    ck_assert_int_eq(bench.robot.report.sensor, 1);
    ck_assert(!bench.robot.report.motors_may_run);
    ck_assert_double_le(figure(&bench.robot, CMO_TRAVELLED_MM), within_mm);
    cmo_sim_pass(bench.sim, 500);
    ck_assert(cmo_sim_halted(bench.sim));
    ck_assert_double_lt(fabs(cmo_sim_truth_now(bench.sim).speed_mm_s), 1.0);
    end_bench(&bench);
    cmo_sim_mat_free(mat);
}

static void use_stuck(cmo_sim_faults *faults) {
    faults->light_stuck_at_ms[1] = 300;
}

static void use_jumping(cmo_sim_faults *faults) {
    faults->light_jumps_at_ms[1] = 300;
}

static void use_clipped(cmo_sim_faults *faults) {
    faults->light_clipped_at_ms[1] = 300;
}

START_TEST(a_stuck_sensor_is_found_once_the_other_has_crossed_a_line) {
    // The line lies 430 mm ahead, 20 mm wide; then as far again as the sensors are apart.
    expect_fault(use_stuck, CMO_OUTCOME_SENSOR_STUCK, 430 + 20 + 90 + 50);
}
END_TEST

START_TEST(a_jumping_sensor_is_found_within_some_looks) {
    expect_fault(use_jumping, CMO_OUTCOME_SENSOR_JUMPING, 50 + 100);
}
END_TEST

START_TEST(a_sensor_out_of_range_is_found_within_its_age) {
    expect_fault(use_clipped, CMO_OUTCOME_SENSOR_RANGE, 50 + 40);
}
END_TEST

static double many_lines(void *data, double x_mm, double y_mm, unsigned *marks) {
    (void)data, (void)y_mm;
    bool line = x_mm >= 500.0 && x_mm < 1000.0 && fmod(x_mm - 500.0, 40.0) < 12.0;
    *marks = line ? 1U << CMO_SIM_LINE : 0U;
    return line ? 0.05 : 0.6;
}

// Without a time of their own they are of different moments all the same.
START_TEST(several_looks_a_tick_over_an_edge_are_no_jumps) {
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1600, 1000, 2, many_lines, NULL);
    cmo_robot_description description = plain_robot;
    description.left_step_mm = description.right_step_mm = 0.1F;
    for (int i = 0; i < 2; i++) {
        description.light[i].interval_us = 2500;
        description.light[i].spot_mm = 4;
    }
    cmo_sim_setup setup = plain_setup(&description, PLAIN_TRAITS & ~CMO_TRAIT_LOOK_TIMES, mat);
    for (uint64_t seed = 1; seed <= SEEDS(10); seed++) {
        setup.seed = seed;
        bench_robot bench;
        start_bench(&bench, &setup, &description);
        cmo_count_lines_parameters parameters = {.number = 8, .cruise_mm_s = 350};
        ck_assert_int_eq(cmo_count_lines(&bench.robot, &parameters), CMO_OUTCOME_DONE);
        end_bench(&bench);
    }
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(a_steady_reading_on_a_plain_floor_is_no_fault) {
    // Sensors without any noise, over one line after the other.
    static const floor_plan lines = {0.6,
                                     3,
                                     {STRIPE(500, 10, 20, 0.05, CMO_SIM_LINE),
                                      STRIPE(800, 10, -20, 0.05, CMO_SIM_LINE),
                                      STRIPE(1500, 40, 0, 0.05, CMO_SIM_LINE)}};
    cmo_sim_mat *mat = make_floor(&lines);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    setup.plant.sensor[0].noise = setup.plant.sensor[1].noise = 0.0;
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_line_parameters parameters = {.cruise_mm_s = 150, .least_width_mm = 30};
    ck_assert_int_eq(cmo_drive_until_line(&bench.robot, &parameters), CMO_OUTCOME_DONE);
    ck_assert_float_eq_tol(270.0F + bench.robot.report.crossing_mm, 1500.0F, 5.0F);
    end_bench(&bench);
    cmo_sim_mat_free(mat);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {the_threshold_goes_between_the_line_and_its_nearest_neighbour,
                                  a_reading_stays_in_its_band_until_it_is_well_out_of_it,
                                  counts_and_reflectance_turn_into_each_other_in_either_polarity,
                                  a_threshold_of_its_own_drives_over_what_halfway_stops_on,
                                  a_band_that_is_none_is_refused,
                                  levels_follow_a_slow_change_of_the_light_if_they_may,
                                  levels_follow_no_further_than_they_may,
                                  levels_that_no_longer_fit_are_warned_of,
                                  a_moving_shadow_comes_and_goes,
                                  a_stuck_sensor_is_found_once_the_other_has_crossed_a_line,
                                  a_jumping_sensor_is_found_within_some_looks,
                                  a_sensor_out_of_range_is_found_within_its_age,
                                  several_looks_a_tick_over_an_edge_are_no_jumps,
                                  a_steady_reading_on_a_plain_floor_is_no_fault,
                                  NULL};
    return run_suite("sensors", tests);
}
