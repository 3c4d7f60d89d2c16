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
    // Names of numbers, to a double each: then numbers may be reckoned. Or NULL; so may the others.
    GHashTable *numbers;
    GArray *stated;       // of lab_number: they as they were stated
    GHashTable *reckoned; // of a field's path, what was reckoned there
    bool tries;           // ...or each of its ends is read in turn, and the last one stays
} yaml_reader;

// Parses the whole text. The reader must be closed if this is true.
bool labi_yaml_open(yaml_reader *reader, const char *file, const char *bytes, size_t size,
                    GError **error);
void labi_yaml_close(yaml_reader *reader);

yaml_node_t *labi_yaml_root(yaml_reader *reader);

// Reads all keys of a mapping into `object`. `path` is the section's own field name, "" for the
// root. Numbers must have been set to NAN before: what stays NAN was not given.
bool labi_yaml_section(yaml_reader *reader, const yaml_node_t *node, const char *path,
                       const lab_section *section, void *object);

// The value of a key in a mapping; NULL: not there.
yaml_node_t *labi_yaml_find(yaml_reader *reader, const yaml_node_t *mapping, const char *name);

// NULL: it is no scalar, or one that holds a NUL, and would be taken for a shorter one.
const char *labi_yaml_text(const yaml_node_t *node);

int labi_yaml_line(const yaml_node_t *node);

// Sets the error: FILE:LINE: FIELD: text. Returns false.
bool labi_yaml_wrong(const yaml_reader *reader, const yaml_node_t *node, const char *field,
                     const char *format, ...) G_GNUC_PRINTF(4, 5);

// An even draw from 0 to below 1 that hangs on the seed and the field alone.
double labi_yaml_even(uint64_t seed, const char *path, const char *what);

// False, and the error at `node`, where a number that must be given is NAN.
bool labi_yaml_filled(const yaml_reader *reader, const yaml_node_t *node, const char *path,
                      const lab_section *section, const void *object);

// What is reckoned with + - * / and parentheses from numbers and names of them. False: `why` says
// what is wrong, to be freed with g_free().
bool labi_reckon(const char *text, GHashTable *numbers, double *value, char **why);

// Reads a mapping of names to numbers into the reader's. A name that is there already stays.
bool labi_yaml_numbers(yaml_reader *reader, const yaml_node_t *node, const char *path);

// Whether a text may be a name: small letters, digits and _, no digit first.
bool labi_is_name(const char *text);

// Sets all numbers of a section's object to NAN, and texts to NULL.
void labi_section_clear(const lab_section *section, void *object);

// Frees its texts.
void labi_section_release(const lab_section *section, void *object);

#endif
