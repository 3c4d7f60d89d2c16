// SPDX-License-Identifier: GPL-3.0-or-later
#include "trials.h"

#include "trace.h"

#include <cammino_lab/fleet.h>
#include <string.h>

// A trace's first row names its columns; results begin with a brace, and no route does that is
// written as people write them.
static void read_first_line(const char *path, char line[1024]) {
    FILE *file = g_file_test(path, G_FILE_TEST_IS_REGULAR) ? fopen(path, "r") : NULL;
    *line = '\0';
    if (file != NULL) {
        if (fgets(line, 1024, file) == NULL) {
            *line = '\0';
        }
        fclose(file);
    }
}

static bool is_header(const char *line) {
    return *line != '#' && strstr(line, "time_ms") != NULL && strchr(line, ',') != NULL;
}

bool cli_is_trace(const char *path) {
    char line[1024];
    read_first_line(path, line);
    return is_header(line);
}

bool cli_is_results(const char *path) {
    char line[1024];
    read_first_line(path, line);
    return is_header(line) || *line == '{';
}

static lab_results *of_trace(const char *path, const char *robot) {
    lab_trace_told *told = cli_trace_told(path, robot);
    lab_results *results = told != NULL ? lab_trace_results(told, path) : NULL;
    lab_trace_told_free(told);
    return results;
}

lab_series_call cli_series_call(const cli_trials_call *call, const char *route, cli_watch *watch) {
    return (lab_series_call){.route = route,
                             .robot = call->robot,
                             .calibrated = (const char *const *)call->calibrated,
                             .trials = (unsigned)call->trials,
                             .seed = (uint64_t)call->seed,
                             .threads = (unsigned)call->threads,
                             .progress = watch != NULL ? cli_watch_trials : NULL,
                             .context = watch};
}

static lab_results *drive(const cli_trials_call *call, const char *path, const lab_change *change,
                          bool quiet) {
    if (cli_check_trials(call->trials, call->seed, call->threads) != CLI_DONE) {
        return NULL;
    }
    lab_route *route = cli_load_changed(path, call->robot, call->seed, change);
    if (route == NULL || !cli_calibrate(route, call->calibrated)) {
        lab_route_free(route);
        return NULL;
    }
    lab_part whole = {1, 1};
    lab_results *results =
        lab_results_new(route, (uint64_t)call->seed, (unsigned)call->trials, whole);
    cli_watch w = cli_watch_begin(!quiet);
    lab_results_drive(results, route, (unsigned)call->threads, cli_watch_trials, &w, NULL);
    cli_watch_end(&w);
    if (cli_check_results(route, results) != CLI_DONE) {
        g_clear_pointer(&results, lab_results_free);
    }
    lab_route_free(route);
    return results;
}

lab_results *cli_trials(const cli_trials_call *call, const char *path, const lab_change *change,
                        bool quiet) {
    char line[1024];
    read_first_line(path, line);
    bool is_trace = is_header(line);
    if (!is_trace && *line != '{') {
        return drive(call, path, change, quiet);
    }
    if (change != NULL) {
        cli_wrong("%s: these are results already; a route would do, with --field", path);
        return NULL;
    }
    if (is_trace) {
        return of_trace(path, call->robot);
    }
    GError *error = NULL;
    lab_results *results = lab_results_load(path, &error);
    if (results == NULL) {
        cli_error(error);
    } else if (results->trials->len == 0) {
        cli_wrong("%s: there are no trials in it", path);
        g_clear_pointer(&results, lab_results_free);
    }
    return results;
}

const char *cli_trials_head(const lab_results *results) {
    static char *head;
    g_free(head);
    if (results->of_trace) {
        return head = g_strdup_printf("trace %s", results->route);
    }
    unsigned trials = lab_results_count(results);
    char *of = trials < results->asked ? g_strdup_printf(" of %u", results->asked) : g_strdup("");
    head = g_strdup_printf("%s%s%sroute %s: %u%s trial%s", results->robot,
                           *results->robot != '\0' ? ", " : "",
                           results->calibrated ? "calibrated, " : "", results->route, trials, of,
                           trials == 1 ? "" : "s");
    g_free(of);
    return head;
}

int cli_check_results(const lab_route *route, const lab_results *results) {
    if (results->diverged > 0) {
        return cli_wrong("%s: plant: its values do not go together: the simulated robot's motion "
                         "ran away in %u of %u trials",
                         route->robot_path, results->diverged,
                         lab_results_count(results) + results->diverged);
    }
    if (results->undrawn > 0) {
        GError *error = NULL;
        lab_robot_free(lab_fleet_robot(route->fleet, results->undrawn_seed, &error));
        return cli_error(error);
    }
    if (lab_results_count(results) == 0) {
        return cli_wrong("%s: stopped before a trial was driven", route->path);
    }
    return CLI_DONE;
}
