// SPDX-License-Identifier: GPL-3.0-or-later
// The command and the examples, as a user calls them.
#include "calls.h"

#include <cairo.h>
#include <glib/gstdio.h>
#include <string.h>

#define ROUTE "data/ferry/first-round.yaml"

START_TEST(help_has_an_example_for_every_command) {
    ck_assert_int_eq(CALL("--help"), 0);
    ck_assert_ptr_nonnull(strstr(out, "drive"));
    static const char *const commands[] = {"demo",  "budget", "wiring", "levels",
                                           "drive", "live",   "series", "draw"};
    for (size_t i = 0; i < G_N_ELEMENTS(commands); i++) {
        char *line = g_strdup_printf(COMMAND " %s --help", commands[i]);
        ck_assert_int_eq(call(line), 0);
        char *example = g_strdup_printf("Example:\n  cammino %s", commands[i]);
        ck_assert_ptr_nonnull(strstr(out, example));
        g_free(example);
        g_free(line);
    }
    ck_assert_int_eq(CALL("--version"), 0);
    ck_assert_str_eq(out, "cammino " CAMMINO_VERSION "\n");
    ck_assert_int_eq(CALL("--manual"), 0);
    ck_assert(g_str_has_prefix(out, ".\\\" SPDX"));
    ck_assert_ptr_nonnull(strstr(out, ".SH cammino draw"));
    ck_assert_int_eq(CALL("--completion"), 0);
    ck_assert_ptr_nonnull(strstr(out, "--trace"));
}
END_TEST

START_TEST(a_wrong_call_gets_one_line_and_status_2) {
    static const struct {
        const char *line;
        const char *says;
    } cases[] = {
        {COMMAND, "Usage: cammino COMMAND"},
        {COMMAND " fly", "fly: no such command; known are demo, budget, wiring, levels, drive, "
                         "generate, live, series, sweep, judge, compare"},
        {COMMAND " drive", "drive takes one route file"},
        {COMMAND " drive a b", "drive takes one route file"},
        {COMMAND " drive --sed 3 " ROUTE, "Unknown option --sed"},
        {COMMAND " drive --seed x " ROUTE, "--seed"},
        {COMMAND " drive --seed -4 " ROUTE, "--seed: -4 is out of range; 0 or more"},
        {COMMAND " drive nowhere.yaml", "nowhere.yaml: the route cannot be read: there is no such"},
        {COMMAND " drive data", "data: the route cannot be read"},
        {COMMAND " drive README.md", "README.md:"},
        {COMMAND " drive " ROUTE " --picture x.jpg", "must end with .png or .svg"},
        {COMMAND " drive " ROUTE " --picture x.png --view top", "'top' is not one of: mat, strip"},
        {COMMAND " drive " ROUTE " --picture x.png --over mm", "'mm' is not one of: way, time"},
        {COMMAND " drive " ROUTE " --leg -1", "--leg: -1 is out of range"},
        {COMMAND " drive " ROUTE " --picture %s/x.png --view strip --leg 99", "there is no leg 99"},
        {COMMAND " drive " ROUTE " --trace /nowhere/t.csv", "the trace cannot be written"},
        {COMMAND " drive " ROUTE " --picture /nowhere/p.png", "the picture cannot be written"},
        {COMMAND " draw", "draw takes one trace"},
        {COMMAND " draw t.csv", "draw needs --picture FILE"},
        {COMMAND " draw nowhere.csv --picture %s/x.png", "the trace cannot be read"},
        {COMMAND " draw README.md --picture %s/x.png", "README.md:1: the trace has no column"},
        {COMMAND " draw README.md --view mat --picture %s/x.png", "needs --route ROUTE"},
        {COMMAND " levels", "levels takes one route with a leg take_levels"},
        {COMMAND " levels " ROUTE " --seed -1", "--seed: -1 is out of range"},
        {COMMAND " levels " ROUTE, "no leg take_levels was driven"},
        {COMMAND " demo extra", "demo takes no file, not 'extra'"},
        {COMMAND " demo --folder /proc/nowhere", "the folder cannot be made"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        ck_assert_msg(call(cases[i].line) == 2, "%s", cases[i].line);
        ck_assert_msg(strstr(err, cases[i].says) != NULL, "%s: %s", cases[i].line, err);
        ck_assert_str_eq(out, "");
        ck_assert_msg(i == 0 || strchr(err, '\n') == err + strlen(err) - 1, "%s", err);
    }
    char *half = in_folder("x.png");
    ck_assert(!g_file_test(half, G_FILE_TEST_EXISTS));
    g_free(half);
}
END_TEST

// A figure of the first leg in the JSON that was printed last.
static double figure_of(const char *column, const char *name) {
    const char *at = strstr(out, column);
    ck_assert_ptr_nonnull(at);
    at = strstr(at, name);
    ck_assert_ptr_nonnull(at);
    return g_ascii_strtod(strchr(at, ':') + 1, NULL);
}

START_TEST(a_row_has_the_robots_word_before_the_truth) {
    ck_assert_int_eq(CALL("drive " ROUTE " --json"), 0);
    double overshoot[2] = {figure_of("\"robot\"", "\"overshoot_mm\""),
                           figure_of("\"truth\"", "\"overshoot_mm\"")};
    double rest[2] = {figure_of("\"robot\"", "\"rest_error_mm\""),
                      figure_of("\"truth\"", "\"rest_error_mm\"")};
    ck_assert_double_ne(overshoot[0], overshoot[1]);
    char *cells =
        g_strdup_printf("%8.1f%8.1f %8.2f%8.2f", overshoot[0], overshoot[1], rest[0], rest[1]);
    ck_assert_int_eq(CALL("drive " ROUTE), 0);
    const char *row = strstr(out, "\n  1  stop_on_line");
    ck_assert_ptr_nonnull(row);
    const char *found = strstr(row, cells);
    ck_assert_msg(found != NULL && found < strchr(row + 1, '\n'), "no %s in %s", cells, row);
    g_free(cells);
}
END_TEST

START_TEST(drive_prints_the_legs_robot_beside_truth) {
    ck_assert_int_eq(CALL("drive " ROUTE), 0);
    ck_assert_ptr_nonnull(strstr(out, "Mozzo on data/ferry/car-deck.svg"));
    ck_assert_ptr_nonnull(strstr(out, "\n  1  stop_on_line     done "));
    ck_assert_ptr_nonnull(strstr(out, "rest error mm"));
    ck_assert_ptr_nonnull(strstr(out, "70 mm asked for: "));
    ck_assert_ptr_nonnull(strstr(out, "run: done after"));
    ck_assert_int_eq(CALL("drive " ROUTE " --all"), 0);
    ck_assert_ptr_nonnull(strstr(out, "leg 1  stop_on_line  done"));
    ck_assert_ptr_nonnull(strstr(out, "overshoot_mm"));
    ck_assert_ptr_nonnull(strstr(out, "look_interval_worst_ms"));
    ck_assert_str_eq(err, "");
    ck_assert_int_eq(CALL("drive " ROUTE " --quiet"), 0);
    ck_assert_str_eq(out, "");
    ck_assert_int_eq(CALL("drive " ROUTE " --json --seed 9"), 0);
    ck_assert(g_str_has_prefix(out, "{\n"));
    ck_assert_ptr_nonnull(strstr(out, "\"seed\" : 9"));
}
END_TEST

// A hatch's far rim is met by both, and too narrow; a line that ends beside the way is
// met by one.
START_TEST(what_was_passed_over_is_said) {
    ck_assert_int_eq(CALL("drive " ROUTE), 0);
    const char *last = strstr(out, "passed over 5, the last at 27");
    ck_assert_ptr_nonnull(last);
    ck_assert_ptr_nonnull(strstr(last, "mm along the way, too narrow\n"));
    ck_assert_int_eq(CALL("drive " ROUTE " --json"), 0);
    ck_assert_ptr_nonnull(strstr(out, "\"passed_over_last\" : {"));
    ck_assert_ptr_nonnull(strstr(out, "\"reason\" : \"too_narrow\""));
    char *route = g_strdup_printf("%s/end.yaml", folder);
    ck_assert(g_file_set_contents(route,
                                  "robot: " SOURCE_DIR "/data/ferry/mozzo.yaml\nmat: " SOURCE_DIR
                                  "/data/ferry/car-deck.svg\nstart: {x_mm: 400, y_mm: 770}\nlegs:\n"
                                  "  - stop_on_line: {longest_mm: 300, cruise_mm_s: 200}\n",
                                  -1, NULL));
    char *line = g_strdup_printf(COMMAND " drive %s", route);
    ck_assert_int_eq(call(line), 1);
    ck_assert_ptr_nonnull(strstr(out, "no_line"));
    ck_assert_ptr_nonnull(strstr(out, "by the right sensor"));
    ck_assert_ptr_nonnull(strstr(out, "met by that sensor alone\n"));
    g_free(line);
    line = g_strdup_printf(COMMAND " drive %s --json", route);
    ck_assert_int_eq(call(line), 1);
    ck_assert_ptr_nonnull(strstr(out, "\"reason\" : \"one_sided\""));
    g_free(line);
    ck_assert_int_eq(g_unlink(route), 0);
    g_free(route);
}
END_TEST

START_TEST(a_robot_that_fails_gives_status_1_and_says_why) {
    char *path = in_folder("fail.yaml");
    char *route =
        g_strdup_printf("robot: %s/data/ferry/mozzo.yaml\nmat: %s/data/ferry/car-deck.svg\n"
                        "start: {x_mm: 200, y_mm: 600}\nlegs:\n"
                        "  - stop_on_line: {longest_mm: 150}\n  - turn: {angle_deg: 9}\n",
                        SOURCE_DIR, SOURCE_DIR);
    ck_assert(g_file_set_contents(path, route, -1, NULL));
    ck_assert_int_eq(CALL("drive %s/fail.yaml"), 1);
    ck_assert_ptr_nonnull(strstr(out, "\n     no line within the longest distance"));
    ck_assert_ptr_nonnull(strstr(out, "1 of 2 legs not driven"));
    ck_assert_int_eq(CALL("drive %s/fail.yaml --all"), 1);
    ck_assert_ptr_nonnull(strstr(out, "not measured"));
    g_unlink(path);
    g_free(route);
    g_free(path);
}
END_TEST

static void check_png(const char *name, int width, int least_height) {
    char *path = in_folder(name);
    cairo_surface_t *surface = cairo_image_surface_create_from_png(path);
    ck_assert_msg(cairo_surface_status(surface) == CAIRO_STATUS_SUCCESS, "%s", name);
    ck_assert_int_eq(cairo_image_surface_get_width(surface), width);
    ck_assert_int_ge(cairo_image_surface_get_height(surface), least_height);
    cairo_surface_destroy(surface);
    g_unlink(path);
    g_free(path);
}

START_TEST(drive_and_draw_make_the_same_pictures_in_png_and_svg) {
    ck_assert_int_eq(CALL("drive " ROUTE " --quiet --trace %s/t.csv --picture %s/a.png"), 0);
    check_png("a.png", 1280, 600);
    ck_assert_int_eq(CALL("drive " ROUTE " --quiet --picture %s/b.png --view strip --over time"),
                     0);
    check_png("b.png", 1280, 600);
    ck_assert_int_eq(CALL("draw %s/t.csv --picture %s/c.png --leg 4"), 0);
    check_png("c.png", 1280, 600);
    ck_assert_int_eq(CALL("draw %s/t.csv --route " ROUTE " --picture %s/d.png"), 0);
    check_png("d.png", 1280, 600);
    ck_assert_int_eq(CALL("draw %s/t.csv --picture %s/e.svg"), 0);
    ck_assert_int_eq(CALL("draw %s/t.csv --route " ROUTE " --picture %s/f.svg"), 0);
    static const char *const left[] = {"e.svg", "f.svg", "t.csv"};
    for (size_t i = 0; i < G_N_ELEMENTS(left); i++) {
        char *path = in_folder(left[i]);
        char *text;
        ck_assert(g_file_get_contents(path, &text, NULL, NULL));
        ck_assert(i == 2 || strstr(text, "<svg") != NULL);
        g_unlink(path);
        g_free(text);
        g_free(path);
    }
}
END_TEST

START_TEST(a_bare_trace_of_a_robot_can_be_drawn) {
    char *path = in_folder("bare.csv");
    ck_assert(g_file_set_contents(
        path, "time_ms,way_mm,reflectance_left\n0,0,1\n10,2,1\n20,4,0.4\n30,6,0\n", -1, NULL));
    ck_assert_int_eq(CALL("draw %s/bare.csv --picture %s/g.png"), 0);
    check_png("g.png", 1280, 600);
    g_unlink(path);
    g_free(path);
}
END_TEST

START_TEST(the_demo_fills_its_folder_and_names_it) {
    ck_assert_int_eq(CALL("demo --folder %s/demo"), 0);
    ck_assert_ptr_nonnull(strstr(out, "demo/ holds path.png"));
    static const char *const names[] = {"path.png", "first-line.png", "second-line.png",
                                        "trace.csv", "results.json"};
    char *inner = in_folder("demo");
    for (size_t i = 0; i < G_N_ELEMENTS(names); i++) {
        char *path = g_build_filename(inner, names[i], NULL);
        ck_assert_msg(g_unlink(path) == 0, "%s", names[i]);
        g_free(path);
    }
    ck_assert_int_eq(g_rmdir(inner), 0); // nothing else, no half-written file
    g_free(inner);
}
END_TEST

START_TEST(the_examples_run_to_the_line) {
    ck_assert_int_eq(call(EXAMPLES "/example_drive_until_line"), 0);
    ck_assert_ptr_nonnull(strstr(out, "stop_on_line: done"));
    ck_assert_int_eq(call(EXAMPLES "/example_own_loop"), 0);
    ck_assert_ptr_nonnull(strstr(out, "beyond the line's edge"));
    char *line = g_strdup_printf("sh -c 'cd %s && %s/example_levels_at_start && "
                                 "%s/example_levels_at_start && rm mozzo-levels.bin'",
                                 folder, EXAMPLES, EXAMPLES);
    ck_assert_int_eq(call(line), 0);
    ck_assert(g_str_has_prefix(out, "no levels are stored yet"));
    ck_assert_ptr_nonnull(strstr(out, "levels of another day"));
    g_free(line);
    line = g_strdup_printf("sh -c 'cd %s && %s/example_measure_drive && "
                           "%s/example_measure_drive && rm mozzo-drive.bin'",
                           folder, EXAMPLES, EXAMPLES);
    ck_assert_int_eq(call(line), 0);
    ck_assert(g_str_has_prefix(out, "done: lag 4")); // ms: 45 and what commands take
    ck_assert_ptr_nonnull(strstr(out, " mm off\n"));
    ck_assert_int_eq(call(EXAMPLES "/example_live_readings"), 0);
    ck_assert_ptr_nonnull(strstr(out, "[====================]"));
    ck_assert_int_eq(call(EXAMPLES "/example_square_and_turn"), 0);
    ck_assert_ptr_nonnull(strstr(out, "believes to stand at x 6"));
    ck_assert_int_eq(call(EXAMPLES "/example_tool_over_line"), 0);
    ck_assert_ptr_nonnull(strstr(out, "done: the tool stands"));
    ck_assert_int_eq(call(EXAMPLES "/example_count_stripes"), 0);
    ck_assert(g_str_has_prefix(out, "stripe 1\nstripe 2\nstripe 3\nstripe 4\nstripe 5\n"));
    ck_assert_ptr_nonnull(strstr(out, "count_lines: done, 5 seen, 1 passed over"));
    ck_assert_int_eq(call(EXAMPLES "/example_run_as_legs"), 0);
    ck_assert_ptr_nonnull(strstr(out, "leg 5, advance: done by line\nrun: done"));
    ck_assert_int_eq(call(EXAMPLES "/example_run_with_actions"), 0);
    ck_assert_ptr_nonnull(strstr(out, "advance: done by time after 2"));
    g_free(line);
}
END_TEST

int main(void) {
    make_folder();
    const TTest *const tests[] = {help_has_an_example_for_every_command,
                                  a_wrong_call_gets_one_line_and_status_2,
                                  a_row_has_the_robots_word_before_the_truth,
                                  drive_prints_the_legs_robot_beside_truth,
                                  what_was_passed_over_is_said,
                                  a_robot_that_fails_gives_status_1_and_says_why,
                                  drive_and_draw_make_the_same_pictures_in_png_and_svg,
                                  a_bare_trace_of_a_robot_can_be_drawn,
                                  the_demo_fills_its_folder_and_names_it,
                                  the_examples_run_to_the_line,
                                  NULL};
    int status = run_suite("command", tests);
    remove_folder();
    return status;
}
