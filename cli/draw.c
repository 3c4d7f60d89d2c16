// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli.h"

static char *picture_path, *view, *over, *route_path;
static int leg;

static const GOptionEntry options[] = {
    {"picture", 0, 0, G_OPTION_ARG_FILENAME, &picture_path, "Write it here, .png or .svg", "FILE"},
    {"route", 0, 0, G_OPTION_ARG_FILENAME, &route_path,
     "The route that was driven; the view mat needs it", "ROUTE"},
    CLI_PICTURE_OPTIONS(&view, &leg, &over, "mat with a route, else strip"),
    {NULL, 0, 0, 0, NULL, NULL, NULL}};

static int draw(const char *trace_path) {
    GError *error = NULL;
    cli_picture picture;
    const char *chosen = view != NULL ? view : route_path != NULL ? "mat" : "strip";
    if (!cli_picture_parse(picture_path, chosen, leg, over, &picture, &error)) {
        return cli_error(error);
    }
    if (picture.view >= CLI_VIEW_HEAT) {
        return cli_wrong("--view: %s needs the truth of a run: cammino drive ROUTE --view %s "
                         "--picture FILE",
                         view, view);
    }
    if (picture.view == CLI_VIEW_MAT && route_path == NULL) {
        return cli_wrong("the view mat needs --route ROUTE: the trace does not hold the mat");
    }
    if (!cli_spares(&error, "--picture", picture_path, trace_path, route_path, NULL)) {
        return cli_error(error);
    }
    GArray *rows = lab_trace_read(trace_path, &error);
    if (rows == NULL) {
        return cli_error(error);
    }
    bool good;
    if (picture.view == CLI_VIEW_MAT) {
        lab_route *route = lab_route_load(route_path, NULL, 1, &error);
        good = route != NULL &&
               cli_spares(&error, "--picture", picture_path, route->robot_path, route->mat_path,
                          NULL) &&
               cli_draw_mat(route, rows, NULL, &picture, &error);
        lab_route_free(route);
    } else if (picture.view == CLI_VIEW_TIMELINE) {
        good = cli_draw_timeline(trace_path, rows, NULL, &picture, &error);
    } else {
        good = cli_draw_strip(trace_path, rows, NULL, &picture, &error);
    }
    g_array_free(rows, TRUE);
    return good ? CLI_DONE : cli_error(error);
}

static int run(int count, char **arguments) {
    if (count != 1) {
        return cli_wrong("draw takes one trace, as in: cammino draw trace.csv --picture strip.png");
    }
    if (picture_path == NULL) {
        return cli_wrong("draw needs --picture FILE, .png or .svg");
    }
    return draw(arguments[0]);
}

const cli_command cli_draw = {
    "draw",
    "TRACE",
    "Draw a picture from a trace",
    "The trace is a CSV file with one row a tick, as written by cammino drive --trace or sent by a "
    "robot over a serial line; docs/formats.md lists the columns.",
    "cammino draw trace.csv --route data/ferry/first-round.yaml --picture path.png",
    options,
    run};
