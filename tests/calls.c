// SPDX-License-Identifier: GPL-3.0-or-later
#include "calls.h"

#include <glib/gstdio.h>
#include <string.h>
#include <sys/wait.h>

char *out, *err, *folder;

void make_folder(void) {
    folder = g_dir_make_tmp("cammino-XXXXXX", NULL);
}

void remove_folder(void) {
    GDir *files = g_dir_open(folder, 0, NULL);
    for (const char *name; (name = g_dir_read_name(files)) != NULL;) {
        char *file = in_folder(name);
        g_unlink(file);
        g_free(file);
    }
    g_dir_close(files);
    g_rmdir(folder);
    g_clear_pointer(&folder, g_free);
}

char *in_folder(const char *name) {
    return g_build_filename(folder, name, NULL);
}

void write_file(const char *name, const char *text) {
    char *path = in_folder(name);
    ck_assert(g_file_set_contents(path, text, -1, NULL));
    g_free(path);
}

void write_limits(const char *entries) {
    char *text = g_strdup_printf("limits:\n%s", entries);
    write_file("limits.yaml", text);
    g_free(text);
}

void check_picture_says(const char *name, const char *const *words) {
    char *path = in_folder(name);
    char *text;
    ck_assert_msg(g_file_get_contents(path, &text, NULL, NULL), "%s", name);
    for (; *words != NULL; words++) {
        ck_assert_msg(strstr(text, *words) != NULL, "%s: %s", name, *words);
    }
    g_free(text);
    g_free(path);
}

int call(const char *line) {
    g_free(out);
    g_free(err);
    char **parts = g_strsplit(line, "%s", -1);
    char *whole = g_strjoinv(folder, parts);
    char **arguments;
    int status;
    ck_assert(g_shell_parse_argv(whole, NULL, &arguments, NULL));
    ck_assert(g_spawn_sync(SOURCE_DIR, arguments, NULL, G_SPAWN_SEARCH_PATH, NULL, NULL, &out, &err,
                           &status, NULL));
    g_strfreev(arguments);
    g_free(whole);
    g_strfreev(parts);
    ck_assert_msg(WIFEXITED(status), "%s: ended by a signal", line);
    return WEXITSTATUS(status);
}
