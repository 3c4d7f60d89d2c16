// SPDX-License-Identifier: GPL-3.0-or-later
// The keys of robot and route files, and the figures, from the tables that the readers work from.
#include "cli.h"

#include <cammino_lab/keys.h>
#include <string.h>

static gboolean markdown;

static const GOptionEntry options[] = {
    {"markdown", 0, 0, G_OPTION_ARG_NONE, &markdown, "Print tables in Markdown", NULL},
    {NULL, 0, 0, 0, NULL, NULL, NULL}};

// Breaks a text into lines of so many characters, and prints all but the first behind a margin.
static void print_wrapped(const char *text, int margin, int width) {
    char **words = g_strsplit(text, " ", -1);
    int at = 0;
    for (char **word = words; *word != NULL; word++) {
        int length = (int)g_utf8_strlen(*word, -1);
        if (at > 0 && at + 1 + length > width) {
            printf("\n%*s", margin, "");
            at = 0;
        }
        printf("%s%s", at > 0 ? " " : "", *word);
        at += length + (at > 0);
    }
    putchar('\n');
    g_strfreev(words);
}

static void print_section(const lab_section *section) {
    if (markdown) {
        char *text = lab_section_markdown(section);
        fputs(text, stdout);
        g_free(text);
        return;
    }
    printf("%s\n  ", section->name);
    print_wrapped(section->meaning, 2, 90);
    for (const lab_key *key = section->keys; key->name != NULL; key++) {
        char *range = lab_key_range(key);
        const char *unit = lab_key_unit(key);
        printf("\n  %-20s %s%s%s", key->name, range, *unit != '\0' ? " " : "", unit);
        if (strcmp(key->fallback, "must be given") == 0) {
            printf("; must be given");
        } else if (*key->fallback != '\0') {
            printf("; default: %s", key->fallback);
        }
        printf("\n%*s", 23, "");
        print_wrapped(key->meaning, 23, 72);
        g_free(range);
    }
}

typedef struct named {
    const char *name, *meaning;
} named;

static void print_named(const char *heading, const char *column, const named *rows, size_t count) {
    if (markdown) {
        printf("| %.*s | %s |\n|---|---|\n", (int)strlen(heading) - 1, heading, column);
    } else {
        printf("%s\n", heading);
    }
    for (size_t i = 0; i < count; i++) {
        if (markdown) {
            printf("| `%s` | %s |\n", rows[i].name, rows[i].meaning);
        } else {
            printf("  %-24s ", rows[i].name);
            print_wrapped(rows[i].meaning, 27, 70);
        }
    }
}

#define FIGURE_ROW(NAME, name, from, meaning) {#name, meaning},
static const named figures[] = {CMO_EACH_REPORT_FIGURE(FIGURE_ROW)
                                    CMO_EACH_OTHER_FIGURE(FIGURE_ROW)};
#define NAMED_ROW(NAME, name, meaning) {#name, meaning},
static const named outcomes[] = {CMO_EACH_OUTCOME(NAMED_ROW)};
static const named stages[] = {CMO_EACH_STAGE(NAMED_ROW)};

static const struct {
    const char *name, *column, *about;
    const named *rows;
    size_t count;
} lists[] = {
    {"figures", "what it is", "what the figures of a leg are", figures, G_N_ELEMENTS(figures)},
    {"outcomes", "what it means", "how a leg can end, and what to look at then", outcomes,
     G_N_ELEMENTS(outcomes)},
    {"stages", "what the routine does then", "what a routine can be at, in a trace", stages,
     G_N_ELEMENTS(stages)}};

// A section may stand for several places: "lights.left, lights.right".
static bool is_named(const lab_section *section, const char *name) {
    char **names = g_strsplit(section->name, ", ", -1);
    bool found =
        strcmp(section->name, name) == 0 || g_strv_contains((const char *const *)names, name);
    g_strfreev(names);
    return found;
}

static void print_names(void) {
    puts("Say whose keys, as in cammino keys stop_on_line:\n");
    for (const lab_section *const *section = lab_sections(); *section != NULL; section++) {
        bool is_long = strlen((*section)->name) > 36;
        printf("  %-36s ", (*section)->name);
        if (is_long) {
            printf("\n%39s", "");
        }
        print_wrapped((*section)->meaning, 39, 60);
    }
    for (size_t i = 0; i < G_N_ELEMENTS(lists); i++) {
        printf("  %-36s %s\n", lists[i].name, lists[i].about);
    }
}

static int run(int count, char **arguments) {
    if (count == 0 && markdown) {
        for (const lab_section *const *section = lab_sections(); *section != NULL; section++) {
            print_section(*section);
            putchar('\n');
        }
        for (size_t i = 0; i < G_N_ELEMENTS(lists); i++) {
            print_named(lists[i].name, lists[i].column, lists[i].rows, lists[i].count);
            putchar('\n');
        }
        return CLI_DONE;
    }
    if (count == 0) {
        print_names();
        return CLI_DONE;
    }
    if (count > 1) {
        return cli_wrong("'%s': one name at a time", arguments[1]);
    }
    GPtrArray *names = g_ptr_array_new();
    for (const lab_section *const *section = lab_sections(); *section != NULL; section++) {
        if (is_named(*section, arguments[0])) {
            g_ptr_array_free(names, TRUE);
            print_section(*section);
            return CLI_DONE;
        }
        g_ptr_array_add(names, (void *)(uintptr_t)(*section)->name);
    }
    for (size_t i = 0; i < G_N_ELEMENTS(lists); i++) {
        if (strcmp(lists[i].name, arguments[0]) == 0) {
            g_ptr_array_free(names, TRUE);
            print_named(lists[i].name, lists[i].column, lists[i].rows, lists[i].count);
            return CLI_DONE;
        }
        g_ptr_array_add(names, (void *)(uintptr_t)lists[i].name);
    }
    g_ptr_array_add(names, NULL);
    const char *nearest = lab_nearest(arguments[0], (const char *const *)names->pdata);
    g_ptr_array_free(names, TRUE);
    return nearest != NULL
               ? cli_wrong("'%s' has no keys; did you mean %s?", arguments[0], nearest)
               : cli_wrong("'%s' has no keys; cammino keys lists what has", arguments[0]);
}

const cli_command cli_keys = {
    "keys",
    "[NAME]",
    "Say what keys robot and route files have, and what figures, outcomes and stages are",
    "Without a name it lists what has keys: the files, their sections, and every routine. With one "
    "it "
    "tells each key's range, unit and default, and what it means. The names figures, outcomes "
    "and stages tell what those are.",
    "cammino keys stop_on_line\n    What a leg that stops on a line can be told.",
    options,
    run};
