// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file json.h
 * Members of a JSON document, and its end.
 */
#ifndef CAMMINO_LAB_JSON_H
#define CAMMINO_LAB_JSON_H

#include <json-glib/json-glib.h>
#include <stdbool.h>

G_BEGIN_DECLS

void lab_json_text(JsonBuilder *builder, const char *name, const char *text);
void lab_json_whole(JsonBuilder *builder, const char *name, gint64 value);
void lab_json_flag(JsonBuilder *builder, const char *name, bool value);

/** Rounded to so many decimals; null where it is not finite. */
void lab_json_number(JsonBuilder *builder, const char *name, double value, int decimals);

/** The document's text, on many lines or on one, each of its numbers as short as it can be; to be
 *  freed with g_free(). Takes the builder. */
char *lab_json_end(JsonBuilder *builder, bool lines);

G_END_DECLS

#endif
