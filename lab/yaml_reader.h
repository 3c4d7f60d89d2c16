// SPDX-License-Identifier: GPL-3.0-or-later
// Reads a mapping by a table of keys, with one line for whatever is wrong.
#ifndef LAB_YAML_READER_H
#define LAB_YAML_READER_H

#include <cammino_lab/files.h>
#include <cammino_lab/keys.h>
#include <yaml.h>

typedef struct yaml_reader {
    const char *file;
    yaml_document_t document;
    GError **error;
    bool part; // a mapping need not hold all that must be given
    // A value may be a phrase, "1 to 2 or 5": one is drawn, by this number and the field's path...
    bool draws;
    uint64_t seed;
    bool tries; // ...or each of its ends is read in turn, and the last one stays
} yaml_reader;

// Parses the whole text. The reader must be closed if this is true.
bool yaml_reader_open(yaml_reader *reader, const char *file, const char *bytes, size_t size,
                      GError **error);
void yaml_reader_close(yaml_reader *reader);

yaml_node_t *yaml_reader_root(yaml_reader *reader);

// Reads all keys of a mapping into `object`. `path` is the section's own field name, "" for the
// root. Numbers must have been set to NAN before: what stays NAN was not given.
bool yaml_reader_section(yaml_reader *reader, const yaml_node_t *node, const char *path,
                         const lab_section *section, void *object);

// The value of a key in a mapping; NULL: not there.
yaml_node_t *yaml_reader_find(yaml_reader *reader, const yaml_node_t *mapping, const char *name);

// NULL: it is no scalar, or one that holds a NUL, and would be taken for a shorter one.
const char *yaml_reader_text(const yaml_node_t *node);

int yaml_reader_line(const yaml_node_t *node);

// Sets the error: FILE:LINE: FIELD: text. Returns false.
bool yaml_reader_wrong(const yaml_reader *reader, const yaml_node_t *node, const char *field,
                       const char *format, ...) G_GNUC_PRINTF(4, 5);

// An even draw from 0 to below 1 that hangs on the seed and the field alone.
double yaml_reader_even(uint64_t seed, const char *path, const char *what);

// False, and the error at `node`, where a number that must be given is NAN.
bool yaml_reader_filled(const yaml_reader *reader, const yaml_node_t *node, const char *path,
                        const lab_section *section, const void *object);

// Sets all numbers of a section's object to NAN.
void lab_section_clear(const lab_section *section, void *object);

// The known name nearest to what was typed; NULL: none is near.
const char *lab_nearest(const char *typed, const char *const *names);

#endif
