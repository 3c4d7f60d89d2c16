// SPDX-License-Identifier: GPL-3.0-or-later
// Every number of the robot and the route file at its least, at its most, and just outside, from
// the table of keys that the reader works from.
#include "support.h"

#include <cammino_lab/keys.h>
#include <glib/gstdio.h>
#include <math.h>
#include <string.h>

static const char mat_svg[] =
    "<svg xmlns='http://www.w3.org/2000/svg' width='800mm' height='400mm' viewBox='0 0 800 400'>"
    "<rect width='800' height='400' fill='#c9d2c6'/>"
    "<g class='boundary' fill='none' stroke='#2c3036'><rect x='20' y='20' width='760' height='360'"
    " stroke-width='24'/></g>"
    "<g class='line' fill='none' stroke='#2c3036' stroke-width='20'>"
    "<path d='M 400 60 V 340'/><path d='M 600 60 V 340'/></g></svg>";

// What a key stands beside: everything of its file whose `where` it lies under.
typedef struct given {
    const char *where, *path, *value;
} given;

static const given robot_given[] = {
    {"", "tick_ms", "10"},
    {"", "track_mm", "110"},
    {"", "encoders.step_mm", "0.5"},
    {"", "drive.top_mm_s", "700"},
    {"", "drive.slowest_mm_s", "15"},
    {"", "drive.acceleration_mm_s2", "2000"},
    {"", "drive.braking_mm_s2", "3000"},
    {"", "drive.lag_ms", "45"},
    {"", "lights.left.ahead_mm", "70"},
    {"", "lights.left.left_mm", "45"},
    {"", "lights.left.spot_mm", "6"},
    {"", "lights.left.levels.dark", "90"},
    {"", "lights.left.levels.light", "580"},
    {"", "lights.right.ahead_mm", "70"},
    {"", "lights.right.left_mm", "-45"},
    {"", "lights.right.spot_mm", "6"},
    {"", "lights.right.levels.dark", "90"},
    {"", "lights.right.levels.light", "580"},
    {"", "range", "true"},
    {"", "touch", "true"},
    {"", "buttons", "[start, stop]"},
    {"measured", "measured.left_step_mm", "0.5"},
    {"measured", "measured.right_step_mm", "0.5"},
    {"measured", "measured.track_mm", "110"},
    {"measured", "measured.left.ahead_mm", "70"},
    {"measured", "measured.left.left_mm", "45"},
    {"measured", "measured.left.delay_ms", "10"},
    {"measured", "measured.right.ahead_mm", "70"},
    {"measured", "measured.right.left_mm", "-45"},
    {"measured", "measured.right.delay_ms", "10"},
    {"measured_drive", "measured_drive.lag_ms", "45"},
    {"measured_drive", "measured_drive.left_ahead_mm_s", "15"},
    {"measured_drive", "measured_drive.right_ahead_mm_s", "15"},
    {"measured_drive", "measured_drive.left_back_mm_s", "15"},
    {"measured_drive", "measured_drive.right_back_mm_s", "15"},
    {"plant.shadows[]", "plant.shadows[].x_mm", "400"},
    {"plant.shadows[]", "plant.shadows[].y_mm", "200"},
    {"plant.shadows[]", "plant.shadows[].radius_mm", "50"},
};

static const given route_given[] = {
    {"", "robot", "robot.yaml"},
    {"", "mat", "mat.svg"},
    {"", "mat_px_per_mm", "0.5"},
    {"", "longest_s", "6"},
    {"", "start.x_mm", "250"},
    {"", "start.y_mm", "200"},
    {"", "start_pressed_s", "0.1"},
    {"objects[]", "objects[].x_mm", "600"},
    {"objects[]", "objects[].y_mm", "200"},
    {"objects[].stops[]", "objects[].stops[].x_mm", "500"},
    {"objects[].stops[]", "objects[].stops[].y_mm", "200"},
    {"objects[].stops[]", "objects[].speed_mm_s", "200"},
    {"legs[].advance", "legs[].advance.distance_mm", "200"},
    {"legs[].turn", "legs[].turn.angle_deg", "90"},
    {"legs[].drive_until_line.band", "legs[].drive_until_line.band.high", "0.4"},
    {"legs[].drive_until_line.place", "legs[].drive_until_line.place.x_mm", "400"},
    {"legs[].drive_until_line.place", "legs[].drive_until_line.place.y_mm", "200"},
    {"legs[].stop_on_line", "legs[].stop_on_line.rest", "near_edge"},
    {"legs[].stop_on_line.band", "legs[].stop_on_line.band.high", "0.4"},
    {"legs[].stop_on_line.place", "legs[].stop_on_line.place.x_mm", "400"},
    {"legs[].stop_on_line.place", "legs[].stop_on_line.place.y_mm", "200"},
    {"legs[].square_on_line.band", "legs[].square_on_line.band.high", "0.4"},
    {"legs[].square_on_line.place", "legs[].square_on_line.place.x_mm", "400"},
    {"legs[].square_on_line.place", "legs[].square_on_line.place.y_mm", "200"},
    {"legs[].check_wiring", "start.x_mm", "308"},
    {"legs[].measure_geometry", "legs[].measure_geometry.rounds", "1"},
    {"legs[].measure_drive", "legs[].measure_drive.rounds", "1"},
    {"legs[].stay_inside", "legs[].stay_inside.too_fast", "slow"},
    {"legs[].stay_inside", "legs[].stay_inside.for_s", "3"},
    {"legs[].stay_inside.band", "legs[].stay_inside.band.high", "0.6"},
    {"legs[].countdown", "legs[].countdown.longest_s", "1"},
};

// ------------------------------------------------------------------------------------ documents --

// From a path to its value, "" for none: one entry a place, in the order of their names.
typedef GTree document;

static gint by_name(gconstpointer a, gconstpointer b, gpointer data) {
    (void)data;
    return strcmp(a, b);
}

static document *make_document(const given *list, size_t count, const char *path) {
    document *made = g_tree_new_full(by_name, NULL, g_free, g_free);
    for (size_t i = 0; i < count; i++) {
        if (g_str_has_prefix(path, list[i].where)) {
            g_tree_insert(made, g_strdup(list[i].path), g_strdup(list[i].value));
        }
    }
    return made;
}

typedef struct writer {
    GString *text;
    char **above; // the components of the last path
} writer;

static void close_down_to(writer *w, guint depth) {
    for (guint i = g_strv_length(w->above); i-- > depth + 1;) {
        bool list = g_str_has_suffix(w->above[i - 1], "[]");
        g_string_append(w->text, list ? "}]" : "}");
    }
}

static gboolean write_entry(gpointer key, gpointer value, gpointer data) {
    writer *w = data;
    char **parts = g_strsplit(key, ".", -1);
    guint depth = 0;
    while (w->above != NULL && parts[depth] != NULL &&
           g_strcmp0(w->above[depth], parts[depth]) == 0) {
        depth++;
    }
    if (w->above != NULL) {
        close_down_to(w, depth);
    }
    for (guint i = depth; parts[i] != NULL; i++) {
        bool list = g_str_has_suffix(parts[i], "[]");
        const char *before = i > depth || w->above == NULL ? "" : ", ";
        int length = (int)strlen(parts[i]) - (list ? 2 : 0);
        g_string_append_printf(w->text, "%s%.*s: ", before, length, parts[i]);
        if (parts[i + 1] != NULL) {
            g_string_append(w->text, list ? "[{" : "{");
        }
    }
    g_string_append(w->text, value);
    g_strfreev(w->above);
    w->above = parts;
    return FALSE;
}

static char *write_document(document *d) {
    writer w = {g_string_new("{"), NULL};
    g_tree_foreach(d, write_entry, &w);
    close_down_to(&w, 0);
    g_strfreev(w.above);
    g_string_append(w.text, "}\n");
    return g_string_free(w.text, FALSE);
}

// ----------------------------------------------------------------------------------------- runs --

static char *folder;

static void put(const char *name, const char *text) {
    char *path = g_build_filename(folder, name, NULL);
    ck_assert(g_file_set_contents(path, text, -1, NULL));
    g_free(path);
}

// The run of these two documents; NULL: refused, and `error` says why.
static lab_run *drive(document *robot, document *route, GError **error) {
    char *text = write_document(robot);
    put("robot.yaml", text);
    g_free(text);
    text = write_document(route);
    put("route.yaml", text);
    g_free(text);
    char *path = g_build_filename(folder, "route.yaml", NULL);
    lab_route *loaded = load_like_last(path, error);
    lab_run *run = NULL;
    if (loaded != NULL && lab_check(loaded, error)) {
        run = lab_drive(loaded, 3);
        if (!lab_check_run(loaded, run, error)) {
            ck_abort_msg("%s", (*error)->message);
        }
        char *json = lab_run_json(run, loaded->path);
        ck_assert_ptr_null(strstr(json, "nan"));
        ck_assert_ptr_null(strstr(json, "inf,"));
        g_free(json);
    }
    lab_route_free(loaded);
    g_free(path);
    return run;
}

// Whether the leg says done only over a line.
static bool ends_on_line(const lab_leg_result *leg) {
    return leg->routine == CMO_ROUTINE_DRIVE_UNTIL_LINE ||
           leg->routine == CMO_ROUTINE_STOP_ON_LINE || leg->routine == CMO_ROUTINE_SQUARE_ON_LINE;
}

static void check_run(const lab_run *run, const char *path, double value) {
    for (guint i = 0; i < run->legs->len; i++) {
        const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, i);
        bool blind = leg->outcome == CMO_OUTCOME_DONE && ends_on_line(leg) && !leg->target.found;
        ck_assert_msg(!blind, "%s: %g: done, where no sensor was over a line", path, value);
        for (unsigned f = 0; f < CMO_FIGURES; f++) {
            uint64_t bit = LAB_FIGURE_BIT(f);
            ck_assert_msg(!(leg->robot.known & bit) || isfinite(leg->robot.value[f]),
                          "%s: %g: robot's %s is %g", path, value, cmo_figure_name((cmo_figure)f),
                          leg->robot.value[f]);
            ck_assert_msg(!(leg->truth.known & bit) || isfinite(leg->truth.value[f]),
                          "%s: %g: true %s is %g", path, value, cmo_figure_name((cmo_figure)f),
                          leg->truth.value[f]);
        }
    }
    for (guint i = 0; i < run->rows->len; i++) {
        const lab_row *row = &g_array_index(run->rows, lab_row, i);
        ck_assert_msg(isfinite(row->true_x_mm + row->true_y_mm + row->true_heading_deg),
                      "%s: %g: the truth is lost", path, value);
    }
    ck_assert(isfinite(run->end.x_mm + run->end.y_mm + run->end.heading_rad));
}

typedef struct survey {
    bool of_route;
    unsigned numbers, driven, refused;
} survey;

static void try(survey *s, const char *path, const lab_key *key, double value, bool within) {
    document *robot =
        make_document(robot_given, G_N_ELEMENTS(robot_given), s->of_route ? "" : path);
    document *route =
        make_document(route_given, G_N_ELEMENTS(route_given), s->of_route ? path : "");
    if (!s->of_route || !g_str_has_prefix(path, "legs[]")) {
        g_tree_insert(route, g_strdup("legs[].stop_on_line.rest"), g_strdup("near_edge"));
    }
    g_tree_insert(s->of_route ? route : robot, g_strdup(path), g_strdup_printf("%.17g", value));
    GError *error = NULL;
    lab_run *run = drive(robot, route, &error);
    if (run != NULL) {
        ck_assert_msg(within, "%s: %.17g was taken", path, value);
        check_run(run, path, value);
        s->driven++;
    } else {
        ck_assert_ptr_null(strchr(error->message, '\n'));
        if (!within) {
            ck_assert_msg(strstr(error->message, key->name) != NULL, "%s", error->message);
            ck_assert_msg(strstr(error->message, "out of range") != NULL ||
                              strstr(error->message, "whole number") != NULL,
                          "%s", error->message);
        }
        s->refused++;
    }
    g_clear_error(&error);
    lab_run_free(run);
    g_tree_unref(robot);
    g_tree_unref(route);
}

static void go_through(survey *s, const lab_section *section, const char *above) {
    for (const lab_key *key = section->keys; key->name != NULL; key++) {
        bool list = key->type == LAB_LIST;
        char *path =
            g_strconcat(above, *above != '\0' ? "." : "", key->name, list ? "[]" : "", NULL);
        if (key->section != NULL) {
            go_through(s, key->section, path);
        } else if ((key->type == LAB_NUMBER || key->type == LAB_WHOLE) &&
                   s->numbers++ % EACH == 0) {
            double outside = fmax(1.0, fabs(key->high - key->low)) * 1e-9;
            outside = key->type == LAB_WHOLE ? 1.0 : outside;
            try(s, path, key, key->low, true);
            try(s, path, key, key->high, true);
            try(s, path, key, key->low - outside, false);
            try(s, path, key, key->high + outside, false);
        }
        g_free(path);
    }
}

// Puts some numbers of a section to one of their ends.
static void mix(document *d, const lab_section *section, const char *above, GRand *source) {
    for (const lab_key *key = section->keys; key->name != NULL; key++) {
        char *path = g_strconcat(above, ".", key->name, NULL);
        int end = g_rand_int_range(source, 0, 6);
        if (key->type == LAB_SECTION && strcmp(key->name, "faults") != 0) {
            mix(d, key->section, path, source);
        } else if ((key->type == LAB_NUMBER || key->type == LAB_WHOLE) && end < 2) {
            double value = end == 0 ? key->low : key->high;
            g_tree_insert(d, g_strdup(path), g_strdup_printf("%.17g", value));
        }
        g_free(path);
    }
}

static const lab_section *section_named(const char *name) {
    const lab_section *const *at = lab_sections();
    while (*at != NULL && strcmp((*at)->name, name) != 0) {
        at++;
    }
    ck_assert_ptr_nonnull(*at);
    return *at;
}

static void set_up(void) {
    folder = g_dir_make_tmp("cammino-XXXXXX", NULL);
    ck_assert_ptr_nonnull(folder);
    put("mat.svg", mat_svg);
}

static void tear_down(void) {
    static const char *const names[] = {"mat.svg", "robot.yaml", "route.yaml"};
    for (size_t i = 0; i < G_N_ELEMENTS(names); i++) {
        char *path = g_build_filename(folder, names[i], NULL);
        g_unlink(path);
        g_free(path);
    }
    g_rmdir(folder);
    g_free(folder);
}

static void survey_file(bool of_route, const char *name, unsigned least_driven) {
    set_up();
    survey s = {.of_route = of_route};
    go_through(&s, section_named(name), "");
    g_print("%s: %u driven, %u refused\n", name, s.driven, s.refused);
    ck_assert_uint_ge(s.driven, least_driven / EACH);
    tear_down();
}

START_TEST(every_number_of_the_robot_file_at_its_ends) {
    survey_file(false, "robot file", 200);
}
END_TEST

START_TEST(every_number_of_the_route_file_at_its_ends) {
    survey_file(true, "route file", 150);
}
END_TEST

// Ends of ranges that do not go together either move as a robot can, or end with an error.
START_TEST(plants_of_ends_alone_never_give_a_figure_that_is_none) {
    set_up();
    GRand *source = g_rand_new_with_seed(1);
    unsigned refused = 0;
    for (unsigned i = 0; i < 150; i++) {
        document *robot = make_document(robot_given, G_N_ELEMENTS(robot_given), "");
        document *route = make_document(route_given, G_N_ELEMENTS(route_given), "");
        g_tree_insert(route, g_strdup("legs[].stop_on_line.rest"), g_strdup("near_edge"));
        g_tree_insert(route, g_strdup("longest_s"), g_strdup("2"));
        mix(robot, section_named("plant"), "plant", source);
        GError *error = NULL;
        lab_run *run = drive(robot, route, &error);
        if (run != NULL) {
            check_run(run, "a plant of ends", i);
        } else {
            refused++;
        }
        g_clear_error(&error);
        lab_run_free(run);
        g_tree_unref(robot);
        g_tree_unref(route);
    }
    g_rand_free(source);
    ck_assert_uint_eq(refused, 0);
    tear_down();
}
END_TEST

int main(void) {
    const TTest *const tests[] = {plants_of_ends_alone_never_give_a_figure_that_is_none,
                                  every_number_of_the_robot_file_at_its_ends,
                                  every_number_of_the_route_file_at_its_ends, NULL};
    return run_suite("ranges", tests);
}
