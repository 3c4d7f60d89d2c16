// SPDX-License-Identifier: MIT
/**
 * @file surfaces.h
 * Surfaces: floor, red stripe, blue paper... taught once, and told from each other by reflectance,
 * or by colour where the port gives it. Wherever a tone can be looked for, a surface can.
 *
 *     static cmo_surfaces surfaces;
 *     enum { FLOOR = 1, RED, BLUE };
 *     cmo_robot_set_surfaces(&robot, &surfaces);
 *     cmo_take_surface(&robot, &take, &(cmo_take_surface_parameters){.surface = RED});
 *     ...
 *     cmo_stop_on_line(&robot, &(cmo_line_parameters){.surface = RED});
 *
 * Teach what it drives on as well: an edge is placed between the two surfaces beside it.
 */
#ifndef CAMMINO_SURFACES_H
#define CAMMINO_SURFACES_H

#include <stddef.h>
#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

#if CMO_SURFACES_MAX > 0

/** A shade that was not taught. */
#define CMO_SHADE_UNKNOWN 0xFFFFu

/** What one sensor reads over one surface. */
typedef struct cmo_shade {
    uint16_t counts; /**< mean of its readings, as in its levels; CMO_SHADE_UNKNOWN: not taught */
    uint16_t colour[CMO_COLOURS]; /**< mean of each channel, where the sensor has them */
    uint16_t spread; /**< standard deviation of a reading, of the widest channel, counts. Taken as
                        at least 0.005 of the contrast; of channels as at least 0.5 */
} cmo_shade;

/** By how much the light changes readings where nothing is said. */
#define CMO_USUAL_CHANGE 0.1F

/**
 * The surfaces that a robot knows, each by its number from 1. Change it only while no routine runs,
 * and call cmo_robot_set_surfaces() again.
 */
struct cmo_surfaces {
    uint8_t count; /**< how many, up to CMO_SURFACES_MAX */
    float change;  /**< brightness may differ by this share of itself, two standard deviations,
                        0..0.5; 0: CMO_USUAL_CHANGE */
    cmo_shade shade[CMO_SURFACES_MAX][CMO_LIGHTS_MAX]; /**< [number - 1][sensor] */
    bool colour[CMO_LIGHTS_MAX];                       /**< whose channels count; filled in */
    float bias[CMO_SURFACES_MAX][CMO_LIGHTS_MAX];      /**< what spreads weigh; filled in */
};

/** How far off a reading of a taught surface may be, in standard deviations, before it is like
 *  none of them: one channel's is so once in 16,000, three channels' once in 900. */
#define CMO_SURFACE_REACH 4.0F

/**
 * States the surfaces; the table is the user's, must live as long as the robot, and what is marked
 * as filled in is written. NULL: none.
 * @return CMO_OUTCOME_DONE, or CMO_OUTCOME_BAD_PARAMETER with field "count" or "change" and the
 * nearest value that would do in robot->limit
 */
cmo_outcome cmo_robot_set_surfaces(cmo_robot *robot, cmo_surfaces *surfaces);

/** What of it is filled in for one sensor, where no robot takes the table. */
void cmo_surfaces_weigh(cmo_surfaces *surfaces, uint8_t sensor, bool colour,
                        const cmo_levels *levels);

/** A table in which nothing is taught yet. */
void cmo_surfaces_clear(cmo_surfaces *surfaces);

/**
 * The likeliest surface of a reading, 0: it is like none. A reading is the reflectance alone, or
 * three channels' counts where surfaces->colour[sensor] says so.
 *
 * With mean m and spread s, and a brightness of k about 1 with the standard deviation t = change/2,
 * readings c of a surface are normal with the covariance s^2 I + t^2 m m', so that
 *     -2 ln L = min over k of (|c - k m|^2 / s^2 + (k - 1)^2 / t^2)
 *               + 2 n ln s + ln(1 + t^2 |m|^2 / s^2).
 * The one with the least wins, and is rejected where its minimum is above CMO_SURFACE_REACH^2.
 *
 * @param brightness  k of the one that won; may be NULL
 */
uint8_t cmo_surface_of(const cmo_surfaces *surfaces, uint8_t sensor, const cmo_levels *levels,
                       const float *reading, float *brightness);

/** The surface under a sensor by its last looks, 0: none that is known. A surface counts once it
 *  has lasted for 0.7 of a spot, so that what is read across an edge is none. */
uint8_t cmo_surface_under(const cmo_robot *robot, uint8_t sensor);

/** How far apart two surfaces are for a sensor: by how many standard deviations one's readings are
 *  off the other, at the nearer end. From 8 on, readings of either are told surely. 0 where one is
 *  not known to it. */
float cmo_surfaces_apart(const cmo_surfaces *surfaces, uint8_t one, uint8_t other, uint8_t sensor,
                         const cmo_levels *levels);

/* ------------------------------------------------------------------------------ stored form -- */

/** Bytes of the stored form: mark, version, numbers of surfaces and sensors, change, five counts a
 *  shade, checksum. */
#define CMO_STORED_SURFACES_SIZE (6 + 2 * (2 + CMO_COLOURS) * CMO_SURFACES_MAX * CMO_LIGHTS_MAX + 2)

/** Writes the robot's surfaces. @return bytes written; 0 if `size` is too small or it has none. */
size_t cmo_store_surfaces(const cmo_robot *robot, uint8_t *bytes, size_t size);

/**
 * Takes surfaces from their stored form into the robot's table. Bytes that are damaged, foreign, of
 * another version, for another number of sensors or for more surfaces change nothing.
 * @return CMO_OUTCOME_DONE; CMO_OUTCOME_BAD_PARAMETER with field "surfaces" (the robot has no
 * table), "mark", "version", "lights", "count", "checksum" or "change"
 */
cmo_outcome cmo_load_surfaces(cmo_robot *robot, const uint8_t *bytes, size_t size);

#endif

#ifdef __cplusplus
}
#endif

#endif
