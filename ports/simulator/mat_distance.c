// SPDX-License-Identifier: MIT
// Distance to the nearest edge of a mark. A coarse map says for each of its pixels which piece of
// edge is nearest (exact Euclidean transform after Felzenszwalb and Huttenlocher, Distance
// Transforms of Sampled Functions, 2012); the distance is then taken to that piece of edge itself.
#include "bands.h"
#include "mat_internal.h"

#include <math.h>

#define RIM       2   // void pixels around the mat, so that its outer edge counts too
#define HALF_EDGE 0.8 // half the length of a piece of edge, mm

static double cover_of(const cmo_sim_mat *mat, cmo_sim_mark mark, double x_mm, double y_mm) {
    double cover[CMO_SIM_MARKS];
    cmo_sim_mat_cover(mat, x_mm, y_mm, cover);
    return cover[mark];
}

void cmi_sim_mat_nearest(const double *in, int *from, int count, int *hull, double *limit) {
    int k = -1;
    for (int q = 0; q < count; q++) {
        if (isinf(in[q])) {
            continue;
        }
        double at = -INFINITY;
        while (k >= 0) {
            int p = hull[k];
            at = ((in[q] + (double)q * q) - (in[p] + (double)p * p)) / (2.0 * (q - p));
            if (at > limit[k]) {
                break;
            }
            k--;
            at = -INFINITY;
        }
        k++;
        hull[k] = q;
        limit[k] = at;
    }
    int used = k;
    k = 0;
    for (int q = 0; q < count; q++) {
        while (k < used && limit[k + 1] < q) {
            k++;
        }
        from[q] = used < 0 ? -1 : hull[k];
    }
}

// Where the edge lies on the way along a normal, within 1.5 mm, by bisection.
static double edge_along(const cmo_sim_mat *mat, cmo_sim_mark mark, double x, double y, double nx,
                         double ny) {
    double low = -1.5;
    double high = 1.5;
    for (int i = 0; i < 10; i++) {
        double middle = 0.5 * (low + high);
        if (cover_of(mat, mark, x + middle * nx, y + middle * ny) > 0.5) {
            high = middle;
        } else {
            low = middle;
        }
    }
    return 0.5 * (low + high);
}

// The piece of edge next to a point.
static edge_piece find_piece(const cmo_sim_mat *mat, cmo_sim_mark mark, double x, double y) {
    static const double ring[4][2] = {{1, 0}, {0, 1}, {-1, 0}, {0, -1}};
    double nx = 0.0;
    double ny = 0.0;
    for (int i = 0; i < 4; i++) {
        for (int half = 1; half <= 2; half++) {
            double cover =
                cover_of(mat, mark, x + 0.75 * half * ring[i][0], y + 0.75 * half * ring[i][1]);
            nx += cover * ring[i][0];
            ny += cover * ring[i][1];
        }
    }
    double length = sqrt(nx * nx + ny * ny);
    edge_piece piece = {(float)x, (float)y, 0.0F, 0.0F};
    if (length < 0.2) {
        return piece; // a sharp corner: its middle must do
    }
    nx /= length;
    ny /= length;
    double here = edge_along(mat, mark, x, y, nx, ny);
    // The tangent, from two neighbouring points of the edge.
    double left = edge_along(mat, mark, x - HALF_EDGE * ny, y + HALF_EDGE * nx, nx, ny);
    double right = edge_along(mat, mark, x + HALF_EDGE * ny, y - HALF_EDGE * nx, nx, ny);
    double tx = -2.0 * HALF_EDGE * ny + (left - right) * nx;
    double ty = 2.0 * HALF_EDGE * nx + (left - right) * ny;
    length = sqrt(tx * tx + ty * ty);
    piece.x_mm = (float)(x + here * nx);
    piece.y_mm = (float)(y + here * ny);
    piece.tangent_x = (float)(tx / length);
    piece.tangent_y = (float)(ty / length);
    return piece;
}

static bool differs(const bool *inside, int columns, int rows, int column, int row) {
    size_t at = (size_t)row * (size_t)columns + (size_t)column;
    return (column + 1 < columns && inside[at] != inside[at + 1]) ||
           (row + 1 < rows && inside[at] != inside[at + (size_t)columns]) ||
           (column > 0 && inside[at] != inside[at - 1]) ||
           (row > 0 && inside[at] != inside[at - (size_t)columns]);
}

static bool is_inside(const cmo_sim_mat *mat, cmo_sim_mark mark, double x_mm, double y_mm) {
    return cmo_sim_mat_inside(mat, x_mm, y_mm) >> mark & 1U;
}

// Work on a field; each row, or column, by one thread.
typedef struct measuring {
    const cmo_sim_mat *mat;
    cmo_sim_mark mark;
    edge_field *field;
    bool *inside; // of each pixel: within the mark
    int *first;   // of each row: its first piece; and the number of all behind the last one
    int *own;     // of each pixel: the piece that is there, -1: none
    int *row;     // the row of the nearest piece in the same column, -1: none
} measuring;

static size_t at_of(const edge_field *field, int column, int row) {
    return (size_t)row * (size_t)field->columns + (size_t)column;
}

static void find_inside(void *data, int first, int end) {
    const measuring *to = data;
    for (int row = first; row < end; row++) {
        for (int column = 0; column < to->field->columns; column++) {
            double x = column - RIM + 0.5;
            double y = to->mat->height_mm - (row - RIM + 0.5);
            to->inside[at_of(to->field, column, row)] = is_inside(to->mat, to->mark, x, y);
        }
    }
}

// Where a piece is to be; and how many a row has.
static void find_edges(void *data, int first, int end) {
    const measuring *to = data;
    const edge_field *field = to->field;
    for (int row = first; row < end; row++) {
        int count = 0;
        for (int column = 0; column < field->columns; column++) {
            bool edge = differs(to->inside, field->columns, field->rows, column, row);
            to->own[at_of(field, column, row)] = edge ? count++ : -1;
        }
        to->first[row + 1] = count;
    }
}

static void find_pieces(void *data, int first, int end) {
    const measuring *to = data;
    const edge_field *field = to->field;
    for (int row = first; row < end; row++) {
        for (int column = 0; column < field->columns; column++) {
            int *own = &to->own[at_of(field, column, row)];
            if (*own >= 0) {
                *own += to->first[row];
                field->pieces[*own] = find_piece(to->mat, to->mark, column - RIM + 0.5,
                                                 to->mat->height_mm - (row - RIM + 0.5));
            }
        }
    }
}

// The nearer of the last one above and the next one below; of two as near the one above.
static void spread_down(void *data, int first, int end) {
    const measuring *to = data;
    const edge_field *field = to->field;
    int *last = g_new(int, end - first);
    for (int column = first; column < end; column++) {
        last[column - first] = -1;
    }
    for (int row = 0; row < field->rows; row++) {
        for (int column = first; column < end; column++) {
            size_t at = at_of(field, column, row);
            last[column - first] = to->own[at] >= 0 ? row : last[column - first];
            to->row[at] = last[column - first];
        }
    }
    for (int column = first; column < end; column++) {
        last[column - first] = -1;
    }
    for (int row = field->rows - 1; row >= 0; row--) {
        for (int column = first; column < end; column++) {
            size_t at = at_of(field, column, row);
            last[column - first] = to->own[at] >= 0 ? row : last[column - first];
            int above = to->row[at];
            int below = last[column - first];
            to->row[at] = below >= 0 && (above < 0 || below - row < row - above) ? below : above;
        }
    }
    g_free(last);
}

// Along each row, with what the columns have answered.
static void spread_along(void *data, int first, int end) {
    const measuring *to = data;
    const edge_field *field = to->field;
    int *hull = g_new(int, field->columns);
    int *from = g_new(int, field->columns);
    double *limit = g_new(double, field->columns);
    double *square = g_new(double, field->columns);
    for (int row = first; row < end; row++) {
        const int *rows = to->row + at_of(field, 0, row);
        for (int column = 0; column < field->columns; column++) {
            double down = row - rows[column];
            square[column] = rows[column] < 0 ? INFINITY : down * down;
        }
        cmi_sim_mat_nearest(square, from, field->columns, hull, limit);
        for (int column = 0; column < field->columns; column++) {
            int of = from[column];
            field->nearest[at_of(field, column, row)] =
                of < 0 ? -1 : to->own[at_of(field, of, rows[of])];
        }
    }
    g_free(hull);
    g_free(from);
    g_free(limit);
    g_free(square);
}

void cmo_sim_mat_measure(cmo_sim_mat *mat, cmo_sim_mark mark) {
    edge_field *field = &mat->field[mark];
    if (field->nearest != NULL || !mat->has[mark]) {
        return;
    }
    field->columns = (int)ceil(mat->width_mm) + 2 * RIM;
    field->rows = (int)ceil(mat->height_mm) + 2 * RIM;
    field->count = (size_t)field->columns * (size_t)field->rows;
    field->nearest = g_new(int, field->count);
    measuring work = {mat,
                      mark,
                      field,
                      g_new(bool, field->count),
                      g_new0(int, field->rows + 1),
                      g_new(int, field->count),
                      g_new(int, field->count)};
    cmi_sim_in_bands(field->rows, find_inside, &work);
    cmi_sim_in_bands(field->rows, find_edges, &work);
    for (int row = 0; row < field->rows; row++) {
        work.first[row + 1] += work.first[row];
    }
    field->pieces = g_new(edge_piece, work.first[field->rows]);
    cmi_sim_in_bands(field->rows, find_pieces, &work);
    cmi_sim_in_bands(field->columns, spread_down, &work);
    cmi_sim_in_bands(field->rows, spread_along, &work);
    g_free(work.inside);
    g_free(work.first);
    g_free(work.own);
    g_free(work.row);
}

static double piece_distance(const edge_piece *piece, double x_mm, double y_mm) {
    double dx = x_mm - piece->x_mm;
    double dy = y_mm - piece->y_mm;
    double along = CLAMP(dx * piece->tangent_x + dy * piece->tangent_y, -HALF_EDGE, HALF_EDGE);
    dx -= along * piece->tangent_x;
    dy -= along * piece->tangent_y;
    return sqrt(dx * dx + dy * dy);
}

double cmo_sim_mat_distance(const cmo_sim_mat *mat, cmo_sim_mark mark, double x_mm, double y_mm) {
    const edge_field *field = &mat->field[mark];
    if (field->nearest == NULL) {
        return INFINITY;
    }
    int column = (int)floor(x_mm + RIM - 0.5);
    int row = (int)floor(mat->height_mm - y_mm + RIM - 0.5);
    double distance = INFINITY;
    for (int i = 0; i < 4; i++) {
        int c = CLAMP(column + i % 2, 0, field->columns - 1);
        int r = CLAMP(row + i / 2, 0, field->rows - 1);
        int piece = field->nearest[(size_t)r * (size_t)field->columns + (size_t)c];
        if (piece >= 0) {
            distance = fmin(distance, piece_distance(&field->pieces[piece], x_mm, y_mm));
        }
    }
    return is_inside(mat, mark, x_mm, y_mm) ? -distance : distance;
}
