// SPDX-License-Identifier: GPL-3.0-or-later
#include "calls.h"

#include <glib/gstdio.h>
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
