// SPDX-License-Identifier: GPL-3.0-or-later
// What would help most, tried on the trials of a series.
#ifndef CAMMINO_CLI_ADVICE_H
#define CAMMINO_CLI_ADVICE_H

#include "trials.h"

#include <cammino_lab/advice.h>

// Tries changes of a route that was driven so, and prints what helps most. `limits` that were asked
// for, of which so many are kept as it is; NULL: none.
void cli_give_advice(const lab_route *route, const cli_trials_call *call,
                     const lab_results *results, const lab_limits *limits, unsigned kept,
                     bool quiet);

#endif
