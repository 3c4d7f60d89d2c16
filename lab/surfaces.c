// SPDX-License-Identifier: GPL-3.0-or-later
#include "surfaces.h"

#include "legs.h"

#include <cammino/surfaces.h>
#include <cammino_lab/run.h>

#include <math.h>
#include <string.h>

// ---------------------------------------------------------------------------------------- keys --

static const lab_key shade_keys[] = {
    KEY_WHOLE(staged_shade, counts, "counts", 0, 65534, "counts", KEY_MUST, "mean reading"),
    KEY_WHOLE(staged_shade, red, "red", 0, 65534, "counts", "0",
              "mean of the channel, of a sensor that sees colour"),
    KEY_WHOLE(staged_shade, green, "green", 0, 65534, "counts", "0", "the same"),
    KEY_WHOLE(staged_shade, blue, "blue", 0, 65534, "counts", "0", "the same"),
    KEY_WHOLE(staged_shade, spread, "spread", 0, 10000, "counts", "0",
              "standard deviation of a reading, of the widest channel; at least 0.005 of the "
              "contrast is taken, of channels 0.5 counts"),
    KEY_END};
const lab_section labi_shade_section = {"surfaces[].left, surfaces[].right",
                                        "What one sensor reads over the surface.", shade_keys};

static const lab_key surface_keys[] = {
    KEY_TEXT(staged_surface, name, "name", KEY_MUST,
             "what legs call it: small letters, digits and _, no digit first"),
    KEY_SECTION(staged_surface, left, "left", &labi_shade_section, "not taught to it",
                "of the left sensor"),
    KEY_SECTION(staged_surface, right, "right", &labi_shade_section, "not taught to it",
                "of the right sensor"),
    KEY_END};
const lab_section labi_surface_section = {
    "surfaces[]",
    "A surface that was taught: the floor, a stripe. `cammino levels` writes them from readings by "
    "surface.",
    surface_keys};

// -------------------------------------------------------------------------------------- finish --

#define NAMES_ARE "'%s' is no name; small letters, digits and _ would do, no digit first"

static uint16_t or_zero(double value) {
    return isnan(value) ? 0 : (uint16_t)value;
}

static void finish_shade(cmo_shade *shade, const staged_shade *from) {
    if (!isnan(from->counts)) {
        *shade = (cmo_shade){or_zero(from->counts),
                             {or_zero(from->red), or_zero(from->green), or_zero(from->blue)},
                             or_zero(from->spread)};
    }
}

bool labi_surfaces_check(const yaml_reader *reader, const yaml_node_t *node,
                         const staged_surfaces *from) {
    bool good = true;
    for (unsigned i = 0; i < from->count && good; i++) {
        const char *name = from->surface[i].name;
        char *field = g_strdup_printf("surfaces[%u].name", i + 1);
        if (!labi_is_name(name)) {
            good = labi_yaml_wrong(reader, node, field, NAMES_ARE, name);
        }
        for (unsigned n = 0; n < i && good; n++) {
            if (strcmp(name, from->surface[n].name) == 0) {
                good = labi_yaml_wrong(reader, node, field, "there is one called %s already", name);
            }
        }
        g_free(field);
    }
    return good;
}

void labi_surfaces_finish(lab_robot *robot, const staged_surfaces *from) {
    cmo_surfaces_clear(&robot->surfaces);
    robot->surfaces.count = (uint8_t)from->count;
    robot->surfaces.change = isnan(from->change) ? 0.0F : (float)from->change;
    for (unsigned i = 0; i < from->count; i++) {
        robot->surface_name[i] = g_strdup(from->surface[i].name);
        finish_shade(&robot->surfaces.shade[i][0], &from->surface[i].left);
        if (CMO_LIGHTS_MAX > 1) {
            finish_shade(&robot->surfaces.shade[i][CMO_LIGHTS_MAX > 1], &from->surface[i].right);
        }
    }
}

// --------------------------------------------------------------------------------------- names --

uint8_t lab_surface_number(const lab_route *route, const char *name) {
    for (unsigned i = 0; i < route->surfaces; i++) {
        if (strcmp(route->surface_name[i], name) == 0) {
            return (uint8_t)(i + 1U);
        }
    }
    return 0;
}

const char *lab_surface_name(const lab_route *route, uint8_t number) {
    return number > 0 && number <= route->surfaces ? route->surface_name[number - 1U] : "?";
}

static bool wrong(const lab_route *route, int line, GError **error, const char *format,
                  const char *name) {
    char *text = g_strdup_printf(format, name);
    g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s:%d: surface: %s", route->path, line, text);
    g_free(text);
    return false;
}

// Those that legs teach follow those that the robot knows.
static bool add_taught(lab_route *route, GError **error) {
    for (unsigned i = 0; i < route->legs; i++) {
        const lab_leg *leg = &route->leg[i];
        const char *name = leg->surface;
        if (leg->routine != CMO_ROUTINE_TAKE_SURFACE || name == NULL ||
            lab_surface_number(route, name) != 0) {
            continue;
        }
        if (!labi_is_name(name)) {
            return wrong(route, leg->line, error, NAMES_ARE, name);
        }
        if (route->surfaces == CMO_SURFACES_MAX) {
            char most[16];
            g_snprintf(most, sizeof most, "%d", CMO_SURFACES_MAX);
            return wrong(route, leg->line, error, "too many; a robot knows at most %s", most);
        }
        route->surface_name[route->surfaces++] = g_strdup(name);
    }
    return true;
}

static bool find(const lab_route *route, int line, const char *name, uint8_t *number,
                 GError **error) {
    *number = name != NULL ? lab_surface_number(route, name) : 0;
    if (name == NULL || *number != 0) {
        return true;
    }
    const char *known[CMO_SURFACES_MAX + 1] = {NULL};
    for (unsigned i = 0; i < route->surfaces; i++) {
        known[i] = route->surface_name[i];
    }
    const char *nearest = lab_nearest(name, known);
    char *all = g_strjoinv(", ", (char **)(uintptr_t)known);
    char *text =
        nearest != NULL ? g_strdup_printf("%s; did you mean %s?", name, nearest)
        : route->surfaces > 0
            ? g_strdup_printf("%s; known are: %s", name, all)
            : g_strdup_printf("%s; teach it: cammino levels, or a leg take_surface before", name);
    wrong(route, line, error, "there is none called %s", text);
    g_free(text);
    g_free(all);
    return false;
}

// The number goes where the routine's parameters have it.
static void put(lab_leg *leg, uint8_t number) {
#define PUT(X, type, ...) PUT_##type(X, __VA_ARGS__)
#define PUT_NUMBER(...)
#define PUT_OTHERWISE(...)
#define PUT_SIGNED(...)
#define PUT_SPEED(...)
#define PUT_RATE(...)
#define PUT_WIDTH(...)
#define PUT_WHOLE(...)
#define PUT_COUNT(...)
#define PUT_FLAG(...)
#define PUT_CHOICE(...)
#define PUT_BITS(...)
#define PUT_HALT(...)
#define PUT_TIME(...)
#define PUT_BAND(...)
#define PUT_PLACE(...)
#define PUT_PLACES(...)
#define PUT_SURFACE(LEG, name, ...) leg->parameters.LEG.name = number;
#define PUT_LEG(NAME, leg_name, figures, text)                                                     \
    case CMO_ROUTINE_##NAME: {                                                                     \
        CMO_##NAME##_PARAMETERS(PUT, leg_name) break;                                              \
    }
    switch (leg->routine) {
        CMO_EACH_LEG(PUT_LEG)
    default:
        break;
    }
}

bool labi_surfaces_resolve(lab_route *route, GError **error) {
    for (unsigned i = 0; i < route->robot->surfaces.count; i++) {
        route->surface_name[route->surfaces++] = g_strdup(route->robot->surface_name[i]);
    }
    bool good = add_taught(route, error);
    for (unsigned i = 0; i < route->legs && good; i++) {
        lab_leg *leg = &route->leg[i];
        uint8_t number;
        good = find(route, leg->line, leg->surface, &number, error) &&
               find(route, leg->line, leg->end_surface, &leg->ends.surface, error);
        put(leg, number);
    }
    for (unsigned i = 0; i < route->groups && good; i++) {
        lab_group *group = &route->group[i];
        good = find(route, group->line, group->end_surface, &group->ends.surface, error);
    }
    return good;
}

const char *lab_tally(const GArray *counted, guint n, unsigned *count) {
    const char *name = g_array_index(counted, lab_counted, n).surface;
    *count = 0;
    for (guint i = 0; name != NULL && i < counted->len; i++) {
        bool same = g_strcmp0(g_array_index(counted, lab_counted, i).surface, name) == 0;
        if (same && i < n) {
            return NULL;
        }
        *count += same ? 1 : 0;
    }
    return name;
}

// ------------------------------------------------------------------------------ as it is used --

void labi_set_surfaces(cmo_robot *robot, cmo_surfaces *table, const lab_route *route) {
    *table = route->robot->surfaces;
    if (route->surfaces > 0) {
        cmo_robot_set_surfaces(robot, table);
    }
}

bool labi_is_surface(const lab_route *route, const cmo_sim *sim, unsigned sensor, double x_mm,
                     double y_mm, uint8_t surface) {
    cmo_surfaces table = *route->known;
    const cmo_levels *levels = &route->robot->levels[sensor];
    uint16_t counts;
    uint16_t colour[CMO_COLOURS];
    cmo_sim_reading(sim, sensor, x_mm, y_mm, &counts, colour);
    float reading[CMO_COLOURS] = {cmo_reflectance(levels, counts)};
    table.colour[sensor] = route->robot->description.light[sensor].colour;
    for (unsigned i = 0; table.colour[sensor] && i < CMO_COLOURS; i++) {
        reading[i] = (float)colour[i];
    }
    return cmo_surface_of(&table, (uint8_t)sensor, levels, reading, NULL) == surface;
}
