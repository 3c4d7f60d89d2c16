// SPDX-License-Identifier: GPL-3.0-or-later
// What the libraries are made of: the names that they export, and that nothing in core goes round
// in a circle.
#include "calls.h"

#include <string.h>

// The names that a library of the build defines for the linker.
static char **exported(const char *library) {
    char *line = g_strdup_printf("sh -c 'nm -g --defined-only %s/lib%s.a | sed -n "
                                 "\"s/^[0-9a-f]* [A-Z] //p\" | grep -v ^__ | sort -u'",
                                 LIBRARIES, library);
    ck_assert_int_eq(call(line), 0);
    g_free(line);
    return g_strsplit(g_strchomp(out), "\n", -1);
}

static char *headers(const char *folder_of_them) {
    char *line =
        g_strdup_printf("sh -c 'cat $(find %s/%s -name \"*.h\")'", SOURCE_DIR, folder_of_them);
    ck_assert_int_eq(call(line), 0);
    g_free(line);
    return g_strdup(out);
}

START_TEST(a_library_exports_what_its_headers_declare_and_private_names) {
    static const struct {
        const char *library, *headers, *public, *private;
    } libraries[] = {
        {"cammino", "include/cammino", "cmo_", "cmi_"},
        {"cammino_simulator", "ports/simulator/include", "cmo_sim_", "cmi_sim_"},
        {"cammino_lab", "lab/include", "lab_", "labi_"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(libraries); i++) {
        char **names = exported(libraries[i].library);
        char *declared = headers(libraries[i].headers);
        ck_assert_uint_gt(g_strv_length(names), 20);
        for (char **name = names; *name != NULL; name++) {
            // cmo_robot_start's name for the linker spells the build's options out.
            char *word = g_str_has_prefix(*name, "cmo_robot_start_lights")
                             ? g_strdup("cmo_robot_start")
                             : g_strdup(*name);
            char *called = g_strdup_printf("\\b%s\\b", word);
            bool is_public = g_str_has_prefix(word, libraries[i].public) &&
                             g_regex_match_simple(called, declared, 0, 0);
            ck_assert_msg(is_public || g_str_has_prefix(word, libraries[i].private),
                          "lib%s.a exports %s", libraries[i].library, *name);
            g_free(called);
            g_free(word);
        }
        g_free(declared);
        g_strfreev(names);
    }
}
END_TEST

// One file needs another: an edge of a graph.
typedef struct graph {
    GHashTable *needs; // of a name, to the GHashTable of the names that it needs
} graph;

static GHashTable *needs_of(graph *g, const char *name) {
    GHashTable *needs = g_hash_table_lookup(g->needs, name);
    if (needs == NULL) {
        needs = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
        g_hash_table_insert(g->needs, g_strdup(name), needs);
    }
    return needs;
}

static graph new_graph(void) {
    return (graph){
        g_hash_table_new_full(g_str_hash, g_str_equal, g_free, (GDestroyNotify)g_hash_table_unref)};
}

static void reach(graph *g, const char *from, GHashTable *reached) {
    GHashTableIter next;
    gpointer name;
    g_hash_table_iter_init(&next, needs_of(g, from));
    while (g_hash_table_iter_next(&next, &name, NULL)) {
        if (g_hash_table_add(reached, g_strdup(name))) {
            reach(g, name, reached);
        }
    }
}

static bool reaches(graph *g, const char *from, const char *to) {
    GHashTable *reached = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    reach(g, from, reached);
    bool found = g_hash_table_contains(reached, to);
    g_hash_table_unref(reached);
    return found;
}

static void assert_no_circle(graph *g) {
    GList *names = g_hash_table_get_keys(g->needs);
    GList *copied = g_list_copy_deep(names, (GCopyFunc)(void (*)(void))g_strdup, NULL);
    for (GList *name = copied; name != NULL; name = name->next) {
        ck_assert_msg(!reaches(g, name->data, name->data), "%s needs itself, round about",
                      (char *)name->data);
    }
    g_list_free_full(copied, g_free);
    g_list_free(names);
}

// Which object of core needs which other one for its functions.
static graph objects_of_core(void) {
    char *line = g_strdup_printf("nm -A %s/libcammino.a", LIBRARIES);
    ck_assert_int_eq(call(line), 0);
    g_free(line);
    GHashTable *home = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    graph g = new_graph();
    GRegex *row = g_regex_new("^[^\\n]*:(\\w+)\\.c\\.o:[0-9a-f ]* ([TRDBU]) (\\w+)$",
                              G_REGEX_MULTILINE, 0, NULL);
    for (int round = 0; round < 2; round++) { // first where each name is defined, then who needs it
        GMatchInfo *match;
        g_regex_match(row, out, 0, &match);
        for (; g_match_info_matches(match); g_match_info_next(match, NULL)) {
            char *object = g_match_info_fetch(match, 1);
            char *kind = g_match_info_fetch(match, 2);
            char *name = g_match_info_fetch(match, 3);
            const char *at = g_hash_table_lookup(home, name);
            if (round == 0 && *kind != 'U') {
                g_hash_table_insert(home, g_strdup(name), g_strdup(object));
            } else if (round == 1 && *kind == 'U' && at != NULL && strcmp(at, object) != 0) {
                g_hash_table_add(needs_of(&g, object), g_strdup(at));
            }
            g_free(object);
            g_free(kind);
            g_free(name);
        }
        g_match_info_free(match);
    }
    g_regex_unref(row);
    ck_assert_uint_gt(g_hash_table_size(home), 100);
    g_hash_table_unref(home);
    return g;
}

START_TEST(no_object_of_core_needs_itself_round_about) {
    graph g = objects_of_core();
    assert_no_circle(&g);
    g_hash_table_unref(g.needs);
}
END_TEST

START_TEST(a_drive_until_a_line_links_nothing_of_the_rest) {
    graph g = objects_of_core();
    ck_assert(reaches(&g, "drive_until_line", "line_search"));
    ck_assert(reaches(&g, "stop_on_line", "line_rest"));
    ck_assert(!reaches(&g, "drive_until_line", "line_rest"));
    ck_assert(!reaches(&g, "drive_until_line", "line_again"));
    ck_assert(!reaches(&g, "drive_until_line", "stop_on_line"));
    ck_assert(!reaches(&g, "drive_until_line", "route"));
    ck_assert(!reaches(&g, "drive_until_line", "ends"));
    // Nor does a route: its legs name what it needs.
    ck_assert(!reaches(&g, "route", "line_search"));
    ck_assert(!reaches(&g, "route", "stay_inside"));
    ck_assert(!reaches(&g, "route", "advance"));
    g_hash_table_unref(g.needs);
}
END_TEST

START_TEST(rooms_of_core_include_only_what_stands_before_them) {
    call("sh -c 'cd " SOURCE_DIR "/core && grep -HoE \"^#include .\\.\\./[a-z]+\" */*.[ch]'");
    graph g = new_graph();
    GRegex *row = g_regex_new("^(\\w+)/[^:]*:#include .\\.\\./(\\w+)$", G_REGEX_MULTILINE, 0, NULL);
    GMatchInfo *match;
    g_regex_match(row, out, 0, &match);
    for (; g_match_info_matches(match); g_match_info_next(match, NULL)) {
        char *room = g_match_info_fetch(match, 1);
        g_hash_table_add(needs_of(&g, room), g_match_info_fetch(match, 2));
        g_free(room);
    }
    g_match_info_free(match);
    g_regex_unref(row);
    ck_assert(reaches(&g, "lines", "tick"));
    ck_assert(!reaches(&g, "boundary", "lines"));
    ck_assert(!reaches(&g, "measuring", "lines"));
    ck_assert(!reaches(&g, "lines", "boundary"));
    ck_assert(reaches(&g, "route", "tick"));
    ck_assert(!reaches(&g, "route", "boundary"));
    assert_no_circle(&g);
    g_hash_table_unref(g.needs);
}
END_TEST

// What a routine may write is its report; all else it asks for by functions.
START_TEST(routines_change_nothing_of_the_robot_by_hand) {
    call("sh -c 'cd " SOURCE_DIR
         "/core && grep -nE \"robot->[][a-z_0-9.]+ *([-+|&]?=[^=]|[+-]{2})\" "
         "moves/*.c lines/*.c boundary/*.c measuring/*.c route/*.c | grep -v \"robot->report\"'");
    ck_assert_msg(*out == '\0', "%s", out);
}
END_TEST

int main(void) {
    make_folder();
    const TTest *const tests[] = {a_library_exports_what_its_headers_declare_and_private_names,
                                  no_object_of_core_needs_itself_round_about,
                                  a_drive_until_a_line_links_nothing_of_the_rest,
                                  rooms_of_core_include_only_what_stands_before_them,
                                  routines_change_nothing_of_the_robot_by_hand,
                                  NULL};
    int status = run_suite("structure", tests);
    remove_folder();
    return status;
}
