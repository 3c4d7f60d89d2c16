// SPDX-License-Identifier: GPL-3.0-or-later
// Route files: from what was read to what the routines take.
#include "route_staged.h"
#include "sections.h"
#include "yaml_reader.h"

#include <cammino_lab/fleet.h>

#include <math.h>
#include <string.h>

// ---------------------------------------------------------------------------------------- legs --

// Zero means the default to a routine, so what was not given becomes zero.
static float or_zero(double value) {
    return isnan(value) ? 0.0F : (float)value;
}

static uint32_t to_ms(double seconds) {
    return isnan(seconds) ? 0U : (uint32_t)(1000.0 * seconds + 0.5);
}

static cmo_halt to_halt(double halt) {
    return isnan(halt) ? CMO_HALT_DEFAULT : (cmo_halt)((int)halt + CMO_HALT_COAST);
}

static void finish_advance(lab_leg *leg, const staged_leg *staged) {
    const staged_move *from = &staged->advance;
    leg->parameters.advance = (cmo_advance_parameters){
        .distance_mm = or_zero(from->amount),
        .speed_mm_s = or_zero(from->speed_mm_s),
        .acceleration_mm_s2 = or_zero(from->acceleration_mm_s2),
        .braking_mm_s2 = or_zero(from->braking_mm_s2),
        .tolerance_mm = or_zero(from->tolerance),
        .longest_ms = to_ms(from->longest_s),
        .halt = to_halt(from->halt),
        .ending = (cmo_ending)or_zero(from->ending),
    };
}

static void finish_turn(lab_leg *leg, const staged_leg *staged) {
    const staged_move *from = &staged->turn;
    leg->parameters.turn = (cmo_turn_parameters){
        .angle_deg = or_zero(from->amount),
        .speed_mm_s = or_zero(from->speed_mm_s),
        .acceleration_mm_s2 = or_zero(from->acceleration_mm_s2),
        .braking_mm_s2 = or_zero(from->braking_mm_s2),
        .tolerance_deg = or_zero(from->tolerance),
        .longest_ms = to_ms(from->longest_s),
        .halt = to_halt(from->halt),
    };
}

static cmo_band to_band(const staged_band *from) {
    if (isnan(from->low) && isnan(from->high)) {
        return (cmo_band){0.0F, 0.0F};
    }
    return (cmo_band){isnan(from->low) ? -INFINITY : (float)from->low,
                      isnan(from->high) ? INFINITY : (float)from->high};
}

static void finish_line(lab_leg *leg, const staged_line *from) {
    leg->stated = !isnan(from->place.x_mm);
    leg->place = (cmo_stated_line){or_zero(from->place.x_mm), or_zero(from->place.y_mm),
                                   or_zero(from->place.heading_deg)};
    leg->parameters.line_search = (cmo_line_parameters){
        .tone = (cmo_tone)or_zero(from->tone),
        .band = to_band(&from->band),
        .watch = (cmo_watch)or_zero(from->sensor),
        .blind_mm = or_zero(from->blind_mm),
        .cruise_mm_s = or_zero(from->cruise_mm_s),
        .creep_mm_s = or_zero(from->creep_mm_s),
        .least_width_mm =
            from->least_width_mm == 0.0 ? CMO_ANY_WIDTH : or_zero(from->least_width_mm),
        .largest_entry_deg = or_zero(from->largest_entry_deg),
        .longest_mm = or_zero(from->longest_mm),
        .longest_ms = to_ms(from->longest_s),
        .acceleration_mm_s2 = or_zero(from->acceleration_mm_s2),
        .braking_mm_s2 = or_zero(from->braking_mm_s2),
        .halt = to_halt(from->halt),
        .ending = (cmo_ending)or_zero(from->ending),
        .too_fast = (cmo_too_fast)or_zero(from->too_fast),
        .rest = (cmo_rest)or_zero(from->rest),
        .effort = (cmo_effort)or_zero(from->effort),
        .expected_mm = or_zero(from->expected_mm),
        .beyond_mm = or_zero(from->beyond_mm),
    };
}

static void finish_drive_until_line(lab_leg *leg, const staged_leg *staged) {
    finish_line(leg, &staged->drive_until_line);
}

static void finish_stop_on_line(lab_leg *leg, const staged_leg *staged) {
    finish_line(leg, &staged->stop_on_line);
}

// Its rests begin with the near edge.
static void finish_square_on_line(lab_leg *leg, const staged_leg *staged) {
    const staged_line *from = &staged->square_on_line;
    finish_line(leg, from);
    cmo_line_parameters line = leg->parameters.line_search;
    line.rest = (cmo_rest)((int)or_zero(from->rest) + CMO_REST_NEAR_EDGE);
    leg->parameters.square = (cmo_square_parameters){
        .line = line,
        .rounds = (uint8_t)or_zero(from->rounds),
        .tolerance_mm = or_zero(from->tolerance_mm),
    };
}

static void finish_take_levels(lab_leg *leg, const staged_leg *staged) {
    const staged_levels_leg *from = &staged->take_levels;
    leg->parameters.take_levels = (cmo_take_levels_parameters){
        .distance_mm = or_zero(from->distance_mm),
        .angle_deg = or_zero(from->angle_deg),
        .speed_mm_s = or_zero(from->speed_mm_s),
        .longest_ms = to_ms(from->longest_s),
    };
}

static void finish_check_wiring(lab_leg *leg, const staged_leg *staged) {
    const staged_wiring_leg *from = &staged->check_wiring;
    leg->parameters.check_wiring = (cmo_check_wiring_parameters){
        .tone = (cmo_tone)or_zero(from->tone),
        .speed_mm_s = or_zero(from->speed_mm_s),
        .swing_deg = or_zero(from->swing_deg),
        .longest_ms = to_ms(from->longest_s),
    };
}

static void finish_measure_geometry(lab_leg *leg, const staged_leg *staged) {
    const staged_geometry_leg *from = &staged->measure_geometry;
    leg->parameters.measure_geometry = (cmo_measure_geometry_parameters){
        .tone = (cmo_tone)or_zero(from->tone),
        .lines_mm = or_zero(from->lines_mm),
        .slant_deg = or_zero(from->slant_deg),
        .speed_mm_s = or_zero(from->speed_mm_s),
        .fast_mm_s = or_zero(from->fast_mm_s),
        .longest_mm = or_zero(from->longest_mm),
        .rounds = (uint8_t)or_zero(from->rounds),
        .longest_ms = to_ms(from->longest_s),
    };
}

static void finish_measure_drive(lab_leg *leg, const staged_leg *staged) {
    const staged_drive_leg *from = &staged->measure_drive;
    leg->parameters.measure_drive = (cmo_measure_drive_parameters){
        .fast_mm_s = or_zero(from->fast_mm_s),
        .rounds = (uint8_t)or_zero(from->rounds),
        .longest_ms = to_ms(from->longest_s),
    };
}

static void finish_stay_inside(lab_leg *leg, const staged_leg *staged) {
    const staged_stay *from = &staged->stay_inside;
    leg->parameters.stay = (cmo_stay_parameters){
        .boundary = (cmo_tone)or_zero(from->boundary),
        .band = to_band(&from->band),
        .cruise_mm_s = or_zero(from->cruise_mm_s),
        .too_fast = (cmo_too_fast)or_zero(from->too_fast),
        .grazing = (cmo_grazing)or_zero(from->grazing),
        .convex = or_zero(from->convex) != 0.0F,
        .guess = or_zero(from->guess) != 0.0F,
        .leave = (cmo_leaving)or_zero(from->leave),
        .angle_deg = or_zero(from->angle_deg),
        .margin_mm = or_zero(from->margin_mm),
        .acceleration_mm_s2 = or_zero(from->acceleration_mm_s2),
        .braking_mm_s2 = or_zero(from->braking_mm_s2),
        .halt = to_halt(from->halt),
        .longest_ms = to_ms(from->for_s),
        .rebounds = (uint16_t)or_zero(from->rebounds),
        .distance_mm = or_zero(from->distance_mm),
        .touch = (uint8_t)or_zero(from->touch),
        .range_mm = or_zero(from->range_mm),
        .charge_mm = or_zero(from->charge_mm),
        .charge_mm_s = or_zero(from->charge_mm_s),
        .scan_deg = or_zero(from->scan_deg),
    };
}

static void finish_countdown(lab_leg *leg, const staged_leg *staged) {
    leg->parameters.countdown = (cmo_countdown_parameters){
        .seconds = (uint16_t)or_zero(staged->countdown.seconds),
        .longest_ms = to_ms(staged->countdown.longest_s),
    };
}

// One row a routine, in the order of labi_leg_keys.
static const struct {
    cmo_kind kind;
    void (*finish)(lab_leg *leg, const staged_leg *staged);
} routines[] = {
    {CMO_KIND_ADVANCE, finish_advance},
    {CMO_KIND_TURN, finish_turn},
    {CMO_KIND_DRIVE_UNTIL_LINE, finish_drive_until_line},
    {CMO_KIND_STOP_ON_LINE, finish_stop_on_line},
    {CMO_KIND_SQUARE_ON_LINE, finish_square_on_line},
    {CMO_KIND_TAKE_LEVELS, finish_take_levels},
    {CMO_KIND_CHECK_WIRING, finish_check_wiring},
    {CMO_KIND_MEASURE_GEOMETRY, finish_measure_geometry},
    {CMO_KIND_MEASURE_DRIVE, finish_measure_drive},
    {CMO_KIND_STAY_INSIDE, finish_stay_inside},
    {CMO_KIND_COUNTDOWN, finish_countdown},
};

// `- advance` without parameters is an easy slip; it reads as if it were `- advance: {}`.
static bool read_leg(yaml_reader *reader, const yaml_node_t *node, const char *path, lab_leg *leg) {
    if (node->type != YAML_MAPPING_NODE) {
        return labi_yaml_wrong(reader, node, path,
                               "must be a routine with its parameters, as in - advance: "
                               "{distance_mm: 60}");
    }
    if (node->data.mapping.pairs.top - node->data.mapping.pairs.start != 1) {
        return labi_yaml_wrong(reader, node, path,
                               "must name exactly one routine; begin another leg with '- '");
    }
    staged_leg staged; // nothing but numbers, and not all of them are keys of every routine
    for (double *number = (double *)&staged; number < (double *)(&staged + 1); number++) {
        *number = NAN;
    }
    if (!labi_yaml_section(reader, node, path, &labi_leg_section, &staged)) {
        return false;
    }
    leg->line = labi_yaml_line(node);
    for (size_t i = 0; i < G_N_ELEMENTS(routines); i++) {
        if (labi_yaml_find(reader, node, labi_leg_keys[i].name) != NULL) {
            leg->kind = routines[i].kind;
            routines[i].finish(leg, &staged);
        }
    }
    if ((leg->kind == CMO_KIND_ADVANCE && leg->parameters.advance.distance_mm == 0.0F) ||
        (leg->kind == CMO_KIND_TURN && leg->parameters.turn.angle_deg == 0.0F)) {
        char *field = g_strdup_printf("%s.%s", path, cmo_kind_name(leg->kind));
        labi_yaml_wrong(reader, node, field, "a move by 0 is none; leave the leg out");
        g_free(field);
        return false;
    }
    return true;
}

static bool read_legs(yaml_reader *reader, const yaml_node_t *list, lab_route *route) {
    if (list->type != YAML_SEQUENCE_NODE ||
        list->data.sequence.items.start == list->data.sequence.items.top) {
        return labi_yaml_wrong(reader, list, "legs",
                               "must be a list of legs, each beginning with '- '");
    }
    bool good = true;
    for (yaml_node_item_t *item = list->data.sequence.items.start;
         good && item < list->data.sequence.items.top; item++) {
        const yaml_node_t *node = yaml_document_get_node(&reader->document, *item);
        char *path = g_strdup_printf("legs[%u]", route->legs + 1);
        if (route->legs == LAB_LEGS_MAX) {
            good = labi_yaml_wrong(reader, node, path, "too many; at most %d", LAB_LEGS_MAX);
        } else {
            good = read_leg(reader, node, path, &route->leg[route->legs++]);
        }
        g_free(path);
    }
    return good;
}

// ---------------------------------------------------------------------------------------- route --

static char *beside(const char *route_path, const char *name) {
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
    return (lab_spread){given(from->x_mm, 5.0),        given(from->y_mm, 5.0),
                        given(from->heading_deg, 2.0), given(from->battery, 0.1),
                        given(from->grip, 0.1),        given(from->wheel, 0.0),
                        given(from->gain, 0.02)};
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
    bool good = read_head(&reader, root, &staged) &&
                read_legs(&reader, labi_yaml_find(&reader, root, "legs"), route);
    if (good) {
        route->path = g_strdup(name);
        route->robot_path = beside(name, staged.robot);
        route->mat_path = beside(name, staged.mat);
        route->mat_options =
            (cmo_sim_mat_options){isnan(staged.mat_px_per_mm) ? 0.0 : staged.mat_px_per_mm,
                                  isnan(staged.mat_width_mm) ? 0.0 : staged.mat_width_mm,
                                  isnan(staged.mat_soft_mm) ? 0.0 : staged.mat_soft_mm};
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
    labi_yaml_close(&reader);
    return route;
}

lab_route *lab_route_load(const char *path, const char *robot_path, uint64_t seed, GError **error) {
    char *bytes;
    size_t size;
    if (!labi_read_file(path, "route", LAB_YAML_MAX, &bytes, &size, error)) {
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
    bool good = lab_load_robot(route->robot_path, &route->robot, &route->fleet, error);
    if (good) {
        route->mat = cmo_sim_mat_load(route->mat_path, &route->mat_options, error);
        good = route->mat != NULL;
    }
    if (good && route->fleet != NULL) {
        lab_fleet_stand_on(route->fleet, route->mat, route->x_mm, route->y_mm);
        good = lab_route_draw(route, seed, error);
    }
    if (!good) {
        lab_route_free(route);
        return NULL;
    }
    lab_route_enclose(route);
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
    for (unsigned i = 0; i < route->legs; i++) {
        if (route->leg[i].kind == CMO_KIND_STAY_INSIDE) {
            route->region = cmo_sim_region_new(route->mat, route->x_mm, route->y_mm);
            return;
        }
    }
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
        g_free(route);
    }
}
