// SPDX-License-Identifier: GPL-3.0-or-later
// What would help most, where one thing is wrong with a robot or its route.
#include "calls.h"

#include <stdio.h>
#include <string.h>

// The demo robot with pieces of its text changed, and a route of one leg; r.yaml and route.yaml.
static void write_case(const char *const changes[][2], const char *leg) {
    char *text;
    ck_assert(g_file_get_contents("data/ferry/mozzo.yaml", &text, NULL, NULL));
    for (unsigned i = 0; changes[i][0] != NULL; i++) {
        char **parts = g_strsplit(text, changes[i][0], -1);
        ck_assert_msg(parts[0] != NULL && parts[1] != NULL, "%s", changes[i][0]);
        g_free(text);
        text = g_strjoinv(changes[i][1], parts);
        g_strfreev(parts);
    }
    write_file("r.yaml", text);
    g_free(text);
    text = g_strdup_printf("robot: r.yaml\nmat: " SOURCE_DIR "/data/ferry/car-deck.svg\n"
                           "start: {x_mm: 150, y_mm: 500, heading_deg: 0}\nlegs:\n  - %s\n",
                           leg);
    write_file("route.yaml", text);
    g_free(text);
}

#define STOP(blind, speeds)                                                                        \
    "stop_on_line: {blind_mm: " blind ", " speeds ", least_width_mm: 15, rest: near_edge}"
#define ORDINARY "cruise_mm_s: 400, creep_mm_s: 200"
#define FAST     "cruise_mm_s: 600, creep_mm_s: 600"

START_TEST(what_is_wrong_is_named_first) {
    static const struct {
        const char *changes[3][2];
        const char *leg, *first, *gain;
    } cases[] = {
        // Without a least width it stops on what lies before the line.
        {{{NULL, NULL}},
         "stop_on_line: {blind_mm: 5, " ORDINARY ", rest: near_edge}",
         "\n  legs[1].stop_on_line.blind_mm ",
         "\n      100.0 % of runs complete instead of "},
        {{{"black_counts: 61, ", "black_counts: 61, delay_ms: 25, "}, {NULL, NULL}},
         STOP("300", FAST),
         "\n  the sensors' delay_ms as it is, not off by 15: ",
         "\n      100.0 % of runs complete instead of "},
        {{{"play_mm: 0.5}", "play_mm: 0}"}, {"gear_play_mm: 0.5", "gear_play_mm: 2.5"}},
         STOP("300", ORDINARY),
         "\n  robot.encoders.play_mm 2.5 instead of 0: ",
         "\n      leg 1 rest_error_mm "},
        {{{"braking_mm_s2: 3000", "braking_mm_s2: 9000"}, {"grip_m_s2: 4.5", "grip_m_s2: 2.5"}},
         STOP("300", FAST),
         "\n  robot.drive.braking_mm_s2 2250 instead of 9000: what the tyres pass on",
         "\n      a run takes "},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        write_case(cases[i].changes, cases[i].leg);
        int status = CALL("series %s/route.yaml --trials 100 --advice");
        ck_assert_msg(status != 2, "%zu: %s", i, err);
        const char *at = strstr(out, "\nwhat helps most of ");
        ck_assert_msg(at != NULL, "%zu: %s%s", i, out, err);
        const char *first = strstr(at, "\n  ");
        ck_assert_msg(g_str_has_prefix(first, cases[i].first), "%zu: %s", i, at);
        const char *gain = strstr(first, cases[i].gain);
        const char *second = strstr(first + 1, "\n  l");
        ck_assert_msg(gain != NULL && (second == NULL || gain < second), "%zu: %s", i, at);
    }
}
END_TEST

// With spots as far apart as the hatch's sides, along which both of them drive.
START_TEST(a_field_that_is_taken_for_the_line_is_found) {
    write_case((const char *const[][2]){{"left_mm: 45", "left_mm: 61"},
                                        {"left_mm: -45", "left_mm: -61"},
                                        {NULL, NULL}},
               STOP("150", ORDINARY));
    ck_assert_int_eq(CALL("series %s/route.yaml --trials 40 --advice"), 1);
    const char *at =
        strstr(out, "\n  legs[1].stop_on_line.most_width_mm 24: what is wider is no line\n");
    ck_assert_msg(at != NULL, "%s%s", out, err);
    double now, before;
    ck_assert_int_eq(
        sscanf(strstr(at, "      "), " %lf %% of runs complete instead of %lf", &now, &before), 2);
    ck_assert_double_ge(now, 95.0);
    ck_assert_double_lt(before, 80.0);
}
END_TEST

START_TEST(what_is_typed_wrong_where_no_line_is_found_is_named) {
    static const struct {
        const char *keys, *named;
    } cases[] = {
        {"least_width_mm: 30, blind_mm: 300, longest_mm: 600", "least_width_mm 18 instead of 30"},
        {"least_width_mm: 15, blind_mm: 150, longest_mm: 200", "longest_mm 500 instead of 200"},
        {"least_width_mm: 15, blind_mm: 430, longest_mm: 450", "blind_mm 129 instead of 430"},
        {"least_width_mm: 15, blind_mm: 300, tone: light", "tone dark instead of light"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        char *leg = g_strdup_printf("stop_on_line: {cruise_mm_s: 300, %s}", cases[i].keys);
        write_case((const char *const[][2]){{NULL, NULL}}, leg);
        ck_assert_int_eq(CALL("series %s/route.yaml --trials 20"), 1);
        ck_assert_ptr_nonnull(strstr(out, "\nwhat would help: the same with --advice\n"));
        ck_assert_int_eq(CALL("series %s/route.yaml --trials 20 --advice"), 1);
        ck_assert_ptr_null(strstr(out, "the same with --advice"));
        const char *at = strstr(out, "\nwhat helps most of ");
        ck_assert_msg(at != NULL, "%zu: %s", i, out);
        const char *named = strstr(at, cases[i].named); // another line further on is one, too
        ck_assert_msg(named != NULL, "%zu: %s", i, at);
        ck_assert_ptr_nonnull(strstr(named, "\n      100.0 % of runs complete instead of "));
        ck_assert_int_eq(CALL("drive %s/route.yaml"), 1);
        ck_assert_ptr_nonnull(strstr(out, "is tried by: cammino series ROUTE --advice\n"));
        g_free(leg);
    }
}
END_TEST

// What it promises is what a comparison of the two finds on other trials than it was chosen by.
START_TEST(the_gain_is_that_of_a_comparison) {
    write_case((const char *const[][2]){{NULL, NULL}},
               "drive_until_line: {blind_mm: 300, cruise_mm_s: 300, creep_mm_s: 300, "
               "least_width_mm: 15}");
    ck_assert_int_eq(CALL("series %s/route.yaml --trials 30 --advice"), 0);
    const char *at = strstr(out, "\n  legs[1].drive_until_line.creep_mm_s 210 instead of 300\n");
    ck_assert_msg(at != NULL, "%s", out);
    double now, before;
    ck_assert_int_eq(
        sscanf(strstr(at, "overshoot_mm"), "overshoot_mm %lf instead of %lf", &now, &before), 2);
    ck_assert_ptr_nonnull(strstr(out, "how much, on 60 other trials (medians):\n"));
    ck_assert_int_eq(CALL("compare %s/route.yaml --seed 31 --trials 60 --all --field "
                          "legs[1].drive_until_line.creep_mm_s --value 210"),
                     0);
    double a, b;
    ck_assert_int_eq(
        sscanf(strstr(out, "\nleg 1 overshoot_mm"), " leg 1 overshoot_mm %lf %lf", &a, &b), 2);
    ck_assert_double_eq(a, before);
    ck_assert_double_eq(b, now);
    ck_assert_double_lt(now, 0.9 * before);
}
END_TEST

START_TEST(where_nothing_helps_it_says_so) {
    write_case((const char *const[][2]){{NULL, NULL}}, "advance: {distance_mm: 100}");
    ck_assert_int_eq(CALL("series %s/route.yaml --trials 10 --advice"), 0);
    ck_assert_ptr_nonnull(strstr(out, "\nadvice: of 1 changes that were tried none helps by a "));
    ck_assert_int_eq(CALL("series %s/route.yaml --trials 10"), 0);
    ck_assert_ptr_null(strstr(out, "advice"));
    ck_assert_int_eq(CALL("series %s/route.yaml --trials 10 --advice --json"), 2);
    ck_assert_ptr_nonnull(strstr(err, "--advice goes with the table, not with --json"));
}
END_TEST

int main(void) {
    make_folder();
    const TTest *const tests[] = {what_is_wrong_is_named_first,
                                  a_field_that_is_taken_for_the_line_is_found,
                                  what_is_typed_wrong_where_no_line_is_found_is_named,
                                  the_gain_is_that_of_a_comparison,
                                  where_nothing_helps_it_says_so,
                                  NULL};
    int failed = run_suite("advice", tests);
    remove_folder();
    return failed;
}
