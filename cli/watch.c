// SPDX-License-Identifier: GPL-3.0-or-later
#include "watch.h"

#include <signal.h>
#include <unistd.h>

static volatile sig_atomic_t caught;

static void catch_signal(int number) {
    caught = number;
}

int cli_check_trials(int trials, gint64 seed, int threads) {
    if (trials < 1 || (unsigned)trials > LAB_TRIALS_MAX) {
        return cli_wrong("--trials: %d is out of range; 1 to %u", trials, LAB_TRIALS_MAX);
    }
    if (seed < 0) {
        return cli_wrong("--seed: %" G_GINT64_FORMAT " is out of range; 0 or more", seed);
    }
    if (threads < 0 || threads > 1024) {
        return cli_wrong("--threads: %d is out of range; 0 to 1024", threads);
    }
    return CLI_DONE;
}

cli_watch cli_watch_begin(bool may_show) {
    struct sigaction action = {.sa_handler = catch_signal};
    sigemptyset(&action.sa_mask);
    sigaction(SIGINT, &action, NULL);
    sigaction(SIGTERM, &action, NULL);
    return (cli_watch){.shows = may_show && isatty(STDERR_FILENO),
                       .began_us = g_get_monotonic_time()};
}

bool cli_watch_stopped(void) {
    return caught != 0;
}

// Trials a second so far, and how long the rest will take at that.
bool cli_watch_trials(void *context, unsigned done, unsigned of) {
    cli_watch *w = context;
    gint64 now_us = g_get_monotonic_time();
    double seconds = 1e-6 * (double)(now_us - w->began_us);
    if (w->shows && now_us - w->shown_us > 200000 && done > 0) {
        w->shown_us = now_us;
        double rate = done / seconds;
        fprintf(stderr, "\r%u of %u trials, %.*f a second, %.0f s left   ", done, of,
                rate < 10.0 ? 1 : 0, rate, (of - done) / rate);
        fflush(stderr);
    }
    return caught == 0;
}

void cli_watch_end(const cli_watch *w) {
    if (w->shows) {
        fprintf(stderr, "\r%60s\r", "");
    }
}
