// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/floor.h>

#include "sections.h"
#include "yaml_reader.h"

#include <math.h>
#include <string.h>

#define FLOOR_MAX    (64U << 20)
#define SURFACES_MAX 32U

static lab_surface *find_surface(lab_floor *floor, const char *name) {
    for (guint i = 0; i < floor->surfaces->len; i++) {
        lab_surface *surface = g_ptr_array_index(floor->surfaces, i);
        if (strcmp(surface->name, name) == 0) {
            return surface;
        }
    }
    lab_surface *surface = g_new0(lab_surface, 1);
    surface->name = g_strdup(name);
    for (unsigned i = 0; i < CMO_LIGHTS_MAX; i++) {
        surface->counts[i] = g_array_new(FALSE, FALSE, sizeof(double));
        for (unsigned c = 0; c < CMO_COLOURS; c++) {
            surface->colour[i][c] = g_array_new(FALSE, FALSE, sizeof(double));
        }
    }
    g_ptr_array_add(floor->surfaces, surface);
    return surface;
}

static void free_surface(void *data) {
    lab_surface *surface = data;
    for (unsigned i = 0; i < CMO_LIGHTS_MAX; i++) {
        g_array_free(surface->counts[i], TRUE);
        for (unsigned c = 0; c < CMO_COLOURS; c++) {
            g_array_free(surface->colour[i][c], TRUE);
        }
    }
    g_free(surface->name);
    g_free(surface);
}

static lab_floor *new_floor(void) {
    lab_floor *floor = g_new0(lab_floor, 1);
    floor->surfaces = g_ptr_array_new_with_free_func(free_surface);
    return floor;
}

void lab_floor_free(lab_floor *floor) {
    if (floor != NULL) {
        g_ptr_array_free(floor->surfaces, TRUE);
        g_free(floor);
    }
}

// --------------------------------------------------------------------------------------- read --

// Which column holds what; -1: there is none.
#define VALUES (1 + CMO_COLOURS)
typedef struct columns {
    int surface;
    int value[2][VALUES]; // counts, red, green, blue of each sensor
} columns;
static const char *const value_names[2][VALUES] = {
    {"counts_left", "red_left", "green_left", "blue_left"},
    {"counts_right", "red_right", "green_right", "blue_right"}};

static bool wrong(GError **error, const char *name, int line, const char *text) {
    g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s:%d: %s", name, line, text);
    return false;
}

static bool read_header(const char *name, char **fields, columns *at, GError **error) {
    *at = (columns){.surface = -1};
    memset(at->value, -1, sizeof at->value);
    for (int i = 0; fields[i] != NULL; i++) {
        const char *field = g_strstrip(fields[i]);
        if (strcmp(field, "surface") == 0) {
            at->surface = i;
        }
        for (unsigned n = 0; n < 2 * VALUES; n++) {
            if (strcmp(field, value_names[n / VALUES][n % VALUES]) == 0) {
                at->value[n / VALUES][n % VALUES] = i;
            }
        }
    }
    return at->value[0][0] >= 0 || at->value[1][0] >= 0 ||
           wrong(error, name, 1,
                 "no column counts_left or counts_right; the first row must name the columns, as "
                 "in surface,counts_left,counts_right");
}

static bool read_row(lab_floor *floor, const char *name, int number, char **fields,
                     const columns *at, GError **error) {
    int count = (int)g_strv_length(fields);
    const char *surface_name = "";
    if (at->surface >= 0) {
        if (at->surface >= count || *g_strstrip(fields[at->surface]) == '\0') {
            return wrong(error, name, number, "surface: must be named");
        }
        surface_name = fields[at->surface];
        char *printable = lab_printable(surface_name);
        bool clean = strcmp(printable, surface_name) == 0;
        g_free(printable);
        if (!clean) {
            return wrong(error, name, number,
                         "surface: a name is UTF-8 without control characters");
        }
    }
    lab_surface *surface = find_surface(floor, surface_name);
    if (floor->surfaces->len > SURFACES_MAX) {
        return wrong(error, name, number, "surface: too many different ones; at most 32");
    }
    for (unsigned i = 0; i < MIN(2, CMO_LIGHTS_MAX) * VALUES; i++) {
        int column = at->value[i / VALUES][i % VALUES];
        if (column < 0 || column >= count) {
            continue;
        }
        const char *text = g_strstrip(fields[column]);
        char *end;
        double value = g_ascii_strtod(text, &end);
        if (*text == '\0') {
            continue; // no reading in this row
        }
        if (*end != '\0' || !(value >= 0.0 && value <= 65534.0) || value != rint(value)) {
            char *line = g_strdup_printf("%s: must be a whole number from 0 to 65534",
                                         value_names[i / VALUES][i % VALUES]);
            wrong(error, name, number, line);
            g_free(line);
            return false;
        }
        GArray *to = i % VALUES == 0 ? surface->counts[i / VALUES]
                                     : surface->colour[i / VALUES][i % VALUES - 1];
        g_array_append_val(to, value);
    }
    return true;
}

lab_floor *lab_floor_from_bytes(const char *name, const char *bytes, size_t size, GError **error) {
    lab_floor *floor = new_floor();
    columns at;
    memset(&at, -1, sizeof at);
    bool good = true;
    int number = 0;
    const char *end = bytes + size;
    for (const char *from = bytes; from < end && good;) {
        const char *stop = memchr(from, '\n', (size_t)(end - from));
        size_t length = (size_t)((stop != NULL ? stop : end) - from);
        char *line = g_strndup(from, length);
        char **fields = g_strsplit(g_strchomp(line), ",", -1);
        from += length + 1;
        number++;
        if (number == 1) {
            good = read_header(name, fields, &at, error);
            floor->named = at.surface >= 0;
        } else if (*line != '\0') {
            good = read_row(floor, name, number, fields, &at, error);
        }
        g_strfreev(fields);
        g_free(line);
    }
    if (good && floor->surfaces->len == 0) {
        good = wrong(error, name, 1, "no readings; a header row and one row a reading");
    }
    if (!good) {
        lab_floor_free(floor);
        floor = NULL;
    }
    return floor;
}

lab_floor *lab_floor_read(const char *path, GError **error) {
    char *bytes;
    size_t size;
    if (!labi_read_file(path, "readings", FLOOR_MAX, &bytes, &size, error)) {
        return NULL;
    }
    lab_floor *floor = lab_floor_from_bytes(path, bytes, size, error);
    g_free(bytes);
    return floor;
}

lab_floor *lab_floor_from_run(const lab_run *run, cmo_routine_id routine) {
    lab_floor *floor = new_floor();
    lab_surface *surface = find_surface(floor, "");
    for (guint i = 0; i < run->rows->len; i++) {
        const lab_row *row = &g_array_index(run->rows, lab_row, i);
        bool is_of = routine == CMO_ROUTINE_NONE || row->robot.routine == (uint8_t)routine;
        for (unsigned n = 0; is_of && n < CMO_LIGHTS_MAX; n++) {
            double counts = (double)row->robot.counts[n];
            if (isfinite(counts)) {
                g_array_append_val(surface->counts[n], counts);
            }
        }
    }
    return floor;
}

// -------------------------------------------------------------------------------------- judge --

static void take_all(const GArray *readings, cmo_level_taker *taker) {
    cmo_level_taker_start(taker);
    for (guint i = 0; i < readings->len; i++) {
        cmo_level_taker_add(taker, (uint16_t)g_array_index(readings, double, i));
    }
}

// Means and the widest spread of the channels.
static void take_colours(const lab_surface *surface, unsigned sensor,
                         lab_surface_figures *figures) {
    figures->colour_spread = 0.0;
    for (unsigned c = 0; c < CMO_COLOURS; c++) {
        cmo_level_taker taker;
        float mean, spread;
        take_all(surface->colour[sensor][c], &taker);
        bool known = cmo_level_taker_surface(&taker, &mean, &spread);
        figures->colour[c] = known ? (double)mean : NAN;
        figures->colour_spread = fmax(figures->colour_spread, known ? (double)spread : 0.0);
    }
}

// Mean and spread of each surface; which are the darkest and the lightest; the level of void.
static bool judge_surfaces(const lab_floor *floor, bool dark_is_high, unsigned sensor,
                           lab_sensor_levels *out) {
    int dark = -1;
    int light = -1;
    out->surface = g_new0(lab_surface_figures, floor->surfaces->len);
    for (guint i = 0; i < floor->surfaces->len; i++) {
        const lab_surface *surface = g_ptr_array_index(floor->surfaces, i);
        lab_surface_figures *figures = &out->surface[i];
        cmo_level_taker taker;
        float counts, spread;
        take_all(surface->counts[sensor], &taker);
        take_colours(surface, sensor, figures);
        figures->readings = surface->counts[sensor]->len;
        if (!cmo_level_taker_surface(&taker, &counts, &spread)) {
            figures->counts = NAN;
            continue;
        }
        figures->counts = (double)counts;
        figures->spread = (double)spread;
        if (strcmp(surface->name, "void") == 0) {
            out->levels.void_counts = (uint16_t)(counts + 0.5F);
            continue;
        }
        double darkness = dark_is_high ? figures->counts : -figures->counts;
        double darkest =
            dark < 0 ? -INFINITY : (dark_is_high ? 1.0 : -1.0) * out->surface[dark].counts;
        double lightest =
            light < 0 ? INFINITY : (dark_is_high ? 1.0 : -1.0) * out->surface[light].counts;
        dark = darkness > darkest ? (int)i : dark;
        light = darkness < lightest ? (int)i : light;
    }
    if (dark < 0) {
        out->fault = CMO_LEVELS_SILENT;
    } else if (dark == light) {
        out->fault = CMO_LEVELS_ONE_SURFACE;
    } else {
        double noise = fmax(out->surface[dark].spread, out->surface[light].spread);
        out->levels.dark = (uint16_t)(out->surface[dark].counts + 0.5);
        out->levels.light = (uint16_t)(out->surface[light].counts + 0.5);
        out->levels.noise = (uint16_t)fmax(1.0, noise + 0.5);
        double contrast = fabs(out->surface[dark].counts - out->surface[light].counts);
        out->fault = contrast < 16.0                   ? CMO_LEVELS_LOW_CONTRAST
                     : cmo_levels_usable(&out->levels) ? CMO_LEVELS_GOOD
                                                       : CMO_LEVELS_NOISY;
    }
    return out->fault == CMO_LEVELS_GOOD;
}

static void choose(const lab_floor *floor, const char *line, double change,
                   lab_sensor_levels *out) {
    cmo_surface surfaces[SURFACES_MAX];
    const char *names[SURFACES_MAX];
    uint8_t count = 0;
    int which = -1;
    double contrast = (double)out->levels.light - out->levels.dark;
    for (guint i = 0; i < floor->surfaces->len && i < SURFACES_MAX; i++) {
        const lab_surface *surface = g_ptr_array_index(floor->surfaces, i);
        lab_surface_figures *figures = &out->surface[i];
        if (isnan(figures->counts)) {
            figures->reflectance = NAN;
            continue;
        }
        figures->reflectance = (figures->counts - out->levels.dark) / contrast;
        figures->reflectance_spread = figures->spread / fabs(contrast);
        if (strcmp(surface->name, "void") == 0) {
            continue; // it has a threshold of its own
        }
        which = strcmp(surface->name, line) == 0 ? (int)count : which;
        names[count] = surface->name;
        surfaces[count++] =
            (cmo_surface){(float)figures->reflectance, (float)figures->reflectance_spread};
    }
    out->has_line =
        which >= 0 && cmo_choose_band(surfaces, count, (uint8_t)which, (float)change, &out->choice);
    if (!out->has_line) {
        return;
    }
    out->nearest = names[out->choice.nearest];
    if (isinf(out->choice.band.low) && out->choice.band.high < 1.0F) {
        out->levels.dark_threshold = cmo_counts_of(&out->levels, out->choice.band.high);
    } else if (isinf(out->choice.band.high) && out->choice.band.low > 0.0F) {
        out->levels.light_threshold = cmo_counts_of(&out->levels, out->choice.band.low);
    }
}

void lab_floor_judge(const lab_floor *floor, const cmo_robot_description *description,
                     unsigned sensor, const char *line, double change, lab_sensor_levels *out) {
    const cmo_light_description *light = &description->light[sensor];
    *out = (lab_sensor_levels){.levels = {.dark = CMO_LEVEL_UNKNOWN,
                                          .light = CMO_LEVEL_UNKNOWN,
                                          .void_counts = CMO_LEVEL_UNKNOWN}};
    if (floor->named) {
        if (judge_surfaces(floor, light->dark_is_high, sensor, out)) {
            choose(floor, line, change, out);
        }
        return;
    }
    cmo_level_taker taker;
    const lab_surface *all = g_ptr_array_index(floor->surfaces, 0);
    take_all(all->counts[sensor], &taker);
    out->fault =
        cmo_level_taker_finish(&taker, light->dark_is_high, light->counts_max, &out->levels);
}

void lab_sensor_levels_clear(lab_sensor_levels *levels) {
    g_clear_pointer(&levels->surface, g_free);
}
