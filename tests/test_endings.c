// SPDX-License-Identifier: GPL-3.0-or-later
// How routines end: halted, in time, and so that the next one starts well, whatever the port does.
#include "support.h"

#include <math.h>
#include <string.h>

// A robot on paper whose wheels do at once as they are told, on a floor with a dark line.
typedef struct ideal {
    paper_port paper;
    cmo_robot_description description;
    cmo_robot robot;
    double left_mm, right_mm;
    double line_mm, width_mm; // along the spots' way
    unsigned ticks;
    double fastest_mm_s;   // that the motors can; 0: as fast as they are told
    double drive_fails_mm; // from there on drive commands fail; 0: never
    double floor_counts;   // that the floor reads; 0: as the levels say
    double pushed_mm;      // by another robot, in each tick
    bool dithers;          // the left encoder stands on the brink of a count
    uint8_t sequence;
} ideal;

static void start_ideal(ideal *r, uint16_t traits) {
    memset(r, 0, sizeof *r);
    start_paper(&r->paper, traits);
    r->description = plain_robot;
    r->description.lag_ms = 0;
    r->line_mm = 1e9;
    r->width_mm = 20;
    ck_assert_int_eq(cmo_robot_start(&r->robot, &r->description, &r->paper.port), CMO_OUTCOME_DONE);
    cmo_levels levels = {.dark = 100, .light = 700, .void_counts = CMO_LEVEL_UNKNOWN, .noise = 4};
    for (uint8_t i = 0; i < 2; i++) {
        ck_assert_int_eq(cmo_robot_set_levels(&r->robot, i, &levels), CMO_OUTCOME_DONE);
    }
}

// What a spot reads whose middle is at a place.
static uint16_t reading(const ideal *r, double place_mm) {
    double spot = (double)r->description.light[0].spot_mm;
    double in = fmin(place_mm + 0.5 * spot, r->line_mm + r->width_mm) -
                fmax(place_mm - 0.5 * spot, r->line_mm);
    double floor = r->floor_counts > 0.0 ? r->floor_counts : 700.0;
    return (uint16_t)(floor + (100.0 - floor) * fmax(0.0, fmin(in / spot, 1.0)) + 0.5);
}

// One turn of the loop, `us` after the last one.
static cmo_outcome turn(ideal *r, uint32_t us) {
    paper_port *p = &r->paper;
    bool drives = p->drives > 0 && !p->halted && r->robot.halt == 0 && p->drive_answer == CMO_OK;
    double s = us * 1e-6;
    double most = r->fastest_mm_s > 0.0 ? r->fastest_mm_s : 1e9;
    r->left_mm += drives ? CLAMP((double)p->left, -most, most) * s : 0.0;
    r->right_mm += drives ? CLAMP((double)p->right, -most, most) * s : 0.0;
    if (r->drive_fails_mm > 0.0 && r->left_mm >= r->drive_fails_mm) {
        p->drive_answer = CMO_FAILED;
    }
    r->left_mm += r->pushed_mm;
    r->right_mm += r->pushed_mm;
    p->clock_us += us;
    r->ticks++;
    p->sample.encoders.left =
        (uint32_t)(int32_t)floor(r->left_mm / 0.5) + (r->dithers && r->ticks & 1U);
    p->sample.encoders.right = (uint32_t)(int32_t)floor(r->right_mm / 0.5);
    r->sequence++;
    for (int i = 0; i < 2; i++) {
        double place = (i == 0 ? r->left_mm : r->right_mm) + 70.0;
        p->sample.light[i].looks = 1;
        p->sample.light[i].look[0] =
            (cmo_look){p->clock_us + 10000, reading(r, place), r->sequence};
    }
    return cmo_tick(&r->robot);
}

static cmo_outcome run_ideal(ideal *r, cmo_outcome started, unsigned most_ticks) {
    ck_assert_int_eq(started, CMO_RUNNING);
    cmo_outcome outcome = CMO_RUNNING;
    for (unsigned i = 0; i < most_ticks && outcome == CMO_RUNNING; i++) {
        outcome = turn(r, r->description.tick_us);
    }
    return outcome;
}

static const cmo_travel_parameters far = {.distance_mm = 10000};
static const cmo_travel_parameters near = {.distance_mm = 50};

// ---------------------------------------------------------------------------------------- halts --

START_TEST(a_halt_that_failed_goes_on_in_the_routines_after_it) {
    ideal r;
    cmo_travel_state travel;
    start_ideal(&r, PLAIN_TRAITS);
    r.paper.halt_answer = CMO_NOT_YET;
    ck_assert_int_eq(cmo_travel_start(&r.robot, &travel, &far), CMO_RUNNING);
    for (int i = 0; i < 20; i++) {
        turn(&r, 10000);
    }
    cmo_abort(&r.robot);
    ck_assert_int_eq(turn(&r, 10000), CMO_OUTCOME_ABORTED);
    ck_assert(r.robot.report.motors_may_run);
    unsigned drives = r.paper.drives;
    ck_assert_int_eq(cmo_travel_start(&r.robot, &travel, &near), CMO_RUNNING);
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
    cmo_travel_state travel;
    start_ideal(&r, PLAIN_TRAITS);
    r.paper.halt_answer = CMO_FAILED;
    cmo_travel_parameters p = {.distance_mm = 100, .longest_ms = 300};
    ck_assert_int_eq(run_ideal(&r, cmo_travel_start(&r.robot, &travel, &p), 100),
                     CMO_OUTCOME_TIME_OVER);
    ck_assert_int_eq(run_ideal(&r, cmo_travel_start(&r.robot, &travel, &p), 100),
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
    cmo_travel_state travel;
    start_ideal(&r, PLAIN_TRAITS);
    turn(&r, 10000);
    cmo_abort(&r.robot);
    ck_assert_int_eq(run_ideal(&r, cmo_travel_start(&r.robot, &travel, &near), 500),
                     CMO_OUTCOME_ABORTED);
    ck_assert_uint_eq(r.paper.drives, 0);
    ck_assert(r.paper.halted);
    ck_assert_int_eq(run_ideal(&r, cmo_travel_start(&r.robot, &travel, &near), 500),
                     CMO_OUTCOME_DONE);
    // Halted by hand: that ends the routine, too.
    ck_assert_int_eq(cmo_travel_start(&r.robot, &travel, &far), CMO_RUNNING);
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
    cmo_travel_state travel;
    start_ideal(&r, (uint16_t)(PLAIN_TRAITS & ~CMO_TRAIT_ENCODERS));
    r.paper.drive_answer = CMO_NOT_YET;
    cmo_travel_parameters p = {.distance_mm = 300};
    ck_assert_int_eq(run_ideal(&r, cmo_travel_start(&r.robot, &travel, &p), 1000),
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
            cmo_travel_state travel;
            start_ideal(&r, PLAIN_TRAITS);
            r.drive_fails_mm = places[i] - (ending == CMO_END_HALTED);
            cmo_travel_parameters p = {.distance_mm = 300, .ending = (cmo_ending)ending};
            ck_assert_int_eq(run_ideal(&r, cmo_travel_start(&r.robot, &travel, &p), 500),
                             CMO_OUTCOME_PORT_FAILED);
            ck_assert(r.paper.halted);
            ck_assert(!r.robot.report.motors_may_run);
        }
    }
}
END_TEST

START_TEST(a_halt_that_the_port_no_longer_has_becomes_another) {
    ideal r;
    cmo_travel_state travel;
    start_ideal(&r, PLAIN_TRAITS);
    cmo_travel_parameters p = {.distance_mm = 100, .halt = CMO_HALT_HOLD};
    ck_assert_int_eq(cmo_travel_start(&r.robot, &travel, &p), CMO_RUNNING);
    r.paper.port.traits = (uint16_t)(PLAIN_TRAITS & ~(CMO_TRAIT_HOLD | CMO_TRAIT_BRAKE));
    ck_assert_int_eq(run_ideal(&r, CMO_RUNNING, 500), CMO_OUTCOME_DONE);
    ck_assert_int_eq(r.paper.last_halt, CMO_HALT_COAST);
}
END_TEST

START_TEST(motors_that_cannot_keep_up_are_waited_for) {
    ideal r;
    cmo_travel_state travel;
    start_ideal(&r, PLAIN_TRAITS);
    r.fastest_mm_s = 150; // a worn battery
    cmo_travel_parameters p = {.distance_mm = 900, .speed_mm_s = 500, .longest_ms = 20000};
    ck_assert_int_eq(run_ideal(&r, cmo_travel_start(&r.robot, &travel, &p), 1000),
                     CMO_OUTCOME_DONE);
    ck_assert_double_eq_tol(r.left_mm, 900, 1.1);
    ck_assert_double_le(figure(&r.robot, CMO_OVERSHOOT_MM), 1);
}
END_TEST

// ----------------------------------------------------------------------------------------- time --

START_TEST(no_limit_is_too_long_for_the_clock) {
    ideal r;
    cmo_travel_state travel;
    start_ideal(&r, PLAIN_TRAITS);
    r.description.slowest_mm_s = 0;
    r.description.tick_us = 25000;
    // Longer than the port's clock counts; the wheels are held by hand, softly enough to count.
    cmo_travel_parameters p = {
        .distance_mm = 20000, .speed_mm_s = 4.0F, .longest_ms = 80 * 60 * 1000};
    ck_assert_int_eq(cmo_travel_start(&r.robot, &travel, &p), CMO_RUNNING);
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
    cmo_stay_state stay;
    start_ideal(&r, PLAIN_TRAITS);
    cmo_stay_parameters p = {.convex = true};
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
    cmo_travel_state travel;
    start_ideal(&r, PLAIN_TRAITS);
    r.paper.sample.have = 0;
    cmo_check_wiring_parameters w = {.longest_ms = 700};
    cmo_outcome outcome = run_ideal(&r, cmo_check_wiring_start(&r.robot, &wiring, &w), 100);
    ck_assert_int_ne(outcome, CMO_RUNNING);
    outcome = run_ideal(&r, cmo_travel_start(&r.robot, &travel, &near), 100);
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
    cmo_travel_state travel;
    start_ideal(&r, PLAIN_TRAITS);
    cmo_travel_parameters p = {.distance_mm = 200, .speed_mm_s = 400, .ending = CMO_END_MOVING};
    ck_assert_int_eq(run_ideal(&r, cmo_travel_start(&r.robot, &travel, &p), 500), CMO_OUTCOME_DONE);
    ck_assert_float_gt(cmo_speed_mm_s(&r.robot), 350);
    r.paper.clock_us += 100000; // the last command has run out
    r.paper.left = r.paper.right = 0;
    ck_assert_int_eq(cmo_travel_start(&r.robot, &travel, &near), CMO_RUNNING);
    turn(&r, 10000);
    ck_assert_float_le(fabsf(cmo_speed_mm_s(&r.robot)), 100); // it may have rolled on a little
    ck_assert_int_eq(run_ideal(&r, CMO_RUNNING, 500), CMO_OUTCOME_DONE);
}
END_TEST

START_TEST(after_an_encoder_jump_the_next_routine_works) {
    ideal r;
    cmo_travel_state travel;
    start_ideal(&r, PLAIN_TRAITS);
    ck_assert_int_eq(cmo_travel_start(&r.robot, &travel, &far), CMO_RUNNING);
    for (int i = 0; i < 20; i++) {
        ck_assert_int_eq(turn(&r, 10000), CMO_RUNNING);
    }
    r.left_mm += 2500;
    ck_assert_int_eq(turn(&r, 10000), CMO_OUTCOME_ENCODER_JUMP);
    ck_assert(r.paper.halted);
    ck_assert_int_eq(run_ideal(&r, cmo_travel_start(&r.robot, &travel, &near), 500),
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

// ------------------------------------------------------------------------------------- defaults --

START_TEST(defaults_suit_a_robot_that_can_only_drive_fast) {
    ideal r;
    start_ideal(&r, PLAIN_TRAITS);
    r.description.top_speed_mm_s = 100;
    r.description.slowest_mm_s = 60;
    union {
        cmo_travel_state travel;
        cmo_line_state line;
        cmo_square_state square;
        cmo_check_wiring_state wiring;
    } state;
    ck_assert_int_eq(cmo_travel_start(&r.robot, &state.travel, &near), CMO_RUNNING);
    ck_assert_ptr_null(r.robot.field);
    cmo_halt_now(&r.robot, CMO_HALT_DEFAULT);
    ck_assert_int_eq(
        cmo_rotate_start(&r.robot, &state.travel, &(cmo_rotate_parameters){.angle_deg = 90}),
        CMO_RUNNING);
    cmo_halt_now(&r.robot, CMO_HALT_DEFAULT);
    ck_assert_int_eq(cmo_stop_on_line_start(&r.robot, &state.line, &(cmo_line_parameters){0}),
                     CMO_RUNNING);
    cmo_halt_now(&r.robot, CMO_HALT_DEFAULT);
    ck_assert_int_eq(cmo_square_on_line_start(&r.robot, &state.square, &(cmo_square_parameters){0}),
                     CMO_RUNNING);
    cmo_halt_now(&r.robot, CMO_HALT_DEFAULT);
    ck_assert_int_eq(
        cmo_check_wiring_start(&r.robot, &state.wiring, &(cmo_check_wiring_parameters){0}),
        CMO_RUNNING);
}
END_TEST

START_TEST(a_refusal_is_forgotten_by_a_good_start) {
    ideal r;
    cmo_travel_state travel;
    start_ideal(&r, PLAIN_TRAITS);
    ck_assert_int_eq(
        cmo_travel_start(&r.robot, &travel,
                         &(cmo_travel_parameters){.distance_mm = 9, .speed_mm_s = 1e4F}),
        CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(r.robot.field, "speed_mm_s");
    ck_assert_float_eq(r.robot.limit, 700.0F);
    ck_assert_int_eq(cmo_travel_start(&r.robot, &travel, &near), CMO_RUNNING);
    ck_assert_ptr_null(r.robot.field);
    ck_assert(isnan(r.robot.limit));
}
END_TEST

START_TEST(a_robot_that_was_refused_does_nothing) {
    paper_port paper;
    cmo_robot robot;
    cmo_travel_state travel;
    start_paper(&paper, PLAIN_TRAITS);
    cmo_robot_description bad = plain_robot;
    bad.lifetime_us = 15000;
    ck_assert_int_eq(cmo_robot_start(&robot, &bad, &paper.port), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(robot.field, "lifetime_us");
    ck_assert_float_eq(robot.limit, 20000.0F);
    ck_assert_int_eq(cmo_travel_start(&robot, &travel, &near), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(robot.field, "robot");
    ck_assert_int_eq(cmo_tick(&robot), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_int_eq(cmo_run(&robot), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_int_eq(cmo_halt_now(&robot, CMO_HALT_DEFAULT), CMO_FAILED);
    union {
        cmo_line_state line;
        cmo_square_state square;
        cmo_stay_state stay;
        cmo_check_wiring_state wiring;
        cmo_measure_geometry_state geometry;
        cmo_take_levels_state levels;
        cmo_action_state action;
        cmo_countdown_state countdown;
    } s;
    uint8_t bytes[64];
    int refused = 0;
    const cmo_outcome bad_parameter = CMO_OUTCOME_BAD_PARAMETER;
    refused += cmo_rotate_start(&robot, &travel, &(cmo_rotate_parameters){0}) == bad_parameter;
    refused +=
        cmo_drive_until_line_start(&robot, &s.line, &(cmo_line_parameters){0}) == bad_parameter;
    refused += cmo_stop_on_line_start(&robot, &s.line, &(cmo_line_parameters){0}) == bad_parameter;
    refused +=
        cmo_square_on_line_start(&robot, &s.square, &(cmo_square_parameters){0}) == bad_parameter;
    refused += cmo_stay_inside_start(&robot, &s.stay, &(cmo_stay_parameters){0}) == bad_parameter;
    refused += cmo_check_wiring_start(&robot, &s.wiring, &(cmo_check_wiring_parameters){0}) ==
               bad_parameter;
    refused += cmo_measure_geometry_start(&robot, &s.geometry,
                                          &(cmo_measure_geometry_parameters){0}) == bad_parameter;
    refused +=
        cmo_take_levels_start(&robot, &s.levels, &(cmo_take_levels_parameters){0}) == bad_parameter;
    refused += cmo_action_start(&robot, &s.action, &(cmo_action_parameters){0}) == bad_parameter;
    refused +=
        cmo_countdown_start(&robot, &s.countdown, &(cmo_countdown_parameters){0}) == bad_parameter;
    refused += cmo_load_levels(&robot, bytes, sizeof bytes) == bad_parameter;
    ck_assert_int_eq(refused, 11);
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
    cmo_stay_state stay;
    ck_assert_int_eq(
        cmo_stay_inside_start(&r.robot, &stay,
                              &(cmo_stay_parameters){.convex = true, .halt = CMO_HALT_HOLD}),
        CMO_OUTCOME_NOT_SUPPORTED);
    ck_assert_str_eq(r.robot.field, "halt");
    cmo_action_state action;
    ck_assert_int_eq(
        cmo_action_start(&r.robot, &action,
                         &(cmo_action_parameters){.function = halts_itself, .longest_ms = 600001}),
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
    ck_assert_str_eq(r.robot.field, "light.counts_min");
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

// -------------------------------------------------------------------------------------- figures --

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
    cmo_line_parameters p = {.watch = CMO_WATCH_BOTH, .cruise_mm_s = 200};
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
        cmo_square_state state;
        start_ideal(&r, PLAIN_TRAITS);
        r.line_mm = 300;
        cmo_square_parameters p = {.line.beyond_mm = beyond[i / 4],
                                   .line.rest = (cmo_rest)(i % 4),
                                   .line.cruise_mm_s = 200};
        ck_assert_int_eq(run_ideal(&r, cmo_square_on_line_start(&r.robot, &state, &p), 2000),
                         CMO_OUTCOME_DONE);
        for (unsigned f = 0; f < CMO_FIGURES; f++) {
            ck_assert(!(r.robot.report.present & CMO_FIGURE_BIT(f)) ||
                      isfinite(r.robot.report.figure[f]));
        }
    }
}
END_TEST

START_TEST(a_reaction_is_no_time_beyond_the_clock) {
    for (int late = 0; late < 3; late++) {
        ideal r;
        cmo_line_state state;
        start_ideal(&r, PLAIN_TRAITS);
        r.line_mm = 150;
        cmo_line_parameters p = {.cruise_mm_s = 200};
        ck_assert_int_eq(cmo_stop_on_line_start(&r.robot, &state, &p), CMO_RUNNING);
        cmo_outcome outcome = CMO_RUNNING;
        for (int i = 0; i < 1000 && outcome == CMO_RUNNING; i++) {
            outcome = turn(&r, 10000);
            // Looks stamped by a clock that runs ahead.
            r.paper.clock_us += 0;
            r.description.light[0].delay_us = r.description.light[1].delay_us =
                10000U * (unsigned)(1 - late / 2);
        }
        ck_assert_int_eq(outcome, CMO_OUTCOME_DONE);
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
    // A float holds this angle to 1e-4; the sum of its steps had gone wrong by 0.9.
    ck_assert_double_eq_tol((double)r.robot.odometer.pose.heading_rad, heading, 2e-3);
    ck_assert_double_eq_tol((double)r.robot.odometer.pose.x_mm, 100, 1);
    ck_assert_double_eq_tol((double)r.robot.odometer.pose.y_mm, 200, 1);
}
END_TEST

// Without encoders a roll-out is an estimate, and coasting is the longer one.
START_TEST(a_coasting_robot_is_thought_to_roll_on_for_longer) {
    float rolled[2];
    for (int i = 0; i < 2; i++) {
        ideal r;
        cmo_travel_state travel;
        start_ideal(&r, (uint16_t)(PLAIN_TRAITS & ~CMO_TRAIT_ENCODERS));
        r.description.lag_ms = 50;
        cmo_travel_parameters p = {.distance_mm = 1000, .speed_mm_s = 400};
        ck_assert_int_eq(cmo_travel_start(&r.robot, &travel, &p), CMO_RUNNING);
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
    const TTest *const tests[] = {a_halt_that_failed_goes_on_in_the_routines_after_it,
                                  a_halt_that_never_succeeds_lets_the_next_routine_end_in_time,
                                  the_wiring_check_halts_at_its_limit,
                                  an_abort_between_two_routines_ends_the_next_and_no_further_one,
                                  an_action_may_halt_and_goes_on,
                                  drive_commands_that_are_never_taken_are_no_way,
                                  a_drive_that_fails_ends_the_routine_halted,
                                  a_halt_that_the_port_no_longer_has_becomes_another,
                                  what_a_robot_cannot_do_is_refused_by_name,
                                  stored_levels_that_cannot_be_used_are_refused,
                                  no_levels_are_no_contrast,
                                  spots_behind_each_other_know_no_entry_angle,
                                  motors_that_cannot_keep_up_are_waited_for,
                                  no_limit_is_too_long_for_the_clock,
                                  a_patrol_that_is_pushed_on_ends_all_the_same,
                                  every_routine_ends_by_its_limit_where_the_encoders_never_answer,
                                  a_pause_between_two_routines_is_no_fault_of_the_next,
                                  after_a_pause_at_speed_it_starts_from_a_standstill,
                                  after_an_encoder_jump_the_next_routine_works,
                                  an_encoder_that_dithers_at_a_standstill_does_not_keep_it_waiting,
                                  defaults_suit_a_robot_that_can_only_drive_fast,
                                  a_refusal_is_forgotten_by_a_good_start,
                                  a_robot_that_was_refused_does_nothing,
                                  drive_until_line_refuses_what_only_a_stop_has,
                                  the_look_interval_is_right_after_a_long_search,
                                  no_figure_that_is_present_is_none,
                                  a_reaction_is_no_time_beyond_the_clock,
                                  the_heading_stays_with_the_wheels_for_ten_minutes,
                                  a_coasting_robot_is_thought_to_roll_on_for_longer,
                                  levels_follow_the_light_only_while_it_drives,
                                  levels_that_are_refused_are_not_written,
                                  NULL};
    return run_suite("endings", tests);
}
