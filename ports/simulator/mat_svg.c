// SPDX-License-Identifier: MIT
// A mat from SVG, through librsvg.
#include "mat_internal.h"

#include <cairo.h>
#include <librsvg/rsvg.h>
#include <string.h>

#define OVERSAMPLE   2    // drawn this much finer, without blending, and averaged
#define STRIP_ROWS   128  // of the map, drawn at a time: it stays in the cache
#define TILE_COLUMNS 8192 // and as wide at most: no picture of cairo's may have over 32,767

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

// Where a tile begins in the map.
typedef struct tile {
    int row, column;
} tile;

static tile next_tile(const cmo_sim_mat *mat, tile at) {
    at.column += TILE_COLUMNS;
    return at.column < mat->columns ? at : (tile){at.row + STRIP_ROWS, 0};
}

// Rows of the map that one thread draws, and what it finds there.
typedef struct band {
    int first, end;
    bool has[CMO_SIM_VOID];
} band;

// What would take long, and what for: a soft edge is drawn by a gradient just as well.
static const char *too_costly(const char *text, gsize size) {
    if (g_strstr_len(text, (gssize)size, "<!ENTITY") != NULL) {
        return "it declares entities; write out what they stand for, as drawing programs do when "
               "they save a plain SVG";
    }
    const char *end = text + size;
    static const char *const uses[] = {"filter=", "filter:"};
    for (size_t i = 0; i < G_N_ELEMENTS(uses); i++) {
        const char *at = text;
        while ((at = g_strstr_len(at, end - at, uses[i])) != NULL) {
            at += strlen(uses[i]);
            while (at < end && (*at == '"' || *at == '\'' || *at == ' ')) {
                at++;
            }
            if (end - at < 4 || strncmp(at, "none", 4) != 0) {
                return "it uses a filter; draw soft edges with a gradient";
            }
        }
    }
    return NULL;
}

// Draws a tile of the document; the scale is that of a map finer by `fine`.
static bool draw_tile(RsvgHandle *handle, const cmo_sim_mat *mat, cairo_surface_t *surface, tile at,
                      int fine, GError **error) {
    cairo_t *cairo = cairo_create(surface);
    cairo_set_operator(cairo, CAIRO_OPERATOR_CLEAR);
    cairo_paint(cairo);
    cairo_set_operator(cairo, CAIRO_OPERATOR_OVER);
    cairo_translate(cairo, -(double)at.column * fine, -(double)at.row * fine);
    double scale = mat->px_per_mm * fine;
    RsvgRectangle viewport = {0.0, 0.0, mat->width_mm * scale, mat->height_mm * scale};
    gboolean drawn = rsvg_handle_render_document(handle, cairo, &viewport, error);
    cairo_destroy(cairo);
    cairo_surface_flush(surface);
    return drawn;
}

static bool draw_light(RsvgHandle *handle, cmo_sim_mat *mat, const band *of, GError **error) {
    static const char crisp[] =
        "* { shape-rendering: crispEdges !important; filter: none !important; }";
    if (!rsvg_handle_set_stylesheet(handle, (const guint8 *)crisp, sizeof crisp - 1, error)) {
        return false;
    }
    uint32_t linear[256];
    cmi_sim_mat_fill_linear(linear);
    int width = MIN(mat->columns, TILE_COLUMNS) * OVERSAMPLE;
    int height = STRIP_ROWS * OVERSAMPLE;
    cairo_surface_t *surface = cairo_image_surface_create(CAIRO_FORMAT_ARGB32, width, height);
    bool drawn = true;
    for (tile at = {of->first, 0}; at.row < of->end && drawn; at = next_tile(mat, at)) {
        drawn = draw_tile(handle, mat, surface, at, OVERSAMPLE, error);
        if (drawn) {
            cmi_sim_mat_take_rows(mat, cairo_image_surface_get_data(surface),
                                  cairo_image_surface_get_stride(surface), width,
                                  MIN(height, OVERSAMPLE * (of->end - at.row)), at.row, at.column,
                                  OVERSAMPLE, linear);
        }
    }
    cairo_surface_destroy(surface);
    return drawn;
}

// Covers of one row; most of it has none.
static void take_covers(cmo_sim_mat *mat, band *of, cmo_sim_mark mark, tile at,
                        const unsigned char *covers, int columns) {
    uint32_t *row = mat->cover + (size_t)at.row * (size_t)mat->columns + (size_t)at.column;
    for (int column = 0; column < columns; column++) {
        uint64_t eight = 1;
        while (column + 8 <= columns) {
            memcpy(&eight, covers + column, sizeof eight);
            if (eight != 0) {
                break;
            }
            column += 8;
        }
        if (column < columns && covers[column] != 0) {
            row[column] |= (uint32_t)covers[column] << (8 * mark);
            of->has[mark] = of->has[mark] || covers[column] > 127;
        }
    }
}

// Draws the elements of one class alone, opaque: their alpha is how much of a pixel they cover.
static bool draw_mark(RsvgHandle *handle, cmo_sim_mat *mat, band *of, cmo_sim_mark mark,
                      GError **error) {
    char *css =
        g_strdup_printf("* { visibility: hidden !important; filter: none !important; }"
                        ".%s, .%s * { visibility: visible !important; opacity: 1 !important;"
                        " fill-opacity: 1 !important; stroke-opacity: 1 !important;"
                        " shape-rendering: geometricPrecision !important; }",
                        mark_class[mark], mark_class[mark]);
    bool drawn = rsvg_handle_set_stylesheet(handle, (const guint8 *)css, strlen(css), error);
    g_free(css);
    int width = MIN(mat->columns, TILE_COLUMNS);
    cairo_surface_t *surface = cairo_image_surface_create(CAIRO_FORMAT_A8, width, STRIP_ROWS);
    for (tile at = {of->first, 0}; at.row < of->end && drawn; at = next_tile(mat, at)) {
        drawn = draw_tile(handle, mat, surface, at, 1, error);
        const unsigned char *data = cairo_image_surface_get_data(surface);
        size_t stride = (size_t)cairo_image_surface_get_stride(surface);
        for (int j = 0; drawn && j < STRIP_ROWS && at.row + j < of->end; j++) {
            take_covers(mat, of, mark, (tile){at.row + j, at.column}, data + (size_t)j * stride,
                        MIN(width, mat->columns - at.column));
        }
    }
    cairo_surface_destroy(surface);
    return drawn;
}

// ------------------------------------------------------------------------------- bound in time --

#define LONGEST_S    60
#define THREADS_MOST 8

// Drawn by threads of its own, a band of rows each: a single line of a document can keep cairo busy
// for hours, and nothing stops it then.
typedef struct drawing {
    guint8 *bytes; // the document's: each thread reads it for itself, for a handle is no one else's
    gsize size;
    cmo_sim_mat *mat;
    bool wanted[CMO_SIM_VOID]; // marks that the document may hold
    unsigned bands;
    band band[THREADS_MOST];
    GThread *thread[THREADS_MOST];
    gint next; // band to be drawn
    GMutex lock;
    GCond ended;
    unsigned over, drawn;
    GError *cause; // of the first that could not draw
} drawing;

static void cut_into_bands(drawing *d) {
    int strips = (d->mat->rows + STRIP_ROWS - 1) / STRIP_ROWS;
    d->bands = (unsigned)MIN(strips, (int)MIN(g_get_num_processors(), THREADS_MOST));
    for (unsigned i = 0; i < d->bands; i++) {
        d->band[i].first = strips * (int)i / (int)d->bands * STRIP_ROWS;
        d->band[i].end = MIN(strips * (int)(i + 1) / (int)d->bands * STRIP_ROWS, d->mat->rows);
    }
}

static gpointer draw(gpointer data) {
    drawing *d = data;
    band *of = &d->band[g_atomic_int_add(&d->next, 1)];
    GError *cause = NULL;
    RsvgHandle *handle = rsvg_handle_new_from_data(d->bytes, d->size, &cause);
    bool drawn = handle != NULL && draw_light(handle, d->mat, of, &cause);
    for (cmo_sim_mark mark = 0; mark < CMO_SIM_VOID && drawn; mark++) {
        drawn = !d->wanted[mark] || draw_mark(handle, d->mat, of, mark, &cause);
    }
    g_clear_object(&handle);
    g_mutex_lock(&d->lock);
    d->over++;
    d->drawn += drawn;
    if (d->cause == NULL) {
        d->cause = cause;
    } else {
        g_clear_error(&cause);
    }
    g_cond_signal(&d->ended);
    g_mutex_unlock(&d->lock);
    return NULL;
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

static void free_drawing(drawing *d) {
    g_free(d->bytes);
    g_mutex_clear(&d->lock);
    g_cond_clear(&d->ended);
    g_free(d);
}

// Takes the drawing. One that is given up is left to its threads, until the program ends.
static cmo_sim_mat *draw_in_time(const char *name, drawing *d, GError **error) {
    g_mutex_init(&d->lock);
    g_cond_init(&d->ended);
    cut_into_bands(d);
    gint64 until = g_get_monotonic_time() + LONGEST_S * G_TIME_SPAN_SECOND;
    for (unsigned i = 0; i < d->bands; i++) {
        d->thread[i] = g_thread_new("mat", draw, d);
    }
    g_mutex_lock(&d->lock);
    bool in_time = true;
    while (d->over < d->bands && in_time) {
        in_time = g_cond_wait_until(&d->ended, &d->lock, until);
    }
    bool over = d->over == d->bands;
    g_mutex_unlock(&d->lock);
    for (unsigned i = 0; i < d->bands; i++) {
        if (over) {
            g_thread_join(d->thread[i]);
        } else {
            g_thread_unref(d->thread[i]);
        }
    }
    if (!over) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_FORMAT,
                    "%s: it takes more than %d s to draw; make it simpler", name, LONGEST_S);
        return NULL;
    }
    cmo_sim_mat *mat = d->mat;
    for (unsigned i = 0; i < d->bands; i++) {
        for (cmo_sim_mark mark = 0; mark < CMO_SIM_VOID; mark++) {
            mat->has[mark] = mat->has[mark] || d->band[i].has[mark];
        }
    }
    if (d->drawn < d->bands) {
        tell_svg_error(name, d->cause, error);
        g_clear_pointer(&mat, cmo_sim_mat_free);
    }
    free_drawing(d);
    return mat;
}

cmo_sim_mat *cmi_sim_mat_load_svg(const char *name, const guint8 *bytes, gsize size,
                                  const cmo_sim_mat_options *options, GError **error) {
    GError *cause = NULL;
    if (!g_utf8_validate((const char *)bytes, (gssize)size, NULL)) {
        // The parser would complain about it on stderr, over and over.
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_FORMAT,
                    "%s: neither a PNG nor an SVG in UTF-8", name);
        return NULL;
    }
    const char *costly = too_costly((const char *)bytes, size);
    if (costly != NULL) {
        g_set_error(error, CMO_SIM_MAT_ERROR, CMO_SIM_MAT_ERROR_FORMAT, "%s: %s", name, costly);
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
        mat = cmi_sim_mat_new_checked(name, width_mm, height_mm, options->px_per_mm, error);
    }
    g_object_unref(handle);
    if (mat == NULL) {
        return NULL;
    }
    if (options->colour) {
        cmi_sim_mat_keep_colours(mat);
    }
    drawing *d = g_new0(drawing, 1);
    d->bytes = g_memdup2(bytes, size);
    d->size = size;
    d->mat = mat;
    for (cmo_sim_mark mark = 0; mark < CMO_SIM_VOID; mark++) {
        d->wanted[mark] = g_strstr_len((const char *)bytes, (gssize)size, mark_class[mark]) != NULL;
    }
    return draw_in_time(name, d, error);
}
