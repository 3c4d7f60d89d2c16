// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file files.h
 * Robot and route files. docs/formats.md describes every key.
 *
 * Whatever is wrong in a file becomes one line: FILE:LINE: FIELD: what is wrong; what would be
 * right.
 */
#ifndef CAMMINO_LAB_FILES_H
#define CAMMINO_LAB_FILES_H

#include <cammino/cammino.h>
#include <cammino_lab/keys.h>
#include <cammino_simulator/simulator.h>

G_BEGIN_DECLS

#define LAB_ERROR (lab_error_quark())
GQuark lab_error_quark(void);
typedef enum lab_error {
    LAB_ERROR_FILE, /**< it cannot be read or written */
    LAB_ERROR_WRONG /**< something in it is wrong */
} lab_error;

/**
 * Writes a whole file, or leaves what was there as it was: first beside its place, under a name
 * that is free, then moved there. A symbolic link stays one, and mode and owner stay; a file of
 * several names is written where it stands. What is no regular file, or read-only, is refused.
 */
bool lab_write_file(const char *path, const char *what, const char *bytes, size_t size,
                    GError **error);

/** A text on one line: control characters become spaces, what is no UTF-8 is replaced. */
char *lab_printable(const char *text);

/** How far the robot reaches from the middle of its axle. */
typedef struct lab_outline {
    double front_mm, back_mm, left_mm, right_mm;
} lab_outline;

/** Most parts of which a fleet's robots are of several kinds. */
#define LAB_PARTS_MAX 12U

typedef struct lab_robot {
    char *name;
    unsigned
        parts; /**< of a fleet's robot: of which kind each part is; the names are the fleet's */
    const char *part[LAB_PARTS_MAX];
    const char *kind[LAB_PARTS_MAX];
    cmo_robot_description description;
    uint16_t traits;
    cmo_levels levels[CMO_LIGHTS_MAX];
    bool has_levels[CMO_LIGHTS_MAX];
    cmo_surfaces surfaces; /**< that it was taught, */
    char *surface_name[CMO_SURFACES_MAX];
    bool measured; /**< its geometry was measured: the description has it */
    cmo_geometry geometry;
    bool drive_measured; /**< and its drive */
    cmo_drive drive;
    bool braking_measured; /**< and its braking */
    cmo_braking braking;
    lab_outline outline;
    cmo_sim_plant plant;
    cmo_sim_faults faults;
} lab_robot;

/** Reads a robot file. NULL on error. */
lab_robot *lab_robot_load(const char *path, GError **error);
lab_robot *lab_robot_from_bytes(const char *name, const char *bytes, size_t size, GError **error);
void lab_robot_free(lab_robot *robot);

/** Breaks one thing on the simulated robot, by the name of what the wiring check ought to find:
 *  "motors_swapped", "left_delay"... All but "no_line" and "curved". */
bool lab_robot_break(lab_robot *robot, const char *name, GError **error);

/**
 * Writes sensors' levels into a robot file, changing nothing else in its text: comments, order and
 * layout stay. A level of void that stands there stays too. Nothing is written on error.
 */
bool lab_robot_write_levels(const char *path, const cmo_levels *levels, unsigned lights,
                            GError **error);

/** The same, with surfaces: those of `taught`, in the place of what the file has of them. */
bool lab_robot_write_surfaces(const char *path, const cmo_levels *levels, const lab_robot *taught,
                              GError **error);

/** Levels on a text: the changed text, to be freed with g_free(); NULL on error. */
char *lab_robot_edit_levels(const char *name, const char *bytes, size_t size,
                            const cmo_levels *levels, unsigned lights, GError **error);

/** Writes what was measured into a robot file in the same way, as its sections `measured`,
 *  `measured_drive` and `measured_braking`. NULL: that was not measured, and what stands there
 * stays. */
bool lab_robot_write_measured(const char *path, const cmo_geometry *geometry,
                              const cmo_drive *drive, const cmo_braking *braking, GError **error);

#define LAB_PARAMETERS_OF_LEG(NAME, name, figures, text) cmo_##name##_parameters name;

/** What a program does by itself; on the bench it takes a time, and does nothing. */
typedef struct lab_action {
    uint32_t takes_ms, longest_ms;
} lab_action;

/** Any leg's parameters. */
typedef union lab_leg_parameters {
    CMO_EACH_LEG(LAB_PARAMETERS_OF_LEG)
    lab_action action;
} lab_leg_parameters;

/** A number that has a name, as the file states it. */
typedef struct lab_number {
    char *name, *text;
    double value;
} lab_number;

#define LAB_RULES_MAX 32U

/** One leg: a routine and its parameters, and what is stated of it besides. */
typedef struct lab_leg {
    cmo_routine_id routine;
    int line;   /**< in the route file */
    char *file; /**< that it was included from; NULL: the route's own */
    char *name; /**< NULL: none */
    GHashTable
        *reckoned;   /**< what was reckoned in the file, by key: "turn.angle_deg". NULL: none */
    bool stated;     /**< the line's true place is known: */
    unsigned places; /**< of lines that are counted, where they lie */
    float places_mm[LAB_NUMBERS_MOST];
    cmo_stated_line place; /**< it sets the pose, and the next move makes good what is left */
    bool ended;            /**< something else may end it: */
    cmo_ends ends;
    char *surface, *end_surface; /**< that it, or its ends, look for, by name; NULL: none */
    unsigned rules;              /**< what follows on which outcome */
    cmo_follow rule[LAB_RULES_MAX];
    lab_leg_parameters parameters;
} lab_leg;

/** Legs that are repeated together. */
typedef struct lab_group {
    char *name; /**< NULL: none */
    int line;
    uint8_t first, last; /**< from 0 */
    uint16_t rounds;     /**< 0: until its end */
    bool ended;
    cmo_ends ends;
    char *end_surface;
} lab_group;
#define LAB_GROUPS_MAX 50

/** What a leg counts, with what is stated of its lines; the leg must stay where it is as long. */
cmo_count_lines_parameters lab_leg_counts(const lab_leg *leg);

/** How a leg looks for a line. False: it does not. */
bool lab_leg_line(const lab_leg *leg, cmo_line_parameters *line);

#define LAB_LEGS_MAX         200
#define LAB_CALIBRATIONS_MAX 8U

/** Robots that differ in kind; fleet.h. */
typedef struct lab_fleet lab_fleet;

/** By how much trials of a series differ, evenly within plus and minus. */
typedef struct lab_spread {
    double x_mm, y_mm, heading_deg; /**< true start, which the robot does not know */
    double battery, grip;           /**< as a share */
    double wheel, gain;             /**< no less than the plant's own spread */
    double ambient, height;         /**< as a share */
    double late_ms, looks_lost; /**< from nothing up to this, and no less than the robot's own */
} lab_spread;

typedef struct lab_route {
    char *path;
    char *robot_path; /**< relative to the working directory, as the others; NULL: not named */
    char *mat_path;
    cmo_sim_mat_options mat_options;
    double x_mm, y_mm, heading_deg;
    lab_spread spread;
    unsigned objects; /**< on the mat */
    cmo_sim_object object[CMO_SIM_OBJECTS_MAX];
    double start_pressed_s; /**< the start button is pressed then; 0: never */
    double stop_pressed_s;
    double longest_s; /**< of the whole run; its record grows with it */
    GArray *numbers;  /**< of lab_number; NULL: none */
    unsigned legs;
    lab_leg leg[LAB_LEGS_MAX];
    unsigned groups; /**< a group before those that it stands in */
    lab_group group[LAB_GROUPS_MAX];
    unsigned surfaces; /**< the robot's, and those that legs teach */
    char *surface_name[CMO_SURFACES_MAX];
    const cmo_surfaces *known; /**< as the robot knows them, while it drives; else NULL */
    lab_robot *robot;
    lab_fleet *fleet; /**< that `robot` is one of; NULL: it is one alone */
    cmo_sim_mat *mat;
    cmo_sim_region *region; /**< around the start; NULL: no leg stays inside of it */
    unsigned calibrations;  /**< routes that each trial's robot drives before it, */
    struct lab_route *calibration[LAB_CALIBRATIONS_MAX]; /**< to go by what they find */
} lab_route;

/**
 * Reads a route file, and the robot and the mat that it names. `robot_path`: this robot or fleet
 * instead of the route's; NULL: the route's. Of a fleet it takes the robot of a seed. NULL on
 * error.
 */
lab_route *lab_route_load(const char *path, const char *robot_path, uint64_t seed, GError **error);

/** A number, or a word, that is to be another one than the file states: a field as messages write
 * it, of the route, "legs[1].stop_on_line.cruise_mm_s", or of its robot or fleet,
 * "robot.plant.grip_m_s2". */
typedef struct lab_change {
    const char *field;
    double value;
    const char *word;              /**< in the place of the number; NULL: none */
    const struct lab_change *next; /**< and another one; NULL: no more */
} lab_change;

/** The same with changes; the files stay as they are. `like`: one that was loaded before, whose mat
 * and region it takes over where they are the same; NULL: none. */
lab_route *lab_route_load_changed(const char *path, const char *robot_path, uint64_t seed,
                                  const lab_change *change, const lab_route *like, GError **error);

/** Takes the robot of another seed, where it drives a fleet. False on error: the robot stays. */
bool lab_route_draw(lab_route *route, uint64_t seed, GError **error);

/** Reads the route alone: `robot` and `mat` stay NULL. */
lab_route *lab_route_from_bytes(const char *name, const char *bytes, size_t size, GError **error);
void lab_route_free(lab_route *route);

/** The number of a surface by its name, 0: there is none; and the name by its number. */
uint8_t lab_surface_number(const lab_route *route, const char *name);
const char *lab_surface_name(const lab_route *route, uint8_t number);

/** What ends are stated, as "range_below_mm 150, touch left". To be freed with g_free(). */
char *lab_ends_text(const cmo_ends *ends);

/** A leg's rules, as "no_line: again 2, other: go_to home"; "" for none. To be freed with g_free().
 */
char *lab_follow_text(const lab_route *route, unsigned leg);

/** The innermost group that a leg (from 0) stands in; NULL: none. */
const lab_group *lab_group_of(const lab_route *route, unsigned leg);

/** Its name, or its routine's. */
const char *lab_leg_called(const lab_leg *leg);

/** The route, its robot and its levels as one C file that needs core alone; to be freed with
 *  g_free(). The robot must be one alone. */
char *lab_generate(const lab_route *route);

/** Finds the region around the start, where a leg is to stay inside of one; NULL: there is none. To
 *  be called again where robot, mat or start have been changed by hand. */
void lab_route_enclose(lab_route *route);

G_END_DECLS

#endif
