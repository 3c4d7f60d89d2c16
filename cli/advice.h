// SPDX-License-Identifier: GPL-3.0-or-later
// What would help most, tried on the trials of a series.
#ifndef CAMMINO_CLI_ADVICE_H
#define CAMMINO_CLI_ADVICE_H

#include "cli.h"

#include <cammino_lab/advice.h>

void cli_print_advice(const lab_advice *advice, const lab_results *results);

#endif
