// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file floor.h
 * What the light sensors read over the surfaces of a floor, and what follows from it: levels,
 * thresholds, margins.
 */
#ifndef CAMMINO_LAB_FLOOR_H
#define CAMMINO_LAB_FLOOR_H

#include <cammino_lab/run.h>

G_BEGIN_DECLS

/** Readings of one surface. */
typedef struct lab_surface {
    char *name;                                  /**< "" where the readings were not told apart */
    GArray *counts[CMO_LIGHTS_MAX];              /**< of double */
    GArray *colour[CMO_LIGHTS_MAX][CMO_COLOURS]; /**< the same of red, green and blue, or empty */
} lab_surface;

/** Readings of a floor. */
typedef struct lab_floor {
    GPtrArray *surfaces; /**< of lab_surface */
    bool named;          /**< each reading says of which surface it is */
} lab_floor;

/**
 * Reads a CSV file with a header row and a column counts_left, counts_right or both. With a column
 * `surface` each reading belongs to the surface it names; without, as in a trace, to none. Other
 * columns do not matter. NULL on error.
 */
lab_floor *lab_floor_read(const char *path, GError **error);
lab_floor *lab_floor_from_bytes(const char *name, const char *bytes, size_t size, GError **error);

/** The readings of a run's legs of a kind; of CMO_ROUTINE_NONE: of all. */
lab_floor *lab_floor_from_run(const lab_run *run, cmo_routine_id routine);
void lab_floor_free(lab_floor *floor);

/** One sensor over one surface. */
typedef struct lab_surface_figures {
    unsigned readings;
    double counts, spread; /**< mean and standard deviation, outliers left out */
    double reflectance, reflectance_spread;
    double colour[CMO_COLOURS]; /**< means of red, green and blue, NAN: none were read */
    double colour_spread;       /**< of the widest of them */
} lab_surface_figures;

/** One sensor's levels. */
typedef struct lab_sensor_levels {
    cmo_levels_fault fault;
    cmo_levels levels;            /**< with the threshold of the line, if that is dark or light */
    bool has_line;                /**< a surface is the line, and there are others */
    cmo_choice choice;            /**< how it is told from them */
    const char *nearest;          /**< the surface that leaves the least room */
    lab_surface_figures *surface; /**< one a surface, of named readings */
} lab_sensor_levels;

/**
 * Finds a sensor's levels. Named readings: the darkest and the lightest surface give the levels,
 * one named `void` the level of void, one named `line` is told from all others by the widest
 * margin. Others are split in two by themselves.
 *
 * @param change  by what share of itself a reading may change with the light, 0..0.5
 */
void lab_floor_judge(const lab_floor *floor, const cmo_robot_description *description,
                     unsigned sensor, const char *line, double change, lab_sensor_levels *out);
void lab_sensor_levels_clear(lab_sensor_levels *levels);

/** Readings that are drawn of a surface, to see what they are told to be. */
#define LAB_TOLD_READINGS 20000U

/** What one sensor's readings of each surface are told to be. */
typedef struct lab_told {
    unsigned surfaces;                                    /**< all but void */
    const char *name[CMO_SURFACES_MAX];                   /**< as in the readings */
    unsigned of[CMO_SURFACES_MAX];                        /**< which of the floor's it is */
    double share[CMO_SURFACES_MAX][CMO_SURFACES_MAX + 1]; /**< of the first's readings, told to be
                                                               the second; at 0 like none */
    double most[CMO_SURFACES_MAX]; /**< the largest of what one is wrongly told to be another */
} lab_told;

/**
 * The surfaces of named readings as a robot is taught them: sensor by sensor, from what
 * lab_floor_judge() has found. Names become such that legs can use: small letters, digits and _.
 * False, and the error: more than CMO_SURFACES_MAX, or two of one name.
 */
bool lab_floor_surfaces(const lab_floor *floor, const cmo_robot_description *description,
                        const lab_sensor_levels *sensors, double change, lab_robot *robot,
                        GError **error);

/** How often a sensor's readings are told to be what they are not, by as many draws of each: of
 *  their means and spreads, and of a brightness that changes evenly by up to `change` either way.
 */
void lab_floor_tell(const lab_floor *floor, const lab_robot *robot, unsigned sensor,
                    const cmo_levels *levels, lab_told *out);

G_END_DECLS

#endif
