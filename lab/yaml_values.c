// SPDX-License-Identifier: GPL-3.0-or-later
#include "yaml_values.h"

#include <math.h>
#include <string.h>

// Levenshtein's distance, of short words.
static unsigned word_distance(const char *a, const char *b) {
    enum { LONGEST = 40 };
    size_t length = strlen(b);
    unsigned row[LONGEST + 1];
    if (strlen(a) > LONGEST || length > LONGEST) {
        return LONGEST;
    }
    for (unsigned j = 0; j <= length; j++) {
        row[j] = j;
    }
    for (unsigned i = 1; a[i - 1] != '\0'; i++) {
        unsigned corner = row[0];
        row[0] = i;
        for (unsigned j = 1; j <= length; j++) {
            unsigned change = corner + (a[i - 1] != b[j - 1]);
            corner = row[j];
            row[j] = MIN(change, MIN(row[j], row[j - 1]) + 1);
        }
    }
    return row[length];
}

const char *lab_nearest(const char *typed, const char *const *names) {
    const char *best = NULL;
    unsigned least = (unsigned)strlen(typed) / 2 + 1;
    for (; *names != NULL; names++) {
        unsigned distance = word_distance(typed, *names);
        // A key without its unit, or with another one, is the usual slip.
        if (g_str_has_prefix(*names, typed) && strlen(typed) >= 3) {
            distance = MIN(distance, 1);
        }
        if (distance < least) {
            least = distance;
            best = *names;
        }
    }
    return best;
}

static char *join_choices(const char *const *choices) {
    return g_strjoinv(", ", (char **)(uintptr_t)choices);
}

static bool parse_number(const char *text, double *value) {
    if (text == NULL || *text == '\0' || g_ascii_isspace(*text)) {
        return false;
    }
    char *end;
    *value = g_ascii_strtod(text, &end);
    // Hexadecimal, "nan" and "inf" are numbers to C, not to a robot.
    return *end == '\0' && isfinite(*value) && strpbrk(text, "xXnN") == NULL;
}

static bool read_number(yaml_reader *reader, const yaml_node_t *node, const char *path,
                        const lab_key *key, const char *text, double *out) {
    const char *unit = lab_key_unit(key);
    double value;
    char *why = NULL;
    bool plain = parse_number(text, &value);
    bool reckons = !plain && text != NULL && reader->numbers != NULL;
    if (!plain && !(reckons && labi_reckon(text, reader->numbers, &value, &why))) {
        labi_yaml_wrong(reader, node, path, "%s%s%s is not a number%s%s; %.10g to %.10g%s%s",
                        text ? "'" : "", text ? text : "this", text ? "'" : "", why ? ": " : "",
                        why ? why : "", key->low, key->high, *unit ? " " : "", unit);
        g_free(why);
        return false;
    }
    if (key->type == LAB_WHOLE && value != floor(value)) {
        return labi_yaml_wrong(reader, node, path, "%s is not a whole number; %.10g to %.10g", text,
                               key->low, key->high);
    }
    if (value < key->low || value > key->high) {
        return labi_yaml_wrong(reader, node, path, "%s is out of range; %.10g to %.10g%s%s", text,
                               key->low, key->high, *unit ? " " : "", unit);
    }
    if (reckons && reader->reckoned != NULL) {
        g_hash_table_insert(reader->reckoned, g_strdup(path), g_strdup(text));
    }
    *out = value;
    return true;
}

static bool read_choice(yaml_reader *reader, const yaml_node_t *node, const char *path,
                        const lab_key *key, const char *text, unsigned *out) {
    for (unsigned i = 0; text != NULL && key->choices[i] != NULL; i++) {
        if (strcmp(text, key->choices[i]) == 0) {
            *out = i;
            return true;
        }
    }
    char *choices = join_choices(key->choices);
    labi_yaml_wrong(reader, node, path, "%s%s%s is not one of: %s", text ? "'" : "",
                    text ? text : "this", text ? "'" : "", choices);
    g_free(choices);
    return false;
}

static bool read_flag(yaml_reader *reader, const yaml_node_t *node, const char *path,
                      const char *text, double *out) {
    bool yes = text != NULL && strcmp(text, "true") == 0;
    if (!yes && (text == NULL || strcmp(text, "false") != 0)) {
        return labi_yaml_wrong(reader, node, path, "must be true or false");
    }
    *out = yes ? 1.0 : 0.0;
    return true;
}

// A number, a flag or a choice, from its text.
static bool read_single(yaml_reader *reader, const yaml_node_t *node, const char *path,
                        const lab_key *key, const char *text, double *out) {
    unsigned choice = 0;
    if (key->type == LAB_FLAG) {
        return read_flag(reader, node, path, text, out);
    }
    if (key->type != LAB_CHOICE) {
        return read_number(reader, node, path, key, text, out);
    }
    if (!read_choice(reader, node, path, key, text, &choice)) {
        return false;
    }
    *out = choice;
    return true;
}

static bool read_choices(yaml_reader *reader, const yaml_node_t *node, const char *path,
                         const lab_key *key, double *out) {
    unsigned bits = 0;
    if (node->type != YAML_SEQUENCE_NODE) {
        return labi_yaml_wrong(reader, node, path, "must be a list, as in [%s]", key->choices[0]);
    }
    for (yaml_node_item_t *item = node->data.sequence.items.start;
         item < node->data.sequence.items.top; item++) {
        unsigned choice;
        const yaml_node_t *entry = yaml_document_get_node(&reader->document, *item);
        if (!read_choice(reader, entry, path, key, labi_yaml_text(entry), &choice)) {
            return false;
        }
        bits |= 1U << choice;
    }
    *out = bits;
    return true;
}

bool labi_yaml_value_text(yaml_reader *reader, const yaml_node_t *node, const char *path,
                          char **out) {
    const char *text = labi_yaml_text(node);
    if (text == NULL || *text == '\0') {
        return labi_yaml_wrong(reader, node, path, "must be a text");
    }
    char *line = lab_printable(text);
    bool plain = strcmp(line, text) == 0;
    g_free(line);
    if (!plain) {
        return labi_yaml_wrong(reader, node, path,
                               "must be a text on one line, without control characters");
    }
    g_free(*out);
    *out = g_strdup(text);
    return true;
}

// ------------------------------------------------------------------------------------- draws --

double labi_yaml_even(uint64_t seed, const char *path, const char *what) {
    // FNV-1a over the names, then the finalizer of splitmix64: close seeds and names lie far apart.
    uint64_t hash = 0xCBF29CE484222325U ^ (seed * 0x9E3779B97F4A7C15U);
    const char *const words[2] = {path, what};
    for (int i = 0; i < 2; i++) {
        for (const char *c = words[i]; *c != '\0'; c++) {
            hash = (hash ^ (unsigned char)*c) * 0x100000001B3U;
        }
    }
    hash = (hash ^ (hash >> 30)) * 0xBF58476D1CE4E5B9U;
    hash = (hash ^ (hash >> 27)) * 0x94D049BB133111EBU;
    return (double)((hash ^ (hash >> 31)) >> 11) * 0x1p-53;
}

// "1 to 2": a number between, evenly.
static bool read_range(yaml_reader *reader, const yaml_node_t *node, const char *path,
                       const lab_key *key, char *const *ends, double *out) {
    double low, high;
    if (!read_single(reader, node, path, key, ends[0], &low) ||
        !read_single(reader, node, path, key, ends[1], &high)) {
        return false;
    }
    if (key->type != LAB_NUMBER && key->type != LAB_WHOLE) {
        return labi_yaml_wrong(reader, node, path, "has no range; name choices with 'or'");
    }
    if (!(low < high)) {
        return labi_yaml_wrong(reader, node, path, "a range goes upward: %s to %s", ends[1],
                               ends[0]);
    }
    double share = labi_yaml_even(reader->seed, path, "within");
    *out = key->type == LAB_WHOLE ? floor(low + share * (high - low + 1.0))
                                  : low + share * (high - low);
    return true;
}

static bool read_phrase(yaml_reader *reader, const yaml_node_t *node, const char *path,
                        const lab_key *key, double *out) {
    const char *text = labi_yaml_text(node);
    if (text == NULL) {
        return read_single(reader, node, path, key, text, out);
    }
    char **choices = g_strsplit(text, " or ", 0);
    unsigned count = g_strv_length(choices);
    unsigned drawn = (unsigned)(labi_yaml_even(reader->seed, path, "which") * count);
    bool good = true;
    for (unsigned i = 0; i < count && good; i++) {
        if (reader->tries || i == drawn) {
            char **ends = g_strsplit(g_strstrip(choices[i]), " to ", 2);
            good = g_strv_length(ends) == 2 ? read_range(reader, node, path, key, ends, out)
                                            : read_single(reader, node, path, key, choices[i], out);
            g_strfreev(ends);
        }
    }
    g_strfreev(choices);
    return good;
}

bool labi_yaml_value_number(yaml_reader *reader, const yaml_node_t *node, const char *path,
                            const lab_key *key, double *out) {
    if (key->type == LAB_CHOICES) {
        return read_choices(reader, node, path, key, out);
    }
    return reader->draws ? read_phrase(reader, node, path, key, out)
                         : read_single(reader, node, path, key, labi_yaml_text(node), out);
}

bool labi_yaml_value_numbers(yaml_reader *reader, const yaml_node_t *node, const char *path,
                             const lab_key *key, lab_numbers *out) {
    out->count = 0;
    if (node->type != YAML_SEQUENCE_NODE) {
        return labi_yaml_wrong(reader, node, path,
                               "must be a list of numbers, as in [0, 140, 300]");
    }
    bool good = true;
    for (yaml_node_item_t *item = node->data.sequence.items.start;
         good && item < node->data.sequence.items.top; item++) {
        const yaml_node_t *entry = yaml_document_get_node(&reader->document, *item);
        char *entry_path = g_strdup_printf("%s[%u]", path, out->count + 1);
        good = out->count < key->most
                   ? read_number(reader, entry, entry_path, key, labi_yaml_text(entry),
                                 &out->value[out->count])
                   : labi_yaml_wrong(reader, entry, entry_path, "too many; at most %zu", key->most);
        out->count += good ? 1U : 0U;
        g_free(entry_path);
    }
    return good;
}
