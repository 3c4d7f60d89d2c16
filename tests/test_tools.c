// SPDX-License-Identifier: GPL-3.0-or-later
// Levels, wiring and the live view, as a user calls them.
#define _DEFAULT_SOURCE // for terminals and signals
#include "calls.h"

#include <cammino_lab/floor.h>
#include <glib/gstdio.h>
#include <math.h>
#include <pty.h>
#include <signal.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#define ROUTE "data/ferry/first-round.yaml"

// -------------------------------------------------------------------------------------- levels --

static lab_floor *floor_of(const char *text, GError **error) {
    return lab_floor_from_bytes("x.csv", text, strlen(text), error);
}

START_TEST(readings_by_surface_give_levels_threshold_and_margin) {
    GString *text = g_string_new("surface,counts_left,counts_right\r\n");
    static const struct {
        const char *name;
        int left, right;
    } surfaces[] = {
        {"line", 100, 900}, {"board", 700, 300}, {"stain", 340, 660}, {"void", 60, 980}};
    for (size_t i = 0; i < G_N_ELEMENTS(surfaces); i++) {
        for (int n = -20; n <= 20; n++) {
            g_string_append_printf(text, "%s,%d,%d\n", surfaces[i].name, surfaces[i].left + n / 4,
                                   surfaces[i].right + n / 4);
        }
    }
    GError *error = NULL;
    lab_floor *floor = floor_of(text->str, &error);
    ck_assert_ptr_nonnull(floor);
    cmo_robot_description description = plain_robot;
    description.light[1].dark_is_high = true;
    for (unsigned i = 0; i < 2; i++) {
        lab_sensor_levels found;
        lab_floor_judge(floor, &description, i, "line", 0.0, &found);
        ck_assert_int_eq(found.fault, CMO_LEVELS_GOOD);
        ck_assert_int_eq(found.levels.dark, i == 0 ? 100 : 900);
        ck_assert_int_eq(found.levels.light, i == 0 ? 700 : 300);
        ck_assert_int_eq(found.levels.void_counts, i == 0 ? 60 : 980);
        ck_assert(found.has_line && found.choice.safe);
        ck_assert_str_eq(found.nearest, "stain");
        // Halfway between the line and the stain.
        ck_assert_int_le(abs((int)found.levels.dark_threshold - (i == 0 ? 220 : 780)), 3);
        ck_assert_double_eq_tol(found.surface[2].reflectance, 0.4, 0.01);
        lab_sensor_levels_clear(&found);
    }
    lab_floor_free(floor);
    g_string_free(text, TRUE);
}
END_TEST

START_TEST(readings_that_are_none_are_refused_with_their_line) {
    static const struct {
        const char *text, *says;
    } cases[] = {
        {"", "x.csv:1: no readings"},
        {"a,b\n1,2\n", "x.csv:1: no column counts_left or counts_right"},
        {"counts_left\n", "x.csv:1: no readings"},
        {"counts_left\n12\n1x\n", "x.csv:3: counts_left: must be a whole number"},
        {"counts_left\n1.5\n", "x.csv:2: counts_left: must be a whole number"},
        {"counts_right\n70000\n", "x.csv:2: counts_right: must be a whole number"},
        {"surface,counts_left\n ,5\n", "x.csv:2: surface: must be named"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        ck_assert_ptr_null(floor_of(cases[i].text, &error));
        ck_assert_msg(g_str_has_prefix(error->message, cases[i].says), "%s", error->message);
        g_clear_error(&error);
    }
    GString *many = g_string_new("surface,counts_left\n");
    for (int i = 0; i < 40; i++) {
        g_string_append_printf(many, "s%d,5\n", i);
    }
    GError *error = NULL;
    ck_assert_ptr_null(floor_of(many->str, &error));
    ck_assert_ptr_nonnull(strstr(error->message, "too many different ones"));
    g_clear_error(&error);
    g_string_free(many, TRUE);
}
END_TEST

START_TEST(levels_are_printed_refused_and_written_into_the_robot_file) {
    char *robot = in_folder("mozzo.yaml");
    char *route = in_folder("levels.yaml");
    char *before, *after;
    ck_assert(g_file_get_contents("data/ferry/mozzo.yaml", &before, NULL, NULL));
    ck_assert(g_file_set_contents(robot, before, -1, NULL));
    char *text = g_strdup_printf("robot: mozzo.yaml\nmat: %s/data/ferry/car-deck.svg\n"
                                 "start: {x_mm: 480, y_mm: 620}\nlegs:\n  - take_levels: {}\n",
                                 SOURCE_DIR);
    ck_assert(g_file_set_contents(route, text, -1, NULL));
    ck_assert_int_eq(CALL("levels %s/levels.yaml"), 0);
    ck_assert_ptr_nonnull(strstr(out, "x noise"));
    ck_assert_ptr_null(strstr(out, "refused"));
    ck_assert_int_eq(CALL("levels %s/levels.yaml --json --seed 4"), 0);
    ck_assert_ptr_nonnull(strstr(out, "\"quality\" : \"good\""));
    g_file_get_contents(robot, &after, NULL, NULL);
    ck_assert_str_eq(before, after); // not asked to write
    g_free(after);
    ck_assert_int_eq(CALL("levels %s/levels.yaml --write --seed 4"), 0);
    ck_assert_ptr_nonnull(strstr(out, "written to"));
    g_file_get_contents(robot, &after, NULL, NULL);
    ck_assert_str_ne(before, after);
    ck_assert_ptr_nonnull(strstr(after, "# Mozzo, deckhand of the ferry"));
    g_free(text);
    text = g_strdup_printf(
        "robot: mozzo.yaml\nmat: %s/data/ferry/car-deck.svg\n"
        "start: {x_mm: 300, y_mm: 620}\nlegs:\n  - take_levels: {distance_mm: 50}\n",
        SOURCE_DIR);
    ck_assert(g_file_set_contents(route, text, -1, NULL));
    ck_assert_int_eq(CALL("levels %s/levels.yaml --write"), 1);
    ck_assert_ptr_nonnull(strstr(out, "refused, one_surface"));
    char *same;
    g_file_get_contents(robot, &same, NULL, NULL);
    ck_assert_str_eq(after, same);
    g_unlink(robot);
    g_unlink(route);
    g_free(same);
    g_free(after);
    g_free(before);
    g_free(text);
    g_free(route);
    g_free(robot);
}
END_TEST

START_TEST(levels_of_a_floor_say_what_cannot_be_told_apart) {
    ck_assert_int_eq(CALL("levels data/ferry/floor.csv --robot data/ferry/mozzo.yaml --picture "
                          "%s/levels.png"),
                     0);
    ck_assert_ptr_nonnull(strstr(out, "nearest is worn deck: safe"));
    char *picture = in_folder("levels.png");
    ck_assert_int_eq(g_unlink(picture), 0);
    g_free(picture);
    // Under a light that changes readings by 40 % that is no longer sure.
    ck_assert_int_eq(CALL("levels data/ferry/floor.csv --robot data/ferry/mozzo.yaml --change 0.4"),
                     1);
    ck_assert_ptr_nonnull(strstr(out, "not safe"));
    ck_assert_int_eq(
        CALL("levels data/ferry/floor.csv --robot data/ferry/mozzo.yaml --line \"worn deck\""), 1);
    ck_assert_ptr_nonnull(strstr(out, "neither dark nor light: give a leg band: {low: "));
    ck_assert_int_eq(
        CALL("levels data/ferry/floor.csv --robot data/ferry/mozzo.yaml --line rope --json"), 0);
    ck_assert_ptr_null(strstr(out, "margin"));
    ck_assert_int_eq(CALL("levels data/ferry/floor.csv"), 2);
    ck_assert_ptr_nonnull(strstr(err, "readings need --robot FILE"));
    ck_assert_int_eq(CALL("levels data/ferry/floor.csv --robot data/ferry/mozzo.yaml --change 2"),
                     2);
    ck_assert_ptr_nonnull(strstr(err, "--change: 2 is out of range; 0 to 0.5"));
}
END_TEST

// A trace has a look a tick; sensors with clocks of their own give one more or less at times.
#define PLAIN " --robot data/ferry/mozzo-plain.yaml"

START_TEST(a_trace_gives_the_levels_that_the_robot_took) {
    ck_assert_int_eq(CALL("levels data/ferry/take-levels.yaml" PLAIN), 0);
    char *levels[2]; // "left", dark and light
    levels[0] = g_strndup(strstr(out, "\nleft "), 24);
    levels[1] = g_strndup(strstr(out, "\nright "), 24);
    ck_assert_int_eq(CALL("drive data/ferry/take-levels.yaml --quiet --trace %s/t.csv" PLAIN), 0);
    ck_assert_int_eq(CALL("levels %s/t.csv" PLAIN), 0);
    for (int i = 0; i < 2; i++) {
        ck_assert_msg(strstr(out, levels[i]) != NULL, "%s", levels[i]);
        g_free(levels[i]);
    }
    char *trace = in_folder("t.csv");
    g_unlink(trace);
    g_free(trace);
}
END_TEST

// -------------------------------------------------------------------------------------- wiring --

START_TEST(wiring_names_a_fault_and_says_what_to_change) {
    ck_assert_int_eq(CALL("wiring data/ferry/check-wiring.yaml"), 0);
    ck_assert_ptr_nonnull(strstr(out, "nothing found"));
    ck_assert_int_eq(CALL("wiring data/ferry/check-wiring.yaml --fault encoders_swapped"), 1);
    ck_assert_ptr_nonnull(strstr(out, "encoders_swapped"));
    ck_assert_ptr_nonnull(strstr(out, "swap their plugs"));
    ck_assert_int_eq(CALL("wiring data/ferry/check-wiring.yaml --fault lights_swapped --json"), 1);
    ck_assert_ptr_nonnull(strstr(out, "\"lights_swapped\""));
    ck_assert_int_eq(CALL("wiring data/ferry/check-wiring.yaml --fault sensors_swapped"), 2);
    ck_assert_ptr_nonnull(strstr(err, "fault 'sensors_swapped' is not one of: left_motor_silent"));
    ck_assert_int_eq(CALL("wiring data/ferry/first-round.yaml"), 2);
    ck_assert_ptr_nonnull(strstr(err, "no leg check_wiring, measure_geometry, "
                                      "measure_drive or measure_braking"));
}
END_TEST

// The plain Mozzo's file and a route with one leg, both in the folder: what the file says.
static char *put_mozzo(const char *in_plant, const char *mat, const char *start, const char *leg) {
    char *robot = in_folder("mozzo.yaml");
    char *route = in_folder("measure.yaml");
    char *before;
    ck_assert(g_file_get_contents("data/ferry/mozzo-plain.yaml", &before, NULL, NULL));
    char **pieces = g_strsplit(before, "\nplant:\n", 2);
    ck_assert_uint_eq(g_strv_length(pieces), 2);
    char *text = g_strdup_printf("%s\nplant:\n%s%s", pieces[0], in_plant, pieces[1]);
    char *legs = g_strdup_printf("robot: mozzo.yaml\nmat: %s/data/ferry/%s\nstart: {%s}\nlegs:\n"
                                 "  - %s\n",
                                 SOURCE_DIR, mat, start, leg);
    ck_assert(g_file_set_contents(robot, text, -1, NULL));
    ck_assert(g_file_set_contents(route, legs, -1, NULL));
    g_strfreev(pieces);
    g_free(before);
    g_free(legs);
    g_free(route);
    g_free(robot);
    return text;
}

// What stands in the file now: `before`, and behind it this section once.
static char *written(const char *before, const char *section) {
    char *robot = in_folder("mozzo.yaml");
    char *text;
    ck_assert_int_eq(CALL("wiring %s/measure.yaml --write"), 0);
    ck_assert_ptr_nonnull(strstr(out, "written to"));
    ck_assert(g_file_get_contents(robot, &text, NULL, NULL));
    ck_assert(g_str_has_prefix(text, before));
    const char *there = strstr(text, section);
    ck_assert_ptr_nonnull(there);
    ck_assert_ptr_null(strstr(there + 1, section));
    g_free(robot);
    return text;
}

START_TEST(a_measured_drive_goes_into_the_robot_file_and_nothing_else_changes) {
    char *before = put_mozzo("  regulator_ramp_mm_s2: 2000\n", "car-deck.svg",
                             "x_mm: 200, y_mm: 500", "measure_drive: {rounds: 1}");
    char *once = written(before, "measured_drive:");
    ck_assert_ptr_nonnull(strstr(out, "no more than 20")); // 20xx mm/s2
    ck_assert_ptr_nonnull(strstr(once, "measured_drive:\n  lag_ms: 4"));
    // Known, it is measured again and nothing is left to say.
    char *twice = written(before, "measured_drive:");
    ck_assert_ptr_null(strstr(out, "no more than"));
    ck_assert_int_eq(CALL("wiring %s/measure.yaml --json"), 0);
    ck_assert_ptr_nonnull(strstr(out, "\"measured_drive\" : {"));
    g_free(before);
    g_free(once);
    g_free(twice);
}
END_TEST

START_TEST(a_measured_geometry_goes_into_the_robot_file_and_nothing_else_changes) {
    char *before = put_mozzo("", "quay.svg", "x_mm: 370, y_mm: 600",
                             "measure_geometry: {rounds: 1, lines_mm: 400}");
    char *once = written(before, "measured:");
    ck_assert_ptr_nonnull(strstr(once, "measured:\n  left_step_mm: 0.5"));
    // The simulated robot is what it was: measured again, it measures the same.
    char *twice = written(before, "measured:");
    GError *error = NULL;
    lab_robot *first = lab_robot_from_bytes("a", once, strlen(once), &error);
    lab_robot *second = lab_robot_from_bytes("b", twice, strlen(twice), &error);
    ck_assert(first != NULL && second != NULL && second->measured);
    ck_assert_float_eq_tol(first->description.track_mm, second->description.track_mm, 0.3F);
    ck_assert_float_eq_tol(first->geometry.ahead_mm[0] - first->geometry.ahead_mm[1],
                           second->geometry.ahead_mm[0] - second->geometry.ahead_mm[1], 0.4F);
    ck_assert_double_eq(first->plant.sensor[0].ahead_mm, 70.0);
    char **pieces[2] = {g_strsplit(once, "\n", -1), g_strsplit(twice, "\n", -1)};
    ck_assert_uint_eq(g_strv_length(pieces[0]), g_strv_length(pieces[1]));
    g_strfreev(pieces[0]);
    g_strfreev(pieces[1]);
    lab_robot_free(first);
    lab_robot_free(second);
    g_free(twice);
    g_free(once);
    g_free(before);
}
END_TEST

START_TEST(measured_braking_goes_into_the_robot_file_and_nothing_else_changes) {
    char *before =
        put_mozzo("", "car-deck.svg", "x_mm: 500, y_mm: 500", "measure_braking: {rounds: 2}");
    char *grip = strstr(before, "grip_m_s2: 4.5");
    ck_assert_ptr_nonnull(grip);
    memcpy(grip, "grip_m_s2: 2.0", strlen("grip_m_s2: 2.0")); // a slippery floor
    char *file = in_folder("mozzo.yaml");
    ck_assert(g_file_set_contents(file, before, -1, NULL));
    g_free(file);
    char *once = written(before, "measured_braking:");
    ck_assert_ptr_nonnull(strstr(out, "your braking limit slides this floor: brake with 1"));
    ck_assert_ptr_nonnull(strstr(once, "measured_braking:\n  slid_mm: "));
    // With limits within that it slides no more by them.
    char *twice = written(before, "measured_braking:");
    ck_assert_ptr_null(strstr(out, "slides this floor"));
    ck_assert_int_eq(CALL("wiring %s/measure.yaml --json"), 0);
    ck_assert_ptr_nonnull(strstr(out, "\"measured_braking\" : {"));
    GError *error = NULL;
    lab_robot *robot = lab_robot_from_bytes("a", once, strlen(once), &error);
    ck_assert(robot != NULL && robot->braking_measured);
    ck_assert_float_eq(robot->description.grip_mm_s2, robot->braking.grip_mm_s2);
    ck_assert_float_lt(robot->description.braking_mm_s2, 2000.0F);
    float limit = robot->description.braking_mm_s2;
    lab_robot_free(robot);
    robot = lab_robot_from_bytes("b", twice, strlen(twice), &error);
    ck_assert(robot != NULL && robot->description.holds_mm_s > 0.0F);
    ck_assert_float_eq_tol(robot->description.braking_mm_s2, limit, 1.0F);
    lab_robot_free(robot);
    g_free(before);
    g_free(once);
    g_free(twice);
}
END_TEST

START_TEST(both_are_written_in_one_go) {
    char *before = put_mozzo("", "quay.svg", "x_mm: 370, y_mm: 600",
                             "measure_geometry: {rounds: 1, lines_mm: 400}\n"
                             "  - measure_drive: {rounds: 1, fast_mm_s: 200}");
    char *once = written(before, "measured:");
    char *twice = written(before, "measured_drive:");
    GError *error = NULL;
    lab_robot *robot = lab_robot_from_bytes("a", once, strlen(once), &error);
    ck_assert(robot != NULL && robot->measured && robot->drive_measured);
    lab_robot_free(robot);
    g_free(twice);
    g_free(once);
    g_free(before);
}
END_TEST

// ---------------------------------------------------------------------------------------- live --

typedef struct terminal {
    pid_t child;
    int side;
    GString *shown;
} terminal;

static terminal open_live(const char *name, unsigned short columns, unsigned short lines) {
    struct winsize size = {.ws_row = lines, .ws_col = columns};
    terminal t = {.shown = g_string_new(NULL)};
    t.child = forkpty(&t.side, NULL, NULL, &size);
    ck_assert_int_ge(t.child, 0);
    if (t.child == 0) {
        setenv("TERM", name, 1);
        execl(COMMAND, "cammino", "live", ROUTE, "--speed", "50", (char *)NULL);
        _exit(127);
    }
    return t;
}

// Reads until `text` has been shown, or the other side is gone.
static void wait_for(terminal *t, const char *text) {
    char bytes[4096];
    while (text == NULL || strstr(t->shown->str, text) == NULL) {
        ssize_t got = read(t->side, bytes, sizeof bytes);
        if (got <= 0) {
            break;
        }
        g_string_append_len(t->shown, bytes, got);
    }
    ck_assert_msg(text == NULL || strstr(t->shown->str, text) != NULL, "%s is not shown", text);
}

static int close_live(terminal *t) {
    int status;
    wait_for(t, NULL);
    ck_assert_int_eq(waitpid(t->child, &status, 0), t->child);
    close(t->side);
    return status;
}

static void press(const terminal *t, const char *keys) {
    ck_assert_int_eq(write(t->side, keys, strlen(keys)), (ssize_t)strlen(keys));
}

// The sequence that gives the screen back.
#define RESTORED "\033[?1049l"

START_TEST(live_shows_the_run_and_restores_the_terminal_on_quitting) {
    terminal t = open_live("xterm", 80, 24);
    wait_for(&t, "stop_on_line");
    wait_for(&t, "threshold");
    wait_for(&t, "display");
    press(&t, " s+-nr"); // every key
    wait_for(&t, "paused");
    press(&t, " ");
    wait_for(&t, "done");
    press(&t, "q");
    int status = close_live(&t);
    ck_assert(WIFEXITED(status) && WEXITSTATUS(status) == 0);
    ck_assert_ptr_nonnull(strstr(t.shown->str, RESTORED));
    g_string_free(t.shown, TRUE);
}
END_TEST

START_TEST(live_restores_the_terminal_on_a_signal) {
    static const int signals[] = {SIGINT, SIGTERM, SIGHUP, SIGQUIT};
    for (size_t i = 0; i < G_N_ELEMENTS(signals); i++) {
        terminal t = open_live("xterm", 80, 24);
        wait_for(&t, "q quit");
        kill(t.child, signals[i]);
        int status = close_live(&t);
        ck_assert(WIFSIGNALED(status) && WTERMSIG(status) == signals[i]);
        ck_assert_ptr_nonnull(strstr(t.shown->str, RESTORED));
        g_string_free(t.shown, TRUE);
    }
}
END_TEST

START_TEST(live_says_what_it_needs) {
    terminal small = open_live("xterm", 60, 20);
    wait_for(&small, "needs 80 columns and 24 lines");
    press(&small, "q");
    ck_assert_int_eq(WEXITSTATUS(close_live(&small)), 0);
    g_string_free(small.shown, TRUE);
    terminal unknown = open_live("no-such-terminal", 80, 24);
    ck_assert_int_eq(WEXITSTATUS(close_live(&unknown)), 2);
    ck_assert_ptr_nonnull(
        strstr(unknown.shown->str, "the terminal 'no-such-terminal' is not known"));
    g_string_free(unknown.shown, TRUE);
    ck_assert_int_eq(CALL("live " ROUTE), 2);
    ck_assert_ptr_nonnull(strstr(err, "live needs a terminal"));
    ck_assert_int_eq(CALL("live " ROUTE " --speed 0"), 2);
    ck_assert_ptr_nonnull(strstr(err, "--speed: 0 is out of range"));
}
END_TEST

START_TEST(keys_tells_what_a_leg_can_be_told) {
    ck_assert_int_eq(CALL("keys stop_on_line"), 0);
    ck_assert_ptr_nonnull(strstr(out, "rest                 halted, near_edge, centre, far_edge; "
                                      "default: halted\n"));
    ck_assert_ptr_nonnull(strstr(out, "least_width_mm       0 to 500 mm; default: 10\n"));
    ck_assert_ptr_null(strstr(out, "ending"));
    ck_assert_int_eq(CALL("keys lights.right"), 0);
    ck_assert_ptr_nonnull(strstr(out, "ahead_mm             -500 to 500 mm; must be given\n"));
    ck_assert_int_eq(CALL("keys"), 0);
    ck_assert_ptr_nonnull(strstr(out, "  countdown   "));
    ck_assert_int_eq(CALL("keys figures"), 0);
    for (int i = 0; i < CMO_FIGURES; i++) {
        ck_assert_ptr_nonnull(strstr(out, cmo_figure_name((cmo_figure)i)));
    }
    ck_assert_int_eq(CALL("keys outcomes"), 0);
    ck_assert_ptr_nonnull(strstr(out, "  wrong_line   "));
    ck_assert_int_eq(CALL("keys stages"), 0);
    for (int i = 0; i < CMO_STAGES; i++) {
        ck_assert_ptr_nonnull(strstr(out, cmo_stage_name((cmo_stage)i)));
    }
    ck_assert_int_eq(CALL("keys stop_on_lin"), 2);
    ck_assert_str_eq(err, "cammino: 'stop_on_lin' has no keys; did you mean stop_on_line?\n");
    ck_assert_int_eq(CALL("keys advance turn"), 2);
}
END_TEST

int main(void) {
    make_folder();
    const TTest *const tests[] = {
        keys_tells_what_a_leg_can_be_told,
        readings_by_surface_give_levels_threshold_and_margin,
        readings_that_are_none_are_refused_with_their_line,
        levels_are_printed_refused_and_written_into_the_robot_file,
        levels_of_a_floor_say_what_cannot_be_told_apart,
        a_trace_gives_the_levels_that_the_robot_took,
        wiring_names_a_fault_and_says_what_to_change,
        a_measured_drive_goes_into_the_robot_file_and_nothing_else_changes,
        a_measured_geometry_goes_into_the_robot_file_and_nothing_else_changes,
        measured_braking_goes_into_the_robot_file_and_nothing_else_changes,
        both_are_written_in_one_go,
        live_shows_the_run_and_restores_the_terminal_on_quitting,
        live_restores_the_terminal_on_a_signal,
        live_says_what_it_needs,
        NULL};
    int status = run_suite("tools", tests);
    remove_folder();
    return status;
}
