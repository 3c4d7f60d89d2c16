// SPDX-License-Identifier: GPL-3.0-or-later
#include "sections.h"
#include "yaml_reader.h"

#include <math.h>
#include <string.h>

typedef struct staged_start {
    double x_mm, y_mm, heading_deg;
} staged_start;

typedef struct staged_move {
    double amount, speed_mm_s, acceleration_mm_s2, braking_mm_s2, tolerance, longest_s, halt,
        ending;
} staged_move;

typedef struct staged_line {
    double tone, sensor, blind_mm, cruise_mm_s, creep_mm_s, least_width_mm, longest_mm, longest_s,
        acceleration_mm_s2, braking_mm_s2, halt, ending, rest, beyond_mm;
} staged_line;

typedef struct staged_levels_leg {
    double distance_mm, speed_mm_s, longest_s;
} staged_levels_leg;

typedef struct staged_leg {
    staged_move travel, rotate;
    staged_line drive_until_line, stop_on_line;
    staged_levels_leg take_levels;
} staged_leg;

typedef struct staged_route {
    char *robot, *mat;
    double mat_width_mm, mat_px_per_mm, longest_s;
    staged_start start;
} staged_route;

#define MUST "must be given"
#define SPEED(object, field, fallback, meaning)                                                    \
    KEY(object, field, #field, 1, 5000, "mm/s", fallback, meaning)
#define RATES(object, of)                                                                          \
    KEY(object, acceleration_mm_s2, "acceleration_mm_s2", 10, 50000, "mm/s2", "the robot's",       \
        "limit when speeding up" of),                                                              \
        KEY(object, braking_mm_s2, "braking_mm_s2", 10, 50000, "mm/s2", "the robot's",             \
            "limit when slowing down" of)
#define LONGEST_S(object)                                                                          \
    KEY(object, longest_s, "longest_s", 0.01, 3600, "s", "twice what the way takes, plus 2",       \
        "give up after this time")
#define HALT(object)                                                                               \
    KEY_CHOICE(object, halt, "halt", halt_names, "the best that the robot has",                    \
               "what the motors do at the end")
#define ENDING(object)                                                                             \
    KEY_CHOICE(object, ending, "ending", ending_names, "halted",                                   \
               "moving: go over into the next leg without a halt")

static const char *const halt_names[] = {"coast", "brake", "hold", NULL};
static const char *const ending_names[] = {"halted", "moving", NULL};
static const char *const rest_names[] = {"halted", "near_edge", "centre", "far_edge", NULL};
static const char *const tone_names[] = {"dark", "light", "void", NULL};
static const char *const sensor_names[] = {"either", "left", "right", "both", NULL};

static const lab_key travel_keys[] = {KEY(staged_move, amount, "distance_mm", -20000, 20000, "mm",
                                          MUST, "way to drive; negative is backward"),
                                      SPEED(staged_move, speed_mm_s, "half the top speed", "speed"),
                                      RATES(staged_move, ""),
                                      KEY(staged_move, tolerance, "tolerance_mm", 0.1, 50, "mm",
                                          "0.5, or one encoder step if more",
                                          "it settles until it is this near"),
                                      LONGEST_S(staged_move),
                                      HALT(staged_move),
                                      ENDING(staged_move),
                                      KEY_END};
static const lab_section travel_section = {"travel", "Drive straight on by a distance.",
                                           travel_keys};

static const lab_key rotate_keys[] = {
    KEY(staged_move, amount, "angle_deg", -3600, 3600, "deg", MUST,
        "turn; positive is to the left"),
    SPEED(staged_move, speed_mm_s, "a third of the top speed", "speed of the wheels"),
    RATES(staged_move, ", of the wheels"),
    KEY(staged_move, tolerance, "tolerance_deg", 0.05, 20, "deg",
        "0.5 mm at the wheels, or one encoder step if more", "it settles until it is this near"),
    LONGEST_S(staged_move),
    HALT(staged_move),
    KEY_END};
static const lab_section rotate_section = {"rotate", "Turn on the spot by an angle.", rotate_keys};

#define LINE_KEYS                                                                                  \
    KEY_CHOICE(staged_line, tone, "tone", tone_names, "dark", "what the line is made of"),         \
        KEY_CHOICE(staged_line, sensor, "sensor", sensor_names, "either",                          \
                   "whose crossing counts; both: when both have crossed"),                         \
        KEY(staged_line, blind_mm, "blind_mm", 0, 20000, "mm", "0",                                \
            "drive this far without looking"),                                                     \
        SPEED(staged_line, cruise_mm_s, "half the top speed", "speed while blind"),                \
        SPEED(staged_line, creep_mm_s, "cruise_mm_s", "speed while looking"),                      \
        KEY(staged_line, least_width_mm, "least_width_mm", 0, 500, "mm", "10",                     \
            "what is narrower along the way is no line; 0: anything is"),                          \
        KEY(staged_line, longest_mm, "longest_mm", 1, 50000, "mm", "blind_mm + 2000",              \
            "give up after this way without a line in sight"),                                     \
        LONGEST_S(staged_line), RATES(staged_line, ""), HALT(staged_line)

static const lab_key drive_keys[] = {LINE_KEYS, ENDING(staged_line), KEY_END};
static const lab_section drive_section = {
    "drive_until_line", "Drive until a line has proved to be one, and end on it.", drive_keys};

static const lab_key stop_keys[] = {
    LINE_KEYS,
    KEY_CHOICE(staged_line, rest, "rest", rest_names, "halted",
               "where it comes to rest; halted: where the halt at the crossing leaves it"),
    KEY(staged_line, beyond_mm, "beyond_mm", -500, 500, "mm", "0",
        "with a rest: how far beyond that place the sensors come to rest"),
    KEY_END};
static const lab_section stop_section = {"stop_on_line", "Drive to a line and stop on it.",
                                         stop_keys};

static const lab_key take_levels_keys[] = {
    KEY(staged_levels_leg, distance_mm, "distance_mm", -2000, 2000, "mm", "150",
        "way over the line and back; negative is backward; at least 10"),
    SPEED(staged_levels_leg, speed_mm_s, "80", "speed"),
    KEY(staged_levels_leg, longest_s, "longest_s", 0.01, 3600, "s", "four times the way, plus 4",
        "give up after this time"),
    KEY_END};
static const lab_section take_levels_section = {
    "take_levels", "Drive over a line and back, and take all sensors' levels.", take_levels_keys};

static const lab_key leg_keys[] = {
    KEY_SECTION(staged_leg, travel, "travel", &travel_section, "", "drive straight on"),
    KEY_SECTION(staged_leg, rotate, "rotate", &rotate_section, "", "turn on the spot"),
    KEY_SECTION(staged_leg, drive_until_line, "drive_until_line", &drive_section, "",
                "drive until a line"),
    KEY_SECTION(staged_leg, stop_on_line, "stop_on_line", &stop_section, "", "stop on a line"),
    KEY_SECTION(staged_leg, take_levels, "take_levels", &take_levels_section, "",
                "take the levels over a line"),
    KEY_END};
static const lab_section leg_section = {
    "legs[]", "One leg: the name of a routine, and its parameters. {} takes all defaults.",
    leg_keys};

static const lab_key start_keys[] = {
    KEY(staged_start, x_mm, "x_mm", -1000, 21000, "mm", MUST, "middle of the axle, to the right"),
    KEY(staged_start, y_mm, "y_mm", -1000, 21000, "mm", MUST, "middle of the axle, up"),
    KEY(staged_start, heading_deg, "heading_deg", -360, 360, "deg", "0",
        "anticlockwise from the x axis"),
    KEY_END};
static const lab_section start_section = {"start", "The start pose on the mat.", start_keys};

static const lab_key route_keys[] = {
    KEY_TEXT(staged_route, robot, "robot", MUST, "robot file, beside the route"),
    KEY_TEXT(staged_route, mat, "mat", MUST, "mat, SVG or PNG, beside the route"),
    KEY(staged_route, mat_width_mm, "mat_width_mm", 10, 20000, "mm", "as the mat's file says",
        "true width of the mat"),
    KEY(staged_route, mat_px_per_mm, "mat_px_per_mm", 0.25, 10, "px/mm", "2",
        "resolution at which the mat is simulated"),
    KEY(staged_route, longest_s, "longest_s", 0.1, 3600, "s", "no limit",
        "the whole run ends after this time"),
    KEY_SECTION(staged_route, start, "start", &start_section, MUST, "start pose"),
    {"legs", LAB_LIST, 0, 0, 0, "", MUST, "list of legs, one routine each", NULL, &leg_section, 0,
     LAB_LEGS_MAX, 0},
    KEY_END};
static const lab_section route_section = {"route file", "A robot, a mat, a start pose, and legs.",
                                          route_keys};

const lab_section *const lab_route_sections[] = {
    &route_section,  &start_section,       &leg_section,
    &travel_section, &rotate_section,      &drive_section,
    &stop_section,   &take_levels_section, NULL};

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

static void finish_travel(lab_leg *leg, const staged_leg *staged) {
    const staged_move *from = &staged->travel;
    leg->parameters.travel = (cmo_travel_parameters){
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

static void finish_rotate(lab_leg *leg, const staged_leg *staged) {
    const staged_move *from = &staged->rotate;
    leg->parameters.rotate = (cmo_rotate_parameters){
        .angle_deg = or_zero(from->amount),
        .speed_mm_s = or_zero(from->speed_mm_s),
        .acceleration_mm_s2 = or_zero(from->acceleration_mm_s2),
        .braking_mm_s2 = or_zero(from->braking_mm_s2),
        .tolerance_deg = or_zero(from->tolerance),
        .longest_ms = to_ms(from->longest_s),
        .halt = to_halt(from->halt),
    };
}

static void finish_line(lab_leg *leg, const staged_line *from) {
    leg->parameters.line_search = (cmo_line_parameters){
        .tone = (cmo_tone)or_zero(from->tone),
        .watch = (cmo_watch)or_zero(from->sensor),
        .blind_mm = or_zero(from->blind_mm),
        .cruise_mm_s = or_zero(from->cruise_mm_s),
        .creep_mm_s = or_zero(from->creep_mm_s),
        .least_width_mm =
            from->least_width_mm == 0.0 ? CMO_ANY_WIDTH : or_zero(from->least_width_mm),
        .longest_mm = or_zero(from->longest_mm),
        .longest_ms = to_ms(from->longest_s),
        .acceleration_mm_s2 = or_zero(from->acceleration_mm_s2),
        .braking_mm_s2 = or_zero(from->braking_mm_s2),
        .halt = to_halt(from->halt),
        .ending = (cmo_ending)or_zero(from->ending),
        .rest = (cmo_rest)or_zero(from->rest),
        .beyond_mm = or_zero(from->beyond_mm),
    };
}

static void finish_drive_until_line(lab_leg *leg, const staged_leg *staged) {
    finish_line(leg, &staged->drive_until_line);
}

static void finish_stop_on_line(lab_leg *leg, const staged_leg *staged) {
    finish_line(leg, &staged->stop_on_line);
}

static void finish_take_levels(lab_leg *leg, const staged_leg *staged) {
    const staged_levels_leg *from = &staged->take_levels;
    leg->parameters.take_levels = (cmo_take_levels_parameters){
        .distance_mm = or_zero(from->distance_mm),
        .speed_mm_s = or_zero(from->speed_mm_s),
        .longest_ms = to_ms(from->longest_s),
    };
}

// One row a routine, in the order of leg_keys.
static const struct {
    cmo_kind kind;
    void (*finish)(lab_leg *leg, const staged_leg *staged);
} routines[] = {
    {CMO_KIND_TRAVEL, finish_travel},
    {CMO_KIND_ROTATE, finish_rotate},
    {CMO_KIND_DRIVE_UNTIL_LINE, finish_drive_until_line},
    {CMO_KIND_STOP_ON_LINE, finish_stop_on_line},
    {CMO_KIND_TAKE_LEVELS, finish_take_levels},
};

// `- travel` without parameters is an easy slip; it reads as if it were `- travel: {}`.
static bool read_leg(yaml_reader *reader, const yaml_node_t *node, const char *path, lab_leg *leg) {
    if (node->type != YAML_MAPPING_NODE) {
        return yaml_reader_wrong(reader, node, path,
                                 "must be a routine with its parameters, as in - travel: "
                                 "{distance_mm: 60}");
    }
    if (node->data.mapping.pairs.top - node->data.mapping.pairs.start != 1) {
        return yaml_reader_wrong(reader, node, path,
                                 "must name exactly one routine; begin another leg with '- '");
    }
    staged_leg staged; // nothing but numbers, and not all of them are keys of every routine
    for (double *number = (double *)&staged; number < (double *)(&staged + 1); number++) {
        *number = NAN;
    }
    if (!yaml_reader_section(reader, node, path, &leg_section, &staged)) {
        return false;
    }
    leg->line = yaml_reader_line(node);
    for (size_t i = 0; i < G_N_ELEMENTS(routines); i++) {
        if (yaml_reader_find(reader, node, leg_keys[i].name) != NULL) {
            leg->kind = routines[i].kind;
            routines[i].finish(leg, &staged);
        }
    }
    if ((leg->kind == CMO_KIND_TRAVEL && leg->parameters.travel.distance_mm == 0.0F) ||
        (leg->kind == CMO_KIND_ROTATE && leg->parameters.rotate.angle_deg == 0.0F)) {
        char *field = g_strdup_printf("%s.%s", path, cmo_kind_name(leg->kind));
        yaml_reader_wrong(reader, node, field, "a move by 0 is none; leave the leg out");
        g_free(field);
        return false;
    }
    return true;
}

static bool read_legs(yaml_reader *reader, const yaml_node_t *list, lab_route *route) {
    if (list->type != YAML_SEQUENCE_NODE ||
        list->data.sequence.items.start == list->data.sequence.items.top) {
        return yaml_reader_wrong(reader, list, "legs",
                                 "must be a list of legs, each beginning with '- '");
    }
    bool good = true;
    for (yaml_node_item_t *item = list->data.sequence.items.start;
         good && item < list->data.sequence.items.top; item++) {
        const yaml_node_t *node = yaml_document_get_node(&reader->document, *item);
        char *path = g_strdup_printf("legs[%u]", route->legs + 1);
        if (route->legs == LAB_LEGS_MAX) {
            good = yaml_reader_wrong(reader, node, path, "too many; at most %d", LAB_LEGS_MAX);
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

// All but the legs, which need a look of their own.
static bool read_head(yaml_reader *reader, yaml_node_t *root, staged_route *staged) {
    lab_section_clear(&start_section, &staged->start);
    return yaml_reader_section(reader, root, "", &route_section, staged);
}

lab_route *lab_route_from_bytes(const char *name, const char *bytes, size_t size, GError **error) {
    yaml_reader reader;
    if (!yaml_reader_open(&reader, name, bytes, size, error)) {
        return NULL;
    }
    staged_route staged = {NULL, NULL, NAN, NAN, NAN, {NAN, NAN, NAN}};
    lab_route *route = g_new0(lab_route, 1);
    yaml_node_t *root = yaml_reader_root(&reader);
    bool good = read_head(&reader, root, &staged) &&
                read_legs(&reader, yaml_reader_find(&reader, root, "legs"), route);
    if (good) {
        route->path = g_strdup(name);
        route->robot_path = beside(name, staged.robot);
        route->mat_path = beside(name, staged.mat);
        route->mat_options =
            (cmo_sim_mat_options){isnan(staged.mat_px_per_mm) ? 0.0 : staged.mat_px_per_mm,
                                  isnan(staged.mat_width_mm) ? 0.0 : staged.mat_width_mm};
        route->longest_s = isnan(staged.longest_s) ? 0.0 : staged.longest_s;
        route->x_mm = staged.start.x_mm;
        route->y_mm = staged.start.y_mm;
        route->heading_deg = isnan(staged.start.heading_deg) ? 0.0 : staged.start.heading_deg;
    } else {
        lab_route_free(route);
        route = NULL;
    }
    g_free(staged.robot);
    g_free(staged.mat);
    yaml_reader_close(&reader);
    return route;
}

lab_route *lab_route_load(const char *path, GError **error) {
    char *bytes;
    size_t size;
    if (!lab_read_file(path, "route", LAB_YAML_MAX, &bytes, &size, error)) {
        return NULL;
    }
    lab_route *route = lab_route_from_bytes(path, bytes, size, error);
    g_free(bytes);
    if (route == NULL) {
        return NULL;
    }
    route->robot = lab_robot_load(route->robot_path, error);
    if (route->robot != NULL) {
        route->mat = cmo_sim_mat_load(route->mat_path, &route->mat_options, error);
    }
    if (route->mat == NULL) {
        lab_route_free(route);
        return NULL;
    }
    return route;
}

void lab_route_free(lab_route *route) {
    if (route != NULL) {
        g_free(route->path);
        g_free(route->robot_path);
        g_free(route->mat_path);
        lab_robot_free(route->robot);
        cmo_sim_mat_free(route->mat);
        g_free(route);
    }
}
