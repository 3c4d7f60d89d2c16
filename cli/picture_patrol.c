// SPDX-License-Identifier: GPL-3.0-or-later
// Patrols: rebounds with their angles on the mat, where the robot was for how long, and how near it
// came to the boundary.
#include "canvas.h"

#include <math.h>

// More rebounds than this get a number each, and no angles.
#define ANGLES_MOST 24
#define DISC_PX     9.0

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
    cairo_arc(cairo, px(c, r->x_mm), py(c, r->y_mm), DISC_PX, 0.0, 2.0 * G_PI);
    cairo_fill(cairo);
    char text[16];
    g_snprintf(text, sizeof text, "%u", number);
    cairo_set_source_rgb(cairo, 1.0, 1.0, 1.0);
    cairo_set_font_size(cairo, 10.5);
    double width = canvas_text_width(cairo, text);
    canvas_text(cairo, px(c, r->x_mm) - 0.5 * width, py(c, r->y_mm) + 3.8, 10.5, true, text);
}

// What must not be written over: discs and labels.
typedef struct box {
    double left, top, right, bottom;
} box;

static bool is_free(const GArray *taken, const box *b) {
    bool free = b->left > 28.0 && b->right < 1252.0 && b->top > 46.0;
    for (guint i = 0; i < taken->len && free; i++) {
        const box *t = &g_array_index(taken, box, i);
        free = b->right < t->left || b->left > t->right || b->bottom < t->top || b->top > t->bottom;
    }
    return free;
}

// A label's box at a distance from a place, in the direction of an angle (up is negative, in px).
static box label_box(double x, double y, double width, double way, double angle) {
    double dx = cos(angle);
    double side = dx < -0.3 ? -1.0 : dx > 0.3 ? 1.0 : 0.0;
    double left = x + way * dx + 0.5 * (side - 1.0) * width;
    double middle = y + way * sin(angle);
    return (box){left - 2.0, middle - 7.0, left + width + 2.0, middle + 7.0};
}

// The angles of a rebound, as near to it as there is room: best outside of the boundary, where the
// path is not in the way. Where there is none, its number alone stands for it.
static void label_rebound(const canvas *c, const lab_rebound *r, unsigned number, GArray *taken) {
    cairo_t *cairo = c->cairo;
    double entry = remainder(r->entry_rad - r->normal_rad, 2.0 * G_PI);
    double exit = remainder(r->exit_rad - r->normal_rad - G_PI, 2.0 * G_PI);
    char text[48];
    g_snprintf(text, sizeof text, "%u: %.0f\u00b0 in, %.0f\u00b0 out", number, fabs(degrees(entry)),
               fabs(degrees(exit)));
    cairo_set_font_size(cairo, 11.0);
    double width = canvas_text_width(cairo, text);
    double x = px(c, r->x_mm);
    double y = py(c, r->y_mm);
    for (double way = 19.0; way < 100.0; way += 9.0) {
        for (int turn = 0; turn < 12; turn++) { // outward first, then more and more aside
            double aside = (turn + 1) / 2 * (turn % 2 != 0 ? G_PI / 6.0 : -G_PI / 6.0);
            box b = label_box(x, y, width, way, -r->normal_rad + aside);
            if (!is_free(taken, &b)) {
                continue;
            }
            g_array_append_val(taken, b);
            canvas_colour(cairo, canvas_aim_colour, 0.6);
            cairo_set_line_width(cairo, 1.0);
            if (way > 40.0) { // too far away to be taken for its own
                cairo_move_to(cairo, x, y);
                cairo_line_to(cairo, CLAMP(x, b.left, b.right), CLAMP(y, b.top, b.bottom));
                cairo_stroke(cairo);
            }
            cairo_set_source_rgba(cairo, 1.0, 1.0, 1.0, 0.8);
            cairo_rectangle(cairo, b.left, b.top, b.right - b.left, b.bottom - b.top);
            cairo_fill(cairo);
            canvas_colour(cairo, canvas_aim_colour, 1.0);
            canvas_text(cairo, b.left + 2.0, b.bottom - 3.5, 11.0, false, text);
            return;
        }
    }
}

// Of one patrol: all discs first, then as many labels as there is room for.
static void draw_rebounds(const canvas *c, const GArray *rebounds) {
    GArray *taken = g_array_new(FALSE, FALSE, sizeof(box));
    bool angles = rebounds->len <= ANGLES_MOST;
    for (int pass = 0; pass < (angles ? 2 : 1); pass++) {
        for (guint n = 0; n < rebounds->len; n++) {
            const lab_rebound *r = &g_array_index(rebounds, lab_rebound, n);
            if (!r->crossed) {
                continue;
            }
            if (pass == 0) {
                double x = px(c, r->x_mm);
                double y = py(c, r->y_mm);
                box disc = {x - DISC_PX, y - DISC_PX, x + DISC_PX, y + DISC_PX};
                g_array_append_val(taken, disc);
                draw_rebound(c, r, n + 1, angles);
            } else {
                label_rebound(c, r, n + 1, taken);
            }
        }
    }
    g_array_free(taken, TRUE);
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
        if (leg->rebounds != NULL) {
            draw_rebounds(c, leg->rebounds);
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
