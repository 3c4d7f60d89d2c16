// SPDX-License-Identifier: GPL-3.0-or-later
// Robots that find out what they are before they drive.
#include "calls.h"

#include <cammino_lab/series.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

START_TEST(each_robot_finds_out_what_it_is_first) {
    static const char *const by[] = {SOURCE_DIR "/data/ferry/measure-geometry.yaml",
                                     SOURCE_DIR "/data/ferry/measure-drive.yaml", NULL};
    GError *error = NULL;
    lab_route *route = lab_route_load(SOURCE_DIR "/data/ferry/square-up.yaml", NULL, 1, &error);
    ck_assert_ptr_nonnull(route);
    lab_series *stated = lab_series_run(route, 12, 1, 0, NULL, NULL);
    ck_assert(lab_route_calibrate(route, by, NULL, &error));
    ck_assert_uint_eq(route->calibrations, 2);
    lab_series *measured = lab_series_run(route, 12, 1, 0, NULL, NULL);
    ck_assert_uint_eq(measured->trials, 12);
    ck_assert_uint_eq(measured->uncalibrated, 0);
    // The plant's spots are where they are stated, its track is not.
    char *first = lab_series_json(stated, NULL);
    char *second = lab_series_json(measured, NULL);
    ck_assert_str_ne(first, second);
    // One trial is the same by itself, and leaves the route's robot as it is stated.
    lab_run *run = lab_drive_trial(route, 5, false);
    ck_assert(!run->uncalibrated && !route->robot->measured);
    lab_run_free(run);
    // A robot that cannot find it out drives as it is.
    route->calibration[0]->heading_deg = 180.0; // away from the lines
    lab_series *in_vain = lab_series_run(route, 2, 1, 0, NULL, NULL);
    ck_assert_uint_eq(in_vain->uncalibrated, 2);
    ck_assert_uint_eq(in_vain->trials, 2);
    g_free(first);
    g_free(second);
    lab_series_free(stated);
    lab_series_free(measured);
    lab_series_free(in_vain);
    lab_route_free(route);
}
END_TEST

START_TEST(the_call_names_what_it_is_calibrated_by) {
    ck_assert_int_eq(CALL("series data/ferry/first-round.yaml --trials 4 --calibrated "
                          "data/ferry/take-levels.yaml --calibrated data/ferry/measure-drive.yaml"),
                     0);
    ck_assert_ptr_nonnull(strstr(out, "\ncalibrated by data/ferry/take-levels.yaml\n"
                                      "              data/ferry/measure-drive.yaml\n4 of 4 "));
    const char *shown = strstr(out, "  cammino drive data/ferry/first-round.yaml --calibrated "
                                    "data/ferry/take-levels.yaml --calibrated "
                                    "data/ferry/measure-drive.yaml --varied --seed ");
    ck_assert_ptr_nonnull(shown);
    unsigned seed, leg;
    double truth;
    ck_assert_int_eq(sscanf(strstr(out, "\n  seed "), " seed %u, leg %u: done, rest_error_mm %lf",
                            &seed, &leg, &truth),
                     3);
    char *line = g_strdup_printf(COMMAND " drive data/ferry/first-round.yaml --calibrated "
                                         "data/ferry/take-levels.yaml --calibrated "
                                         "data/ferry/measure-drive.yaml --varied --seed %u --json",
                                 seed);
    ck_assert_int_eq(call(line), 0);
    g_free(line);
    char *found = g_strdup_printf("\"leg\" : %u,", leg);
    const char *figure = strstr(strstr(strstr(out, found), "\"truth\""), "\"rest_error_mm\"");
    double again;
    ck_assert_int_eq(sscanf(figure, "\"rest_error_mm\" : %lf", &again), 1);
    ck_assert_double_eq_tol(again, truth, 0.005001);
    g_free(found);
    static const char *const wrong[][2] = {
        {"series data/ferry/first-round.yaml --calibrated none.yaml", "none.yaml: "},
        {"series data/ferry/first-round.yaml --calibrated data/ferry/gangway.yaml",
         "gangway.yaml: it measures nothing to go by; a leg take_levels, measure_geometry, "},
        {"drive data/ferry/first-round.yaml --calibrated data/ferry/take-levels.yaml",
         "--calibrated goes with --varied"}};
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); i++) {
        char *as = g_strdup_printf(COMMAND " %s", wrong[i][0]);
        ck_assert_int_eq(call(as), 2);
        ck_assert_msg(strstr(err, wrong[i][1]) != NULL, "%s", err);
        g_free(as);
    }
}
END_TEST

int main(void) {
    const TTest *const tests[] = {each_robot_finds_out_what_it_is_first,
                                  the_call_names_what_it_is_calibrated_by, NULL};
    return run_suite("calibrated", tests);
}
