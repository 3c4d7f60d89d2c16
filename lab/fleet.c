// SPDX-License-Identifier: GPL-3.0-or-later
// Fleet files: a robot file in which values may be ranges and choices, and parts of several kinds.
#include <cammino_lab/fleet.h>

#include "describe.h"
#include "sections.h"
#include "yaml_edit.h"

#include <math.h>
#include <string.h>

#define KINDS_MAX 10U

typedef struct fleet_kinds {
    unsigned count;
    char *name[KINDS_MAX];
} fleet_kinds;

struct lab_fleet {
    char *path, *name;
    char *bytes;
    size_t size;
    unsigned parts;
    char *part[LAB_PARTS_MAX];
    fleet_kinds kinds[LAB_PARTS_MAX];
    cmo_sim_mat *sheet;
    bool over_void;
};

typedef struct staged_fleet {
    char *name;
    staged_robot robot;
} staged_fleet;

static const lab_key fleet_keys[] = {
    KEY_TEXT(staged_fleet, name, "fleet", "must be given", "name of the fleet"),
    KEY_SECTION(staged_fleet, robot, "robot", &labi_robot_section, "nothing",
                "what all of its robots have: keys as in a robot file"),
    {"kinds", LAB_SECTION, 0, 0, 0, "", "none",
     "parts of which there are several kinds, each with keys as in a robot file", NULL, NULL, 0, 0,
     0},
    KEY_END};
static const lab_section fleet_section = {
    "fleet file",
    "What robots have in common, and by what they differ. Each seed draws another robot.",
    fleet_keys};
const lab_section *const labi_fleet_sections[] = {&fleet_section, NULL};

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

// The names that a mapping gives to parts or to kinds. `like`: what it must be.
static bool learn_names(yaml_reader *reader, const yaml_node_t *node, const char *path,
                        const char *what, const char *like, char **names, unsigned most,
                        unsigned *count) {
    if (pairs_of(node) < 1 || pairs_of(node) > most) {
        return labi_yaml_wrong(reader, node, path, "must be %s; 1 to %u", like, most);
    }
    for (const yaml_node_pair_t *pair = node->data.mapping.pairs.start;
         pair < node->data.mapping.pairs.top; pair++) {
        const char *name = key_of(reader, pair);
        const yaml_node_t *value = yaml_document_get_node(&reader->document, pair->value);
        for (unsigned i = 0; i < *count; i++) {
            if (strcmp(names[i], name) == 0) {
                return labi_yaml_wrong(reader, value, path, "'%s' is given twice", name);
            }
        }
        if (!is_word(name)) {
            return labi_yaml_wrong(reader, value, path,
                                   "'%s' is no name of a %s; a to z, 0 to 9 and _ would do", name,
                                   what);
        }
        names[(*count)++] = g_strdup(name);
    }
    return true;
}

static bool learn_parts(yaml_reader *reader, lab_fleet *fleet) {
    const yaml_node_t *node = labi_yaml_find(reader, labi_yaml_root(reader), "kinds");
    if (node == NULL) {
        return true;
    }
    bool good = learn_names(reader, node, "kinds", "part",
                            "parts with their kinds, as in tyres: {hard: {...}, soft: {...}}",
                            fleet->part, LAB_PARTS_MAX, &fleet->parts);
    for (unsigned i = 0; i < fleet->parts && good; i++) {
        char *path = g_strdup_printf("kinds.%s", fleet->part[i]);
        good = learn_names(reader, labi_yaml_find(reader, node, fleet->part[i]), path, "kind",
                           "kinds with their keys, as in round: {...}", fleet->kinds[i].name,
                           KINDS_MAX, &fleet->kinds[i].count);
        g_free(path);
    }
    return good;
}

unsigned lab_fleet_kind_of(const lab_fleet *fleet, unsigned part, uint64_t seed) {
    double drawn = labi_yaml_even(seed, fleet->part[part], "kind");
    return (unsigned)(drawn * fleet->kinds[part].count);
}

static bool read_kind(yaml_reader *reader, const lab_fleet *fleet, unsigned part, unsigned kind,
                      staged_robot *staged) {
    const char *part_name = fleet->part[part];
    const char *name = fleet->kinds[part].name[kind];
    const yaml_node_t *parts = labi_yaml_find(reader, labi_yaml_root(reader), "kinds");
    const yaml_node_t *of = labi_yaml_find(reader, parts, part_name);
    const yaml_node_t *node = labi_yaml_find(reader, of, name);
    char *path = g_strdup_printf("kinds.%s.%s", part_name, name);
    bool good = labi_yaml_section(reader, node, path, &labi_robot_section, staged);
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
    return labi_yaml_wrong(reader, labi_yaml_root(reader), field, "%s", text);
}

// What a user has to know before anything can be measured.
static bool check_stated(yaml_reader *reader, const staged_robot *staged) {
    if (staged->name != NULL) {
        return wrong(reader, "name", "a fleet's robots go by their numbers; leave it out");
    }
    if (!isnan(staged->measured.track_mm)) {
        return wrong(reader, "measured", "a fleet's robots differ from it; leave it out");
    }
    if (!isnan(staged->measured_drive.lag_ms)) {
        return wrong(reader, "measured_drive", "a fleet's robots differ from it; leave it out");
    }
    if (!isnan(staged->measured_braking.slid_mm)) {
        return wrong(reader, "measured_braking", "a fleet's robots differ from it; leave it out");
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
    const yaml_node_t *root = labi_yaml_root(reader);
    return labi_yaml_filled(reader, root, "", &labi_robot_section, staged);
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
    labi_section_clear(&fleet_section, &all);
    reader->part = reader->draws = true;
    reader->seed = seed;
    bool good = labi_yaml_section(reader, labi_yaml_root(reader), "", &fleet_section, &all);
    for (unsigned i = 0; i < fleet->parts && good; i++) {
        kinds[i] = lab_fleet_kind_of(fleet, i, seed);
        good = read_kind(reader, fleet, i, kinds[i], &all.robot);
    }
    if (good) {
        mirror(&labi_light_section, &all.robot.lights.right, &all.robot.lights.left,
               offsetof(staged_light, left_mm));
        mirror(&labi_true_light_section, &all.robot.plant.sensors.right,
               &all.robot.plant.sensors.left, offsetof(cmo_sim_light, left_mm));
        *staged = begin(&all.robot);
        good = check_stated(reader, staged) && labi_robot_check_staged(reader, staged);
        *staged = all.robot;
    }
    labi_section_release(&fleet_section, &all);
    return good;
}

lab_robot *lab_fleet_robot(const lab_fleet *fleet, uint64_t seed, GError **error) {
    yaml_reader reader;
    if (!labi_yaml_open(&reader, fleet->path, fleet->bytes, fleet->size, error)) {
        return NULL;
    }
    staged_robot staged;
    unsigned kinds[LAB_PARTS_MAX];
    lab_robot *robot = NULL;
    if (draw(fleet, &reader, seed, &staged, kinds)) {
        staged_robot first = begin(&staged);
        robot = g_new0(lab_robot, 1);
        labi_robot_finish(robot, &first, fleet->path);
        g_free(robot->name);
        robot->name = g_strdup_printf("%s, robot %" G_GUINT64_FORMAT, fleet->name, seed);
        robot->parts = fleet->parts;
        for (unsigned i = 0; i < fleet->parts; i++) {
            robot->part[i] = fleet->part[i];
            robot->kind[i] = fleet->kinds[i].name[kinds[i]];
        }
        labi_describe(robot, &staged, fleet->sheet, fleet->over_void, seed);
    } else {
        g_prefix_error(error, "seed %" G_GUINT64_FORMAT ": ", seed);
    }
    labi_yaml_close(&reader);
    return robot;
}

// ---------------------------------------------------------------------------------------- file --

// Each end of each range, each choice and each kind, and then some robots as they come.
static bool check_all(lab_fleet *fleet, yaml_reader *reader, staged_fleet *all) {
    reader->part = reader->draws = reader->tries = true;
    if (!labi_yaml_section(reader, labi_yaml_root(reader), "", &fleet_section, all)) {
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
        for (unsigned kind = 0; kind < fleet->kinds[i].count; kind++) {
            if (!read_kind(reader, fleet, i, kind, &all->robot)) {
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
    if (!labi_yaml_open(&reader, name, bytes, size, error)) {
        return NULL;
    }
    lab_fleet *fleet = g_new0(lab_fleet, 1);
    fleet->path = g_strdup(name);
    fleet->bytes = g_memdup2(bytes, size);
    fleet->size = size;
    staged_fleet all;
    labi_section_clear(&fleet_section, &all);
    bool good = check_all(fleet, &reader, &all);
    labi_section_release(&fleet_section, &all);
    labi_yaml_close(&reader);
    if (!good) {
        lab_fleet_free(fleet);
        return NULL;
    }
    fleet->sheet = labi_describe_sheet(0.8, 0.04);
    return fleet;
}

static bool is_fleet(const char *bytes, size_t size) {
    yaml_reader reader;
    GError *error = NULL;
    if (!labi_yaml_open(&reader, "", bytes, size, &error)) {
        g_clear_error(&error);
        return false;
    }
    bool is = labi_yaml_find(&reader, labi_yaml_root(&reader), "fleet") != NULL;
    labi_yaml_close(&reader);
    return is;
}

bool labi_load_robot(const char *path, const lab_change *change, lab_robot **robot,
                     lab_fleet **fleet, GError **error) {
    *robot = NULL;
    *fleet = NULL;
    char *bytes;
    size_t size;
    if (!labi_read_changed(path, "robot file", change, true, &bytes, &size, error)) {
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

bool lab_load_robot(const char *path, lab_robot **robot, lab_fleet **fleet, GError **error) {
    return labi_load_robot(path, NULL, robot, fleet, error);
}

lab_fleet *lab_fleet_load(const char *path, GError **error) {
    char *bytes;
    size_t size;
    if (!labi_read_file(path, "fleet", LAB_YAML_MAX, &bytes, &size, error)) {
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
        for (unsigned kind = 0; kind < fleet->kinds[i].count; kind++) {
            g_free(fleet->kinds[i].name[kind]);
        }
        g_free(fleet->part[i]);
    }
    cmo_sim_mat_free(fleet->sheet);
    g_free(fleet->bytes);
    g_free(fleet->path);
    g_free(fleet->name);
    g_free(fleet);
}

void lab_fleet_stand_on(lab_fleet *fleet, const cmo_sim_mat *mat, double x_mm, double y_mm) {
    cmo_sim_mat_free(fleet->sheet);
    fleet->sheet = labi_describe_sheet_of(mat, x_mm, y_mm, &fleet->over_void);
}

bool lab_fleet_may_see_colour(const lab_fleet *fleet) {
    return g_strstr_len(fleet->bytes, (gssize)fleet->size, "colour") != NULL;
}

const char *lab_fleet_name(const lab_fleet *fleet) {
    return fleet->name;
}

unsigned lab_fleet_parts(const lab_fleet *fleet) {
    return fleet->parts;
}

const char *lab_fleet_part(const lab_fleet *fleet, unsigned part) {
    return fleet->part[part];
}

unsigned lab_fleet_kinds(const lab_fleet *fleet, unsigned part) {
    return fleet->kinds[part].count;
}

const char *lab_fleet_kind(const lab_fleet *fleet, unsigned part, unsigned kind) {
    return fleet->kinds[part].name[kind];
}
