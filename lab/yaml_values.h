// SPDX-License-Identifier: GPL-3.0-or-later
// A key's value from its text: numbers, choices, flags and texts, and draws among them.
#ifndef LAB_YAML_VALUES_H
#define LAB_YAML_VALUES_H

#include "yaml_reader.h"

// A number, a flag, a choice or several.
bool labi_yaml_value_number(yaml_reader *reader, const yaml_node_t *node, const char *path,
                            const lab_key *key, double *out);

// A list of numbers within the key's range.
bool labi_yaml_value_numbers(yaml_reader *reader, const yaml_node_t *node, const char *path,
                             const lab_key *key, lab_numbers *out);

// A text on one line.
bool labi_yaml_value_text(yaml_reader *reader, const yaml_node_t *node, const char *path,
                          char **out);

#endif
