// SPDX-License-Identifier: GPL-3.0-or-later
// Changes of a YAML text that leave the rest of it alone: values are replaced where they stand, and
// what is missing is put where it belongs.
#ifndef LAB_YAML_EDIT_H
#define LAB_YAML_EDIT_H

#include "yaml_reader.h"

#include <cammino_lab/fleet.h>

typedef struct labi_editor {
    yaml_reader reader;
    const char *bytes;
    GArray *edits;
} labi_editor;

// Parses the text, which must last. The editor must be closed if this is true.
bool labi_edit_open(labi_editor *e, const char *name, const char *bytes, size_t size,
                    GError **error);
void labi_edit_close(labi_editor *e);

// Where a mark stands in the text; and the last scalar of a block, at whose end that ends.
size_t labi_edit_byte(const labi_editor *e, yaml_mark_t mark);
const yaml_node_t *labi_edit_last(labi_editor *e, const yaml_node_t *node);

// Bytes from..to are to become `text`, which is freed; an entry more in a mapping; the value of one
// of its keys, which may be missing.
void labi_edit_put(labi_editor *e, size_t from, size_t to, char *text);
void labi_edit_entry(labi_editor *e, const yaml_node_t *mapping, const char *text);
void labi_edit_set(labi_editor *e, yaml_node_t *mapping, const char *name, const char *value);

// The text with all of them; to be freed.
char *labi_edit_apply(labi_editor *e);

// Reads a file, with those of the changes that are of the robot, or those that are not. `what` it
// is, for messages.
bool labi_read_changed(const char *path, const char *what, const lab_change *change, bool of_robot,
                       char **bytes, size_t *size, GError **error);

// A robot or a fleet, with the changes that are of it.
bool labi_load_robot(const char *path, const lab_change *change, lab_robot **robot,
                     lab_fleet **fleet, GError **error);

#endif
