// SPDX-License-Identifier: GPL-3.0-or-later
// Surfaces as legs look for them, learn them and count them, with the truth beside.
#include "leg_runs.h"

#include <glib/gstdio.h>
#include <math.h>
#include <string.h>

#define DECK   "#c9d2c6"
#define RED    "#a8322b"
#define YELLOW "#e8b92e"
#define BLUE   "#24468c"
#define GREEN  "#1f6b40"
#define HATCH  "#8b938e"

// Stripes of 30 mm across the deck, every 150 mm from 400 mm on; NULL ends them. And what is over
// them.
static void write_mat(const char *const *colours, const char *over) {
    GString *svg =
        g_string_new("<svg xmlns='http://www.w3.org/2000/svg' width='2000mm' "
                     "height='800mm' viewBox='0 0 2000 800'>"
                     "<rect width='2000' height='800' fill='" DECK "'/><g class='line'>");
    for (unsigned i = 0; colours[i] != NULL; i++) {
        g_string_append_printf(svg, "<rect x='%u' width='30' height='800' fill='%s'/>",
                               400 + 150 * i, colours[i]);
    }
    g_string_append_printf(svg, "</g><g class='decoration'>%s</g></svg>", over);
    write_runs_mat(svg->str);
    g_string_free(svg, TRUE);
}

static double truth(JsonObject *leg, const char *name) {
    return figure_of(leg, "truth", name);
}

static const char *const all_colours[] = {RED, YELLOW, HATCH, BLUE, GREEN, RED, NULL};
static const char *const names[] = {"red", "yellow", "hatch_cover", "blue", "green"};

START_TEST(it_rests_on_the_colour_that_was_asked_for) {
    write_mat(all_colours, "");
    for (unsigned i = 0; i < G_N_ELEMENTS(names); i++) {
        for (int speed = 150; speed <= 350; speed += 200) {
            char *leg = g_strdup_printf("  - stop_on_line: {surface: %s, cruise_mm_s: %d, rest: "
                                        "near_edge}",
                                        names[i], speed);
            JsonObject *result = drive_legs("mozzo-colour.yaml", leg, 0, 0, i + 1, 1);
            ck_assert_double_le(fabs(truth(result, "rest_error_mm")), 1.5);
            ck_assert_double_eq_tol(truth(result, "travelled_mm"), 180 + 150.0 * i, 8);
            g_free(leg);
        }
    }
    // Over the middle and the far edge, at a slant; square; and at speed.
    JsonObject *r = drive_legs("mozzo-colour.yaml",
                               "  - stop_on_line: {surface: blue, rest: centre}", 0, 0, 3, 1);
    ck_assert_double_le(fabs(truth(r, "rest_error_mm")), 2.0);
    r = drive_legs("mozzo-colour.yaml", "  - stop_on_line: {surface: blue, rest: far_edge}", 5, 0,
                   4, 1);
    ck_assert_double_le(fabs(truth(r, "rest_error_mm")), 2.5);
    r = drive_legs("mozzo-colour.yaml", "  - square_on_line: {surface: green, cruise_mm_s: 250}", 8,
                   0, 5, 1);
    ck_assert_double_le(fabs(truth(r, "residual_angle_deg")), 1.5);
    r = drive_legs(
        "mozzo-colour.yaml",
        "  - drive_until_line: {surface: yellow, ending: moving}\n  - advance: {distance_mm: 60}",
        0, 0, 6, 1);
    ck_assert_double_eq_tol(truth(r, "travelled_mm"), 345, 30);
}
END_TEST

START_TEST(what_was_not_asked_for_is_driven_over) {
    // No blue: neither others, nor print in two colours, nor what nobody has taught.
    static const char *const none[] = {RED, YELLOW, HATCH, GREEN, "#8f3f86", NULL};
    write_mat(none, "<rect x='300' width='4' height='800' fill='#1d1f22'/>"
                    "<rect x='304' width='4' height='800' fill='#e8b92e'/>"
                    "<rect x='308' width='4' height='800' fill='#1d1f22'/>"
                    "<rect x='312' width='4' height='800' fill='" BLUE "'/>");
    for (unsigned seed = 1; seed <= SEEDS(5); seed++) {
        drive_legs("mozzo-colour.yaml",
                   "  - stop_on_line: {surface: blue, cruise_mm_s: 300, longest_mm: 1300}", 0, 1,
                   seed, 1);
        ck_assert_ptr_nonnull(strstr(out, "\"no_line\""));
    }
}
END_TEST

START_TEST(greys_are_told_by_reflectance_alone) {
    static const char *const greys[] = {"#a9a9a9", "#7f7f7f", "#585858", "#202020", NULL};
    write_mat(greys, "");
    // It learns them on the spot, and goes back.
    GString *legs = g_string_new("  - take_surface: {surface: deck, distance_mm: 60}\n"
                                 "  - advance: {distance_mm: 133}\n");
    for (int i = 1; i <= 4; i++) {
        g_string_append_printf(legs, "  - take_surface: {surface: grey_%d}\n", i);
        g_string_append_printf(legs, "  - advance: {distance_mm: %d}\n", i < 4 ? 150 : -700);
    }
    for (int i = 1; i <= 4; i++) {
        char *all = g_strdup_printf("%s  - stop_on_line: {surface: grey_%d, cruise_mm_s: 250, "
                                    "rest: near_edge}",
                                    legs->str, i);
        JsonObject *r = drive_legs("mozzo.yaml", all, 0, 0, (unsigned)i, 11);
        ck_assert_double_le(fabs(truth(r, "rest_error_mm")), 1.6);
        g_free(all);
    }
    // What a leg has taught stands in the results.
    ck_assert_ptr_nonnull(strstr(out, "\"surface\" : {"));
    ck_assert_ptr_nonnull(strstr(out, "\"name\" : \"grey_4\""));
    g_string_free(legs, TRUE);
}
END_TEST

START_TEST(lines_are_tallied_by_surface) {
    static const char *const row[] = {RED, GREEN, BLUE, GREEN, "#7a3f86", RED, NULL};
    write_mat(row, "");
    for (unsigned seed = 1; seed <= SEEDS(4); seed++) {
        JsonObject *r =
            drive_legs("mozzo-colour.yaml", "  - count_lines: {cruise_mm_s: 300, longest_mm: 300}",
                       4.0 * seed - 10.0, 0, seed, 1);
        JsonObject *tally = json_object_get_object_member(r, "tally");
        ck_assert_int_eq(json_object_get_int_member(tally, "red"), 2);
        ck_assert_int_eq(json_object_get_int_member(tally, "green"), 2);
        ck_assert_int_eq(json_object_get_int_member(tally, "blue"), 1);
        ck_assert_uint_eq(json_object_get_size(tally), 3); // violet was never taught
        JsonArray *lines = json_object_get_array_member(r, "lines");
        ck_assert_uint_eq(json_array_get_length(lines), 6);
        JsonObject *fifth = json_array_get_object_element(lines, 4);
        ck_assert(!json_object_has_member(fifth, "surface"));
    }
    // And only those of one surface.
    JsonObject *r =
        drive_legs("mozzo-colour.yaml",
                   "  - count_lines: {surface: green, number: 2, cruise_mm_s: 250}", 0, 0, 1, 1);
    ck_assert_double_eq(truth(r, "lines_seen"), 2);
    ck_assert_double_gt(truth(r, "travelled_mm"), 600);
    char *path = in_folder("r.yaml");
    char *line = g_strdup_printf(COMMAND " drive %s", path);
    ck_assert_int_eq(call(line), 0);
    ck_assert_ptr_nonnull(strstr(out, "of them 2 green\n"));
    g_free(line);
    g_free(path);
}
END_TEST

START_TEST(a_surface_ends_any_leg) {
    write_mat(all_colours, "");
    JsonObject *r = drive_legs("mozzo-colour.yaml",
                               "  - advance: {distance_mm: 1200, speed_mm_s: 250}\n"
                               "    ends: {lines: 1, surface: blue}",
                               0, 0, 2, 1);
    ck_assert_str_eq(json_object_get_string_member(r, "by"), "line");
    ck_assert_double_eq_tol(truth(r, "travelled_mm"), 180 + 450 + 20, 25);
}
END_TEST

START_TEST(it_stays_inside_of_a_surface_and_drives_over_others) {
    // Red all around; blue and green stripes, and print, inside.
    static const char arena[] =
        "<svg xmlns='http://www.w3.org/2000/svg' width='1600mm' height='800mm' viewBox='0 0 1600 "
        "800'><rect width='1600' height='800' fill='" DECK "'/><path class='boundary' d='M 30 40 H "
        "1560 V 760 H 30 Z' fill='none' stroke='" RED "' stroke-width='40'/><rect x='600' y='200' "
        "width='40' height='400' fill='" BLUE "'/><rect x='900' y='300' width='300' height='60' "
        "fill='" GREEN "'/><rect x='700' y='500' width='300' height='30' fill='#1d1f22'/></svg>";
    write_runs_mat(arena);
    double rebounds = 0.0;
    double margin = INFINITY;
    for (unsigned seed = 1; seed <= 5; seed++) {
        JsonObject *r = drive_legs("mozzo-colour.yaml",
                                   "  - stay_inside: {surface: red, for_s: 40, convex: true}",
                                   20.0 * seed - 60, 0, seed, 1);
        ck_assert_double_eq(truth(r, "departures"), 0);
        margin = fmin(margin, truth(r, "margin_mm"));
        rebounds += truth(r, "rebounds");
        ck_assert_double_gt(truth(r, "covered_share"), 0.15);
    }
    ck_assert_double_ge(rebounds, 15);
    ck_assert_double_gt(margin, 0);
    drive_legs("mozzo-colour.yaml",
               "  - stay_inside: {surface: red, boundary: light, convex: true}", 0, 2, 1, 1);
    ck_assert_ptr_nonnull(strstr(err, "stay_inside.boundary"));
}
END_TEST

START_TEST(learning_refuses_what_is_not_one_surface) {
    write_mat(all_colours, "");
    // Over an edge; and with one sensor on something else.
    drive_legs("mozzo-colour.yaml", "  - take_surface: {surface: deck, distance_mm: 300}", 0, 1, 1,
               1);
    ck_assert_ptr_nonnull(strstr(out, "low_contrast"));
    write_mat(all_colours, "<rect x='180' y='400' width='80' height='300' fill='#1d1f22'/>");
    drive_legs("mozzo-colour.yaml", "  - take_surface: {surface: deck}", 0, 1, 1, 1);
    ck_assert_ptr_nonnull(strstr(out, "low_contrast"));
    // So few looks are no mean.
    drive_legs("mozzo-colour.yaml",
               "  - take_surface: {surface: deck, distance_mm: 5, speed_mm_s: 300}", 0, 1, 1, 1);
    ck_assert_ptr_nonnull(strstr(out, "sensor_silent"));
}
END_TEST

// One after another, the channels see other places: it has to go slower, and then it copes.
START_TEST(channels_one_after_another_are_told_at_less_speed) {
    write_mat(all_colours, "");
    char *robot;
    ck_assert(g_file_get_contents(SOURCE_DIR "/data/ferry/mozzo-colour.yaml", &robot, NULL, NULL));
    char **parts = g_strsplit(robot, "    colour: true\n", -1);
    char *slower = g_strjoinv("    colour: true\n    colour_ms: 6\n", parts);
    char *path = in_folder("slow.yaml");
    ck_assert(g_file_set_contents(path, slower, -1, NULL));
#define AT(speed) "  - stop_on_line: {surface: blue, rest: near_edge, cruise_mm_s: " speed "}"
    drive_legs("mozzo-colour.yaml", AT("380"), 0, 0, 1, 1);
    drive_legs("slow.yaml", AT("380"), 0, 2, 1, 1);
    ck_assert_ptr_nonnull(strstr(err, "too_fast"));
    for (unsigned seed = 1; seed <= SEEDS(5); seed++) {
        JsonObject *r = drive_legs("slow.yaml", AT("300"), 0, 0, seed, 1);
        ck_assert_double_le(fabs(truth(r, "rest_error_mm")), 2.0);
    }
    g_unlink(path);
    g_free(path);
    g_free(slower);
    g_strfreev(parts);
    g_free(robot);
}
END_TEST

// ------------------------------------------------------------------------------------ in files --

START_TEST(a_name_that_is_none_is_told_where_it_stands) {
    write_mat(all_colours, "");
    drive_legs("mozzo-colour.yaml", "  - stop_on_line: {surface: bleu}", 0, 2, 1, 1);
    ck_assert_ptr_nonnull(strstr(err, "r.yaml:5: surface: there is none called bleu; did you mean "
                                      "blue?\n"));
    drive_legs("mozzo-colour.yaml", "  - stop_on_line: {surface: x}", 0, 2, 1, 1);
    ck_assert_ptr_nonnull(strstr(err, "known are: deck, red, yellow, hatch_cover, blue, green"));
    drive_legs("mozzo.yaml", "  - advance: {distance_mm: 50}\n    ends: {lines: 1, surface: red}",
               0, 2, 1, 1);
    ck_assert_ptr_nonnull(strstr(err, "none called red; teach it"));
    drive_legs("mozzo.yaml", "  - take_surface: {surface: Red one}", 0, 2, 1, 1);
    ck_assert_ptr_nonnull(strstr(err, "r.yaml:5: surface: 'Red one' is no name"));
    char *twice = in_folder("twice.yaml");
    char *robot;
    ck_assert(g_file_get_contents(SOURCE_DIR "/data/ferry/mozzo-colour.yaml", &robot, NULL, NULL));
    for (int i = 0; i < 2; i++) {
        char **parts = g_strsplit(robot, "name: yellow", 2);
        char *text = g_strjoinv(i == 0 ? "name: red" : "name: 2nd", parts);
        ck_assert(g_file_set_contents(twice, text, -1, NULL));
        drive_legs("twice.yaml", "  - advance: {distance_mm: 50}", 0, 2, 1, 1);
        ck_assert_ptr_nonnull(strstr(err, i == 0 ? "surfaces[3].name: there is one called red"
                                                 : "surfaces[3].name: '2nd' is no name"));
        g_free(text);
        g_strfreev(parts);
    }
    g_unlink(twice);
    g_free(twice);
    g_free(robot);
    GString *legs = g_string_new(NULL);
    for (int i = 0; i <= CMO_SURFACES_MAX; i++) {
        g_string_append_printf(legs, "  - take_surface: {surface: s%d}\n", i);
    }
    drive_legs("mozzo.yaml", legs->str, 0, 2, 1, 1);
    ck_assert_ptr_nonnull(strstr(err, "r.yaml:13: surface: too many; a robot knows at most 8\n"));
    g_string_free(legs, TRUE);
}
END_TEST

START_TEST(the_cargo_floor_is_tallied_until_the_bumper_touches) {
    ck_assert_int_eq(CALL("drive data/ferry/cargo.yaml"), 0);
    ck_assert_ptr_nonnull(strstr(out,
                                 "tally: ended by touch\n     counted 5 lines, truly 5\n     of "
                                 "them 2 green, 2 red, 1 blue\n"));
    char *picture = in_folder("c.svg");
    char *line = g_strdup_printf(
        COMMAND " drive data/ferry/cargo.yaml --view strip --leg 2 --picture %s", picture);
    ck_assert_int_eq(call(line), 0);
    char *drawn;
    ck_assert(g_file_get_contents(picture, &drawn, NULL, NULL));
    ck_assert_ptr_nonnull(strstr(drawn, "lines counted"));
    ck_assert_ptr_nonnull(strstr(drawn, ">blue<"));
    g_unlink(picture);
    g_free(drawn);
    g_free(line);
    g_free(picture);
    ck_assert_int_eq(CALL("series data/ferry/cargo.yaml --trials 20"), 0);
    ck_assert_ptr_nonnull(strstr(out, "\n     of them 2 red, 1 blue, 2 green in 20 of 20\n"));
    ck_assert_int_eq(CALL("series data/ferry/cargo.yaml --trials 2 --json"), 0);
    GError *error = NULL;
    JsonNode *root = json_from_string(out, &error);
    JsonNode *red = json_path_query("$.figures[*].tallies[0].lines.red", root, &error);
    ck_assert_uint_eq(json_array_get_length(json_node_get_array(red)), 1);
    ck_assert_int_eq(json_array_get_int_element(json_node_get_array(red), 0), 2);
    json_node_unref(red);
    json_node_unref(root);
    ck_assert_int_eq(call(EXAMPLES "/example_tally_by_colour"), 0);
    ck_assert_str_eq(out, "1: red\n2: blue\n3: green\n4: red\n"
                          "count_lines: done, ended by touch; 2 red, 1 blue, 1 green\n");
}
END_TEST

int main(void) {
    begin_runs();
    const TTest *const tests[] = {it_rests_on_the_colour_that_was_asked_for,
                                  what_was_not_asked_for_is_driven_over,
                                  greys_are_told_by_reflectance_alone,
                                  lines_are_tallied_by_surface,
                                  a_surface_ends_any_leg,
                                  it_stays_inside_of_a_surface_and_drives_over_others,
                                  learning_refuses_what_is_not_one_surface,
                                  channels_one_after_another_are_told_at_less_speed,
                                  a_name_that_is_none_is_told_where_it_stands,
                                  the_cargo_floor_is_tallied_until_the_bumper_touches,
                                  NULL};
    int status = run_suite("surface_runs", tests);
    end_runs();
    return status;
}
