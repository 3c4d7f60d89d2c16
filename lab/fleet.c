// SPDX-License-Identifier: GPL-3.0-or-later
// Fleet files: a robot file in which values may be ranges and choices, and parts of several kinds.
#include <cammino_lab/fleet.h>

#include "describe.h"
#include "sections.h"

#include <math.h>
#include <string.h>

#define KINDS_MAX 10U

typedef struct fleet_part {
    char *name;
    unsigned kinds;
    char *kind[KINDS_MAX];
} fleet_part;

struct lab_fleet {
    char *path, *name;
    char *bytes;
    size_t size;
    unsigned parts;
    fleet_part part[LAB_PARTS_MAX];
    cmo_sim_mat *sheet;
    bool over_void;
};

typedef struct staged_fleet {
    char *name;
    staged_robot robot;
} staged_fleet;

static const lab_key fleet_keys[] = {
    KEY_TEXT(staged_fleet, name, "fleet", "must be given", "name of the fleet"),
    KEY_SECTION(staged_fleet, robot, "robot", &lab_robot_section, "nothing",
                "what all of its robots have: keys as in a robot file"),
    {"kinds", LAB_LIST, 0, 0, 0, "", "none",
     "parts of which there are several kinds, each with keys as in a robot file", NULL,
     &lab_robot_section, 0, LAB_PARTS_MAX, 0},
    KEY_END};
static const lab_section fleet_section = {
    "fleet file",
    "What robots have in common, and by what they differ. Each seed draws another robot.",
    fleet_keys};
const lab_section *const lab_fleet_sections[] = {&fleet_section, NULL};

// --------------------------------------------------------------------------------------- kinds --

static const char *key_of(yaml_reader *reader, const yaml_node_pair_t *pair) {
    const yaml_node_t *node = yaml_document_get_node(&reader->document, pair->key);
    return node->type == YAML_SCALAR_NODE ? (const char *)node->data.scalar.value : "";
}

static size_t pairs_of(const yaml_node_t *node) {
    return node->type == YAML_MAPPING_NODE
               ? (size_t)(node->data.mapping.pairs.top - node->data.mapping.pairs.start)
               : 0;
}

// A word that can stand in a table and in JSON.
static bool is_word(const char *text) {
    size_t length = strlen(text);
    return length > 0 && length <= 24 &&
           strspn(text, "abcdefghijklmnopqrstuvwxyz0123456789_") == length;
}

static bool learn_kinds(yaml_reader *reader, const yaml_node_t *node, const char *path,
                        fleet_part *part) {
    if (pairs_of(node) < 1 || pairs_of(node) > KINDS_MAX) {
        return yaml_reader_wrong(reader, node, path,
                                 "must be kinds with their keys, as in round: {...}; 1 to %u",
                                 KINDS_MAX);
    }
    for (const yaml_node_pair_t *pair = node->data.mapping.pairs.start;
         pair < node->data.mapping.pairs.top; pair++) {
        const char *name = key_of(reader, pair);
        for (unsigned i = 0; i < part->kinds; i++) {
            if (strcmp(part->kind[i], name) == 0) {
                return yaml_reader_wrong(reader, node, path, "'%s' is given twice", name);
            }
        }
        if (!is_word(name)) {
            return yaml_reader_wrong(reader, node, path,
                                     "'%s' is no name of a kind; a to z, 0 to 9 and _ would do",
                                     name);
        }
        part->kind[part->kinds++] = g_strdup(name);
    }
    return true;
}

static bool learn_parts(yaml_reader *reader, lab_fleet *fleet) {
    yaml_node_t *node = yaml_reader_find(reader, yaml_reader_root(reader), "kinds");
    if (node == NULL) {
        return true;
    }
    if (pairs_of(node) < 1 || pairs_of(node) > LAB_PARTS_MAX) {
        return yaml_reader_wrong(reader, node, "kinds",
                                 "must be parts with their kinds, as in tyres: {hard: {...}, "
                                 "soft: {...}}; 1 to %u",
                                 LAB_PARTS_MAX);
    }
    for (const yaml_node_pair_t *pair = node->data.mapping.pairs.start;
         pair < node->data.mapping.pairs.top; pair++) {
        const yaml_node_t *value = yaml_document_get_node(&reader->document, pair->value);
        const char *name = key_of(reader, pair);
        for (unsigned i = 0; i < fleet->parts; i++) {
            if (strcmp(fleet->part[i].name, name) == 0) {
                return yaml_reader_wrong(reader, value, "kinds", "'%s' is given twice", name);
            }
        }
        if (!is_word(name)) {
            return yaml_reader_wrong(reader, value, "kinds",
                                     "'%s' is no name of a part; a to z, 0 to 9 and _ would do",
                                     name);
        }
        fleet_part *part = &fleet->part[fleet->parts++];
        part->name = g_strdup(name);
        char *path = g_strdup_printf("kinds.%s", name);
        bool good = learn_kinds(reader, value, path, part);
        g_free(path);
        if (!good) {
            return false;
        }
    }
    return true;
}

unsigned lab_fleet_kind_of(const lab_fleet *fleet, unsigned part, uint64_t seed) {
    const fleet_part *of = &fleet->part[part];
    return (unsigned)(yaml_reader_even(seed, of->name, "kind") * of->kinds);
}

static bool read_kind(yaml_reader *reader, const fleet_part *part, unsigned kind,
                      staged_robot *staged) {
    const yaml_node_t *parts = yaml_reader_find(reader, yaml_reader_root(reader), "kinds");
    const yaml_node_t *of = yaml_reader_find(reader, parts, part->name);
    const yaml_node_t *node = yaml_reader_find(reader, of, part->kind[kind]);
    char *path = g_strdup_printf("kinds.%s.%s", part->name, part->kind[kind]);
    bool good = yaml_reader_section(reader, node, path, &lab_robot_section, staged);
    g_free(path);
    return good;
}

// --------------------------------------------------------------------------------------- robot --

// What was not given of the right sensor is as the left one's, on the other side.
static void mirror(const lab_section *section, void *to, const void *from, size_t left_offset) {
    for (const lab_key *key = section->keys; key->name != NULL; key++) {
        char *at = (char *)to + key->offset;
        const char *other = (const char *)from + key->offset;
        if (key->type == LAB_SECTION) {
            mirror(key->section, at, other, (size_t)-1);
        } else if (key->type < LAB_TEXT && isnan(*(double *)(void *)at)) {
            double value = *(const double *)(const void *)other;
            *(double *)(void *)at = key->offset == left_offset ? -value : value;
        }
    }
}

static bool wrong(yaml_reader *reader, const char *field, const char *text) {
    return yaml_reader_wrong(reader, yaml_reader_root(reader), field, "%s", text);
}

// What a user has to know before anything can be measured.
static bool check_stated(yaml_reader *reader, const staged_robot *staged) {
    if (staged->name != NULL) {
        return wrong(reader, "name", "a fleet's robots go by their numbers; leave it out");
    }
    if (!isnan(staged->measured.track_mm)) {
        return wrong(reader, "measured", "a fleet's robots differ from it; leave it out");
    }
    if (isnan(staged->encoders.step_mm)) {
        return wrong(reader, "encoders.step_mm",
                     "must be given: what is not stated is measured by counts");
    }
    if (isnan(staged->plant.plant.no_load_mm_s)) {
        return wrong(reader, "plant.no_load_mm_s", "must be given in a fleet");
    }
    if (isnan(staged->lights.left.ahead_mm) || isnan(staged->lights.left.left_mm)) {
        return wrong(reader, "lights.left", "ahead_mm and left_mm must be given");
    }
    const yaml_node_t *root = yaml_reader_root(reader);
    return yaml_reader_filled(reader, root, "", &lab_robot_section, staged);
}

// Values to begin with, until it has been measured.
static staged_robot begin(const staged_robot *staged) {
    staged_robot first = *staged;
    staged_drive *drive = &first.drive;
    double top = 0.8 * staged->plant.plant.no_load_mm_s;
    drive->top_mm_s = isnan(drive->top_mm_s) ? CLAMP(top, 10.0, 5000.0) : drive->top_mm_s;
    if (drive->kind == 1.0 && isnan(drive->full_duty_mm_s)) {
        drive->full_duty_mm_s = CLAMP(staged->plant.plant.no_load_mm_s, 10.0, 10000.0);
    }
    drive->acceleration_mm_s2 =
        isnan(drive->acceleration_mm_s2) ? 1000.0 : drive->acceleration_mm_s2;
    drive->braking_mm_s2 = isnan(drive->braking_mm_s2) ? 1000.0 : drive->braking_mm_s2;
    return first;
}

// All that was drawn for a seed. False: the error says what does not go together.
static bool draw(const lab_fleet *fleet, yaml_reader *reader, uint64_t seed, staged_robot *staged,
                 unsigned *kinds) {
    staged_fleet all;
    lab_section_clear(&fleet_section, &all);
    reader->part = reader->draws = true;
    reader->seed = seed;
    bool good = yaml_reader_section(reader, yaml_reader_root(reader), "", &fleet_section, &all);
    for (unsigned i = 0; i < fleet->parts && good; i++) {
        kinds[i] = lab_fleet_kind_of(fleet, i, seed);
        good = read_kind(reader, &fleet->part[i], kinds[i], &all.robot);
    }
    if (good) {
        mirror(&lab_light_section, &all.robot.lights.right, &all.robot.lights.left,
               offsetof(staged_light, left_mm));
        mirror(&lab_eye_section, &all.robot.plant.eyes.right, &all.robot.plant.eyes.left,
               offsetof(cmo_sim_eye, left_mm));
        *staged = begin(&all.robot);
        good = check_stated(reader, staged) && lab_robot_check_staged(reader, staged);
        *staged = all.robot;
    }
    g_free(all.name);
    g_free(all.robot.name);
    return good;
}

lab_robot *lab_fleet_robot(const lab_fleet *fleet, uint64_t seed, GError **error) {
    yaml_reader reader;
    if (!yaml_reader_open(&reader, fleet->path, fleet->bytes, fleet->size, error)) {
        return NULL;
    }
    staged_robot staged;
    unsigned kinds[LAB_PARTS_MAX];
    lab_robot *robot = NULL;
    if (draw(fleet, &reader, seed, &staged, kinds)) {
        staged_robot first = begin(&staged);
        robot = g_new0(lab_robot, 1);
        lab_robot_finish(robot, &first, fleet->path);
        g_free(robot->name);
        robot->name = g_strdup_printf("%s, robot %" G_GUINT64_FORMAT, fleet->name, seed);
        robot->parts = fleet->parts;
        for (unsigned i = 0; i < fleet->parts; i++) {
            robot->part[i] = fleet->part[i].name;
            robot->kind[i] = fleet->part[i].kind[kinds[i]];
        }
        lab_describe(robot, &staged, fleet->sheet, fleet->over_void, seed);
    } else {
        g_prefix_error(error, "seed %" G_GUINT64_FORMAT ": ", seed);
    }
    yaml_reader_close(&reader);
    return robot;
}

// ---------------------------------------------------------------------------------------- file --

// Each end of each range, each choice and each kind, and then some robots as they come.
static bool check_all(lab_fleet *fleet, yaml_reader *reader, staged_fleet *all) {
    reader->part = reader->draws = reader->tries = true;
    if (!yaml_reader_section(reader, yaml_reader_root(reader), "", &fleet_section, all)) {
        return false;
    }
    if (all->name == NULL) {
        return wrong(reader, "fleet", "must be given: its name");
    }
    fleet->name = g_strdup(all->name);
    if (!learn_parts(reader, fleet)) {
        return false;
    }
    for (unsigned i = 0; i < fleet->parts; i++) {
        for (unsigned kind = 0; kind < fleet->part[i].kinds; kind++) {
            if (!read_kind(reader, &fleet->part[i], kind, &all->robot)) {
                return false;
            }
        }
    }
    reader->tries = false;
    for (uint64_t seed = 1; seed <= 100; seed++) {
        staged_robot staged;
        unsigned kinds[LAB_PARTS_MAX];
        if (!draw(fleet, reader, seed, &staged, kinds)) {
            return false;
        }
    }
    return true;
}

lab_fleet *lab_fleet_from_bytes(const char *name, const char *bytes, size_t size, GError **error) {
    yaml_reader reader;
    if (!yaml_reader_open(&reader, name, bytes, size, error)) {
        return NULL;
    }
    lab_fleet *fleet = g_new0(lab_fleet, 1);
    fleet->path = g_strdup(name);
    fleet->bytes = g_memdup2(bytes, size);
    fleet->size = size;
    staged_fleet all;
    lab_section_clear(&fleet_section, &all);
    bool good = check_all(fleet, &reader, &all);
    g_free(all.name);
    g_free(all.robot.name);
    yaml_reader_close(&reader);
    if (!good) {
        lab_fleet_free(fleet);
        return NULL;
    }
    fleet->sheet = lab_describe_sheet(0.8, 0.04);
    return fleet;
}

static bool is_fleet(const char *bytes, size_t size) {
    yaml_reader reader;
    GError *error = NULL;
    if (!yaml_reader_open(&reader, "", bytes, size, &error)) {
        g_clear_error(&error);
        return false;
    }
    bool is = yaml_reader_find(&reader, yaml_reader_root(&reader), "fleet") != NULL;
    yaml_reader_close(&reader);
    return is;
}

bool lab_load_robot(const char *path, lab_robot **robot, lab_fleet **fleet, GError **error) {
    *robot = NULL;
    *fleet = NULL;
    char *bytes;
    size_t size;
    if (!lab_read_file(path, "robot file", LAB_YAML_MAX, &bytes, &size, error)) {
        return false;
    }
    if (is_fleet(bytes, size)) {
        *fleet = lab_fleet_from_bytes(path, bytes, size, error);
    } else {
        *robot = lab_robot_from_bytes(path, bytes, size, error);
    }
    g_free(bytes);
    return *robot != NULL || *fleet != NULL;
}

lab_fleet *lab_fleet_load(const char *path, GError **error) {
    char *bytes;
    size_t size;
    if (!lab_read_file(path, "fleet", LAB_YAML_MAX, &bytes, &size, error)) {
        return NULL;
    }
    lab_fleet *fleet = lab_fleet_from_bytes(path, bytes, size, error);
    g_free(bytes);
    return fleet;
}

void lab_fleet_free(lab_fleet *fleet) {
    if (fleet == NULL) {
        return;
    }
    for (unsigned i = 0; i < fleet->parts; i++) {
        for (unsigned kind = 0; kind < fleet->part[i].kinds; kind++) {
            g_free(fleet->part[i].kind[kind]);
        }
        g_free(fleet->part[i].name);
    }
    cmo_sim_mat_free(fleet->sheet);
    g_free(fleet->bytes);
    g_free(fleet->path);
    g_free(fleet->name);
    g_free(fleet);
}

// --------------------------------------------------------------------------------------- floor --

// What a grid of looks over the mat finds.
typedef struct found {
    double line; // luminance of the marked line that is nearest to a place; below 0: none
    bool hole;   // there is no floor somewhere within the mat
} found;

static found look_over(const cmo_sim_mat *mat, double x_mm, double y_mm) {
    const double grid = 4.0;
    double nearest = INFINITY;
    found f = {-1.0, false};
    for (double y = 0.5 * grid; y < cmo_sim_mat_height_mm(mat); y += grid) {
        for (double x = 0.5 * grid; x < cmo_sim_mat_width_mm(mat); x += grid) {
            double cover[CMO_SIM_MARKS];
            cmo_sim_mat_cover(mat, x, y, cover);
            bool hole = cover[CMO_SIM_VOID] > 0.99;
            bool line = cover[CMO_SIM_LINE] > 0.99 || cover[CMO_SIM_BOUNDARY] > 0.99;
            double away = hypot(x - x_mm, y - y_mm);
            f.hole = f.hole || hole;
            if (line && !hole && away < nearest) {
                nearest = away;
                f.line = cmo_sim_mat_light(mat, x, y, 1.0);
            }
        }
    }
    return f;
}

void lab_fleet_stand_on(lab_fleet *fleet, const cmo_sim_mat *mat, double x_mm, double y_mm) {
    double floor = cmo_sim_mat_light(mat, x_mm, y_mm, 20.0);
    found f = look_over(mat, x_mm, y_mm);
    cmo_sim_mat_free(fleet->sheet);
    fleet->sheet = lab_describe_sheet(floor, f.line >= 0.0 ? f.line : 0.04);
    fleet->over_void = f.hole;
}

const char *lab_fleet_name(const lab_fleet *fleet) {
    return fleet->name;
}

unsigned lab_fleet_parts(const lab_fleet *fleet) {
    return fleet->parts;
}

const char *lab_fleet_part(const lab_fleet *fleet, unsigned part) {
    return fleet->part[part].name;
}

unsigned lab_fleet_kinds(const lab_fleet *fleet, unsigned part) {
    return fleet->part[part].kinds;
}

const char *lab_fleet_kind(const lab_fleet *fleet, unsigned part, unsigned kind) {
    return fleet->part[part].kind[kind];
}
