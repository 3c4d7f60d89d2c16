// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli.h"

#include <json-glib/json-glib.h>
#include <math.h>

static gint64 seed = 1;
static gboolean json, quiet, write_file;

static const GOptionEntry options[] = {
    {"write", 0, 0, G_OPTION_ARG_NONE, &write_file,
     "Write the levels into the robot file; nothing else in its text changes", NULL},
    {"seed", 0, 0, G_OPTION_ARG_INT64, &seed, "Which robot, and which noise (default 1)", "N"},
    {"json", 0, 0, G_OPTION_ARG_NONE, &json, "Print the levels as one JSON document", NULL},
    {"quiet", 0, 0, G_OPTION_ARG_NONE, &quiet, "Print nothing but what is wrong", NULL},
    {NULL, 0, 0, 0, NULL, NULL, NULL}};

static const char *const sides[2] = {"left", "right"};

static const char *fault_text(cmo_levels_fault fault) {
    static const char *const texts[CMO_LEVELS_FAULTS] = {
        "good",
        "no readings; is it plugged in?",
        "it saw one surface only; start before a line and drive over it",
        "a surface lies at the end of what the sensor can give; raise or shade it",
        "the noise is too large for the contrast",
        "the two surfaces are too near to each other",
    };
    return (unsigned)fault < CMO_LEVELS_FAULTS ? texts[fault] : "?";
}

static void print_table(const lab_route *route, const lab_leg_result *leg) {
    printf("%s on %s\n\n%-7s%8s%8s%8s%11s%11s  %s\n", route->robot->name, route->mat_path, "sensor",
           "dark", "light", "noise", "threshold", "band +-", "contrast over noise");
    for (unsigned i = 0; i < route->robot->description.lights; i++) {
        const cmo_levels *levels = &leg->levels[i];
        if (leg->levels_fault[i] != CMO_LEVELS_GOOD) {
            printf("%-7s refused, %s: %s\n", sides[i], cmo_levels_fault_name(leg->levels_fault[i]),
                   fault_text(leg->levels_fault[i]));
            continue;
        }
        double contrast = fabs((double)levels->light - levels->dark);
        printf("%-7s%8u%8u%8u%11.0f%11.0f  %.0f\n", sides[i], levels->dark, levels->light,
               levels->noise, 0.5 * (levels->dark + levels->light),
               contrast * (double)cmo_hysteresis(levels), contrast / levels->noise);
    }
}

static void print_json(const lab_route *route, const lab_leg_result *leg) {
    JsonBuilder *builder = json_builder_new();
    json_builder_begin_object(builder);
    json_builder_set_member_name(builder, "route");
    json_builder_add_string_value(builder, route->path);
    json_builder_set_member_name(builder, "levels");
    json_builder_begin_array(builder);
    for (unsigned i = 0; i < route->robot->description.lights; i++) {
        bool good = leg->levels_fault[i] == CMO_LEVELS_GOOD;
        const unsigned values[3] = {leg->levels[i].dark, leg->levels[i].light,
                                    leg->levels[i].noise};
        static const char *const names[3] = {"dark", "light", "noise"};
        json_builder_begin_object(builder);
        json_builder_set_member_name(builder, "sensor");
        json_builder_add_string_value(builder, sides[i]);
        json_builder_set_member_name(builder, "quality");
        json_builder_add_string_value(builder, cmo_levels_fault_name(leg->levels_fault[i]));
        for (unsigned n = 0; n < 3; n++) {
            json_builder_set_member_name(builder, names[n]);
            if (good) {
                json_builder_add_int_value(builder, values[n]);
            } else {
                json_builder_add_null_value(builder);
            }
        }
        json_builder_end_object(builder);
    }
    json_builder_end_array(builder);
    json_builder_end_object(builder);
    JsonNode *root = json_builder_get_root(builder);
    char *text = json_to_string(root, TRUE);
    puts(text);
    g_free(text);
    json_node_unref(root);
    g_object_unref(builder);
}

static const lab_leg_result *find_leg(const lab_run *run) {
    for (guint i = 0; i < run->legs->len; i++) {
        const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, i);
        if (leg->kind == CMO_KIND_TAKE_LEVELS) {
            return leg;
        }
    }
    return NULL;
}

static int take(const lab_route *route, const lab_run *run) {
    const lab_leg_result *leg = find_leg(run);
    if (leg == NULL) {
        return cli_wrong("%s: no leg take_levels was driven; put one into the route, as in - "
                         "take_levels: {distance_mm: 150}",
                         route->path);
    }
    bool good = leg->outcome == CMO_OUTCOME_DONE;
    GError *error = NULL;
    if (good && write_file &&
        !lab_robot_write_levels(route->robot_path, leg->levels, route->robot->description.lights,
                                &error)) {
        return cli_error(error);
    }
    if (json) {
        print_json(route, leg);
    } else if (!quiet) {
        print_table(route, leg);
        if (!good) {
            printf("\n%s: %s; the robot keeps the levels that it had\n",
                   cmo_outcome_name(leg->outcome), cmo_outcome_text(leg->outcome));
        } else if (write_file) {
            printf("\nwritten to %s\n", route->robot_path);
        }
    }
    return good ? CLI_DONE : CLI_FAILED;
}

static int run(int count, char **arguments) {
    if (count != 1) {
        return cli_wrong(
            "levels takes one route file with a leg take_levels, as in: cammino levels "
            "data/ferry/take-levels.yaml");
    }
    if (seed < 0) {
        return cli_wrong("--seed: %" G_GINT64_FORMAT " is out of range; 0 or more", seed);
    }
    lab_route *route = cli_load_route(arguments[0]);
    if (route == NULL) {
        return CLI_WRONG;
    }
    lab_run *driven = lab_drive(route, (uint64_t)seed);
    int status = take(route, driven);
    lab_run_free(driven);
    lab_route_free(route);
    return status;
}

const cli_command cli_levels = {
    "levels",
    "ROUTE",
    "Take the light sensors' levels over a line, on the simulated robot",
    "Drives the route, whose leg take_levels goes over a line and back, and prints each sensor's "
    "levels, the threshold between them and how far the contrast stands above the noise. Levels "
    "that "
    "cannot be right are refused with a reason.",
    "cammino levels data/ferry/take-levels.yaml --write",
    options,
    run};
