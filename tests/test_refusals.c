// SPDX-License-Identifier: GPL-3.0-or-later
// What is refused, by what name, and that defaults are not.
#include "ideal.h"

#include <math.h>

static const cmo_advance_parameters near = {.distance_mm = 50};

static bool never_done(cmo_robot *robot, void *context) {
    (void)robot;
    (void)context;
    return false;
}

START_TEST(defaults_suit_a_robot_that_can_only_drive_fast) {
    ideal r;
    start_ideal(&r, PLAIN_TRAITS);
    r.description.top_speed_mm_s = 100;
    r.description.slowest_mm_s = 60;
    union {
        cmo_advance_state advance;
        cmo_line_state line;
        cmo_square_on_line_state square;
        cmo_check_wiring_state wiring;
    } state;
    ck_assert_int_eq(cmo_advance_start(&r.robot, &state.advance, &near), CMO_RUNNING);
    ck_assert_ptr_null(r.robot.field);
    cmo_halt_now(&r.robot, CMO_HALT_DEFAULT);
    ck_assert_int_eq(
        cmo_turn_start(&r.robot, &state.advance, &(cmo_turn_parameters){.angle_deg = 90}),
        CMO_RUNNING);
    cmo_halt_now(&r.robot, CMO_HALT_DEFAULT);
    ck_assert_int_eq(cmo_stop_on_line_start(&r.robot, &state.line, &(cmo_line_parameters){0}),
                     CMO_RUNNING);
    cmo_halt_now(&r.robot, CMO_HALT_DEFAULT);
    ck_assert_int_eq(
        cmo_square_on_line_start(&r.robot, &state.square, &(cmo_square_on_line_parameters){0}),
        CMO_RUNNING);
    cmo_halt_now(&r.robot, CMO_HALT_DEFAULT);
    ck_assert_int_eq(
        cmo_check_wiring_start(&r.robot, &state.wiring, &(cmo_check_wiring_parameters){0}),
        CMO_RUNNING);
}
END_TEST

START_TEST(a_refusal_is_forgotten_by_a_good_start) {
    ideal r;
    cmo_advance_state advance;
    start_ideal(&r, PLAIN_TRAITS);
    ck_assert_int_eq(
        cmo_advance_start(&r.robot, &advance,
                          &(cmo_advance_parameters){.distance_mm = 9, .speed_mm_s = 1e4F}),
        CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(r.robot.field, "speed_mm_s");
    ck_assert_float_eq(r.robot.limit, 700.0F);
    ck_assert_int_eq(cmo_advance_start(&r.robot, &advance, &near), CMO_RUNNING);
    ck_assert_ptr_null(r.robot.field);
    ck_assert(isnan(r.robot.limit));
}
END_TEST

// A lag that budgets go by must be one: no number, or a negative one, would call any speed safe.
START_TEST(both_lags_of_a_description_are_checked) {
    static const float wrong[] = {NAN, -1.0F, 501.0F};
    paper_port paper;
    cmo_robot robot;
    start_paper(&paper, PLAIN_TRAITS);
    for (size_t i = 0; i < 2 * G_N_ELEMENTS(wrong); i++) {
        cmo_robot_description bad = plain_robot;
        *(i % 2 == 0 ? &bad.lag_ms : &bad.stated_lag_ms) = wrong[i / 2];
        ck_assert_int_eq(cmo_robot_start(&robot, &bad, &paper.port), CMO_OUTCOME_BAD_PARAMETER);
        ck_assert_str_eq(robot.field, i % 2 == 0 ? "lag_ms" : "stated_lag_ms");
    }
}
END_TEST

START_TEST(a_robot_that_was_refused_does_nothing) {
    paper_port paper;
    cmo_robot robot;
    cmo_advance_state advance;
    start_paper(&paper, PLAIN_TRAITS);
    cmo_robot_description bad = plain_robot;
    bad.lifetime_us = 15000;
    ck_assert_int_eq(cmo_robot_start(&robot, &bad, &paper.port), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(robot.field, "lifetime_us");
    ck_assert_float_eq(robot.limit, 20000.0F);
    ck_assert_int_eq(cmo_advance_start(&robot, &advance, &near), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(robot.field, "robot");
    ck_assert_int_eq(cmo_tick(&robot), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_int_eq(cmo_run(&robot), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_int_eq(cmo_halt_now(&robot, CMO_HALT_DEFAULT), CMO_FAILED);
    union {
        cmo_line_state line;
        cmo_square_on_line_state square;
        cmo_stay_inside_state stay;
        cmo_check_wiring_state wiring;
        cmo_measure_geometry_state geometry;
        cmo_measure_drive_state drive;
        cmo_measure_braking_state braking;
        cmo_take_levels_state levels;
        cmo_action_state action;
        cmo_countdown_state countdown;
    } s;
    uint8_t bytes[64];
    int refused = 0;
    const cmo_outcome bad_parameter = CMO_OUTCOME_BAD_PARAMETER;
    refused += cmo_turn_start(&robot, &advance, &(cmo_turn_parameters){0}) == bad_parameter;
    refused +=
        cmo_drive_until_line_start(&robot, &s.line, &(cmo_line_parameters){0}) == bad_parameter;
    refused += cmo_stop_on_line_start(&robot, &s.line, &(cmo_line_parameters){0}) == bad_parameter;
    refused += cmo_square_on_line_start(&robot, &s.square, &(cmo_square_on_line_parameters){0}) ==
               bad_parameter;
    refused +=
        cmo_stay_inside_start(&robot, &s.stay, &(cmo_stay_inside_parameters){0}) == bad_parameter;
    refused += cmo_check_wiring_start(&robot, &s.wiring, &(cmo_check_wiring_parameters){0}) ==
               bad_parameter;
    refused += cmo_measure_geometry_start(&robot, &s.geometry,
                                          &(cmo_measure_geometry_parameters){0}) == bad_parameter;
    refused += cmo_measure_drive_start(&robot, &s.drive, &(cmo_measure_drive_parameters){0}) ==
               bad_parameter;
    refused += cmo_measure_braking_start(&robot, &s.braking,
                                         &(cmo_measure_braking_parameters){0}) == bad_parameter;
    refused +=
        cmo_take_levels_start(&robot, &s.levels, &(cmo_take_levels_parameters){0}) == bad_parameter;
    refused += cmo_action_start(&robot, &s.action, &(cmo_action_parameters){0}) == bad_parameter;
    refused +=
        cmo_countdown_start(&robot, &s.countdown, &(cmo_countdown_parameters){0}) == bad_parameter;
    refused += cmo_load_levels(&robot, bytes, sizeof bytes) == bad_parameter;
    ck_assert_int_eq(refused, 13);
    ck_assert_str_eq(robot.field, "robot");
    ck_assert_uint_eq(cmo_store_levels(&robot, bytes, sizeof bytes), 0);
    ck_assert_int_eq(cmo_robot_set_levels(&robot, 0, &(cmo_levels){.dark = 1, .light = 900}),
                     CMO_OUTCOME_BAD_PARAMETER);
    cmo_robot_set_pose(&robot, 1, 2, 3);
    cmo_wait(&robot);
    ck_assert_uint_eq(paper.drives + paper.halts, 0);
}
END_TEST

START_TEST(drive_until_line_refuses_what_only_a_stop_has) {
    static const struct {
        cmo_line_parameters p;
        const char *field;
    } bad[] = {{{.rest = CMO_REST_CENTRE}, "rest"},
               {{.effort = CMO_EFFORT_FINE}, "effort"},
               {{.beyond_mm = 10}, "beyond_mm"}};
    for (size_t i = 0; i < G_N_ELEMENTS(bad); i++) {
        ideal r;
        cmo_line_state state;
        start_ideal(&r, PLAIN_TRAITS);
        ck_assert_int_eq(cmo_drive_until_line_start(&r.robot, &state, &bad[i].p),
                         CMO_OUTCOME_BAD_PARAMETER);
        ck_assert_str_eq(r.robot.field, bad[i].field);
        ck_assert_ptr_null(r.robot.routine);
    }
}
END_TEST

START_TEST(what_a_robot_cannot_do_is_refused_by_name) {
    ideal r;
    start_ideal(&r, (uint16_t)(PLAIN_TRAITS & ~CMO_TRAIT_HOLD));
    cmo_stay_inside_state stay;
    ck_assert_int_eq(
        cmo_stay_inside_start(&r.robot, &stay,
                              &(cmo_stay_inside_parameters){.convex = true, .halt = CMO_HALT_HOLD}),
        CMO_OUTCOME_NOT_SUPPORTED);
    ck_assert_str_eq(r.robot.field, "halt");
    cmo_action_state action;
    ck_assert_int_eq(
        cmo_action_start(&r.robot, &action,
                         &(cmo_action_parameters){.function = never_done, .longest_ms = 600001}),
        CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(r.robot.field, "longest_ms");
    ck_assert_float_eq(r.robot.limit, 600000.0F);
    cmo_line_state line;
    ck_assert_int_eq(cmo_stop_on_line_start(&r.robot, &line,
                                            &(cmo_line_parameters){.rest = CMO_REST_NEAR_EDGE,
                                                                   .effort = (cmo_effort)7}),
                     CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(r.robot.field, "effort");
    cmo_measure_geometry_state geometry;
    r.description.slowest_mm_s = 400;
    ck_assert_int_eq(
        cmo_measure_geometry_start(&r.robot, &geometry, &(cmo_measure_geometry_parameters){0}),
        CMO_OUTCOME_NOT_SUPPORTED);
    ck_assert_str_eq(r.robot.field, "slowest_mm_s");
    ck_assert_float_eq(r.robot.limit, 350.0F);
    r.robot.light[1].levels.dark = CMO_LEVEL_UNKNOWN;
    ck_assert_int_eq(
        cmo_measure_geometry_start(&r.robot, &geometry, &(cmo_measure_geometry_parameters){0}),
        CMO_OUTCOME_LOW_CONTRAST);
    cmo_robot_description twisted = plain_robot;
    twisted.light[0].counts_min = 1024;
    ck_assert_int_eq(cmo_robot_start(&r.robot, &twisted, &r.paper.port), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(r.robot.field, "counts_min");
}
END_TEST

START_TEST(stored_levels_that_cannot_be_used_are_refused) {
    ideal r;
    uint8_t bytes[64];
    start_ideal(&r, PLAIN_TRAITS);
    r.robot.light[1].levels.light = 105; // worn out in the meantime
    size_t size = cmo_store_levels(&r.robot, bytes, sizeof bytes);
    ck_assert_uint_gt(size, 0);
    r.robot.light[0].levels.dark = 123;
    ck_assert_int_eq(cmo_load_levels(&r.robot, bytes, size), CMO_OUTCOME_LOW_CONTRAST);
    ck_assert_str_eq(r.robot.field, "levels");
    ck_assert_uint_eq(r.robot.light[0].levels.dark, 123); // all or none
    r.description.lights = 1; // and not those of a robot with another number of sensors
    ck_assert_int_eq(cmo_load_levels(&r.robot, bytes, size), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(r.robot.field, "lights");
}
END_TEST

int main(void) {
    const TTest *const tests[] = {
        defaults_suit_a_robot_that_can_only_drive_fast, a_refusal_is_forgotten_by_a_good_start,
        a_robot_that_was_refused_does_nothing,          both_lags_of_a_description_are_checked,
        drive_until_line_refuses_what_only_a_stop_has,  what_a_robot_cannot_do_is_refused_by_name,
        stored_levels_that_cannot_be_used_are_refused,  NULL};
    return run_suite("refusals", tests);
}
