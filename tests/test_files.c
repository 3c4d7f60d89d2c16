// SPDX-License-Identifier: GPL-3.0-or-later
// Robot and route files: what is right, what is wrong and where, and docs/formats.md.
#include "support.h"

#include <cammino_lab/keys.h>

#include <math.h>
#include <string.h>

#define DRIVE "drive: {top_mm_s: 500, acceleration_mm_s2: 1000, braking_mm_s2: 2000}\n"
#define BASE  "tick_ms: 10\ntrack_mm: 110\n"

START_TEST(a_short_robot_file_gets_the_defaults) {
    GError *error = NULL;
    static const char text[] = BASE DRIVE;
    lab_robot *robot = lab_robot_from_bytes("some/robot.yaml", text, strlen(text), &error);
    ck_assert_msg(robot != NULL, "%s", error ? error->message : "");
    ck_assert_str_eq(robot->name, "robot.yaml");
    ck_assert_uint_eq(robot->description.tick_us, 10000);
    ck_assert_uint_eq(robot->traits, CMO_TRAIT_SPEED | CMO_TRAIT_LOOK_TIMES | CMO_TRAIT_COAST |
                                         CMO_TRAIT_BRAKE); // no encoders, no lights
    ck_assert_uint_eq(robot->description.lights, 0);
    ck_assert_double_eq(robot->plant.mass_kg, 0.6);
    ck_assert_double_eq(robot->plant.gear_play_mm, 0.5);
    ck_assert_double_lt(robot->faults.failed_at_ms, 0); // never
    lab_robot_free(robot);
}
END_TEST

START_TEST(a_full_robot_file_is_read_to_the_last_key) {
    GError *error = NULL;
    static const char text[] =
        "name: X\n" BASE "look_times: false\n"
        "encoders: {step_mm: 0.4, right_step_mm: 0.41, bits: 24}\n"
        "drive: {kind: duty, top_mm_s: 500, acceleration_mm_s2: 1000, braking_mm_s2: 2000, "
        "full_duty_mm_s: 800, halts: [hold]}\n"
        "lights:\n  left: {ahead_mm: 60, left_mm: 20, delay_ms: 2.5, levels: {dark: 900, light: "
        "200}}\n"
        "plant:\n  gear_play_mm: 0\n  lights: {left: {noise: 0.03}}\n"
        "  shadows:\n    - {x_mm: 1, y_mm: 2, radius_mm: 3}\n    - {x_mm: 4, y_mm: 5, radius_mm: "
        "6, "
        "depth: -0.5}\n  faults: {lights_swapped: true, stalled_at_s: 1.5}\n";
    lab_robot *robot = lab_robot_from_bytes("r", text, strlen(text), &error);
    ck_assert_msg(robot != NULL, "%s", error ? error->message : "");
    ck_assert_uint_eq(robot->traits, CMO_TRAIT_ENCODERS | CMO_TRAIT_HOLD);
    ck_assert_float_eq(robot->description.left_step_mm, 0.4F);
    ck_assert_float_eq(robot->description.right_step_mm, 0.41F);
    ck_assert_uint_eq(robot->description.lights, 1);
    ck_assert_uint_eq(robot->description.light[0].delay_us, 2500);
    ck_assert_uint_eq(robot->levels[0].dark, 900);
    ck_assert_uint_eq(robot->levels[0].void_counts, CMO_LEVEL_UNKNOWN);
    ck_assert_double_eq(robot->plant.sensor[0].noise, 0.03);
    ck_assert_double_eq(robot->plant.sensor[0].ahead_mm, 60); // as stated
    ck_assert_double_eq(robot->plant.gear_play_mm, 0);        // zero is a value
    ck_assert_uint_eq(robot->plant.shadows, 2);
    ck_assert_double_eq(robot->plant.shadow[0].depth, 1);
    ck_assert_double_eq(robot->plant.shadow[1].depth, -0.5);
    ck_assert(robot->faults.lights_swapped);
    ck_assert_double_eq(robot->faults.stalled_at_ms, 1500);
    lab_robot_free(robot);
}
END_TEST

START_TEST(whatever_is_wrong_in_a_robot_file_is_said_with_line_and_field) {
    static const struct {
        const char *text;
        const char *says;
    } cases[] = {
        {"", "r.yaml:1: the file is empty"},
        {"# only a comment\n", "the file is empty"},
        {"tick_ms: [1, 2\n", "not sound YAML"},
        {"a: b: c\n", "r.yaml:1: not sound YAML"},
        {"- 1\n- 2\n", "r.yaml:1: must be keys with values"},
        {"just words\n", "must be keys with values"},
        {BASE "tikc_ms: 5\n", "r.yaml:3: tikc_ms: unknown key; did you mean tick_ms?"},
        {BASE "drive: {top: 5}\n", "r.yaml:3: drive.top: unknown key; did you mean top_mm_s?"},
        {BASE "qwertyuiop: 5\n", "qwertyuiop: unknown key; known are: name, tick_ms"},
        {"tick_ms: fast\n", "r.yaml:1: tick_ms: 'fast' is not a number; 1 to 25 ms"},
        {"tick_ms: 10 ms\n", "'10 ms' is not a number"},
        {"tick_ms: 0x10\n", "'0x10' is not a number"},
        {"tick_ms: nan\n", "'nan' is not a number"},
        {"tick_ms:\n", "tick_ms: '' is not a number"},
        {"tick_ms: {a: 1}\n", "tick_ms: this is not a number"},
        {"tick_ms: 26\n", "r.yaml:1: tick_ms: 26 is out of range; 1 to 25 ms"},
        {"tick_ms: 10\ntick_ms: 10\n", "r.yaml:2: tick_ms: given twice"},
        {"track_mm: 110\n" DRIVE, "tick_ms: must be given: period of the program's loop"},
        {BASE, "drive: must be given"},
        {BASE DRIVE "encoders: {step_mm: 0.5, bits: 16.5}\n", "encoders.bits: 16.5 is not a whole"},
        {BASE DRIVE "look_times: yes\n", "look_times: must be true or false"},
        {BASE DRIVE "name: [a]\n", "name: must be a text"},
        {BASE DRIVE "? [a]\n: 1\n", "a key must be a word"},
        {BASE "drive: {kind: pwm, top_mm_s: 5}\n", "drive.kind: 'pwm' is not one of: speed, duty"},
        {BASE "drive: {halts: brake}\n", "drive.halts: must be a list, as in [coast]"},
        {BASE "drive: {halts: [stop]}\n", "drive.halts: 'stop' is not one of: coast, brake, hold"},
        {BASE "drive: {kind: duty, top_mm_s: 500, acceleration_mm_s2: 1000, braking_mm_s2: 2000}\n",
         "r.yaml:3: drive.full_duty_mm_s: must be given for kind: duty"},
        {BASE "drive: {top_mm_s: 100, slowest_mm_s: 200, acceleration_mm_s2: 1000, braking_mm_s2: "
              "2000}\n",
         "drive.slowest_mm_s: must not be above top_mm_s, 100"},
        {BASE "drive: {halts: [], top_mm_s: 100, acceleration_mm_s2: 1000, braking_mm_s2: 2000}\n",
         "drive.halts: must name at least one"},
        {BASE DRIVE "lights:\n  left: {ahead_mm: 1, left_mm: 1, levels: {dark: 500, light: 510}}\n",
         "lights.left.levels: dark 500 and light 510 are too near"},
        {BASE DRIVE "lights:\n  left: {ahead_mm: 1, left_mm: 1, counts_min: 9, counts_max: 3}\n",
         "lights.left.counts_min: must not be above counts_max"},
        {BASE DRIVE "---\n" BASE, "r.yaml:4: a second document begins here; a file holds one"},
        {BASE DRIVE "drive_too: &a tick_ms\n", "drive_too: unknown key"},
        {"name: &a tick_ms\ntick_ms: 10\n*a : 20\n", "tick_ms: given twice"},
        {"tick_ms: \"10\\0\"\n", "r.yaml:1: tick_ms: "},
        {"name: \"a\\nb\"\n", "r.yaml:1: name: "},
        {BASE DRIVE "drive: {lifetime_ms: 15, top_mm_s: 100, acceleration_mm_s2: 1000, "
                    "braking_mm_s2: 2000}\n",
         "r.yaml:4: drive: given twice"},
        {BASE "drive: {lifetime_ms: 15, top_mm_s: 100, acceleration_mm_s2: 1000, "
              "braking_mm_s2: 2000}\n",
         "drive.lifetime_ms: must be at least two ticks, 20 ms"},
        {BASE DRIVE "encoders: {step_mm: 0.5, right_step_mm: 0.05, bits: 8}\n",
         "r.yaml:4: encoders.bits: must be at least 9, for in a tick and a half wheels go up to "
         "7.5 mm and count up to 150 steps; or tick more often"},
        {BASE DRIVE "plant: {shadows: {x_mm: 1}}\n", "plant.shadows: must be a list"},
        {BASE DRIVE "plant: {shadows: [{x_mm: 1}]}\n", "plant.shadows[1].y_mm: must be given"},
        {BASE DRIVE "plant: {shadows: [1,1,1]}\n", "plant.shadows[1]: must be keys"},
        {BASE DRIVE "plant: {faults: {late_share: 2}}\n",
         "plant.faults.late_share: 2 is out of range; 0 to 1"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        lab_robot *robot =
            lab_robot_from_bytes("r.yaml", cases[i].text, strlen(cases[i].text), &error);
        ck_assert_msg(robot == NULL && error != NULL, "case %zu is accepted", i);
        ck_assert_msg(strstr(error->message, cases[i].says) != NULL, "case %zu: %s", i,
                      error->message);
        ck_assert_ptr_null(strchr(error->message, '\n'));
        g_clear_error(&error);
    }
}
END_TEST

#define ROUTE "robot: r.yaml\nmat: m.svg\nstart: {x_mm: 1, y_mm: 2}\n"

START_TEST(a_route_is_read_leg_by_leg) {
    static const char text[] =
        ROUTE "longest_s: 30\nlegs:\n"
              "  - advance: {distance_mm: -60, halt: hold, ending: moving}\n"
              "  - turn: {angle_deg: 90, tolerance_deg: 2}\n"
              "  - drive_until_line: {}\n"
              "  - stop_on_line: {tone: light, sensor: both, least_width_mm: 0, longest_s: 4.5}\n";
    GError *error = NULL;
    lab_route *route = lab_route_from_bytes("a/b.yaml", text, strlen(text), &error);
    ck_assert_msg(route != NULL, "%s", error ? error->message : "");
    ck_assert_str_eq(route->robot_path, "a/r.yaml");
    ck_assert_str_eq(route->mat_path, "a/m.svg");
    ck_assert_uint_eq(route->legs, 4);
    ck_assert_double_eq(route->longest_s, 30);
    ck_assert_double_eq(route->heading_deg, 0);
    ck_assert_int_eq(route->leg[0].routine, CMO_ROUTINE_ADVANCE);
    ck_assert_float_eq(route->leg[0].parameters.advance.distance_mm, -60);
    ck_assert_int_eq(route->leg[0].parameters.advance.halt, CMO_HALT_HOLD);
    ck_assert_int_eq(route->leg[0].parameters.advance.ending, CMO_END_MOVING);
    ck_assert_float_eq(route->leg[1].parameters.turn.tolerance_deg, 2);
    ck_assert_int_eq(route->leg[2].routine, CMO_ROUTINE_DRIVE_UNTIL_LINE);
    ck_assert_float_eq(route->leg[2].parameters.drive_until_line.least_width_mm, 0); // the default
    const cmo_line_parameters *line = &route->leg[3].parameters.stop_on_line;
    ck_assert_int_eq(line->tone, CMO_TONE_LIGHT);
    ck_assert_int_eq(line->sensor, CMO_SENSOR_BOTH);
    ck_assert_float_eq(line->least_width_mm, CMO_ANY_WIDTH);
    ck_assert_uint_eq(line->longest_ms, 4500);
    ck_assert_int_eq(route->leg[3].line, 9);
    lab_route_free(route);
}
END_TEST

START_TEST(whatever_is_wrong_in_a_route_is_said_with_line_and_field) {
    static const struct {
        const char *text;
        const char *says;
    } cases[] = {
        {ROUTE, "legs: must be given: list of legs"},
        {ROUTE "legs: []\n", "x.yaml:4: legs: must be a list of legs"},
        {ROUTE "legs: {advance: {}}\n", "legs: must be a list of legs"},
        {ROUTE "legs:\n  - advance\n", "x.yaml:5: legs[1]: must be a routine with its parameters"},
        {ROUTE "legs:\n  - advance: {distance_mm: 5}\n    turn: {angle_deg: 5}\n",
         "legs[1]: must name exactly one routine"},
        {ROUTE "legs:\n  - go: {}\n",
         "x.yaml:5: legs[1].go: unknown key; known are: advance, turn"},
        {ROUTE "legs:\n  - stop_on_lin: {}\n", "did you mean stop_on_line?"},
        {ROUTE "legs:\n  - advance: {}\n",
         "legs[1].advance.distance_mm: must be given: way to drive"},
        {ROUTE "legs:\n  - advance: {distance_mm: 0}\n", "legs[1].advance: a move by 0 is none"},
        {ROUTE "legs:\n  - turn: {angle_deg: 0}\n", "legs[1].turn: a move by 0 is none"},
        {ROUTE "legs:\n  - stop_on_line: {blnd_mm: 5}\n",
         "legs[1].stop_on_line.blnd_mm: unknown key; did you mean blind_mm?"},
        {ROUTE "legs:\n  - stop_on_line: {ending: moving}\n", "stop_on_line.ending: unknown key"},
        {ROUTE "legs:\n  - stop_on_line: {tone: black}\n",
         "legs[1].stop_on_line.tone: 'black' is not one of: dark, light, void"},
        {ROUTE "legs:\n  - stop_on_line: {cruise_mm_s: -5}\n",
         "cruise_mm_s: -5 is out of range; 1 to 5000 mm/s"},
        {"robot: r\nmat: m\nstart: {x_mm: 5}\nlegs:\n  - advance: {distance_mm: 5}\n",
         "start.y_mm: must be given"},
        {"robot: r\nmat: m\nstart: 5\nlegs: []\n", "x.yaml:3: start: must be keys"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        lab_route *route =
            lab_route_from_bytes("x.yaml", cases[i].text, strlen(cases[i].text), &error);
        ck_assert_msg(route == NULL && error != NULL, "case %zu is accepted", i);
        ck_assert_msg(strstr(error->message, cases[i].says) != NULL, "case %zu: %s", i,
                      error->message);
        g_clear_error(&error);
    }
    GString *many = g_string_new(ROUTE "legs:\n");
    for (int i = 0; i <= LAB_LEGS_MAX; i++) {
        g_string_append(many, "  - advance: {distance_mm: 1}\n");
    }
    GError *error = NULL;
    ck_assert_ptr_null(lab_route_from_bytes("x.yaml", many->str, many->len, &error));
    ck_assert_ptr_nonnull(strstr(error->message, "legs[201]: too many; at most 200"));
    g_clear_error(&error);
    g_string_free(many, TRUE);
}
END_TEST

START_TEST(levels_are_written_where_they_belong_and_nothing_else_changes) {
    static const cmo_levels levels[2] = {{11, 222, CMO_LEVEL_UNKNOWN, 3}, {333, 44, 5, 6}};
    static const struct {
        const char *lights, *changed;
    } cases[] = {
        // In place, comments and odd spacing kept; a level of void stays.
        {"lights: # h\303\266her\n  left:\n    ahead_mm: 60 # ruler\n    left_mm: 20\n"
         "    levels: { dark:  900 , light: 100, void: 7 } # hall 2\n",
         "lights: # h\303\266her\n  left:\n    ahead_mm: 60 # ruler\n    left_mm: 20\n"
         "    levels: { dark:  11 , light: 222, void: 7 , noise: 3} # hall 2\n"},
        // No levels yet, in a block and in braces.
        {"lights:\n  left:\n    ahead_mm: 60\n    left_mm: 20 # last\n\n# the end\n",
         "lights:\n  left:\n    ahead_mm: 60\n    left_mm: 20 # last\n"
         "    levels: {dark: 11, light: 222, noise: 3}\n\n# the end\n"},
        {"lights: {left: {ahead_mm: 60, left_mm: 20}}\n",
         "lights: {left: {ahead_mm: 60, left_mm: 20, levels: {dark: 11, light: 222, noise: 3}}}\n"},
        // A block of levels without noise.
        {"lights:\n  left:\n    ahead_mm: 60\n    levels:\n      dark: 5\n      light: 90\n"
         "    left_mm: 20\n",
         "lights:\n  left:\n    ahead_mm: 60\n    levels:\n      dark: 11\n      light: 222\n"
         "      noise: 3\n    left_mm: 20\n"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        char *before = g_strdup_printf("%s%s%s", BASE, DRIVE, cases[i].lights);
        char *expected = g_strdup_printf("%s%s%s", BASE, DRIVE, cases[i].changed);
        char *after = lab_robot_edit_levels("r", before, strlen(before), levels, 1, &error);
        ck_assert_msg(after != NULL, "case %zu: %s", i, error ? error->message : "");
        ck_assert_str_eq(after, expected);
        ck_assert_ptr_null(lab_robot_edit_levels("r", before, strlen(before), levels, 2, &error));
        ck_assert_ptr_nonnull(strstr(error->message, "there is no sensor right to write to"));
        g_clear_error(&error);
        g_free(after);
        g_free(expected);
        g_free(before);
    }
}
END_TEST

START_TEST(files_that_cannot_be_read_are_named) {
    GError *error = NULL;
    ck_assert_ptr_null(lab_route_load("nowhere.yaml", NULL, 1, &error));
    ck_assert_str_eq(error->message,
                     "nowhere.yaml: the route cannot be read: there is no such file");
    g_clear_error(&error);
    ck_assert_ptr_null(lab_robot_load("data", &error));
    ck_assert_ptr_nonnull(strstr(error->message, "data: the robot file cannot be read"));
    g_clear_error(&error);
}
END_TEST

// ------------------------------------------------------------------------------------- the docs --

START_TEST(the_docs_list_every_key_as_the_code_has_it) {
    char *docs;
    ck_assert(g_file_get_contents(SOURCE_DIR "/docs/formats.md", &docs, NULL, NULL));
    for (const lab_section *const *section = lab_sections(); *section != NULL; section++) {
        char *text = lab_section_markdown(*section);
        ck_assert_msg(strstr(docs, text) != NULL,
                      "docs/formats.md: %s: not as the code has it; script/formats writes it anew",
                      (*section)->name);
        g_free(text);
    }
    g_free(docs);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {a_short_robot_file_gets_the_defaults,
                                  a_full_robot_file_is_read_to_the_last_key,
                                  whatever_is_wrong_in_a_robot_file_is_said_with_line_and_field,
                                  a_route_is_read_leg_by_leg,
                                  whatever_is_wrong_in_a_route_is_said_with_line_and_field,
                                  levels_are_written_where_they_belong_and_nothing_else_changes,
                                  files_that_cannot_be_read_are_named,
                                  the_docs_list_every_key_as_the_code_has_it,
                                  NULL};
    return run_suite("files", tests);
}
