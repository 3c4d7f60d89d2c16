// SPDX-License-Identifier: GPL-3.0-or-later
#include "json.h"

void labi_json_text(JsonBuilder *builder, const char *name, const char *text) {
    json_builder_set_member_name(builder, name);
    json_builder_add_string_value(builder, text);
}

void labi_json_whole(JsonBuilder *builder, const char *name, gint64 value) {
    json_builder_set_member_name(builder, name);
    json_builder_add_int_value(builder, value);
}
