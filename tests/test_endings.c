// SPDX-License-Identifier: GPL-3.0-or-later
// How routines end: halted, in time, and so that the next one starts well, whatever the port does.
#include "ideal.h"

#include <math.h>

static const cmo_advance_parameters far = {.distance_mm = 10000};
static const cmo_advance_parameters near = {.distance_mm = 50};

// ---------------------------------------------------------------------------------------- halts --

START_TEST(a_halt_that_failed_goes_on_in_the_routines_after_it) {
    ideal r;
    cmo_advance_state advance;
    start_ideal(&r, PLAIN_TRAITS);
    r.paper.halt_answer = CMO_NOT_YET;
    ck_assert_int_eq(cmo_advance_start(&r.robot, &advance, &far), CMO_RUNNING);
    for (int i = 0; i < 20; i++) {
        turn(&r, 10000);
    }
    cmo_abort(&r.robot);
    ck_assert_int_eq(turn(&r, 10000), CMO_OUTCOME_ABORTED);
    ck_assert(r.robot.report.motors_may_run);
    unsigned drives = r.paper.drives;
    ck_assert_int_eq(cmo_advance_start(&r.robot, &advance, &near), CMO_RUNNING);
    ck_assert(r.robot.report.motors_may_run);
    for (int i = 0; i < 10; i++) {
        unsigned halts = r.paper.halts;
        ck_assert_int_eq(turn(&r, 10000), CMO_RUNNING);
        ck_assert_uint_eq(r.paper.halts, halts + 1);
        ck_assert_uint_eq(r.paper.drives, drives);
    }
    r.paper.halt_answer = CMO_OK;
    ck_assert_int_eq(run_ideal(&r, CMO_RUNNING, 500), CMO_OUTCOME_DONE);
    ck_assert_uint_gt(r.paper.drives, drives);
    ck_assert(!r.robot.report.motors_may_run);
}
END_TEST

START_TEST(a_halt_that_never_succeeds_lets_the_next_routine_end_in_time) {
    ideal r;
    cmo_advance_state advance;
    start_ideal(&r, PLAIN_TRAITS);
    r.paper.halt_answer = CMO_FAILED;
    cmo_advance_parameters p = {.distance_mm = 100, .longest_ms = 300};
    ck_assert_int_eq(run_ideal(&r, cmo_advance_start(&r.robot, &advance, &p), 100),
                     CMO_OUTCOME_TIME_OVER);
    ck_assert_int_eq(run_ideal(&r, cmo_advance_start(&r.robot, &advance, &p), 100),
                     CMO_OUTCOME_TIME_OVER);
    ck_assert(r.robot.report.motors_may_run);
}
END_TEST

START_TEST(the_wiring_check_halts_at_its_limit) {
    for (uint32_t limit = 50; limit < 3000; limit += 150) {
        ideal r;
        cmo_check_wiring_state state;
        start_ideal(&r, PLAIN_TRAITS);
        cmo_check_wiring_parameters p = {.longest_ms = limit};
        cmo_outcome outcome = run_ideal(&r, cmo_check_wiring_start(&r.robot, &state, &p), 400);
        ck_assert_int_ne(outcome, CMO_RUNNING);
        ck_assert_msg(r.paper.halted, "after %u ms it drives on", limit);
        ck_assert_int_eq(r.robot.report.outcome, outcome);
    }
}
END_TEST

START_TEST(an_abort_between_two_routines_ends_the_next_and_no_further_one) {
    ideal r;
    cmo_advance_state advance;
    start_ideal(&r, PLAIN_TRAITS);
    turn(&r, 10000);
    cmo_abort(&r.robot);
    ck_assert_int_eq(run_ideal(&r, cmo_advance_start(&r.robot, &advance, &near), 500),
                     CMO_OUTCOME_ABORTED);
    ck_assert_uint_eq(r.paper.drives, 0);
    ck_assert(r.paper.halted);
    ck_assert_int_eq(run_ideal(&r, cmo_advance_start(&r.robot, &advance, &near), 500),
                     CMO_OUTCOME_DONE);
    // Halted by hand: that ends the routine, too.
    ck_assert_int_eq(cmo_advance_start(&r.robot, &advance, &far), CMO_RUNNING);
    turn(&r, 10000);
    ck_assert_int_eq(cmo_halt_now(&r.robot, CMO_HALT_DEFAULT), CMO_OK);
    ck_assert_ptr_null(r.robot.routine);
    ck_assert_int_eq(turn(&r, 10000), CMO_OUTCOME_ABORTED);
    ck_assert(r.paper.halted);
}
END_TEST

static bool halts_itself(cmo_robot *robot, void *context) {
    (void)context;
    ck_assert_int_eq(cmo_halt_now(robot, CMO_HALT_COAST), CMO_OK);
    return robot->elapsed_ms > 50;
}

START_TEST(an_action_may_halt_and_goes_on) {
    ideal r;
    cmo_action_state state;
    start_ideal(&r, PLAIN_TRAITS);
    cmo_action_parameters p = {.function = halts_itself};
    ck_assert_int_eq(run_ideal(&r, cmo_action_start(&r.robot, &state, &p), 100), CMO_OUTCOME_DONE);
    ck_assert_int_eq(r.paper.last_halt, CMO_HALT_COAST);
    ck_assert_double_ge(figure(&r.robot, CMO_ELAPSED_MS), 50);
}
END_TEST

START_TEST(drive_commands_that_are_never_taken_are_no_way) {
    ideal r;
    cmo_advance_state advance;
    start_ideal(&r, (uint16_t)(PLAIN_TRAITS & ~CMO_TRAIT_ENCODERS));
    r.paper.drive_answer = CMO_NOT_YET;
    cmo_advance_parameters p = {.distance_mm = 300};
    ck_assert_int_eq(run_ideal(&r, cmo_advance_start(&r.robot, &advance, &p), 1000),
                     CMO_OUTCOME_PORT_FAILED);
    ck_assert_double_lt(figure(&r.robot, CMO_TRAVELLED_MM), 5);
    ck_assert(r.paper.halted);
}
END_TEST

START_TEST(a_drive_that_fails_ends_the_routine_halted) {
    static const double places[] = {100, 290, 299.99}; // the last one: in the tick of its end
    for (size_t i = 0; i < G_N_ELEMENTS(places); i++) {
        for (int ending = CMO_END_HALTED; ending <= CMO_END_MOVING; ending++) {
            ideal r;
            cmo_advance_state advance;
            start_ideal(&r, PLAIN_TRAITS);
            r.drive_fails_mm = places[i] - (ending == CMO_END_HALTED);
            cmo_advance_parameters p = {.distance_mm = 300, .ending = (cmo_ending)ending};
            ck_assert_int_eq(run_ideal(&r, cmo_advance_start(&r.robot, &advance, &p), 500),
                             CMO_OUTCOME_PORT_FAILED);
            ck_assert(r.paper.halted);
            ck_assert(!r.robot.report.motors_may_run);
        }
    }
}
END_TEST

START_TEST(a_halt_that_the_port_no_longer_has_becomes_another) {
    ideal r;
    cmo_advance_state advance;
    start_ideal(&r, PLAIN_TRAITS);
    cmo_advance_parameters p = {.distance_mm = 100, .halt = CMO_HALT_HOLD};
    ck_assert_int_eq(cmo_advance_start(&r.robot, &advance, &p), CMO_RUNNING);
    r.paper.port.traits = (uint16_t)(PLAIN_TRAITS & ~(CMO_TRAIT_HOLD | CMO_TRAIT_BRAKE));
    ck_assert_int_eq(run_ideal(&r, CMO_RUNNING, 500), CMO_OUTCOME_DONE);
    ck_assert_int_eq(r.paper.last_halt, CMO_HALT_COAST);
}
END_TEST

START_TEST(motors_that_cannot_keep_up_are_waited_for) {
    ideal r;
    cmo_advance_state advance;
    start_ideal(&r, PLAIN_TRAITS);
    r.fastest_mm_s = 150; // a worn battery
    cmo_advance_parameters p = {.distance_mm = 900, .speed_mm_s = 500, .longest_ms = 20000};
    ck_assert_int_eq(run_ideal(&r, cmo_advance_start(&r.robot, &advance, &p), 1000),
                     CMO_OUTCOME_DONE);
    ck_assert_double_eq_tol(r.left_mm, 900, 1.1);
    ck_assert_double_le(figure(&r.robot, CMO_OVERSHOOT_MM), 1);
}
END_TEST

// ----------------------------------------------------------------------------------------- time --

START_TEST(no_limit_is_too_long_for_the_clock) {
    ideal r;
    cmo_advance_state advance;
    start_ideal(&r, PLAIN_TRAITS);
    r.description.slowest_mm_s = 0;
    r.description.tick_us = 25000;
    // Longer than the port's clock counts; the wheels are held by hand, softly enough to count.
    cmo_advance_parameters p = {
        .distance_mm = 20000, .speed_mm_s = 4.0F, .longest_ms = 80 * 60 * 1000};
    ck_assert_int_eq(cmo_advance_start(&r.robot, &advance, &p), CMO_RUNNING);
    cmo_outcome outcome = CMO_RUNNING;
    unsigned ticks = 0;
    while (outcome == CMO_RUNNING && ticks < 81U * 60 * 40) {
        outcome = turn(&r, 25000);
        if (ticks % 40 == 0 && r.left_mm > 100.0) { // pushed back
            r.left_mm -= 0.5;
            r.right_mm -= 0.5;
        }
        ticks++;
    }
    ck_assert_int_eq(outcome, CMO_OUTCOME_TIME_OVER);
    ck_assert_double_eq_tol(ticks / 40.0, 80 * 60, 0.1);
    ck_assert(r.paper.halted);
}
END_TEST

START_TEST(a_patrol_that_is_pushed_on_ends_all_the_same) {
    ideal r;
    cmo_stay_inside_state stay;
    start_ideal(&r, PLAIN_TRAITS);
    cmo_stay_inside_parameters p = {.convex = true};
    ck_assert_int_eq(cmo_stay_inside_start(&r.robot, &stay, &p), CMO_RUNNING);
    for (int i = 0; i < 50; i++) {
        ck_assert_int_eq(turn(&r, 10000), CMO_RUNNING);
    }
    r.pushed_mm = 1.0; // 100 mm/s: it never seems to stand
    cmo_stay_inside_end(&stay);
    unsigned ticks = 0;
    while (turn(&r, 10000) == CMO_RUNNING) {
        ck_assert_uint_lt(++ticks, 400); // well before its time limit and the grace after it
    }
    ck_assert_int_eq(r.robot.report.outcome, CMO_OUTCOME_DONE);
    ck_assert(r.paper.halted);
}
END_TEST

START_TEST(every_routine_ends_by_its_limit_where_the_encoders_never_answer) {
    ideal r;
    cmo_check_wiring_state wiring;
    cmo_advance_state advance;
    start_ideal(&r, PLAIN_TRAITS);
    r.paper.sample.have = 0;
    cmo_check_wiring_parameters w = {.longest_ms = 700};
    cmo_outcome outcome = run_ideal(&r, cmo_check_wiring_start(&r.robot, &wiring, &w), 100);
    ck_assert_int_ne(outcome, CMO_RUNNING);
    outcome = run_ideal(&r, cmo_advance_start(&r.robot, &advance, &near), 100);
    ck_assert_int_eq(outcome, CMO_OUTCOME_ENCODER_SILENT);
    ck_assert(r.paper.halted);
}
END_TEST

START_TEST(a_pause_between_two_routines_is_no_fault_of_the_next) {
    static const uint32_t pauses_ms[] = {100, 500, 1280, 1500, 2000, 2500, 2560, 4000, 60000};
    for (size_t i = 0; i < G_N_ELEMENTS(pauses_ms); i++) {
        ideal r;
        cmo_line_state state;
        cmo_line_parameters p = {.cruise_mm_s = 200};
        start_ideal(&r, PLAIN_TRAITS);
        for (int line = 0; line < 2; line++) {
            r.line_mm = r.left_mm + 70.0 + 200.0;
            cmo_outcome outcome =
                run_ideal(&r, cmo_drive_until_line_start(&r.robot, &state, &p), 500);
            ck_assert_msg(outcome == CMO_OUTCOME_DONE, "after %u ms: %s", pauses_ms[i],
                          cmo_outcome_name(outcome));
            ck_assert_double_lt(figure(&r.robot, CMO_ELAPSED_MS), 2500);
            // The sensors go on meanwhile; nobody asks them.
            r.paper.clock_us += 1000 * pauses_ms[i];
            r.sequence = (uint8_t)(r.sequence + pauses_ms[i] / 10);
        }
    }
}
END_TEST

START_TEST(after_a_pause_at_speed_it_starts_from_a_standstill) {
    ideal r;
    cmo_advance_state advance;
    start_ideal(&r, PLAIN_TRAITS);
    cmo_advance_parameters p = {.distance_mm = 200, .speed_mm_s = 400, .ending = CMO_END_MOVING};
    ck_assert_int_eq(run_ideal(&r, cmo_advance_start(&r.robot, &advance, &p), 500),
                     CMO_OUTCOME_DONE);
    ck_assert_float_gt(cmo_speed_mm_s(&r.robot), 350);
    r.paper.clock_us += 100000; // the last command has run out
    r.paper.left = r.paper.right = 0;
    ck_assert_int_eq(cmo_advance_start(&r.robot, &advance, &near), CMO_RUNNING);
    turn(&r, 10000);
    ck_assert_float_le(fabsf(cmo_speed_mm_s(&r.robot)), 100); // it may have rolled on a little
    ck_assert_int_eq(run_ideal(&r, CMO_RUNNING, 500), CMO_OUTCOME_DONE);
}
END_TEST

START_TEST(after_an_encoder_jump_the_next_routine_works) {
    ideal r;
    cmo_advance_state advance;
    start_ideal(&r, PLAIN_TRAITS);
    ck_assert_int_eq(cmo_advance_start(&r.robot, &advance, &far), CMO_RUNNING);
    for (int i = 0; i < 20; i++) {
        ck_assert_int_eq(turn(&r, 10000), CMO_RUNNING);
    }
    r.left_mm += 2500;
    ck_assert_int_eq(turn(&r, 10000), CMO_OUTCOME_ENCODER_JUMP);
    ck_assert(r.paper.halted);
    ck_assert_int_eq(run_ideal(&r, cmo_advance_start(&r.robot, &advance, &near), 500),
                     CMO_OUTCOME_DONE);
    ck_assert_double_eq_tol(figure(&r.robot, CMO_TRAVELLED_MM), 50, 1.1);
}
END_TEST

START_TEST(an_encoder_that_dithers_at_a_standstill_does_not_keep_it_waiting) {
    for (int effort = CMO_EFFORT_NORMAL; effort <= CMO_EFFORT_FINE; effort++) {
        ideal r;
        cmo_line_state state;
        start_ideal(&r, PLAIN_TRAITS);
        r.line_mm = 300;
        r.dithers = true;
        cmo_line_parameters p = {
            .rest = CMO_REST_NEAR_EDGE, .effort = (cmo_effort)effort, .cruise_mm_s = 200};
        cmo_outcome outcome = run_ideal(&r, cmo_stop_on_line_start(&r.robot, &state, &p), 1000);
        ck_assert_int_eq(outcome, CMO_OUTCOME_DONE);
        ck_assert_double_eq_tol(r.left_mm + 70.0, 300, effort == CMO_EFFORT_QUICK ? 15 : 2);
    }
}
END_TEST

int main(void) {
    const TTest *const tests[] = {a_halt_that_failed_goes_on_in_the_routines_after_it,
                                  a_halt_that_never_succeeds_lets_the_next_routine_end_in_time,
                                  the_wiring_check_halts_at_its_limit,
                                  an_abort_between_two_routines_ends_the_next_and_no_further_one,
                                  an_action_may_halt_and_goes_on,
                                  drive_commands_that_are_never_taken_are_no_way,
                                  a_drive_that_fails_ends_the_routine_halted,
                                  a_halt_that_the_port_no_longer_has_becomes_another,
                                  motors_that_cannot_keep_up_are_waited_for,
                                  no_limit_is_too_long_for_the_clock,
                                  a_patrol_that_is_pushed_on_ends_all_the_same,
                                  every_routine_ends_by_its_limit_where_the_encoders_never_answer,
                                  a_pause_between_two_routines_is_no_fault_of_the_next,
                                  after_a_pause_at_speed_it_starts_from_a_standstill,
                                  after_an_encoder_jump_the_next_routine_works,
                                  an_encoder_that_dithers_at_a_standstill_does_not_keep_it_waiting,
                                  NULL};
    return run_suite("endings", tests);
}
