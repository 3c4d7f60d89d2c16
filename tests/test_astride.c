// SPDX-License-Identifier: GPL-3.0-or-later
// A line between both sensors: followed astride, joined, and what ends that.
#include "leg_runs.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

// The demo robot with its sensors so far apart.
static void write_apart(const char *name, double apart_mm) {
    char *text;
    ck_assert(g_file_get_contents(SOURCE_DIR "/data/ferry/mozzo.yaml", &text, NULL, NULL));
    GString *robot = g_string_new(text);
    char *left = g_strdup_printf("left_mm: %g\n", 0.5 * apart_mm);
    char *right = g_strdup_printf("left_mm: %g\n", -0.5 * apart_mm);
    ck_assert_uint_eq(g_string_replace(robot, "left_mm: 45\n", left, 0), 1);
    ck_assert_uint_eq(g_string_replace(robot, "left_mm: -45\n", right, 0), 1);
    write_file(name, robot->str);
    g_free(left);
    g_free(right);
    g_string_free(robot, TRUE);
    g_free(text);
}

// A line whose middle is so far to the left of the robot's at the start, and begins 10 mm behind
// the sensors; it goes along `rest`. And more beside it.
static void write_line(double width_mm, double off_mm, const char *rest, const char *more) {
    char *shapes = g_strdup_printf("<g class='line' fill='none' stroke='" DARK "'>"
                                   "<path stroke-width='%g' d='M 210 %g %s'/>%s</g>",
                                   width_mm, 800.0 - off_mm, rest, more);
    write_runs_floor(FLOOR, shapes);
    g_free(shapes);
}

static JsonObject *follow(const char *robot, const char *parameters, double heading_deg, int status,
                          unsigned seed) {
    char *leg = g_strdup_printf("  - follow_edge: {edge: both, %s}", parameters);
    JsonObject *result = drive_legs(robot, leg, heading_deg, status, seed, 1);
    g_free(leg);
    return result;
}

// Nearer to each other than the line is wide, as far apart, and further: there each may see nothing
// for long.
static const struct {
    const char *robot;
    double apart_mm;
    double worst_mm; // so far off the middle it keeps
} robots[] = {
    {"near.yaml", 12, 8}, {"same.yaml", 20, 8}, {"wider.yaml", 24, 9}, {"far.yaml", 40, 20}};

START_TEST(it_goes_astride_around_bends) {
    write_line(20, 2, BENDS, "");
    for (size_t i = 0; i < G_N_ELEMENTS(robots); i++) {
        write_apart(robots[i].robot, robots[i].apart_mm);
        for (unsigned seed = 1; seed <= SEEDS(2); seed++) {
            JsonObject *leg = follow(robots[i].robot, "width_mm: 20, distance_mm: 1150",
                                     2.0 * seed - 3.0, 0, seed);
            ck_assert_str_eq(outcome_of(leg), "done");
            double worst = figure_of(leg, "truth", "edge_worst_mm");
            ck_assert_msg(worst <= robots[i].worst_mm, "%s, seed %u: %g mm off", robots[i].robot,
                          seed, worst);
            ck_assert_double_eq_tol(figure_of(leg, "robot", "edge_rms_mm"),
                                    figure_of(leg, "truth", "edge_rms_mm"), 3.0);
            ck_assert_double_ge(figure_of(leg, "truth", "mean_speed_mm_s"), 120);
        }
    }
    // The middle counts, not the edges: they are both 10 mm off that.
    JsonObject *leg =
        follow("same.yaml", "width_mm: 20, cruise_mm_s: 120, distance_mm: 1150", 0, 0, 4);
    ck_assert_double_le(figure_of(leg, "truth", "edge_rms_mm"), 1.5);
}
END_TEST

START_TEST(it_joins_from_beside) {
    for (size_t i = 0; i < G_N_ELEMENTS(robots); i += EACH) {
        write_apart(robots[i].robot, robots[i].apart_mm);
        for (unsigned n = 0; n < 3; n++) {
            double side = n % 2 == 0 ? 1.0 : -1.0;
            write_line(20, side * (110.0 + 10.0 * n), "h 1600", "");
            JsonObject *leg = follow(robots[i].robot, "width_mm: 20, distance_mm: 700",
                                     side * (30.0 + 10.0 * n), 0, 1 + n);
            ck_assert_str_eq(outcome_of(leg), "done");
            ck_assert_double_le(figure_of(leg, "truth", "joined_mm"), 350);
            ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 16);
        }
    }
}
END_TEST

START_TEST(it_finds_the_line_from_amid_it) {
    // Far apart, neither sensor sees a thing at first.
    write_apart("far.yaml", 40);
    for (int off = -6; off <= 6; off += 3 * (int)EACH) {
        write_line(20, off, "h 1600", "");
        JsonObject *leg = follow("far.yaml", "width_mm: 20, distance_mm: 800", 0.7 * off, 0, 5);
        ck_assert_str_eq(outcome_of(leg), "done");
        ck_assert_double_le(figure_of(leg, "robot", "joined_mm"), 350);
    }
}
END_TEST

START_TEST(it_halts_where_the_line_ends_and_goes_over_gaps) {
    for (size_t i = 0; i < G_N_ELEMENTS(robots); i += EACH) {
        write_apart(robots[i].robot, robots[i].apart_mm);
        write_line(20, 0, "h 500", "");
        JsonObject *leg = follow(robots[i].robot, "width_mm: 20, distance_mm: 1500", 1, 1, 1);
        ck_assert_str_eq(outcome_of(leg), "edge_lost");
        ck_assert_double_le(figure_of(leg, "truth", "travelled_mm"), 500 + 350);
        write_line(20, 0, "h 500 m 50 0 h 800", "");
        leg = follow(robots[i].robot, "width_mm: 20, gap_mm: 60, distance_mm: 1000", 1, 0, 1);
        ck_assert_str_eq(outcome_of(leg), "done");
    }
}
END_TEST

#define ACROSS "<path stroke-width='20' d='M 1010 650 V 950'/>" // its near edge 780 mm ahead

START_TEST(it_ends_on_a_line_across_or_goes_over_it) {
    for (size_t i = 1; i < G_N_ELEMENTS(robots); i += EACH) {
        write_apart(robots[i].robot, robots[i].apart_mm);
        write_line(20, 0, "h 1600", ACROSS);
        JsonObject *leg = follow(robots[i].robot, "width_mm: 20, across: end", 1, 0, 2);
        ck_assert_str_eq(outcome_of(leg), "done");
        ck_assert_double_ge(figure_of(leg, "truth", "travelled_mm"), 780);
        ck_assert_double_le(figure_of(leg, "truth", "travelled_mm"), 780 + 40);
        leg = follow(robots[i].robot, "width_mm: 20, distance_mm: 1100", 1, 0, 2);
        ck_assert_str_eq(outcome_of(leg), "done");
        ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 1100, 20);
        write_line(20, 0, "h 1600", "");
        leg = follow(robots[i].robot, "width_mm: 20, across: end, distance_mm: 900", 1, 1, 2);
        ck_assert_str_eq(outcome_of(leg), "no_line");
    }
    // Moving, over into the next leg.
    write_line(20, 0, "h 1600", ACROSS);
    JsonObject *leg = drive_legs("wider.yaml",
                                 "  - follow_edge: {edge: both, width_mm: 20, across: end, "
                                 "ending: moving}\n  - advance: {distance_mm: 100}",
                                 1, 0, 2, 1);
    ck_assert_double_le(figure_of(leg, "truth", "travelled_mm"), 780 + 25);
}
END_TEST

// Sensors that stand a little nearer than they are said to stand see both edges at once, which is
// no line across.
START_TEST(what_is_a_little_wider_than_said_lies_not_across) {
    write_apart("same.yaml", 20);
    for (unsigned seed = 1; seed <= SEEDS(4); seed++) {
        write_line(21, 0, BENDS, "");
        JsonObject *leg =
            follow("same.yaml", "width_mm: 20, across: end, distance_mm: 1150", 0, 1, seed);
        ck_assert_str_eq(outcome_of(leg), "no_line");
    }
}
END_TEST

START_TEST(a_stated_middle_takes_the_drift_out) {
    write_apart("same.yaml", 20);
    write_line(20, 0, "h 1600", "");
    for (unsigned seed = 1; seed <= SEEDS(3); seed++) {
        follow("same.yaml",
               "cruise_mm_s: 200, width_mm: 20, distance_mm: 800, place: {x_mm: 20, y_mm: 400, "
               "heading_deg: 0}",
               0, 0, seed);
        char *told = run_stands(seed);
        double off_mm, off_deg;
        ck_assert_int_eq(sscanf(told, "believes to stand %lf mm and %lf", &off_mm, &off_deg), 2);
        ck_assert_double_le(off_deg, 1.2);
        ck_assert_double_le(off_mm, 4.5);
        g_free(told);
    }
}
END_TEST

// Both spots on a floor that reads 0.83 of the level might as well touch both edges.
START_TEST(a_floor_darker_than_its_level_is_no_line) {
    write_apart("same.yaml", 20);
    for (int far = 0; far < 2; far++) {
        char *line = g_strdup_printf("<path class='line' stroke='" DARK
                                     "' stroke-width='20' d='M 210 %d h 800'/>",
                                     far == 1 ? 300 : 800);
        write_runs_floor("#c0c0c0", line);
        g_free(line);
        JsonObject *leg = follow("same.yaml", "width_mm: 20, distance_mm: 1700", 0, 1, 1);
        ck_assert_str_eq(outcome_of(leg), far == 1 ? "no_line" : "edge_lost");
    }
}
END_TEST

START_TEST(what_no_robot_can_do_is_refused) {
    static const struct {
        const char *robot, *parameters, *says;
    } cases[] = {
        {"mozzo.yaml", "distance_mm: 500", "the line's width is needed"},
        {"mozzo.yaml", "width_mm: 20", "not far from the 90 mm that the sensors are apart"},
        {"mozzo.yaml", "width_mm: 90, sensor: left", "edge: both takes both; leave it out"},
        {"near.yaml", "width_mm: 20, across: end", "amid so wide a line anyway"},
        {"near.yaml", "width_mm: 20, fork: pass", "passed by along one edge"},
    };
    write_apart("near.yaml", 12);
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        follow(cases[i].robot, cases[i].parameters, 0, 2, 1);
        ck_assert_msg(strstr(err, cases[i].says) != NULL, "%s: %s", cases[i].parameters, err);
    }
}
END_TEST

START_TEST(the_saloon_and_its_example_are_driven) {
    ck_assert_int_eq(CALL("series data/ferry/saloon.yaml --trials 12"), 0);
    ck_assert_int_eq(call(EXAMPLES "/example_follow_runner"), 0);
    ck_assert_ptr_nonnull(strstr(out, "follow_edge: done, 2.1 m at"));
}
END_TEST

int main(void) {
    begin_runs();
    const TTest *const tests[] = {it_goes_astride_around_bends,
                                  it_joins_from_beside,
                                  it_finds_the_line_from_amid_it,
                                  it_halts_where_the_line_ends_and_goes_over_gaps,
                                  it_ends_on_a_line_across_or_goes_over_it,
                                  what_is_a_little_wider_than_said_lies_not_across,
                                  a_stated_middle_takes_the_drift_out,
                                  a_floor_darker_than_its_level_is_no_line,
                                  what_no_robot_can_do_is_refused,
                                  the_saloon_and_its_example_are_driven,
                                  NULL};
    int failed = run_suite("astride", tests);
    end_runs();
    return failed;
}
