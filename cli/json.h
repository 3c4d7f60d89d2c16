// SPDX-License-Identifier: GPL-3.0-or-later
// Members of a JSON document.
#ifndef CAMMINO_CLI_JSON_H
#define CAMMINO_CLI_JSON_H

#include <json-glib/json-glib.h>
#include <stdbool.h>

void cli_json_text(JsonBuilder *builder, const char *name, const char *text);
void cli_json_whole(JsonBuilder *builder, const char *name, gint64 value);
void cli_json_flag(JsonBuilder *builder, const char *name, bool value);

// Rounded to so many decimals; null where it is not finite.
void cli_json_number(JsonBuilder *builder, const char *name, double value, int decimals);

#endif
