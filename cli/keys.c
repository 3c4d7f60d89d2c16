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

static void print_figures(void) {
#define FIGURE_ROW(NAME, name, from, meaning) {#name, meaning},
    static const struct {
        const char *name, *meaning;
    } figures[] = {CMO_EACH_REPORT_FIGURE(FIGURE_ROW) CMO_EACH_OTHER_FIGURE(FIGURE_ROW)};
    fputs(markdown ? "| figure | what it is |\n|---|---|\n" : "figures\n", stdout);
    for (size_t i = 0; i < G_N_ELEMENTS(figures); i++) {
        if (markdown) {
            printf("| `%s` | %s |\n", figures[i].name, figures[i].meaning);
        } else {
            printf("  %-24s ", figures[i].name);
            print_wrapped(figures[i].meaning, 27, 70);
        }
    }
}

static void print_outcomes(void) {
    fputs(markdown ? "| outcome | what it means |\n|---|---|\n" : "outcomes\n", stdout);
    for (int i = CMO_OUTCOME_DONE; i < CMO_OUTCOMES; i++) {
        const char *name = cmo_outcome_name((cmo_outcome)i);
        const char *text = cmo_outcome_text((cmo_outcome)i);
        if (markdown) {
            printf("| `%s` | %s |\n", name, text);
        } else {
            printf("  %-24s ", name);
            print_wrapped(text, 27, 70);
        }
    }
}

// A section may stand for several places: "lights.left, lights.right".
static bool is_named(const lab_section *section, const char *name) {
    char **names = g_strsplit(section->name, ", ", -1);
    bool named =
        strcmp(section->name, name) == 0 || g_strv_contains((const char *const *)names, name);
    g_strfreev(names);
    return named;
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
    printf("  %-36s what the figures of a leg are\n", "figures");
    printf("  %-36s how a leg can end, and what to look at then\n", "outcomes");
}

static int run(int count, char **arguments) {
    if (count == 0 && markdown) {
        for (const lab_section *const *section = lab_sections(); *section != NULL; section++) {
            print_section(*section);
            putchar('\n');
        }
        print_figures();
        putchar('\n');
        print_outcomes();
        return CLI_DONE;
    }
    if (count == 0) {
        print_names();
        return CLI_DONE;
    }
    if (count > 1) {
        return cli_wrong("'%s': one name at a time", arguments[1]);
    }
    if (strcmp(arguments[0], "figures") == 0) {
        print_figures();
        return CLI_DONE;
    }
    if (strcmp(arguments[0], "outcomes") == 0) {
        print_outcomes();
        return CLI_DONE;
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
    g_ptr_array_add(names, (void *)(uintptr_t) "figures");
    g_ptr_array_add(names, (void *)(uintptr_t) "outcomes");
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
    "Say what keys robot and route files have, and what figures and outcomes mean",
    "Without a name it lists what has keys: the files, their sections, and every routine. With one "
    "it "
    "tells each key's range, unit and default, and what it means. The names figures and "
    "outcomes tell what those are.",
    "cammino keys stop_on_line\n    What a leg that stops on a line can be told.",
    options,
    run};
