// SPDX-License-Identifier: GPL-3.0-or-later
#include "canvas.h"

#include <cairo-svg.h>
#include <librsvg/rsvg.h>
#include <math.h>

#define WIDTH 1280.0
#define TITLE 54.0

static const double leg_colours[][3] = {{0.00, 0.33, 0.62}, {0.80, 0.36, 0.00}, {0.00, 0.47, 0.34},
                                        {0.55, 0.20, 0.60}, {0.47, 0.36, 0.00}, {0.10, 0.55, 0.65},
                                        {0.35, 0.35, 0.40}};
const double canvas_aim_colour[3] = {0.84, 0.00, 0.22};

void canvas_colour(cairo_t *cairo, const double colour[3], double alpha) {
    cairo_set_source_rgba(cairo, colour[0], colour[1], colour[2], alpha);
}

const double *canvas_leg_colour(unsigned leg) {
    return leg_colours[(MAX(leg, 1U) - 1) % G_N_ELEMENTS(leg_colours)];
}

void canvas_text(cairo_t *cairo, double x, double y, double size, bool bold, const char *text) {
    cairo_select_font_face(cairo, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL,
                           bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
    cairo_set_font_size(cairo, size);
    cairo_move_to(cairo, x, y);
    cairo_show_text(cairo, text);
}

double canvas_text_width(cairo_t *cairo, const char *text) {
    cairo_text_extents_t extents;
    cairo_text_extents(cairo, text, &extents);
    return extents.x_advance;
}

// --------------------------------------------------------------------------------------- mat --

static bool paint_mat(const canvas *c, GError **error) {
    const lab_route *route = c->route;
    double width = cmo_sim_mat_width_mm(route->mat) * c->scale;
    double height = cmo_sim_mat_height_mm(route->mat) * c->scale;
    double top = c->y0 - height;
    cairo_t *cairo = c->cairo;
    cairo_save(cairo);
    cairo_rectangle(cairo, c->x0, top, width, height);
    cairo_clip(cairo);
    cairo_set_source_rgb(cairo, 0.85, 0.91, 0.95); // no floor
    cairo_paint(cairo);
    bool drawn = true;
    cairo_surface_t *png = cairo_image_surface_create_from_png(route->mat_path);
    if (cairo_surface_status(png) == CAIRO_STATUS_SUCCESS) {
        cairo_translate(cairo, c->x0, top);
        cairo_scale(cairo, width / cairo_image_surface_get_width(png),
                    height / cairo_image_surface_get_height(png));
        cairo_set_source_surface(cairo, png, 0.0, 0.0);
        cairo_paint(cairo);
    } else {
        RsvgHandle *handle = rsvg_handle_new_from_file(route->mat_path, error);
        RsvgRectangle viewport = {c->x0, top, width, height};
        drawn = handle != NULL && rsvg_handle_render_document(handle, cairo, &viewport, error);
        if (handle != NULL) {
            g_object_unref(handle);
        }
    }
    cairo_surface_destroy(png);
    cairo_restore(cairo);
    cairo_rectangle(cairo, c->x0, top, width, height);
    cairo_set_source_rgb(cairo, 0.45, 0.50, 0.54);
    cairo_set_line_width(cairo, 1.0);
    cairo_stroke(cairo);
    return drawn;
}

// ------------------------------------------------------------------------------------- around --

static double scale_bar_mm(double scale) {
    static const double lengths[] = {10, 20, 50, 100, 200, 500, 1000, 2000, 5000};
    double best = lengths[0];
    for (size_t i = 0; i < G_N_ELEMENTS(lengths); i++) {
        best = lengths[i] * scale <= 200.0 ? lengths[i] : best;
    }
    return best;
}

void canvas_scale_bar(const canvas *c) {
    double x = CANVAS_MARGIN;
    double y = c->height - 0.5 * CANVAS_LEGEND;
    double length = scale_bar_mm(c->scale);
    cairo_t *cairo = c->cairo;
    cairo_set_source_rgb(cairo, 0.1, 0.1, 0.1);
    cairo_set_line_width(cairo, 1.5);
    cairo_move_to(cairo, x, y - 5.0);
    cairo_line_to(cairo, x, y + 5.0);
    cairo_move_to(cairo, x, y);
    cairo_line_to(cairo, x + length * c->scale, y);
    cairo_move_to(cairo, x + length * c->scale, y - 5.0);
    cairo_line_to(cairo, x + length * c->scale, y + 5.0);
    cairo_stroke(cairo);
    char text[32];
    g_snprintf(text, sizeof text, "%.0f mm", length);
    canvas_text(cairo, x + length * c->scale + 8.0, y + 5.0, 14.0, false, text);
}

void canvas_title(const canvas *c, const char *text) {
    cairo_set_source_rgb(c->cairo, 0.1, 0.1, 0.1);
    canvas_text(c->cairo, CANVAS_MARGIN, 35.0, 19.0, true, c->route->robot->name);
    double x = CANVAS_MARGIN + canvas_text_width(c->cairo, c->route->robot->name) + 14.0;
    canvas_text(c->cairo, x, 35.0, 16.0, false, text);
}

static cairo_status_t keep(void *closure, const unsigned char *data, unsigned length) {
    g_byte_array_append(closure, data, length);
    return CAIRO_STATUS_SUCCESS;
}

// The picture is drawn whole before anything is written.
bool canvas_picture(const lab_route *route, const char *path, canvas_draw draw, void *data,
                    GError **error) {
    double width_mm = cmo_sim_mat_width_mm(route->mat);
    double height_mm = cmo_sim_mat_height_mm(route->mat);
    canvas c = {.route = route};
    c.scale = MIN((WIDTH - 2.0 * CANVAS_MARGIN) / width_mm, 1400.0 / height_mm);
    c.height = ceil(TITLE + height_mm * c.scale + CANVAS_LEGEND);
    c.x0 = 0.5 * (WIDTH - width_mm * c.scale);
    c.y0 = TITLE + height_mm * c.scale;
    GByteArray *bytes = g_byte_array_new();
    bool svg = g_str_has_suffix(path, ".svg");
    cairo_surface_t *surface =
        svg ? cairo_svg_surface_create_for_stream(keep, bytes, WIDTH, c.height)
            : cairo_image_surface_create(CAIRO_FORMAT_RGB24, (int)WIDTH, (int)c.height);
    c.cairo = cairo_create(surface);
    cairo_set_source_rgb(c.cairo, 1.0, 1.0, 1.0);
    cairo_paint(c.cairo);
    bool drawn = paint_mat(&c, error);
    if (drawn) {
        draw(&c, data);
    }
    cairo_destroy(c.cairo);
    cairo_status_t status = CAIRO_STATUS_SUCCESS;
    if (drawn && !svg) {
        status = cairo_surface_write_to_png_stream(surface, keep, bytes);
    }
    cairo_surface_finish(surface);
    status = status == CAIRO_STATUS_SUCCESS ? cairo_surface_status(surface) : status;
    cairo_surface_destroy(surface);
    if (drawn && status != CAIRO_STATUS_SUCCESS) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_FILE, "%s: the picture cannot be drawn: %s", path,
                    cairo_status_to_string(status));
        drawn = false;
    }
    drawn = drawn && lab_write_file(path, "picture", (const char *)bytes->data, bytes->len, error);
    g_byte_array_free(bytes, TRUE);
    return drawn;
}
