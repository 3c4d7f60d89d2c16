// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/json.h>

#include <math.h>
#include <string.h>

void lab_json_text(JsonBuilder *builder, const char *name, const char *text) {
    json_builder_set_member_name(builder, name);
    json_builder_add_string_value(builder, text);
}

void lab_json_whole(JsonBuilder *builder, const char *name, gint64 value) {
    json_builder_set_member_name(builder, name);
    json_builder_add_int_value(builder, value);
}

void lab_json_flag(JsonBuilder *builder, const char *name, bool value) {
    json_builder_set_member_name(builder, name);
    json_builder_add_boolean_value(builder, value);
}

void lab_json_number(JsonBuilder *builder, const char *name, double value, int decimals) {
    double unit = pow(10.0, decimals);
    json_builder_set_member_name(builder, name);
    if (isfinite(value)) {
        json_builder_add_double_value(builder, rint(value * unit) / unit);
    } else {
        json_builder_add_null_value(builder);
    }
}

// A number as short as it can be and still be the same.
static void put_shortest(GString *out, const char *number) {
    double value = g_ascii_strtod(number, NULL);
    char text[G_ASCII_DTOSTR_BUF_SIZE];
    for (unsigned digits = 15; digits <= 17; digits++) {
        char format[8];
        g_snprintf(format, sizeof format, "%%.%ug", digits);
        g_ascii_formatd(text, sizeof text, format, value);
        if (g_ascii_strtod(text, NULL) == value) {
            break;
        }
    }
    g_string_append(out, text);
    if (strpbrk(text, ".eE") == NULL) { // json-glib keeps real numbers apart from whole ones
        g_string_append(out, ".0");
    }
}

// Takes the text.
static char *tidy(char *text) {
    GString *out = g_string_new(NULL);
    bool quoted = false;
    for (const char *at = text; *at != '\0';) {
        size_t digits = quoted ? 0 : strspn(at, "+-.0123456789eE");
        char *number = g_strndup(at, digits);
        if (digits > 0 && strpbrk(number, ".eE") != NULL && strpbrk(number, "0123456789") != NULL) {
            put_shortest(out, number);
            at += digits;
        } else if (quoted && *at == '\\') {
            g_string_append_len(out, at, 2);
            at += 2;
        } else {
            quoted = quoted != (*at == '"');
            g_string_append_c(out, *at++);
        }
        g_free(number);
    }
    g_free(text);
    return g_string_free(out, FALSE);
}

char *lab_json_end(JsonBuilder *builder, bool lines) {
    JsonNode *root = json_builder_get_root(builder);
    char *text = tidy(json_to_string(root, lines));
    json_node_unref(root);
    g_object_unref(builder);
    return text;
}
