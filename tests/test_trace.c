// SPDX-License-Identifier: GPL-3.0-or-later
// Traces: read back, refused; and what one alone tells, beside what the run itself knows.
#include "calls.h"

#include <cammino_lab/trace.h>
#include <json-glib/json-glib.h>
#include <math.h>
#include <string.h>

#define ROUND "data/ferry/first-round.yaml"

// Drives the first round with a trace; of that, columns behind `last` are cut off, and so is the
// leg where it is not to be there. The results are the caller's to free.
static JsonNode *drive(unsigned seed, const char *last, bool legs, char **trace) {
    char *line = g_strdup_printf(
        COMMAND " drive " ROUND " --varied --seed %u --json --trace %%s/trace.csv", seed);
    ck_assert_int_eq(call(line), 0);
    g_free(line);
    JsonNode *results = json_from_string(out, NULL);
    char *path = in_folder("trace.csv");
    char *text;
    ck_assert(g_file_get_contents(path, &text, NULL, NULL));
    GString *cut = g_string_new(NULL);
    char **rows = g_strsplit(text, "\r\n", -1);
    char **names = g_strsplit(rows[0], ",", -1);
    for (unsigned i = 0; rows[i] != NULL && *rows[i] != '\0'; i++) {
        char **fields = g_strsplit(rows[i], ",", -1);
        for (unsigned f = legs ? 0 : 1; fields[f] != NULL; f++) {
            g_string_append_printf(cut, "%s%s", f > (legs ? 0U : 1U) ? "," : "", fields[f]);
            if (strcmp(names[f], last) == 0) {
                break;
            }
        }
        g_string_append(cut, "\r\n");
        g_strfreev(fields);
    }
    ck_assert(g_file_set_contents(path, cut->str, (gssize)cut->len, NULL));
    g_strfreev(names);
    g_strfreev(rows);
    g_free(text);
    g_free(path);
    *trace = g_string_free(cut, FALSE);
    return results;
}

static double member(JsonNode *results, unsigned leg, const char *column, const char *name) {
    JsonObject *of = json_array_get_object_element(
        json_object_get_array_member(json_node_get_object(results), "legs"), leg - 1);
    return json_object_get_double_member(json_object_get_object_member(of, column), name);
}

static const lab_trace_leg_told *leg_of(const lab_trace_told *told, unsigned leg) {
    ck_assert_uint_ge(told->legs->len, leg);
    return &g_array_index(told->legs, lab_trace_leg_told, leg - 1);
}

static double told_of(const lab_trace_leg_told *leg, cmo_figure figure) {
    ck_assert_msg((leg->figures.known & LAB_FIGURE_BIT(figure)) != 0, "%s",
                  cmo_figure_name(figure));
    return leg->figures.value[figure];
}

static lab_trace_told *tell(const char *trace) {
    GArray *rows = lab_trace_from_bytes("t", trace, strlen(trace), NULL);
    ck_assert_ptr_nonnull(rows);
    lab_trace_told *told = lab_trace_tell(rows, 0.5);
    g_array_free(rows, TRUE);
    return told;
}

// Without the true columns, and by the robot's word where odometry is what it is.
START_TEST(it_tells_stops_as_the_robot_knew_them) {
    double squares[5] = {0.0};
    double by_robot = 0.0; // of its overshoot
    // In the last of them the robot has braked for what was no line before.
    static const unsigned seeds[] = {1, 2, 3, 4, 5, 6, 7, 8, 11};
    for (unsigned n = 0; n < sizeof seeds / sizeof seeds[0]; n++) {
        unsigned seed = seeds[n];
        char *trace;
        JsonNode *results = drive(seed, "look_right_mm", seed % 2 != 0, &trace);
        ck_assert_ptr_null(strstr(trace, "true_x"));
        lab_trace_told *told = tell(trace);
        ck_assert_uint_eq(told->legs->len, 7);
        for (unsigned leg = 1; leg <= 7; leg++) {
            const lab_trace_leg_told *one = leg_of(told, leg);
            ck_assert_uint_eq(one->leg, leg);
            ck_assert_double_eq_tol(told_of(one, CMO_ELAPSED_MS),
                                    member(results, leg, "robot", "elapsed_ms"), 10.1);
            ck_assert_double_eq_tol(told_of(one, CMO_TURNED_DEG),
                                    member(results, leg, "robot", "turned_deg"), 0.3);
        }
        static const unsigned lines[] = {1, 4};
        for (unsigned i = 0; i < 2; i++) {
            const lab_trace_leg_told *one = leg_of(told, lines[i]);
            static const struct {
                cmo_figure figure;
                const char *name;
                double by_robot, by_truth;
            } near[] = {{CMO_STOPPING_DISTANCE_MM, "stopping_distance_mm", 0.6, 1.0},
                        {CMO_OVERSHOOT_MM, "overshoot_mm", 0.7, 1.4},
                        {CMO_REST_ERROR_MM, "rest_error_mm", 0.6, 1.4},
                        {CMO_REACTION_MS, "reaction_ms", 2.0, 5.0},
                        {CMO_CROSSING_SPEED_MM_S, "crossing_speed_mm_s", 1.0, 2.0}};
            for (unsigned f = 0; f < sizeof near / sizeof near[0]; f++) {
                double value = told_of(one, near[f].figure);
                double robot = member(results, lines[i], "robot", near[f].name);
                double truth = member(results, lines[i], "truth", near[f].name);
                ck_assert_msg(fabs(value - robot) < near[f].by_robot, "%u %u %s: %g, robot %g",
                              seed, lines[i], near[f].name, value, robot);
                ck_assert_msg(fabs(value - truth) < near[f].by_truth, "%u %u %s: %g, truth %g",
                              seed, lines[i], near[f].name, value, truth);
                squares[f] += (value - truth) * (value - truth) / 18.0;
                by_robot += f == 1 ? (value - robot) * (value - robot) / 18.0 : 0.0;
            }
        }
        ck_assert_double_eq_tol(told->period_ms, 10.0, 1e-6);
        ck_assert_double_eq_tol(told->latest_ms, 0.0, 1e-6);
        ck_assert_double_eq_tol(told->interval_ms[0], 10.0, 0.01);
        ck_assert_uint_eq(told->gaps, 0);
        lab_trace_told_free(told);
        json_node_free(results);
        g_free(trace);
    }
    ck_assert_msg(squares[0] < 0.6 * 0.6 && squares[1] < 0.9 * 0.9 && squares[2] < 0.8 * 0.8,
                  "off the truth by RMS %g, %g, %g mm", sqrt(squares[0]), sqrt(squares[1]),
                  sqrt(squares[2]));
    ck_assert_msg(by_robot < 0.4 * 0.4, "off the robot by RMS %g mm", sqrt(by_robot));
    ck_assert_msg(squares[3] < 2.2 * 2.2, "%g ms", sqrt(squares[3]));
}
END_TEST

START_TEST(rows_that_are_lost_are_told) {
    char *trace;
    JsonNode *results = drive(3, "counts_right", true, &trace);
    GString *less = g_string_new(NULL);
    char **rows = g_strsplit(trace, "\n", -1);
    for (unsigned i = 0; rows[i] != NULL; i++) {
        if (i < 100 || i >= 107) { // 980 to 1,040 ms
            g_string_append_printf(less, "%s%s", i > 0 ? "\n" : "", rows[i]);
        }
    }
    lab_trace_told *told = tell(less->str);
    ck_assert_uint_eq(told->gaps, 1);
    ck_assert_double_eq_tol(told->latest_ms, 70.0, 1e-6);
    ck_assert_double_eq_tol(told_of(leg_of(told, 1), CMO_TICK_LATE_US), 70000.0, 1e-3);
    ck_assert_double_eq_tol(told->gap_at_ms, 1060.0, 1e-6);
    lab_trace_told_free(told);
    g_strfreev(rows);
    g_string_free(less, TRUE);
    json_node_free(results);
    g_free(trace);
}
END_TEST

START_TEST(slow_looks_are_told) {
    GString *text = g_string_new("time_ms,way_mm,left_mm_s,right_mm_s,reflectance_left\n");
    for (unsigned i = 0; i < 200; i++) {
        unsigned look = i < 100 ? i / 4 : i < 130 ? 25 : i / 4; // and none for 300 ms
        g_string_append_printf(text, "%u,%.2f,200,200,%.3f\n", 10 * i, 2.0 * i,
                               0.9 + 0.001 * (look * 7 % 11));
    }
    lab_trace_told *told = tell(text->str);
    ck_assert_double_eq_tol(told->interval_ms[0], 40.0, 1e-6);
    ck_assert_double_eq_tol(told->longest_ms[0], 300.0, 25.0);
    ck_assert(isnan(told->interval_ms[1]));
    ck_assert_uint_eq(told->legs->len, 0); // no routine ran
    lab_trace_told_free(told);
    g_string_free(text, TRUE);
}
END_TEST

START_TEST(the_command_tells_and_judges_it) {
    char *trace;
    JsonNode *results = drive(2, "counts_right", true, &trace);
    json_node_free(results);
    g_free(trace);
    ck_assert_int_eq(CALL("judge %s/trace.csv"), 0);
    ck_assert_ptr_nonnull(strstr(out, " rows, 7 legs\nticks  each 10.0 ms, the latest by 0.0 ms\n"
                                      "looks  left  each 10.0 ms, the longest"));
    ck_assert_ptr_nonnull(strstr(out, "\n 4 drive_until_line "));
    ck_assert_ptr_nonnull(strstr(out, "not to be known from a trace: what is true, how legs"));
    char *limits = in_folder("limits.yaml");
    ck_assert(g_file_set_contents(limits,
                                  "limits:\n"
                                  "  - {leg: 1, figure: rest_error_mm, within: 1.5}\n"
                                  "  - {leg: 4, figure: overshoot_mm, at_most: 5}\n"
                                  "  - {leg: 1, figure: tick_late_us, at_most: 2000}\n"
                                  "  - {leg: 1, figure: rest_error_mm, of: truth, within: 9}\n",
                                  -1, NULL));
    ck_assert_int_eq(CALL("judge %s/limits.yaml %s/trace.csv"), 1);
    ck_assert_ptr_nonnull(strstr(out, "limits.yaml on trace "));
    ck_assert_ptr_nonnull(strstr(out, "\npass  leg 1 rest_error_mm "));
    ck_assert_ptr_nonnull(strstr(out, "\nFAIL  leg 4 overshoot_mm "));
    ck_assert_ptr_nonnull(strstr(out, "\npass  leg 1 tick_late_us "));
    ck_assert_ptr_nonnull(strstr(out, "\n      in 1 of them there is no such figure\n"));
    ck_assert_ptr_nonnull(strstr(out, "\n2 of 4 limits are kept\n"));
    ck_assert(g_file_set_contents(limits, "limits:\n  - {figure: completed}\n", -1, NULL));
    ck_assert_int_eq(CALL("judge %s/limits.yaml %s/trace.csv"), 2);
    ck_assert_ptr_nonnull(strstr(err, "limits.yaml:2: limits[1].figure: a trace does not say how"));
    ck_assert_int_eq(CALL("judge tests/corpus/trace/bare.csv"), 0);
    g_free(limits);
}
END_TEST

START_TEST(a_trace_is_read_back_as_it_was_written) {
    GError *error = NULL;
    lab_route *route = load_like_last(SOURCE_DIR "/" ROUND, &error);
    ck_assert_msg(route != NULL && lab_check(route, &error), "%s", error ? error->message : "");
    lab_run *run = lab_drive(route, 2);
    char *path = in_folder("back.csv");
    ck_assert(lab_trace_write(run, path, &error));
    GArray *rows = lab_trace_read(path, &error);
    ck_assert_msg(rows != NULL, "%s", error ? error->message : "");
    ck_assert_uint_eq(rows->len, run->rows->len);
    for (guint i = 0; i < rows->len; i++) {
        const lab_row *a = &g_array_index(rows, lab_row, i);
        const lab_row *b = &g_array_index(run->rows, lab_row, i);
        ck_assert_uint_eq(a->leg, b->leg);
        ck_assert_uint_eq(a->robot.run_us, b->robot.run_us);
        ck_assert_uint_eq(a->robot.routine, b->robot.routine);
        ck_assert_uint_eq(a->robot.stage, b->robot.stage);
        ck_assert_uint_eq(a->robot.halted, b->robot.halted);
        ck_assert_float_eq_tol(a->robot.way_mm, b->robot.way_mm, 0.001F);
        ck_assert_double_eq_tol(a->true_x_mm, b->true_x_mm, 0.001);
        ck_assert(isnan(a->robot.crossing_mm) == isnan(b->robot.crossing_mm));
    }
    ck_assert(!lab_trace_write(run, "/nowhere/t.csv", &error));
    ck_assert_ptr_nonnull(strstr(error->message, "/nowhere/t.csv: the trace cannot be written"));
    g_clear_error(&error);
    g_free(path);
    g_array_free(rows, TRUE);
    lab_run_free(run);
    lab_route_free(route);
}
END_TEST

START_TEST(a_trace_that_is_none_is_refused_with_its_line) {
    static const struct {
        const char *text;
        const char *says;
    } cases[] = {
        {"", "the trace has no rows"},
        {"a,b,c\n1,2,3\n", "t.csv:1: the trace has no column time_ms"},
        {"time_ms,way_mm\n", "no column reflectance_left"},
        {"time_ms,way_mm,reflectance_left\n", "the trace has no rows"},
        {"time_ms,way_mm,reflectance_left\n1,x,0\n", "t.csv:2: way_mm: not a number"},
        {"time_ms,way_mm,reflectance_left\n1,2,0\n\n-1,2,0\n", "t.csv:4: time_ms: not a number"},
        {"time_ms,way_mm,reflectance_left\n1,2\x01,0\n", "t.csv:2: way_mm"},
        {"time_ms,way_mm,reflectance_left\n1e34,2,0\n", "t.csv:2: time_ms"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        ck_assert_ptr_null(
            lab_trace_from_bytes("t.csv", cases[i].text, strlen(cases[i].text), &error));
        ck_assert_msg(strstr(error->message, cases[i].says) != NULL, "%s", error->message);
        g_clear_error(&error);
    }
}
END_TEST

int main(void) {
    make_folder();
    const TTest *const tests[] = {it_tells_stops_as_the_robot_knew_them,
                                  rows_that_are_lost_are_told,
                                  slow_looks_are_told,
                                  the_command_tells_and_judges_it,
                                  a_trace_is_read_back_as_it_was_written,
                                  a_trace_that_is_none_is_refused_with_its_line,
                                  NULL};
    int failed = run_suite("trace", tests);
    remove_folder();
    return failed;
}
