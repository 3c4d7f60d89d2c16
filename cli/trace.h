// SPDX-License-Identifier: GPL-3.0-or-later
// What a trace alone tells, as a table.
#ifndef CAMMINO_CLI_TRACE_H
#define CAMMINO_CLI_TRACE_H

#include "cli.h"

// The status; what is wrong has been said.
int cli_tell_trace(const char *path, bool quiet);

#endif
