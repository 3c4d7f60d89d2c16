// SPDX-License-Identifier: GPL-3.0-or-later
// What a sweep has come to, as a table and as a chart.
#ifndef CAMMINO_CLI_SWEEP_SHOWN_H
#define CAMMINO_CLI_SWEEP_SHOWN_H

#include "cli.h"

#include <cammino_lab/series.h>

#define CLI_SWEEP_MOST 200U // points, and values of one number

// A number that is varied, and over what.
typedef struct cli_axis {
    const char *field;
    unsigned count;
    double value[CLI_SWEEP_MOST];
    bool even_in_log;
} cli_axis;

// One point: what came of it, or why nothing could.
typedef struct cli_point {
    double value[2];      // of each axis
    lab_results *results; // where a law is asked for
    lab_series *series;
    char *refused;
} cli_point;

typedef struct cli_sweep_found {
    unsigned axes;
    cli_axis axis[2];
    cli_point point[CLI_SWEEP_MOST]; // the second axis runs faster
    unsigned points;                 // driven or refused
    unsigned asked, trials;
    unsigned leg; // from 0
    cmo_figure figure;
    char *head; // robot, mat, route
} cli_sweep_found;

void cli_print_sweep(const cli_sweep_found *s);
bool cli_draw_sweep(const cli_sweep_found *s, const char *path, GError **error);

#endif
