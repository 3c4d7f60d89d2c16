// SPDX-License-Identifier: GPL-3.0-or-later
// Results as a call names them: kept in a file, or of a route that is driven then and there.
#ifndef CAMMINO_CLI_TRIALS_H
#define CAMMINO_CLI_TRIALS_H

#include "watch.h"

typedef struct cli_trials_call {
    char *robot;
    char **calibrated;
    gint trials, threads;
    gint64 seed;
} cli_trials_call;

#define CLI_TRIALS_DEFAULT(trials)                                                                 \
    { NULL, NULL, trials, 0, 1 }
#define CLI_TRIALS_OPTIONS(call, how_many)                                                         \
    CLI_ROBOT_OPTION(&call.robot), CLI_CALIBRATED_OPTION(&call.calibrated),                        \
        {"trials", 0, 0, G_OPTION_ARG_INT, &call.trials, how_many, "N"},                           \
        {"seed",     0,                                                                            \
         0,          G_OPTION_ARG_INT64,                                                           \
         &call.seed, "Seed of the first trial; each takes the next (default 1)",                   \
         "S"},                                                                                     \
    {                                                                                              \
        "threads", 0, 0, G_OPTION_ARG_INT, &call.threads,                                          \
            "How many at once (default: one a processor); the results do not depend on it", "N"    \
    }
#define CLI_TRIALS_MANY "How many trials (default 200)"

// The same for the lab; `watch` NULL: nobody watches.
lab_series_call cli_series_call(const cli_trials_call *call, const char *route, cli_watch *watch);

// What they have come to, of a route with a change, or NULL: none. NULL: what is wrong has been
// said.
lab_results *cli_trials(const cli_trials_call *call, const char *path, const lab_change *change,
                        bool quiet);

// Whether a file is a trace; and whether it is results, or a trace, and no route.
bool cli_is_trace(const char *path);
bool cli_is_results(const char *path);

// Whether anything is true of them; if not, that has been said.
int cli_check_results(const lab_route *route, const lab_results *results);

// "Mozzo, route first-round.yaml: 200 trials"; until the next call.
const char *cli_trials_head(const lab_results *results);

#endif
