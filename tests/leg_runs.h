// SPDX-License-Identifier: GPL-3.0-or-later
// Legs driven on a mat of the test's own, and what came of them.
#ifndef LEG_RUNS_H
#define LEG_RUNS_H

#include "calls.h"

#include <json-glib/json-glib.h>

// Makes the test's folder; and removes it, with all that was written into it.
void begin_runs(void);
void end_runs(void);

// A mat: m.svg; one of 2000 by 1200 mm of that colour, with shapes on it. And the demo robot as a
// file of that name, with a line of it changed wherever it stands.
void write_runs_mat(const char *svg);
void write_runs_floor(const char *floor, const char *shapes);
void write_runs_robot(const char *name, const char *line, const char *instead);

// The demo's colours; and bends of 250 mm, to the left and back.
#define DARK  "#2c3036"
#define FLOOR "#c9d2c6"
#define BENDS "h 300 a 250 250 0 0 0 250 -250 v -60 a 250 250 0 0 1 250 -250 h 300"

// Drives legs from (150, 400) on m.svg and gives the results of one of them, from 1; all done is
// status 0, else 1; -1 where either may be. NULL where the command is to refuse them with 2. The
// robot is one of the ferry's, or stands in the test's folder. The results last until the next
// drive.
JsonObject *drive_legs(const char *robot, const char *legs, double heading_deg, int status,
                       unsigned seed, unsigned leg);

const char *outcome_of(JsonObject *leg);

// Where the robot believes to stand, as against where it does, driven once more with those legs:
// "believes to stand 1.2 mm and..."; to be freed.
char *run_stands(unsigned seed);

// A figure in the column "robot" or "truth".
double figure_of(JsonObject *leg, const char *column, const char *name);

// A line of 20 mm whose left edge is under the right sensor at the start, or whose right edge is
// under the left one: so far to the left of where that is. It goes straight on, then along `rest`.
void write_edge_line(bool left, double off_mm, const char *rest);

// Drives the demo robot along it.
JsonObject *follow_edge(const char *parameters, double heading_deg, int status, unsigned seed);

#endif
