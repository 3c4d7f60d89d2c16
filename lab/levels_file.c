// SPDX-License-Identifier: GPL-3.0-or-later
// Writes levels into a robot file and leaves the rest of its text alone: values are replaced where
// they stand, and what is missing is put where it belongs.
#include "sections.h"
#include "yaml_reader.h"

#include <string.h>

// One change of the text: bytes from..to become `text`.
typedef struct edit {
    size_t from, to;
    char *text;
} edit;

typedef struct editor {
    yaml_reader reader;
    const char *bytes;
    GArray *edits;
} editor;

// libyaml counts characters, the text is bytes.
static size_t byte_at(const editor *e, yaml_mark_t mark) {
    return (size_t)(g_utf8_offset_to_pointer(e->bytes, (glong)mark.index) - e->bytes);
}

static void add_edit(editor *e, size_t from, size_t to, char *text) {
    edit one = {from, to, text};
    g_array_append_val(e->edits, one);
}

// Puts `text` as a further entry into a mapping: before the brace of {...}, or on a line of its own
// below its last entry.
static void add_entry(editor *e, const yaml_node_t *mapping, const char *text) {
    const yaml_node_pair_t *first = mapping->data.mapping.pairs.start;
    const yaml_node_pair_t *top = mapping->data.mapping.pairs.top;
    if (mapping->data.mapping.style == YAML_FLOW_MAPPING_STYLE) {
        size_t at = byte_at(e, mapping->end_mark) - 1;
        add_edit(e, at, at, g_strdup_printf("%s%s", first < top ? ", " : "", text));
        return;
    }
    const yaml_node_t *key = yaml_document_get_node(&e->reader.document, first->key);
    const yaml_node_t *last = yaml_document_get_node(&e->reader.document, (top - 1)->value);
    // A block's own end may lie below blank lines and comments; its last scalar's does not.
    while (last->type == YAML_MAPPING_NODE && last->data.mapping.style != YAML_FLOW_MAPPING_STYLE) {
        last =
            yaml_document_get_node(&e->reader.document, (last->data.mapping.pairs.top - 1)->value);
    }
    size_t at = byte_at(e, last->end_mark);
    const char *line_end = strchr(e->bytes + at, '\n');
    at = line_end != NULL ? (size_t)(line_end - e->bytes) : strlen(e->bytes);
    add_edit(e, at, at, g_strdup_printf("\n%*s%s", (int)key->start_mark.column, "", text));
}

static void set_number(editor *e, yaml_node_t *mapping, const char *name, unsigned value) {
    const yaml_node_t *node = yaml_reader_find(&e->reader, mapping, name);
    if (node != NULL) {
        add_edit(e, byte_at(e, node->start_mark), byte_at(e, node->end_mark),
                 g_strdup_printf("%u", value));
    } else {
        char *entry = g_strdup_printf("%s: %u", name, value);
        add_entry(e, mapping, entry);
        g_free(entry);
    }
}

static bool edit_light(editor *e, const char *side, const cmo_levels *levels) {
    yaml_node_t *root = yaml_reader_root(&e->reader);
    yaml_node_t *lights = yaml_reader_find(&e->reader, root, "lights");
    yaml_node_t *light = lights != NULL ? yaml_reader_find(&e->reader, lights, side) : NULL;
    if (light == NULL) {
        return yaml_reader_wrong(&e->reader, root, "lights", "there is no sensor %s to write to",
                                 side);
    }
    yaml_node_t *node = yaml_reader_find(&e->reader, light, "levels");
    if (node == NULL) {
        char *entry = g_strdup_printf("levels: {dark: %u, light: %u, noise: %u}", levels->dark,
                                      levels->light, levels->noise);
        add_entry(e, light, entry);
        g_free(entry);
        return true;
    }
    set_number(e, node, "dark", levels->dark);
    set_number(e, node, "light", levels->light);
    set_number(e, node, "noise", levels->noise);
    return true;
}

static int by_place(const void *a, const void *b) {
    size_t first = ((const edit *)a)->from;
    size_t second = ((const edit *)b)->from;
    return (first > second) - (first < second);
}

static char *apply_edits(editor *e) {
    GString *text = g_string_new(NULL);
    size_t at = 0;
    g_array_sort(e->edits, by_place);
    for (guint i = 0; i < e->edits->len; i++) {
        edit *one = &g_array_index(e->edits, edit, i);
        g_string_append_len(text, e->bytes + at, (gssize)(one->from - at));
        g_string_append(text, one->text);
        at = one->to;
    }
    g_string_append(text, e->bytes + at);
    return g_string_free(text, FALSE);
}

char *lab_robot_edit_levels(const char *name, const char *bytes, size_t size,
                            const cmo_levels *levels, unsigned lights, GError **error) {
    static const char *const sides[2] = {"left", "right"};
    // What is wrong in the file is said before anything is changed in it.
    lab_robot *before = lab_robot_from_bytes(name, bytes, size, error);
    if (before == NULL) {
        return NULL;
    }
    lab_robot_free(before);
    editor e = {.bytes = bytes};
    if (!g_utf8_validate(bytes, (gssize)size, NULL) ||
        !yaml_reader_open(&e.reader, name, bytes, size, error)) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s: not a text in UTF-8", name);
        return NULL;
    }
    e.edits = g_array_new(FALSE, FALSE, sizeof(edit));
    char *text = NULL;
    bool good = true;
    for (unsigned i = 0; i < lights && i < 2 && good; i++) {
        good = edit_light(&e, sides[i], &levels[i]);
    }
    if (good) {
        text = apply_edits(&e);
        // The changed text must be a robot file too.
        lab_robot *after = lab_robot_from_bytes(name, text, strlen(text), error);
        if (after == NULL) {
            g_clear_pointer(&text, g_free);
        }
        lab_robot_free(after);
    }
    for (guint i = 0; i < e.edits->len; i++) {
        g_free(g_array_index(e.edits, edit, i).text);
    }
    g_array_free(e.edits, TRUE);
    yaml_reader_close(&e.reader);
    return text;
}

bool lab_robot_write_levels(const char *path, const cmo_levels *levels, unsigned lights,
                            GError **error) {
    char *bytes;
    size_t size;
    if (!lab_read_file(path, "robot file", LAB_YAML_MAX, &bytes, &size, error)) {
        return false;
    }
    char *text = lab_robot_edit_levels(path, bytes, size, levels, lights, error);
    GError *cause = NULL;
    bool good = text != NULL;
    if (good && !g_file_set_contents(path, text, -1, &cause)) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_FILE, "%s: cannot be written: %s", path,
                    cause->message);
        g_clear_error(&cause);
        good = false;
    }
    g_free(text);
    g_free(bytes);
    return good;
}
