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

// Which pixels of a field lie within the mark.
typedef struct insides {
    const cmo_sim_mat *mat;
    cmo_sim_mark mark;
    const edge_field *field;
    bool *inside;
} insides;

static void find_inside(void *data, int first, int end) {
    const insides *to = data;
    for (int row = first; row < end; row++) {
        for (int column = 0; column < to->field->columns; column++) {
            double x = column - RIM + 0.5;
            double y = to->mat->height_mm - (row - RIM + 0.5);
            to->inside[(size_t)row * (size_t)to->field->columns + (size_t)column] =
                is_inside(to->mat, to->mark, x, y);
        }
    }
}

static void find_pieces(cmo_sim_mat *mat, cmo_sim_mark mark, edge_field *field) {
    bool *inside = g_new(bool, field->count);
    insides to = {mat, mark, field, inside};
    cmi_sim_in_bands(field->rows, find_inside, &to);
    GArray *pieces = g_array_new(FALSE, FALSE, sizeof(edge_piece));
    for (int row = 0; row < field->rows; row++) {
        for (int column = 0; column < field->columns; column++) {
            size_t at = (size_t)row * (size_t)field->columns + (size_t)column;
            field->nearest[at] = -1;
            if (differs(inside, field->columns, field->rows, column, row)) {
                edge_piece piece =
                    find_piece(mat, mark, column - RIM + 0.5, mat->height_mm - (row - RIM + 0.5));
                field->nearest[at] = (int)pieces->len;
                g_array_append_val(pieces, piece);
            }
        }
    }
    g_free(inside);
    field->pieces = (edge_piece *)(void *)g_array_free(pieces, FALSE);
}

// Down each column, then along each row; the second pass takes the first one's answers.
static void spread_pieces(edge_field *field) {
    int longest = MAX(field->columns, field->rows);
    int *hull = g_new(int, longest);
    int *from = g_new(int, longest);
    int *answer = g_new(int, longest);
    double *limit = g_new(double, longest);
    double *line = g_new(double, longest);
    double *square = g_new(double, field->count);
    size_t columns = (size_t)field->columns;
    for (size_t column = 0; column < columns; column++) {
        for (int row = 0; row < field->rows; row++) {
            line[row] = field->nearest[(size_t)row * columns + column] >= 0 ? 0.0 : INFINITY;
        }
        cmi_sim_mat_nearest(line, from, field->rows, hull, limit);
        for (int row = 0; row < field->rows; row++) {
            int p = from[row];
            answer[row] = p < 0 ? -1 : field->nearest[(size_t)p * columns + column];
            square[(size_t)row * columns + column] =
                p < 0 ? INFINITY : (double)(row - p) * (row - p);
        }
        for (int row = 0; row < field->rows; row++) {
            field->nearest[(size_t)row * columns + column] = answer[row];
        }
    }
    for (int row = 0; row < field->rows; row++) {
        int *pieces = field->nearest + (size_t)row * columns;
        cmi_sim_mat_nearest(square + (size_t)row * columns, from, field->columns, hull, limit);
        for (size_t column = 0; column < columns; column++) {
            answer[column] = from[column] < 0 ? -1 : pieces[from[column]];
        }
        memcpy(pieces, answer, columns * sizeof *pieces);
    }
    g_free(hull);
    g_free(from);
    g_free(answer);
    g_free(limit);
    g_free(line);
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
    find_pieces(mat, mark, field);
    spread_pieces(field);
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
