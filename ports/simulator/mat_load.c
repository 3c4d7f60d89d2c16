// SPDX-License-Identifier: MIT
// Reads a mat from SVG (through librsvg) or PNG (through cairo).
#include "mat_internal.h"

#include <cairo.h>
#include <errno.h>
#include <glib/gstdio.h>
#include <librsvg/rsvg.h>
#include <math.h>
#include <string.h>

#define DEFAULT_PX_PER_MM 2.0
#define OVERSAMPLE        2   // SVGs are drawn this much finer, without blending, and averaged
#define STRIP_ROWS        128 // of the map, drawn at a time: it stays in the cache
#define FILE_MAX          (64U << 20)

static const char *const mark_class[CMO_SIM_VOID] = {"line", "boundary", "decoration"};

// ------------------------------------------------------------------------------------ light --

// x^0.4 for 0 < x <= 1 by Newton's method on y^5 = x^2: plain arithmetic, the same everywhere.
static double power_0_4(double x) {
    double square = x * x;
    double y = 1.0;
    for (int i = 0; i < 60; i++) {
        double y4 = y * y * y * y;
        y -= (y4 * y - square) / (5.0 * y4);
    }
    return y;
}

// sRGB to linear light (IEC 61966-2-1), 0..65535.
static void fill_linear(uint32_t linear[256]) {
    for (int i = 0; i < 256; i++) {
        double c = i / 255.0;
        double base = (c + 0.055) / 1.055;
        double light = c <= 0.04045 ? c / 12.92 : base * base * power_0_4(base);
        linear[i] = (uint32_t)(light * LIGHT_ONE + 0.5);
    }
}

// Luminance of a cairo pixel (ARGB, colours multiplied by alpha), with what is transparent as void.
static uint32_t luminance(uint32_t pixel, const uint32_t linear[256]) {
    uint32_t alpha = pixel >> 24;
    if (alpha == 0) {
        return 0;
    }
    uint32_t colour[3];
    for (int i = 0; i < 3; i++) {
        uint32_t c = pixel >> (8 * i) & 0xFFU;
        colour[i] = linear[alpha == 255 ? c : MIN(255U, (c * 255U + alpha / 2) / alpha)];
    }
    uint64_t y =
        722U * (uint64_t)colour[0] + 7152U * (uint64_t)colour[1] + 2126U * (uint64_t)colour[2];
    return (uint32_t)(y * alpha / 255U / 10000U);
}

// What the last k x k block of pixels came to; most blocks equal the one before them.
typedef struct block {
    uint32_t pixel; // the colour of a block of one colour
    uint32_t light, alpha;
    bool known;
} block;

static void take_block(block *last, const uint32_t *const *rows, int column, int width, int k,
                       const uint32_t linear[256]) {
    uint32_t first = rows[0][MIN(column * k, width - 1)];
    bool same = true;
    uint32_t light = 0;
    uint32_t alpha = 0;
    for (int j = 0; j < k && same; j++) {
        for (int i = 0; i < k; i++) {
            same = same && rows[j][MIN(column * k + i, width - 1)] == first;
        }
    }
    if (same && last->known && last->pixel == first) {
        return;
    }
    for (int j = 0; j < k; j++) {
        for (int i = 0; i < k; i++) {
            uint32_t pixel = rows[j][MIN(column * k + i, width - 1)];
            light += luminance(pixel, linear);
            alpha += pixel >> 24;
        }
    }
    uint32_t samples = (uint32_t)(k * k);
    last->known = same;
    last->pixel = first;
    last->light = (light + samples / 2) / samples;
    last->alpha = alpha / samples;
}

// Averages k x k pixels of a drawing into each pixel of the map.
static void take_rows(cmo_sim_mat *mat, const unsigned char *data, int stride, int width,
                      int height, int first_row, int k, const uint32_t linear[256]) {
    const uint32_t **rows = g_new(const uint32_t *, k);
    block last = {.known = false};
    for (int row = first_row; row < mat->rows && (row - first_row) * k < height; row++) {
        for (int j = 0; j < k; j++) {
            size_t y = (size_t)MIN((row - first_row) * k + j, height - 1);
            rows[j] = (const uint32_t *)(const void *)(data + y * (size_t)stride);
        }
        uint32_t *cover = mat->cover + (size_t)row * (size_t)mat->columns;
        uint32_t *sums = mat->sums + (size_t)row * (size_t)(mat->columns + 1);
        uint64_t pair = 0; // two pixels of one colour, as long as that colour goes on
        bool plain = false;
        for (int column = 0; column < mat->columns; column++) {
            if (k == 2 && 2 * column + 1 < width) {
                uint64_t top, bottom;
                memcpy(&top, rows[0] + 2 * column, sizeof top);
                memcpy(&bottom, rows[1] + 2 * column, sizeof bottom);
                if (!plain || top != pair || bottom != pair) {
                    take_block(&last, rows, column, width, k, linear);
                    plain = last.known;
                    pair = top;
                }
            } else {
                take_block(&last, rows, column, width, k, linear);
            }
            sums[column + 1] = sums[column] + last.light;
            cover[column] = (255U - last.alpha) << (8 * CMO_SIM_VOID);
        }
    }
    g_free(rows);
}

// -------------------------------------------------------------------------------------- size --

static cmo_sim_mat *new_mat(const char *name, double width_mm, double height_mm, double px_per_mm,
                            GError **error) {
    if (!(width_mm >= 10.0) || !(height_mm >= 10.0)) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_SIZE,
                    "%s: the mat is %.3g x %.3g mm, which is less than 10 mm; is its size right?",
                    name, width_mm, height_mm);
        return NULL;
    }
    if (width_mm > CMO_SIM_MAT_SIDE_MAX || height_mm > CMO_SIM_MAT_SIDE_MAX) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_SIZE,
                    "%s: the mat is %.0f x %.0f mm; at most %.0f mm a side can be simulated", name,
                    width_mm, height_mm, CMO_SIM_MAT_SIDE_MAX);
        return NULL;
    }
    double pixels = width_mm * height_mm * px_per_mm * px_per_mm;
    if (pixels > CMO_SIM_MAT_PIXELS_MAX) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_SIZE,
                    "%s: a mat of %.0f x %.0f mm at %.3g px/mm takes %.0f million pixels, more "
                    "than %.0f million; choose at most %.2g px/mm",
                    name, width_mm, height_mm, px_per_mm, pixels / 1e6,
                    CMO_SIM_MAT_PIXELS_MAX / 1e6,
                    sqrt(CMO_SIM_MAT_PIXELS_MAX / (width_mm * height_mm)));
        return NULL;
    }
    return cmo_sim_mat_new(width_mm, height_mm, px_per_mm);
}

// --------------------------------------------------------------------------------------- SVG --

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
    fill_linear(linear);
    int width = mat->columns * OVERSAMPLE;
    int height = STRIP_ROWS * OVERSAMPLE;
    cairo_surface_t *surface = cairo_image_surface_create(CAIRO_FORMAT_ARGB32, width, height);
    bool drawn = true;
    for (int row = 0; row < mat->rows && drawn; row += STRIP_ROWS) {
        drawn = draw_strip(handle, mat, surface, row, OVERSAMPLE, error);
        if (drawn) {
            take_rows(mat, cairo_image_surface_get_data(surface),
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

static cmo_sim_mat *load_svg(const char *name, const guint8 *bytes, gsize size,
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
        mat = new_mat(name, width_mm, height_mm, options->px_per_mm, error);
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

// --------------------------------------------------------------------------------------- PNG --

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

static cmo_sim_mat *load_png(const char *name, bool is_path, const guint8 *bytes, gsize size,
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
    cmo_sim_mat *mat = new_mat(name, width / px_per_mm, height / px_per_mm, px_per_mm / k, error);
    cairo_surface_t *surface = mat != NULL ? read_png(name, bytes, size, error) : NULL;
    bool good = surface != NULL;
    if (good) {
        uint32_t linear[256];
        fill_linear(linear);
        take_rows(mat, cairo_image_surface_get_data(surface),
                  cairo_image_surface_get_stride(surface), (int)width, (int)height, 0, k, linear);
        cairo_surface_destroy(surface);
        good = !is_path || load_marks(mat, name, (int)width, (int)height, k, error);
    }
    if (!good) {
        cmo_sim_mat_free(mat);
        mat = NULL;
    }
    return mat;
}

// -------------------------------------------------------------------------------------- both --

static cmo_sim_mat *load(const char *name, bool is_path, const guint8 *bytes, gsize size,
                         const cmo_sim_mat_options *options, GError **error) {
    static const guint8 signature[8] = {0x89, 'P', 'N', 'G', '\r', '\n', 0x1A, '\n'};
    cmo_sim_mat_options chosen = {DEFAULT_PX_PER_MM, 0.0};
    if (options != NULL) {
        chosen.width_mm = options->width_mm;
        chosen.px_per_mm = options->px_per_mm > 0.0 ? options->px_per_mm : DEFAULT_PX_PER_MM;
    }
    if (!(chosen.px_per_mm >= 0.25 && chosen.px_per_mm <= 10.0)) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_SIZE,
                    "%s: the map's resolution must be 0.25 to 10 px/mm, not %.3g", name,
                    chosen.px_per_mm);
        return NULL;
    }
    if (size == 0) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_FORMAT,
                    "%s: the file is empty; a mat is an SVG or a PNG", name);
        return NULL;
    }
    cmo_sim_mat *mat = size >= 8 && memcmp(bytes, signature, 8) == 0
                           ? load_png(name, is_path, bytes, size, &chosen, error)
                           : load_svg(name, bytes, size, &chosen, error);
    if (mat != NULL) {
        mat->has[CMO_SIM_VOID] = true; // beyond the edges, if nowhere else
    }
    return mat;
}

cmo_sim_mat *cmo_sim_mat_from_bytes(const char *name, const void *bytes, size_t size,
                                    const cmo_sim_mat_options *options, GError **error) {
    return load(name, false, bytes, size, options, error);
}

cmo_sim_mat *cmo_sim_mat_load(const char *path, const cmo_sim_mat_options *options,
                              GError **error) {
    char *bytes = NULL;
    gsize size = 0;
    GError *cause = NULL;
    GStatBuf status;
    if (g_stat(path, &status) == 0 && status.st_size > (goffset)FILE_MAX) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_SIZE,
                    "%s: the file has %.0f MB, more than %u MB", path, (double)status.st_size / 1e6,
                    FILE_MAX >> 20);
        return NULL;
    }
    if (!g_file_get_contents(path, &bytes, &size, &cause)) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_FILE,
                    "%s: the mat cannot be read: %s", path, g_strerror(errno));
        g_clear_error(&cause);
        return NULL;
    }
    cmo_sim_mat *mat = load(path, true, (const guint8 *)bytes, size, options, error);
    g_free(bytes);
    return mat;
}
