// SPDX-License-Identifier: GPL-3.0-or-later
// How often each reading came, sensor by sensor, with the levels and the threshold between them.
#include "cli.h"

#include <math.h>

static const char *const colours[] = {"#2c4a6e", "#d9883b", "#5b8c5a", "#8a6bb1",
                                      "#b0544f", "#4f9aa8", "#9a8f3c", "#777777"};

static void find_range(const lab_floor *floor, unsigned lights, double *low, double *high) {
    *low = INFINITY;
    *high = -INFINITY;
    for (guint i = 0; i < floor->surfaces->len; i++) {
        const lab_surface *surface = g_ptr_array_index(floor->surfaces, i);
        for (unsigned n = 0; n < lights; n++) {
            for (guint k = 0; k < surface->counts[n]->len; k++) {
                double counts = g_array_index(surface->counts[n], double, k);
                *low = fmin(*low, counts);
                *high = fmax(*high, counts);
            }
        }
    }
}

// One block of bins a surface: middle of the bin, readings in it.
static void put_data(GString *out, const lab_floor *floor, unsigned sensor, double low,
                     double width) {
    for (guint i = 0; i < floor->surfaces->len; i++) {
        const lab_surface *surface = g_ptr_array_index(floor->surfaces, i);
        unsigned bins[64] = {0};
        for (guint k = 0; k < surface->counts[sensor]->len; k++) {
            double counts = g_array_index(surface->counts[sensor], double, k);
            bins[CLAMP((int)((counts - low) / width), 0, 63)]++;
        }
        cli_plot_line(out, "$s%u_%u << EOD", sensor, i);
        for (unsigned b = 0; b < 64; b++) {
            cli_plot_line(out, "%.3f %u", low + (b + 0.5) * width, bins[b]);
        }
        cli_plot_line(out, "EOD");
    }
}

static void put_mark(GString *out, double counts, const char *name, const char *colour,
                     double height) {
    cli_plot_line(
        out,
        "set arrow from first %.2f, graph 0 to first %.2f, graph 1 nohead front linecolor rgb "
        "'%s' linewidth 1.6",
        counts, counts, colour);
    cli_plot_line(
        out, "set label '%s %.0f' at first %.2f, graph %.3f offset 0.6,0 front textcolor rgb '%s'",
        name, counts, counts, height, colour);
}

static void put_levels(GString *out, const lab_sensor_levels *sensor) {
    const cmo_levels *levels = &sensor->levels;
    if (sensor->fault != CMO_LEVELS_GOOD) {
        cli_plot_line(
            out,
            "set label 'refused: %s' at graph 0.5, graph 0.5 center front textcolor rgb '#b00020'",
            cmo_levels_fault_name(sensor->fault));
        return;
    }
    double contrast = (double)levels->light - levels->dark;
    cmo_edge edge;
    cmo_tone tone = levels->light_threshold != 0 ? CMO_TONE_LIGHT : CMO_TONE_DARK;
    cmo_edge_start(&edge, levels, tone, 0.0F);
    double threshold = levels->dark + contrast * (double)cmo_threshold(levels, tone);
    double half = fabs(contrast) * (double)edge.hysteresis;
    cli_plot_line(
        out,
        "set object rectangle from %.2f, graph 0 to %.2f, graph 1 behind fillcolor rgb '#fff3cd' "
        "fillstyle solid noborder",
        threshold - half, threshold + half);
    put_mark(out, levels->dark, "dark", "#222222", 0.94);
    put_mark(out, levels->light, "light", "#222222", 0.94);
    put_mark(out, threshold, "threshold", "#b00020", 0.87);
    if (levels->void_counts != CMO_LEVEL_UNKNOWN) {
        put_mark(out, levels->void_counts, "void", "#666666", 0.80);
    }
}

static void put_sensor(GString *out, const lab_floor *floor, const lab_sensor_levels *sensor,
                       unsigned number, double width) {
    cli_plot_line(out, "unset label; unset arrow; unset object");
    put_levels(out, sensor);
    cli_plot_line(out, "set title 'light sensor %s'  offset 0,-0.6 font 'DejaVu Sans Bold,12'",
                  cli_side(number));
    g_string_append(out, "plot ");
    for (guint i = 0; i < floor->surfaces->len; i++) {
        const lab_surface *surface = g_ptr_array_index(floor->surfaces, i);
        char *name = cli_plot_quoted(surface->name);
        g_string_append_printf(
            out,
            "%s$s%u_%u using 1:($2 > 0 ? $2 : NaN):(%.4f) with boxes fillstyle solid 0.75 noborder "
            "linecolor rgb '%s' title '%s'",
            i > 0 ? ", " : "", number, i, 0.9 * width, colours[i % G_N_ELEMENTS(colours)], name);
        g_free(name);
    }
    cli_plot_line(out, "%s", "");
}

bool cli_draw_levels(const char *title, const lab_floor *floor, const lab_sensor_levels *sensors,
                     unsigned lights, const char *path, GError **error) {
    double low, high;
    find_range(floor, lights, &low, &high);
    if (!(high > low)) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s: there are no readings to draw", title);
        return false;
    }
    double width = fmax((high - low) / 60.0, 1.0);
    low -= width;
    GString *out = g_string_new(NULL);
    char *heading = cli_plot_quoted(title);
    for (unsigned n = 0; n < lights; n++) {
        put_data(out, floor, n, low, width);
    }
    cli_plot_line(out,
                  "set multiplot layout %u,1 title '%s' font 'DejaVu Sans Bold,13' offset 0,-0.3",
                  lights, heading);
    cli_plot_line(out, "set xrange [%.2f:%.2f]; set yrange [0:*]; set offsets graph 0, 0, 0.22, 0",
                  low - 2.0 * width, high + 6.0 * width);
    cli_plot_line(out, "set ylabel 'readings'; set lmargin 9; set rmargin %d",
                  floor->named ? 21 : 3);
    cli_plot_line(out, floor->named ? "set key outside right top Left reverse" : "unset key");
    for (unsigned n = 0; n < lights; n++) {
        cli_plot_line(out, n + 1 == lights ? "set xlabel 'reading, counts'" : "unset xlabel");
        put_sensor(out, floor, &sensors[n], n, width);
    }
    cli_plot_line(out, "unset multiplot");
    bool good = cli_plot(out->str, path, error);
    g_free(heading);
    g_string_free(out, TRUE);
    return good;
}
