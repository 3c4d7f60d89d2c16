// SPDX-License-Identifier: GPL-3.0-or-later
// Lines to be counted by the demo robot.
#ifndef COUNT_RUNS_H
#define COUNT_RUNS_H

#include "leg_runs.h"

// Lines across a plain mat, by where they begin. And what is laid over them.
void write_lines(const double *line_mm, unsigned lines, double width_mm, const char *over);

// The same, 24 mm wide.
void write_mat(const double *line_mm, unsigned lines, const char *over);

// Drives one leg of the demo robot.
JsonObject *drive(const char *leg, double heading_deg, int status, unsigned seed);

JsonArray *lines_of(JsonObject *leg);

#define COUNT(more) "count_lines: {cruise_mm_s: 300, least_width_mm: 15" more "}"

#define EVEN 8
extern const double even_mm[EVEN];

#endif
