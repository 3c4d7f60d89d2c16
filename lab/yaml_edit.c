// SPDX-License-Identifier: GPL-3.0-or-later
#include "yaml_edit.h"

#include "legs.h"
#include "sections.h"

#include <stdlib.h>
#include <string.h>

// One change of the text: bytes from..to become `text`.
typedef struct edit {
    size_t from, to;
    char *text;
} edit;

// libyaml counts characters, and not the mark at the beginning; the text is bytes.
size_t labi_edit_byte(const labi_editor *e, yaml_mark_t mark) {
    const char *first = e->bytes + (g_str_has_prefix(e->bytes, "\xef\xbb\xbf") ? 3 : 0);
    return (size_t)(g_utf8_offset_to_pointer(first, (glong)mark.index) - e->bytes);
}

void labi_edit_put(labi_editor *e, size_t from, size_t to, char *text) {
    edit one = {from, to, text};
    g_array_append_val(e->edits, one);
}

// A block's own end may lie below blank lines and comments; its last scalar's does not.
const yaml_node_t *labi_edit_last(labi_editor *e, const yaml_node_t *node) {
    for (;;) {
        int last;
        if (node->type == YAML_MAPPING_NODE &&
            node->data.mapping.style != YAML_FLOW_MAPPING_STYLE) {
            last = (node->data.mapping.pairs.top - 1)->value;
        } else if (node->type == YAML_SEQUENCE_NODE &&
                   node->data.sequence.style != YAML_FLOW_SEQUENCE_STYLE &&
                   node->data.sequence.items.top > node->data.sequence.items.start) {
            last = *(node->data.sequence.items.top - 1);
        } else {
            return node;
        }
        node = yaml_document_get_node(&e->reader.document, last);
    }
}

// Puts `text` as a further entry into a mapping: before the brace of {...}, or on a line of its own
// below its last entry.
void labi_edit_entry(labi_editor *e, const yaml_node_t *mapping, const char *text) {
    const yaml_node_pair_t *first = mapping->data.mapping.pairs.start;
    const yaml_node_pair_t *top = mapping->data.mapping.pairs.top;
    if (mapping->data.mapping.style == YAML_FLOW_MAPPING_STYLE) {
        size_t at = labi_edit_byte(e, mapping->end_mark) - 1;
        labi_edit_put(e, at, at, g_strdup_printf("%s%s", first < top ? ", " : "", text));
        return;
    }
    const yaml_node_t *key = yaml_document_get_node(&e->reader.document, first->key);
    const yaml_node_t *last = labi_edit_last(e, mapping);
    size_t at = labi_edit_byte(e, last->end_mark);
    const char *line_end = strchr(e->bytes + at, '\n');
    at = line_end != NULL ? (size_t)(line_end - e->bytes) : strlen(e->bytes);
    at -= at > 0 && e->bytes[at - 1] == '\r';
    labi_edit_put(e, at, at, g_strdup_printf("\n%*s%s", (int)key->start_mark.column, "", text));
}

void labi_edit_set(labi_editor *e, yaml_node_t *mapping, const char *name, const char *value) {
    const yaml_node_t *node = labi_yaml_find(&e->reader, mapping, name);
    if (node != NULL) {
        labi_edit_put(e, labi_edit_byte(e, node->start_mark), labi_edit_byte(e, node->end_mark),
                      g_strdup(value));
    } else {
        char *entry = g_strdup_printf("%s: %s", name, value);
        labi_edit_entry(e, mapping, entry);
        g_free(entry);
    }
}

static int by_place(const void *a, const void *b) {
    size_t first = ((const edit *)a)->from;
    size_t second = ((const edit *)b)->from;
    return (first > second) - (first < second);
}

char *labi_edit_apply(labi_editor *e) {
    GString *text = g_string_new(NULL);
    size_t at = 0;
    g_array_sort(e->edits, by_place);
    for (guint i = 0; i < e->edits->len; i++) {
        edit *one = &g_array_index(e->edits, edit, i);
        g_string_append_len(text, e->bytes + at, (gssize)(one->from - at));
        char **lines = g_strsplit(one->text, "\n", -1); // lines end as the file's others do
        char *joined = g_strjoinv(strstr(e->bytes, "\r\n") != NULL ? "\r\n" : "\n", lines);
        g_string_append(text, joined);
        g_free(joined);
        g_strfreev(lines);
        at = one->to;
    }
    g_string_append(text, e->bytes + at);
    return g_string_free(text, FALSE);
}

bool labi_edit_open(labi_editor *e, const char *name, const char *bytes, size_t size,
                    GError **error) {
    *e = (labi_editor){.bytes = bytes};
    if (!labi_yaml_open(&e->reader, name, bytes, size, error)) {
        return false;
    }
    if (!g_utf8_validate(bytes, (gssize)size, NULL)) {
        labi_yaml_close(&e->reader);
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s: not a text in UTF-8", name);
        return false;
    }
    e->edits = g_array_new(FALSE, FALSE, sizeof(edit));
    return true;
}

void labi_edit_close(labi_editor *e) {
    for (guint i = 0; i < e->edits->len; i++) {
        g_free(g_array_index(e->edits, edit, i).text);
    }
    g_array_free(e->edits, TRUE);
    labi_yaml_close(&e->reader);
}

// ------------------------------------------------------------------------------ one value --

static yaml_node_t *entry_of(labi_editor *e, const yaml_node_t *list, unsigned long number) {
    yaml_node_item_t *start = list->data.sequence.items.start;
    bool there = list->type == YAML_SEQUENCE_NODE && number >= 1 &&
                 number <= (unsigned long)(list->data.sequence.items.top - start);
    return there ? yaml_document_get_node(&e->reader.document, start[number - 1]) : NULL;
}

// One step of a field: "name", or "name[2]" into a list, from 1.
static yaml_node_t *step_into(labi_editor *e, const yaml_node_t *node, const char *step) {
    char *name = g_strdup(step);
    char *bracket = strchr(name, '[');
    char *end = NULL;
    unsigned long number = 0;
    if (bracket != NULL) {
        number = strtoul(bracket + 1, &end, 10);
        *bracket = '\0';
    }
    yaml_node_t *into = labi_yaml_find(&e->reader, node, name);
    if (into != NULL && bracket != NULL) {
        into = strcmp(end, "]") == 0 ? entry_of(e, into, number) : NULL;
    }
    g_free(name);
    return into;
}

// Puts what is missing of a field into a mapping: "grip: 0.3", or a section more of it,
// "spread: {grip: 0.3}".
static bool put_missing(labi_editor *e, yaml_node_t *node, char **steps, const char *text) {
    char *value = g_strdup(text);
    bool good = node->type == YAML_MAPPING_NODE;
    for (guint i = g_strv_length(steps) - 1; i > 0 && good; i--) {
        char *more = g_strdup_printf("{%s: %s}", steps[i], value);
        g_free(value);
        value = more;
        good = labi_is_name(steps[i]);
    }
    good = good && labi_is_name(steps[0]);
    if (good) {
        labi_edit_set(e, node, steps[0], value);
    }
    g_free(value);
    return good;
}

static bool change_field(labi_editor *e, char **steps, const char *text) {
    yaml_node_t *node = labi_yaml_root(&e->reader);
    for (; *steps != NULL; steps++) {
        yaml_node_t *into = step_into(e, node, *steps);
        if (into == NULL) {
            return put_missing(e, node, steps, text);
        }
        node = into;
    }
    if (node->type != YAML_SCALAR_NODE) {
        return false;
    }
    labi_edit_put(e, labi_edit_byte(e, node->start_mark), labi_edit_byte(e, node->end_mark),
                  g_strdup(text));
    return true;
}

// The text with one number or word changed: a field as messages write it, "legs[1].turn.angle_deg".
// NULL: there is no such place.
static char *changed_text(const char *name, const char *bytes, size_t size, const char *field,
                          const lab_change *change, GError **error) {
    labi_editor e;
    if (!labi_edit_open(&e, name, bytes, size, error)) {
        return NULL;
    }
    char number[G_ASCII_DTOSTR_BUF_SIZE];
    g_ascii_formatd(number, sizeof number, "%.9g", change->value);
    char **steps = g_strsplit(field, ".", -1);
    char *changed = NULL;
    if (steps[0] != NULL && change_field(&e, steps, change->word != NULL ? change->word : number)) {
        changed = labi_edit_apply(&e);
    } else {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                    "%s: there is no number '%s'; a field is written as in messages, as in "
                    "legs[1].stop_on_line.cruise_mm_s",
                    name, field);
    }
    g_strfreev(steps);
    labi_edit_close(&e);
    return changed;
}

#define OF_ROBOT "robot."

bool labi_read_changed(const char *path, const char *what, const lab_change *change, bool of_robot,
                       char **bytes, size_t *size, GError **error) {
    if (!labi_read_file(path, what, LAB_YAML_MAX, bytes, size, error)) {
        return false;
    }
    for (; change != NULL && *bytes != NULL; change = change->next) {
        if (g_str_has_prefix(change->field, OF_ROBOT) != of_robot) {
            continue;
        }
        const char *field = change->field + (of_robot ? strlen(OF_ROBOT) : 0);
        char *text = changed_text(path, *bytes, *size, field, change, error);
        g_free(*bytes);
        *bytes = text;
        *size = text != NULL ? strlen(text) : 0;
    }
    return *bytes != NULL;
}
