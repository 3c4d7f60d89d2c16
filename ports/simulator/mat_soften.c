// SPDX-License-Identifier: MIT
// Edges that are printed soft: ink runs, and a printer's dots do not end all at one line.
#include "mat_internal.h"

#include <math.h>

// Means over a window of so many pixels, with parts of the outermost ones, along a row or column
// of `count` pixels; what lies beyond either end is as the last pixel.
static void blur(const double *in, double *out, double *sums, int count, double window) {
    sums[0] = 0.0;
    for (int i = 0; i < count; i++) {
        sums[i + 1] = sums[i] + in[i];
    }
    for (int i = 0; i < count; i++) {
        double ends[2] = {i + 0.5 - 0.5 * window, i + 0.5 + 0.5 * window};
        double up_to[2];
        for (int e = 0; e < 2; e++) {
            double at = CLAMP(ends[e], 0.0, (double)count);
            int whole = MIN((int)at, count - 1);
            up_to[e] = sums[whole] + (at - whole) * in[whole] +
                       (ends[e] - at) * (ends[e] < 0.0 ? in[0] : in[count - 1]);
        }
        out[i] = (up_to[1] - up_to[0]) / window;
    }
}

static void soften(const cmo_sim_mat *mat, uint32_t *plane, double soft_mm) {
    double window = soft_mm * mat->px_per_mm;
    int columns = mat->columns;
    int rows = mat->rows;
    int longest = MAX(columns, rows);
    double *light = g_new(double, (gsize)columns *(gsize)rows);
    double *line = g_new(double, longest);
    double *soft = g_new(double, longest);
    double *sums = g_new(double, longest + 1);
    for (int row = 0; row < rows; row++) {
        const uint32_t *running = plane + (size_t)row * (size_t)(columns + 1);
        for (int column = 0; column < columns; column++) {
            line[column] = running[column + 1] - running[column];
        }
        blur(line, light + (size_t)row * (size_t)columns, sums, columns, window);
    }
    for (int column = 0; column < columns; column++) {
        for (int row = 0; row < rows; row++) {
            line[row] = light[(size_t)row * (size_t)columns + (size_t)column];
        }
        blur(line, soft, sums, rows, window);
        for (int row = 0; row < rows; row++) {
            light[(size_t)row * (size_t)columns + (size_t)column] = soft[row];
        }
    }
    for (int row = 0; row < rows; row++) {
        for (int column = 0; column < columns; column++) {
            double value = light[(size_t)row * (size_t)columns + (size_t)column];
            mat_put_light(mat, plane, column, row, (uint32_t)(value + 0.5));
        }
    }
    g_free(light);
    g_free(line);
    g_free(soft);
    g_free(sums);
}

void cmi_sim_mat_soften(cmo_sim_mat *mat, double soft_mm) {
    soften(mat, mat->sums, soft_mm);
    for (int i = 0; i < 3 && mat->colour[i] != NULL; i++) {
        soften(mat, mat->colour[i], soft_mm);
    }
}
