// SPDX-License-Identifier: GPL-3.0-or-later
// Signs on the mat, and the legend that says what they are.
#include "canvas.h"

void canvas_stroke_on_white(cairo_t *cairo, const double colour[3], double width) {
    cairo_set_source_rgba(cairo, 1.0, 1.0, 1.0, 0.9);
    cairo_set_line_width(cairo, width + 2.4);
    cairo_stroke_preserve(cairo);
    canvas_colour(cairo, colour, 1.0);
    cairo_set_line_width(cairo, width);
    cairo_stroke(cairo);
}

void canvas_cross(cairo_t *cairo, double x, double y, const double colour[3]) {
    cairo_new_path(cairo);
    for (int sign = -1; sign <= 1; sign += 2) {
        cairo_move_to(cairo, x - 5.0, y - sign * 5.0);
        cairo_line_to(cairo, x + 5.0, y + sign * 5.0);
    }
    canvas_stroke_on_white(cairo, colour, 2.0);
}

void canvas_ring(const canvas *c, double x_mm, double y_mm) {
    cairo_t *cairo = c->cairo;
    cairo_new_path(cairo);
    cairo_arc(cairo, px(c, x_mm), py(c, y_mm), 6.5, 0.0, 2.0 * G_PI);
    canvas_stroke_on_white(cairo, canvas_aim_colour, 2.2);
}

bool canvas_by_odometry(const lab_row *row) {
    return row->has_truth && row->robot.routine != CMO_ROUTINE_STAY_INSIDE;
}

static bool any_by_odometry(const GArray *rows) {
    for (guint i = 0; i < rows->len; i += 10) {
        if (canvas_by_odometry(canvas_row(rows, i))) {
            return true;
        }
    }
    return false;
}

// What the marks are, where the run is known: of patrols their rebounds, else what was aimed at.
static void draw_marks_legend(const canvas *c, const lab_run *run, double x) {
    cairo_t *cairo = c->cairo;
    double y = c->height - 0.5 * CANVAS_LEGEND;
    bool rebounds = false;
    bool targets = false;
    bool passed = false;
    for (guint i = 0; run != NULL && i < run->legs->len; i++) {
        const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, i);
        rebounds = rebounds || (leg->rebounds != NULL && leg->rebounds->len > 0);
        targets = targets || leg->target.found;
        passed = passed || leg->passed != NULL;
    }
    canvas at = *c; // the mark's own place, in pixels
    at.scale = 1.0;
    at.x0 = 0.0;
    at.y0 = 0.0;
    canvas_colour(cairo, canvas_aim_colour, 1.0);
    if (rebounds) {
        cairo_arc(cairo, x + 16.0, y, 9.0, 0.0, 2.0 * G_PI);
        cairo_fill(cairo);
        cairo_set_source_rgb(cairo, 0.1, 0.1, 0.1);
        canvas_text(cairo, x + 42.0, y + 5.0, 14.0, false, "rebound: angles from square on, true");
        return;
    }
    if (run != NULL && !targets) {
        return;
    }
    if (targets) {
        cairo_set_line_width(cairo, 2.6);
        cairo_move_to(cairo, x + 16.0, y - 14.0);
        cairo_line_to(cairo, x + 16.0, y + 14.0);
        cairo_stroke(cairo);
    }
    canvas_ring(&at, x + 16.0, -y);
    cairo_set_source_rgb(cairo, 0.1, 0.1, 0.1);
    canvas_text(cairo, x + 42.0, y + 5.0, 14.0, false,
                targets ? "edge aimed at, true first crossing" : "latched crossing");
    if (passed) {
        canvas_cross(cairo, x + 312.0, y, canvas_leg_colour(1));
        cairo_set_source_rgb(cairo, 0.1, 0.1, 0.1);
        canvas_text(cairo, x + 326.0, y + 5.0, 14.0, false, "passed over");
    }
}

// Text beside its sign, and where the next sign stands.
static double legend_text(const canvas *c, double x, double y, const char *text) {
    cairo_set_source_rgb(c->cairo, 0.1, 0.1, 0.1);
    canvas_text(c->cairo, x + 42.0, y + 5.0, 14.0, false, text);
    return x + 42.0 + canvas_text_width(c->cairo, text) + 26.0;
}

void canvas_legend(const canvas *c, const GArray *rows, const lab_run *run, bool edges) {
    cairo_t *cairo = c->cairo;
    double y = c->height - 0.5 * CANVAS_LEGEND;
    canvas_scale_bar(c);
    bool truth = rows->len > 0 && canvas_row(rows, 0)->has_truth;
    double x = CANVAS_MARGIN + 250.0;
    cairo_set_line_width(cairo, 3.0);
    canvas_colour(cairo, canvas_leg_colour(1), 1.0);
    cairo_move_to(cairo, x, y);
    cairo_line_to(cairo, x + 34.0, y);
    cairo_stroke(cairo);
    x = legend_text(
        c, x, y, truth ? "true path of the axle, by leg" : "path of the axle by odometry, by leg");
    if (any_by_odometry(rows)) {
        static const double dashes[] = {2.0, 5.0};
        cairo_set_dash(cairo, dashes, 2, 0.0);
        cairo_set_line_width(cairo, 1.6);
        cairo_move_to(cairo, x, y);
        cairo_line_to(cairo, x + 34.0, y);
        cairo_stroke(cairo);
        cairo_set_dash(cairo, NULL, 0, 0.0);
        x = legend_text(c, x, y, "by odometry");
    }
    if (edges) {
        canvas_edges_sign(c, x, y);
        char *text = g_strdup_printf("off the edge, %g times", CANVAS_OFF_TIMES);
        x = legend_text(c, x, y, text);
        g_free(text);
    }
    draw_marks_legend(c, run, x);
}
