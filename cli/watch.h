// SPDX-License-Identifier: GPL-3.0-or-later
// Trials under way: how far they are, for a terminal; and Ctrl-C ends them.
#ifndef CAMMINO_CLI_WATCH_H
#define CAMMINO_CLI_WATCH_H

#include "cli.h"

#include <cammino_lab/series.h>

// What --trials, --seed and --threads say; what is wrong has been said.
int cli_check_trials(int trials, gint64 seed, int threads);

typedef struct cli_watch {
    bool shows;
    gint64 began_us, shown_us;
} cli_watch;

// From here on Ctrl-C is caught. It shows how far they are if it may, and a terminal is there.
cli_watch cli_watch_begin(bool may_show);

// The progress of a series; `context` is a cli_watch. False: stopped.
bool cli_watch_trials(void *context, unsigned done, unsigned of);
bool cli_watch_stopped(void);

// Clears the line that it has shown.
void cli_watch_end(const cli_watch *w);

#endif
