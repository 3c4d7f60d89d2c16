// SPDX-License-Identifier: GPL-3.0-or-later
// A stopping law, as text and as JSON.
#ifndef CAMMINO_CLI_LAW_H
#define CAMMINO_CLI_LAW_H

#include "cli.h"

#include <cammino_lab/law.h>
#include <json-glib/json-glib.h>

// `known` false: there is none, and why. The leg counts from 0.
void cli_print_law(const lab_law *law, bool known, unsigned leg);

// As the member "law"; NULL: there is none.
void cli_add_law(JsonBuilder *builder, const lab_law *law);

#endif
