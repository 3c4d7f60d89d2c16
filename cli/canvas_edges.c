// SPDX-License-Identifier: GPL-3.0-or-later
#include "canvas.h"

#include <math.h>

static const double band_colour[3] = {0.95, 0.55, 0.05};

static bool is_beside(const GArray *rows, guint i) {
    return i < rows->len && canvas_row(rows, i)->follows && canvas_row(rows, i)->edge.there;
}

static void paint_band(cairo_t *cairo) {
    canvas_colour(cairo, band_colour, 0.5);
    cairo_fill_preserve(cairo);
    canvas_colour(cairo, band_colour, 1.0);
    cairo_set_line_width(cairo, 0.8);
    cairo_stroke(cairo);
}

// Along the edge, and back along where the spot would have been that many times as far off.
static void fill_band(const canvas *c, const GArray *rows, guint from, guint to) {
    cairo_new_path(c->cairo);
    for (guint i = from; i < to; i++) {
        const lab_edge_beside *edge = &canvas_row(rows, i)->edge;
        cairo_line_to(c->cairo, px(c, edge->x_mm), py(c, edge->y_mm));
    }
    for (guint i = to; i-- > from;) {
        const lab_edge_beside *edge = &canvas_row(rows, i)->edge;
        double off = CANVAS_OFF_TIMES * edge->off_mm;
        cairo_line_to(c->cairo, px(c, edge->x_mm + off * edge->left_x),
                      py(c, edge->y_mm + off * edge->left_y));
    }
    cairo_close_path(c->cairo);
    paint_band(c->cairo);
}

bool canvas_edges(const canvas *c, const GArray *rows) {
    bool any = false;
    for (guint from = 0, to; from < rows->len; from = to + 1) {
        for (to = from;
             is_beside(rows, to) && canvas_row(rows, to)->leg == canvas_row(rows, from)->leg;) {
            to++;
        }
        if (to > from + 1) {
            fill_band(c, rows, from, to);
            any = true;
        }
    }
    return any;
}

void canvas_edges_sign(const canvas *c, double x, double y) {
    cairo_rectangle(c->cairo, x, y - 7.0, 34.0, 14.0);
    paint_band(c->cairo);
}
