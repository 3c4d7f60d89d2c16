// SPDX-License-Identifier: GPL-3.0-or-later
// The mat from above, to draw on: its place on the picture, colours, text, and the frame around it.
#ifndef CLI_CANVAS_H
#define CLI_CANVAS_H

#include "cli.h"

#include <cairo.h>

#define CANVAS_MARGIN 28.0
#define CANVAS_LEGEND 58.0

typedef struct canvas {
    cairo_t *cairo;
    const lab_route *route;
    double scale;  // pixels per mm
    double x0, y0; // of the mat's lower left corner
    double height; // of the picture
} canvas;

extern const double canvas_aim_colour[3]; // of what was aimed at, or met

static inline double px(const canvas *c, double x_mm) {
    return c->x0 + x_mm * c->scale;
}

static inline double py(const canvas *c, double y_mm) {
    return c->y0 - y_mm * c->scale;
}

static inline const lab_row *canvas_row(const GArray *rows, guint i) {
    return &g_array_index(rows, lab_row, i);
}

void canvas_colour(cairo_t *cairo, const double colour[3], double alpha);

// Colours that stay apart for most kinds of colour vision.
const double *canvas_leg_colour(unsigned leg);

void canvas_text(cairo_t *cairo, double x, double y, double size, bool bold, const char *text);
double canvas_text_width(cairo_t *cairo, const char *text);

// A bar of a round length at the lower left.
void canvas_scale_bar(const canvas *c);

// The robot's name, and what is shown.
void canvas_title(const canvas *c, const char *text);

// Draws a picture of the mat: the mat, and on it what `draw` adds. At the path stands the whole
// picture or what was there before.
typedef void (*canvas_draw)(const canvas *c, void *data);
bool canvas_picture(const lab_route *route, const char *path, canvas_draw draw, void *data,
                    GError **error);

// Edges that are followed: how far off one the spot was, so many times as large, as a band beside
// it; false: none is. And the sign for that.
#define CANVAS_OFF_TIMES 10.0
bool canvas_edges(const canvas *c, const GArray *rows);
void canvas_edges_sign(const canvas *c, double x, double y);

// Signs: what the path strokes, on white; a cross, in pixels; a ring at a place on the mat.
void canvas_stroke_on_white(cairo_t *cairo, const double colour[3], double width);
void canvas_cross(cairo_t *cairo, double x, double y, const double colour[3]);
void canvas_ring(const canvas *c, double x_mm, double y_mm);

// Whether odometry has a path of its own there. In a patrol it drifts as it likes: nothing sets it
// right.
bool canvas_by_odometry(const lab_row *row);

// What the signs are. `run`: what is known of it, or NULL; `edges`: some are followed.
void canvas_legend(const canvas *c, const GArray *rows, const lab_run *run, bool edges);

// The patrols of a run: rebounds with their angles, and the objects on the mat.
void canvas_patrols(const canvas *c, const GArray *rows, const lab_run *run);

#endif
