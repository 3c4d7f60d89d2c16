// SPDX-License-Identifier: GPL-3.0-or-later
// The surfaces of a floor as a robot is taught them, and how surely it tells them from each other.
#include <cammino_lab/floor.h>

#include <cammino/surfaces.h>

#include <math.h>
#include <string.h>

static bool is_void(const lab_surface *surface) {
    return strcmp(surface->name, "void") == 0;
}

// A name that a leg can use.
static char *usable_name(const char *name) {
    GString *out = g_string_new(g_ascii_isdigit(*name) ? "surface_" : NULL);
    for (; *name != '\0'; name = g_utf8_next_char(name)) {
        g_string_append_c(out, g_ascii_isalnum(*name) ? g_ascii_tolower(*name) : '_');
    }
    return g_string_free(out, FALSE);
}

static uint16_t rounded(double value) {
    return (uint16_t)CLAMP(value + 0.5, 0.0, 65534.0);
}

static void take_shade(const lab_surface_figures *figures, bool colour, cmo_shade *shade) {
    *shade = (cmo_shade){.counts = CMO_SHADE_UNKNOWN};
    if (isnan(figures->counts) || (colour && isnan(figures->colour[0]))) {
        return;
    }
    shade->counts = rounded(figures->counts);
    shade->spread = rounded(colour ? figures->colour_spread : figures->spread);
    for (unsigned c = 0; colour && c < CMO_COLOURS; c++) {
        shade->colour[c] = rounded(figures->colour[c]);
    }
}

bool lab_floor_surfaces(const lab_floor *floor, const cmo_robot_description *description,
                        const lab_sensor_levels *sensors, double change, lab_robot *robot,
                        GError **error) {
    lab_robot taught = {.description = *description};
    cmo_surfaces_clear(&taught.surfaces);
    taught.surfaces.change = (float)change;
    bool good = true;
    for (guint i = 0; i < floor->surfaces->len && good; i++) {
        const lab_surface *surface = g_ptr_array_index(floor->surfaces, i);
        unsigned number = taught.surfaces.count;
        char *name = is_void(surface) ? NULL : usable_name(surface->name);
        for (unsigned n = 0; n < number && name != NULL && good; n++) {
            good = strcmp(taught.surface_name[n], name) != 0;
        }
        if (!good) {
            g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                        "surface: two would be called %s; name them otherwise", name);
        } else if (name != NULL && number == CMO_SURFACES_MAX) {
            g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                        "surface: too many; a robot knows at most %d", CMO_SURFACES_MAX);
            good = false;
        } else if (name != NULL) {
            for (unsigned n = 0; n < description->lights; n++) {
                take_shade(&sensors[n].surface[i], description->light[n].colour,
                           &taught.surfaces.shade[number][n]);
            }
            taught.surface_name[number] = g_steal_pointer(&name);
            taught.surfaces.count++;
        }
        g_free(name);
    }
    for (unsigned n = 0; n < taught.surfaces.count && !good; n++) {
        g_free(taught.surface_name[n]);
    }
    if (good) {
        robot->surfaces = taught.surfaces;
        memcpy(robot->surface_name, taught.surface_name, sizeof robot->surface_name);
    }
    return good;
}

// ------------------------------------------------------------------------------------- telling --

static double normal(GRand *noise) {
    double radius = sqrt(-2.0 * log(1.0 - g_rand_double(noise)));
    return radius * cos(2.0 * G_PI * g_rand_double(noise));
}

// A reading of a surface, in another light.
static void draw(const cmo_shade *shade, bool colour, const cmo_levels *levels, double change,
                 GRand *noise, float reading[CMO_COLOURS]) {
    double k = 1.0 + change * g_rand_double_range(noise, -1.0, 1.0);
    double contrast = fabs((double)levels->light - levels->dark);
    if (!colour) {
        double mean = (double)cmo_reflectance(levels, shade->counts);
        reading[0] = (float)(k * mean + shade->spread / contrast * normal(noise));
        return;
    }
    for (unsigned c = 0; c < CMO_COLOURS; c++) {
        reading[c] = (float)(k * shade->colour[c] + shade->spread * normal(noise));
    }
}

void lab_floor_tell(const lab_floor *floor, const lab_robot *robot, unsigned sensor,
                    const cmo_levels *levels, lab_told *out) {
    const cmo_surfaces *known = &robot->surfaces;
    bool colour = robot->description.light[sensor].colour;
    *out = (lab_told){.surfaces = known->count};
    unsigned number = 0;
    for (guint i = 0; i < floor->surfaces->len && number < known->count; i++) {
        const lab_surface *surface = g_ptr_array_index(floor->surfaces, i);
        if (!is_void(surface)) {
            out->name[number] = surface->name;
            out->of[number++] = i;
        }
    }
    cmo_surfaces weighed = robot->surfaces;
    cmo_surfaces_weigh(&weighed, (uint8_t)sensor, colour, levels);
    GRand *noise = g_rand_new_with_seed(1);
    for (unsigned i = 0; i < known->count; i++) {
        const cmo_shade *shade = &known->shade[i][sensor];
        unsigned told[CMO_SURFACES_MAX + 1] = {0};
        for (unsigned n = 0; n < LAB_TOLD_READINGS && shade->counts != CMO_SHADE_UNKNOWN; n++) {
            float reading[CMO_COLOURS] = {0.0F};
            draw(shade, colour, levels, (double)known->change, noise, reading);
            told[cmo_surface_of(&weighed, (uint8_t)sensor, levels, reading, NULL)]++;
        }
        for (unsigned n = 0; n <= known->count; n++) {
            out->share[i][n] = told[n] / (double)LAB_TOLD_READINGS;
            out->most[i] =
                n > 0 && n != i + 1 ? fmax(out->most[i], out->share[i][n]) : out->most[i];
        }
    }
    g_rand_free(noise);
}
