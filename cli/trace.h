// SPDX-License-Identifier: GPL-3.0-or-later
// What a trace alone tells, as a table.
#ifndef CAMMINO_CLI_TRACE_H
#define CAMMINO_CLI_TRACE_H

#include "cli.h"

#include <cammino_lab/trace.h>

// What a file tells, of this robot if it is not NULL. NULL: what is wrong has been said.
lab_trace_told *cli_trace_told(const char *path, const char *robot);

// The status; what is wrong has been said.
int cli_tell_trace(const char *path, const char *robot, bool quiet);

#endif
