// SPDX-License-Identifier: GPL-3.0-or-later
#include "leg_runs.h"

#include <cammino_lab/run.h>

#include <string.h>

static JsonParser *parser;
static lab_route *last; // its mat still stands, until another one is written
static char *floor_now;

void begin_runs(void) {
    make_folder();
    parser = json_parser_new();
}

void end_runs(void) {
    g_clear_pointer(&last, lab_route_free);
    g_clear_pointer(&floor_now, g_free);
    g_object_unref(parser);
    remove_folder();
}

void write_runs_mat(const char *svg) {
    if (g_strcmp0(svg, floor_now) != 0) {
        g_clear_pointer(&last, lab_route_free);
        g_free(floor_now);
        floor_now = g_strdup(svg);
        write_file("m.svg", svg);
    }
}

void write_runs_floor(const char *floor, const char *shapes) {
    char *svg = g_strdup_printf("<svg xmlns='http://www.w3.org/2000/svg' width='2000mm' "
                                "height='1200mm' viewBox='0 0 2000 1200'>"
                                "<rect width='2000' height='1200' fill='%s'/>%s</svg>",
                                floor, shapes);
    write_runs_mat(svg);
    g_free(svg);
}

void write_runs_robot(const char *name, const char *line, const char *instead) {
    char *text;
    ck_assert(g_file_get_contents(SOURCE_DIR "/data/ferry/mozzo.yaml", &text, NULL, NULL));
    GString *robot = g_string_new(text);
    ck_assert_uint_gt(g_string_replace(robot, line, instead, 0), 0);
    write_file(name, robot->str);
    g_string_free(robot, TRUE);
    g_free(text);
}

// As the command does, but with the mat of the last drive where it is the same.
static char *drive_here(const char *path, unsigned seed, bool *done) {
    GError *error = NULL;
    lab_route *route = lab_route_load_changed(path, NULL, seed, NULL, last, &error);
    ck_assert_msg(route != NULL && lab_check(route, &error), "%s",
                  error != NULL ? error->message : "");
    lab_run *run = lab_drive(route, seed);
    ck_assert(lab_check_run(route, run, &error));
    char *text = lab_run_json(run, path);
    *done = run->outcome == CMO_OUTCOME_DONE;
    lab_run_free(run);
    lab_route_free(last);
    last = route;
    return text;
}

JsonObject *drive_legs(const char *robot, const char *legs, double heading_deg, int status,
                       unsigned seed, unsigned leg) {
    const char *ours = g_str_has_prefix(robot, "mozzo") ? SOURCE_DIR "/data/ferry/" : "";
    char *text = g_strdup_printf("robot: %s%s\nmat: m.svg\nstart: {x_mm: 150, y_mm: 400, "
                                 "heading_deg: %g}\nlegs:\n%s\n",
                                 ours, robot, heading_deg, legs);
    char *path = in_folder("r.yaml");
    ck_assert(g_file_set_contents(path, text, -1, NULL));
    bool done = false;
    if (status == 2) {
        ck_assert_msg(CALL("drive %s/r.yaml --json") == status, "%s: %s%s", legs, out, err);
    } else {
        g_free(out);
        out = drive_here(path, seed, &done);
        ck_assert_msg(status < 0 || done == (status == 0), "%s: %s", legs, out);
        ck_assert(json_parser_load_from_data(parser, out, -1, NULL));
    }
    g_free(path);
    g_free(text);
    if (status == 2) {
        return NULL;
    }
    JsonObject *run = json_node_get_object(json_parser_get_root(parser));
    return json_array_get_object_element(json_object_get_array_member(run, "legs"), leg - 1);
}

const char *outcome_of(JsonObject *leg) {
    return json_object_get_string_member(leg, "outcome");
}

char *run_stands(unsigned seed) {
    char *path = in_folder("r.yaml");
    char *line = g_strdup_printf(COMMAND " drive %s --seed %u", path, seed);
    ck_assert_int_eq(call(line), 0);
    g_free(line);
    g_free(path);
    const char *told = strstr(out, "believes to stand");
    ck_assert_ptr_nonnull(told);
    return g_strdup(told);
}

double figure_of(JsonObject *leg, const char *column, const char *name) {
    return json_object_get_double_member(json_object_get_object_member(leg, column), name);
}

void write_edge_line(bool left, double off_mm, const char *rest) {
    double y = 1200.0 - (left ? 345.0 : 455.0) - off_mm;
    char *shapes = g_strdup_printf("<path class='line' fill='none' stroke='" DARK
                                   "' stroke-width='20' d='M 180 %g %s'/>",
                                   y, rest);
    write_runs_floor(FLOOR, shapes);
    g_free(shapes);
}

JsonObject *follow_edge(const char *parameters, double heading_deg, int status, unsigned seed) {
    char *leg = g_strdup_printf("  - follow_edge: {%s}", parameters);
    JsonObject *result = drive_legs("mozzo.yaml", leg, heading_deg, status, seed, 1);
    g_free(leg);
    return result;
}
