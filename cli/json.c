// SPDX-License-Identifier: GPL-3.0-or-later
#include "json.h"

#include <math.h>

void cli_json_text(JsonBuilder *builder, const char *name, const char *text) {
    json_builder_set_member_name(builder, name);
    json_builder_add_string_value(builder, text);
}

void cli_json_whole(JsonBuilder *builder, const char *name, gint64 value) {
    json_builder_set_member_name(builder, name);
    json_builder_add_int_value(builder, value);
}

void cli_json_flag(JsonBuilder *builder, const char *name, bool value) {
    json_builder_set_member_name(builder, name);
    json_builder_add_boolean_value(builder, value);
}

void cli_json_number(JsonBuilder *builder, const char *name, double value, int decimals) {
    double unit = pow(10.0, decimals);
    json_builder_set_member_name(builder, name);
    if (isfinite(value)) {
        json_builder_add_double_value(builder, rint(value * unit) / unit);
    } else {
        json_builder_add_null_value(builder);
    }
}
