// SPDX-License-Identifier: GPL-3.0-or-later
// An edge that is followed: over gaps, past forks, on floors of other levels, and to where it ends.
#include "leg_runs.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

START_TEST(it_halts_where_the_line_ends) {
    for (unsigned seed = 1; seed <= SEEDS(3); seed++) {
        write_edge_line(true, 0, "h 700");
        JsonObject *leg = follow_edge("distance_mm: 1500", 0, 1, seed);
        ck_assert_str_eq(outcome_of(leg), "edge_lost");
        // The line ends 660 mm ahead of where the spot was.
        double gone = figure_of(leg, "truth", "travelled_mm");
        ck_assert_double_ge(gone, 655);
        ck_assert_double_le(gone, 780);
    }
}
END_TEST

START_TEST(without_an_edge_there_is_no_line) {
    write_edge_line(true, 300, "h 1700");
    JsonObject *leg = follow_edge("search_mm: 200", 0, 1, 1);
    ck_assert_str_eq(outcome_of(leg), "no_line");
    ck_assert_double_le(figure_of(leg, "truth", "travelled_mm"), 225);
    leg = follow_edge("distance_mm: 150", 0, 1, 1);
    ck_assert_str_eq(outcome_of(leg), "no_line"); // it has come as far, and followed nothing
}
END_TEST

// A spot on a floor that reads 0.83 or 0.7 of the level might as well touch an edge; it would for
// ever, wherever the robot drives.
START_TEST(a_floor_darker_than_its_level_is_no_edge) {
    static const char *const floors[] = {"#c0c0c0", "#b2b2b2"};
    write_runs_robot("one.yaml",
                     "  right:\n    ahead_mm: 70\n    left_mm: -45\n    spot_mm: 6\n"
                     "    delay_ms: 10\n    interval_ms: 10\n    counts_max: 1023\n"
                     "    levels: {dark: 87, light: 541, void: 61, noise: 8}\n",
                     "");
    for (size_t i = 0; i < G_N_ELEMENTS(floors); i += EACH) {
        for (int far = 0; far < 2; far++) {
            char *line = g_strdup_printf("<path class='line' fill='none' stroke='" DARK
                                         "' stroke-width='20' d='M 180 %d h 900'/>",
                                         far == 1 ? 300 : 845);
            write_runs_floor(floors[i], line);
            g_free(line);
            JsonObject *leg = follow_edge("distance_mm: 1700", 0, 1, 1);
            ck_assert_str_eq(outcome_of(leg), far == 1 ? "no_line" : "edge_lost");
            if (far == 0) { // joined from beside, and lost where the line ends
                ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 5);
                ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 920, 120);
            }
            // With a sensor alone it takes some way to know.
            leg = drive_legs("one.yaml",
                             far == 1 ? "  - follow_edge: {distance_mm: 1700}"
                                      : "  - follow_edge: {distance_mm: 800, sensor: left}",
                             far == 1 ? 0 : 6, far, 1, 1);
            ck_assert_str_eq(outcome_of(leg), far == 1 ? "no_line" : "done");
        }
    }
}
END_TEST

// There the spot of a noisy sensor has never left the line by all of its hysteresis; what it reads
// is the floor all the same.
START_TEST(a_noisy_sensor_knows_that_floor_from_the_line) {
    write_runs_robot("noisy.yaml", "noise: 8}", "noise: 28}");
    char *line = g_strdup_printf("<path class='line' fill='none' stroke='" DARK
                                 "' stroke-width='20' d='M 180 855 %s'/>",
                                 BENDS);
    write_runs_floor("#b2b2b2", line);
    g_free(line);
    for (unsigned seed = 1; seed <= SEEDS(6); seed++) {
        JsonObject *leg =
            drive_legs("noisy.yaml", "  - follow_edge: {distance_mm: 1100}", 0, 0, seed, 1);
        ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 6);
    }
}
END_TEST

START_TEST(the_other_edge_is_not_what_was_asked_for) {
    // The spot is over the line's right edge, and taken to be over its left one until that is lost;
    // or beyond the line, or both are: it looks back, and goes over the line.
    static const struct {
        int off_mm, heading_deg;
    } cases[] = {{19, 0}, {22, -10}, {30, 0}, {30, 18}, {45, 0}, {45, 12}, {87, -10}, {140, 0}};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i += EACH) {
        for (unsigned seed = 1; seed <= SEEDS(2); seed++) {
            write_edge_line(true, cases[i].off_mm, "h 1700");
            JsonObject *leg = follow_edge("distance_mm: 1400", cases[i].heading_deg, 0, seed);
            ck_assert_str_eq(outcome_of(leg), "done");
            ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 5);
        }
    }
    write_edge_line(true, 9, "h 1700"); // on the line it turns to the edge that is asked for
    JsonObject *leg = follow_edge("distance_mm: 800", 0, 0, 1);
    ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 5);
}
END_TEST

// Put down on the line it may leave it over the wrong edge: it comes back over the line.
START_TEST(what_left_the_line_over_its_other_edge_comes_back) {
    for (unsigned seed = 1; seed <= SEEDS(5); seed++) {
        for (int left = 0; left < 2; left++) {
            double heading = left == 1 ? -14 : 14;
            write_edge_line(left == 1, left == 1 ? -11 + 4 : 11 - 4, "h 1700");
            const char *leg = left == 1 ? "distance_mm: 1200" : "edge: right, distance_mm: 1200";
            JsonObject *result = follow_edge(leg, heading, 0, seed);
            ck_assert_str_eq(outcome_of(result), "done");
            ck_assert_double_le(figure_of(result, "truth", "joined_mm"), 300);
            ck_assert_double_le(figure_of(result, "truth", "joined_ms"), 6000); // it drives on
        }
    }
}
END_TEST

// A line of 20 mm along, another one across it whose near edge is 640 mm ahead of the spots, or a
// gap.
static void write_along(const char *more) {
    char *shapes = g_strdup_printf(
        "<g class='line' fill='none' stroke='" DARK "' stroke-width='20'>%s</g>", more);
    write_runs_floor(FLOOR, shapes);
    g_free(shapes);
}

#define ALONG "<path d='M 180 855 h 1700'/>"

START_TEST(it_ends_on_a_line_across_or_drives_over_it) {
    for (unsigned seed = 1; seed <= SEEDS(4); seed++) {
        write_along(ALONG "<path d='M 870 600 V 1000'/>");
        JsonObject *leg = follow_edge("across: end", 0, 0, seed);
        ck_assert_str_eq(outcome_of(leg), "done");
        ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")), 1.0);
        ck_assert_double_eq_tol(figure_of(leg, "robot", "rest_error_mm"),
                                figure_of(leg, "truth", "rest_error_mm"), 0.6);
        ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 640, 8);
        // Straight across its way: the angle to it is what the robot has turned.
        ck_assert_double_eq_tol(figure_of(leg, "truth", "residual_angle_deg"),
                                figure_of(leg, "truth", "turned_deg"), 0.01);
        leg = follow_edge("across: end, ending: moving}\n  - follow_edge: {distance_mm: 300", 0, 0,
                          seed);
        ck_assert_str_eq(outcome_of(leg), "done");
        ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 665, 25);
        leg = follow_edge("distance_mm: 1200", 0, 0, seed); // as if it were not there
        ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 4.5);
    }
    write_along(ALONG);
    JsonObject *leg = follow_edge("across: end, distance_mm: 600", 0, 1, 1);
    ck_assert_str_eq(outcome_of(leg), "no_line");
    // What is no line across is driven over, and does not end it.
    write_along(ALONG "<path d='M 870 600 V 1000'/></g><g class='decoration' stroke='" DARK
                      "' stroke-width='5'><path d='M 600 700 V 800'/>");
    leg = follow_edge("across: end", 0, 0, 1);
    ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 640, 8);
}
END_TEST

// Its heading and its place across, where the edge truly is; along it odometry's place stays.
START_TEST(a_stated_edge_takes_the_drift_out) {
    write_along(ALONG);
    for (unsigned seed = 1; seed <= SEEDS(8); seed++) {
        follow_edge("distance_mm: 700, place: {x_mm: 20, y_mm: 355, heading_deg: 0}", 0, 0, seed);
        char *told = run_stands(seed);
        double off_mm, off_deg;
        ck_assert_int_eq(sscanf(told, "believes to stand %lf mm and %lf", &off_mm, &off_deg), 2);
        ck_assert_double_le(off_deg, 1.0);
        ck_assert_double_le(off_mm, 4.5);
        g_free(told);
    }
    write_edge_line(true, 0, BENDS); // so near behind a bend it does not know where the edge leads
    follow_edge("distance_mm: 1180, place: {x_mm: 20, y_mm: 855, heading_deg: 0}", 0, 0, 1);
    char *with = run_stands(1);
    follow_edge("distance_mm: 1180", 0, 0, 1);
    char *without = run_stands(1);
    ck_assert_str_eq(with, without);
    g_free(with);
    g_free(without);
}
END_TEST

START_TEST(it_drives_over_gaps) {
    static const char *const lines[] = {"<path d='M 180 855 H 700 m 50 0 H 1880'/>",
                                        "<path d='M 180 855 H 500 a 250 250 0 0 0 177 -73 m 35 -35 "
                                        "A 250 250 0 0 0 750 605 V 200'/>",
                                        // Where a bend ends, there is none.
                                        "<path d='M 180 855 H 600 a 250 250 0 0 0 250 -250 V 0'/>"};
    for (size_t i = 0; i < G_N_ELEMENTS(lines); i += EACH) {
        for (unsigned seed = i < 2 ? 1 : 6; seed <= MAX(SEEDS(13), i < 2 ? 1U : 6U);
             seed += i < 2 ? 4 : 7) {
            write_along(lines[i]);
            JsonObject *leg = follow_edge("gap_mm: 60, distance_mm: 950", 0, 0, seed);
            ck_assert_str_eq(outcome_of(leg), "done");
            ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 9);
        }
    }
}
END_TEST

// How many of the fleet's robots come to an end other than that one, joining a line from its side.
static unsigned others_of_fleet(const char *line, const char *leg, const char *end,
                                unsigned robots) {
    unsigned others = 0;
    write_along(line);
    for (unsigned seed = 1; seed <= robots; seed++) {
        JsonObject *result = drive_legs(SOURCE_DIR "/data/ferry/fleet.yaml", leg, -20, -1, seed, 1);
        others += strcmp(outcome_of(result), end) != 0;
    }
    return others;
}

// Dashes, so that a gap comes while most still join: half of them lost the edge in it.
START_TEST(it_joins_over_gaps) {
    unsigned robots = SEEDS(24);
    unsigned lost =
        others_of_fleet("<path stroke-dasharray='150 40' d='M 180 925 H 1880'/>",
                        "  - follow_edge: {gap_mm: 60, distance_mm: 1000}", "done", robots);
    ck_assert_uint_le(lost, 1 + robots / 8);
}
END_TEST

// Put down on a line, they have their levels of the floor beside it.
START_TEST(a_fleet_may_start_on_the_line) {
    ck_assert_uint_eq(others_of_fleet("<path d='M 100 800 H 220'/><path d='M 600 200 V 1150'/>",
                                      "  - stop_on_line: {blind_mm: 200, cruise_mm_s: 200}", "done",
                                      SEEDS(8)),
                      0);
}
END_TEST

// A line along the robot's way, and one of 300 mm that leaves it at (870, 355) to the left at an
// angle, or mirrored, to the right; or goes over it.
static void write_fork(bool left, double angle_deg, bool over) {
    double c = 300.0 * cos(angle_deg * G_PI / 180.0);
    double s = (left ? -300.0 : 300.0) * sin(angle_deg * G_PI / 180.0);
    double y = left ? 855 : 745;
    char *shapes =
        g_strdup_printf("<g class='line' fill='none' stroke='" DARK "' stroke-width='20'>"
                        "<path d='M 180 %g h 1700'/><path d='M %g %g L %g %g'/></g>",
                        y, over ? 870 - c : 870, over ? y - s : y, 870 + c, y + s);
    write_runs_floor(FLOOR, shapes);
    g_free(shapes);
}

// What the command prints of those legs, driven once more.
static const char *table(unsigned seed) {
    g_free(run_stands(seed));
    return out;
}

START_TEST(it_passes_forks_by_or_takes_them) {
    static const double angles[] = {20, 25, 45, 70};
    for (size_t i = 0; i < G_N_ELEMENTS(angles); i += EACH) {
        bool left = i % 2 == 0;
        write_fork(left, angles[i], i == 1);
        JsonObject *leg = follow_edge(left ? "fork: pass, distance_mm: 1100"
                                           : "edge: right, fork: pass, distance_mm: 1100",
                                      0, 0, 3 + (unsigned)i);
        ck_assert_str_eq(outcome_of(leg), "done");
        ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 4);
        ck_assert_double_le(fabs(figure_of(leg, "truth", "turned_deg")), 3);
    }
    ck_assert_ptr_nonnull(strstr(table(1), "; past 1 fork\n"));
    // It goes with the edge else, to where that line ends.
    write_fork(true, 25, false);
    JsonObject *leg = follow_edge("distance_mm: 1100", 0, 1, 3);
    ck_assert_str_eq(outcome_of(leg), "edge_lost");
    ck_assert_double_le(figure_of(leg, "truth", "travelled_mm"), 1060);
    // Bends are none.
    write_edge_line(true, 0, BENDS);
    leg = follow_edge("fork: pass, distance_mm: 1200", 0, 0, 3);
    ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 4);
    ck_assert_ptr_null(strstr(table(3), "fork\n"));
    follow_edge("fork: pass, gap_mm: 60, distance_mm: 1200", 0, 2, 3);
    ck_assert_ptr_nonnull(strstr(err, "leave out gap_mm or fork: pass"));
}
END_TEST

START_TEST(a_light_line_and_a_grey_one_have_edges_too) {
    write_runs_floor(DARK, "<path class='line' fill='none' stroke='" FLOOR
                           "' stroke-width='20' d='M 180 855 h 1700'/>");
    JsonObject *leg = follow_edge("distance_mm: 800, tone: light", 0, 0, 1);
    ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 5);
    write_runs_floor(FLOOR, "<path class='line' fill='none' stroke='#7d827c' stroke-width='20' "
                            "d='M 180 855 h 1700'/>");
    leg = follow_edge("distance_mm: 800, band: {low: 0.1, high: 0.65}", 0, 0, 1);
    ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 5);
}
END_TEST

START_TEST(what_is_too_fast_for_its_bends_is_refused) {
    write_edge_line(true, 0, "h 1700");
    JsonObject *leg = follow_edge("cruise_mm_s: 400", 0, 1, 1);
    ck_assert_str_eq(outcome_of(leg), "too_fast");
    ck_assert_str_eq(json_object_get_string_member(leg, "field"), "cruise_mm_s");
    ck_assert_double_eq_tol(json_object_get_double_member(leg, "limit"), 300, 25);
    leg = follow_edge("cruise_mm_s: 400, too_fast: slow, distance_mm: 500", 0, 0, 1);
    double slow = figure_of(leg, "truth", "top_speed_mm_s");
    ck_assert_double_le(slow, 330);
    leg =
        follow_edge("cruise_mm_s: 400, tightest_mm: 70, too_fast: slow, distance_mm: 500", 0, 0, 1);
    ck_assert_double_lt(figure_of(leg, "truth", "top_speed_mm_s"), 0.7 * slow);
    follow_edge("cruise_mm_s: 50, tightest_mm: 60", 0, 2, 1); // the spot is 45 mm aside
    ck_assert_ptr_nonnull(strstr(err, "legs[1].follow_edge.tightest_mm: makes no sense for this "
                                      "robot; 64.29 would do\n"));
    leg = follow_edge("cruise_mm_s: 300, too_fast: accept, distance_mm: 900", 0, 0, 1);
    ck_assert_double_gt(figure_of(leg, "truth", "top_speed_mm_s"), 280);
    ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 6);
}
END_TEST

START_TEST(a_wheels_distance_must_be_given) {
    write_edge_line(true, 0, "h 1700");
    follow_edge("distance_of: left", 0, 2, 1);
    ck_assert_ptr_nonnull(strstr(err, "legs[1].follow_edge.distance_of: no way is given; "));
}
END_TEST

START_TEST(without_a_spots_size_it_is_refused) {
    write_runs_robot("spotless.yaml", "    spot_mm: 6\n", "");
    write_edge_line(true, 0, "h 1700");
    drive_legs("spotless.yaml", "  - follow_edge: {distance_mm: 300}", 0, 2, 1, 1);
    ck_assert_ptr_nonnull(strstr(err, "legs[1].follow_edge.spot_mm: the robot does not"));
}
END_TEST

START_TEST(whatever_ends_a_leg_ends_it) {
    write_edge_line(true, 0, "h 1700");
    char *legs =
        g_strdup("  - follow_edge: {}\n    ends: {for_s: 2}\n  - advance: {distance_mm: 30}");
    JsonObject *leg = drive_legs("mozzo.yaml", legs, 0, 0, 1, 1);
    ck_assert_str_eq(outcome_of(leg), "done");
    ck_assert_str_eq(json_object_get_string_member(leg, "by"), "time");
    ck_assert_double_eq_tol(figure_of(leg, "truth", "elapsed_ms"), 2000, 400);
    g_free(legs);
    // Over into an advance, without a halt.
    legs = g_strdup("  - follow_edge: {distance_mm: 400, ending: moving}\n"
                    "  - advance: {distance_mm: 200}");
    leg = drive_legs("mozzo.yaml", legs, 0, 0, 1, 2);
    ck_assert_double_ge(figure_of(leg, "truth", "travelled_mm"), 190);
    g_free(legs);
}
END_TEST

static char *draw(const char *what) {
    char *path = in_folder("drawn.svg");
    char *line =
        g_strdup_printf(COMMAND " drive " SOURCE_DIR "/%s --quiet --picture %s", what, path);
    ck_assert_int_eq(call(line), 0);
    char *text;
    ck_assert(g_file_get_contents(path, &text, NULL, NULL));
    g_free(line);
    g_free(path);
    return text;
}

static unsigned count_of(const char *text, const char *word) {
    unsigned count = 0;
    for (const char *at = text; (at = strstr(at, word)) != NULL; at++) {
        count++;
    }
    return count;
}

// The colour of the band, which nothing else has.
#define BAND "fill:rgb(95%,55%,5%)"

START_TEST(the_lane_and_its_example_are_driven) {
    ck_assert_int_eq(CALL("series data/ferry/lane.yaml --trials 12"), 0);
    ck_assert_ptr_nonnull(strstr(out, "edge_worst_mm"));
    ck_assert_ptr_nonnull(strstr(out, "rest_error_mm")); // of the one to a line across
    ck_assert_int_eq(CALL("drive data/ferry/lane.yaml"), 0);
    ck_assert_ptr_nonnull(strstr(out, "from the edge"));
    ck_assert_ptr_nonnull(strstr(out, "wobbles by"));
    // How far off it was: beside the edge, on both sides of the gap, there and back; and as a
    // curve.
    char *picture = draw("data/ferry/lane.yaml --view mat");
    ck_assert_uint_ge(count_of(picture, BAND), 5);
    g_free(picture);
    picture = draw("data/ferry/lane.yaml --view strip --leg 3");
    ck_assert_ptr_nonnull(strstr(picture, "left of the edge (mm)"));
    ck_assert_ptr_nonnull(strstr(picture, "bend by its word (1/m)"));
    g_free(picture);
    picture = draw("data/ferry/lane.yaml --view strip --leg 2");
    ck_assert_ptr_null(strstr(picture, "left of the edge (mm)"));
    g_free(picture);
    ck_assert_int_eq(call(EXAMPLES "/example_follow_lane"), 0);
    ck_assert_ptr_nonnull(strstr(out, "follow_edge: done, joined after"));
    ck_assert_ptr_nonnull(strstr(out, "follow_edge: done, ended by time\n"));
    ck_assert_int_eq(call(EXAMPLES "/example_follow_to_crate"), 0);
    ck_assert_ptr_nonnull(strstr(out, "follow_edge: done, ended by range_below after "));
}
END_TEST

int main(void) {
    begin_runs();
    const TTest *const tests[] = {it_halts_where_the_line_ends,
                                  without_an_edge_there_is_no_line,
                                  a_floor_darker_than_its_level_is_no_edge,
                                  a_noisy_sensor_knows_that_floor_from_the_line,
                                  the_other_edge_is_not_what_was_asked_for,
                                  what_left_the_line_over_its_other_edge_comes_back,
                                  it_ends_on_a_line_across_or_drives_over_it,
                                  a_stated_edge_takes_the_drift_out,
                                  it_drives_over_gaps,
                                  it_joins_over_gaps,
                                  a_fleet_may_start_on_the_line,
                                  it_passes_forks_by_or_takes_them,
                                  a_light_line_and_a_grey_one_have_edges_too,
                                  what_is_too_fast_for_its_bends_is_refused,
                                  a_wheels_distance_must_be_given,
                                  without_a_spots_size_it_is_refused,
                                  whatever_ends_a_leg_ends_it,
                                  the_lane_and_its_example_are_driven,
                                  NULL};
    int failed = run_suite("follow_ends", tests);
    end_runs();
    return failed;
}
