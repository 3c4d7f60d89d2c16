// SPDX-License-Identifier: GPL-3.0-or-later
// A series' errors as a picture.
#ifndef CAMMINO_CLI_SERIES_CHART_H
#define CAMMINO_CLI_SERIES_CHART_H

#include "cli.h"

#include <cammino_lab/series.h>

// What a leg is shown by: the figure that it is judged by, or what a move has come to.
cmo_figure cli_shown_by(const lab_series_leg *leg);

bool cli_draw_series(const lab_series *series, const char *head, const char *path, GError **error);

#endif
