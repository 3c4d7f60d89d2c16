// SPDX-License-Identifier: GPL-3.0-or-later
// An edge that is followed: joined, around bends, to where it ends.
#include "leg_runs.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

// A line of 20 mm whose left edge is under the right sensor at the start, or whose right edge is
// under the left one: so far to the left of where that is. It goes straight on, then along `rest`.
static void write_line(bool left, double off_mm, const char *rest) {
    double y = 1200.0 - (left ? 345.0 : 455.0) - off_mm;
    char *shapes = g_strdup_printf("<path class='line' fill='none' stroke='" DARK
                                   "' stroke-width='20' d='M 180 %g %s'/>",
                                   y, rest);
    write_runs_floor(FLOOR, shapes);
    g_free(shapes);
}

static JsonObject *follow(const char *parameters, double heading_deg, int status, unsigned seed) {
    char *leg = g_strdup_printf("  - follow_edge: {%s}", parameters);
    JsonObject *result = drive_legs("mozzo.yaml", leg, heading_deg, status, seed, 1);
    g_free(leg);
    return result;
}

START_TEST(it_follows_either_edge_around_bends) {
    for (unsigned seed = 1; seed <= SEEDS(4); seed++) {
        for (int left = 0; left < 2; left++) {
            write_line(left == 1, 0, BENDS);
            JsonObject *leg =
                follow(left ? "distance_mm: 1200" : "edge: right, distance_mm: 1200", 0, 0, seed);
            ck_assert_str_eq(outcome_of(leg), "done");
            ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 6);
            ck_assert_double_le(figure_of(leg, "truth", "edge_rms_mm"), 1.6);
            ck_assert_double_eq_tol(figure_of(leg, "robot", "edge_mean_mm"),
                                    figure_of(leg, "truth", "edge_mean_mm"), 0.8);
            ck_assert_double_eq_tol(figure_of(leg, "robot", "joined_mm"),
                                    figure_of(leg, "truth", "joined_mm"), 40);
            ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 1200, 25);
        }
    }
}
END_TEST

START_TEST(more_slowly_it_keeps_nearer) {
    write_line(true, 0, BENDS);
    for (unsigned seed = 1; seed <= SEEDS(8); seed++) {
        JsonObject *leg = follow("cruise_mm_s: 160, distance_mm: 1200", 0, 0, seed);
        ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 4.5);
    }
}
END_TEST

// Around a bend that it was not told of it goes over the line and beyond: how far from its own
// edge, not from the other one, which is nearer by the line's width.
// A bend turns the robot as well.
START_TEST(it_tells_wobble_from_bends) {
    write_line(true, 0, BENDS);
    JsonObject *calm = follow("cruise_mm_s: 120, distance_mm: 1200", 0, 0, 1);
    ck_assert_double_le(figure_of(calm, "truth", "wobble_deg"), 0.9);
    ck_assert_double_le(figure_of(calm, "robot", "wobble_deg"), 1.5);
    ck_assert_double_eq(figure_of(calm, "robot", "full_share"), 0);
    ck_assert_double_eq_tol(figure_of(calm, "truth", "mean_speed_mm_s"), 112, 5);
    double joined_s = 1e-3 * figure_of(calm, "truth", "joined_ms");
    ck_assert_double_eq_tol(figure_of(calm, "truth", "joined_mm") / joined_s, 80, 25);
    JsonObject *wild = follow("cruise_mm_s: 380, distance_mm: 1200, too_fast: accept", 0, 0, 1);
    ck_assert_double_ge(figure_of(wild, "truth", "wobble_deg"), 1.3);
    ck_assert_double_eq_tol(figure_of(wild, "robot", "wobble_deg"),
                            figure_of(wild, "truth", "wobble_deg"), 1.0);
    ck_assert_double_ge(figure_of(wild, "truth", "wobble_hz"), 1.0);
    ck_assert_double_le(figure_of(wild, "truth", "wobble_hz"), 6.0);
    write_runs_robot("tired.yaml", "top_mm_s: 700", "top_mm_s: 230");
    JsonObject *full = drive_legs(
        "tired.yaml", "  - follow_edge: {cruise_mm_s: 225, distance_mm: 1200}", 0, 0, 1, 1);
    ck_assert_double_gt(figure_of(full, "robot", "full_share"), 0.05);
    ck_assert_double_lt(figure_of(full, "robot", "full_share"), 0.95);
}
END_TEST

// How it follows by such parameters besides.
typedef struct feel {
    double wobble_deg, wobble_hz, rms_mm, joined_mm;
} feel;

static feel feel_of(const char *parameters) {
    char *all = g_strdup_printf("distance_mm: 1200%s", parameters);
    JsonObject *leg = follow(all, 0, 0, 1);
    g_free(all);
    return (feel){figure_of(leg, "truth", "wobble_deg"), figure_of(leg, "truth", "wobble_hz"),
                  figure_of(leg, "truth", "edge_rms_mm"), figure_of(leg, "truth", "joined_mm")};
}

START_TEST(gains_by_hand_are_felt) {
    write_line(true, 0, BENDS);
    feel own = feel_of("");
    feel harder = feel_of(", recover_mm: 25");
    ck_assert_double_gt(harder.wobble_hz, 1.5 * own.wobble_hz);
    ck_assert_double_gt(harder.wobble_deg, 1.3 * own.wobble_deg);
    ck_assert_double_eq_tol(harder.joined_mm, own.joined_mm, 1); // that it does as ever
    feel swings = feel_of(", damping: 0.3");
    ck_assert_double_gt(swings.wobble_deg, 1.3 * own.wobble_deg);
    feel calm = feel_of(", recover_mm: 90");
    ck_assert_double_lt(calm.wobble_hz, own.wobble_hz);
    ck_assert_double_gt(calm.rms_mm, own.rms_mm);
}
END_TEST

START_TEST(a_distance_may_be_a_wheels) {
    static const char *const of[] = {"left", "middle", "right"};
    write_line(true, 0, "h 300 a 250 250 0 0 0 250 -250 v -500");
    for (int i = 0; i < 3; i++) {
        char *parameters = g_strdup_printf("distance_mm: 850, distance_of: %s", of[i]);
        JsonObject *leg = follow(parameters, 0, 0, 1);
        ck_assert_str_eq(outcome_of(leg), "done");
        // A quarter round on a track of 110 mm.
        double more = (1 - i) * 0.5 * G_PI * 55.0;
        ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 850.0 + more, 12);
        g_free(parameters);
    }
}
END_TEST

START_TEST(how_far_it_is_counts_from_its_own_edge) {
    write_line(true, 0, "h 500 a 90 90 0 0 0 90 -90 v -300");
    JsonObject *leg = follow("cruise_mm_s: 250, tightest_mm: 1000, distance_mm: 800", 0, 1, 1);
    ck_assert_str_eq(outcome_of(leg), "edge_lost");
    ck_assert_double_eq_tol(figure_of(leg, "truth", "edge_worst_mm"), 31, 5);
    ck_assert_double_le(figure_of(leg, "robot", "edge_worst_mm"), 3); // it knows it within its spot
}
END_TEST

START_TEST(it_joins_from_beside_and_at_an_angle) {
    static const struct {
        double off_mm, heading_deg; // of the spot from the edge; of the robot to it
    } cases[] = {{0, 0},    {15, 0},   {5, -20}, {15, -20}, {30, -20},
                 {15, -45}, {30, -45}, {10, 10}, {60, -55}, {70, -55}};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i += EACH) {
        double a = cases[i].heading_deg * G_PI / 180.0;
        double spot = 70.0 * sin(a) - 45.0 * cos(a) + 45.0; // from where it is at no angle
        write_line(true, spot - cases[i].off_mm, "h 1700");
        JsonObject *leg = follow("distance_mm: 700", cases[i].heading_deg, 0, 2 + (unsigned)i);
        ck_assert_double_le(figure_of(leg, "truth", "joined_mm"), 300);
        ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 6);
    }
}
END_TEST

// A spot outside of its tyres goes round a bend much faster than they do, or hardly moves; and
// turns over the line where the robot turns along it.
START_TEST(a_spot_outside_of_the_tyres_keeps_to_bends_and_joins_steeply) {
    write_runs_robot("outside.yaml", "left_mm: -45", "left_mm: -68");
    for (unsigned seed = 1; seed <= SEEDS(4); seed++) {
        write_line(true, -23, "h 300 a 150 150 0 0 0 150 -150 a 150 150 0 0 1 150 -150 h 600");
        JsonObject *leg =
            drive_legs("outside.yaml", "  - follow_edge: {tightest_mm: 150, distance_mm: 1000}", 0,
                       0, seed, 1);
        ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 6.5);
        ck_assert_double_le(figure_of(leg, "truth", "edge_rms_mm"), 2.0);
        double a = -58 * G_PI / 180.0;
        double spot = 70.0 * sin(a) - 68.0 * cos(a) + 45.0;
        write_line(true, spot - 8.0 * seed, "h -170 h 1870");
        leg = drive_legs("outside.yaml", "  - follow_edge: {least_width_mm: 15, distance_mm: 500}",
                         -58, 0, seed, 1);
        ck_assert_double_le(figure_of(leg, "truth", "joined_mm"), 120);
    }
}
END_TEST

// Robots of many kinds, nearly across the line as they come to it, and around S-bends then.
START_TEST(robots_of_other_kinds_join_steeply_and_keep_to_bends) {
    double worst = 0.0;
    unsigned robots = SEEDS(60);
    write_line(true, -105, "h -170 h 570 a 150 150 0 0 0 150 -150 a 150 150 0 0 1 150 -150 h 700");
    for (unsigned seed = 1; seed <= robots; seed++) {
        JsonObject *leg = drive_legs(SOURCE_DIR "/data/ferry/fleet.yaml",
                                     "  - follow_edge: {tightest_mm: 150, least_width_mm: 15, "
                                     "too_fast: slow, distance_mm: 1000}",
                                     -58, 0, seed, 1);
        ck_assert_double_le(figure_of(leg, "truth", "joined_mm"), 200);
        worst += figure_of(leg, "truth", "edge_worst_mm") / robots;
    }
    ck_assert_double_le(worst, 5.0);
}
END_TEST

START_TEST(it_halts_where_the_line_ends) {
    for (unsigned seed = 1; seed <= SEEDS(3); seed++) {
        write_line(true, 0, "h 700");
        JsonObject *leg = follow("distance_mm: 1500", 0, 1, seed);
        ck_assert_str_eq(outcome_of(leg), "edge_lost");
        // The line ends 660 mm ahead of where the spot was.
        double gone = figure_of(leg, "truth", "travelled_mm");
        ck_assert_double_ge(gone, 655);
        ck_assert_double_le(gone, 780);
    }
}
END_TEST

START_TEST(without_an_edge_there_is_no_line) {
    write_line(true, 300, "h 1700");
    JsonObject *leg = follow("search_mm: 200", 0, 1, 1);
    ck_assert_str_eq(outcome_of(leg), "no_line");
    ck_assert_double_le(figure_of(leg, "truth", "travelled_mm"), 225);
    leg = follow("distance_mm: 150", 0, 1, 1);
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
            JsonObject *leg = follow("distance_mm: 1700", 0, 1, 1);
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

START_TEST(the_other_edge_is_not_what_was_asked_for) {
    write_line(true, 45, "h 1700"); // the spot is beyond the line's right edge
    JsonObject *leg = follow("distance_mm: 800", 0, 1, 1);
    ck_assert_str_ne(outcome_of(leg), "done");
    write_line(true, 9, "h 1700"); // on the line it turns to the edge that is asked for
    leg = follow("distance_mm: 800", 0, 0, 1);
    ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 5);
}
END_TEST

// Put down on the line it may leave it over the wrong edge: it comes back over the line.
START_TEST(what_left_the_line_over_its_other_edge_comes_back) {
    for (unsigned seed = 1; seed <= SEEDS(5); seed++) {
        for (int left = 0; left < 2; left++) {
            double heading = left == 1 ? -14 : 14;
            write_line(left == 1, left == 1 ? -11 + 4 : 11 - 4, "h 1700");
            const char *leg = left == 1 ? "distance_mm: 1200" : "edge: right, distance_mm: 1200";
            JsonObject *result = follow(leg, heading, 0, seed);
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
        JsonObject *leg = follow("across: end", 0, 0, seed);
        ck_assert_str_eq(outcome_of(leg), "done");
        ck_assert_double_le(fabs(figure_of(leg, "truth", "rest_error_mm")), 1.0);
        ck_assert_double_eq_tol(figure_of(leg, "robot", "rest_error_mm"),
                                figure_of(leg, "truth", "rest_error_mm"), 0.6);
        ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 640, 8);
        // Straight across its way: the angle to it is what the robot has turned.
        ck_assert_double_eq_tol(figure_of(leg, "truth", "residual_angle_deg"),
                                figure_of(leg, "truth", "turned_deg"), 0.01);
        leg =
            follow("across: end, ending: moving}\n  - follow_edge: {distance_mm: 300", 0, 0, seed);
        ck_assert_str_eq(outcome_of(leg), "done");
        ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 665, 25);
        leg = follow("distance_mm: 1200", 0, 0, seed); // as if it were not there
        ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 4.5);
    }
    write_along(ALONG);
    JsonObject *leg = follow("across: end, distance_mm: 600", 0, 1, 1);
    ck_assert_str_eq(outcome_of(leg), "no_line");
    // What is no line across is driven over, and does not end it.
    write_along(ALONG "<path d='M 870 600 V 1000'/></g><g class='decoration' stroke='" DARK
                      "' stroke-width='5'><path d='M 600 700 V 800'/>");
    leg = follow("across: end", 0, 0, 1);
    ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 640, 8);
}
END_TEST

// Its heading and its place across, where the edge truly is; along it odometry's place stays.
START_TEST(a_stated_edge_takes_the_drift_out) {
    write_along(ALONG);
    for (unsigned seed = 1; seed <= SEEDS(8); seed++) {
        follow("distance_mm: 700, place: {x_mm: 20, y_mm: 355, heading_deg: 0}", 0, 0, seed);
        char *told = run_stands(seed);
        double off_mm, off_deg;
        ck_assert_int_eq(sscanf(told, "believes to stand %lf mm and %lf", &off_mm, &off_deg), 2);
        ck_assert_double_le(off_deg, 1.0);
        ck_assert_double_le(off_mm, 4.5);
        g_free(told);
    }
    write_line(true, 0, BENDS); // so near behind a bend it does not know where the edge leads
    follow("distance_mm: 1180, place: {x_mm: 20, y_mm: 855, heading_deg: 0}", 0, 0, 1);
    char *with = run_stands(1);
    follow("distance_mm: 1180", 0, 0, 1);
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
            JsonObject *leg = follow("gap_mm: 60, distance_mm: 950", 0, 0, seed);
            ck_assert_str_eq(outcome_of(leg), "done");
            ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 9);
        }
    }
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
        JsonObject *leg = follow(left ? "fork: pass, distance_mm: 1100"
                                      : "edge: right, fork: pass, distance_mm: 1100",
                                 0, 0, 3 + (unsigned)i);
        ck_assert_str_eq(outcome_of(leg), "done");
        ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 4);
        ck_assert_double_le(fabs(figure_of(leg, "truth", "turned_deg")), 3);
    }
    ck_assert_ptr_nonnull(strstr(table(1), "; past 1 fork\n"));
    // It goes with the edge else, to where that line ends.
    write_fork(true, 25, false);
    JsonObject *leg = follow("distance_mm: 1100", 0, 1, 3);
    ck_assert_str_eq(outcome_of(leg), "edge_lost");
    ck_assert_double_le(figure_of(leg, "truth", "travelled_mm"), 1060);
    // Bends are none.
    write_line(true, 0, BENDS);
    leg = follow("fork: pass, distance_mm: 1200", 0, 0, 3);
    ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 4);
    ck_assert_ptr_null(strstr(table(3), "fork\n"));
    follow("fork: pass, gap_mm: 60, distance_mm: 1200", 0, 2, 3);
    ck_assert_ptr_nonnull(strstr(err, "leave out gap_mm or fork: pass"));
}
END_TEST

START_TEST(a_light_line_and_a_grey_one_have_edges_too) {
    write_runs_floor(DARK, "<path class='line' fill='none' stroke='" FLOOR
                           "' stroke-width='20' d='M 180 855 h 1700'/>");
    JsonObject *leg = follow("distance_mm: 800, tone: light", 0, 0, 1);
    ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 5);
    write_runs_floor(FLOOR, "<path class='line' fill='none' stroke='#7d827c' stroke-width='20' "
                            "d='M 180 855 h 1700'/>");
    leg = follow("distance_mm: 800, band: {low: 0.1, high: 0.65}", 0, 0, 1);
    ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 5);
}
END_TEST

START_TEST(what_is_too_fast_for_its_bends_is_refused) {
    write_line(true, 0, "h 1700");
    JsonObject *leg = follow("cruise_mm_s: 400", 0, 1, 1);
    ck_assert_str_eq(outcome_of(leg), "too_fast");
    ck_assert_str_eq(json_object_get_string_member(leg, "field"), "cruise_mm_s");
    ck_assert_double_eq_tol(json_object_get_double_member(leg, "limit"), 240, 25);
    leg = follow("cruise_mm_s: 400, too_fast: slow, distance_mm: 500", 0, 0, 1);
    double slow = figure_of(leg, "truth", "top_speed_mm_s");
    ck_assert_double_le(slow, 300);
    leg = follow("cruise_mm_s: 400, tightest_mm: 50, too_fast: slow, distance_mm: 500", 0, 0, 1);
    ck_assert_double_lt(figure_of(leg, "truth", "top_speed_mm_s"), 0.7 * slow);
    leg = follow("cruise_mm_s: 300, too_fast: accept, distance_mm: 900", 0, 0, 1);
    ck_assert_double_gt(figure_of(leg, "truth", "top_speed_mm_s"), 280);
    ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 6);
}
END_TEST

START_TEST(without_a_spots_size_it_is_refused) {
    write_runs_robot("spotless.yaml", "    spot_mm: 6\n", "");
    write_line(true, 0, "h 1700");
    drive_legs("spotless.yaml", "  - follow_edge: {distance_mm: 300}", 0, 2, 1, 1);
    ck_assert_ptr_nonnull(strstr(err, "legs[1].follow_edge.spot_mm: the robot does not"));
}
END_TEST

START_TEST(whatever_ends_a_leg_ends_it) {
    write_line(true, 0, "h 1700");
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
    const TTest *const tests[] = {it_follows_either_edge_around_bends,
                                  more_slowly_it_keeps_nearer,
                                  it_tells_wobble_from_bends,
                                  gains_by_hand_are_felt,
                                  a_distance_may_be_a_wheels,
                                  how_far_it_is_counts_from_its_own_edge,
                                  it_joins_from_beside_and_at_an_angle,
                                  a_spot_outside_of_the_tyres_keeps_to_bends_and_joins_steeply,
                                  robots_of_other_kinds_join_steeply_and_keep_to_bends,
                                  it_halts_where_the_line_ends,
                                  without_an_edge_there_is_no_line,
                                  a_floor_darker_than_its_level_is_no_edge,
                                  the_other_edge_is_not_what_was_asked_for,
                                  what_left_the_line_over_its_other_edge_comes_back,
                                  it_ends_on_a_line_across_or_drives_over_it,
                                  a_stated_edge_takes_the_drift_out,
                                  it_drives_over_gaps,
                                  it_passes_forks_by_or_takes_them,
                                  a_light_line_and_a_grey_one_have_edges_too,
                                  what_is_too_fast_for_its_bends_is_refused,
                                  without_a_spots_size_it_is_refused,
                                  whatever_ends_a_leg_ends_it,
                                  the_lane_and_its_example_are_driven,
                                  NULL};
    int failed = run_suite("follow", tests);
    end_runs();
    return failed;
}
