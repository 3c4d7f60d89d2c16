// SPDX-License-Identifier: GPL-3.0-or-later
// What a port may hand over beside plain looks and counts, written by hand sample by sample.
#include "support.h"

START_TEST(a_heading_that_is_set_anew_is_not_taken_for_a_turn) {
    paper_port paper;
    cmo_robot robot;
    start_paper(&paper, PLAIN_TRAITS | CMO_TRAIT_HEADING);
    cmo_robot_start(&robot, &plain_robot, &paper.port);
    paper.sample.have |= CMO_HAVE_HEADING;
    static const float headings[] = {350, 355, 0, 5, 200, 205, 210};
    for (size_t i = 0; i < G_N_ELEMENTS(headings); i++) {
        paper.clock_us += 10000;
        paper.sample.heading_deg = headings[i];
        cmo_tick(&robot);
    }
    ck_assert_double_eq_tol((double)cmo_turn_rad(&robot) * 180 / G_PI, 25, 0.1);
}
END_TEST

// A comparator latches the crossing between two looks: its place is the latch's.
START_TEST(a_crossing_latched_by_an_interrupt_is_placed_where_it_was_latched) {
    paper_port paper;
    cmo_robot robot;
    cmo_line_state state;
    cmo_levels levels = {100, 700, CMO_LEVEL_UNKNOWN, 6};
    start_paper(&paper, PLAIN_TRAITS);
    ck_assert_int_eq(cmo_robot_start(&robot, &plain_robot, &paper.port), CMO_OUTCOME_DONE);
    cmo_robot_set_levels(&robot, 0, &levels);
    cmo_line_parameters parameters = {.watch = CMO_WATCH_LEFT,
                                      .cruise_mm_s = 200,
                                      .least_width_mm = 15,
                                      .ending = CMO_END_MOVING};
    ck_assert_int_eq(cmo_drive_until_line_start(&robot, &state, &parameters), CMO_RUNNING);
    cmo_outcome outcome = CMO_RUNNING;
    for (int i = 1; i < 200 && outcome == CMO_RUNNING; i++) {
        paper.clock_us += 10000;
        paper.sample.encoders.left = paper.sample.encoders.right = (uint32_t)(4 * i);
        // A look keeps the sensor from being silent; the place comes from the latch.
        paper.sample.light[0].looks = 1;
        paper.sample.light[0].look[0] = (cmo_look){paper.clock_us, i < 52 ? 700 : 100, (uint8_t)i};
        paper.sample.light[0].latched = i >= 51;
        paper.sample.light[0].latch = (cmo_latch){paper.clock_us - 4000, 202, 202, 1, true};
        outcome = cmo_tick(&robot);
    }
    ck_assert_int_eq(outcome, CMO_OUTCOME_DONE);
    ck_assert_float_eq_tol(robot.report.crossing_mm, (float)(51 * 2 - 0.8 - 2), 0.2F);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {a_heading_that_is_set_anew_is_not_taken_for_a_turn,
                                  a_crossing_latched_by_an_interrupt_is_placed_where_it_was_latched,
                                  NULL};
    return run_suite("inputs", tests);
}
