// SPDX-License-Identifier: GPL-3.0-or-later
// Numbers that have names, and what is reckoned from them.
#include "yaml_reader.h"

#include "yaml_values.h"

#include <math.h>
#include <string.h>

// Deeper parentheses than anybody writes.
#define DEEPEST 20

typedef struct sum {
    GScanner *scanner;
    GHashTable *numbers;
    char *wrong; // NULL: nothing yet
    int depth;
} sum;

static double fail(sum *s, char *why) {
    if (s->wrong == NULL) {
        s->wrong = why;
    } else {
        g_free(why);
    }
    return NAN;
}

static double terms(sum *s);

static double named(sum *s, const char *name) {
    const double *value = g_hash_table_lookup(s->numbers, name);
    if (value != NULL) {
        return *value;
    }
    GPtrArray *names = g_ptr_array_new();
    GHashTableIter next;
    gpointer known;
    g_hash_table_iter_init(&next, s->numbers);
    while (g_hash_table_iter_next(&next, &known, NULL)) {
        g_ptr_array_add(names, known);
    }
    g_ptr_array_add(names, NULL);
    const char *nearest = lab_nearest(name, (const char *const *)names->pdata);
    char *why = nearest ? g_strdup_printf("no number is called %s; did you mean %s?", name, nearest)
                        : g_strdup_printf("no number is called %s", name);
    g_ptr_array_free(names, TRUE);
    return fail(s, why);
}

// A number, a name, a sum in parentheses, or one of these with a sign.
static double factor(sum *s) {
    GTokenType token = g_scanner_get_next_token(s->scanner);
    double value = NAN;
    if (token == G_TOKEN_FLOAT) {
        return s->scanner->value.v_float;
    }
    if (token == G_TOKEN_IDENTIFIER) {
        return named(s, s->scanner->value.v_identifier);
    }
    if (++s->depth > DEEPEST) {
        return fail(s, g_strdup("nested too deeply"));
    }
    if (token == (GTokenType)'-') {
        value = -factor(s);
    } else if (token == (GTokenType)'(') {
        value = terms(s);
        if (g_scanner_get_next_token(s->scanner) != (GTokenType)')') {
            fail(s, g_strdup("a ) is missing"));
        }
    } else {
        fail(s, g_strdup("a number, or the name of one, is missing"));
    }
    s->depth--;
    return value;
}

static double factors(sum *s) {
    double value = factor(s);
    for (;;) {
        GTokenType token = g_scanner_peek_next_token(s->scanner);
        if (s->wrong != NULL || (token != (GTokenType)'*' && token != (GTokenType)'/')) {
            return value;
        }
        g_scanner_get_next_token(s->scanner);
        double other = factor(s);
        value = token == (GTokenType)'*' ? value * other : value / other;
    }
}

static double terms(sum *s) {
    double value = factors(s);
    for (;;) {
        GTokenType token = g_scanner_peek_next_token(s->scanner);
        if (s->wrong != NULL || (token != (GTokenType)'+' && token != (GTokenType)'-')) {
            return value;
        }
        g_scanner_get_next_token(s->scanner);
        double other = factors(s);
        value = token == (GTokenType)'+' ? value + other : value - other;
    }
}

bool labi_reckon(const char *text, GHashTable *numbers, double *value, char **why) {
    static const GScannerConfig config = {
        .cset_skip_characters = (char *)(uintptr_t) " \t",
        .cset_identifier_first = (char *)(uintptr_t)G_CSET_a_2_z "_" G_CSET_A_2_Z,
        .cset_identifier_nth = (char *)(uintptr_t)G_CSET_a_2_z "_0123456789" G_CSET_A_2_Z,
        .cpair_comment_single = (char *)(uintptr_t) "",
        .case_sensitive = TRUE,
        .scan_identifier = TRUE,
        .scan_identifier_1char = TRUE,
        .scan_float = TRUE,
        .int_2_float = TRUE,
        .char_2_token = TRUE,
    };
    sum s = {.scanner = g_scanner_new(&config), .numbers = numbers};
    g_scanner_input_text(s.scanner, text, (guint)strlen(text));
    *value = terms(&s);
    if (s.wrong == NULL && g_scanner_get_next_token(s.scanner) != G_TOKEN_EOF) {
        fail(&s, g_strdup("+ - * / ( ) between numbers and their names would do"));
    }
    if (s.wrong == NULL && !isfinite(*value)) {
        fail(&s, g_strdup("it has no value"));
    }
    g_scanner_destroy(s.scanner);
    *why = s.wrong;
    return s.wrong == NULL;
}

bool labi_is_name(const char *text) {
    bool good = text != NULL && *text != '\0' && !g_ascii_isdigit(*text) && strlen(text) <= 40;
    for (const char *c = text; good && *c != '\0'; c++) {
        good = g_ascii_islower(*c) || g_ascii_isdigit(*c) || *c == '_';
    }
    return good;
}

bool labi_yaml_numbers(yaml_reader *reader, const yaml_node_t *node, const char *path) {
    static const lab_key any = {
        .name = "numbers", .type = LAB_NUMBER, .low = -1e9, .high = 1e9, .unit = ""};
    if (node->type != YAML_MAPPING_NODE) {
        return labi_yaml_wrong(reader, node, path, "must be names with numbers, as in cruise: 450");
    }
    GHashTable *own = g_hash_table_new(g_str_hash, g_str_equal);
    bool good = true;
    for (yaml_node_pair_t *pair = node->data.mapping.pairs.start;
         good && pair < node->data.mapping.pairs.top; pair++) {
        yaml_node_t *key = yaml_document_get_node(&reader->document, pair->key);
        yaml_node_t *value = yaml_document_get_node(&reader->document, pair->value);
        const char *name = labi_yaml_text(key);
        char *field = g_strdup_printf("%s.%s", path, name != NULL ? name : "?");
        double number;
        if (!labi_is_name(name)) {
            good = labi_yaml_wrong(reader, key, field,
                                   "a name has small letters, digits and _, and no digit first");
        } else if (!g_hash_table_add(own, (gpointer)(uintptr_t)name)) {
            good = labi_yaml_wrong(reader, key, field, "given twice");
        } else {
            good = labi_yaml_value_number(reader, value, field, &any, &number);
        }
        if (good && !g_hash_table_contains(reader->numbers, name)) {
            g_hash_table_insert(reader->numbers, g_strdup(name), g_memdup2(&number, sizeof number));
            lab_number stated = {g_strdup(name), g_strdup(labi_yaml_text(value)), number};
            g_array_append_val(reader->stated, stated);
        }
        g_free(field);
    }
    g_hash_table_destroy(own);
    return good;
}
