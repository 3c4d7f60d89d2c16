// SPDX-License-Identifier: GPL-3.0-or-later
// What a port may hand over beside plain looks and counts, written by hand sample by sample.
#include "support.h"

#include <math.h>

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
    ck_assert_double_eq_tol((double)cmo_turned_rad(&robot) * 180 / G_PI, 25, 0.1);
}
END_TEST

// A comparator latches a crossing between two looks that are far apart: without the latch its place
// would be a guess between them.
static float latched_at(cmo_tone tone, bool latches, float *worst_ms) {
    paper_port paper;
    cmo_robot robot;
    cmo_line_state state;
    bool dark = tone == CMO_TONE_DARK;
    cmo_levels levels = {.dark = 100, .light = 700, .void_counts = CMO_LEVEL_UNKNOWN, .noise = 6};
    cmo_robot_description description = plain_robot;
    description.light[0].interval_us = description.light[1].interval_us = 50000;
    start_paper(&paper, PLAIN_TRAITS);
    ck_assert_int_eq(cmo_robot_start(&robot, &description, &paper.port), CMO_OUTCOME_DONE);
    cmo_robot_set_levels(&robot, 0, &levels);
    cmo_line_parameters parameters = {.tone = tone,
                                      .sensor = CMO_SENSOR_LEFT,
                                      .cruise_mm_s = 200,
                                      .least_width_mm = 15,
                                      .too_fast = CMO_TOO_FAST_SLOW,
                                      .ending = CMO_END_MOVING};
    ck_assert_int_eq(cmo_drive_until_line_start(&robot, &state, &parameters), CMO_RUNNING);
    cmo_outcome outcome = CMO_RUNNING;
    for (int i = 1; i < 300 && outcome == CMO_RUNNING; i++) { // 2 mm, four counts, a tick
        paper.clock_us += 10000;
        paper.sample.encoders.left = paper.sample.encoders.right = (uint32_t)(4 * i);
        bool looks = i % 5 == 0;
        paper.sample.light[0].looks = looks;
        bool in = i >= 101;
        paper.sample.light[0].look[0] = (cmo_look){.time_us = paper.clock_us,
                                                   .counts = in == dark ? 100 : 700,
                                                   .sequence = (uint8_t)(i / 5)};
        // Caught 4 ms before the tick: at 101 ticks' way less 0.8 mm.
        paper.sample.light[0].latched = latches && i >= 101;
        if (i == 101) {
            paper.sample.light[0].latch = (cmo_latch){paper.clock_us - 4000, 402, 402, 1, dark};
        }
        outcome = cmo_tick(&robot);
    }
    ck_assert_int_eq(outcome, CMO_OUTCOME_DONE);
    *worst_ms = robot.report.figure[CMO_LOOK_INTERVAL_WORST_MS];
    return robot.report.crossing_mm;
}

START_TEST(a_crossing_latched_by_an_interrupt_is_placed_where_it_was_latched) {
    for (int tone = CMO_TONE_DARK; tone <= CMO_TONE_LIGHT; tone++) {
        float worst_ms;
        float latched = latched_at((cmo_tone)tone, true, &worst_ms);
        ck_assert_float_eq_tol(latched, 101 * 2 - 0.8F - 2, 0.3F);
        // The look before the latch comes after it: that is no interval of an hour.
        ck_assert_float_le(worst_ms, 60.0F);
        float guessed = latched_at((cmo_tone)tone, false, &worst_ms);
        ck_assert_float_gt(fabsf(guessed - latched), 1.0F);
    }
}
END_TEST

// A port may hand over a look late.
START_TEST(a_look_older_than_the_newest_changes_nothing) {
    paper_port paper;
    cmo_robot robot;
    cmo_line_state state;
    cmo_levels levels = {.dark = 100, .light = 700, .void_counts = CMO_LEVEL_UNKNOWN, .noise = 6};
    start_paper(&paper, PLAIN_TRAITS);
    ck_assert_int_eq(cmo_robot_start(&robot, &plain_robot, &paper.port), CMO_OUTCOME_DONE);
    cmo_robot_set_levels(&robot, 0, &levels);
    cmo_line_parameters parameters = {.sensor = CMO_SENSOR_LEFT, .cruise_mm_s = 200};
    ck_assert_int_eq(cmo_drive_until_line_start(&robot, &state, &parameters), CMO_RUNNING);
    uint8_t sequence = 0;
    for (int i = 1; i < 100; i++) {
        paper.clock_us += 10000;
        paper.sample.encoders.left = paper.sample.encoders.right = (uint32_t)(4 * i);
        paper.sample.light[0].looks = 2;
        // Handed over late: the second is of 30 ms before the first.
        paper.sample.light[0].look[0] =
            (cmo_look){.time_us = paper.clock_us, .counts = 700, .sequence = ++sequence};
        paper.sample.light[0].look[1] =
            (cmo_look){.time_us = paper.clock_us - 30000, .counts = 100, .sequence = ++sequence};
        ck_assert_int_eq(cmo_tick(&robot), CMO_RUNNING);
        ck_assert_float_eq_tol(robot.light[0].reflectance, 1.0F, 1e-3F);
    }
    ck_assert_uint_eq(robot.light[0].interval_worst_us, 10000);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {a_heading_that_is_set_anew_is_not_taken_for_a_turn,
                                  a_crossing_latched_by_an_interrupt_is_placed_where_it_was_latched,
                                  a_look_older_than_the_newest_changes_nothing, NULL};
    return run_suite("inputs", tests);
}
