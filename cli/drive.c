// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli.h"

static gint64 seed = 1;
static gboolean json, quiet, all, varied;
static char **calibrated;
static char *robot, *trace_path, *picture_path, *view, *over;
static int leg;

static const GOptionEntry options[] = {
    CLI_ROBOT_OPTION(&robot),
    {"seed", 0, 0, G_OPTION_ARG_INT64, &seed,
     "Which robot of the fleet or of the plant's spread, and which noise; the same seed gives the "
     "same run (default 1)",
     "N"},
    {"varied", 0, 0, G_OPTION_ARG_NONE, &varied,
     "As a series drives the trial of that seed: from another start, on another battery...", NULL},
    CLI_CALIBRATED_OPTION(&calibrated),
    {"json", 0, 0, G_OPTION_ARG_NONE, &json, "Print the results as one JSON document", NULL},
    {"trace", 0, 0, G_OPTION_ARG_FILENAME, &trace_path, "Write one CSV row per tick", "FILE"},
    {"picture", 0, 0, G_OPTION_ARG_FILENAME, &picture_path, "Write a picture, .png or .svg",
     "FILE"},
    CLI_PICTURE_OPTIONS(&view, &leg, &over, "mat"),
    {"all", 0, 0, G_OPTION_ARG_NONE, &all, "Print every figure of every leg", NULL},
    {"quiet", 0, 0, G_OPTION_ARG_NONE, &quiet, "Print nothing but what is wrong", NULL},
    {NULL, 0, 0, 0, NULL, NULL, NULL}};

// Files first, then the table: what is printed is then complete.
static int write_files(const lab_route *route, const lab_run *run) {
    GError *error = NULL;
    if (trace_path != NULL && !lab_trace_write(run, trace_path, &error)) {
        return cli_error(error);
    }
    if (picture_path != NULL) {
        cli_picture picture;
        bool good = cli_picture_parse(picture_path, view, leg, over, &picture, &error) &&
                    cli_draw_run(route, run, &picture, &error);
        if (!good) {
            return cli_error(error);
        }
    }
    return CLI_DONE;
}

static int drive(const char *path) {
    lab_route *route = cli_load_route(path, robot, seed);
    if (route == NULL || !cli_calibrate(route, calibrated)) {
        lab_route_free(route);
        return CLI_WRONG;
    }
    GError *error = NULL;
    if (!cli_spares(&error, "--trace", trace_path, route->path, route->robot_path, route->mat_path,
                    NULL) ||
        !cli_spares(&error, "--picture", picture_path, route->path, route->robot_path,
                    route->mat_path, trace_path, NULL)) {
        lab_route_free(route);
        return cli_error(error);
    }
    lab_run *run = varied ? cli_drive_trial(route, seed) : cli_drive_route(route, seed);
    int status = run != NULL ? write_files(route, run) : CLI_WRONG;
    if (status == CLI_DONE) {
        if (json) {
            char *text = lab_run_json(run, route->path);
            puts(text);
            g_free(text);
        } else if (!quiet) {
            cli_print_run(route, run, all);
        }
        status = run->outcome == CMO_OUTCOME_DONE ? CLI_DONE : CLI_FAILED;
    }
    lab_run_free(run);
    lab_route_free(route);
    return status;
}

static int run(int count, char **arguments) {
    if (count != 1) {
        return cli_wrong("drive takes one route file, as in: cammino drive "
                         "data/ferry/first-round.yaml");
    }
    if (seed < 0) {
        return cli_wrong("--seed: %" G_GINT64_FORMAT " is out of range; 0 or more", seed);
    }
    if (calibrated != NULL && !varied) {
        return cli_wrong("--calibrated goes with --varied");
    }
    GError *error = NULL;
    cli_picture picture;
    if (!cli_picture_parse(picture_path, view, leg, over, &picture, &error)) {
        return cli_error(error);
    }
    return drive(arguments[0]);
}

const cli_command cli_drive = {
    "drive",
    "ROUTE",
    "Drive a route once and print how each leg went, robot beside truth",
    "The route names a robot, a mat, a start pose and the legs; docs/formats.md lists all keys. "
    "It prints a line or two a leg; --all prints every figure. The columns robot hold what the "
    "robot "
    "itself can measure, the columns truth what the simulator knows; speed is that at the "
    "crossing. A "
    "leg that ends with anything but done ends the run, unless the route says what follows. With "
    "--varied it is one of the trials of cammino series, which names its worst ones by their "
    "seeds.",
    "cammino drive data/ferry/first-round.yaml --picture round.png",
    options,
    run};
