// SPDX-License-Identifier: GPL-3.0-or-later
// Results of a test's own making: a turn and a stop, with figures as it wants them.
#ifndef KEPT_H
#define KEPT_H

#include "calls.h"

#include <cammino_lab/results.h>

// Begins the text of results of so many trials; adds one, of which NAN is a figure that it has not;
// and writes it into the test's folder under that name.
GString *begin_kept(unsigned trials);
void add_kept(GString *text, unsigned seed, bool done, double rest_error_mm, double elapsed_ms);
void write_kept(GString *text, const char *name); // frees it

#endif
