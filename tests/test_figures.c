// SPDX-License-Identifier: GPL-3.0-or-later
// Figures, levels and places that a port of paper can get wrong: none that is none, none that
// wraps.
#include "ideal.h"

#include <math.h>

START_TEST(no_levels_are_no_contrast) {
    cmo_levels none = {.dark = 300, .light = 300};
    ck_assert_float_eq(cmo_hysteresis(&none), 1.0F);
    ck_assert_float_eq(cmo_reflectance(&none, 700), 0.0F);
    cmo_level_taker taker;
    float counts, spread;
    cmo_level_taker_start(&taker);
    cmo_level_taker_add(&taker, 300);
    ck_assert(!cmo_level_taker_surface(&taker, &counts, &spread));
}
END_TEST

// Spots one behind the other tell no angle.
START_TEST(spots_behind_each_other_know_no_entry_angle) {
    ideal r;
    cmo_line_state state;
    start_ideal(&r, PLAIN_TRAITS);
    r.description.light[0].left_mm = r.description.light[1].left_mm = 0;
    r.line_mm = 300;
    cmo_line_parameters p = {.sensor = CMO_SENSOR_BOTH, .cruise_mm_s = 200};
    ck_assert_int_eq(run_ideal(&r, cmo_stop_on_line_start(&r.robot, &state, &p), 1000),
                     CMO_OUTCOME_DONE);
    ck_assert(!(r.robot.report.present & CMO_FIGURE_BIT(CMO_ENTRY_ANGLE_DEG)));
}
END_TEST

START_TEST(the_look_interval_is_right_after_a_long_search) {
    ideal r;
    cmo_line_state state;
    start_ideal(&r, PLAIN_TRAITS);
    r.description.tick_us = 1000;
    r.description.lifetime_us = 50000;
    r.description.light[0].interval_us = r.description.light[1].interval_us = 1000;
    cmo_line_parameters p = {.cruise_mm_s = 100, .longest_mm = 20000};
    ck_assert_int_eq(cmo_drive_until_line_start(&r.robot, &state, &p), CMO_RUNNING);
    for (int i = 0; i < 70000; i++) {
        ck_assert_int_eq(turn(&r, 1000), CMO_RUNNING);
    }
    r.line_mm = r.left_mm + 100;
    ck_assert_int_eq(run_ideal(&r, CMO_RUNNING, 3000), CMO_OUTCOME_DONE);
    ck_assert_double_eq_tol(figure(&r.robot, CMO_LOOK_INTERVAL_MS), 1.0, 0.01);
    ck_assert_double_eq_tol(figure(&r.robot, CMO_LOOK_INTERVAL_WORST_MS), 1.0, 0.01);
}
END_TEST

START_TEST(no_figure_that_is_present_is_none) {
    static const float beyond[] = {1.4e-45F, -1.4e-45F, 1e-38F, 5, -5};
    for (size_t i = 0; i < 4 * G_N_ELEMENTS(beyond); i++) {
        ideal r;
        cmo_square_on_line_state state;
        start_ideal(&r, PLAIN_TRAITS);
        r.line_mm = 300;
        cmo_square_on_line_parameters p = {
            .beyond_mm = beyond[i / 4], .rest = (cmo_rest)(i % 4), .cruise_mm_s = 200};
        ck_assert_int_eq(run_ideal(&r, cmo_square_on_line_start(&r.robot, &state, &p), 2000),
                         CMO_OUTCOME_DONE);
        for (unsigned f = 0; f < CMO_REPORT_FIGURES; f++) {
            ck_assert(!(r.robot.report.present & CMO_FIGURE_BIT(f)) ||
                      isfinite(r.robot.report.figure[f]));
        }
    }
}
END_TEST

START_TEST(a_reaction_is_no_time_beyond_the_clock) {
    static const uint32_t delays_us[] = {10000, 0}; // the second: looks stamped ahead of the clock
    for (size_t i = 0; i < G_N_ELEMENTS(delays_us); i++) {
        ideal r;
        cmo_line_state state;
        start_ideal(&r, PLAIN_TRAITS);
        r.line_mm = 150;
        r.description.light[0].delay_us = r.description.light[1].delay_us = delays_us[i];
        cmo_line_parameters p = {.cruise_mm_s = 200};
        ck_assert_int_eq(run_ideal(&r, cmo_stop_on_line_start(&r.robot, &state, &p), 1000),
                         CMO_OUTCOME_DONE);
        ck_assert_double_ge(figure(&r.robot, CMO_REACTION_MS), 0);
        ck_assert_double_lt(figure(&r.robot, CMO_REACTION_MS), 500);
    }
}
END_TEST

START_TEST(the_heading_stays_with_the_wheels_for_ten_minutes) {
    ideal r;
    start_ideal(&r, PLAIN_TRAITS);
    r.left_mm = r.right_mm = 0;
    turn(&r, 10000);
    cmo_robot_set_pose(&r.robot, 100, 200, 30);
    double heading = 30.0 * G_PI / 180.0;
    for (int i = 0; i < 60000; i++) {
        r.left_mm -= 2.0; // four counts a tick
        r.right_mm += 2.0;
        turn(&r, 10000);
        heading += 4.0 / 110.0;
    }
    // A float holds this angle to 1e-4, but for where the wheels are within their counts; the sum
    // of its steps had gone wrong by 0.9.
    double counted = (double)r.robot.odometer.pose.heading_rad -
                     (double)(r.robot.right.within_mm - r.robot.left.within_mm) / 110.0;
    ck_assert_double_eq_tol(counted, heading, 2e-3);
    ck_assert_double_eq_tol((double)r.robot.odometer.pose.x_mm, 100, 1);
    ck_assert_double_eq_tol((double)r.robot.odometer.pose.y_mm, 200, 1);
}
END_TEST

// Without encoders a roll-out is an estimate, and coasting is the longer one.
START_TEST(a_coasting_robot_is_thought_to_roll_on_for_longer) {
    float rolled[2];
    for (int i = 0; i < 2; i++) {
        ideal r;
        cmo_advance_state advance;
        start_ideal(&r, (uint16_t)(PLAIN_TRAITS & ~CMO_TRAIT_ENCODERS));
        r.description.lag_ms = 50;
        cmo_advance_parameters p = {.distance_mm = 1000, .speed_mm_s = 400};
        ck_assert_int_eq(cmo_advance_start(&r.robot, &advance, &p), CMO_RUNNING);
        for (int n = 0; n < 60; n++) {
            turn(&r, 10000);
        }
        float before = cmo_way_mm(&r.robot);
        cmo_halt_now(&r.robot, i == 0 ? CMO_HALT_BRAKE : CMO_HALT_COAST);
        for (int n = 0; n < 300; n++) {
            turn(&r, 10000);
        }
        rolled[i] = cmo_way_mm(&r.robot) - before;
    }
    ck_assert_float_eq_tol(rolled[0], 400 * 0.05F, 3); // speed times lag
    ck_assert_float_eq_tol(rolled[1], 6 * rolled[0], 12);
}
END_TEST

// What stands under a lamp, or a hand, must not take that for a slow change of the light.
START_TEST(levels_follow_the_light_only_while_it_drives) {
    for (int drives = 0; drives < 2; drives++) {
        ideal r;
        cmo_line_state state;
        start_ideal(&r, PLAIN_TRAITS);
        r.description.drift_most = 0.1F;
        r.floor_counts = 725; // brighter than the level says
        cmo_line_parameters p = {.cruise_mm_s = 100, .longest_mm = 5000};
        if (drives) {
            ck_assert_int_eq(cmo_drive_until_line_start(&r.robot, &state, &p), CMO_RUNNING);
        } else {
            cmo_halt_now(&r.robot, CMO_HALT_DEFAULT);
        }
        for (int i = 0; i < 1000; i++) {
            turn(&r, 10000);
        }
        ck_assert_int_eq(r.robot.light[0].light_drift != 0, drives);
    }
}
END_TEST

START_TEST(levels_that_are_refused_are_not_written) {
    static const int contrasts[] = {0, 10, 14, 40}; // one surface, too near, too near, too noisy
    static const cmo_levels_fault faults[] = {CMO_LEVELS_ONE_SURFACE, CMO_LEVELS_LOW_CONTRAST,
                                              CMO_LEVELS_LOW_CONTRAST, CMO_LEVELS_NOISY};
    for (size_t i = 0; i < G_N_ELEMENTS(contrasts); i++) {
        cmo_level_taker taker;
        cmo_level_taker_start(&taker);
        for (int n = 0; n < 400; n++) {
            int noise = contrasts[i] / 20 * (n % 5 - 2);
            cmo_level_taker_add(&taker, (uint16_t)(500 + (n < 200 ? contrasts[i] : 0) + noise));
        }
        cmo_levels levels = {.dark = 11, .light = 222, .void_counts = 3, .noise = 4};
        cmo_levels before = levels;
        ck_assert_int_eq(cmo_level_taker_finish(&taker, false, 1023, &levels), faults[i]);
        ck_assert_mem_eq(&levels, &before, sizeof levels);
    }
}
END_TEST

int main(void) {
    const TTest *const tests[] = {no_levels_are_no_contrast,
                                  spots_behind_each_other_know_no_entry_angle,
                                  the_look_interval_is_right_after_a_long_search,
                                  no_figure_that_is_present_is_none,
                                  a_reaction_is_no_time_beyond_the_clock,
                                  the_heading_stays_with_the_wheels_for_ten_minutes,
                                  a_coasting_robot_is_thought_to_roll_on_for_longer,
                                  levels_follow_the_light_only_while_it_drives,
                                  levels_that_are_refused_are_not_written,
                                  NULL};
    return run_suite("figures", tests);
}
