// SPDX-License-Identifier: GPL-3.0-or-later
// Figures against limits.
#include "kept.h"

#include <cammino_lab/limits.h>
#include <json-glib/json-glib.h>
#include <math.h>
#include <string.h>

#define ROUND "data/ferry/first-round.yaml"

// Twenty trials: errors of 0.1, -0.2, 0.3 ... -2.0 mm, 1,010 to 1,200 ms; `lost` of them without
// a line.
static void write_twenty(unsigned lost) {
    GString *text = begin_kept(20);
    for (unsigned i = 1; i <= 20; i++) {
        bool done = i > lost;
        double error = (i % 2 != 0 ? 0.1 : -0.1) * i;
        add_kept(text, i, done, done ? error : NAN, 1000.0 + 10.0 * i);
    }
    write_kept(text, "kept");
}

// The verdicts on the twenty, or on `what`.
static JsonNode *verdicts(int status, const char *what) {
    char *line = g_strdup_printf(COMMAND " judge %%s/limits.yaml %s --json", what);
    ck_assert_int_eq(call(line), status);
    g_free(line);
    JsonNode *node = json_from_string(out, NULL);
    ck_assert_ptr_nonnull(node);
    return node;
}

static JsonObject *verdict(JsonNode *node, unsigned i) {
    JsonArray *list = json_object_get_array_member(json_node_get_object(node), "limits");
    return json_array_get_object_element(list, i);
}

START_TEST(each_limit_is_kept_in_a_share_of_the_trials) {
    static const struct {
        const char *limit;
        unsigned keep, without;
        bool pass;
        double value, margin;
    } cases[] = {
        {"leg: 2, figure: rest_error_mm, within: 2.0", 20, 0, true, -2.0, 0.0},
        {"leg: 2, figure: rest_error_mm, within: 1.95", 19, 0, false, -2.0, -0.05},
        {"leg: quay, figure: rest_error_mm, within: 1.95, share: 0.95", 19, 0, true, 1.9, 0.05},
        {"leg: quay, figure: rest_error_mm, within: 1.0, share: 0.5", 10, 0, true, -1.0, 0.0},
        {"leg: quay, figure: rest_error_mm, within: 1.0, share: 0.51", 10, 0, false, 1.1, -0.1},
        {"leg: 2, figure: rest_error_mm, at_most: 1.0", 15, 0, false, 1.9, -0.9},
        {"leg: 2, figure: rest_error_mm, at_least: -1.0", 15, 0, false, -2.0, -1.0},
        {"leg: 2, figure: rest_error_mm, at_least: -1.2, at_most: 0.9, share: 0.55", 11, 0, true,
         -1.2, 0.0},
        {"leg: 2, figure: rest_error_mm, of: robot, within: 0.125", 20, 0, true, 0.125, 0.0},
        {"leg: 1, figure: rest_error_mm, within: 99", 0, 20, false, NAN, NAN},
        {"figure: elapsed_ms, at_most: 1650", 15, 0, false, 1700.0, -50.0},
        {"figure: elapsed_ms, at_most: 1650, share: 0.75", 15, 0, true, 1650.0, 0.0},
        {"figure: completed", 20, 0, true, 1.0, 0.0},
    };
    write_twenty(0);
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        char *entry = g_strdup_printf("  - {%s}\n", cases[i].limit);
        write_limits(entry);
        JsonNode *node = verdicts(cases[i].pass ? 0 : 1, "%s/kept");
        JsonObject *one = verdict(node, 0);
        ck_assert_msg(json_object_get_boolean_member(one, "pass") == cases[i].pass, "%s", entry);
        ck_assert_msg(json_object_get_int_member(one, "keep") == cases[i].keep, "%s", entry);
        ck_assert_int_eq(json_object_get_int_member(one, "without"), cases[i].without);
        ck_assert_int_eq(json_object_has_member(one, "value"), !isnan(cases[i].value));
        if (!isnan(cases[i].value)) {
            ck_assert_double_eq_tol(json_object_get_double_member(one, "value"), cases[i].value,
                                    1e-5);
            ck_assert_double_eq_tol(json_object_get_double_member(one, "margin"), cases[i].margin,
                                    1e-5);
        }
        json_node_free(node);
        g_free(entry);
    }
}
END_TEST

START_TEST(what_was_not_done_keeps_to_nothing) {
    write_twenty(3);
    write_limits("  - {figure: completed, share: 0.85}\n"
                 "  - {figure: completed, share: 0.86}\n"
                 "  - {leg: 2, figure: completed, share: 0.85}\n"
                 "  - {leg: 1, figure: completed}\n"
                 "  - {leg: 2, figure: rest_error_mm, within: 9, share: 0.85}\n"
                 "  - {leg: 2, figure: rest_error_mm, within: 9, share: 0.9}\n");
    static const unsigned keep[] = {17, 17, 17, 20, 17, 17};
    static const bool pass[] = {true, false, true, true, true, false};
    JsonNode *node = verdicts(1, "%s/kept");
    for (unsigned i = 0; i < 6; i++) {
        ck_assert_int_eq(json_object_get_int_member(verdict(node, i), "keep"), keep[i]);
        ck_assert_int_eq(json_object_get_boolean_member(verdict(node, i), "pass"), pass[i]);
        ck_assert_int_eq(json_object_get_int_member(verdict(node, i), "without"), i >= 4 ? 3 : 0);
    }
    json_node_free(node);
}
END_TEST

// All of n trials show a share p with the confidence 1 - p^n.
START_TEST(a_confidence_asks_for_enough_trials) {
    static const struct {
        double confidence, share;
        bool pass;
    } cases[] = {{0.87, 0.9, true}, {0.89, 0.9, false}, {0.95, 0.86, true}, {0.95, 0.87, false}};
    write_twenty(0);
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        char *entry = g_strdup_printf("  - {figure: completed, share: %g, confidence: %g}\n",
                                      cases[i].share, cases[i].confidence);
        write_limits(entry);
        JsonNode *node = verdicts(cases[i].pass ? 0 : 1, "%s/kept");
        ck_assert_double_eq_tol(json_object_get_double_member(verdict(node, 0), "surely"),
                                pow(1.0 - cases[i].confidence, 1.0 / 20.0), 1e-4);
        json_node_free(node);
        g_free(entry);
    }
    write_limits("  - {figure: completed, share: 0.9, confidence: 0.95}\n");
    ck_assert_int_eq(CALL("judge %s/limits.yaml %s/kept"), 1);
    // 0.9 to the power of 28 is more than 0.05, to that of 29 less
    ck_assert_ptr_nonnull(strstr(out, "FAIL  run completed"));
    ck_assert_ptr_nonnull(strstr(out,
                                 "so surely 86.1 % of all runs that there could be keep to it; "
                                 "29 trials that all do would show it\n"));
}
END_TEST

START_TEST(a_route_a_drive_and_kept_results_are_judged_alike) {
    write_limits("  - {leg: 1, figure: rest_error_mm, within: 2}\n"
                 "  - {leg: 4, figure: overshoot_mm, at_most: 1}\n");
    JsonNode *driven = verdicts(1, ROUND " --trials 12 --seed 3");
    ck_assert_int_eq(CALL("series " ROUND " --trials 12 --seed 3 --results %s/kept-12 --quiet"), 0);
    JsonNode *kept = verdicts(1, "%s/kept-12");
    ck_assert(json_node_equal(driven, kept));
    ck_assert_int_eq(json_object_get_int_member(verdict(kept, 0), "keep"), 12);
    ck_assert_int_eq(json_object_get_int_member(verdict(kept, 1), "keep"), 0);
    json_node_free(driven);
    json_node_free(kept);
    ck_assert_int_eq(call("sh -c '" COMMAND " drive " ROUND " --json > %s/drive.json'"), 0);
    JsonNode *one = verdicts(1, "%s/drive.json");
    ck_assert_int_eq(json_object_get_int_member(json_node_get_object(one), "trials"), 1);
    ck_assert_int_eq(json_object_get_int_member(verdict(one, 0), "keep"), 1);
    ck_assert_double_gt(json_object_get_double_member(verdict(one, 1), "value"), 10.0);
    json_node_free(one);
}
END_TEST

START_TEST(the_table_has_a_line_a_limit) {
    write_twenty(1);
    write_limits("  - {leg: quay, figure: rest_error_mm, within: 1.5, share: 0.7}\n"
                 "  - {leg: 2, figure: elapsed_ms, at_most: 1150}\n"
                 "  - {figure: elapsed_ms, at_most: 2000}\n"
                 "  - {figure: completed, share: 0.9}\n");
    ck_assert_int_eq(CALL("judge %s/limits.yaml %s/kept"), 1);
    ck_assert_ptr_nonnull(strstr(out, " on Mozzo, route made.yaml: 20 trials\n"));
    ck_assert_ptr_nonnull(strstr(out, "\npass  leg quay rest_error_mm            within 1.5 in 70 %"
                                      "                14 of 20     1.50     0.00\n"
                                      "      in 1 of them there is no such figure\n"));
    ck_assert_ptr_nonnull(strstr(out,
                                 "\nFAIL  leg 2 elapsed_ms                  at most 1150 in "
                                 "100 %             15 of 20     1200   -50.00\n"
                                 "      of all runs that there could be 50.9 to 91.3 % do, with "
                                 "95 % confidence\n"));
    // A run that ended early is not a short one.
    ck_assert_ptr_nonnull(strstr(out, "\nFAIL  run elapsed_ms                    at most 2000 in "
                                      "100 %             19 of 20        -        -\n"
                                      "      in 1 of them there is no such figure\n"));
    ck_assert_ptr_nonnull(strstr(out, "\npass  run completed                     in 90 %"));
    ck_assert_ptr_nonnull(strstr(out, "\n2 of 4 limits are kept\n"));
    ck_assert_int_eq(CALL("judge %s/limits.yaml %s/kept --quiet"), 1);
    ck_assert_str_eq(out, "");
}
END_TEST

START_TEST(harnesses_read_the_verdicts) {
    write_twenty(1);
    write_limits("  - {leg: quay, figure: rest_error_mm, within: 1.5, share: 0.7}\n"
                 "  - {figure: completed}\n");
    ck_assert_int_eq(CALL("judge %s/limits.yaml %s/kept --tap --junit %s/verdicts.xml"), 1);
    ck_assert(g_str_has_prefix(out, "TAP version 13\n1..2\n"
                                    "ok 1 - leg quay rest_error_mm within 1.5 in 70 %\n  ---\n"));
    ck_assert_ptr_nonnull(strstr(out, "\n  ...\nnot ok 2 - run completed in 100 %\n  ---\n"));
    write_file("verdicts.tap", out);
    ck_assert_int_ne(call("prove --exec cat %s/verdicts.tap"), 0);
    ck_assert_msg(strstr(out, "Failed 1/2 subtests") != NULL, "%s%s", out, err);
    ck_assert_ptr_null(strstr(out, "Parse errors"));
    ck_assert_int_eq(call("xmllint --noout --schema tests/junit.xsd %s/verdicts.xml"), 0);
    char *path = in_folder("verdicts.xml");
    char *text;
    ck_assert(g_file_get_contents(path, &text, NULL, NULL));
    ck_assert_ptr_nonnull(strstr(text, "tests=\"2\" failures=\"1\""));
    ck_assert_ptr_nonnull(strstr(text, "name=\"run completed in 100 %\">\n      <failure message=\""
                                       "kept in 19 of 20 trials"));
    g_free(text);
    // All kept: the harness is content.
    write_limits("  - {figure: completed, share: 0.9}\n");
    ck_assert_int_eq(CALL("judge %s/limits.yaml %s/kept --tap --junit %s/verdicts.xml"), 0);
    write_file("verdicts.tap", out);
    ck_assert_int_eq(call("prove --exec cat %s/verdicts.tap"), 0);
    ck_assert_int_eq(call("xmllint --noout --schema tests/junit.xsd %s/verdicts.xml"), 0);
    g_free(path);
}
END_TEST

START_TEST(verdicts_are_drawn) {
    write_limits(
        "  - {figure: completed, share: 0.9}\n  - {leg: 1, figure: rest_error_mm, within: 1, "
        "share: 0.9}\n");
    ck_assert_int_eq(CALL("judge %s/limits.yaml data/ferry/first-round.yaml --trials 5 --quiet "
                          "--picture %s/v.svg"),
                     0);
    ck_assert_str_eq(out, "");
    static const char *const words[] = {"run completed",         "in 90 %",
                                        "leg 1 rest_error_mm",   "within 1 in 90 %",
                                        "value, % of its limit", NULL};
    check_picture_says("v.svg", words);
}
END_TEST

START_TEST(what_keeps_more_limits_is_said_first) {
    write_limits("  - {leg: 4, figure: overshoot_mm, at_most: 23.5, share: 0.9}\n");
    ck_assert_int_eq(CALL("judge %s/limits.yaml data/ferry/first-round.yaml --trials 12 --advice"),
                     1);
    ck_assert_ptr_nonnull(
        strstr(out, "medians):\n  legs[4].drive_until_line.creep_mm_s 140 instead of 200\n"
                    "      keeps 1 of 1 limits instead of 0\n"));
    // Even before what takes more of an error away.
    write_limits("  - {figure: elapsed_ms, at_most: 9250, share: 0.7}\n");
    ck_assert_int_eq(CALL("judge %s/limits.yaml data/ferry/first-round.yaml --trials 12 --advice"),
                     1);
    const char *first = strstr(out, "medians):\n");
    const char *error_less = strstr(out, " % less\n"); // of an error, by what keeps none
    ck_assert(first != NULL && error_less != NULL);
    first += strlen("medians):\n");
    // Looked for from 0.85 of the least way on that a trial came to the line by.
    static const struct {
        const char *begin, *end;
        double blind_mm;
    } keep[] = {{"  legs[1].stop_on_line.blind_mm ",
                 " instead of 150: looked for later\n"
                 "      keeps 1 of 1 limits instead of 0\n      a run takes ",
                 319},
                {"  legs[7].stop_on_line.blind_mm ",
                 " instead of 200: looked for later\n"
                 "      keeps 1 of 1 limits instead of 0\n      a run takes ",
                 550}};
    ck_assert(g_str_has_prefix(first, keep[0].begin) || g_str_has_prefix(first, keep[1].begin));
    for (size_t i = 0; i < G_N_ELEMENTS(keep); i++) {
        const char *at = strstr(first, keep[i].begin);
        ck_assert_msg(at != NULL && at < error_less, "%zu: %s", i, first);
        char *rest;
        double blind_mm = g_ascii_strtod(at + strlen(keep[i].begin), &rest);
        ck_assert_msg(fabs(blind_mm - keep[i].blind_mm) <= 1.0 &&
                          g_str_has_prefix(rest, keep[i].end),
                      "%zu: %s", i, at);
    }
    ck_assert_int_eq(CALL("judge %s/limits.yaml data/ferry/first-round.yaml --advice --json"), 2);
    ck_assert_ptr_nonnull(strstr(err, "--advice goes with a route that is driven, and with the "));
}
END_TEST

START_TEST(what_is_wrong_is_said_in_one_line) {
    static const char *const wrong[][2] = {
        {"", "limits.yaml:1: limits: must be a list"},
        {"  - {leg: 2, figure: rest_error, within: 1}\n",
         ":2: limits[1].figure: 'rest_error' is no figure; did you mean rest_error_mm?"},
        {"  - {figure: completed}\n  - {leg: 2, figure: rest_error_mm}\n",
         ":3: limits[2]: must have at_least, at_most, both, or within alone"},
        {"  - {leg: 2, figure: rest_error_mm, within: 1, at_most: 1}\n",
         ":2: limits[1]: must have at_least, at_most, both, or within alone"},
        {"  - {leg: 2, figure: rest_error_mm, at_least: 2, at_most: 1}\n",
         ":2: limits[1]: at_least 2 is more than at_most 1"},
        {"  - {figure: rest_error_mm, within: 1}\n",
         ":2: limits[1].figure: rest_error_mm is a leg's; leg: 1, or the leg's name, says whose"},
        {"  - {figure: completed, at_least: 1}\n", ":2: limits[1]: completed is so or not"},
        {"  - {leg: 3, figure: completed}\n",
         ":2: limits[1].leg: there is no leg '3'; 1 to 2, or a leg's name"},
        {"  - {leg: key, figure: completed}\n", ":2: limits[1].leg: there is no leg 'key'"},
        {"  - {leg: 2, figure: completed, share: 95}\n", "limits[1].share: 95 is out of range"},
        {"  - {leg: 2, figure: completed, confidence: 1}\n",
         "limits[1].confidence: 1 is out of range; 0.5 to 0.9999"},
        {"  - {leg: 2, figur: completed}\n", "limits[1].figur: unknown key; did you mean figure?"},
        {"  - {leg: 2}\n", "limits[1].figure: must be given"},
    };
    write_twenty(0);
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); i++) {
        write_limits(wrong[i][0]);
        ck_assert_int_eq(CALL("judge %s/limits.yaml %s/kept"), 2);
        ck_assert_msg(strstr(err, wrong[i][1]) != NULL, "%s: %s", wrong[i][0], err);
        ck_assert_str_eq(out, "");
    }
    write_limits("  - {figure: completed}\n");
    static const char *const calls[][2] = {
        {"judge %s/limits.yaml", "judge takes a file of limits and a route, results or a trace"},
        {"judge %s/none.yaml %s/kept", "none.yaml: the limits cannot be read: there is no such"},
        {"judge %s/limits.yaml %s/none", "none: the route cannot be read: there is no such file"},
        {"judge %s/limits.yaml %s/kept --tap --json", "--json and --tap: one of them"},
        {"judge %s/limits.yaml %s/kept --junit %s/kept", "--junit: "},
        {"judge %s/limits.yaml %s/kept --junit %s/none/a", "the JUnit file cannot be written"},
        {"judge %s/limits.yaml " ROUND " --trials 0", "--trials: 0 is out of range"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(calls); i++) {
        char *line = g_strconcat(COMMAND " ", calls[i][0], NULL);
        ck_assert_int_eq(call(line), 2);
        ck_assert_msg(strstr(err, calls[i][1]) != NULL, "%s: %s", line, err);
        g_free(line);
    }
}
END_TEST

// A table must not hang on how many trials there were.
START_TEST(a_share_has_an_interval_whatever_the_counts) {
    static const unsigned counts[] = {1, 20, 352, 362, 399, 419, 432};
    for (size_t i = 0; i < G_N_ELEMENTS(counts); i++) {
        double before_low = -1.0;
        double before_high = -1.0;
        for (unsigned k = 0; k <= counts[i]; k++) {
            double low, high;
            lab_share_interval(k, counts[i], 0.95, &low, &high);
            double share = (double)k / counts[i];
            ck_assert_msg(low <= share && share <= high && low > before_low && high > before_high,
                          "%u of %u: %g to %g", k, counts[i], low, high);
            before_low = low;
            before_high = high;
        }
    }
    double low, high; // tabulated
    lab_share_interval(1, 20, 0.95, &low, &high);
    ck_assert_double_eq_tol(low, 0.00127, 1e-5);
    ck_assert_double_eq_tol(high, 0.24873, 1e-5);
}
END_TEST

int main(void) {
    make_folder();
    const TTest *const tests[] = {each_limit_is_kept_in_a_share_of_the_trials,
                                  what_was_not_done_keeps_to_nothing,
                                  a_confidence_asks_for_enough_trials,
                                  a_share_has_an_interval_whatever_the_counts,
                                  a_route_a_drive_and_kept_results_are_judged_alike,
                                  the_table_has_a_line_a_limit,
                                  harnesses_read_the_verdicts,
                                  verdicts_are_drawn,
                                  what_keeps_more_limits_is_said_first,
                                  what_is_wrong_is_said_in_one_line,
                                  NULL};
    int failed = run_suite("judge", tests);
    remove_folder();
    return failed;
}
