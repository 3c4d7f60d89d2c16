// SPDX-License-Identifier: MIT
#ifndef CMO_SIM_MAT_INTERNAL_H
#define CMO_SIM_MAT_INTERNAL_H

#include <cammino_simulator/mat.h>
#include <string.h>

#define LIGHT_ONE 65535U // luminance 1 in the map

// A short straight piece of a mark's edge.
typedef struct edge_piece {
    float x_mm, y_mm;
    float tangent_x, tangent_y;
} edge_piece;

// Which piece of edge is nearest, at one pixel a millimetre, row 0 on top.
typedef struct edge_field {
    int columns, rows;
    size_t count;
    int *nearest; // NULL: not measured; -1: there is none
    edge_piece *pieces;
} edge_field;

// A square of pixels. The map itself has some megabytes; these few of it stay in the cache.
typedef struct mat_tile {
    uint8_t away;   // how many tiles away the nearest one of another colour or with other marks is;
                    // 0: it is not of one colour itself. Where it is:
    uint8_t marks;  // a bit each
    uint16_t light; // 0..65535
} mat_tile;

struct cmo_sim_mat {
    int columns, rows; // pixels of the map, row 0 on top
    double px_per_mm;
    double width_mm, height_mm;
    uint32_t *sums;      // per row columns + 1 running sums of luminance
    uint32_t *colour[3]; // the same of red, green and blue; NULL: not kept
    uint32_t *cover;     // per pixel one byte a mark: how much of it is covered
    mat_tile *tile;
    int tile_columns, tile_rows;
    gint shared; // how often more it is to be freed
    bool has[CMO_SIM_MARKS];
    edge_field field[CMO_SIM_MARKS];
};

// Lower envelope of parabolas: for each q the p that has the least (q - p)^2 + in[p]; -1: there is
// none. `hull` and `limit` are room for `count`.
void cmi_sim_mat_nearest(const double *in, int *from, int count, int *hull, double *limit);

// An empty mat of that size: no light, no marks, all void.
cmo_sim_mat *cmi_sim_mat_new(double width_mm, double height_mm, double px_per_mm);

// Room for the colours too.
void cmi_sim_mat_keep_colours(cmo_sim_mat *mat);

// Finds where it is the same all around; to be called once it is as it stays.
void cmi_sim_mat_find_plain(cmo_sim_mat *mat);

// The same, after checking that the size can be simulated; `name` is the file's.
cmo_sim_mat *cmi_sim_mat_new_checked(const char *name, double width_mm, double height_mm,
                                     double px_per_mm, GError **error);

// Blurs the light, not the marks: an edge rises evenly within `soft_mm`.
void cmi_sim_mat_soften(cmo_sim_mat *mat, double soft_mm);

// sRGB to linear light, 0..65535.
void cmi_sim_mat_fill_linear(uint32_t linear[256]);

// Averages k x k pixels of a drawing (ARGB, colours multiplied by alpha) into each pixel of the
// map, from a row and a column on; what lies to the left has been taken before.
void cmi_sim_mat_take_rows(cmo_sim_mat *mat, const unsigned char *data, int stride, int width,
                           int height, int first_row, int first_column, int k,
                           const uint32_t linear[256]);

cmo_sim_mat *cmi_sim_mat_load_svg(const char *name, const guint8 *bytes, gsize size,
                                  const cmo_sim_mat_options *options, GError **error);
// With `is_path`, marks beside the file are looked for.
cmo_sim_mat *cmi_sim_mat_load_png(const char *name, bool is_path, const guint8 *bytes, gsize size,
                                  const cmo_sim_mat_options *options, GError **error);

// Luminance, or a colour, 0..65535 and covers of one pixel; rows are to be filled from left to
// right.
static inline void mat_put_light(const cmo_sim_mat *mat, uint32_t *plane, int column, int row,
                                 uint32_t light) {
    uint32_t *sums = plane + (size_t)row * (size_t)(mat->columns + 1);
    sums[column + 1] = sums[column] + light;
}

static inline void mat_put_cover(cmo_sim_mat *mat, int column, int row, cmo_sim_mark mark,
                                 uint32_t cover) {
    uint32_t *at = mat->cover + (size_t)row * (size_t)mat->columns + (size_t)column;
    *at = (*at & ~(0xFFU << (8 * mark))) | cover << (8 * mark);
    if (cover > 127) {
        mat->has[mark] = true;
    }
}

// Marks that cover a pixel by more than a half.
static inline unsigned mat_marks_of(uint32_t cover) {
    uint32_t a = cover >> 7 & 0x01010101U;
    return (a | a >> 7 | a >> 14 | a >> 21) & 0xFU;
}

// Pixels of a tile's side.
#define MAT_TILE 8

// The tile of a place, in pixels, if all within a radius is of one colour, with the same marks;
// else NULL.
static inline const mat_tile *mat_plain_tile(const cmo_sim_mat *mat, double x, double y,
                                             double radius) {
    if (!(x >= 0.0 && y >= 0.0 && x < mat->tile_columns * MAT_TILE &&
          y < mat->tile_rows * MAT_TILE)) {
        return NULL;
    }
    int column = (int)x / MAT_TILE;
    int row = (int)y / MAT_TILE;
    const mat_tile *tile = &mat->tile[(size_t)row * (size_t)mat->tile_columns + (size_t)column];
    double all_around = (tile->away - 1) * MAT_TILE;
    if (radius <= all_around) {
        return tile;
    }
    double right = x - column * MAT_TILE;
    double down = y - row * MAT_TILE;
    double least = MIN(MIN(right, MAT_TILE - right), MIN(down, MAT_TILE - down));
    return tile->away > 0 && radius <= all_around + least ? tile : NULL;
}

#endif
