// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file keys.h
 * Every key of the robot and route files, in one table: type, unit, range, default, meaning. The
 * reader works from it, and docs/formats.md is checked against it.
 */
#ifndef CAMMINO_LAB_KEYS_H
#define CAMMINO_LAB_KEYS_H

#include <glib.h>
#include <stdbool.h>

G_BEGIN_DECLS

typedef enum lab_type {
    LAB_NUMBER,  /**< a double */
    LAB_WHOLE,   /**< a double without fraction */
    LAB_FLAG,    /**< true or false; a double, 1 or 0 */
    LAB_CHOICE,  /**< one of `choices`; a double, its number */
    LAB_CHOICES, /**< a list of `choices`; a double, one bit each */
    LAB_TEXT,    /**< a char pointer, allocated */
    LAB_NUMBERS, /**< a list of numbers, up to `most`; a lab_numbers */
    LAB_SECTION, /**< a mapping with keys of its own, in `section` */
    LAB_LIST     /**< a list of mappings, each read by `section` */
} lab_type;

#define LAB_NUMBERS_MOST 32
typedef struct lab_numbers {
    unsigned count;
    double value[LAB_NUMBERS_MOST];
} lab_numbers;

struct lab_section;

typedef struct lab_key {
    const char *name;
    lab_type type;
    size_t offset;        /**< of the field in the section's object */
    double low, high;     /**< range of numbers, in the key's unit */
    const char *unit;     /**< "" for none; NULL: as the name ends */
    const char *fallback; /**< the default, for people; "must be given" if there is none */
    const char *meaning;
    const char *const *choices; /**< ends with NULL */
    const struct lab_section
        *section;        /**< of LAB_SECTION and LAB_LIST; NULL: their owner reads it */
    size_t size;         /**< LAB_LIST: of one object; 0: its owner reads it */
    size_t most;         /**< LAB_LIST: how many at most */
    size_t count_offset; /**< LAB_LIST: of the unsigned that counts them */
} lab_key;

typedef struct lab_section {
    const char *name; /**< as in docs/formats.md */
    const char *meaning;
    const lab_key *keys; /**< ends with a key without name */
} lab_section;

/** All sections of both files, for the docs and their test; ends with NULL. */
const lab_section *const *lab_sections(void);

/** The unit of a key's value; "" for none. */
const char *lab_key_unit(const lab_key *key);

/** What it may be: "1 to 5000", "dark, light, void"... To be freed with g_free(). */
char *lab_key_range(const lab_key *key);

/** A section as docs/formats.md has it: heading, meaning and a table. To be freed with g_free(). */
char *lab_section_markdown(const lab_section *section);

/** The one of `names` (to a NULL) that what was typed is nearest to; NULL: none is near. */
const char *lab_nearest(const char *typed, const char *const *names);

G_END_DECLS

#endif
