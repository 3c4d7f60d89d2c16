// SPDX-License-Identifier: GPL-3.0-or-later
// Surfaces: told from each other, looked for, learned and kept.
#include "calls.h"

#include <glib/gstdio.h>
#include <json-glib/json-glib.h>
#include <math.h>
#include <string.h>

static const cmo_levels levels = {100, 900, CMO_LEVEL_UNKNOWN, 8, 0, 0};

// ------------------------------------------------------------------------------------- telling --

// Floor, red, blue and grey, as a sensor that sees colour reads them.
static cmo_surfaces some_surfaces(bool colour) {
    cmo_surfaces surfaces;
    cmo_surfaces_clear(&surfaces);
    static const cmo_shade shades[4] = {{700, {480, 580, 500}, 8},
                                        {250, {240, 110, 105}, 8},
                                        {160, {100, 125, 210}, 8},
                                        {450, {240, 290, 250}, 8}};
    surfaces.count = 4;
    for (int i = 0; i < 4; i++) {
        surfaces.shade[i][0] = shades[i];
    }
    cmo_surfaces_weigh(&surfaces, 0, colour, &levels);
    return surfaces;
}

START_TEST(a_reading_is_told_to_be_the_likeliest_or_none) {
    cmo_surfaces s = some_surfaces(true);
    float k;
    for (uint8_t i = 1; i <= 4; i++) {
        const cmo_shade *shade = &s.shade[i - 1][0];
        float reading[3];
        for (int percent = -15; percent <= 15; percent += 15) { // in another light
            for (int c = 0; c < 3; c++) {
                reading[c] = (1.0F + (float)percent / 100.0F) * (float)shade->colour[c];
            }
            ck_assert_uint_eq(cmo_surface_of(&s, 0, &levels, reading, &k), i);
            ck_assert_float_eq_tol(k, 1.0F + (float)percent / 100.0F, 0.06F);
        }
        reading[1] += 100; // of a hue that nobody has taught
        ck_assert_uint_eq(cmo_surface_of(&s, 0, &levels, reading, NULL), 0);
    }
    // Halfway from floor to blue it is neither, nor grey, which is as bright.
    float between[3] = {290, 352, 355};
    ck_assert_uint_eq(cmo_surface_of(&s, 0, &levels, between, NULL), 0);
    // By reflectance alone: what nothing comes near to is none.
    s = some_surfaces(false);
    for (uint8_t i = 1; i <= 4; i++) {
        float reflectance = cmo_reflectance(&levels, s.shade[i - 1][0].counts);
        ck_assert_uint_eq(cmo_surface_of(&s, 0, &levels, &reflectance, NULL), i);
    }
    float far[2] = {0.3F, 1.3F};
    ck_assert_uint_eq(cmo_surface_of(&s, 0, &levels, &far[0], NULL), 0);
    ck_assert_uint_eq(cmo_surface_of(&s, 0, &levels, &far[1], NULL), 0);
    // Of two that overlap the one with the narrower spread wins at its mean.
    s.shade[3][0] = (cmo_shade){260, {0}, 60};
    cmo_surfaces_weigh(&s, 0, false, &levels);
    float narrow = cmo_reflectance(&levels, 250);
    ck_assert_uint_eq(cmo_surface_of(&s, 0, &levels, &narrow, NULL), 2);
    float beside =
        cmo_reflectance(&levels, 262); // nearer to the wide one's mean, and likelier here
    ck_assert_uint_eq(cmo_surface_of(&s, 0, &levels, &beside, NULL), 2);
    ck_assert_float_lt(cmo_surfaces_apart(&s, 2, 4, 0, &levels), 8.0F);
    ck_assert_float_gt(cmo_surfaces_apart(&s, 1, 2, 0, &levels), 8.0F);
    ck_assert_float_eq(cmo_surfaces_apart(&s, 1, 5, 0, &levels), 0.0F);
}
END_TEST

// Readings of a normal law: rejected as often as it says, and no more often confused than `apart`
// lets expect.
START_TEST(it_rejects_as_seldom_as_it_says) {
    for (int colour = 0; colour < 2; colour++) {
        cmo_surfaces s = some_surfaces(colour);
        GRand *noise = g_rand_new_with_seed(7);
        unsigned rejected = 0;
        unsigned wrong = 0;
        const unsigned draws = 100000;
        for (unsigned n = 0; n < draws; n++) {
            uint8_t i = (uint8_t)(n % 4);
            const cmo_shade *shade = &s.shade[i][0];
            double k = 1.0;
            float reading[3];
            for (int c = 0; c < 3; c++) {
                double normal = sqrt(-2.0 * log(1.0 - g_rand_double(noise))) *
                                cos(2.0 * G_PI * g_rand_double(noise));
                double mean =
                    colour ? shade->colour[c] : (double)cmo_reflectance(&levels, shade->counts);
                reading[c] = (float)(k * mean + normal * (colour ? 8.0 : 8.0 / 800.0));
            }
            uint8_t told = cmo_surface_of(&s, 0, &levels, reading, NULL);
            rejected += told == 0;
            wrong += told != 0 && told != i + 1;
        }
        g_rand_free(noise);
        ck_assert_uint_le(rejected, draws / (colour ? 800 : 10000));
        ck_assert_uint_eq(wrong, 0);
    }
}
END_TEST

START_TEST(a_table_that_makes_no_sense_is_refused) {
    cmo_sim_mat *mat = make_floor(&one_line);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_surfaces s = some_surfaces(false);
    s.count = CMO_SURFACES_MAX + 1;
    ck_assert_int_eq(cmo_robot_set_surfaces(&bench.robot, &s), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(bench.robot.field, "count");
    ck_assert_float_eq(bench.robot.limit, CMO_SURFACES_MAX);
    s.count = 4;
    const float changes[] = {-0.1F, 0.6F, NAN};
    for (int i = 0; i < 3; i++) {
        s.change = changes[i];
        ck_assert_int_eq(cmo_robot_set_surfaces(&bench.robot, &s), CMO_OUTCOME_BAD_PARAMETER);
        ck_assert_str_eq(bench.robot.field, "change");
    }
    // What was not taught, nor to both, is not looked for.
    cmo_line_state state;
    ck_assert_int_eq(
        cmo_stop_on_line_start(&bench.robot, &state, &(cmo_line_parameters){.surface = 1}),
        CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(bench.robot.field, "surface");
    s.change = 0.0F;
    ck_assert_int_eq(cmo_robot_set_surfaces(&bench.robot, &s), CMO_OUTCOME_DONE);
    const cmo_line_parameters refused[] = {
        {.surface = 5},
        {.surface = 1}, // the right sensor does not know it
        {.surface = 1, .sensor = CMO_SENSOR_LEFT, .tone = CMO_TONE_LIGHT},
        {.surface = 1, .sensor = CMO_SENSOR_LEFT, .band = {0.1F, 0.2F}},
        {.surface = 1, .sensor = CMO_SENSOR_LEFT, .least_width_mm = 8}};
    const char *const fields[] = {"surface", "surface", "tone", "band", "least_width_mm"};
    for (int i = 0; i < 5; i++) {
        ck_assert_int_eq(cmo_stop_on_line_start(&bench.robot, &state, &refused[i]),
                         CMO_OUTCOME_BAD_PARAMETER);
        ck_assert_str_eq(bench.robot.field, fields[i]);
    }
    ck_assert_float_eq_tol(bench.robot.limit, 1.7F * plain_robot.light[0].spot_mm + 1.0F, 1.0F);
    // Two looks have to lie where the whole spot does.
    cmo_line_parameters fast = {.surface = 1, .sensor = CMO_SENSOR_LEFT, .cruise_mm_s = 700};
    ck_assert_int_eq(cmo_stop_on_line_start(&bench.robot, &state, &fast), CMO_OUTCOME_TOO_FAST);
    fast.cruise_mm_s = 0.99F * bench.robot.limit;
    ck_assert_int_eq(cmo_stop_on_line_start(&bench.robot, &state, &fast), CMO_RUNNING);
    cmo_abort(&bench.robot);
    cmo_run(&bench.robot);
    cmo_take_surface_state take;
    ck_assert_int_eq(
        cmo_take_surface_start(&bench.robot, &take, &(cmo_take_surface_parameters){.for_ms = 500}),
        CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(bench.robot.field, "surface");
    end_bench(&bench);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(stored_surfaces_come_back_and_damaged_ones_are_refused) {
    cmo_sim_mat *mat = make_floor(&one_line);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    uint8_t bytes[CMO_STORED_SURFACES_SIZE];
    ck_assert_uint_eq(cmo_store_surfaces(&bench.robot, bytes, sizeof bytes), 0); // it has none
    cmo_surfaces s = some_surfaces(false);
    s.change = 0.2F;
    s.shade[2][1] = (cmo_shade){211, {1, 2, 3}, 4};
    cmo_robot_set_surfaces(&bench.robot, &s);
    size_t size = cmo_store_surfaces(&bench.robot, bytes, sizeof bytes);
    ck_assert_uint_eq(size, 8 + 4 * 2 * 10);
    ck_assert_uint_eq(cmo_store_surfaces(&bench.robot, bytes, size - 1), 0);
    cmo_surfaces before = s;
    cmo_surfaces_clear(&s);
    ck_assert_int_eq(cmo_load_surfaces(&bench.robot, bytes, size), CMO_OUTCOME_DONE);
    ck_assert_uint_eq(s.count, 4);
    ck_assert_float_eq_tol(s.change, 0.2F, 1e-4F);
    ck_assert_mem_eq(s.shade, before.shade, sizeof s.shade);
    for (size_t i = 0; i < size; i++) { // any byte that is another
        bytes[i] ^= 0x10U;
        ck_assert_int_eq(cmo_load_surfaces(&bench.robot, bytes, size), CMO_OUTCOME_BAD_PARAMETER);
        ck_assert_mem_eq(s.shade, before.shade, sizeof s.shade);
        bytes[i] ^= 0x10U;
    }
    ck_assert_int_eq(cmo_load_surfaces(&bench.robot, bytes, size - 1), CMO_OUTCOME_BAD_PARAMETER);
    cmo_robot_set_surfaces(&bench.robot, NULL);
    ck_assert_int_eq(cmo_load_surfaces(&bench.robot, bytes, size), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(bench.robot.field, "surfaces");
    end_bench(&bench);
    cmo_sim_mat_free(mat);
}
END_TEST

// ---------------------------------------------------------------------------------- driven over --

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
    char *path = in_folder("m.svg");
    ck_assert(g_file_set_contents(path, svg->str, -1, NULL));
    g_free(path);
    g_string_free(svg, TRUE);
}

static JsonParser *parser;

// Drives legs from (150, 400) and gives the results of one of them.
static JsonObject *drive(const char *robot, const char *legs, double heading_deg, int status,
                         unsigned seed, unsigned leg) {
    char *text =
        g_strdup_printf("robot: %s%s\nmat: m.svg\nstart: {x_mm: 150, y_mm: 400, "
                        "heading_deg: %g}\nlegs:\n%s\n",
                        robot[0] == 'm' ? SOURCE_DIR "/data/ferry/" : "", robot, heading_deg, legs);
    char *path = in_folder("r.yaml");
    ck_assert(g_file_set_contents(path, text, -1, NULL));
    char *line = g_strdup_printf(COMMAND " drive %s --json --seed %u", path, seed);
    ck_assert_msg(call(line) == status, "%s: %s%s", legs, out, err);
    g_free(line);
    g_free(path);
    g_free(text);
    if (status == 2) {
        return NULL;
    }
    ck_assert(json_parser_load_from_data(parser, out, -1, NULL));
    JsonObject *run = json_node_get_object(json_parser_get_root(parser));
    return json_array_get_object_element(json_object_get_array_member(run, "legs"), leg - 1);
}

static double truth(JsonObject *leg, const char *name) {
    return json_object_get_double_member(json_object_get_object_member(leg, "truth"), name);
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
            JsonObject *result = drive("mozzo-colour.yaml", leg, 0, 0, i + 1, 1);
            ck_assert_double_le(fabs(truth(result, "rest_error_mm")), 1.5);
            ck_assert_double_eq_tol(truth(result, "travelled_mm"), 180 + 150.0 * i, 8);
            g_free(leg);
        }
    }
    // Over the middle and the far edge, at a slant; square; and at speed.
    JsonObject *r =
        drive("mozzo-colour.yaml", "  - stop_on_line: {surface: blue, rest: centre}", 0, 0, 3, 1);
    ck_assert_double_le(fabs(truth(r, "rest_error_mm")), 2.0);
    r = drive("mozzo-colour.yaml", "  - stop_on_line: {surface: blue, rest: far_edge}", 5, 0, 4, 1);
    ck_assert_double_le(fabs(truth(r, "rest_error_mm")), 2.5);
    r = drive("mozzo-colour.yaml", "  - square_on_line: {surface: green, cruise_mm_s: 250}", 8, 0,
              5, 1);
    ck_assert_double_le(fabs(truth(r, "residual_angle_deg")), 1.5);
    r = drive(
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
    for (unsigned seed = 1; seed <= 5; seed++) {
        drive("mozzo-colour.yaml",
              "  - stop_on_line: {surface: blue, cruise_mm_s: 300, longest_mm: 1300}", 0, 1, seed,
              1);
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
        JsonObject *r = drive("mozzo.yaml", all, 0, 0, (unsigned)i, 11);
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
    for (unsigned seed = 1; seed <= 4; seed++) {
        JsonObject *r =
            drive("mozzo-colour.yaml", "  - count_lines: {cruise_mm_s: 300, longest_mm: 300}",
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
        drive("mozzo-colour.yaml", "  - count_lines: {surface: green, number: 2, cruise_mm_s: 250}",
              0, 0, 1, 1);
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
    JsonObject *r = drive("mozzo-colour.yaml",
                          "  - advance: {distance_mm: 1200, speed_mm_s: 250}\n"
                          "    ends: {lines: 1, surface: blue}",
                          0, 0, 2, 1);
    ck_assert_str_eq(json_object_get_string_member(r, "by"), "line");
    ck_assert_double_eq_tol(truth(r, "travelled_mm"), 180 + 450 + 20, 25);
}
END_TEST

START_TEST(it_stays_inside_of_a_surface_and_drives_over_others) {
    // Red all around; blue and green stripes, and print, inside.
    char *path = in_folder("m.svg");
    static const char arena[] =
        "<svg xmlns='http://www.w3.org/2000/svg' width='1600mm' height='800mm' viewBox='0 0 1600 "
        "800'><rect width='1600' height='800' fill='" DECK "'/><path class='boundary' d='M 30 40 H "
        "1560 V 760 H 30 Z' fill='none' stroke='" RED "' stroke-width='40'/><rect x='600' y='200' "
        "width='40' height='400' fill='" BLUE "'/><rect x='900' y='300' width='300' height='60' "
        "fill='" GREEN "'/><rect x='700' y='500' width='300' height='30' fill='#1d1f22'/></svg>";
    ck_assert(g_file_set_contents(path, arena, -1, NULL));
    double rebounds = 0.0;
    double margin = INFINITY;
    for (unsigned seed = 1; seed <= 5; seed++) {
        JsonObject *r =
            drive("mozzo-colour.yaml", "  - stay_inside: {surface: red, for_s: 40, convex: true}",
                  20.0 * seed - 60, 0, seed, 1);
        ck_assert_double_eq(truth(r, "departures"), 0);
        margin = fmin(margin, truth(r, "margin_mm"));
        rebounds += truth(r, "rebounds");
        ck_assert_double_gt(truth(r, "covered_share"), 0.15);
    }
    ck_assert_double_ge(rebounds, 15);
    ck_assert_double_gt(margin, 0);
    drive("mozzo-colour.yaml", "  - stay_inside: {surface: red, boundary: light, convex: true}", 0,
          2, 1, 1);
    ck_assert_ptr_nonnull(strstr(err, "stay_inside.boundary"));
    g_free(path);
}
END_TEST

START_TEST(learning_refuses_what_is_not_one_surface) {
    write_mat(all_colours, "");
    // Over an edge; and with one sensor on something else.
    drive("mozzo-colour.yaml", "  - take_surface: {surface: deck, distance_mm: 300}", 0, 1, 1, 1);
    ck_assert_ptr_nonnull(strstr(out, "low_contrast"));
    write_mat(all_colours, "<rect x='180' y='400' width='80' height='300' fill='#1d1f22'/>");
    drive("mozzo-colour.yaml", "  - take_surface: {surface: deck}", 0, 1, 1, 1);
    ck_assert_ptr_nonnull(strstr(out, "low_contrast"));
    // So few looks are no mean.
    drive("mozzo-colour.yaml", "  - take_surface: {surface: deck, distance_mm: 5, speed_mm_s: 300}",
          0, 1, 1, 1);
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
    drive("mozzo-colour.yaml", AT("380"), 0, 0, 1, 1);
    drive("slow.yaml", AT("380"), 0, 2, 1, 1);
    ck_assert_ptr_nonnull(strstr(err, "too_fast"));
    for (unsigned seed = 1; seed <= 5; seed++) {
        JsonObject *r = drive("slow.yaml", AT("300"), 0, 0, seed, 1);
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
    drive("mozzo-colour.yaml", "  - stop_on_line: {surface: bleu}", 0, 2, 1, 1);
    ck_assert_ptr_nonnull(strstr(err, "r.yaml:5: surface: there is none called bleu; did you mean "
                                      "blue?\n"));
    drive("mozzo-colour.yaml", "  - stop_on_line: {surface: x}", 0, 2, 1, 1);
    ck_assert_ptr_nonnull(strstr(err, "known are: deck, red, yellow, hatch_cover, blue, green"));
    drive("mozzo.yaml", "  - advance: {distance_mm: 50}\n    ends: {lines: 1, surface: red}", 0, 2,
          1, 1);
    ck_assert_ptr_nonnull(strstr(err, "none called red; teach it"));
    drive("mozzo.yaml", "  - take_surface: {surface: Red one}", 0, 2, 1, 1);
    ck_assert_ptr_nonnull(strstr(err, "r.yaml:5: surface: 'Red one' is no name"));
    char *twice = in_folder("twice.yaml");
    char *robot;
    ck_assert(g_file_get_contents(SOURCE_DIR "/data/ferry/mozzo-colour.yaml", &robot, NULL, NULL));
    for (int i = 0; i < 2; i++) {
        char **parts = g_strsplit(robot, "name: yellow", 2);
        char *text = g_strjoinv(i == 0 ? "name: red" : "name: 2nd", parts);
        ck_assert(g_file_set_contents(twice, text, -1, NULL));
        drive("twice.yaml", "  - advance: {distance_mm: 50}", 0, 2, 1, 1);
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
    drive("mozzo.yaml", legs->str, 0, 2, 1, 1);
    ck_assert_ptr_nonnull(strstr(err, "r.yaml:13: surface: too many; a robot knows at most 8\n"));
    g_string_free(legs, TRUE);
}
END_TEST

START_TEST(readings_teach_a_robot_file) {
    char *robot = in_folder("t.yaml");
    char *text;
    ck_assert(g_file_get_contents(SOURCE_DIR "/data/ferry/mozzo.yaml", &text, NULL, NULL));
    ck_assert(g_file_set_contents(robot, text, -1, NULL));
    char *line = g_strdup_printf(COMMAND " levels data/ferry/floor.csv --robot %s --surfaces "
                                         "--write",
                                 robot);
    ck_assert_int_eq(call(line), 0);
    ck_assert_ptr_nonnull(strstr(out, "all of them are told apart"));
    char *first;
    ck_assert(g_file_get_contents(robot, &first, NULL, NULL));
    ck_assert(g_str_has_prefix(first, "# SPDX"));
    ck_assert_ptr_nonnull(
        strstr(first, "  - name: bay_line\n    left: {counts: 801, spread: 11}\n"));
    ck_assert_int_eq(call(line), 0); // again: in the same place
    char *second;
    ck_assert(g_file_get_contents(robot, &second, NULL, NULL));
    ck_assert_str_eq(first, second);
    // Two that lie too near to each other are said to be alike.
    char *csv = in_folder("t.csv");
    GString *rows = g_string_new("surface,counts_left,counts_right\n");
    for (int i = 0; i < 120; i++) {
        static const int means[] = {100, 600, 400, 420};
        static const char *const of[] = {"line", "deck", "worn", "wet"};
        int counts = means[i % 4] + (i / 4) % 9 - 4;
        g_string_append_printf(rows, "%s,%d,%d\n", of[i % 4], counts, counts);
    }
    ck_assert(g_file_set_contents(csv, rows->str, -1, NULL));
    g_free(line);
    line = g_strdup_printf(COMMAND " levels %s --robot %s --surfaces", csv, robot);
    ck_assert_int_eq(call(line), 1);
    ck_assert_ptr_nonnull(strstr(out, "left: worn and wet are not told apart"));
    g_free(line);
    line = g_strdup_printf(COMMAND " levels data/ferry/take-levels.yaml --surfaces");
    ck_assert_int_eq(call(line), 2);
    ck_assert_ptr_nonnull(strstr(err, "--surfaces needs readings by surface"));
    // By colour they are drawn so.
    char *picture = in_folder("t.svg");
    g_free(line);
    line = g_strdup_printf(COMMAND " levels data/ferry/cargo.csv --robot "
                                   "data/ferry/mozzo-colour.yaml --surfaces --json --picture %s",
                           picture);
    ck_assert_int_eq(call(line), 0);
    ck_assert_ptr_nonnull(strstr(out, "\"told\" : {"));
    char *drawn;
    ck_assert(g_file_get_contents(picture, &drawn, NULL, NULL));
    ck_assert_ptr_nonnull(strstr(drawn, "light sensor right, blue and green"));
    g_free(drawn);
    g_unlink(picture);
    g_free(picture);
    g_unlink(csv);
    g_unlink(robot);
    g_free(line);
    g_free(csv);
    g_free(robot);
    g_free(text);
    g_free(first);
    g_free(second);
    g_string_free(rows, TRUE);
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
    ck_assert_int_eq(call(EXAMPLES "/example_tally_by_colour"), 0);
    ck_assert_str_eq(out, "1: red\n2: blue\n3: green\n4: red\n"
                          "count_lines: done, ended by touch; 2 red, 1 blue, 1 green\n");
}
END_TEST

int main(void) {
    make_folder();
    parser = json_parser_new();
    const TTest *const tests[] = {a_reading_is_told_to_be_the_likeliest_or_none,
                                  it_rejects_as_seldom_as_it_says,
                                  a_table_that_makes_no_sense_is_refused,
                                  stored_surfaces_come_back_and_damaged_ones_are_refused,
                                  it_rests_on_the_colour_that_was_asked_for,
                                  what_was_not_asked_for_is_driven_over,
                                  greys_are_told_by_reflectance_alone,
                                  lines_are_tallied_by_surface,
                                  a_surface_ends_any_leg,
                                  it_stays_inside_of_a_surface_and_drives_over_others,
                                  learning_refuses_what_is_not_one_surface,
                                  channels_one_after_another_are_told_at_less_speed,
                                  a_name_that_is_none_is_told_where_it_stands,
                                  readings_teach_a_robot_file,
                                  the_cargo_floor_is_tallied_until_the_bumper_touches,
                                  NULL};
    int status = run_suite("surfaces", tests);
    g_object_unref(parser);
    char *mat = in_folder("m.svg");
    char *route = in_folder("r.yaml");
    g_unlink(mat);
    g_unlink(route);
    g_free(mat);
    g_free(route);
    remove_folder();
    return status;
}
