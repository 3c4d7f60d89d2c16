// SPDX-License-Identifier: GPL-3.0-or-later
#include "yaml_reader.h"

#include <math.h>
#include <string.h>

GQuark lab_error_quark(void) {
    return g_quark_from_static_string("cammino-lab-error-quark");
}

int yaml_reader_line(const yaml_node_t *node) {
    return (int)node->start_mark.line + 1;
}

bool yaml_reader_wrong(const yaml_reader *reader, const yaml_node_t *node, const char *field,
                       const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    g_set_error(reader->error, LAB_ERROR, LAB_ERROR_WRONG, "%s:%d: %s%s%s", reader->file,
                yaml_reader_line(node), field, *field != '\0' ? ": " : "", text);
    g_free(text);
    return false;
}

// ------------------------------------------------------------------------------------- parse --

// Deeper than any key of ours. The parser takes ever longer the deeper it gets.
#define DEEPEST 20U

// Goes through the events once, and says what is not to be loaded.
static bool check_events(const char *file, const char *bytes, size_t size, GError **error) {
    yaml_parser_t parser;
    if (!yaml_parser_initialize(&parser)) {
        g_error("out of memory");
    }
    yaml_parser_set_input_string(&parser, (const unsigned char *)bytes, size);
    unsigned depth = 0;
    unsigned documents = 0;
    bool good = true;
    for (bool goes_on = true; goes_on && good;) {
        yaml_event_t event;
        if (!yaml_parser_parse(&parser, &event)) {
            break; // loading it says what is wrong
        }
        yaml_event_type_t type = event.type;
        bool opens = type == YAML_SEQUENCE_START_EVENT || type == YAML_MAPPING_START_EVENT;
        bool closes = type == YAML_SEQUENCE_END_EVENT || type == YAML_MAPPING_END_EVENT;
        depth += opens;
        depth -= closes;
        documents += type == YAML_DOCUMENT_START_EVENT;
        goes_on = type != YAML_STREAM_END_EVENT;
        const char *wrong = depth > DEEPEST ? "nested too deeply; 20 at most"
                            : documents > 1 ? "a second document begins here; a file holds one"
                                            : NULL;
        if (wrong != NULL) {
            g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s:%d: %s", file,
                        (int)event.start_mark.line + 1, wrong);
            good = false;
        }
        yaml_event_delete(&event);
    }
    yaml_parser_delete(&parser);
    return good;
}

bool yaml_reader_open(yaml_reader *reader, const char *file, const char *bytes, size_t size,
                      GError **error) {
    *reader = (yaml_reader){.file = file, .error = error};
    if (!check_events(file, bytes, size, error)) {
        return false;
    }
    yaml_parser_t parser;
    if (!yaml_parser_initialize(&parser)) {
        g_error("out of memory");
    }
    yaml_parser_set_input_string(&parser, (const unsigned char *)bytes, size);
    bool good = yaml_parser_load(&parser, &reader->document);
    if (!good) {
        size_t line =
            parser.problem_mark.line != 0 ? parser.problem_mark.line : parser.context_mark.line;
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s:%d: not sound YAML: %s", file,
                    (int)line + 1, parser.problem != NULL ? parser.problem : "cannot be parsed");
    }
    yaml_parser_delete(&parser);
    if (good && yaml_document_get_root_node(&reader->document) == NULL) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s:1: the file is empty", file);
        yaml_document_delete(&reader->document);
        good = false;
    }
    return good;
}

void yaml_reader_close(yaml_reader *reader) {
    yaml_document_delete(&reader->document);
}

yaml_node_t *yaml_reader_root(yaml_reader *reader) {
    return yaml_document_get_root_node(&reader->document);
}

// NULL: it is no scalar, or one that holds a NUL, and would be taken for a shorter one.
static const char *text_of(const yaml_node_t *node) {
    if (node->type != YAML_SCALAR_NODE) {
        return NULL;
    }
    const char *text = (const char *)node->data.scalar.value;
    return strlen(text) == node->data.scalar.length ? text : NULL;
}

yaml_node_t *yaml_reader_find(yaml_reader *reader, const yaml_node_t *mapping, const char *name) {
    if (mapping->type != YAML_MAPPING_NODE) {
        return NULL;
    }
    for (yaml_node_pair_t *pair = mapping->data.mapping.pairs.start;
         pair < mapping->data.mapping.pairs.top; pair++) {
        const char *key = text_of(yaml_document_get_node(&reader->document, pair->key));
        if (key != NULL && strcmp(key, name) == 0) {
            return yaml_document_get_node(&reader->document, pair->value);
        }
    }
    return NULL;
}

// ------------------------------------------------------------------------------------ values --

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
    double value;
    if (!parse_number(text, &value)) {
        return yaml_reader_wrong(reader, node, path, "%s%s%s is not a number; %.10g to %.10g%s%s",
                                 text ? "'" : "", text ? text : "this", text ? "'" : "", key->low,
                                 key->high, *key->unit ? " " : "", key->unit);
    }
    if (key->type == LAB_WHOLE && value != floor(value)) {
        return yaml_reader_wrong(reader, node, path, "%s is not a whole number; %.10g to %.10g",
                                 text, key->low, key->high);
    }
    if (value < key->low || value > key->high) {
        return yaml_reader_wrong(reader, node, path, "%s is out of range; %.10g to %.10g%s%s", text,
                                 key->low, key->high, *key->unit ? " " : "", key->unit);
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
    yaml_reader_wrong(reader, node, path, "%s%s%s is not one of: %s", text ? "'" : "",
                      text ? text : "this", text ? "'" : "", choices);
    g_free(choices);
    return false;
}

static bool read_choices(yaml_reader *reader, const yaml_node_t *node, const char *path,
                         const lab_key *key, double *out) {
    unsigned bits = 0;
    if (node->type != YAML_SEQUENCE_NODE) {
        return yaml_reader_wrong(reader, node, path, "must be a list, as in [%s]", key->choices[0]);
    }
    for (yaml_node_item_t *item = node->data.sequence.items.start;
         item < node->data.sequence.items.top; item++) {
        unsigned choice;
        const yaml_node_t *entry = yaml_document_get_node(&reader->document, *item);
        if (!read_choice(reader, entry, path, key, text_of(entry), &choice)) {
            return false;
        }
        bits |= 1U << choice;
    }
    *out = bits;
    return true;
}

static bool read_flag(yaml_reader *reader, const yaml_node_t *node, const char *path,
                      const char *text, double *out) {
    bool yes = text != NULL && strcmp(text, "true") == 0;
    if (!yes && (text == NULL || strcmp(text, "false") != 0)) {
        return yaml_reader_wrong(reader, node, path, "must be true or false");
    }
    *out = yes ? 1.0 : 0.0;
    return true;
}

static bool read_text(yaml_reader *reader, const yaml_node_t *node, const char *path, char **out) {
    const char *text = text_of(node);
    if (text == NULL || *text == '\0') {
        return yaml_reader_wrong(reader, node, path, "must be a text");
    }
    char *line = lab_printable(text);
    bool plain = strcmp(line, text) == 0;
    g_free(line);
    if (!plain) {
        return yaml_reader_wrong(reader, node, path,
                                 "must be a text on one line, without control characters");
    }
    g_free(*out);
    *out = g_strdup(text);
    return true;
}

static bool read_list(yaml_reader *reader, const yaml_node_t *node, const char *path,
                      const lab_key *key, char *object) {
    if (node->type != YAML_SEQUENCE_NODE) {
        return yaml_reader_wrong(reader, node, path, "must be a list: each entry begins with '- '");
    }
    unsigned count = 0;
    bool good = true;
    for (yaml_node_item_t *item = node->data.sequence.items.start;
         good && item < node->data.sequence.items.top; item++, count++) {
        yaml_node_t *entry = yaml_document_get_node(&reader->document, *item);
        char *entry_path = g_strdup_printf("%s[%u]", path, count + 1);
        if (count == key->most) {
            good = yaml_reader_wrong(reader, entry, entry_path, "too many; at most %zu", key->most);
        } else {
            char *at = object + key->offset + count * key->size;
            lab_section_clear(key->section, at);
            good = yaml_reader_section(reader, entry, entry_path, key->section, at);
        }
        g_free(entry_path);
    }
    *(unsigned *)(void *)(object + key->count_offset) = count;
    return good;
}

// ---------------------------------------------------------------------------------- sections --

void lab_section_clear(const lab_section *section, void *object) {
    for (const lab_key *key = section->keys; key->name != NULL; key++) {
        char *at = (char *)object + key->offset;
        if (key->type == LAB_TEXT) {
            *(char **)(void *)at = NULL;
        } else if (key->type < LAB_TEXT) {
            *(double *)(void *)at = NAN;
        } else if (key->type == LAB_SECTION) {
            lab_section_clear(key->section, at);
        } else if (key->size > 0) {
            *(unsigned *)(void *)((char *)object + key->count_offset) = 0;
        }
    }
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

// ------------------------------------------------------------------------------------- draws --

double yaml_reader_even(uint64_t seed, const char *path, const char *what) {
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
        return yaml_reader_wrong(reader, node, path, "has no range; name choices with 'or'");
    }
    if (!(low < high)) {
        return yaml_reader_wrong(reader, node, path, "a range goes upward: %s to %s", ends[1],
                                 ends[0]);
    }
    double share = yaml_reader_even(reader->seed, path, "within");
    *out = key->type == LAB_WHOLE ? floor(low + share * (high - low + 1.0))
                                  : low + share * (high - low);
    return true;
}

static bool read_phrase(yaml_reader *reader, const yaml_node_t *node, const char *path,
                        const lab_key *key, double *out) {
    const char *text = text_of(node);
    if (text == NULL) {
        return read_single(reader, node, path, key, text, out);
    }
    char **choices = g_strsplit(text, " or ", 0);
    unsigned count = g_strv_length(choices);
    unsigned drawn = (unsigned)(yaml_reader_even(reader->seed, path, "which") * count);
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

static bool read_value(yaml_reader *reader, const yaml_node_t *node, const char *path,
                       const lab_key *key, char *object) {
    char *at = object + key->offset;
    switch (key->type) {
    case LAB_NUMBER:
    case LAB_WHOLE:
    case LAB_FLAG:
    case LAB_CHOICE:
        return reader->draws
                   ? read_phrase(reader, node, path, key, (double *)(void *)at)
                   : read_single(reader, node, path, key, text_of(node), (double *)(void *)at);
    case LAB_CHOICES:
        return read_choices(reader, node, path, key, (double *)(void *)at);
    case LAB_TEXT:
        return read_text(reader, node, path, (char **)(void *)at);
    case LAB_SECTION:
        return yaml_reader_section(reader, node, path, key->section, at);
    case LAB_LIST: // one without objects is read by its owner
        return key->size == 0 || read_list(reader, node, path, key, object);
    }
    return false;
}

static bool unknown_key(yaml_reader *reader, const yaml_node_t *node, const char *path,
                        const lab_section *section) {
    GPtrArray *names = g_ptr_array_new();
    for (const lab_key *key = section->keys; key->name != NULL; key++) {
        g_ptr_array_add(names, (void *)(uintptr_t)key->name);
    }
    g_ptr_array_add(names, NULL);
    const char *const *known = (const char *const *)names->pdata;
    const char *nearest = lab_nearest(text_of(node), known);
    char *all = join_choices(known);
    yaml_reader_wrong(reader, node, path,
                      nearest ? "unknown key; did you mean %s?" : "unknown key; known are: %s",
                      nearest ? nearest : all);
    g_free(all);
    g_ptr_array_free(names, TRUE);
    return false;
}

static char *join_path(const char *path, const char *name) {
    return g_strdup_printf("%s%s%s", path, *path != '\0' ? "." : "", name);
}

static bool check_given(yaml_reader *reader, const yaml_node_t *node, const char *path,
                        const lab_section *section) {
    for (const lab_key *key = section->keys; key->name != NULL; key++) {
        if (strcmp(key->fallback, "must be given") == 0 &&
            yaml_reader_find(reader, node, key->name) == NULL) {
            char *field = join_path(path, key->name);
            yaml_reader_wrong(reader, node, field, "must be given: %s", key->meaning);
            g_free(field);
            return false;
        }
    }
    return true;
}

// Two pairs may share one value, by an alias: what counts is the key.
static bool stands_before(yaml_reader *reader, const yaml_node_t *mapping,
                          const yaml_node_pair_t *pair, const char *name) {
    for (const yaml_node_pair_t *at = mapping->data.mapping.pairs.start; at < pair; at++) {
        const char *key = text_of(yaml_document_get_node(&reader->document, at->key));
        if (key != NULL && strcmp(key, name) == 0) {
            return true;
        }
    }
    return false;
}

bool yaml_reader_section(yaml_reader *reader, const yaml_node_t *node, const char *path,
                         const lab_section *section, void *object) {
    if (node->type != YAML_MAPPING_NODE) {
        return yaml_reader_wrong(reader, node, path, "must be keys with values, as in %s: ...",
                                 section->keys[0].name);
    }
    for (yaml_node_pair_t *pair = node->data.mapping.pairs.start;
         pair < node->data.mapping.pairs.top; pair++) {
        yaml_node_t *key_node = yaml_document_get_node(&reader->document, pair->key);
        yaml_node_t *value = yaml_document_get_node(&reader->document, pair->value);
        const char *name = text_of(key_node);
        if (name == NULL) {
            return yaml_reader_wrong(reader, key_node, path, "a key must be a word");
        }
        const lab_key *key = section->keys;
        while (key->name != NULL && strcmp(key->name, name) != 0) {
            key++;
        }
        char *field = join_path(path, name);
        bool good;
        if (key->name == NULL) {
            good = unknown_key(reader, key_node, field, section);
        } else if (stands_before(reader, node, pair, name)) {
            good = yaml_reader_wrong(reader, key_node, field, "given twice");
        } else {
            good = read_value(reader, value, field, key, object);
        }
        g_free(field);
        if (!good) {
            return false;
        }
    }
    return reader->part || check_given(reader, node, path, section);
}

bool yaml_reader_filled(const yaml_reader *reader, const yaml_node_t *node, const char *path,
                        const lab_section *section, const void *object) {
    for (const lab_key *key = section->keys; key->name != NULL; key++) {
        if (key->type < LAB_TEXT && strcmp(key->fallback, "must be given") == 0 &&
            isnan(*(const double *)(const void *)((const char *)object + key->offset))) {
            char *field = join_path(path, key->name);
            yaml_reader_wrong(reader, node, field, "must be given: %s", key->meaning);
            g_free(field);
            return false;
        }
    }
    return true;
}
