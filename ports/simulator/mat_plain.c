// SPDX-License-Identifier: MIT
// Where the floor is the same all around: there a spot's light is that of any pixel.
#include "bands.h"
#include "mat_internal.h"

// What a tile's pixels all are.
typedef struct tile_look {
    uint32_t light, cover, colour[3];
    bool one_colour;
} tile_look;

static uint32_t light_of(const cmo_sim_mat *mat, const uint32_t *plane, int column, int row) {
    const uint32_t *sums = plane + (size_t)row * (size_t)(mat->columns + 1) + (size_t)column;
    return sums[1] - sums[0];
}

static tile_look look_of(const cmo_sim_mat *mat, int tile_column, int tile_row) {
    int column = tile_column * MAT_TILE;
    int row = tile_row * MAT_TILE;
    tile_look look = {light_of(mat, mat->sums, column, row),
                      mat->cover[(size_t)row * (size_t)mat->columns + (size_t)column],
                      {0},
                      false};
    for (int i = 0; i < 3 && mat->colour[i] != NULL; i++) {
        look.colour[i] = light_of(mat, mat->colour[i], column, row);
    }
    return look;
}

static bool same_light(const cmo_sim_mat *mat, const uint32_t *plane, int column, int row,
                       uint32_t light) {
    uint32_t off = 0;
    for (int j = 0; j < MAT_TILE && off == 0; j++) {
        const uint32_t *sums =
            plane + (size_t)(row + j) * (size_t)(mat->columns + 1) + (size_t)column;
        for (int i = 0; i < MAT_TILE; i++) {
            off |= (sums[i + 1] - sums[i]) ^ light;
        }
    }
    return off == 0;
}

static bool is_one_colour(const cmo_sim_mat *mat, const tile_look *look, int tile_column,
                          int tile_row) {
    int column = tile_column * MAT_TILE;
    int row = tile_row * MAT_TILE;
    if (!same_light(mat, mat->sums, column, row, look->light)) {
        return false;
    }
    uint32_t off = 0;
    for (int j = 0; j < MAT_TILE; j++) {
        const uint32_t *cover =
            mat->cover + (size_t)(row + j) * (size_t)mat->columns + (size_t)column;
        for (int i = 0; i < MAT_TILE; i++) {
            off |= cover[i] ^ look->cover;
        }
    }
    bool same = off == 0;
    for (int i = 0; i < 3 && same && mat->colour[i] != NULL; i++) {
        same = same_light(mat, mat->colour[i], column, row, look->colour[i]);
    }
    return same;
}

static bool same_look(const tile_look *a, const tile_look *b) {
    return b->one_colour && a->light == b->light && a->cover == b->cover &&
           a->colour[0] == b->colour[0] && a->colour[1] == b->colour[1] &&
           a->colour[2] == b->colour[2];
}

#define UNKNOWN 255 // that many tiles away and more are as far

// 0: it is not of one colour; 1: it is, and one beside it is another.
static mat_tile begin(const cmo_sim_mat *mat, const tile_look *looks, int column, int row) {
    const tile_look *own = looks + row * mat->tile_columns + column;
    if (!own->one_colour) {
        return (mat_tile){0};
    }
    bool rim =
        column == 0 || row == 0 || column == mat->tile_columns - 1 || row == mat->tile_rows - 1;
    for (int i = 0; i < 9 && !rim; i++) {
        rim = !same_look(own, own + (i / 3 - 1) * mat->tile_columns + i % 3 - 1);
    }
    return (mat_tile){rim ? 1 : UNKNOWN, (uint8_t)mat_marks_of(own->cover), (uint16_t)own->light};
}

// How many tiles the nearest other one is away, a step to any of eight neighbours counting as one:
// a pass down and a pass up are enough for that.
static void spread(const cmo_sim_mat *mat, int step) {
    int count = mat->tile_columns * mat->tile_rows;
    for (int n = 0; n < count; n++) {
        mat_tile *own = mat->tile + (step > 0 ? n : count - 1 - n);
        if (own->away <= 1) {
            continue; // as are all of the rim
        }
        int least = own[-step].away;
        for (int i = -1; i <= 1; i++) {
            least = MIN(least, own[-step * mat->tile_columns + i].away);
        }
        own->away = (uint8_t)MIN(own->away, least + 1);
    }
}

typedef struct looking {
    const cmo_sim_mat *mat;
    tile_look *looks;
} looking;

static void look_at(void *data, int first, int end) {
    const looking *to = data;
    for (int row = first; row < end; row++) {
        for (int column = 0; column < to->mat->tile_columns; column++) {
            tile_look *look = to->looks + row * to->mat->tile_columns + column;
            *look = look_of(to->mat, column, row);
            look->one_colour = is_one_colour(to->mat, look, column, row);
        }
    }
}

void cmi_sim_mat_find_plain(cmo_sim_mat *mat) {
    mat->tile_columns = mat->columns / MAT_TILE;
    mat->tile_rows = mat->rows / MAT_TILE;
    int count = mat->tile_columns * mat->tile_rows;
    g_free(mat->tile);
    mat->tile = g_new0(mat_tile, count + 1);
    tile_look *looks = g_new(tile_look, count + 1);
    looking to = {mat, looks};
    cmi_sim_in_bands(mat->tile_rows, look_at, &to);
    for (int i = 0; i < count; i++) {
        mat->tile[i] = begin(mat, looks, i % mat->tile_columns, i / mat->tile_columns);
    }
    g_free(looks);
    spread(mat, 1);
    spread(mat, -1);
}
