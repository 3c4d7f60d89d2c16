// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli.h"

#include <errno.h>
#include <glib/gstdio.h>
#include <string.h>

static char *folder;

static const GOptionEntry options[] = {
    {"folder", 0, 0, G_OPTION_ARG_FILENAME, &folder,
     "Where the pictures, the trace and the results go (default demo-out)", "DIR"},
    {NULL, 0, 0, 0, NULL, NULL, NULL}};

static bool write_all(const lab_route *route, const lab_run *run, GError **error) {
    static const char *const names[] = {"path.png", "first-line.png", "second-line.png"};
    static const unsigned legs[] = {0, 1, 7};
    for (unsigned i = 0; i < G_N_ELEMENTS(names); i++) {
        char *path = g_build_filename(folder, names[i], NULL);
        cli_picture picture = {path, i == 0 ? CLI_VIEW_MAT : CLI_VIEW_STRIP, legs[i], false};
        bool good = legs[i] > run->legs->len ||
                    (i == 0 ? cli_draw_mat(route, run->rows, run, &picture, error)
                            : cli_draw_strip(route->path, run->rows, run, &picture, error));
        g_free(path);
        if (!good) {
            return false;
        }
    }
    char *trace = g_build_filename(folder, "trace.csv", NULL);
    char *results = g_build_filename(folder, "results.json", NULL);
    char *json = lab_run_json(run, route->path);
    bool good = lab_trace_write(run, trace, error) &&
                lab_write_file(results, "results", json, strlen(json), error);
    g_free(json);
    g_free(results);
    g_free(trace);
    return good;
}

static char *find_route(void) {
    static const char *const places[] = {"data", CAMMINO_DATA_DIR};
    for (unsigned i = 0; i < G_N_ELEMENTS(places); i++) {
        char *path = g_build_filename(places[i], "ferry", "first-round.yaml", NULL);
        if (g_file_test(path, G_FILE_TEST_EXISTS)) {
            return path;
        }
        g_free(path);
    }
    return NULL;
}

static int demo(const char *path) {
    lab_route *route = cli_load_route(path, NULL, 1);
    if (route == NULL) {
        return CLI_WRONG;
    }
    GError *error = NULL;
    int status;
    lab_run *run = cli_drive_route(route, 1);
    if (run == NULL) {
        status = CLI_WRONG;
    } else if (write_all(route, run, &error)) {
        cli_print_run(route, run, false);
        printf("\n%s/ holds path.png (from above), first-line.png and second-line.png (reflectance "
               "and speed),\ntrace.csv (one row a tick) and results.json.\n",
               folder);
        status = run->outcome == CMO_OUTCOME_DONE ? CLI_DONE : CLI_FAILED;
    } else {
        status = cli_error(error);
    }
    lab_run_free(run);
    lab_route_free(route);
    return status;
}

static int run(int count, char **arguments) {
    if (count > 0) {
        return cli_wrong("demo takes no file, not '%s'; to drive a route of yours: cammino drive "
                         "ROUTE",
                         arguments[0]);
    }
    folder = folder != NULL ? folder : g_strdup("demo-out");
    char *route = find_route();
    if (route == NULL) {
        return cli_wrong("the demo's data are neither in ./data nor in %s; run it in the project's "
                         "folder, or install it",
                         CAMMINO_DATA_DIR);
    }
    int status;
    if (g_mkdir_with_parents(folder, 0777) != 0) {
        status = cli_wrong("%s: the folder cannot be made: %s", folder, g_strerror(errno));
    } else {
        status = demo(route);
    }
    g_free(route);
    g_free(folder);
    return status;
}

const cli_command cli_demo = {
    "demo",
    "",
    "Drive the demo robot over the ferry's car deck; write pictures and a trace",
    "Mozzo, deckhand of a small ferry, crosses the car deck: over a hatch cover that is no line to "
    "the first cross line, where it rests with its sensors over the near edge; up to the lane "
    "edge, "
    "back, and on to the second cross line, with its axle over the near edge.",
    "cammino demo --folder out",
    options,
    run};
