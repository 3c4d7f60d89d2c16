// SPDX-License-Identifier: MIT
// A mat from PNG, through cairo; its scale from the file's own chunk.
#include "mat_internal.h"

#include <cairo.h>
#include <math.h>
#include <string.h>

typedef struct byte_reader {
    const guint8 *bytes;
    gsize size, at;
} byte_reader;

static cairo_status_t read_bytes(void *closure, unsigned char *data, unsigned int length) {
    byte_reader *reader = closure;
    if (length > reader->size - reader->at) {
        return CAIRO_STATUS_READ_ERROR;
    }
    memcpy(data, reader->bytes + reader->at, length);
    reader->at += length;
    return CAIRO_STATUS_SUCCESS;
}

static uint32_t big_endian(const guint8 *at) {
    return (uint32_t)at[0] << 24 | (uint32_t)at[1] << 16 | (uint32_t)at[2] << 8 | at[3];
}

// Size in pixels from the IHDR chunk, and the scale from pHYs (0: it has none). PNG
// specification, 5.3 and 11.3.5.3.
static bool png_header(const guint8 *bytes, gsize size, uint32_t *width, uint32_t *height,
                       double *px_per_mm) {
    *px_per_mm = 0.0;
    if (size < 33 || memcmp(bytes + 12, "IHDR", 4) != 0) {
        return false;
    }
    *width = big_endian(bytes + 16);
    *height = big_endian(bytes + 20);
    for (gsize at = 8; at + 12 <= size;) {
        gsize length = big_endian(bytes + at);
        if (length > size - at - 12) {
            break;
        }
        if (memcmp(bytes + at + 4, "pHYs", 4) == 0 && length == 9 && bytes[at + 16] == 1) {
            *px_per_mm = big_endian(bytes + at + 8) / 1000.0;
        }
        at += length + 12;
    }
    return *width > 0 && *height > 0;
}

static cairo_surface_t *read_png(const char *name, const guint8 *bytes, gsize size,
                                 GError **error) {
    byte_reader reader = {bytes, size, 0};
    cairo_surface_t *png = cairo_image_surface_create_from_png_stream(read_bytes, &reader);
    cairo_status_t status = cairo_surface_status(png);
    if (status != CAIRO_STATUS_SUCCESS) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_FORMAT, "%s: not a sound PNG: %s",
                    name, cairo_status_to_string(status));
        cairo_surface_destroy(png);
        return NULL;
    }
    // Whatever the file holds, colours multiplied by alpha are what the map is made from.
    int width = cairo_image_surface_get_width(png);
    int height = cairo_image_surface_get_height(png);
    cairo_surface_t *surface = cairo_image_surface_create(CAIRO_FORMAT_ARGB32, width, height);
    cairo_t *cairo = cairo_create(surface);
    cairo_set_operator(cairo, CAIRO_OPERATOR_SOURCE);
    cairo_set_source_surface(cairo, png, 0.0, 0.0);
    cairo_paint(cairo);
    cairo_destroy(cairo);
    cairo_surface_destroy(png);
    cairo_surface_flush(surface);
    return surface;
}

static void take_marks(cmo_sim_mat *mat, cairo_surface_t *surface, int k) {
    static const uint32_t colour[CMO_SIM_VOID] = {0xFF00FF00U, 0xFFFF0000U, 0xFF0000FFU};
    const unsigned char *data = cairo_image_surface_get_data(surface);
    size_t stride = (size_t)cairo_image_surface_get_stride(surface);
    int width = cairo_image_surface_get_width(surface);
    int height = cairo_image_surface_get_height(surface);
    for (int row = 0; row < mat->rows; row++) {
        for (int column = 0; column < mat->columns; column++) {
            uint32_t count[CMO_SIM_VOID] = {0};
            for (int i = 0; i < k * k; i++) {
                size_t y = (size_t)MIN(row * k + i / k, height - 1);
                int x = MIN(column * k + i % k, width - 1);
                uint32_t pixel = ((const uint32_t *)(const void *)(data + y * stride))[x];
                for (int mark = 0; mark < CMO_SIM_VOID; mark++) {
                    count[mark] += pixel == colour[mark];
                }
            }
            for (cmo_sim_mark mark = 0; mark < CMO_SIM_VOID; mark++) {
                mat_put_cover(mat, column, row, mark, count[mark] * 255U / (uint32_t)(k * k));
            }
        }
    }
}

static bool load_marks(cmo_sim_mat *mat, const char *path, int width, int height, int k,
                       GError **error) {
    gsize stem = strlen(path);
    stem -= g_str_has_suffix(path, ".png") || g_str_has_suffix(path, ".PNG") ? 4 : 0;
    char *marks_path = g_strdup_printf("%.*s.marks.png", (int)stem, path);
    char *bytes = NULL;
    gsize size;
    bool good = true;
    if (g_file_test(marks_path, G_FILE_TEST_EXISTS)) {
        GError *cause = NULL;
        good = g_file_get_contents(marks_path, &bytes, &size, &cause);
        if (!good) {
            g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_FILE, "%s", cause->message);
            g_clear_error(&cause);
        }
        uint32_t marks_width = 0;
        uint32_t marks_height = 0;
        double scale;
        if (good &&
            (!png_header((const guint8 *)bytes, size, &marks_width, &marks_height, &scale) ||
             (int)marks_width != width || (int)marks_height != height)) {
            g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_SIZE,
                        "%s: must be a PNG of %d x %d pixels, as the mat beside it", marks_path,
                        width, height);
            good = false;
        }
        cairo_surface_t *surface =
            good ? read_png(marks_path, (const guint8 *)bytes, size, error) : NULL;
        good = surface != NULL;
        if (good) {
            take_marks(mat, surface, k);
            cairo_surface_destroy(surface);
        }
    }
    g_free(bytes);
    g_free(marks_path);
    return good;
}

cmo_sim_mat *cmi_sim_mat_load_png(const char *name, bool is_path, const guint8 *bytes, gsize size,
                                  const cmo_sim_mat_options *options, GError **error) {
    uint32_t width, height;
    double px_per_mm;
    if (!png_header(bytes, size, &width, &height, &px_per_mm)) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_FORMAT, "%s: not a sound PNG",
                    name);
        return NULL;
    }
    if (options->width_mm > 0.0) {
        px_per_mm = width / options->width_mm;
    }
    if (px_per_mm <= 0.0) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_SIZE,
                    "%s: the PNG does not say its true size; save it with its resolution in pixels "
                    "per metre, or give mat_width_mm in the route",
                    name);
        return NULL;
    }
    // A fine picture is averaged down in whole steps, one coarser than asked for is taken as it is.
    int k = MAX(1, (int)floor(px_per_mm / options->px_per_mm + 1e-9));
    if ((double)width * height > 4.0 * CMO_SIM_MAT_PIXELS_MAX) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_SIZE,
                    "%s: the PNG has %.0f million pixels, more than %.0f million", name,
                    (double)width * height / 1e6, 4.0 * CMO_SIM_MAT_PIXELS_MAX / 1e6);
        return NULL;
    }
    cmo_sim_mat *mat =
        cmi_sim_mat_new_checked(name, width / px_per_mm, height / px_per_mm, px_per_mm / k, error);
    cairo_surface_t *surface = mat != NULL ? read_png(name, bytes, size, error) : NULL;
    bool good = surface != NULL;
    if (good && options->colour) {
        cmi_sim_mat_keep_colours(mat);
    }
    if (good) {
        uint32_t linear[256];
        cmi_sim_mat_fill_linear(linear);
        cmi_sim_mat_take_rows(mat, cairo_image_surface_get_data(surface),
                              cairo_image_surface_get_stride(surface), (int)width, (int)height, 0,
                              0, k, linear);
        cairo_surface_destroy(surface);
        good = !is_path || load_marks(mat, name, (int)width, (int)height, k, error);
    }
    if (!good) {
        cmo_sim_mat_free(mat);
        mat = NULL;
    }
    return mat;
}
