// SPDX-License-Identifier: GPL-3.0-or-later
// Members of a JSON document.
#ifndef LAB_JSON_H
#define LAB_JSON_H

#include <json-glib/json-glib.h>

void labi_json_text(JsonBuilder *builder, const char *name, const char *text);
void labi_json_whole(JsonBuilder *builder, const char *name, gint64 value);

#endif
