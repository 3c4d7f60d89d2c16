// SPDX-License-Identifier: GPL-3.0-or-later
// Ends of any routine: on an ideal robot, whose wheels do at once as they are told.
#include "ideal.h"

#include <math.h>

static const cmo_advance_parameters far = {.distance_mm = 3000, .speed_mm_s = 300};
static const cmo_turn_parameters spin = {.angle_deg = 720};

// Drives until the end is met: `when` turns something about after a second.
static void drive_until(ideal *r, const cmo_ends *ends, void (*when)(ideal *r)) {
    cmo_ends_state state;
    cmo_advance_state advance;
    start_all(r);
    ck_assert_int_eq(cmo_end_on(&r->robot, &state, ends), CMO_OUTCOME_DONE);
    cmo_outcome outcome = cmo_advance_start(&r->robot, &advance, &far);
    for (int i = 0; i < 100; i++) {
        outcome = turn(r, 10000);
    }
    if (when != NULL) {
        ck_assert_int_eq(outcome, CMO_RUNNING);
        when(r);
        outcome = run_ideal(r, CMO_RUNNING, 500);
    } else if (outcome == CMO_RUNNING) {
        outcome = run_ideal(r, CMO_RUNNING, 1200);
    }
    ck_assert_int_eq(outcome, CMO_OUTCOME_DONE);
    ck_assert_ptr_null(r->robot.overseer);
}

static void come_near(ideal *r) {
    r->paper.sample.range_mm = 90;
}
static void bump(ideal *r) {
    r->paper.sample.touch = 2;
}
static void press(ideal *r) {
    r->paper.sample.start = true;
}

START_TEST(each_end_ends_a_routine_and_says_which_it_was) {
    ideal r;
    drive_until(&r, &(cmo_ends){.way_mm = 700}, NULL);
    ck_assert_int_eq(r.robot.report.by, CMO_BY_WAY);
    ck_assert_double_eq_tol(r.left_mm, 700, 4);
    drive_until(&r, &(cmo_ends){.left_way_mm = 500, .right_way_mm = 900}, NULL);
    ck_assert_int_eq(r.robot.report.by, CMO_BY_LEFT_WAY);
    ck_assert_double_eq_tol(r.left_mm, 500, 4);
    drive_until(&r, &(cmo_ends){.right_way_mm = 400}, NULL);
    ck_assert_int_eq(r.robot.report.by, CMO_BY_RIGHT_WAY);
    drive_until(&r, &(cmo_ends){.for_ms = 1500}, NULL);
    ck_assert_int_eq(r.robot.report.by, CMO_BY_TIME);
    ck_assert_double_eq_tol(figure(&r.robot, CMO_ELAPSED_MS), 1500, 250);
    drive_until(&r, &(cmo_ends){.range_below_mm = 100}, come_near);
    ck_assert_int_eq(r.robot.report.by, CMO_BY_RANGE_BELOW);
    ck_assert_double_lt(r.left_mm, 350);
    drive_until(&r, &(cmo_ends){.touch = 3}, bump);
    ck_assert_int_eq(r.robot.report.by, CMO_BY_TOUCH);
    drive_until(&r, &(cmo_ends){.button = true}, press);
    ck_assert_int_eq(r.robot.report.by, CMO_BY_BUTTON);
    ck_assert_str_eq(cmo_by_name(CMO_BY_BUTTON), "button");
    // What is not met lets the routine end by itself.
    drive_until(&r, &(cmo_ends){.range_below_mm = 100, .touch = 4, .lines = 1}, NULL);
    ck_assert_int_eq(r.robot.report.by, CMO_BY_ITSELF);
    ck_assert_double_eq_tol(r.left_mm, 3000, 1);
}
END_TEST

START_TEST(range_above_and_turn_end_a_turn) {
    ideal r;
    cmo_ends_state state;
    cmo_turn_state turning;
    start_all(&r);
    cmo_ends ends = {.turn_deg = 90};
    ck_assert_int_eq(cmo_end_on(&r.robot, &state, &ends), CMO_OUTCOME_DONE);
    ck_assert_int_eq(run_ideal(&r, cmo_turn_start(&r.robot, &turning, &spin), 500),
                     CMO_OUTCOME_DONE);
    ck_assert_int_eq(r.robot.report.by, CMO_BY_TURN);
    ck_assert_double_eq_tol((r.right_mm - r.left_mm) / 110 * 57.29578, 90, 2);
    start_all(&r);
    ends = (cmo_ends){.range_above_mm = 400};
    r.paper.sample.range_mm = 200;
    ck_assert_int_eq(cmo_end_on(&r.robot, &state, &ends), CMO_OUTCOME_DONE);
    ck_assert_int_eq(cmo_turn_start(&r.robot, &turning, &spin), CMO_RUNNING);
    for (int i = 0; i < 50; i++) {
        ck_assert_int_eq(turn(&r, 10000), CMO_RUNNING);
    }
    r.paper.sample.range_mm = 401;
    ck_assert_int_eq(run_ideal(&r, CMO_RUNNING, 500), CMO_OUTCOME_DONE);
    ck_assert_int_eq(r.robot.report.by, CMO_BY_RANGE_ABOVE);
    ck_assert(r.paper.halted);
}
END_TEST

START_TEST(a_line_is_counted_when_a_sensor_comes_onto_it) {
    for (int sensor = CMO_SENSOR_EITHER; sensor <= CMO_SENSOR_BOTH; sensor++) {
        ideal r;
        cmo_ends_state state;
        cmo_advance_state advance;
        start_all(&r);
        r.line_mm = 600;
        cmo_ends ends = {.lines = 1, .sensor = (cmo_sensors)sensor};
        ck_assert_int_eq(cmo_end_on(&r.robot, &state, &ends), CMO_OUTCOME_DONE);
        ck_assert_int_eq(run_ideal(&r, cmo_advance_start(&r.robot, &advance, &far), 1500),
                         CMO_OUTCOME_DONE);
        ck_assert_int_eq(r.robot.report.by, CMO_BY_LINE);
        ck_assert_double_gt(r.left_mm, 529);
        ck_assert_double_lt(r.left_mm, 560);
    }
    // The second of two, where it starts on the first one: that does not count.
    ideal r;
    cmo_ends_state state;
    cmo_advance_state advance;
    start_all(&r);
    r.line_mm = 60;
    cmo_ends ends = {.lines = 1};
    ck_assert_int_eq(cmo_end_on(&r.robot, &state, &ends), CMO_OUTCOME_DONE);
    ck_assert_int_eq(cmo_advance_start(&r.robot, &advance, &far), CMO_RUNNING);
    for (int i = 0; i < 100; i++) {
        ck_assert_int_eq(turn(&r, 10000), CMO_RUNNING);
    }
    r.line_mm = 700;
    ck_assert_int_eq(run_ideal(&r, CMO_RUNNING, 500), CMO_OUTCOME_DONE);
    ck_assert_double_eq_tol(r.left_mm, 640, 20);
}
END_TEST

START_TEST(a_button_that_is_held_from_before_counts_once_it_has_been_let_go) {
    ideal r;
    cmo_ends_state state;
    cmo_advance_state advance;
    const cmo_ends ends = {.button = true};
    start_all(&r);
    r.paper.sample.start = true;
    ck_assert_int_eq(cmo_end_on(&r.robot, &state, &ends), CMO_OUTCOME_DONE);
    ck_assert_int_eq(cmo_advance_start(&r.robot, &advance, &far), CMO_RUNNING);
    for (int i = 0; i < 50; i++) {
        ck_assert_int_eq(turn(&r, 10000), CMO_RUNNING);
        ck_assert_int_eq(r.robot.report.by, CMO_BY_ITSELF);
    }
    r.paper.sample.start = false;
    turn(&r, 10000);
    r.paper.sample.start = true;
    ck_assert_int_eq(run_ideal(&r, CMO_RUNNING, 100), CMO_OUTCOME_DONE);
    ck_assert_int_eq(r.robot.report.by, CMO_BY_BUTTON);
}
END_TEST

START_TEST(an_end_can_go_over_into_the_next_routine_at_speed) {
    ideal r;
    drive_until(&r, &(cmo_ends){.way_mm = 200, .ending = CMO_END_MOVING}, NULL);
    ck_assert_int_eq(r.robot.report.by, CMO_BY_WAY);
    ck_assert(!r.paper.halted);
    ck_assert_double_ge(r.left_mm, 200);
    ck_assert_float_gt(r.paper.left, 200.0F);
}
END_TEST

START_TEST(ends_that_make_no_sense_are_refused) {
    static const struct {
        cmo_ends ends;
        uint16_t without;
        cmo_outcome outcome;
        const char *field;
    } bad[] = {
        {{.way_mm = -5}, 0, CMO_OUTCOME_BAD_PARAMETER, "way_mm"},
        {{.way_mm = NAN}, 0, CMO_OUTCOME_BAD_PARAMETER, "way_mm"},
        {{.turn_deg = 4000}, 0, CMO_OUTCOME_BAD_PARAMETER, "turn_deg"},
        {{.lines = 1, .tone = 9}, 0, CMO_OUTCOME_BAD_PARAMETER, "tone"},
        {{.lines = 1, .tone = CMO_TONE_VOID}, 0, CMO_OUTCOME_LOW_CONTRAST, "tone"},
        {{.range_below_mm = 100}, CMO_TRAIT_RANGE, CMO_OUTCOME_NOT_SUPPORTED, "range_below_mm"},
        {{.range_above_mm = 100}, CMO_TRAIT_RANGE, CMO_OUTCOME_NOT_SUPPORTED, "range_above_mm"},
        {{.touch = 1}, CMO_TRAIT_TOUCH, CMO_OUTCOME_NOT_SUPPORTED, "touch"},
        {{.button = true}, CMO_TRAIT_START, CMO_OUTCOME_NOT_SUPPORTED, "button"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(bad); i++) {
        ideal r;
        cmo_ends_state state;
        start_ideal(&r, (uint16_t)(ALL_TRAITS & ~bad[i].without));
        ck_assert_int_eq(cmo_end_on(&r.robot, &state, &bad[i].ends), bad[i].outcome);
        ck_assert_str_eq(r.robot.field, bad[i].field);
        ck_assert_ptr_null(r.robot.overseer);
    }
}
END_TEST

START_TEST(a_sensor_that_is_to_count_and_is_silent_is_a_fault) {
    ideal r;
    cmo_ends_state state;
    cmo_advance_state advance;
    start_all(&r);
    cmo_ends ends = {.lines = 1, .sensor = CMO_SENSOR_RIGHT};
    ck_assert_int_eq(cmo_end_on(&r.robot, &state, &ends), CMO_OUTCOME_DONE);
    ck_assert_int_eq(cmo_advance_start(&r.robot, &advance, &far), CMO_RUNNING);
    cmo_outcome outcome = CMO_RUNNING;
    for (int i = 0; i < 60 && outcome == CMO_RUNNING; i++) {
        outcome = turn(&r, 10000);
        r.sequence--; // the looks that come are old ones
    }
    ck_assert_int_eq(outcome, CMO_OUTCOME_SENSOR_SILENT);
    ck_assert_int_eq(r.robot.report.sensor, 1);
    ck_assert(r.paper.halted);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {each_end_ends_a_routine_and_says_which_it_was,
                                  range_above_and_turn_end_a_turn,
                                  a_line_is_counted_when_a_sensor_comes_onto_it,
                                  a_button_that_is_held_from_before_counts_once_it_has_been_let_go,
                                  an_end_can_go_over_into_the_next_routine_at_speed,
                                  ends_that_make_no_sense_are_refused,
                                  a_sensor_that_is_to_count_and_is_silent_is_a_fault,
                                  NULL};
    return run_suite("ends", tests);
}
