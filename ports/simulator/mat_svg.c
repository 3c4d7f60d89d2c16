// SPDX-License-Identifier: MIT
// A mat from SVG, through librsvg.
#include "mat_internal.h"

#include <cairo.h>
#include <librsvg/rsvg.h>
#include <string.h>

#define OVERSAMPLE 2   // drawn this much finer, without blending, and averaged
#define STRIP_ROWS 128 // of the map, drawn at a time: it stays in the cache

static const char *const mark_class[CMO_SIM_VOID] = {"line", "boundary", "decoration"};

static bool length_mm(const RsvgLength *length, double *mm) {
    switch (length->unit) {
    case RSVG_UNIT_MM:
        *mm = length->length;
        return true;
    case RSVG_UNIT_CM:
        *mm = length->length * 10.0;
        return true;
    case RSVG_UNIT_IN:
        *mm = length->length * 25.4;
        return true;
    case RSVG_UNIT_PT:
        *mm = length->length * 25.4 / 72.0;
        return true;
    case RSVG_UNIT_PC:
        *mm = length->length * 25.4 / 6.0;
        return true;
    default:
        return false;
    }
}

static bool svg_size(const char *name, RsvgHandle *handle, double given_width_mm, double *width_mm,
                     double *height_mm, GError **error) {
    RsvgLength width, height;
    RsvgRectangle box;
    gboolean has_width, has_height, has_box;
    rsvg_handle_get_intrinsic_dimensions(handle, &has_width, &width, &has_height, &height, &has_box,
                                         &box);
    bool sized =
        has_width && has_height && length_mm(&width, width_mm) && length_mm(&height, height_mm);
    if (given_width_mm > 0.0 && (sized || (has_box && box.width > 0.0))) {
        double ratio = sized ? *height_mm / *width_mm : box.height / box.width;
        *width_mm = given_width_mm;
        *height_mm = given_width_mm * ratio;
        return true;
    }
    if (!sized) {
        g_set_error(
            error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_SIZE,
            "%s: the SVG does not say its true size; give its width and height in mm, as in "
            "<svg width=\"1800mm\" height=\"1000mm\" viewBox=\"0 0 1800 1000\">",
            name);
    }
    return sized;
}

// Draws a strip of the document; the scale is that of a map finer by `fine`.
static bool draw_strip(RsvgHandle *handle, const cmo_sim_mat *mat, cairo_surface_t *surface,
                       int first_row, int fine, GError **error) {
    cairo_t *cairo = cairo_create(surface);
    cairo_set_operator(cairo, CAIRO_OPERATOR_CLEAR);
    cairo_paint(cairo);
    cairo_set_operator(cairo, CAIRO_OPERATOR_OVER);
    cairo_translate(cairo, 0.0, -(double)first_row * fine);
    double scale = mat->px_per_mm * fine;
    RsvgRectangle viewport = {0.0, 0.0, mat->width_mm * scale, mat->height_mm * scale};
    gboolean drawn = rsvg_handle_render_document(handle, cairo, &viewport, error);
    cairo_destroy(cairo);
    cairo_surface_flush(surface);
    return drawn;
}

static bool draw_light(RsvgHandle *handle, cmo_sim_mat *mat, GError **error) {
    static const char crisp[] = "* { shape-rendering: crispEdges !important; }";
    if (!rsvg_handle_set_stylesheet(handle, (const guint8 *)crisp, sizeof crisp - 1, error)) {
        return false;
    }
    uint32_t linear[256];
    mat_fill_linear(linear);
    int width = mat->columns * OVERSAMPLE;
    int height = STRIP_ROWS * OVERSAMPLE;
    cairo_surface_t *surface = cairo_image_surface_create(CAIRO_FORMAT_ARGB32, width, height);
    bool drawn = true;
    for (int row = 0; row < mat->rows && drawn; row += STRIP_ROWS) {
        drawn = draw_strip(handle, mat, surface, row, OVERSAMPLE, error);
        if (drawn) {
            mat_take_rows(mat, cairo_image_surface_get_data(surface),
                          cairo_image_surface_get_stride(surface), width, height, row, OVERSAMPLE,
                          linear);
        }
    }
    cairo_surface_destroy(surface);
    return drawn;
}

// Draws the elements of one class alone, opaque: their alpha is how much of a pixel they cover.
static bool draw_mark(RsvgHandle *handle, cmo_sim_mat *mat, cmo_sim_mark mark, GError **error) {
    char *css =
        g_strdup_printf("* { visibility: hidden !important; }"
                        ".%s, .%s * { visibility: visible !important; opacity: 1 !important;"
                        " fill-opacity: 1 !important; stroke-opacity: 1 !important;"
                        " shape-rendering: geometricPrecision !important; }",
                        mark_class[mark], mark_class[mark]);
    bool drawn = rsvg_handle_set_stylesheet(handle, (const guint8 *)css, strlen(css), error);
    g_free(css);
    cairo_surface_t *surface =
        cairo_image_surface_create(CAIRO_FORMAT_A8, mat->columns, STRIP_ROWS);
    for (int row = 0; row < mat->rows && drawn; row += STRIP_ROWS) {
        drawn = draw_strip(handle, mat, surface, row, 1, error);
        const unsigned char *data = cairo_image_surface_get_data(surface);
        size_t stride = (size_t)cairo_image_surface_get_stride(surface);
        for (int j = 0; drawn && j < STRIP_ROWS && row + j < mat->rows; j++) {
            const unsigned char *covers = data + (size_t)j * stride;
            for (int column = 0; column < mat->columns; column++) {
                if (covers[column] != 0) {
                    mat_put_cover(mat, column, row + j, mark, covers[column]);
                }
            }
        }
    }
    cairo_surface_destroy(surface);
    return drawn;
}

// librsvg's parser bounds nesting and references; what is left is one line of its message.
static void tell_svg_error(const char *name, GError *cause, GError **error) {
    char *line = g_strdup(cause != NULL ? cause->message : "it cannot be drawn");
    g_strdelimit(g_strchomp(line), "\n\r", ' ');
    g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_FORMAT, "%s: not a sound SVG: %s", name,
                line);
    g_free(line);
    g_clear_error(&cause);
}

cmo_sim_mat *mat_load_svg(const char *name, const guint8 *bytes, gsize size,
                          const cmo_sim_mat_options *options, GError **error) {
    GError *cause = NULL;
    if (!g_utf8_validate((const char *)bytes, (gssize)size, NULL)) {
        // The parser would complain about it on stderr, over and over.
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_FORMAT,
                    "%s: neither a PNG nor an SVG in UTF-8", name);
        return NULL;
    }
    RsvgHandle *handle = rsvg_handle_new_from_data(bytes, size, &cause);
    if (handle == NULL) {
        tell_svg_error(name, cause, error);
        return NULL;
    }
    double width_mm, height_mm;
    cmo_sim_mat *mat = NULL;
    if (svg_size(name, handle, options->width_mm, &width_mm, &height_mm, error)) {
        mat = mat_new_checked(name, width_mm, height_mm, options->px_per_mm, error);
    }
    if (mat != NULL) {
        bool drawn = draw_light(handle, mat, &cause);
        for (cmo_sim_mark mark = 0; mark < CMO_SIM_VOID && drawn; mark++) {
            if (g_strstr_len((const char *)bytes, (gssize)size, mark_class[mark]) != NULL) {
                drawn = draw_mark(handle, mat, mark, &cause);
            }
        }
        if (!drawn) {
            tell_svg_error(name, cause, error);
            cmo_sim_mat_free(mat);
            mat = NULL;
        }
    }
    g_object_unref(handle);
    return mat;
}
