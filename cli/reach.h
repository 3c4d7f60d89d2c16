// SPDX-License-Identifier: GPL-3.0-or-later
// How far a number may go while limits are kept.
#ifndef CAMMINO_CLI_REACH_H
#define CAMMINO_CLI_REACH_H

#include <cammino_lab/reach.h>

// Finds and prints it; the status. `within` NAN: a hundredth of the range; `picture` NULL: none.
int cli_reach(lab_reach_asked asked, const char *limits_path, const char *picture, bool json,
              bool quiet);

#endif
