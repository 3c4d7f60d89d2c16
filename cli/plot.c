// SPDX-License-Identifier: GPL-3.0-or-later
// Charts, drawn by gnuplot.
#include "cli.h"

#include <gio/gio.h>
#include <math.h>
#include <stdarg.h>
#include <string.h>

// A quote is doubled; nothing else means anything within single quotes but the end of the line.
char *cli_plot_quoted(const char *text) {
    char *line = lab_printable(text);
    char **parts = g_strsplit(line, "'", -1);
    g_free(line);
    char *joined = g_strjoinv("''", parts);
    g_strfreev(parts);
    return joined;
}

static bool is_whole(GBytes *picture, bool svg) {
    static const char png_end[8] = {'I', 'E', 'N', 'D', '\xae', 'B', '`', '\x82'};
    gsize size;
    const char *bytes = g_bytes_get_data(picture, &size);
    if (svg) {
        return size > 0 && g_strrstr_len(bytes, (gssize)size, "</svg>") != NULL;
    }
    return size > sizeof png_end &&
           memcmp(bytes + size - sizeof png_end, png_end, sizeof png_end) == 0;
}

// gnuplot opens no file: it reads the script and gives the picture back, and goes by nobody's own
// settings.
static GBytes *run_gnuplot(const char *script, const char *path, GError **error) {
    GError *cause = NULL;
    GSubprocess *gnuplot =
        g_subprocess_new(G_SUBPROCESS_FLAGS_STDIN_PIPE | G_SUBPROCESS_FLAGS_STDOUT_PIPE |
                             G_SUBPROCESS_FLAGS_STDERR_PIPE,
                         &cause, "gnuplot", "-d", NULL);
    if (gnuplot == NULL) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_FILE,
                    "%s: the chart needs the program gnuplot, which cannot be run; install the "
                    "package gnuplot-nox",
                    path);
        g_clear_error(&cause);
        return NULL;
    }
    GBytes *input = g_bytes_new(script, strlen(script));
    GBytes *picture = NULL;
    GBytes *complaint = NULL;
    bool good = g_subprocess_communicate(gnuplot, input, NULL, &picture, &complaint, &cause) &&
                g_subprocess_get_successful(gnuplot) &&
                is_whole(picture, g_str_has_suffix(path, ".svg"));
    if (!good) {
        gsize size = 0;
        const char *text = complaint != NULL ? g_bytes_get_data(complaint, &size) : "";
        char *said = g_strndup(text, size);
        char *line = lab_printable(g_strstrip(said));
        g_set_error(error, LAB_ERROR, LAB_ERROR_FILE, "%s: gnuplot could not draw the chart: %s",
                    path,
                    *line != '\0'   ? line
                    : cause != NULL ? cause->message
                                    : "it ended before the picture was whole");
        g_free(line);
        g_free(said);
        g_clear_pointer(&picture, g_bytes_unref);
    }
    g_clear_error(&cause);
    g_clear_pointer(&complaint, g_bytes_unref);
    g_bytes_unref(input);
    g_object_unref(gnuplot);
    return picture;
}

void cli_plot_line(GString *script, const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    g_string_append_vprintf(script, format, arguments);
    va_end(arguments);
    g_string_append_c(script, '\n');
}

void cli_plot_cell(GString *script, double value) {
    if (isfinite(value)) {
        g_string_append_printf(script, "%.4f ", value);
    } else {
        g_string_append(script, "NaN ");
    }
}

bool cli_plot(const char *script, const char *path, GError **error) {
    bool svg = g_str_has_suffix(path, ".svg");
    char *whole = g_strdup_printf(
        "set terminal %s noenhanced size 1280,720 font 'DejaVu Sans,%s' background '#ffffff'\n"
        "set border linecolor rgb '#444444'; set tics textcolor rgb '#222222' nomirror\n"
        "set grid linecolor rgb '#cccccc' linewidth 0.6\n"
        "%s\nunset output\n",
        svg ? "svg" : "pngcairo", svg ? "13" : "10.5", script);
    GBytes *picture = run_gnuplot(whole, path, error);
    bool good = picture != NULL;
    if (good) {
        gsize size;
        const char *bytes = g_bytes_get_data(picture, &size);
        good = lab_write_file(path, "picture", bytes, size, error);
        g_bytes_unref(picture);
    }
    g_free(whole);
    return good;
}
