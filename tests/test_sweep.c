// SPDX-License-Identifier: GPL-3.0-or-later
// A series at each of some values of one number.
#include "leg_runs.h"

#include <glib/gstdio.h>
#include <math.h>
#include <string.h>

#define ROUND  "data/ferry/first-round.yaml"
#define CRUISE "--field 'legs[1].stop_on_line.cruise_mm_s' "

static JsonNode *results(const char *line) {
    char *whole = g_strdup_printf("sh -c \"" COMMAND " %s --json\"", line);
    int status = call(whole);
    ck_assert_msg(status == 0, "%s: %s", line, err);
    g_free(whole);
    JsonNode *node = json_from_string(out, NULL);
    ck_assert_ptr_nonnull(node);
    return node;
}

static JsonArray *points_of(JsonNode *node) {
    return json_object_get_array_member(json_node_get_object(node), "points");
}

// With the value that stands in the file, or that holds without one, it is the series itself.
START_TEST(each_value_is_a_series_of_its_own) {
    static const char *const fields[][2] = {{"legs[1].stop_on_line.cruise_mm_s", "450"},
                                            {"legs[3].turn.angle_deg", "90"},
                                            {"spread.grip", "0.1"},
                                            {"robot.drive.lag_ms", "25"},
                                            {"robot.plant.lights.left.bend", "0.02"}};
    JsonNode *series = results("series " ROUND " --trials 12 --seed 5");
    for (size_t i = 0; i < G_N_ELEMENTS(fields); i++) {
        char *line =
            g_strdup_printf("sweep " ROUND " --field '%s' --values 1e-1,%s --trials 12 --seed 5",
                            fields[i][0], fields[i][1]);
        JsonNode *sweep = results(line);
        JsonArray *points = points_of(sweep);
        ck_assert_uint_eq(json_array_get_length(points), 2);
        JsonObject *last = json_array_get_object_element(points, 1);
        ck_assert_double_eq(json_object_get_double_member(last, "value"),
                            g_ascii_strtod(fields[i][1], NULL));
        ck_assert_msg(json_node_equal(json_object_get_member(last, "series"), series), "%s", line);
        JsonObject *first = json_array_get_object_element(points, 0);
        ck_assert_msg(strcmp(fields[i][0], "spread.grip") == 0 ||
                          json_object_has_member(first, "refused") ||
                          !json_node_equal(json_object_get_member(first, "series"), series),
                      "%s", line);
        json_node_free(sweep);
        g_free(line);
    }
    json_node_free(series);
}
END_TEST

START_TEST(ranges_are_even_or_even_in_their_logarithm) {
    static const struct {
        const char *how;
        double values[4];
    } cases[] = {{"--from 1 --to 4 --points 4", {1, 2, 3, 4}},
                 {"--from 8 --to 1 --points 4 --log", {8, 4, 2, 1}},
                 {"--values '1, 5,2.5,3e0'", {1, 5, 2.5, 3}}};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        char *line = g_strdup_printf(
            "sweep data/ferry/take-levels.yaml --field spread.x_mm --trials 1 %s", cases[i].how);
        JsonNode *sweep = results(line);
        JsonArray *points = points_of(sweep);
        ck_assert_uint_eq(json_array_get_length(points), 4);
        for (unsigned n = 0; n < 4; n++) {
            ck_assert_double_eq_tol(
                json_object_get_double_member(json_array_get_object_element(points, n), "value"),
                cases[i].values[n], 1e-9);
        }
        json_node_free(sweep);
        g_free(line);
    }
}
END_TEST

START_TEST(the_table_has_a_row_a_value_and_says_what_is_refused) {
    ck_assert_int_eq(call("sh -c \"" COMMAND " sweep " ROUND " " CRUISE
                          "--values 300,900 --trials 5 --leg 7 --figure overshoot_mm\""),
                     0);
    ck_assert_ptr_nonnull(strstr(out, "leg 7, true overshoot_mm\n"));
    ck_assert_ptr_nonnull(strstr(out, "\n        300       5 of 5   47.8 to 100.0 "));
    ck_assert_ptr_nonnull(strstr(out,
                                 "\n        900  refused: " ROUND ":8: legs[1].stop_on_line."
                                 "cruise_mm_s: makes no sense for this robot; 700 would do\n"));
    // Faster, it takes less time; and its own row each.
    ck_assert_int_eq(
        call("sh -c \"" COMMAND " sweep " ROUND " " CRUISE "--values 150,600 --trials 5\""), 0);
    double slow, fast;
    ck_assert_int_eq(sscanf(strstr(out, "\n        150 "), " 150 5 of 5 47.8 to 100.0 %lf", &slow),
                     1);
    ck_assert_int_eq(sscanf(strstr(out, "\n        600 "), " 600 5 of 5 47.8 to 100.0 %lf", &fast),
                     1);
    ck_assert_double_gt(slow, fast);
    ck_assert_ptr_nonnull(strstr(out, "leg 1, true rest_error_mm\n")); // the first that is judged
}
END_TEST

START_TEST(the_chart_shows_the_figure_and_what_completes) {
    char *path = in_folder("chart.svg");
    char *line = g_strdup_printf("sh -c \"" COMMAND " sweep " ROUND " " CRUISE
                                 "--values 200,400 --trials 4 --quiet --picture %s\"",
                                 path);
    ck_assert_int_eq(call(line), 0);
    ck_assert_str_eq(out, "");
    char *text;
    ck_assert(g_file_get_contents(path, &text, NULL, NULL));
    ck_assert_ptr_nonnull(strstr(text, "leg 1, true rest_error_mm"));
    ck_assert_ptr_nonnull(strstr(text, "completed, %"));
    ck_assert_ptr_nonnull(strstr(text, "legs[1].stop_on_line.cruise_mm_s"));
    g_free(text);
    g_free(line);
    g_free(path);
}
END_TEST

#define GRIP "--field robot.plant.grip_m_s2 "

START_TEST(two_numbers_are_varied_each_with_each) {
    JsonNode *sweep = results("sweep " ROUND " " CRUISE "--values 300,450 " GRIP
                              "--values 3,4.5,8 --trials 4 --seed 3");
    JsonArray *points = points_of(sweep);
    JsonArray *names = json_object_get_array_member(json_node_get_object(sweep), "fields");
    ck_assert_str_eq(json_array_get_string_element(names, 0), "legs[1].stop_on_line.cruise_mm_s");
    ck_assert_str_eq(json_array_get_string_element(names, 1), "robot.plant.grip_m_s2");
    ck_assert_uint_eq(json_array_get_length(points), 6);
    static const double expected[6][2] = {{300, 3}, {300, 4.5}, {300, 8},
                                          {450, 3}, {450, 4.5}, {450, 8}};
    for (unsigned i = 0; i < 6; i++) {
        JsonObject *point = json_array_get_object_element(points, i);
        JsonArray *values = json_object_get_array_member(point, "values");
        ck_assert_double_eq(json_array_get_double_element(values, 0), expected[i][0]);
        ck_assert_double_eq(json_array_get_double_element(values, 1), expected[i][1]);
    }
    // With the second as it stands in the file it is the sweep of the first.
    JsonNode *alone = results("sweep " ROUND " " CRUISE "--values 300,450 --trials 4 --seed 3");
    for (unsigned i = 0; i < 2; i++) {
        JsonObject *one = json_array_get_object_element(points_of(alone), i);
        JsonObject *both = json_array_get_object_element(points, 3 * i + 1);
        ck_assert(json_node_equal(json_object_get_member(one, "series"),
                                  json_object_get_member(both, "series")));
    }
    json_node_free(alone);
    json_node_free(sweep);
}
END_TEST

START_TEST(two_numbers_make_a_grid_and_a_map) {
    ck_assert_int_eq(call("sh -c \"" COMMAND " sweep " ROUND " " CRUISE "--values 300,450,900 " GRIP
                          "--values 2,3,4,5,6,7 --trials 2 --picture %s/map.svg\""),
                     0);
    ck_assert_ptr_nonnull(strstr(out, "\nrows     legs[1].stop_on_line.cruise_mm_s\n"
                                      "columns  robot.plant.grip_m_s2\n2 trials each "));
    ck_assert_ptr_nonnull(strstr(out, "\n                           2                3 "));
    ck_assert_ptr_nonnull(strstr(out, "\n        450   100 %     "));
    ck_assert_ptr_nonnull(strstr(out, "\n        900          refused          refused "));
    ck_assert_ptr_nonnull(strstr(out, "\n                           7\n        300   100 % "));
    ck_assert_ptr_nonnull(strstr(out, "\n900, 2 refused: " ROUND ":8: legs[1]"));
    ck_assert_ptr_nonnull(strstr(out, "\nleast with "));
    static const char *const words[] = {"robot.plant.grip_m_s2",
                                        "legs[1].stop_on_line.cruise_mm_s",
                                        "rest_error_mm: 95 % within",
                                        "100 %",
                                        "refused",
                                        NULL};
    check_picture_says("map.svg", words);
}
END_TEST

START_TEST(it_says_where_the_figure_is_least_or_that_it_makes_no_odds) {
    ck_assert_int_eq(
        call("sh -c \"" COMMAND " sweep " ROUND " --field 'legs[4].drive_until_line."
             "creep_mm_s' --values 150,300 --trials 6 --leg 4 --figure overshoot_mm\""),
        0);
    double within, told;
    ck_assert_int_eq(sscanf(strstr(out, "\n        150 "),
                            " 150 6 of 6 %*f to %*f %*f %*f %*f %*f %lf", &within),
                     1);
    ck_assert_int_eq(
        sscanf(strstr(out, "\nleast with "), " least with 150: 95 %% are within %lf", &told), 1);
    ck_assert_double_eq(told, within);
    ck_assert_int_eq(
        CALL("sweep " ROUND " --field spread.looks_lost --values 0,0.00001 --trials 4"), 0);
    ck_assert_ptr_nonnull(strstr(out, "\nit makes no odds to the figure: 95 % are within "));
}
END_TEST

START_TEST(ctrl_c_leaves_the_values_that_were_driven) {
    ck_assert_int_eq(call("sh -c \"timeout --preserve-status -s INT 6 " COMMAND " sweep " ROUND
                          " " CRUISE "--from 200 --to 700 --points 200 --trials 20\""),
                     1);
    ck_assert_ptr_nonnull(strstr(out, "\n        200     20 of 20 "));
    ck_assert_ptr_nonnull(strstr(out, "\nstopped before the other "));
}
END_TEST

static JsonNode *reach(const char *arguments, int status) {
    char *line = g_strdup_printf("sh -c \"" COMMAND " sweep " ROUND " %s --json "
                                 "--limits %%s/limits.yaml\"",
                                 arguments);
    ck_assert_msg(call(line) == status, "%s: %s", line, err);
    g_free(line);
    JsonNode *node = json_from_string(out, NULL);
    ck_assert_ptr_nonnull(node);
    return node;
}

// Whether twelve trials overshoot by no more than 25 mm, by a series of their own.
static bool keeping(double creep_mm_s) {
    char *line = g_strdup_printf("sh -c \"" COMMAND " sweep " ROUND
                                 " --field 'legs[4].drive_until_line.creep_mm_s' --values %g"
                                 " --trials 12 --leg 4 --figure overshoot_mm --json\"",
                                 creep_mm_s);
    ck_assert_int_eq(call(line), 0);
    g_free(line);
    JsonNode *node = json_from_string(out, NULL);
    JsonObject *series =
        json_object_get_object_member(json_array_get_object_element(points_of(node), 0), "series");
    JsonArray *figures = json_object_get_array_member(series, "figures");
    double worst = 0.0;
    for (guint i = 0; i < json_array_get_length(figures); i++) {
        JsonObject *one = json_array_get_object_element(figures, i);
        if (json_object_get_int_member(one, "leg") == 4 &&
            strcmp(json_object_get_string_member(one, "figure"), "overshoot_mm") == 0) {
            worst =
                json_object_get_double_member(json_object_get_object_member(one, "truth"), "worst");
        }
    }
    json_node_free(node);
    return worst <= 25.0;
}

#define CREEP "--field 'legs[4].drive_until_line.creep_mm_s' --trials 12 "

START_TEST(it_finds_how_far_a_number_may_go) {
    write_limits("  - {leg: 4, figure: overshoot_mm, at_most: 25}\n");
    JsonNode *node = reach(CREEP "--from 80 --to 330 --within 32", 0);
    JsonObject *found = json_node_get_object(node);
    double value = json_object_get_double_member(found, "value");
    ck_assert(value > 80.0 && value < 330.0);
    ck_assert(!json_object_get_boolean_member(found, "to_the_end"));
    // There it is kept, and a step further not; in a series of its own.
    ck_assert(keeping(value));
    ck_assert(!keeping(value + 250.0 / 8.0));
    JsonArray *tried = json_object_get_array_member(found, "tried");
    double before = 0.0;
    for (guint i = 0; i < json_array_get_length(tried); i++) {
        JsonObject *one = json_array_get_object_element(tried, i);
        double at = json_object_get_double_member(one, "value");
        ck_assert_double_gt(at, before);
        ck_assert_int_eq(json_object_get_boolean_member(one, "keeps"), at <= value);
        ck_assert_int_eq(json_object_get_int_member(one, "tightest"), 1);
        ck_assert_int_eq(json_object_get_double_member(one, "share") == 1.0, at <= value);
        before = at;
    }
    ck_assert_uint_ge(json_array_get_length(tried), 5);
    ck_assert_uint_le(json_array_get_length(tried), 9);
    json_node_free(node);
    // The other way round it begins where it is not kept, and it may be kept to the end.
    node = reach(CREEP "--from 330 --to 80", 1);
    ck_assert(json_object_get_null_member(json_node_get_object(node), "value"));
    json_node_free(node);
    node = reach(CREEP "--from 90 --to 80", 0);
    ck_assert(json_object_get_boolean_member(json_node_get_object(node), "to_the_end"));
    json_node_free(node);
}
END_TEST

START_TEST(how_far_it_may_go_is_drawn) {
    write_limits("  - {leg: 4, figure: overshoot_mm, at_most: 25, share: 0.8}\n");
    ck_assert_int_eq(call("sh -c \"" COMMAND " sweep " ROUND " " CREEP
                          "--from 80 --to 330 --within 125 --trials 4 --quiet --limits "
                          "%s/limits.yaml --picture %s/reach.svg\""),
                     0);
    static const char *const words[] = {"kept up to",     "all limits are kept",    "one is not",
                                        "tightest limit", "share that it asks for", NULL};
    check_picture_says("reach.svg", words);
}
END_TEST

START_TEST(what_is_sure_takes_more_trials_than_what_is_so) {
    write_limits("  - {leg: 4, figure: overshoot_mm, at_most: 25, share: 0.6}\n");
    JsonNode *node = reach(CREEP "--from 80 --to 330 --within 32", 0);
    JsonObject *found = json_node_get_object(node);
    double value = json_object_get_double_member(found, "value");
    double surely = json_object_get_double_member(found, "surely");
    double surely_not = json_object_get_double_member(found, "surely_not");
    ck_assert(surely <= value && value < surely_not);
    ck_assert_double_lt(surely, surely_not);
    json_node_free(node);
    // Of twelve trials none shows a share of 95 %.
    write_limits("  - {leg: 4, figure: overshoot_mm, at_most: 25, share: 0.95}\n");
    ck_assert_int_eq(call("sh -c \"" COMMAND " sweep " ROUND " " CREEP "--from 80 --to 330 "
                          "--within 60 --limits %s/limits.yaml\""),
                     0);
    ck_assert_ptr_nonnull(strstr(out, "\nthe limits are kept up to "));
    ck_assert_ptr_nonnull(strstr(out, "\nsurely nowhere: more trials would tell; surely no more "));
    ck_assert_ptr_nonnull(strstr(out, "\ntried: 80 kept, "));
    // What the route refuses keeps to nothing, and says why.
    write_limits("  - {figure: completed}\n");
    node = reach(CRUISE "--from 600 --to 900 --within 50 --trials 3", 0);
    found = json_node_get_object(node);
    ck_assert_double_eq(json_object_get_double_member(found, "value"), 675.0);
    ck_assert_ptr_nonnull(strstr(json_object_get_string_member(found, "refused"), "700 would do"));
    json_node_free(node);
}
END_TEST

START_TEST(a_wrong_call_says_what_would_be_right) {
    static const char *const wrong[][2] = {
        {"", "sweep takes one route"},
        {ROUND " --values 1", "--field must be given"},
        {ROUND " " CRUISE, "sweep needs --values, or --from and --to"},
        {ROUND " " CRUISE "--from 1", "sweep needs --values, or --from and --to"},
        {ROUND " " CRUISE "--from 1 --to 2 --points 1", "--points: 1 is out of range; 2 to 200"},
        {ROUND " " CRUISE "--from -1 --to 2 --log", "both must be more than 0"},
        {ROUND " " CRUISE "--values 100,2x", "--values: '2x' is no number"},
        {ROUND " " CRUISE "--values 100, --trials 1", "--values: '' is no number"},
        {ROUND " " CRUISE "--values 100 --trials 0", "--trials: 0 is out of range"},
        {ROUND " " CRUISE "--values 300 --trials 1 --leg 8", "--leg: 8 is out of range; 1 to 7"},
        {ROUND " " CRUISE "--values 300 --figure speed", "--figure: 'speed' is none"},
        {ROUND " " CRUISE "--values 300 --picture a.gif", "a.gif"},
        {ROUND " " CRUISE GRIP "--values 1",
         "--values: 1 lists for 2 numbers; one for each --field"},
        {ROUND " " CRUISE "--values 1 --values 2", "--values: 2 lists for 1 numbers; one for each"},
        {ROUND " " CRUISE GRIP "--field spread.x_mm --values 1", "--field: 3 of them; at most two"},
        {ROUND " " CRUISE CRUISE "--values 1 --values 2",
         "--field: legs[1].stop_on_line.cruise_mm_s is given twice"},
        {ROUND " " CRUISE GRIP "--values 1 --values 2 --law", "--law goes with one --field"},
        {ROUND " " CRUISE GRIP "--from 1 --to 2", "--values: 0 lists for 2 numbers"},
        {ROUND " " CRUISE "--values ''", "--values: there are none"},
        {ROUND " --field 'legs[9].turn.angle_deg' --values 1", "there is no number 'legs[9]"},
        {ROUND " --field 'legs[1]' --values 1", "there is no number 'legs[1]'"},
        {ROUND " --field 'legs[1' --values 1", "there is no number 'legs[1'"},
        {ROUND " --field 'start.x_mm.y' --values 1", "there is no number 'start.x_mm.y'"},
        {ROUND " --field 'a b' --values 1", "there is no number 'a b'"},
        {ROUND " --field 'legs[1].stop_on_line.cruis' --values 1",
         "unknown key; did you mean cruise_mm_s?"},
        {ROUND " --field robot.plant.grip --values 1", "mozzo.yaml:"},
        {ROUND " " CRUISE "--limits none.yaml --from 1 --to 2", "none.yaml: the limits cannot be"},
        {ROUND " " CRUISE "--limits data/ferry/limits.yaml --from 300",
         "--limits needs --from, a value at which they are kept, and --to"},
        {ROUND " " CRUISE "--limits data/ferry/limits.yaml --values 300",
         "--limits goes with one --field, with --from and --to"},
        {ROUND " " CRUISE "--limits data/ferry/limits.yaml --from 300 --to 400 --within 0",
         "--within: 0 is out of range; above 0, to 100"},
        {ROUND " " CRUISE "--limits data/ferry/limits.yaml --from 900 --to 400 --trials 1",
         "makes no sense for this robot; 700 would do"},
        {"data/ferry/lane.yaml --field spread.x_mm --limits data/ferry/limits.yaml --from 1 --to 2 "
         "--trials 1",
         "limits[4].leg: there is no leg '4'"},
        {"nowhere.yaml " CRUISE "--values 1", "nowhere.yaml: the route cannot be read"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); i++) {
        char *line = g_strdup_printf("sh -c \"" COMMAND " sweep %s\"", wrong[i][0]);
        ck_assert_msg(call(line) == 2, "%s: %s", line, out);
        ck_assert_msg(strstr(err, wrong[i][1]) != NULL, "%s: %s", line, err);
        g_free(line);
    }
}
END_TEST

int main(void) {
    begin_runs();
    const TTest *const tests[] = {each_value_is_a_series_of_its_own,
                                  ranges_are_even_or_even_in_their_logarithm,
                                  the_table_has_a_row_a_value_and_says_what_is_refused,
                                  the_chart_shows_the_figure_and_what_completes,
                                  ctrl_c_leaves_the_values_that_were_driven,
                                  two_numbers_are_varied_each_with_each,
                                  two_numbers_make_a_grid_and_a_map,
                                  it_says_where_the_figure_is_least_or_that_it_makes_no_odds,
                                  it_finds_how_far_a_number_may_go,
                                  how_far_it_may_go_is_drawn,
                                  what_is_sure_takes_more_trials_than_what_is_so,
                                  a_wrong_call_says_what_would_be_right,
                                  NULL};
    int failed = run_suite("sweep", tests);
    end_runs();
    return failed;
}
