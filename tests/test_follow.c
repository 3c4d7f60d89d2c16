// SPDX-License-Identifier: GPL-3.0-or-later
// An edge that is followed: joined, and around bends.
#include "leg_runs.h"

#include <math.h>

START_TEST(it_follows_either_edge_around_bends) {
    for (unsigned seed = 1; seed <= SEEDS(4); seed++) {
        for (int left = 0; left < 2; left++) {
            write_edge_line(left == 1, 0, BENDS);
            JsonObject *leg = follow_edge(
                left ? "distance_mm: 1200" : "edge: right, distance_mm: 1200", 0, 0, seed);
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
    write_edge_line(true, 0, BENDS);
    for (unsigned seed = 1; seed <= SEEDS(8); seed++) {
        JsonObject *leg = follow_edge("cruise_mm_s: 160, distance_mm: 1200", 0, 0, seed);
        ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 4.5);
    }
}
END_TEST

// So fast it comes off the edge where one bend becomes its opposite, and has to come back to it.
START_TEST(what_a_bend_throws_off_comes_back) {
    write_edge_line(true, 0, "h 300 a 100 100 0 0 0 100 -100 a 100 100 0 0 1 100 -100 h 500");
    for (unsigned seed = 1; seed <= SEEDS(4); seed++) {
        JsonObject *leg = follow_edge(
            "cruise_mm_s: 330, tightest_mm: 100, too_fast: accept, distance_mm: 900", 0, 0, seed);
        ck_assert_str_eq(outcome_of(leg), "done");
        ck_assert_double_ge(figure_of(leg, "truth", "edge_worst_mm"), 5.0); // off its spot
        ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 20.0);
    }
}
END_TEST

// A bend turns the robot as well.
START_TEST(it_tells_wobble_from_bends) {
    write_edge_line(true, 0, BENDS);
    JsonObject *calm = follow_edge("cruise_mm_s: 120, distance_mm: 1200", 0, 0, 1);
    ck_assert_double_le(figure_of(calm, "truth", "wobble_deg"), 0.9);
    ck_assert_double_le(figure_of(calm, "robot", "wobble_deg"), 1.5);
    ck_assert_double_eq(figure_of(calm, "robot", "full_share"), 0);
    ck_assert_double_eq_tol(figure_of(calm, "truth", "mean_speed_mm_s"), 112, 5);
    double joined_s = 1e-3 * figure_of(calm, "truth", "joined_ms");
    ck_assert_double_eq_tol(figure_of(calm, "truth", "joined_mm") / joined_s, 55, 10);
    JsonObject *wild =
        follow_edge("cruise_mm_s: 520, distance_mm: 1200, too_fast: accept", 0, 0, 1);
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
    char *all = g_strdup_printf("cruise_mm_s: 235, distance_mm: 1200%s", parameters);
    JsonObject *leg = follow_edge(all, 0, 0, 1);
    g_free(all);
    return (feel){figure_of(leg, "truth", "wobble_deg"), figure_of(leg, "truth", "wobble_hz"),
                  figure_of(leg, "truth", "edge_rms_mm"), figure_of(leg, "truth", "joined_mm")};
}

START_TEST(gains_by_hand_are_felt) {
    write_edge_line(true, 0, BENDS);
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

START_TEST(it_stands_at_the_end_of_its_way) {
    write_edge_line(true, 0, "h 900");
    for (unsigned seed = 1; seed <= SEEDS(6); seed++) {
        JsonObject *leg =
            follow_edge("cruise_mm_s: 295, too_fast: accept, distance_mm: 600", 0, 0, seed);
        ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 600.0, 2.5);
    }
}
END_TEST

// What is asked for at the end is less than turns these wheels.
START_TEST(what_sticks_at_the_end_of_its_way_is_pushed) {
    write_edge_line(true, 0, "h 900");
    write_runs_robot("stiff.yaml", "  regulator: pi\n",
                     "  regulator: pi\n  regulator_slowest_mm_s: 35\n");
    JsonObject *leg = drive_legs("stiff.yaml", "  - follow_edge: {distance_mm: 600}", 0, 0, 1, 1);
    ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 600.0, 3);
    ck_assert_double_lt(figure_of(leg, "truth", "elapsed_ms"), 6000);
}
END_TEST

START_TEST(a_distance_may_be_a_wheels) {
    static const char *const of[] = {"left", "middle", "right"};
    write_edge_line(true, 0, "h 300 a 250 250 0 0 0 250 -250 v -500");
    for (int i = 0; i < 3; i++) {
        char *parameters = g_strdup_printf("distance_mm: 850, distance_of: %s", of[i]);
        JsonObject *leg = follow_edge(parameters, 0, 0, 1);
        ck_assert_str_eq(outcome_of(leg), "done");
        // A quarter round on a track of 110 mm.
        double more = (1 - i) * 0.5 * G_PI * 55.0;
        ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 850.0 + more, 12);
        g_free(parameters);
    }
}
END_TEST

// A lamp that has grown weaker since the levels were taken: light ground reads 0.8 of the level, as
// if the spot touched an edge there. It would go along that wherever it is.
START_TEST(a_dimmed_sensor_comes_back_to_the_edge) {
    static const char thrown_off[] =
        "h 300 a 100 100 0 0 0 100 -100 a 100 100 0 0 1 100 -100 h 500";
    write_runs_robot("dimmed.yaml", "light: 541", "light: 650");
    for (unsigned i = 0; i < 2 * SEEDS(4); i++) {
        bool light = i % 2 == 1;
        char *line = g_strdup_printf("<path class='line' fill='none' stroke='%s' "
                                     "stroke-width='20' d='M 180 855 %s'/>",
                                     light ? FLOOR : DARK, thrown_off);
        write_runs_floor(light ? DARK : FLOOR, line);
        char *leg = g_strdup_printf("  - follow_edge: {tone: %s, cruise_mm_s: 360, tightest_mm: "
                                    "100, too_fast: accept, distance_mm: 900}",
                                    light ? "light" : "dark");
        JsonObject *result = drive_legs("dimmed.yaml", leg, 0, 0, 1 + i / 2, 1);
        ck_assert_double_ge(figure_of(result, "truth", "edge_worst_mm"), 9); // off its spot
        ck_assert_double_le(figure_of(result, "truth", "edge_worst_mm"), 60);
        g_free(line);
        g_free(leg);
    }
}
END_TEST

// Around a bend that it was not told of it goes over the line and beyond: how far from its own
// edge, not from the other one, which is nearer by the line's width.
START_TEST(how_far_it_is_counts_from_its_own_edge) {
    write_edge_line(true, 0, "h 500 a 90 90 0 0 0 90 -90 v -300");
    JsonObject *leg = follow_edge("cruise_mm_s: 250, tightest_mm: 1000, distance_mm: 800", 0, 1, 1);
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
        write_edge_line(true, spot - cases[i].off_mm, "h 1700");
        JsonObject *leg = follow_edge("distance_mm: 700", cases[i].heading_deg, 0, 2 + (unsigned)i);
        ck_assert_double_le(figure_of(leg, "truth", "joined_mm"), 300);
        ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 6);
    }
}
END_TEST

// The other sensor comes over the line first, and over the whole of it: the edge that was asked for
// is where its own one leaves the line. What that one went over beside the line is none.
START_TEST(it_joins_from_beyond_the_line) {
    static const struct { int heading_deg, off_mm; } cases[] = {{20, 95}, {45, 95}, {58, 125}};
    unsigned robots = SEEDS(24);
    for (size_t i = 0; i < 2 * G_N_ELEMENTS(cases); i += EACH) {
        bool left = i % 2 == 1;
        int heading = cases[i / 2].heading_deg;
        int off = cases[i / 2].off_mm;
        char *line = g_strdup_printf("<path class='line' fill='none' stroke='" DARK
                                     "' stroke-width='20' d='M 10 %d H 1880'/>",
                                     800 + (left ? -off : off));
        write_runs_floor(FLOOR, line);
        g_free(line);
        for (unsigned seed = 1; seed <= robots; seed++) {
            JsonObject *leg = drive_legs(SOURCE_DIR "/data/ferry/fleet.yaml",
                                         left ? "  - follow_edge: {distance_mm: 900}"
                                              : "  - follow_edge: {edge: right, distance_mm: 900}",
                                         left ? heading : -heading, -1, seed, 1);
            ck_assert_str_eq(outcome_of(leg), "done");
            ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 8);
        }
    }
    write_runs_floor(FLOOR,
                     "<path class='line' fill='none' stroke='" DARK "' stroke-width='20' "
                     "d='M 10 893 H 1880'/><path class='decoration' fill='none' stroke='" DARK
                     "' stroke-width='12' d='M 252 740 l 20 60'/>");
    JsonObject *leg = follow_edge("distance_mm: 700", -25, 0, 1);
    ck_assert_double_le(figure_of(leg, "truth", "joined_mm"), 300);
}
END_TEST

// A spot outside of its tyres goes round a bend much faster than they do, or hardly moves; and
// turns over the line where the robot turns along it.
START_TEST(a_spot_outside_of_the_tyres_keeps_to_bends_and_joins_steeply) {
    write_runs_robot("outside.yaml", "left_mm: -45", "left_mm: -68");
    for (unsigned seed = 1; seed <= SEEDS(4); seed++) {
        write_edge_line(true, -23, "h 300 a 150 150 0 0 0 150 -150 a 150 150 0 0 1 150 -150 h 600");
        JsonObject *leg =
            drive_legs("outside.yaml", "  - follow_edge: {tightest_mm: 150, distance_mm: 1000}", 0,
                       0, seed, 1);
        ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 6.5);
        ck_assert_double_le(figure_of(leg, "truth", "edge_rms_mm"), 2.0);
        double a = -58 * G_PI / 180.0;
        double spot = 70.0 * sin(a) - 68.0 * cos(a) + 45.0;
        write_edge_line(true, spot - 8.0 * seed, "h -170 h 1870");
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
    write_edge_line(true, -105,
                    "h -170 h 570 a 150 150 0 0 0 150 -150 a 150 150 0 0 1 150 -150 h 700");
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

int main(void) {
    begin_runs();
    const TTest *const tests[] = {it_follows_either_edge_around_bends,
                                  more_slowly_it_keeps_nearer,
                                  what_a_bend_throws_off_comes_back,
                                  it_tells_wobble_from_bends,
                                  gains_by_hand_are_felt,
                                  it_stands_at_the_end_of_its_way,
                                  what_sticks_at_the_end_of_its_way_is_pushed,
                                  a_distance_may_be_a_wheels,
                                  a_dimmed_sensor_comes_back_to_the_edge,
                                  how_far_it_is_counts_from_its_own_edge,
                                  it_joins_from_beside_and_at_an_angle,
                                  it_joins_from_beyond_the_line,
                                  a_spot_outside_of_the_tyres_keeps_to_bends_and_joins_steeply,
                                  robots_of_other_kinds_join_steeply_and_keep_to_bends,
                                  NULL};
    int failed = run_suite("follow", tests);
    end_runs();
    return failed;
}
