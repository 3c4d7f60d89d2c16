// SPDX-License-Identifier: GPL-3.0-or-later
#include "yaml_reader.h"

#include "yaml_values.h"

#include <math.h>
#include <string.h>

GQuark lab_error_quark(void) {
    return g_quark_from_static_string("cammino-lab-error-quark");
}

int labi_yaml_line(const yaml_node_t *node) {
    return (int)node->start_mark.line + 1;
}

bool labi_yaml_wrong(const yaml_reader *reader, const yaml_node_t *node, const char *field,
                     const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    g_set_error(reader->error, LAB_ERROR, LAB_ERROR_WRONG, "%s:%d: %s%s%s", reader->file,
                labi_yaml_line(node), field, *field != '\0' ? ": " : "", text);
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

bool labi_yaml_open(yaml_reader *reader, const char *file, const char *bytes, size_t size,
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

void labi_yaml_close(yaml_reader *reader) {
    yaml_document_delete(&reader->document);
}

yaml_node_t *labi_yaml_root(yaml_reader *reader) {
    return yaml_document_get_root_node(&reader->document);
}

const char *labi_yaml_text(const yaml_node_t *node) {
    if (node->type != YAML_SCALAR_NODE) {
        return NULL;
    }
    const char *text = (const char *)node->data.scalar.value;
    return strlen(text) == node->data.scalar.length ? text : NULL;
}

yaml_node_t *labi_yaml_find(yaml_reader *reader, const yaml_node_t *mapping, const char *name) {
    if (mapping->type != YAML_MAPPING_NODE) {
        return NULL;
    }
    for (yaml_node_pair_t *pair = mapping->data.mapping.pairs.start;
         pair < mapping->data.mapping.pairs.top; pair++) {
        const char *key = labi_yaml_text(yaml_document_get_node(&reader->document, pair->key));
        if (key != NULL && strcmp(key, name) == 0) {
            return yaml_document_get_node(&reader->document, pair->value);
        }
    }
    return NULL;
}

// ---------------------------------------------------------------------------------- sections --

static bool read_list(yaml_reader *reader, const yaml_node_t *node, const char *path,
                      const lab_key *key, char *object) {
    if (node->type != YAML_SEQUENCE_NODE) {
        return labi_yaml_wrong(reader, node, path, "must be a list: each entry begins with '- '");
    }
    unsigned count = 0;
    bool good = true;
    for (yaml_node_item_t *item = node->data.sequence.items.start;
         good && item < node->data.sequence.items.top; item++, count++) {
        yaml_node_t *entry = yaml_document_get_node(&reader->document, *item);
        char *entry_path = g_strdup_printf("%s[%u]", path, count + 1);
        if (count == key->most) {
            good = labi_yaml_wrong(reader, entry, entry_path, "too many; at most %zu", key->most);
        } else {
            char *at = object + key->offset + count * key->size;
            labi_section_clear(key->section, at);
            good = labi_yaml_section(reader, entry, entry_path, key->section, at);
        }
        g_free(entry_path);
    }
    *(unsigned *)(void *)(object + key->count_offset) = (unsigned)MIN(count, key->most);
    return good;
}

void labi_section_clear(const lab_section *section, void *object) {
    for (const lab_key *key = section->keys; key->name != NULL; key++) {
        char *at = (char *)object + key->offset;
        if (key->type == LAB_TEXT) {
            *(char **)(void *)at = NULL;
        } else if (key->type == LAB_NUMBERS) {
            ((lab_numbers *)(void *)at)->count = 0;
        } else if (key->type < LAB_TEXT) {
            *(double *)(void *)at = NAN;
        } else if (key->type == LAB_SECTION && key->section != NULL) {
            labi_section_clear(key->section, at);
        } else if (key->type == LAB_LIST && key->size > 0) {
            *(unsigned *)(void *)((char *)object + key->count_offset) = 0;
        }
    }
}

void labi_section_release(const lab_section *section, void *object) {
    for (const lab_key *key = section->keys; key->name != NULL; key++) {
        char *at = (char *)object + key->offset;
        if (key->type == LAB_TEXT) {
            g_clear_pointer((char **)(void *)at, g_free);
        } else if (key->type == LAB_SECTION && key->section != NULL) {
            labi_section_release(key->section, at);
        } else if (key->type == LAB_LIST && key->size > 0) {
            unsigned count = *(unsigned *)(void *)((char *)object + key->count_offset);
            for (unsigned i = 0; i < count; i++) {
                labi_section_release(key->section, at + i * key->size);
            }
        }
    }
}

static bool read_value(yaml_reader *reader, const yaml_node_t *node, const char *path,
                       const lab_key *key, char *object) {
    char *at = object + key->offset;
    if (key->type == LAB_LIST) {
        return key->size == 0 || read_list(reader, node, path, key, object);
    }
    if (key->type == LAB_SECTION) {
        return key->section == NULL || labi_yaml_section(reader, node, path, key->section, at);
    }
    if (key->type == LAB_NUMBERS) {
        return labi_yaml_value_numbers(reader, node, path, key, (lab_numbers *)(void *)at);
    }
    return key->type == LAB_TEXT
               ? labi_yaml_value_text(reader, node, path, (char **)(void *)at)
               : labi_yaml_value_number(reader, node, path, key, (double *)(void *)at);
}

static bool unknown_key(yaml_reader *reader, const yaml_node_t *node, const char *path,
                        const lab_section *section) {
    GPtrArray *names = g_ptr_array_new();
    for (const lab_key *key = section->keys; key->name != NULL; key++) {
        g_ptr_array_add(names, (void *)(uintptr_t)key->name);
    }
    g_ptr_array_add(names, NULL);
    const char *const *known = (const char *const *)names->pdata;
    const char *nearest = lab_nearest(labi_yaml_text(node), known);
    char *all = g_strjoinv(", ", (char **)(uintptr_t)known);
    labi_yaml_wrong(reader, node, path,
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
            labi_yaml_find(reader, node, key->name) == NULL) {
            char *field = join_path(path, key->name);
            labi_yaml_wrong(reader, node, field, "must be given: %s", key->meaning);
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
        const char *key = labi_yaml_text(yaml_document_get_node(&reader->document, at->key));
        if (key != NULL && strcmp(key, name) == 0) {
            return true;
        }
    }
    return false;
}

bool labi_yaml_section(yaml_reader *reader, const yaml_node_t *node, const char *path,
                       const lab_section *section, void *object) {
    if (node->type != YAML_MAPPING_NODE) {
        return labi_yaml_wrong(reader, node, path, "must be keys with values, as in %s: ...",
                               section->keys[0].name);
    }
    for (yaml_node_pair_t *pair = node->data.mapping.pairs.start;
         pair < node->data.mapping.pairs.top; pair++) {
        yaml_node_t *key_node = yaml_document_get_node(&reader->document, pair->key);
        yaml_node_t *value = yaml_document_get_node(&reader->document, pair->value);
        const char *name = labi_yaml_text(key_node);
        if (name == NULL) {
            return labi_yaml_wrong(reader, key_node, path, "a key must be a word");
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
            good = labi_yaml_wrong(reader, key_node, field, "given twice");
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

bool labi_yaml_filled(const yaml_reader *reader, const yaml_node_t *node, const char *path,
                      const lab_section *section, const void *object) {
    for (const lab_key *key = section->keys; key->name != NULL; key++) {
        if (key->type < LAB_TEXT && strcmp(key->fallback, "must be given") == 0 &&
            isnan(*(const double *)(const void *)((const char *)object + key->offset))) {
            char *field = join_path(path, key->name);
            labi_yaml_wrong(reader, node, field, "must be given: %s", key->meaning);
            g_free(field);
            return false;
        }
    }
    return true;
}
