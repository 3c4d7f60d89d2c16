// SPDX-License-Identifier: GPL-3.0-or-later
// Verdicts as a picture.
#ifndef CAMMINO_CLI_JUDGE_CHART_H
#define CAMMINO_CLI_JUDGE_CHART_H

#include "cli.h"

#include <cammino_lab/limits.h>

// One verdict a limit.
bool cli_draw_verdicts(const lab_limits *limits, const lab_verdict *of, const char *head,
                       const char *path, GError **error);

#endif
