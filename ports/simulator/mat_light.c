// SPDX-License-Identifier: MIT
// From a drawing's pixels to the luminance of the map.
#include "mat_internal.h"

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
void cmi_sim_mat_fill_linear(uint32_t linear[256]) {
    for (int i = 0; i < 256; i++) {
        double c = i / 255.0;
        double base = (c + 0.055) / 1.055;
        double light = c <= 0.04045 ? c / 12.92 : base * base * power_0_4(base);
        linear[i] = (uint32_t)(light * LIGHT_ONE + 0.5);
    }
}

// What the map keeps of a pixel: luminance, and red, green and blue.
#define PLANES 4

// Adds those of a cairo pixel (ARGB, colours multiplied by alpha), with what is transparent as
// void.
static void add_light(uint32_t pixel, const uint32_t linear[256], uint32_t light[PLANES]) {
    uint32_t alpha = pixel >> 24;
    if (alpha == 0) {
        return;
    }
    uint32_t colour[3];
    for (int i = 0; i < 3; i++) {
        uint32_t c = pixel >> (8 * i) & 0xFFU;
        colour[i] = linear[alpha == 255 ? c : MIN(255U, (c * 255U + alpha / 2) / alpha)];
        light[3 - i] += (uint32_t)((uint64_t)colour[i] * alpha / 255U);
    }
    uint64_t y =
        722U * (uint64_t)colour[0] + 7152U * (uint64_t)colour[1] + 2126U * (uint64_t)colour[2];
    light[0] += (uint32_t)(y * alpha / 255U / 10000U);
}

// What the last k x k block of pixels came to; most blocks equal the one before them.
typedef struct block {
    uint32_t pixel; // the colour of a block of one colour
    uint32_t light[PLANES], alpha;
    bool known;
} block;

static void take_block(block *last, const uint32_t *const *rows, int column, int width, int k,
                       const uint32_t linear[256]) {
    uint32_t first = rows[0][MIN(column * k, width - 1)];
    bool same = true;
    uint32_t light[PLANES] = {0};
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
            add_light(pixel, linear, light);
            alpha += pixel >> 24;
        }
    }
    uint32_t samples = (uint32_t)(k * k);
    last->known = same;
    last->pixel = first;
    for (int i = 0; i < PLANES; i++) {
        last->light[i] = (light[i] + samples / 2) / samples;
    }
    last->alpha = alpha / samples;
}

// How far blocks of the same one colour go on; of 2 x 2 pixels, which most drawings are read by.
static int end_of_run(const block *last, const uint32_t *const *rows, int column, int columns,
                      int width, int k) {
    int end = column + 1;
    uint64_t pair = (uint64_t)last->pixel << 32 | last->pixel;
    while (k == 2 && last->known && end < columns && 2 * end + 1 < width) {
        uint64_t top, bottom;
        memcpy(&top, rows[0] + 2 * end, sizeof top);
        memcpy(&bottom, rows[1] + 2 * end, sizeof bottom);
        if (top != pair || bottom != pair) {
            break;
        }
        end++;
    }
    return end;
}

static void fill_sums(uint32_t *sums, int from, int end, uint32_t light) {
    uint32_t sum = sums[from];
    for (int column = from; column < end; column++) {
        sum += light;
        sums[column + 1] = sum;
    }
}

// Averages k x k pixels of a drawing into each pixel of the map.
void cmi_sim_mat_take_rows(cmo_sim_mat *mat, const unsigned char *data, int stride, int width,
                           int height, int first_row, int first_column, int k,
                           const uint32_t linear[256]) {
    int columns = MIN(mat->columns - first_column, (width + k - 1) / k);
    const uint32_t **rows = g_new(const uint32_t *, k);
    block last = {.known = false};
    for (int row = first_row; row < mat->rows && (row - first_row) * k < height; row++) {
        for (int j = 0; j < k; j++) {
            size_t y = (size_t)MIN((row - first_row) * k + j, height - 1);
            rows[j] = (const uint32_t *)(const void *)(data + y * (size_t)stride);
        }
        uint32_t *cover = mat->cover + (size_t)row * (size_t)mat->columns + first_column;
        size_t at = (size_t)row * (size_t)(mat->columns + 1) + (size_t)first_column;
        for (int column = 0, end; column < columns; column = end) {
            take_block(&last, rows, column, width, k, linear);
            end = end_of_run(&last, rows, column, columns, width, k);
            fill_sums(mat->sums + at, column, end, last.light[0]);
            for (int i = 0; i < 3 && mat->colour[i] != NULL; i++) {
                fill_sums(mat->colour[i] + at, column, end, last.light[i + 1]);
            }
            uint32_t open = (255U - last.alpha) << (8 * CMO_SIM_VOID);
            for (int i = column; i < end; i++) {
                cover[i] = open;
            }
        }
    }
    g_free(rows);
}
