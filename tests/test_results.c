// SPDX-License-Identifier: GPL-3.0-or-later
// Results that are kept in files: in parts, after stops, and what is no results.
#include "calls.h"

#include <cammino_lab/series.h>
#include <glib/gstdio.h>
#include <stdio.h>
#include <string.h>

#define ROUND  "data/ferry/first-round.yaml"
#define SERIES "series " ROUND " --trials 30 --seed 4 "

static char *path_of(const char *name) {
    return in_folder(name);
}

static char *read_all(const char *name) {
    char *path = path_of(name);
    char *text;
    ck_assert(g_file_get_contents(path, &text, NULL, NULL));
    g_free(path);
    return text;
}

static void write_all(const char *name, const char *text, gssize size) {
    char *path = path_of(name);
    ck_assert(g_file_set_contents(path, text, size, NULL));
    g_free(path);
}

static void drop(const char *name) {
    char *path = path_of(name);
    g_remove(path);
    g_free(path);
}

static unsigned lines_of(const char *text) {
    unsigned lines = 0;
    for (; *text != '\0'; text++) {
        lines += *text == '\n';
    }
    return lines;
}

START_TEST(parts_put_together_are_the_whole) {
    ck_assert_int_eq(CALL(SERIES "--json"), 0);
    char *whole = g_strdup(out);
    for (unsigned part = 3; part >= 1; part--) { // in any order
        char *line = g_strdup_printf(
            COMMAND " " SERIES "--part %u/3 --results %%s/part-%u --quiet --threads 2", part, part);
        ck_assert_int_eq(call(line), 0);
        ck_assert_str_eq(out, "");
        g_free(line);
        ck_assert_int_eq(call("sh -c 'cat %s/part-* > %s/all'"), 0);
        char *all = read_all("all");
        ck_assert_uint_eq(lines_of(all), (4 - part) * 11); // each with its head
        g_free(all);
    }
    ck_assert_int_eq(CALL(SERIES "--results %s/all --json"), 0);
    ck_assert_str_eq(out, whole);
    char *kept = read_all("all");
    ck_assert_uint_eq(lines_of(kept), 33); // nothing was driven again
    // Without a lost machine's part it is driven here.
    ck_assert_int_eq(call("sh -c 'cat %s/part-1 %s/part-3 %s/part-3 > %s/all'"), 0);
    ck_assert_int_eq(CALL(SERIES "--results %s/all --json"), 0);
    ck_assert_str_eq(out, whole);
    g_free(kept);
    g_free(whole);
    for (unsigned part = 1; part <= 3; part++) {
        char *name = g_strdup_printf("part-%u", part);
        drop(name);
        g_free(name);
    }
    drop("all");
}
END_TEST

START_TEST(what_was_killed_goes_on_where_it_was) {
    ck_assert_int_eq(CALL(SERIES "--json"), 0);
    char *whole = g_strdup(out);
    // Once it has kept some, however fast the machine is.
    call("sh -c 'kept=%s/killed; " COMMAND " series " ROUND
         " --trials 100000 --seed 4 --results $kept & "
         "while kill -0 $! && [ $(cat $kept | wc -l) -lt 8 ]; do sleep 0.05; done; "
         "kill -s KILL $!; wait'");
    char *kept = read_all("killed");
    ck_assert_uint_gt(lines_of(kept), 3);
    // Even where the last line was cut off.
    const gssize sizes[] = {(gssize)strlen(kept) - 1, 40};
    for (size_t i = 0; i < G_N_ELEMENTS(sizes); i++) {
        write_all("cut", kept, sizes[i]);
        ck_assert_int_eq(CALL(SERIES "--results %s/cut --json"), 0);
        ck_assert_str_eq(out, whole);
    }
    // What is added is what was there, byte for byte.
    char *again = read_all("cut");
    ck_assert_int_eq(CALL(SERIES "--results %s/new --quiet"), 0);
    char *fresh = read_all("new");
    ck_assert_str_eq(fresh, again);
    char *second = g_strndup(strchr(fresh, '\n'), 4000);
    ck_assert_ptr_nonnull(strstr(kept, second));
    g_free(second);
    g_free(fresh);
    g_free(again);
    g_free(kept);
    g_free(whole);
    drop("new");
    drop("cut");
    drop("killed");
}
END_TEST

// A full disk, as a limit of the file's size.
START_TEST(where_there_is_no_room_it_says_so_and_goes_on_later) {
    ck_assert_int_eq(CALL(SERIES "--json"), 0);
    char *whole = g_strdup(out);
    ck_assert_int_eq(call("sh -c 'trap \"\" XFSZ; ulimit -f 8; " COMMAND " " SERIES
                          "--results %s/tight --json'"),
                     2);
    ck_assert_str_eq(out, "");
    ck_assert_ptr_nonnull(strstr(err, "/tight: the results cannot be kept there: "));
    char *kept = read_all("tight");
    ck_assert_uint_le(strlen(kept), 8 * 1024);
    g_free(kept);
    ck_assert_int_eq(CALL(SERIES "--results %s/tight --json"), 0);
    ck_assert_str_eq(out, whole);
    g_free(whole);
    drop("tight");
}
END_TEST

START_TEST(results_of_something_else_are_refused_and_stay_as_they_are) {
    ck_assert_int_eq(CALL(SERIES "--results %s/kept --quiet"), 0);
    char *before = read_all("kept");
    static const char *const others[] = {
        "series data/ferry/lane.yaml --trials 30 --seed 4",
        "series " ROUND " --robot data/ferry/mozzo-plain.yaml --trials 30 --seed 4",
        "series " ROUND " --robot data/ferry/fleet.yaml --trials 30 --seed 4",
    };
    for (size_t i = 0; i < G_N_ELEMENTS(others); i++) {
        char *line = g_strdup_printf(COMMAND " %s --results %%s/kept", others[i]);
        ck_assert_int_eq(call(line), 2);
        ck_assert_ptr_nonnull(
            strstr(err, "results of another route, robot, mat, calibration or version"));
        ck_assert_str_eq(out, "");
        g_free(line);
        char *after = read_all("kept");
        ck_assert_str_eq(before, after);
        g_free(after);
    }
    write_all("other.json", "{\"what\": 1}", -1);
    static const char *const wrong[][2] = {
        {"--results README.md", "README.md: no results; cammino series --results"},
        {"--results " ROUND, "--results: " ROUND ": this call uses that file otherwise"},
        {"--results /dev/null", "it is a pipe or a device"},
        {"--results %s/other.json", "it holds something else than results; another name would do"},
        {"--results %s", "it is a folder"},
        {"--results %s/none/results", "the results cannot be kept there: No such file"},
        {"--part 0/3", "--part: '0/3' is none"},
        {"--part 4/3", "--part: '4/3' is none"},
        {"--part 1/31", "--part: '1/31' is none"},
        {"--part 2", "--part: '2' is none"},
        {"--part 1/2x", "--part: '1/2x' is none"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); i++) {
        char *line = g_strdup_printf(COMMAND " " SERIES "%s", wrong[i][0]);
        ck_assert_int_eq(call(line), 2);
        ck_assert_msg(strstr(err, wrong[i][1]) != NULL, "%s: %s", line, err);
        g_free(line);
    }
    char *other = read_all("other.json");
    ck_assert_str_eq(other, "{\"what\": 1}");
    g_free(other);
    g_free(before);
    drop("other.json");
    drop("kept");
}
END_TEST

START_TEST(what_is_nested_without_end_is_no_results) {
    static const char *const openings[] = {"[", "{\"a\":"};
    for (size_t i = 0; i < G_N_ELEMENTS(openings); i++) {
        for (unsigned lines = 0; lines < 2; lines++) {
            GString *text = g_string_new("{\"a\":");
            for (unsigned n = 0; n < 1000000; n++) {
                g_string_append(text, openings[i]);
            }
            g_string_append(text, lines ? "\n" : "");
            GError *error = NULL;
            ck_assert_ptr_null(lab_results_from_bytes("deep", text->str, text->len, &error));
            ck_assert_str_eq(error->message, "deep: no results: it is nested too deeply");
            g_clear_error(&error);
            g_string_free(text, TRUE);
        }
    }
    // Brackets in a text are no nesting.
    static const char named[] = "{\"route\":\"\\\"[[[[[[[[[[[[[[[[[[[[[[[[[[[[[[\",\"seed\":1,"
                                "\"trials\":1,\"legs\":[{\"routine\":\"turn\"}]}\n";
    lab_results *results = lab_results_from_bytes("named", named, strlen(named), NULL);
    ck_assert_ptr_nonnull(results);
    lab_results_free(results);
}
END_TEST

#define HEAD                                                                                       \
    "{\"route\":\"r\",\"seed\":1,\"trials\":2,\"legs\":[{\"routine\":\"turn\"}],"                  \
    "\"surfaces\":[]}\n"
#define TRIAL(seed, figures)                                                                       \
    "{\"seed\":" seed ",\"outcome\":\"done\",\"legs\":[{\"leg\":1,\"outcome\":\"done\","           \
    "\"robot\":{},\"truth\":{" figures "}}]}\n"

START_TEST(each_wrong_line_is_named) {
    static const char *const wrong[][2] = {
        {"", "w: there are no results in it"},
        {"legs: []\n", "w: no results"},
        {"{}\n", "w:1: the line that says what results these are is missing"},
        {TRIAL("1", ""), "w:1: the line that says what results these are is missing"},
        {HEAD "{\"seed\":1,\n" TRIAL("2", ""), "w:2: not a whole line of results"},
        {HEAD TRIAL("-1", ""), "w:2: seed: -1 is out of range"},
        {HEAD TRIAL("1.5", ""), "w:2: seed: a whole number must be given"},
        {HEAD TRIAL("1", "\"speed\":1.0"), "w:2: legs: truth: 'speed' is no figure"},
        {HEAD TRIAL("1", "\"turned_deg\":\"a\""), "w:2: legs: truth: turned_deg: a number"},
        {HEAD TRIAL("1", "\"turned_deg\":1e300"), "w:2: legs: truth: turned_deg: a number"},
        {HEAD TRIAL("1", "\"turned_deg\":1.0") TRIAL("1", "\"turned_deg\":2.0"),
         "w: the trial of seed 1 stands there twice, with other figures"},
        {HEAD "{\"seed\":1,\"outcome\":\"well\",\"legs\":[]}\n", "w:2: outcome: 'well' is none"},
        {HEAD "{\"seed\":1,\"outcome\":\"done\",\"legs\":{}}\n", "w:2: legs: a list of legs"},
        {HEAD "{\"seed\":1,\"outcome\":\"done\",\"legs\":[1]}\n", "w:2: legs: a list of legs"},
        {HEAD "{\"seed\":1,\"outcome\":\"done\",\"legs\":[{\"leg\":2}]}\n",
         "w:2: leg: 2 is out of range"},
        {HEAD "{\"trials\":1}\n", "w:2: legs: 1 to 200 legs must be given"},
        {HEAD "{\"trials\":1,\"seed\":1,\"route\":\"b\",\"legs\":[{\"routine\":\"advance\"}]}\n",
         "w:2: these are of another route, b, than those before"},
        {"{\"trials\":1,\"seed\":1,\"legs\":[{\"routine\":\"dance\"}]}\n",
         "w:1: routine: 'dance' is none that is known"},
        {"{\"trials\":0,\"seed\":1,\"legs\":[{\"routine\":\"turn\"}]}\n",
         "w:1: trials: 0 is out of range"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); i++) {
        GError *error = NULL;
        lab_results *results =
            lab_results_from_bytes("w", wrong[i][0], strlen(wrong[i][0]), &error);
        ck_assert_msg(results == NULL, "%s", wrong[i][0]);
        ck_assert_msg(g_str_has_prefix(error->message, wrong[i][1]), "%s: %s", wrong[i][0],
                      error->message);
        g_clear_error(&error);
    }
    static const char good[] = HEAD TRIAL("2", "\"turned_deg\":1.5") TRIAL("1", "")
        TRIAL("2", "\"turned_deg\":1.5") HEAD TRIAL("0", "\"turned_deg\":null") "{\"seed\":5,";
    lab_results *results = lab_results_from_bytes("w", good, strlen(good), NULL);
    ck_assert_ptr_nonnull(results);
    ck_assert_uint_eq(results->trials->len, 3);
    for (unsigned i = 0; i < 3; i++) {
        const lab_trial *trial = &g_array_index(results->trials, lab_trial, i);
        double turned = 0.0;
        ck_assert_uint_eq(trial->seed, i);
        ck_assert_uint_eq(trial->legs, 1);
        ck_assert(lab_trial_figure(&trial->leg[0], CMO_TURNED_DEG, true, &turned) == (i == 2));
        ck_assert_double_eq(turned, i == 2 ? 1.5 : 0.0);
        ck_assert(!lab_trial_figure(&trial->leg[0], CMO_TURNED_DEG, false, &turned));
    }
    lab_results_free(results);
}
END_TEST

START_TEST(what_calibrated_robots_came_to_says_so) {
    ck_assert_int_eq(CALL("series " ROUND " --trials 3 --results %s/c.jsonl --quiet --calibrated "
                          "data/ferry/measure-drive.yaml"),
                     0);
    ck_assert_int_eq(CALL("judge data/ferry/limits.yaml %s/c.jsonl"), 1); // too few to be sure
    ck_assert_ptr_nonnull(strstr(out, " on Mozzo, calibrated, route " ROUND ": 3 trials\n"));
    // It goes on where it is calibrated alike, and only there.
    ck_assert_int_eq(CALL("series " ROUND " --trials 4 --results %s/c.jsonl --quiet"), 2);
    ck_assert_ptr_nonnull(strstr(err, "results of another route, robot, mat, calibration or "));
    ck_assert_int_eq(CALL("series " ROUND " --trials 4 --results %s/c.jsonl --quiet --calibrated "
                          "data/ferry/measure-drive.yaml"),
                     0);
    char *path = in_folder("c.jsonl");
    lab_results *results = lab_results_load(path, NULL);
    ck_assert_ptr_nonnull(results);
    ck_assert(results->calibrated);
    ck_assert_uint_eq(results->trials->len, 4);
    lab_results_free(results);
    g_free(path);
}
END_TEST

START_TEST(one_drive_is_one_trial) {
    ck_assert_int_eq(CALL("drive " ROUND " --seed 9 --json"), 0);
    lab_results *results = lab_results_from_bytes("drive.json", out, strlen(out), NULL);
    ck_assert_ptr_nonnull(results);
    ck_assert_str_eq(results->route, ROUND);
    ck_assert_uint_eq(results->legs, 7);
    ck_assert_uint_eq(results->trials->len, 1);
    const lab_trial *trial = &g_array_index(results->trials, lab_trial, 0);
    ck_assert_uint_eq(trial->seed, 9);
    ck_assert_uint_eq(trial->legs, 7);
    double rest;
    ck_assert(lab_trial_figure(&trial->leg[0], CMO_REST_ERROR_MM, true, &rest));
    const char *truth = strstr(out, "\"truth\"");
    double printed;
    ck_assert_int_eq(sscanf(strstr(truth, "rest_error_mm"), "rest_error_mm\" : %lf", &printed), 1);
    ck_assert_double_eq_tol(rest, printed, 1e-6);
    lab_results_free(results);
}
END_TEST

int main(void) {
    make_folder();
    const TTest *const tests[] = {parts_put_together_are_the_whole,
                                  what_was_killed_goes_on_where_it_was,
                                  where_there_is_no_room_it_says_so_and_goes_on_later,
                                  results_of_something_else_are_refused_and_stay_as_they_are,
                                  what_is_nested_without_end_is_no_results,
                                  each_wrong_line_is_named,
                                  what_calibrated_robots_came_to_says_so,
                                  one_drive_is_one_trial,
                                  NULL};
    int failed = run_suite("results", tests);
    remove_folder();
    return failed;
}
