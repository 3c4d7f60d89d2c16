// SPDX-License-Identifier: GPL-3.0-or-later
// Route files: from what was read to what the routines take.
#include "legs.h"
#include "route_staged.h"
#include "sections.h"
#include "surfaces.h"
#include "yaml_edit.h"

#include <cammino_lab/fleet.h>

#include <math.h>
#include <string.h>

// ---------------------------------------------------------------------------------------- route --

char *labi_beside(const char *route_path, const char *name) {
    if (g_path_is_absolute(name)) {
        return g_strdup(name);
    }
    char *folder = g_path_get_dirname(route_path);
    char *path = strcmp(folder, ".") == 0 ? g_strdup(name) : g_build_filename(folder, name, NULL);
    g_free(folder);
    return path;
}

static double given(double value, double otherwise) {
    return isnan(value) ? otherwise : value;
}

static lab_spread to_spread(const lab_spread *from) {
    return (lab_spread){
        given(from->x_mm, 5.0),    given(from->y_mm, 5.0),      given(from->heading_deg, 2.0),
        given(from->battery, 0.1), given(from->grip, 0.1),      given(from->wheel, 0.0),
        given(from->gain, 0.02),   given(from->ambient, 0.0),   given(from->height, 0.0),
        given(from->late_ms, 0.0), given(from->looks_lost, 0.0)};
}

static cmo_sim_object to_object(const staged_object *from) {
    double mass_kg = given(from->mass_kg, 0.5);
    cmo_sim_object object = {.x_mm = from->x_mm,
                             .y_mm = from->y_mm,
                             .radius_mm = given(from->radius_mm, 50.0),
                             .mass_kg = mass_kg,
                             .friction_n = given(from->friction_n, 4.0 * mass_kg),
                             .speed_mm_s = given(from->speed_mm_s, 0.0),
                             .stops = from->stops};
    for (unsigned i = 0; i < from->stops; i++) {
        object.stop[i][0] = from->stop[i].x_mm;
        object.stop[i][1] = from->stop[i].y_mm;
    }
    return object;
}

// All but the legs, which need a look of their own.
static bool read_head(yaml_reader *reader, yaml_node_t *root, staged_route *staged) {
    labi_section_clear(&labi_start_section, &staged->start);
    labi_section_clear(&labi_spread_section, &staged->spread);
    return labi_yaml_section(reader, root, "", &labi_route_section, staged);
}

lab_route *lab_route_from_bytes(const char *name, const char *bytes, size_t size, GError **error) {
    yaml_reader reader;
    if (!labi_yaml_open(&reader, name, bytes, size, error)) {
        return NULL;
    }
    staged_route staged;
    labi_section_clear(&labi_route_section, &staged);
    lab_route *route = g_new0(lab_route, 1);
    yaml_node_t *root = labi_yaml_root(&reader);
    reader.numbers = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    reader.reckoned = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    reader.stated = route->numbers = g_array_new(FALSE, FALSE, sizeof(lab_number));
    yaml_node_t *numbers = labi_yaml_find(&reader, root, "numbers");
    bool good = (numbers == NULL || labi_yaml_numbers(&reader, numbers, "numbers")) &&
                read_head(&reader, root, &staged) &&
                labi_read_legs(&reader, labi_yaml_find(&reader, root, "legs"), route);
    if (good) {
        route->path = g_strdup(name);
        route->robot_path = staged.robot != NULL ? labi_beside(name, staged.robot) : NULL;
        route->mat_path = labi_beside(name, staged.mat);
        route->mat_options = (cmo_sim_mat_options){.px_per_mm = given(staged.mat_px_per_mm, 0.0),
                                                   .width_mm = given(staged.mat_width_mm, 0.0),
                                                   .soft_mm = given(staged.mat_soft_mm, 0.0)};
        route->longest_s = isnan(staged.longest_s) ? 3600.0 : staged.longest_s;
        route->start_pressed_s = given(staged.start_pressed_s, 0.0);
        route->stop_pressed_s = given(staged.stop_pressed_s, 0.0);
        route->objects = staged.objects;
        for (unsigned i = 0; i < staged.objects; i++) {
            route->object[i] = to_object(&staged.object[i]);
        }
        route->spread = to_spread(&staged.spread);
        route->x_mm = staged.start.x_mm;
        route->y_mm = staged.start.y_mm;
        route->heading_deg = isnan(staged.start.heading_deg) ? 0.0 : staged.start.heading_deg;
    } else {
        lab_route_free(route);
        route = NULL;
    }
    g_free(staged.robot);
    g_free(staged.mat);
    g_hash_table_destroy(reader.numbers);
    g_hash_table_destroy(reader.reckoned);
    labi_yaml_close(&reader);
    return route;
}

static bool sees_colour(const lab_robot *robot) {
    bool any = false;
    for (unsigned i = 0; i < robot->plant.sensors; i++) {
        any = any || robot->plant.sensor[i].colour != 0.0;
    }
    return any;
}

lab_route *lab_route_load(const char *path, const char *robot_path, uint64_t seed, GError **error) {
    return lab_route_load_changed(path, robot_path, seed, NULL, NULL, error);
}

// It takes some time to draw one: of another route with the same it is taken over.
static cmo_sim_mat *mat_of(const lab_route *route, const lab_route *like, GError **error) {
    const cmo_sim_mat_options *as = &route->mat_options;
    const cmo_sim_mat_options *there = like != NULL ? &like->mat_options : NULL;
    if (there != NULL && strcmp(route->mat_path, like->mat_path) == 0 &&
        as->px_per_mm == there->px_per_mm && as->width_mm == there->width_mm &&
        as->soft_mm == there->soft_mm && as->colour == there->colour) {
        return cmo_sim_mat_share(like->mat);
    }
    return cmo_sim_mat_load(route->mat_path, as, error);
}

// And a region, where it starts from the same place.
static void enclose(lab_route *route, const lab_route *like) {
    for (unsigned i = 0; i < route->legs; i++) {
        if (route->leg[i].routine == CMO_ROUTINE_STAY_INSIDE && route->region == NULL) {
            bool same = like != NULL && like->region != NULL && like->mat == route->mat &&
                        like->x_mm == route->x_mm && like->y_mm == route->y_mm;
            route->region = same ? cmo_sim_region_share(like->region)
                                 : cmo_sim_region_new(route->mat, route->x_mm, route->y_mm);
        } else if (route->leg[i].routine == CMO_ROUTINE_FOLLOW_EDGE) {
            cmo_sim_mat_measure(route->mat, CMO_SIM_LINE);
        }
    }
}

lab_route *lab_route_load_changed(const char *path, const char *robot_path, uint64_t seed,
                                  const lab_change *change, const lab_route *like, GError **error) {
    char *bytes;
    size_t size;
    if (!labi_read_changed(path, "route", change, false, &bytes, &size, error)) {
        return NULL;
    }
    lab_route *route = lab_route_from_bytes(path, bytes, size, error);
    g_free(bytes);
    if (route == NULL) {
        return NULL;
    }
    if (robot_path != NULL) {
        g_free(route->robot_path);
        route->robot_path = g_strdup(robot_path);
    }
    bool good = route->robot_path != NULL;
    if (!good) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                    "%s: robot: must be given: robot file, or fleet, beside the route, or with "
                    "--robot",
                    path);
    }
    good = good && labi_load_robot(route->robot_path, change, &route->robot, &route->fleet, error);
    if (good) {
        route->mat_options.colour = route->fleet != NULL ? lab_fleet_may_see_colour(route->fleet)
                                                         : sees_colour(route->robot);
        route->mat = mat_of(route, like, error);
        good = route->mat != NULL;
    }
    if (good && route->fleet != NULL) {
        lab_fleet_stand_on(route->fleet, route->mat, route->x_mm, route->y_mm);
        good = lab_route_draw(route, seed, error);
    }
    good = good && labi_surfaces_resolve(route, error);
    if (!good) {
        lab_route_free(route);
        return NULL;
    }
    enclose(route, like);
    return route;
}

bool lab_route_draw(lab_route *route, uint64_t seed, GError **error) {
    if (route->fleet == NULL) {
        return true;
    }
    lab_robot *robot = lab_fleet_robot(route->fleet, seed, error);
    if (robot != NULL) {
        lab_robot_free(route->robot);
        route->robot = robot;
    }
    return robot != NULL;
}

void lab_route_enclose(lab_route *route) {
    cmo_sim_region_free(route->region);
    route->region = NULL;
    enclose(route, NULL);
}

void lab_route_free(lab_route *route) {
    if (route != NULL) {
        g_free(route->path);
        g_free(route->robot_path);
        g_free(route->mat_path);
        lab_robot_free(route->robot);
        lab_fleet_free(route->fleet);
        cmo_sim_region_free(route->region);
        cmo_sim_mat_free(route->mat);
        for (unsigned i = 0; i < route->calibrations; i++) {
            lab_route_free(route->calibration[i]);
        }
        for (unsigned i = 0; i < route->legs; i++) {
            g_free(route->leg[i].name);
            g_free(route->leg[i].file);
            g_free(route->leg[i].surface);
            g_free(route->leg[i].end_surface);
            if (route->leg[i].reckoned != NULL) {
                g_hash_table_destroy(route->leg[i].reckoned);
            }
        }
        for (guint i = 0; route->numbers != NULL && i < route->numbers->len; i++) {
            lab_number *number = &g_array_index(route->numbers, lab_number, i);
            g_free(number->name);
            g_free(number->text);
        }
        if (route->numbers != NULL) {
            g_array_free(route->numbers, TRUE);
        }
        for (unsigned i = 0; i < route->groups; i++) {
            g_free(route->group[i].name);
            g_free(route->group[i].end_surface);
        }
        for (unsigned i = 0; i < route->surfaces; i++) {
            g_free(route->surface_name[i]);
        }
        g_free(route);
    }
}
