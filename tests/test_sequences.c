// SPDX-License-Identifier: GPL-3.0-or-later
// Legs in the order that users put them: what one leaves is what the next one begins with.
#include "leg_runs.h"

#include <string.h>

#define TWO_LINES                                                                                  \
    "<rect class='line' x='500' y='10' width='20' height='1180' fill='" DARK                       \
    "'/><rect class='line' x='1300' y='10' width='20' height='1180' fill='" DARK "'/>"

// Whatever it halted at is what it squares on: it goes back until both sensors are before it.
START_TEST(a_square_after_a_halt_is_on_the_same_line) {
    static const char *const first[] = {
        "stop_on_line: {cruise_mm_s: 200, rest: near_edge}",
        "stop_on_line: {cruise_mm_s: 200, rest: centre}",
        "stop_on_line: {cruise_mm_s: 200, rest: far_edge}",
        "stop_on_line: {cruise_mm_s: 400, rest: near_edge, beyond_mm: 70}",
        "drive_until_line: {cruise_mm_s: 400}",
        "count_lines: {number: 1, cruise_mm_s: 300, rest: near_edge}",
    };
    static const int slants_deg[] = {-20, -6, 0, 8, 25};
    begin_runs();
    write_runs_floor(FLOOR, TWO_LINES);
    for (size_t i = 0; i < G_N_ELEMENTS(first); i++) {
        char *legs = g_strdup_printf("  - %s\n  - square_on_line: {cruise_mm_s: 200}", first[i]);
        for (size_t k = 0; k < G_N_ELEMENTS(slants_deg); k += EACH) {
            JsonObject *leg =
                drive_legs("mozzo.yaml", legs, slants_deg[k], 0, (unsigned)(i + k + 1), 2);
            ck_assert_double_eq_tol(figure_of(leg, "truth", "rest_error_mm"), 0.0, 1.2);
            ck_assert_double_eq_tol(figure_of(leg, "truth", "residual_angle_deg"), 0.0, 2.0);
            ck_assert_double_le(figure_of(leg, "truth", "elapsed_ms"), 5000);
            ck_assert_double_le(figure_of(leg, "truth", "travelled_mm"), 100);
        }
        g_free(legs);
    }
    end_runs();
}
END_TEST

// A robot that has slid is further beyond the line than it thinks: it goes back until it has seen
// it.
START_TEST(having_slid_it_goes_back_further) {
    begin_runs();
    write_runs_floor(FLOOR, TWO_LINES);
    write_runs_robot("slides.yaml", "grip_m_s2: 4.5", "grip_m_s2: 1.2");
    for (unsigned seed = 1; seed <= SEEDS(6); seed++) {
        JsonObject *leg = drive_legs("slides.yaml",
                                     "  - drive_until_line: {cruise_mm_s: 400, halt: hold}\n"
                                     "  - square_on_line: {cruise_mm_s: 150}",
                                     seed % 2 ? 12 : -9, 0, seed, 2);
        ck_assert_double_le(figure_of(leg, "truth", "travelled_mm"), 300);
        ck_assert_double_eq_tol(figure_of(leg, "truth", "rest_error_mm"), 0.0, 1.2);
    }
    end_runs();
}
END_TEST

// A square where it comes to the line moving, has squared on it already, or is told to leave it;
// and whatever else looks for a line.
START_TEST(else_the_next_line_is_meant) {
    static const char *const legs[] = {
        "drive_until_line: {cruise_mm_s: 150, least_width_mm: 8, ending: moving}\n"
        "  - square_on_line: {cruise_mm_s: 200}",
        "square_on_line: {cruise_mm_s: 200}\n  - square_on_line: {cruise_mm_s: 200}",
        "square_on_line: {cruise_mm_s: 200, rest: far_edge}\n"
        "  - square_on_line: {cruise_mm_s: 200}",
        "stop_on_line: {cruise_mm_s: 200, rest: near_edge}\n"
        "  - square_on_line: {cruise_mm_s: 200, off_line: true}",
        "stop_on_line: {cruise_mm_s: 200, rest: near_edge}\n"
        "  - square_on_line: {cruise_mm_s: 200, blind_mm: 100}",
        "stop_on_line: {cruise_mm_s: 200, rest: near_edge}\n"
        "  - count_lines: {number: 1, cruise_mm_s: 200, rest: near_edge}",
        "square_on_line: {cruise_mm_s: 200}\n"
        "  - stop_on_line: {cruise_mm_s: 200, rest: near_edge}",
        "square_on_line: {cruise_mm_s: 200}\n"
        "  - count_lines: {number: 1, cruise_mm_s: 200, rest: near_edge}",
    };
    begin_runs();
    write_runs_floor(FLOOR, TWO_LINES);
    for (size_t i = 0; i < G_N_ELEMENTS(legs); i++) {
        char *both = g_strdup_printf("  - %s", legs[i]);
        for (unsigned seed = 1; seed <= SEEDS(6); seed++) {
            JsonObject *leg = drive_legs("mozzo.yaml", both, seed % 2 ? 12 : -9, 0, seed, 2);
            ck_assert_double_ge(figure_of(leg, "truth", "travelled_mm"), 700);
            ck_assert_double_eq_tol(figure_of(leg, "truth", "rest_error_mm"), 0.0, 1.2);
        }
        g_free(both);
    }
    // What is of another colour may begin where that line ends; to the mat both are one line.
    write_runs_floor(FLOOR,
                     "<rect class='line' x='500' y='10' width='60' height='1180' fill='#24468c"
                     "'/><rect class='line' x='560' y='10' width='60' height='1180' "
                     "fill='#1f6b40'/>");
    JsonObject *leg =
        drive_legs("mozzo-colour.yaml",
                   "  - stop_on_line: {surface: blue, cruise_mm_s: 200, rest: centre}\n"
                   "  - stop_on_line: {surface: green, cruise_mm_s: 200, rest: near_edge}",
                   0, -1, 1, 2);
    ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 30, 4);
    write_runs_floor(FLOOR, TWO_LINES);
    // Counting them all it has not halted at one.
    leg = drive_legs("mozzo.yaml",
                     "  - count_lines: {cruise_mm_s: 200, longest_mm: 350}\n"
                     "  - square_on_line: {cruise_mm_s: 200}",
                     0, 0, 1, 2);
    ck_assert_double_ge(figure_of(leg, "truth", "travelled_mm"), 350);
    // What is of another tone, too; the mat does not mark that.
    leg = drive_legs("mozzo.yaml",
                     "  - stop_on_line: {cruise_mm_s: 200, rest: centre}\n"
                     "  - stop_on_line: {cruise_mm_s: 200, tone: light, rest: near_edge}",
                     0, 1, 1, 2);
    ck_assert_double_eq_tol(figure_of(leg, "robot", "travelled_mm"), 10, 3);
    ck_assert_double_eq_tol(figure_of(leg, "truth", "travelled_mm"), 10, 3);
    end_runs();
}
END_TEST

// Beyond a table's edge there is no next one.
START_TEST(at_a_tables_edge_it_squares_again_and_nothing_drives_over_it) {
    static const char *const legs[] = {
        "  - square_on_line: {cruise_mm_s: 150, tone: void}\n"
        "  - square_on_line: {cruise_mm_s: 150, tone: void}",
        "  - drive_until_line: {cruise_mm_s: 150, tone: void}\n"
        "  - square_on_line: {cruise_mm_s: 150, tone: void}",
        "  - drive_until_line: {cruise_mm_s: 150, tone: void}\n"
        "  - drive_until_line: {cruise_mm_s: 150, tone: void}",
        "  - drive_until_line: {cruise_mm_s: 150, tone: void}\n"
        "  - stop_on_line: {cruise_mm_s: 150, tone: void, rest: near_edge}",
    };
    begin_runs();
    write_runs_floor("none", "<rect width='700' height='1200' fill='" FLOOR "'/>");
    for (size_t i = 0; i < G_N_ELEMENTS(legs); i++) {
        for (unsigned seed = 1; seed <= SEEDS(6); seed++) {
            int status = i < 2 ? 0 : 1;
            JsonObject *leg = drive_legs("mozzo.yaml", legs[i], 3.0 * seed, status, seed, 2);
            ck_assert_double_le(figure_of(leg, "truth", "travelled_mm"), 5);
            ck_assert_str_eq(outcome_of(leg), status == 0 ? "done" : "no_floor");
            if (status == 0) {
                ck_assert_double_eq_tol(figure_of(leg, "robot", "residual_angle_deg"), 0.0, 1.0);
            }
        }
    }
    // But it may set out from a dark field.
    write_runs_floor("none", "<rect width='900' height='1200' fill='" FLOOR "'/>"
                             "<rect x='100' y='700' width='200' height='200' fill='" DARK "'/>");
    JsonObject *leg = drive_legs(
        "mozzo.yaml", "  - drive_until_line: {cruise_mm_s: 150, tone: void}", 0, 0, 1, 1);
    ck_assert_double_ge(figure_of(leg, "truth", "travelled_mm"), 600);
    end_runs();
}
END_TEST

// After a stop and a turn the line lies beside the robot, before it or behind, and odometry tells
// where: the edge may be on its other side, further off than a search looks.
START_TEST(after_a_turn_it_follows_the_line_that_it_has_met) {
    static const char *const edges[] = {"left", "right"};
    static const int turns_deg[] = {45, 90, 120, -90, -110};
    static const int on_mm[] = {1, 60, 140};
    begin_runs();
    write_runs_floor(FLOOR, "<rect class='line' x='500' y='10' width='20' height='1180' "
                            "fill='" DARK "'/>");
    for (size_t i = 0; i < 2 * G_N_ELEMENTS(turns_deg) * G_N_ELEMENTS(on_mm); i += EACH) {
        for (unsigned seed = 1; seed <= SEEDS(3); seed++) {
            char *legs = g_strdup_printf(
                "  - stop_on_line: {cruise_mm_s: 200, rest: near_edge}\n"
                "  - advance: {distance_mm: %d}\n  - turn: {angle_deg: %d}\n"
                "  - follow_edge: {edge: %s, cruise_mm_s: 250, distance_mm: %d, search_mm: 400}",
                on_mm[i / 2 / G_N_ELEMENTS(turns_deg)], turns_deg[i / 2 % G_N_ELEMENTS(turns_deg)],
                edges[i % 2], turns_deg[i / 2 % G_N_ELEMENTS(turns_deg)] > 0 ? 550 : 380);
            JsonObject *leg = drive_legs("mozzo.yaml", legs, 4.0 * seed - 8, 0, seed + 3, 4);
            ck_assert_double_le(figure_of(leg, "truth", "edge_worst_mm"), 6);
            g_free(legs);
        }
    }
    end_runs();
}
END_TEST

// Where that line has ended, it is looked for no further than any.
START_TEST(a_line_that_is_not_there_is_not_found) {
    begin_runs();
    write_runs_floor(FLOOR, "<rect class='line' x='500' y='740' width='20' height='120' "
                            "fill='" DARK "'/>");
    JsonObject *leg = drive_legs("mozzo.yaml",
                                 "  - stop_on_line: {cruise_mm_s: 200, rest: near_edge}\n"
                                 "  - turn: {angle_deg: 90}\n"
                                 "  - follow_edge: {edge: left, search_mm: 500}",
                                 0, 1, 1, 3);
    ck_assert_str_eq(outcome_of(leg), "no_line");
    ck_assert_double_le(figure_of(leg, "truth", "travelled_mm"), 525);
    // A table's edge is no line.
    write_runs_floor("none", "<rect width='700' height='1200' fill='" FLOOR "'/>");
    leg = drive_legs("mozzo.yaml",
                     "  - stop_on_line: {cruise_mm_s: 150, tone: void, rest: near_edge}\n"
                     "  - advance: {distance_mm: -20}\n  - turn: {angle_deg: -90}\n"
                     "  - follow_edge: {edge: left, search_mm: 190}",
                     0, 1, 1, 4);
    ck_assert_str_eq(outcome_of(leg), "no_line");
    ck_assert_double_le(figure_of(leg, "truth", "turned_deg"), 0); // away from it
    end_runs();
}
END_TEST

int main(void) {
    const TTest *const tests[] = {a_square_after_a_halt_is_on_the_same_line,
                                  having_slid_it_goes_back_further,
                                  else_the_next_line_is_meant,
                                  at_a_tables_edge_it_squares_again_and_nothing_drives_over_it,
                                  after_a_turn_it_follows_the_line_that_it_has_met,
                                  a_line_that_is_not_there_is_not_found,
                                  NULL};
    return run_suite("sequences", tests);
}
