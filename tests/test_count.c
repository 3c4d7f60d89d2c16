// SPDX-License-Identifier: GPL-3.0-or-later
// Counting lines, with the truth beside what the robot says.
#include "count_runs.h"

#include <math.h>
#include <string.h>

START_TEST(it_rests_on_the_line_that_was_asked_for) {
    write_mat(even_mm, 8, "");
    for (int number = 1; number <= 8; number++) {
        for (int slant = -12; slant <= 12; slant += 12) {
            char *text = g_strdup_printf(COUNT(", number: %d, rest: near_edge"), number);
            JsonObject *leg = drive(text, slant, 0, (unsigned)number);
            ck_assert_double_eq(figure_of(leg, "robot", "lines_seen"), number);
            ck_assert_double_eq(figure_of(leg, "truth", "lines_seen"), number);
            ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")),
                                slant == 0 ? 0.8 : 2.0);
            ck_assert_uint_eq(json_array_get_length(lines_of(leg)), number);
            g_free(text);
        }
    }
}
END_TEST

START_TEST(each_line_is_measured) {
    write_mat(even_mm, 8, "");
    JsonObject *leg = drive(COUNT(", number: 6, rest: far_edge"), 8, 0, 3);
    ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")), 2.0);
    JsonArray *lines = lines_of(leg);
    for (guint i = 0; i < 5; i++) {
        JsonObject *line = json_array_get_object_element(lines, i);
        ck_assert_int_eq(json_object_get_int_member(line, "number"), i + 1);
        ck_assert_str_eq(json_object_get_string_member(line, "sensors"), "both");
        ck_assert_double_eq_tol(json_object_get_double_member(line, "width_mm"), 24, 1.5);
        ck_assert_double_eq_tol(json_object_get_double_member(line, "true_width_mm"), 24, 0.4);
        ck_assert_double_eq_tol(json_object_get_double_member(line, "true_x_mm"), even_mm[i], 0.4);
        ck_assert_double_eq_tol(json_object_get_double_member(line, "entry_angle_deg"), 8, 2);
        if (i > 0) {
            JsonObject *before = json_array_get_object_element(lines, i - 1);
            ck_assert_double_eq_tol(json_object_get_double_member(line, "at_mm") -
                                        json_object_get_double_member(before, "at_mm"),
                                    100 / cos(8 * G_PI / 180), 2.0);
        }
    }
}
END_TEST

START_TEST(without_a_number_it_counts_all_that_come) {
    write_mat(even_mm, 5, "");
    JsonObject *leg = drive(COUNT(", longest_mm: 200"), 0, 0, 1);
    ck_assert_double_eq(figure_of(leg, "robot", "lines_seen"), 5);
    ck_assert_double_eq(figure_of(leg, "truth", "lines_seen"), 5);
    ck_assert_double_gt(figure_of(leg, "truth", "travelled_mm"), 700);
    ck_assert_double_lt(figure_of(leg, "truth", "travelled_mm"), 850);
    // And what ends the leg otherwise leaves the count.
    leg = drive(COUNT("") "\n    ends: {way_mm: 390}", 0, 0, 1);
    ck_assert_str_eq(json_object_get_string_member(leg, "by"), "way");
    ck_assert_double_eq(figure_of(leg, "robot", "lines_seen"), 3);
    ck_assert_double_eq(figure_of(leg, "truth", "lines_seen"), 3);
    // More are asked for than there are.
    leg = drive(COUNT(", number: 7, longest_mm: 300"), 0, 1, 1);
    ck_assert_str_eq(json_object_get_string_member(leg, "outcome"), "no_line");
    ck_assert_double_eq(figure_of(leg, "robot", "lines_seen"), 5);
}
END_TEST

// Under the left sensor (y 45 mm above the way) a hole in the third line, half of the fifth's near
// edge gone, and a bar as wide as a line between the first two.
#define WORN                                                                                       \
    "<g fill='#c4cdc1'><rect x='549' y='320' width='8' height='60'/>"                              \
    "<rect x='738' y='320' width='10' height='60'/></g>"                                           \
    "<rect x='390' y='320' width='24' height='70' fill='#2c3036'/>"

START_TEST(holes_are_bridged_and_what_one_sensor_meets_alone_is_none) {
    static const char *const rests[] = {"near_edge", "centre", "far_edge"};
    write_mat(even_mm, 8, WORN);
    for (unsigned i = 0; i < 3; i++) {
        for (unsigned number = 3; number <= 5; number++) {
            char *text = g_strdup_printf(COUNT(", number: %u, rest: %s"), number, rests[i]);
            JsonObject *leg = drive(text, 3, 0, 7 + number);
            ck_assert_double_eq(figure_of(leg, "truth", "lines_seen"), number);
            ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")), i == 1 ? 2.5 : 1.5);
            JsonObject *passed = json_object_get_object_member(leg, "passed_over_last");
            ck_assert_str_eq(json_object_get_string_member(passed, "sensor"), "left");
            ck_assert_str_eq(json_object_get_string_member(passed, "reason"), "one_sided");
            ck_assert_double_eq(figure_of(leg, "robot", "passed_over"), 1);
            g_free(text);
        }
    }
    ck_assert_int_eq(CALL("drive %s/r.yaml"), 0);
    ck_assert_ptr_nonnull(strstr(out, "counted 5 lines, truly 5\n"));
}
END_TEST

// Braking for one it comes over the next, which is none of its own on the way back.
START_TEST(dense_lines_are_told_apart) {
    double dense_mm[8];
    for (int i = 0; i < 8; i++) {
        dense_mm[i] = 340 + 52 * i;
    }
    write_mat(dense_mm, 8, "");
    for (int number = 1; number <= 7; number += 2) {
        for (int slant = 0; slant <= 8; slant += 8) {
            char *text = g_strdup_printf(
                "count_lines: {cruise_mm_s: 450, least_width_mm: 15, number: %d, rest: near_edge}",
                number);
            JsonObject *leg = drive(text, slant, 0, (unsigned)number);
            ck_assert_double_eq(figure_of(leg, "robot", "lines_seen"), number);
            ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")),
                                slant == 0 ? 1.0 : 2.0);
            g_free(text);
        }
    }
}
END_TEST

START_TEST(worn_edges_say_nothing) {
    // Of the third line the near edge, of the fifth the far one, and a hole near the end of the
    // sixth.
    write_mat(even_mm, 8,
              "<g fill='#c9d2c6'><rect x='538' y='320' width='15' height='60'/>"
              "<rect x='753' y='320' width='12' height='60'/>"
              "<rect x='853' y='320' width='7' height='60'/></g>");
    JsonObject *leg = drive(COUNT(", number: 5, rest: far_edge"), 0, 0, 2);
    ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")), 1.0);
    ck_assert_double_eq(figure_of(leg, "robot", "passed_over"), 0);
    for (guint i = 0; i < 5; i++) {
        JsonObject *line = json_array_get_object_element(lines_of(leg), i);
        double entry = json_object_get_double_member(line, "entry_angle_deg");
        ck_assert_double_eq_tol(entry, figure_of(leg, "truth", "entry_angle_deg"), 2);
    }
    leg = drive(COUNT(", number: 8, least_gap_mm: 3"), 0, 0, 2);
    ck_assert_double_eq(figure_of(leg, "robot", "lines_seen"), 8);
    ck_assert_double_eq(figure_of(leg, "robot", "passed_over"),
                        0); // what is behind the hole is no more
}
END_TEST

// Before the first line one sensor meets a bar: taken with the other's line for a slant, until the
// lines behind it tell otherwise.
START_TEST(a_wrong_angle_is_found_out) {
    write_mat(even_mm, 8, "<rect x='306' y='320' width='16' height='70' fill='#2c3036'/>");
    JsonObject *leg = drive(COUNT(", number: 5, rest: near_edge"), 0, 0, 2);
    ck_assert_double_eq(figure_of(leg, "robot", "lines_seen"), 5);
    ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")), 0.8);
    JsonObject *fourth = json_array_get_object_element(lines_of(leg), 3);
    ck_assert_double_eq_tol(json_object_get_double_member(fourth, "entry_angle_deg"),
                            figure_of(leg, "truth", "entry_angle_deg"), 2);
}
END_TEST

// At a slant the left sensor rests 11 mm beyond the near edge: in a hole of the line, whose edges
// are none to rest on.
START_TEST(a_sensor_that_rests_over_a_hole_says_nothing_of_the_edge) {
    for (int late = 0; late < 2; late++) {
        char *hole = g_strdup_printf("<rect x='%d' y='400' width='8' height='185' fill='#c9d2c6'/>",
                                     late ? 950 : 944);
        write_mat(even_mm, 8, hole);
        for (unsigned seed = 1; seed <= SEEDS(6); seed++) {
            JsonObject *leg = drive(COUNT(", number: 7, rest: near_edge"), -14, 0, seed);
            double truth = figure_of(leg, "truth", "rest_error_mm");
            ck_assert_double_le(fabs(truth), 2.0);
            ck_assert_double_eq_tol(figure_of(leg, "robot", "rest_error_mm"), truth, 2.0);
        }
        g_free(hole);
    }
}
END_TEST

// There the other sensor rests over the far edge of a line that is so narrow.
START_TEST(a_far_edge_is_not_taken_for_the_near_one) {
    write_lines(even_mm, 8, 13.6, "");
    for (unsigned seed = 1; seed <= SEEDS(12); seed++) {
        JsonObject *leg =
            drive("count_lines: {cruise_mm_s: 300, least_width_mm: 7, number: 7, rest: near_edge}",
                  seed % 2 == 0 ? 17 : -17, 0, seed);
        ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")), 2.0);
    }
}
END_TEST

// The left sensor has left the line for its hole, and comes to a decoration before the right one
// is known to have left it.
START_TEST(what_was_shown_before_a_hole_counts) {
    write_mat(even_mm, 8,
              "<rect x='958' y='200' width='4.5' height='240' fill='#c9d2c6'/>"
              "<rect x='980' y='200' width='24' height='240' fill='#2c3036'/>");
    for (unsigned seed = 1; seed <= SEEDS(6); seed++) {
        JsonObject *leg =
            drive(COUNT(", number: 7, spacing_mm: 100, rest: near_edge"), -5, 0, seed);
        ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")), 2.0);
    }
}
END_TEST

// Three lines in turn whose near edges are worn under the left sensor: their far edges know better.
START_TEST(the_angle_is_that_of_the_edges_that_agree) {
    write_mat(even_mm, 8,
              "<g fill='#c9d2c6'><rect x='538' y='200' width='14' height='200'/>"
              "<rect x='638' y='200' width='14' height='200'/>"
              "<rect x='738' y='200' width='14' height='200'/></g>");
    for (unsigned seed = 1; seed <= SEEDS(4); seed++) {
        JsonObject *leg = drive(COUNT(", number: 6, rest: near_edge"), 0, 0, seed);
        JsonObject *sixth = json_array_get_object_element(lines_of(leg), 5);
        ck_assert_double_eq_tol(json_object_get_double_member(sixth, "entry_angle_deg"),
                                figure_of(leg, "truth", "entry_angle_deg"), 2);
        ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")), 1.0);
        ck_assert_double_le(figure_of(leg, "robot", "line_gap_spread_mm"), 8.0);
    }
}
END_TEST

START_TEST(a_series_says_how_often_the_count_was_right) {
    ck_assert_int_eq(CALL("series data/ferry/gangway.yaml --trials 12"), 0);
    ck_assert_ptr_nonnull(strstr(out, "counted right in 12 of 12: 7 lines\n"));
    ck_assert_ptr_nonnull(strstr(out, "rest_error_mm"));
    ck_assert_int_eq(CALL("series data/ferry/gangway.yaml --trials 3 --json"), 0);
    ck_assert_ptr_nonnull(strstr(out, "\"miscounts\" : 0"));
}
END_TEST

START_TEST(widths_and_gaps_of_what_was_counted_are_figures) {
    static const double even_gaps_mm[] = {340, 440, 540, 640, 750};
    write_mat(even_gaps_mm, 5, "");
    JsonObject *leg = drive(COUNT(", number: 5, rest: near_edge"), 0, 0, 2);
    double width = figure_of(leg, "truth", "line_width_mm");
    ck_assert_double_eq_tol(figure_of(leg, "robot", "line_width_mm"), width, 0.6);
    ck_assert_double_le(figure_of(leg, "robot", "line_width_spread_mm"), 0.6);
    ck_assert_double_le(figure_of(leg, "truth", "line_width_spread_mm"), 0.05);
    double gap = (750.0 - 340.0) / 4.0 - width;
    ck_assert_double_eq_tol(figure_of(leg, "truth", "line_gap_mm"), gap, 0.1);
    ck_assert_double_eq_tol(figure_of(leg, "robot", "line_gap_mm"), gap, 1.0);
    // Three of 100 and one of 110: a standard deviation of 5.
    ck_assert_double_eq_tol(figure_of(leg, "truth", "line_gap_spread_mm"), 5.0, 0.05);
    ck_assert_double_eq_tol(figure_of(leg, "robot", "line_gap_spread_mm"), 5.0, 0.7);
}
END_TEST

// Under the first sensor to come to it, the second line has no paint at its near edge, and the
// fourth none but there: lines they are all the same, also in truth.
START_TEST(a_line_without_its_near_edge_is_truly_one) {
    write_mat(even_mm, 6,
              "<rect x='439' width='8' y='300' height='70' fill='#c9d2c6'/>"
              "<rect x='646' width='19' y='300' height='70' fill='#c9d2c6'/>");
    for (unsigned seed = 1; seed <= SEEDS(3); seed++) {
        JsonObject *leg = drive(COUNT(", number: 5, rest: near_edge, largest_entry_deg: 20"
                                      ", least_gap_mm: 22, spacing_mm: 100"),
                                -3, 0, seed);
        ck_assert_double_eq(figure_of(leg, "truth", "lines_seen"), 5);
        ck_assert_double_eq(figure_of(leg, "robot", "lines_seen"), 5);
        ck_assert_str_eq(json_object_get_string_member(leg, "outcome"), "done");
    }
}
END_TEST

// It brakes over the fifth onto the sixth, and comes back to the fifth.
START_TEST(it_comes_back_over_the_next_line_to_the_last) {
    GString *lines = g_string_new(NULL);
    for (int i = 0; i < 10; i++) {
        g_string_append_printf(lines,
                               "<rect class='line' x='%d' width='12' height='800' "
                               "fill='#2c3036'/>",
                               340 + 32 * i);
    }
    write_mat(NULL, 0, lines->str);
    for (unsigned seed = 1; seed <= SEEDS(6); seed++) {
        JsonObject *leg = drive("count_lines: {number: 5, cruise_mm_s: 350, least_width_mm: 6, "
                                "least_gap_mm: 5.4, largest_entry_deg: 15, too_fast: slow, rest: "
                                "near_edge}",
                                0, 0, seed);
        ck_assert_double_gt(figure_of(leg, "truth", "overshoot_mm"), 25);
        ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")), 1.5);
    }
    g_string_free(lines, TRUE);
}
END_TEST

// By then it has truly come over two, and over a third one that it overran.
START_TEST(what_it_overruns_is_not_counted) {
    const double line_mm[] = {450, 515, 580};
    write_mat(line_mm, 3, "");
    JsonObject *leg = drive("count_lines: {number: 2, cruise_mm_s: 550, too_fast: slow, "
                            "least_width_mm: 15, rest: near_edge}",
                            0, 0, 1);
    ck_assert_double_gt(figure_of(leg, "truth", "overshoot_mm"), 66);
    ck_assert_double_eq(figure_of(leg, "truth", "lines_seen"), 2);
    ck_assert_double_eq(figure_of(leg, "robot", "lines_seen"), 2);
}
END_TEST

START_TEST(it_can_drive_on_over_the_last_one) {
    write_mat(even_mm, 8, "");
    JsonObject *leg =
        drive(COUNT(", number: 4, ending: moving") "\n  - advance: {distance_mm: 60}", 0, 0, 1);
    ck_assert_double_eq(figure_of(leg, "robot", "lines_seen"), 4);
    ck_assert_double_eq_tol(figure_of(leg, "truth", "crossing_speed_mm_s"), 300, 25);
    ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 420, 25);
}
END_TEST

// The time of one line, not of all that may come, is what a robot that is held waits for.
START_TEST(a_count_ends_in_time) {
    write_mat(even_mm, 8, "");
    JsonObject *leg = drive(COUNT(", longest_s: 2"), 0, 1, 1); // 600 mm, and there is more to come
    ck_assert_str_eq(json_object_get_string_member(leg, "outcome"), "time_over");
    // Without one it is the time to the next line: on for eight lines, for longer than for one.
    leg = drive("count_lines: {cruise_mm_s: 40, least_width_mm: 15, longest_mm: 260}", 0, 0, 1);
    ck_assert_double_eq(figure_of(leg, "robot", "lines_seen"), 8);
    ck_assert_double_gt(figure_of(leg, "truth", "elapsed_ms"), 2000 * 260 / 40.0 + 2000);
}
END_TEST

START_TEST(what_makes_no_sense_is_refused) {
    static const struct {
        const char *leg, *says;
    } bad[] = {
        {COUNT(", rest: near_edge"), "count_lines.number"},
        {COUNT(", number: 3, rest: centre, ending: moving"), "count_lines.ending"},
        {COUNT(", number: 3, largest_entry_deg: 85"), "count_lines.largest_entry_deg"},
        {COUNT(", number: 300"), "count_lines.number"},
        {COUNT(", number: 3, spacing_mm: 5"), "count_lines.spacing_mm"},
        {COUNT(", places_mm: [10, 50]"), "count_lines.places_mm: must begin with 0"},
        {COUNT(", places_mm: [0, 50, 55]"), "count_lines.places_mm: must begin with 0"},
        {COUNT(", places_mm: [0, 50], spacing_mm: 50"), "count_lines.places_mm: must begin"},
        {COUNT(", places_mm: [0, 50, wide]"), "count_lines.places_mm[3]: 'wide' is not a number"},
        {COUNT(", places_mm: 50"), "count_lines.places_mm: must be a list of numbers"},
        {COUNT(", places_mm: [0, 60000]"), "count_lines.places_mm[2]: 60000 is out of range"},
        {COUNT(", number: 3"
               ", places_mm: [0, 50]"),
         "count_lines.number"},
        {COUNT(", number: 3, tone: void"), "count_lines.tone"},
    };
    write_mat(even_mm, 8, "");
    for (size_t i = 0; i < G_N_ELEMENTS(bad); i++) {
        drive(bad[i].leg, 0, 2, 1);
        ck_assert_msg(strstr(err, bad[i].says) != NULL, "%s", err);
    }
}
END_TEST

int main(void) {
    const TTest *const tests[] = {it_comes_back_over_the_next_line_to_the_last,
                                  a_line_without_its_near_edge_is_truly_one,
                                  it_rests_on_the_line_that_was_asked_for,
                                  each_line_is_measured,
                                  without_a_number_it_counts_all_that_come,
                                  holes_are_bridged_and_what_one_sensor_meets_alone_is_none,
                                  dense_lines_are_told_apart,
                                  worn_edges_say_nothing,
                                  a_sensor_that_rests_over_a_hole_says_nothing_of_the_edge,
                                  a_far_edge_is_not_taken_for_the_near_one,
                                  what_was_shown_before_a_hole_counts,
                                  the_angle_is_that_of_the_edges_that_agree,
                                  a_wrong_angle_is_found_out,
                                  a_series_says_how_often_the_count_was_right,
                                  widths_and_gaps_of_what_was_counted_are_figures,
                                  what_it_overruns_is_not_counted,
                                  it_can_drive_on_over_the_last_one,
                                  a_count_ends_in_time,
                                  what_makes_no_sense_is_refused,
                                  NULL};
    begin_runs();
    int status = run_suite("count", tests);
    end_runs();
    return status;
}
