// SPDX-License-Identifier: MIT
// The region that boundaries and void enclose: where a disc of the widest gap's size can get to
// from a point without touching either. What lies nearer to an edge is told by the nearest place
// that it can get to.
#include "bands.h"
#include "mat_internal.h"

#include <math.h>

#define HALF_GAP 5.0 // widest gap that counts as closed, half of it
#define EXACT_MM 4.0 // within this of the edge its pieces are asked
#define RIM      12  // pixels around the mat

struct cmo_sim_region {
    const cmo_sim_mat *mat;
    gint shared;       // how often more it is to be freed
    int columns, rows; // one pixel a millimetre, row 0 on top
    float *margin;
    double area;
};

// Distance to the nearest edge of boundary, void or the mat itself; negative beyond it.
static double to_edge(const cmo_sim_mat *mat, double x_mm, double y_mm) {
    double boundary = cmo_sim_mat_distance(mat, CMO_SIM_BOUNDARY, x_mm, y_mm);
    double gone = cmo_sim_mat_distance(mat, CMO_SIM_VOID, x_mm, y_mm);
    double across = fmin(x_mm, mat->width_mm - x_mm);
    double up = fmin(y_mm, mat->height_mm - y_mm);
    return fmin(fmin(boundary, gone), fmin(across, up));
}

static double x_of(int column) {
    return column - RIM + 0.5;
}

static double y_of(const cmo_sim_region *region, int row) {
    return region->mat->height_mm - (row - RIM + 0.5);
}

static int at_of(const cmo_sim_region *region, int column, int row) {
    return row * region->columns + column;
}

// Marks all that the disc can get to. False: it cannot even stand at the start.
static bool flood(const cmo_sim_region *region, const float *edge, bool *reached, double x_mm,
                  double y_mm) {
    int column = (int)floor(x_mm) + RIM;
    int row = (int)floor(region->mat->height_mm - y_mm) + RIM;
    if (column < 0 || row < 0 || column >= region->columns || row >= region->rows ||
        (double)edge[at_of(region, column, row)] < HALF_GAP) {
        return false;
    }
    GArray *open = g_array_new(FALSE, FALSE, sizeof(int));
    int first = at_of(region, column, row);
    reached[first] = true;
    g_array_append_val(open, first);
    while (open->len > 0) {
        int at = g_array_index(open, int, open->len - 1);
        g_array_set_size(open, open->len - 1);
        int c = at % region->columns;
        int r = at / region->columns;
        const int next[4][2] = {{c - 1, r}, {c + 1, r}, {c, r - 1}, {c, r + 1}};
        for (int i = 0; i < 4; i++) {
            if (next[i][0] < 0 || next[i][1] < 0 || next[i][0] >= region->columns ||
                next[i][1] >= region->rows) {
                continue;
            }
            int to = at_of(region, next[i][0], next[i][1]);
            if (!reached[to] && (double)edge[to] >= HALF_GAP) {
                reached[to] = true;
                g_array_append_val(open, to);
            }
        }
    }
    g_array_free(open, TRUE);
    return true;
}

// From each pixel to the nearest one that was reached: its own distance less the way there.
static void spread(cmo_sim_region *region, const float *edge, const bool *reached) {
    size_t columns = (size_t)region->columns;
    int longest = MAX(region->columns, region->rows);
    int *hull = g_new(int, longest);
    int *from = g_new(int, longest);
    double *limit = g_new(double, longest);
    double *line = g_new(double, longest);
    int *above = g_new(int, columns *(size_t)region->rows); // the nearest row of this column
    for (int c = 0; c < region->columns; c++) {
        for (int r = 0; r < region->rows; r++) {
            line[r] = reached[at_of(region, c, r)] ? 0.0 : INFINITY;
        }
        cmi_sim_mat_nearest(line, from, region->rows, hull, limit);
        for (int r = 0; r < region->rows; r++) {
            above[at_of(region, c, r)] = from[r];
        }
    }
    for (int r = 0; r < region->rows; r++) {
        for (int c = 0; c < region->columns; c++) {
            int row = above[at_of(region, c, r)];
            line[c] = row < 0 ? INFINITY : (double)(row - r) * (row - r);
        }
        cmi_sim_mat_nearest(line, from, region->columns, hull, limit);
        for (int c = 0; c < region->columns; c++) {
            int at = at_of(region, c, r);
            int column = from[c];
            if (column < 0) {
                region->margin[at] = -1e6F;
                continue;
            }
            int row = above[at_of(region, column, r)];
            double way = sqrt((double)(column - c) * (column - c) + (double)(row - r) * (row - r));
            region->margin[at] = (float)((double)edge[at_of(region, column, row)] - way);
            region->area += region->margin[at] > 0.0F ? 1.0 : 0.0;
        }
    }
    g_free(above);
    g_free(line);
    g_free(limit);
    g_free(from);
    g_free(hull);
}

typedef struct edges {
    const cmo_sim_region *region;
    float *edge;
} edges;

static void find_edges(void *data, int first, int end) {
    const edges *to = data;
    for (int r = first; r < end; r++) {
        for (int c = 0; c < to->region->columns; c++) {
            to->edge[at_of(to->region, c, r)] =
                (float)to_edge(to->region->mat, x_of(c), y_of(to->region, r));
        }
    }
}

static void measure(void *mat, int first, int end) {
    static const cmo_sim_mark marks[2] = {CMO_SIM_BOUNDARY, CMO_SIM_VOID};
    for (int i = first; i < end; i++) {
        cmo_sim_mat_measure(mat, marks[i]);
    }
}

cmo_sim_region *cmo_sim_region_new(cmo_sim_mat *mat, double x_mm, double y_mm) {
    cmi_sim_in_bands(2, measure, mat);
    cmo_sim_region *region = g_new0(cmo_sim_region, 1);
    region->mat = mat;
    region->columns = (int)ceil(mat->width_mm) + 2 * RIM;
    region->rows = (int)ceil(mat->height_mm) + 2 * RIM;
    size_t count = (size_t)region->columns * (size_t)region->rows;
    float *edge = g_new(float, count);
    bool *reached = g_new0(bool, count);
    edges to = {region, edge};
    cmi_sim_in_bands(region->rows, find_edges, &to);
    if (flood(region, edge, reached, x_mm, y_mm)) {
        region->margin = g_new(float, count);
        spread(region, edge, reached);
    } else {
        g_free(region);
        region = NULL;
    }
    g_free(reached);
    g_free(edge);
    return region;
}

cmo_sim_region *cmo_sim_region_share(cmo_sim_region *region) {
    g_atomic_int_inc(&region->shared);
    return region;
}

void cmo_sim_region_free(cmo_sim_region *region) {
    if (region != NULL && g_atomic_int_add(&region->shared, -1) == 0) {
        g_free(region->margin);
        g_free(region);
    }
}

double cmo_sim_region_area(const cmo_sim_region *region) {
    return region->area;
}

double cmo_sim_region_margin(const cmo_sim_region *region, double x_mm, double y_mm) {
    double x = x_mm + RIM - 0.5;
    double y = region->mat->height_mm - y_mm + RIM - 0.5;
    int c = (int)floor(x);
    int r = (int)floor(y);
    if (c < 0 || r < 0 || c + 1 >= region->columns || r + 1 >= region->rows) {
        return -RIM;
    }
    double fx = x - c;
    double fy = y - r;
    const float *m = region->margin + at_of(region, c, r);
    double rough =
        (1.0 - fy) * ((1.0 - fx) * (double)m[0] + fx * (double)m[1]) +
        fy * ((1.0 - fx) * (double)m[region->columns] + fx * (double)m[region->columns + 1]);
    if (fabs(rough) > EXACT_MM) {
        return rough;
    }
    double exact = to_edge(region->mat, x_mm, y_mm);
    // Between the ends of a gap the paint is near, but the edge goes straight across.
    return fabs(exact - rough) < 1.5 ? exact : rough;
}
