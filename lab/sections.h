// SPDX-License-Identifier: GPL-3.0-or-later
// How tables of keys are written.
#ifndef LAB_SECTIONS_H
#define LAB_SECTIONS_H

#include <cammino_lab/files.h>
#include <cammino_lab/keys.h>

#include <stddef.h>

#define KEY_MUST "must be given"
#define KEY(object, field, key, least, most, unit, fallback, meaning)                              \
    {                                                                                              \
        key, LAB_NUMBER, offsetof(object, field), least, most, unit, fallback, meaning, NULL,      \
            NULL, 0, 0, 0                                                                          \
    }
#define KEY_WHOLE(object, field, key, least, most, unit, fallback, meaning)                        \
    {                                                                                              \
        key, LAB_WHOLE, offsetof(object, field), least, most, unit, fallback, meaning, NULL, NULL, \
            0, 0, 0                                                                                \
    }
#define KEY_FLAG(object, field, key, fallback, meaning)                                            \
    { key, LAB_FLAG, offsetof(object, field), 0, 1, "", fallback, meaning, NULL, NULL, 0, 0, 0 }
#define KEY_CHOICE(object, field, key, choices, fallback, meaning)                                 \
    {                                                                                              \
        key, LAB_CHOICE, offsetof(object, field), 0, 0, "", fallback, meaning, choices, NULL, 0,   \
            0, 0                                                                                   \
    }
#define KEY_CHOICES(object, field, key, choices, fallback, meaning)                                \
    {                                                                                              \
        key, LAB_CHOICES, offsetof(object, field), 0, 0, "", fallback, meaning, choices, NULL, 0,  \
            0, 0                                                                                   \
    }
#define KEY_TEXT(object, field, key, fallback, meaning)                                            \
    { key, LAB_TEXT, offsetof(object, field), 0, 0, "", fallback, meaning, NULL, NULL, 0, 0, 0 }
#define KEY_SECTION(object, field, key, section, fallback, meaning)                                \
    {                                                                                              \
        key, LAB_SECTION, offsetof(object, field), 0, 0, "", fallback, meaning, NULL, section, 0,  \
            0, 0                                                                                   \
    }
#define KEY_LIST(object, field, key, section, entry, most, count, fallback, meaning)               \
    {                                                                                              \
        key, LAB_LIST, offsetof(object, field), 0, 0, "", fallback, meaning, NULL, section,        \
            sizeof(entry), most, offsetof(object, count)                                           \
    }
#define KEY_END                                                                                    \
    { NULL, LAB_NUMBER, 0, 0, 0, NULL, NULL, NULL, NULL, NULL, 0, 0, 0 }

extern const lab_section *const labi_robot_sections[];
extern const lab_section *const labi_fleet_sections[];
extern const lab_section *const labi_route_sections[];
extern const lab_section *const labi_limits_sections[];

// Reads a text file of at most so many bytes; `what` names it in messages.
#define LAB_YAML_MAX ((size_t)1 << 20)
bool labi_read_file(const char *path, const char *what, size_t most, char **bytes, size_t *size,
                    GError **error);

#endif
