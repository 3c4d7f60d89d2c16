// SPDX-License-Identifier: GPL-3.0-or-later
// Patrols: rebounds with their angles on the mat, where the robot was for how long, and how near it
// came to the boundary.
#include "canvas.h"

#include <math.h>

// More rebounds than this get a number each, and no angles.
#define ANGLES_MOST 24

static double degrees(double radians) {
    return radians * 180.0 / G_PI;
}

// ------------------------------------------------------------------------------------ rebounds --

static void draw_arrow(const canvas *c, double x, double y, double heading, double way) {
    cairo_t *cairo = c->cairo;
    double ex = x + way * cos(heading);
    double ey = y + way * sin(heading);
    double tip = 7.0 / c->scale;
    cairo_move_to(cairo, px(c, x), py(c, y));
    cairo_line_to(cairo, px(c, ex), py(c, ey));
    for (int side = -1; side <= 1; side += 2) {
        double back = heading + G_PI + side * 0.45;
        cairo_move_to(cairo, px(c, ex), py(c, ey));
        cairo_line_to(cairo, px(c, ex + tip * cos(back)), py(c, ey + tip * sin(back)));
    }
    cairo_stroke(cairo);
}

static void draw_rebound(const canvas *c, const lab_rebound *r, unsigned number, bool angles) {
    cairo_t *cairo = c->cairo;
    double reach = 34.0 / c->scale;
    canvas_colour(cairo, canvas_aim_colour, 1.0);
    cairo_set_line_width(cairo, 1.8);
    cairo_set_line_cap(cairo, CAIRO_LINE_CAP_ROUND);
    if (angles) {
        draw_arrow(c, r->x_mm - reach * cos(r->entry_rad), r->y_mm - reach * sin(r->entry_rad),
                   r->entry_rad, reach);
        draw_arrow(c, r->x_mm, r->y_mm, r->exit_rad, reach);
    }
    cairo_new_path(cairo);
    cairo_arc(cairo, px(c, r->x_mm), py(c, r->y_mm), 9.0, 0.0, 2.0 * G_PI);
    cairo_fill(cairo);
    char text[48];
    g_snprintf(text, sizeof text, "%u", number);
    cairo_set_source_rgb(cairo, 1.0, 1.0, 1.0);
    cairo_set_font_size(cairo, 10.5);
    double width = canvas_text_width(cairo, text);
    canvas_text(cairo, px(c, r->x_mm) - 0.5 * width, py(c, r->y_mm) + 3.8, 10.5, true, text);
    if (!angles) {
        return;
    }
    // Beside it, outside of the boundary, where the path is not in the way; inside if there is no
    // room.
    double entry = remainder(r->entry_rad - r->normal_rad, 2.0 * G_PI);
    double exit = remainder(r->exit_rad - r->normal_rad - G_PI, 2.0 * G_PI);
    g_snprintf(text, sizeof text, "%.0f\u00b0 in, %.0f\u00b0 out", fabs(degrees(entry)),
               fabs(degrees(exit)));
    cairo_set_font_size(cairo, 11.0);
    width = canvas_text_width(cairo, text);
    double nx = cos(r->normal_rad);
    double ny = -sin(r->normal_rad);
    double side = nx < -0.3 ? -1.0 : nx > 0.3 ? 1.0 : 0.0;
    double x = px(c, r->x_mm) + 15.0 * nx + 0.5 * (side - 1.0) * width;
    double y = py(c, r->y_mm) + 19.0 * ny + 4.0;
    if (x < 4.0 || x + width > 1276.0) {
        x = px(c, r->x_mm) - 40.0 * nx + 0.5 * (-side - 1.0) * width;
    }
    cairo_set_source_rgba(cairo, 1.0, 1.0, 1.0, 0.8);
    cairo_rectangle(cairo, x - 2.0, y - 10.5, width + 4.0, 14.0);
    cairo_fill(cairo);
    canvas_colour(cairo, canvas_aim_colour, 1.0);
    canvas_text(cairo, x, y, 11.0, false, text);
}

static void draw_disc(const canvas *c, const double at[2], double radius_mm, bool start) {
    static const double dashes[] = {4.0, 4.0};
    cairo_t *cairo = c->cairo;
    cairo_new_path(cairo);
    cairo_arc(cairo, px(c, at[0]), py(c, at[1]), radius_mm * c->scale, 0.0, 2.0 * G_PI);
    cairo_set_source_rgba(cairo, 0.45, 0.40, 0.30, start ? 0.10 : 0.55);
    cairo_fill_preserve(cairo);
    cairo_set_dash(cairo, dashes, start ? 2 : 0, 0.0);
    cairo_set_source_rgba(cairo, 0.25, 0.20, 0.10, 0.9);
    cairo_set_line_width(cairo, 1.4);
    cairo_stroke(cairo);
    cairo_set_dash(cairo, NULL, 0, 0.0);
}

// Where each object was put, how it went, and where it is at the end.
static void draw_objects(const canvas *c, const GArray *rows) {
    for (unsigned i = 0; i < c->route->objects && rows->len > 0; i++) {
        const lab_row *first = &g_array_index(rows, lab_row, 0);
        const lab_row *last = &g_array_index(rows, lab_row, rows->len - 1);
        draw_disc(c, first->object_mm[i], c->route->object[i].radius_mm, true);
        cairo_new_path(c->cairo);
        for (guint n = 0; n < rows->len; n += 5) {
            const double *at = g_array_index(rows, lab_row, n).object_mm[i];
            cairo_line_to(c->cairo, px(c, at[0]), py(c, at[1]));
        }
        cairo_set_source_rgba(c->cairo, 0.45, 0.40, 0.30, 0.8);
        cairo_set_line_width(c->cairo, 1.6);
        cairo_stroke(c->cairo);
        draw_disc(c, last->object_mm[i], c->route->object[i].radius_mm, false);
    }
}

void canvas_patrols(const canvas *c, const GArray *rows, const lab_run *run) {
    draw_objects(c, rows);
    for (guint i = 0; i < run->legs->len; i++) {
        const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, i);
        for (guint n = 0; leg->rebounds != NULL && n < leg->rebounds->len; n++) {
            const lab_rebound *r = &g_array_index(leg->rebounds, lab_rebound, n);
            if (r->crossed) {
                draw_rebound(c, r, n + 1, leg->rebounds->len <= ANGLES_MOST);
            }
        }
    }
}

// ---------------------------------------------------------------------------------------- heat --

// From light to dark, yellow over red to deep violet: darker is longer.
static void heat_colour(double share, double colour[3]) {
    static const double steps[5][3] = {{0.99, 0.95, 0.70},
                                       {0.98, 0.75, 0.38},
                                       {0.91, 0.44, 0.33},
                                       {0.66, 0.19, 0.44},
                                       {0.30, 0.07, 0.40}};
    double at = CLAMP(share, 0.0, 1.0) * 4.0;
    int i = MIN((int)at, 3);
    for (int n = 0; n < 3; n++) {
        colour[n] = steps[i][n] + (at - i) * (steps[i + 1][n] - steps[i][n]);
    }
}

typedef struct heat_view {
    const lab_run *run;
    const lab_leg_result *leg;
    double most_s;
} heat_view;

static void draw_heat_legend(const canvas *c, const heat_view *view) {
    cairo_t *cairo = c->cairo;
    double x = CANVAS_MARGIN + 330.0;
    double y = c->height - 0.5 * CANVAS_LEGEND;
    double colour[3];
    for (int i = 0; i < 240; i++) {
        heat_colour(i / 240.0, colour);
        canvas_colour(cairo, colour, 1.0);
        cairo_rectangle(cairo, x + i, y - 8.0, 1.5, 16.0);
        cairo_fill(cairo);
    }
    char text[64];
    cairo_set_source_rgb(cairo, 0.1, 0.1, 0.1);
    canvas_text(cairo, x - 14.0, y + 5.0, 14.0, false, "0");
    g_snprintf(text, sizeof text, "%.3g s over a place; white inside: never", view->most_s);
    canvas_text(cairo, x + 250.0, y + 5.0, 14.0, false, text);
}

static void draw_heat(const canvas *c, void *data) {
    const heat_view *view = data;
    const lab_heat *heat = &view->leg->heat;
    cairo_t *cairo = c->cairo;
    cairo_set_antialias(cairo, CAIRO_ANTIALIAS_NONE);
    for (int row = 0; row < heat->rows; row++) {
        for (int column = 0; column < heat->columns; column++) {
            double seconds = (double)heat->seconds[row * heat->columns + column];
            if (seconds < 0.0) {
                continue;
            }
            double colour[3] = {1.0, 1.0, 1.0};
            if (seconds > 0.0) {
                heat_colour(seconds / view->most_s, colour);
            }
            canvas_colour(cairo, colour, 0.92);
            cairo_rectangle(cairo, px(c, column * LAB_HEAT_CELL_MM),
                            py(c, (row + 1) * LAB_HEAT_CELL_MM), LAB_HEAT_CELL_MM * c->scale,
                            LAB_HEAT_CELL_MM * c->scale);
            cairo_fill(cairo);
        }
    }
    cairo_set_antialias(cairo, CAIRO_ANTIALIAS_DEFAULT);
    canvas_scale_bar(c);
    draw_heat_legend(c, view);
    char *name = g_path_get_basename(c->route->path);
    char *text = g_strdup_printf("%s, seed %" G_GUINT64_FORMAT
                                 ", leg %u: %.0f %% of the floor covered in %.0f s",
                                 name, (guint64)view->run->seed, view->leg->number,
                                 100.0 * view->leg->truth.value[CMO_COVERED_SHARE],
                                 (view->leg->end_ms - view->leg->start_ms) / 1000.0);
    canvas_title(c, text);
    g_free(text);
    g_free(name);
}

// The leg asked for, or the first patrol.
static const lab_leg_result *find_patrol(const lab_run *run, const cli_picture *picture,
                                         GError **error) {
    for (guint i = 0; i < run->legs->len; i++) {
        const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, i);
        bool asked = picture->leg == 0 || picture->leg == leg->number;
        if (asked && leg->rebounds != NULL && leg->heat.seconds != NULL) {
            return leg;
        }
    }
    g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                "--view: no such leg stays inside of a boundary; a route with a leg stay_inside "
                "would do");
    return NULL;
}

bool cli_draw_heat(const lab_route *route, const lab_run *run, const cli_picture *picture,
                   GError **error) {
    heat_view view = {run, find_patrol(run, picture, error), 0.0};
    if (view.leg == NULL) {
        return false;
    }
    const lab_heat *heat = &view.leg->heat;
    for (int i = 0; i < heat->columns * heat->rows; i++) {
        view.most_s = fmax(view.most_s, (double)heat->seconds[i]);
    }
    view.most_s = fmax(view.most_s, 0.01);
    return canvas_picture(route, picture->path, draw_heat, &view, error);
}

// ------------------------------------------------------------------------------------- margins --

bool cli_draw_margins(const lab_route *route, const lab_run *run, const cli_picture *picture,
                      GError **error) {
    const lab_leg_result *leg = find_patrol(run, picture, error);
    if (leg == NULL) {
        return false;
    }
    if (leg->rebounds->len == 0) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                    "%s: leg %u has no rebound, so there is no margin to show", route->path,
                    leg->number);
        return false;
    }
    double most = 10.0;
    double least = 0.0;
    for (guint i = 0; i < leg->rebounds->len; i++) {
        double margin = g_array_index(leg->rebounds, lab_rebound, i).margin_mm;
        most = fmax(most, margin);
        least = fmin(least, margin);
    }
    double bin = most - least > 60.0 ? 5.0 : most - least > 25.0 ? 2.0 : 1.0;
    double from = floor(least / bin) * bin - bin;
    int bins = MIN((int)((most - from) / bin) + 2, 400);
    unsigned *counts = g_new0(unsigned, bins);
    unsigned highest = 1;
    for (guint i = 0; i < leg->rebounds->len; i++) {
        double margin = g_array_index(leg->rebounds, lab_rebound, i).margin_mm;
        if (isfinite(margin)) {
            int at = CLAMP((int)floor((margin - from) / bin), 0, bins - 1);
            counts[at]++;
            highest = MAX(highest, counts[at]);
        }
    }
    GString *out = g_string_new("$margins << EOD\n");
    for (int i = 0; i < bins; i++) {
        g_string_append_printf(out, "%g %u\n", from + (i + 0.5) * bin, counts[i]);
    }
    g_free(counts);
    char *name = g_path_get_basename(route->path);
    char *title = g_strdup_printf("%s, %s: least margin of each of %u rebounds at %.0f mm/s, %.0f "
                                  "departures",
                                  route->robot->name, name, leg->rebounds->len, leg->cruise_mm_s,
                                  leg->truth.value[CMO_DEPARTURES]);
    char *heading = cli_plot_quoted(title);
    g_string_append_printf(
        out,
        "EOD\nset title '%s' font 'DejaVu Sans Bold,13'\n"
        "set xlabel 'true distance of the nearest wheel or caster to the boundary, mm; below 0 is "
        "over it'\nset ylabel 'rebounds'\n"
        "set xrange [%g:%g]\nset yrange [0:%u]\nset ytics %u\nset boxwidth %g\n"
        "set style fill solid 0.85\n"
        "set arrow from 0, graph 0 to 0, graph 1 nohead front linecolor rgb '#d60038' linewidth 2\n"
        "set label 'boundary' at 0, graph 0.96 offset 0.6,0 front textcolor rgb '#d60038'\n"
        "unset key\nset rmargin 4\n"
        "plot $margins using 1:2 with boxes linecolor rgb '#2c4a6e'\n",
        heading, from - bin, from + (bins + 1) * bin, highest + 1, MAX(highest / 8, 1U), bin);
    bool good = cli_plot(out->str, picture->path, error);
    g_free(heading);
    g_free(title);
    g_free(name);
    g_string_free(out, TRUE);
    return good;
}
