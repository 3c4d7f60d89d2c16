// SPDX-License-Identifier: GPL-3.0-or-later
#include "leg_runs.h"

#include <glib/gstdio.h>

static JsonParser *parser;

void begin_runs(void) {
    make_folder();
    parser = json_parser_new();
}

void end_runs(void) {
    static const char *const left[] = {"m.svg", "r.yaml"};
    for (unsigned i = 0; i < G_N_ELEMENTS(left); i++) {
        char *path = in_folder(left[i]);
        g_unlink(path);
        g_free(path);
    }
    g_object_unref(parser);
    remove_folder();
}

JsonObject *drive_legs(const char *robot, const char *legs, double heading_deg, int status,
                       unsigned seed, unsigned leg) {
    const char *ours = g_str_has_prefix(robot, "mozzo") ? SOURCE_DIR "/data/ferry/" : "";
    char *text = g_strdup_printf("robot: %s%s\nmat: m.svg\nstart: {x_mm: 150, y_mm: 400, "
                                 "heading_deg: %g}\nlegs:\n%s\n",
                                 ours, robot, heading_deg, legs);
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

double figure_of(JsonObject *leg, const char *column, const char *name) {
    return json_object_get_double_member(json_object_get_object_member(leg, column), name);
}
