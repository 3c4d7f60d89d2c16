// SPDX-License-Identifier: MIT
// What the mat answers: light under a spot, marks at a point, the normal of an edge.
#define _DEFAULT_SOURCE // madvise
#include "mat_internal.h"

#include <math.h>
#include <sys/mman.h>

GQuark cmo_sim_mat_error_quark(void) {
    return g_quark_from_static_string("cmo-sim-mat-error-quark");
}

// Zeros for a pixel each and one a row more. Large pages spare thousands of faults as they are
// first written, where the system has them to give.
static uint32_t *new_plane(size_t columns, size_t rows) {
    size_t size = columns * rows * sizeof(uint32_t);
    uint32_t *plane = g_malloc0(size);
#ifdef MADV_HUGEPAGE
    const size_t page = 4096;
    uintptr_t first = ((uintptr_t)plane + page - 1) & ~(page - 1);
    if (size > 1024 * page) {
        madvise((void *)first, size - page, MADV_HUGEPAGE); // if not, nothing is lost
    }
#endif
    return plane;
}

cmo_sim_mat *cmi_sim_mat_new(double width_mm, double height_mm, double px_per_mm) {
    cmo_sim_mat *mat = g_new0(cmo_sim_mat, 1);
    mat->columns = (int)ceil(width_mm * px_per_mm - 1e-6);
    mat->rows = (int)ceil(height_mm * px_per_mm - 1e-6);
    mat->px_per_mm = px_per_mm;
    mat->width_mm = width_mm;
    mat->height_mm = height_mm;
    mat->sums = new_plane((size_t)mat->columns + 1, (size_t)mat->rows);
    mat->cover = new_plane((size_t)mat->columns, (size_t)mat->rows);
    return mat;
}

void cmi_sim_mat_keep_colours(cmo_sim_mat *mat) {
    for (int i = 0; i < 3; i++) {
        mat->colour[i] = new_plane((size_t)mat->columns + 1, (size_t)mat->rows);
    }
}

cmo_sim_mat *cmo_sim_mat_share(cmo_sim_mat *mat) {
    g_atomic_int_inc(&mat->shared);
    return mat;
}

void cmo_sim_mat_free(cmo_sim_mat *mat) {
    if (mat == NULL || g_atomic_int_add(&mat->shared, -1) > 0) {
        return;
    }
    for (int mark = 0; mark < CMO_SIM_MARKS; mark++) {
        g_free(mat->field[mark].nearest);
        g_free(mat->field[mark].pieces);
    }
    for (int i = 0; i < 3; i++) {
        g_free(mat->colour[i]);
    }
    g_free(mat->sums);
    g_free(mat->cover);
    g_free(mat->tile);
    g_free(mat);
}

// A pixel is looked at in 4 x 4 places.
#define PLACES 4

// Luminance of a pixel that is not all the same, 0..65535, and one byte a mark: how much of it is
// covered.
static uint32_t take_mixed(cmo_sim_mat_function function, void *data, const double *x,
                           const double *y, uint32_t *cover) {
    double light = 0.0;
    uint32_t covers[CMO_SIM_MARKS] = {0};
    for (int i = 0; i < PLACES * PLACES; i++) {
        unsigned marks = 0;
        double here = function(data, x[i % PLACES], y[i / PLACES], &marks);
        light += marks & 1U << CMO_SIM_VOID ? 0.0 : here;
        for (int mark = 0; mark < CMO_SIM_MARKS; mark++) {
            covers[mark] += marks >> mark & 1U;
        }
    }
    *cover = 0;
    for (int mark = 0; mark < CMO_SIM_MARKS; mark++) {
        *cover |= covers[mark] * 255U / (PLACES * PLACES) << (8 * mark);
    }
    return (uint32_t)(light / (PLACES * PLACES) * LIGHT_ONE + 0.5);
}

// The same of any pixel: where its corners agree, the rest of it does too.
static uint32_t take_pixel(cmo_sim_mat_function function, void *data, const double *x,
                           const double *y, uint32_t *cover) {
    unsigned first_marks = 0;
    double first = function(data, x[0], y[0], &first_marks);
    for (int i = 1; i < 4; i++) {
        unsigned marks = 0;
        double here = function(data, x[i % 2 * (PLACES - 1)], y[i / 2 * (PLACES - 1)], &marks);
        if (here != first || marks != first_marks) {
            return take_mixed(function, data, x, y, cover);
        }
    }
    *cover = 0;
    for (int mark = 0; first_marks >> mark != 0 && mark < CMO_SIM_MARKS; mark++) {
        *cover |= (first_marks >> mark & 1U) * 255U << (8 * mark);
    }
    return first_marks & 1U << CMO_SIM_VOID ? 0 : (uint32_t)(first * LIGHT_ONE + 0.5);
}

cmo_sim_mat *cmo_sim_mat_from_function(double width_mm, double height_mm, double px_per_mm,
                                       cmo_sim_mat_function function, void *data) {
    cmo_sim_mat *mat = cmi_sim_mat_new(width_mm, height_mm, px_per_mm);
    double *x = g_new(double, PLACES * mat->columns);
    for (int i = 0; i < PLACES * mat->columns; i++) {
        x[i] = (i / PLACES + (i % PLACES + 0.5) / PLACES) / px_per_mm;
    }
    uint32_t *cover = mat->cover;
    uint32_t any = 0;
    for (int row = 0; row < mat->rows; row++) {
        double y[PLACES];
        for (int i = 0; i < PLACES; i++) {
            y[i] = height_mm - (row + (i + 0.5) / PLACES) / px_per_mm;
        }
        for (int column = 0; column < mat->columns; column++, cover++) {
            mat_put_light(mat, mat->sums, column, row,
                          take_pixel(function, data, x + PLACES * column, y, cover));
            any |= *cover;
        }
    }
    g_free(x);
    for (int mark = 0; mark < CMO_SIM_MARKS; mark++) {
        mat->has[mark] = any >> (8 * mark) & 128U; // somewhere more than half
    }
    mat->has[CMO_SIM_VOID] = true;
    cmi_sim_mat_find_plain(mat);
    return mat;
}

double cmo_sim_mat_width_mm(const cmo_sim_mat *mat) {
    return mat->width_mm;
}

double cmo_sim_mat_height_mm(const cmo_sim_mat *mat) {
    return mat->height_mm;
}

bool cmo_sim_mat_has(const cmo_sim_mat *mat, cmo_sim_mark mark) {
    return mat->has[mark];
}

// floor() of what a place on or near a mat can be, in pixels, without a call.
static int floor_of(double value) {
    double bounded = CLAMP(value, -1e6, 1e8);
    return (int)(bounded + 1048576.0) - 1048576;
}

// Running sum of a row up to a place between its pixels.
static inline double sum_up_to(const uint32_t *sums, int columns, double at) {
    if (at <= 0.0) {
        return 0.0;
    }
    if (at >= columns) {
        return sums[columns];
    }
    int column = (int)at;
    double share = at - column;
    return sums[column] + share * (sums[column + 1] - sums[column]);
}

// A smaller disc would fall between the middles of two rows, and see nothing.
#define LEAST_PX 0.75

static double plane_light(const cmo_sim_mat *mat, const uint32_t *plane, double x_mm, double y_mm,
                          double spot_mm) {
    double x = x_mm * mat->px_per_mm;
    double y = (mat->height_mm - y_mm) * mat->px_per_mm;
    double radius = MAX(0.5 * spot_mm * mat->px_per_mm, LEAST_PX);
    const mat_tile *tile = mat_plain_tile(mat, x, y, radius);
    if (tile != NULL && plane == mat->sums) {
        return tile->light * (1.0 / LIGHT_ONE);
    }
    if (tile != NULL) {
        const uint32_t *sums = plane + (size_t)(int)y * (size_t)(mat->columns + 1) + (size_t)(int)x;
        return (sums[1] - sums[0]) * (1.0 / LIGHT_ONE);
    }
    // The disc, cut into the map's rows: each row's chord is taken at its middle.
    int first = floor_of(y - radius);
    int last = floor_of(y + radius);
    double light = 0.0;
    double area = 0.0;
    for (int row = first; row <= last; row++) {
        double offset = row + 0.5 - y;
        double square = radius * radius - offset * offset;
        if (square <= 0.0) {
            continue;
        }
        double half = sqrt(square);
        area += 2.0 * half;
        if (row >= 0 && row < mat->rows) {
            const uint32_t *sums = plane + (size_t)row * (size_t)(mat->columns + 1);
            light +=
                sum_up_to(sums, mat->columns, x + half) - sum_up_to(sums, mat->columns, x - half);
        }
    }
    return area > 0.0 ? light / (area * LIGHT_ONE) : 0.0;
}

double cmo_sim_mat_light(const cmo_sim_mat *mat, double x_mm, double y_mm, double spot_mm) {
    return plane_light(mat, mat->sums, x_mm, y_mm, spot_mm);
}

void cmo_sim_mat_colour(const cmo_sim_mat *mat, double x_mm, double y_mm, double spot_mm,
                        double colour[3]) {
    for (int i = 0; i < 3; i++) {
        const uint32_t *plane = mat->colour[i] != NULL ? mat->colour[i] : mat->sums;
        colour[i] = plane_light(mat, plane, x_mm, y_mm, spot_mm);
    }
}

static uint32_t cover_at(const cmo_sim_mat *mat, int column, int row) {
    if (column < 0 || row < 0 || column >= mat->columns || row >= mat->rows) {
        return 0xFFU << (8 * CMO_SIM_VOID);
    }
    return mat->cover[(size_t)row * (size_t)mat->columns + (size_t)column];
}

unsigned cmo_sim_mat_inside(const cmo_sim_mat *mat, double x_mm, double y_mm) {
    double x = x_mm * mat->px_per_mm;
    double y = (mat->height_mm - y_mm) * mat->px_per_mm;
    const mat_tile *tile = mat_plain_tile(mat, x, y, 1.0);
    if (tile != NULL) {
        return tile->marks;
    }
    int column = floor_of(x - 0.5);
    int row = floor_of(y - 0.5);
    uint32_t a = cover_at(mat, column, row);
    if (a == cover_at(mat, column + 1, row) && a == cover_at(mat, column, row + 1) &&
        a == cover_at(mat, column + 1, row + 1)) {
        return mat_marks_of(a);
    }
    double cover[CMO_SIM_MARKS];
    cmo_sim_mat_cover(mat, x_mm, y_mm, cover);
    unsigned inside = 0;
    for (unsigned mark = 0; mark < CMO_SIM_MARKS; mark++) {
        inside |= (cover[mark] > 0.5 ? 1U : 0U) << mark;
    }
    return inside;
}

void cmo_sim_mat_cover(const cmo_sim_mat *mat, double x_mm, double y_mm,
                       double cover[CMO_SIM_MARKS]) {
    double x = x_mm * mat->px_per_mm - 0.5;
    double y = (mat->height_mm - y_mm) * mat->px_per_mm - 0.5;
    int column = floor_of(x);
    int row = floor_of(y);
    uint32_t a = cover_at(mat, column, row);
    uint32_t b = cover_at(mat, column + 1, row);
    uint32_t c = cover_at(mat, column, row + 1);
    uint32_t d = cover_at(mat, column + 1, row + 1);
    if (a == b && a == c && a == d) {
        for (int mark = 0; mark < CMO_SIM_MARKS; mark++) {
            cover[mark] = (a >> (8 * mark) & 0xFFU) / 255.0;
        }
        return;
    }
    double right = x - column;
    double down = y - row;
    for (int mark = 0; mark < CMO_SIM_MARKS; mark++) {
        int shift = 8 * mark;
        double top = (a >> shift & 0xFFU) * (1.0 - right) + (b >> shift & 0xFFU) * right;
        double bottom = (c >> shift & 0xFFU) * (1.0 - right) + (d >> shift & 0xFFU) * right;
        cover[mark] = (top * (1.0 - down) + bottom * down) / 255.0;
    }
}

static double cover_of(const cmo_sim_mat *mat, cmo_sim_mark mark, double x_mm, double y_mm) {
    double cover[CMO_SIM_MARKS];
    cmo_sim_mat_cover(mat, x_mm, y_mm, cover);
    return cover[mark];
}

// The place of the edge on a straight way from (x, y) - 6 mm n to + 6 mm n, mm along n.
static bool edge_along(const cmo_sim_mat *mat, cmo_sim_mark mark, double x_mm, double y_mm,
                       double normal_x, double normal_y, double *place_mm) {
    double low = -6.0;
    double high = 6.0;
    bool low_in = cover_of(mat, mark, x_mm + low * normal_x, y_mm + low * normal_y) > 0.5;
    bool high_in = cover_of(mat, mark, x_mm + high * normal_x, y_mm + high * normal_y) > 0.5;
    if (low_in || !high_in) {
        return false;
    }
    for (int i = 0; i < 20; i++) {
        double middle = 0.5 * (low + high);
        if (cover_of(mat, mark, x_mm + middle * normal_x, y_mm + middle * normal_y) > 0.5) {
            high = middle;
        } else {
            low = middle;
        }
    }
    *place_mm = 0.5 * (low + high);
    return true;
}

bool cmo_sim_mat_normal(const cmo_sim_mat *mat, cmo_sim_mark mark, double x_mm, double y_mm,
                        double *normal_x, double *normal_y) {
    // Rough, from the cover on a ring around the point; then from two points of the edge.
    double nx = 0.0;
    double ny = 0.0;
    static const double ring[8][2] = {
        {1, 0},  {0.70710678, 0.70710678},   {0, 1},  {-0.70710678, 0.70710678},
        {-1, 0}, {-0.70710678, -0.70710678}, {0, -1}, {0.70710678, -0.70710678}};
    for (int i = 0; i < 8; i++) {
        double cover = cover_of(mat, mark, x_mm + 2.0 * ring[i][0], y_mm + 2.0 * ring[i][1]);
        nx += cover * ring[i][0];
        ny += cover * ring[i][1];
    }
    double length = sqrt(nx * nx + ny * ny);
    if (length < 0.5) {
        return false;
    }
    nx /= length;
    ny /= length;
    for (int pass = 0; pass < 2; pass++) {
        double here, there;
        double side = 8.0;
        bool found = edge_along(mat, mark, x_mm - side * ny, y_mm + side * nx, nx, ny, &here) &&
                     edge_along(mat, mark, x_mm + side * ny, y_mm - side * nx, nx, ny, &there);
        if (!found) {
            break; // a corner or an end: the rough one must do
        }
        double tx = -2.0 * side * ny + (here - there) * nx;
        double ty = 2.0 * side * nx + (here - there) * ny;
        length = sqrt(tx * tx + ty * ty);
        nx = ty / length;
        ny = -tx / length;
    }
    *normal_x = nx;
    *normal_y = ny;
    return true;
}
