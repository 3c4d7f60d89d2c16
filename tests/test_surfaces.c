// SPDX-License-Identifier: GPL-3.0-or-later
// Surfaces: told from each other, kept, and learned from readings.
#include "calls.h"

#include <glib/gstdio.h>
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

// -------------------------------------------------------------------------- from readings --

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

int main(void) {
    make_folder();
    const TTest *const tests[] = {a_reading_is_told_to_be_the_likeliest_or_none,
                                  it_rejects_as_seldom_as_it_says,
                                  a_table_that_makes_no_sense_is_refused,
                                  stored_surfaces_come_back_and_damaged_ones_are_refused,
                                  readings_teach_a_robot_file,
                                  NULL};
    int status = run_suite("surfaces", tests);
    remove_folder();
    return status;
}
