// SPDX-License-Identifier: GPL-3.0-or-later
// What the parts of the live view share.
#ifndef CLI_LIVE_H
#define CLI_LIVE_H

#include "cli.h"

#define NCURSES_WIDECHAR 1
#include <curses.h>

enum { PAINT_PLAIN, PAINT_GOOD, PAINT_BAD, PAINT_LINE, PAINT_VOID, PAINT_ROBOT, PAINT_BAR };

// Where the legs stand, from this line down and this wide; the line after LIVE_LEGS_LAST says how
// the run goes.
#define LIVE_LEGS_TOP     15
#define LIVE_LEGS_LAST    21
#define LIVE_LEGS_COLUMNS 39

// The legs that are over by now, and the one that runs: its round, what may end it, what follows.
void cli_live_legs(const lab_route *route, const lab_run *run, const lab_row *row, double now_s);

#endif
