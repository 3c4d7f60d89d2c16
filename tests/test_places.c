// SPDX-License-Identifier: GPL-3.0-or-later
// Counting lines whose places are known: evenly spaced, or stated one by one.
#include "count_runs.h"

#include <math.h>
#include <string.h>

START_TEST(a_spacing_keeps_the_number_where_lines_are_missing) {
    static const double gaps_mm[] = {340, 440, 640, 740, 840};
    write_mat(gaps_mm, 5, "<rect x='390' y='320' width='24' height='70' fill='#2c3036'/>");
    JsonObject *leg = drive(COUNT(", number: 5, spacing_mm: 100, rest: near_edge"), 0, 0, 2);
    ck_assert_double_eq(figure_of(leg, "robot", "lines_seen"), 4);
    ck_assert_double_eq(figure_of(leg, "robot", "lines_missed"), 1);
    ck_assert_double_eq(figure_of(leg, "truth", "lines_missed"), 1);
    ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")), 0.8);
    ck_assert_double_lt(figure_of(leg, "robot", "count_certainty"), 1);
    ck_assert_double_gt(figure_of(leg, "robot", "count_certainty"), 0.3);
    JsonObject *third = json_array_get_object_element(lines_of(leg), 2);
    ck_assert_int_eq(json_object_get_int_member(third, "number"), 4);
    ck_assert_int_eq(CALL("drive %s/r.yaml --seed 2"), 0);
    ck_assert_ptr_nonnull(strstr(out, "counted 4 lines, truly 4; missing: 3\n"));
    // The one before the last is missing, or the last.
    leg = drive(COUNT(", number: 4, spacing_mm: 100, rest: near_edge"), 0, 0, 3);
    ck_assert_double_eq(figure_of(leg, "robot", "lines_missed"), 1);
    ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")), 0.8);
    leg = drive(COUNT(", number: 3, spacing_mm: 100, rest: near_edge"), 0, 1, 3);
    ck_assert_str_eq(json_object_get_string_member(leg, "outcome"), "no_line");
    ck_assert_double_lt(figure_of(leg, "truth", "travelled_mm"), 420); // not on to the next one
    // One that only one sensor meets counts where it is due, and one across all does not elsewhere.
    write_mat(even_mm, 8,
              "<rect x='439' y='300' width='26' height='90' fill='#c9d2c6'/>"
              "<rect x='590' width='24' height='800' fill='#2c3036'/>");
    leg = drive(COUNT(", number: 5, spacing_mm: 100, rest: near_edge"), 0, 0, 4);
    ck_assert_double_eq(figure_of(leg, "robot", "lines_seen"), 5);
    ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")), 0.8);
    JsonObject *second = json_array_get_object_element(lines_of(leg), 1);
    ck_assert_str_eq(json_object_get_string_member(second, "sensors"), "right");
    JsonObject *passed = json_object_get_object_member(leg, "passed_over_last");
    ck_assert_str_eq(json_object_get_string_member(passed, "reason"), "out_of_place");
}
END_TEST

// What lies before the place of the last line is not it, even if both meet it at once.
START_TEST(nothing_before_the_place_that_is_due_is_the_last_line) {
    write_mat(even_mm, 8, "<rect x='672' width='18' height='800' fill='#2c3036'/>");
    for (int slant = -12; slant <= 12; slant += 12) {
        JsonObject *leg = drive(
            COUNT(", number: 5, spacing_mm: 100, least_gap_mm: 5, rest: near_edge"), slant, 0, 3);
        ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")), slant == 0 ? 0.8 : 2.0);
        ck_assert_double_eq(figure_of(leg, "robot", "lines_missed"), 0);
    }
}
END_TEST

// Where the robot believes to be in the end, less the truth; it was put down 12 mm further back
// than it believes, and turned by 1.5 degrees.
typedef struct off {
    double x_mm, heading_deg;
} off;

static off pose_off(const char *leg, unsigned trials) {
    GError *error = NULL;
    off sum = {0.0, 0.0};
    drive(leg, 0, 0, 1);
    char *path = in_folder("r.yaml");
    lab_route *route = lab_route_load(path, NULL, 1, &error);
    ck_assert_ptr_null(error);
    for (uint64_t seed = 1; seed <= trials; seed++) {
        lab_start start = {138, 400, 1.5};
        lab_run *run = lab_drive_from(route, route->robot, &start, seed, false);
        ck_assert_int_eq(run->outcome, CMO_OUTCOME_DONE);
        sum.x_mm = fmax(sum.x_mm, fabs(run->pose_off_x_mm));
        sum.heading_deg += run->heading_error_deg * run->heading_error_deg;
        lab_run_free(run);
    }
    lab_route_free(route);
    g_free(path);
    sum.heading_deg = sqrt(sum.heading_deg / trials);
    return sum;
}

#define AT_FIRST ", rest: near_edge, place: {x_mm: 340, y_mm: 400}"

// The fourth is missing; and something as wide as a line lies where none is due.
START_TEST(uneven_lines_keep_their_numbers) {
    static const double uneven_mm[] = {340, 420, 640, 950, 1060};
    static const int numbers[] = {1, 2, 3, 5, 6};
#define UNEVEN ", places_mm: [0, 80, 300, 500, 610, 720, 900]"
    write_mat(uneven_mm, 5, "<rect x='760' width='24' height='800' fill='#2c3036'/>");
    for (int slant = -8; slant <= 8; slant += 8) {
        JsonObject *leg = drive(COUNT(", number: 6, rest: near_edge" UNEVEN), slant, 0, 2);
        ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")), slant == 0 ? 0.8 : 2.0);
        ck_assert_double_eq(figure_of(leg, "robot", "lines_seen"), 5);
        ck_assert_double_eq(figure_of(leg, "robot", "lines_missed"), 1);
        ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"),
                                (1060 - 150) / cos(slant * G_PI / 180) - 70, 4);
        for (guint i = 0; i < 5; i++) {
            JsonObject *line = json_array_get_object_element(lines_of(leg), i);
            ck_assert_int_eq(json_object_get_int_member(line, "number"), numbers[i]);
        }
    }
    // The one before it is missing, or the first one, where that is expected.
    drive(COUNT(", number: 5, rest: near_edge" UNEVEN), 0, 0, 3);
    write_mat(uneven_mm + 1, 4, "");
    JsonObject *leg =
        drive(COUNT(", number: 3, rest: near_edge, expected_mm: 120" UNEVEN), 0, 0, 4);
    ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 640 - 150 - 70, 4);
    // Beyond the last place there is none.
    leg = drive(COUNT(", number: 7, longest_mm: 400, rest: near_edge" UNEVEN), 0, 1, 4);
    ck_assert_str_eq(json_object_get_string_member(leg, "outcome"), "no_line");
    // Each of them sets the pose.
    write_mat(uneven_mm, 5, "");
    ck_assert_double_le(pose_off(COUNT(", number: 6" UNEVEN AT_FIRST), 6).x_mm, 2.0);
}
END_TEST

START_TEST(stated_lines_set_the_pose) {
    write_mat(even_mm, 8, "");
    off all = pose_off(COUNT(", number: 8, spacing_mm: 100" AT_FIRST), 6);
    ck_assert_double_le(all.x_mm, 2.0);
    ck_assert_double_le(all.heading_deg, 1.0);
    // The first one alone.
    ck_assert_double_le(pose_off(COUNT(", number: 1" AT_FIRST), 6).x_mm, 2.0);
    // Where the others are, nobody has said: what the first one has told goes on by odometry.
    ck_assert_double_le(pose_off(COUNT(", number: 8" AT_FIRST), 6).x_mm, 12.0);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {
        uneven_lines_keep_their_numbers, a_spacing_keeps_the_number_where_lines_are_missing,
        nothing_before_the_place_that_is_due_is_the_last_line, stated_lines_set_the_pose, NULL};
    begin_runs();
    int status = run_suite("places", tests);
    end_runs();
    return status;
}
