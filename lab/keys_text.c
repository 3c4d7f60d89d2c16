// SPDX-License-Identifier: GPL-3.0-or-later
// Keys as text: what a table of them says.
#include <cammino_lab/keys.h>

#include <stdint.h>
#include <string.h>

const char *lab_key_unit(const lab_key *key) {
    static const struct {
        const char *suffix, *unit;
    } units[] = {
        {"_mm_s2", "mm/s2"}, {"_mm_s", "mm/s"}, {"_mm", "mm"}, {"_deg", "deg"}, {"_s", "s"}};
    for (size_t i = 0; key->unit == NULL && i < G_N_ELEMENTS(units); i++) {
        if (g_str_has_suffix(key->name, units[i].suffix)) {
            return units[i].unit;
        }
    }
    return key->unit != NULL ? key->unit : "";
}

char *lab_key_range(const lab_key *key) {
    static const char *const types[] = {[LAB_FLAG] = "true, false",
                                        [LAB_TEXT] = "text",
                                        [LAB_NUMBERS] = "list of numbers",
                                        [LAB_SECTION] = "keys",
                                        [LAB_LIST] = "list"};
    if (key->type == LAB_NUMBER || key->type == LAB_WHOLE) {
        return g_strdup_printf("%s%.10g to %.10g", key->type == LAB_WHOLE ? "whole, " : "",
                               key->low, key->high);
    }
    if (key->type == LAB_CHOICE || key->type == LAB_CHOICES) {
        char *choices = g_strjoinv(", ", (char **)(uintptr_t)key->choices);
        char *range = g_strdup_printf("%s%s", key->type == LAB_CHOICES ? "list of " : "", choices);
        g_free(choices);
        return range;
    }
    return g_strdup(types[key->type]);
}

char *lab_section_markdown(const lab_section *section) {
    GString *out = g_string_new(NULL);
    g_string_append_printf(out,
                           "### %s\n\n%s\n\n| key | unit | range | default | meaning |\n"
                           "|---|---|---|---|---|\n",
                           section->name, section->meaning);
    for (const lab_key *key = section->keys; key->name != NULL; key++) {
        char *range = lab_key_range(key);
        g_string_append_printf(out, "| `%s` | %s | %s | %s | %s |\n", key->name, lab_key_unit(key),
                               range, key->fallback, key->meaning);
        g_free(range);
    }
    return g_string_free(out, FALSE);
}
