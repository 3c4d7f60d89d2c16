// SPDX-License-Identifier: GPL-3.0-or-later
// Charts, drawn by gnuplot.
#include "cli.h"

#include <gio/gio.h>
#include <glib/gstdio.h>

char *cli_plot_quoted(const char *text) {
    char **parts = g_strsplit(text, "'", -1);
    char *joined = g_strjoinv("''", parts);
    g_strfreev(parts);
    return joined;
}

static bool run_gnuplot(const char *script, const char *picture_path, GError **error) {
    GError *cause = NULL;
    GSubprocess *gnuplot = g_subprocess_new(
        G_SUBPROCESS_FLAGS_STDIN_PIPE | G_SUBPROCESS_FLAGS_STDERR_PIPE, &cause, "gnuplot", NULL);
    if (gnuplot == NULL) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_FILE,
                    "%s: the chart needs the program gnuplot, which cannot be run; install the "
                    "package gnuplot-nox",
                    picture_path);
        g_clear_error(&cause);
        return false;
    }
    char *complaint = NULL;
    bool good = g_subprocess_communicate_utf8(gnuplot, script, NULL, NULL, &complaint, &cause) &&
                g_subprocess_get_successful(gnuplot);
    if (!good) {
        char *line = g_strdup(complaint != NULL ? g_strstrip(complaint) : "it was ended");
        g_strdelimit(line, "\n\r", ' ');
        g_set_error(error, LAB_ERROR, LAB_ERROR_FILE, "%s: gnuplot could not draw the chart: %s",
                    picture_path, line);
        g_free(line);
    }
    g_clear_error(&cause);
    g_free(complaint);
    g_object_unref(gnuplot);
    return good;
}

bool cli_plot(const char *script, const char *path, GError **error) {
    bool svg = g_str_has_suffix(path, ".svg");
    char *part = g_strdup_printf("%s.part", path);
    char *output = cli_plot_quoted(part);
    char *whole = g_strdup_printf(
        "set terminal %s noenhanced size 1280,720 font 'DejaVu Sans,%s' background '#ffffff'\n"
        "set output '%s'\n"
        "set border linecolor rgb '#444444'; set tics textcolor rgb '#222222' nomirror\n"
        "set grid linecolor rgb '#cccccc' linewidth 0.6\n"
        "%s\nunset output\n",
        svg ? "svg" : "pngcairo", svg ? "13" : "10.5", output, script);
    bool good = run_gnuplot(whole, path, error);
    if (good && g_rename(part, path) != 0) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_FILE, "%s: the picture cannot be written", path);
        good = false;
    }
    if (!good) {
        g_unlink(part);
    }
    g_free(whole);
    g_free(output);
    g_free(part);
    return good;
}
