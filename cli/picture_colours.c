// SPDX-License-Identifier: GPL-3.0-or-later
// The readings of each surface by colour, two channels at a time, and how far they are taken to
// come.
#include "cli.h"

#include <cammino/surfaces.h>
#include <math.h>

static const char *const channel_names[CMO_COLOURS] = {"red", "green", "blue"};
static const unsigned panels[2][2] = {{0, 1}, {2, 1}}; // channels to the right, and up

#define ELLIPSE_POINTS 72

// The least and the largest mean of a channel over the surfaces.
static void find_range(const lab_floor *floor, const lab_sensor_levels *sensor, unsigned channel,
                       double *low, double *high) {
    *low = INFINITY;
    *high = 0.0;
    for (guint i = 0; i < floor->surfaces->len; i++) {
        *low = fmin(*low, sensor->surface[i].colour[channel]);
        *high = fmax(*high, sensor->surface[i].colour[channel]);
    }
}

// A surface is drawn in its own colour, as the sensor sees it from its darkest to its lightest, all
// of them so dim that none is lost on white.
#define DIM 0.75
static void own_colour(const lab_floor *floor, const lab_sensor_levels *sensor, guint number,
                       char text[8]) {
    double shown[CMO_COLOURS];
    for (unsigned c = 0; c < CMO_COLOURS; c++) {
        double low, high;
        find_range(floor, sensor, c, &low, &high);
        double share = (sensor->surface[number].colour[c] - low) / fmax(high - low, 1.0);
        shown[c] = isnan(share) ? 0.0 : pow(CLAMP(share, 0.0, 1.0), 1.0 / 2.2);
    }
    g_snprintf(text, 8, "#%02x%02x%02x", (unsigned)(255.0 * DIM * shown[0]),
               (unsigned)(255.0 * DIM * shown[1]), (unsigned)(255.0 * DIM * shown[2]));
}

static void put_points(GString *out, const lab_surface *surface, unsigned sensor, guint number) {
    GArray *const *channel = surface->colour[sensor];
    guint count = MIN(channel[0]->len, MIN(channel[1]->len, channel[2]->len));
    cli_plot_line(out, "$p%u_%u << EOD", sensor, number);
    for (guint i = 0; i < count; i++) {
        cli_plot_line(out, "%.0f %.0f %.0f", g_array_index(channel[0], double, i),
                      g_array_index(channel[1], double, i), g_array_index(channel[2], double, i));
    }
    cli_plot_line(out, "EOD");
}

// What is told to be the surface: CMO_SURFACE_REACH times the root of s^2 I + t^2 m m', along its
// axes, which are that of m and the one across it.
static void put_ellipse(GString *out, const lab_surface_figures *figures, double change,
                        unsigned sensor, guint number, unsigned panel) {
    double x = figures->colour[panels[panel][0]];
    double y = figures->colour[panels[panel][1]];
    double size = fmax(hypot(x, y), 1e-6);
    double t = 0.5 * change;
    double along = (double)CMO_SURFACE_REACH * hypot(figures->colour_spread, t * size);
    double across = (double)CMO_SURFACE_REACH * figures->colour_spread;
    cli_plot_line(out, "$e%u_%u_%u << EOD", sensor, number, panel);
    for (unsigned i = 0; i <= ELLIPSE_POINTS; i++) {
        double angle = 2.0 * G_PI * i / ELLIPSE_POINTS;
        double a = along * cos(angle);
        double b = across * sin(angle);
        cli_plot_line(out, "%.2f %.2f", x + (a * x - b * y) / size, y + (a * y + b * x) / size);
    }
    cli_plot_line(out, "EOD");
}

static void put_panel(GString *out, const lab_floor *floor, const lab_sensor_levels *sensor,
                      unsigned number, unsigned panel) {
    cli_plot_line(out, "set title 'light sensor %s, %s and %s' offset 0,-0.6", cli_side(number),
                  channel_names[panels[panel][0]], channel_names[panels[panel][1]]);
    cli_plot_line(out, "set xlabel '%s, counts'; set ylabel '%s, counts'",
                  channel_names[panels[panel][0]], channel_names[panels[panel][1]]);
    cli_plot_line(out,
                  panel == 1 ? "set key outside right top Left reverse samplen 1" : "unset key");
    g_string_append(out, "plot ");
    for (guint i = 0; i < floor->surfaces->len; i++) {
        const lab_surface *surface = g_ptr_array_index(floor->surfaces, i);
        char colour[8];
        own_colour(floor, sensor, i, colour);
        char *name = cli_plot_quoted(surface->name);
        g_string_append_printf(out,
                               "%s$p%u_%u using %u:%u with points pointtype 7 pointsize 0.35 "
                               "linecolor rgb '%s' notitle",
                               i > 0 ? ", " : "", number, i, panels[panel][0] + 1,
                               panels[panel][1] + 1, colour);
        if (!isnan(sensor->surface[i].colour[0])) {
            g_string_append_printf(
                out, ", $e%u_%u_%u using 1:2 with lines linewidth 2 linecolor rgb '%s' title '%s'",
                number, i, panel, colour, name);
        }
        g_free(name);
    }
    cli_plot_line(out, "%s", "");
}

bool cli_draw_colours(const char *title, const lab_floor *floor, const lab_sensor_levels *sensors,
                      unsigned lights, double change, const char *path, GError **error) {
    GString *out = g_string_new(NULL);
    for (unsigned n = 0; n < lights; n++) {
        for (guint i = 0; i < floor->surfaces->len; i++) {
            put_points(out, g_ptr_array_index(floor->surfaces, i), n, i);
            for (unsigned panel = 0; panel < 2 && !isnan(sensors[n].surface[i].colour[0]);
                 panel++) {
                put_ellipse(out, &sensors[n].surface[i], change, n, i, panel);
            }
        }
    }
    char *heading = cli_plot_quoted(title);
    cli_plot_line(out,
                  "set multiplot layout %u,2 title '%s' font 'DejaVu Sans Bold,13' offset 0,-0.3",
                  lights, heading);
    cli_plot_line(out, "set xrange [0:*]; set yrange [0:*]; set lmargin 9");
    for (unsigned n = 0; n < lights; n++) {
        for (unsigned panel = 0; panel < 2; panel++) {
            cli_plot_line(out, "set rmargin %d", panel == 1 ? 18 : 3);
            put_panel(out, floor, &sensors[n], n, panel);
        }
    }
    cli_plot_line(out, "unset multiplot");
    bool good = cli_plot(out->str, path, error);
    g_free(heading);
    g_string_free(out, TRUE);
    return good;
}
