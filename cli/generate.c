// SPDX-License-Identifier: GPL-3.0-or-later
// A route as C, for the robot itself.
#include "cli.h"

#include <string.h>

static char *robot, *output;

static const GOptionEntry options[] = {
    {"robot", 0, 0, G_OPTION_ARG_FILENAME, &robot, "This robot instead of the route's", "FILE"},
    {"output", 0, 0, G_OPTION_ARG_FILENAME, &output, "Write it there (default: print it)", "FILE"},
    {NULL, 0, 0, 0, NULL, NULL, NULL}};

static int generate(const lab_route *route) {
    GError *error = NULL;
    if (!cli_one_robot(route, "generate") ||
        !cli_spares(&error, "--output", output, route->path, route->robot_path, route->mat_path,
                    NULL)) {
        return error != NULL ? cli_error(error) : CLI_WRONG;
    }
    char *text = lab_generate(route);
    int status = CLI_DONE;
    if (output == NULL) {
        fputs(text, stdout);
    } else if (!lab_write_file(output, "C file", text, strlen(text), &error)) {
        status = cli_error(error);
    }
    g_free(text);
    return status;
}

static int run(int count, char **arguments) {
    if (count != 1) {
        return cli_wrong("generate takes one route file, as in: cammino generate "
                         "data/ferry/deck-run.yaml --output deck_run.c");
    }
    lab_route *route = cli_load_route(arguments[0], robot, 1);
    if (route == NULL) {
        return CLI_WRONG;
    }
    int status = generate(route);
    lab_route_free(route);
    return status;
}

const cli_command cli_generate = {
    "generate",
    "ROUTE",
    "Write a route, its robot and its levels as one C file",
    "The file needs the core library alone; on the robot it gives the same drive commands as the "
    "route does here. The route's numbers are constants in it, its legs are called by their names, "
    "and of an action it has a function to fill in. So a team can go on from it by hand.",
    "cammino generate data/ferry/deck-run.yaml --output deck_run.c",
    options,
    run};
