// SPDX-License-Identifier: MIT
/**
 * @file light.h
 * Light: raw counts to reflectance, and crossings of an edge, interpolated between looks.
 */
#ifndef CAMMINO_LIGHT_H
#define CAMMINO_LIGHT_H

#include <cammino/port.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What a line or a boundary is made of. */
typedef enum cmo_tone { CMO_TONE_DARK = 0, CMO_TONE_LIGHT, CMO_TONE_VOID } cmo_tone;

/** A level that was not taken. */
#define CMO_LEVEL_UNKNOWN 0xFFFFu

/**
 * One sensor's levels: its raw readings over the surfaces, taken at the venue.
 * Dark may read higher than light: the polarity follows from the two.
 */
typedef struct cmo_levels {
    uint16_t dark;           /**< counts over the dark surface */
    uint16_t light;          /**< counts over the light surface */
    uint16_t void_counts;    /**< counts where there is no floor; CMO_LEVEL_UNKNOWN: not taken */
    uint16_t noise;          /**< standard deviation of a reading, counts; 0: 1 % of the contrast */
    uint16_t dark_threshold; /**< counts that part a dark line from all else; 0: halfway */
    uint16_t light_threshold; /**< counts that part a light line from all else; 0: halfway */
} cmo_levels;

/** A range of reflectance, open at an end that is infinite. Both 0: none. */
typedef struct cmo_band {
    float low;
    float high;
} cmo_band;

/** Where a look was taken, along the way of its sensor. */
typedef struct cmo_light_point {
    uint32_t time_us;
    float way_mm;
    float reflectance;
} cmo_light_point;

/** A crossing: place and time at which the sensor's spot stood with its centre over the edge. */
typedef struct cmo_crossing {
    uint32_t time_us; /**< port clock */
    float way_mm;     /**< along the sensor's way, from the origin of the robot's odometer */
    bool entering;    /**< into the tone watched for, or out of it */
} cmo_crossing;

/** Finds crossings in a sequence of looks. Plain data; cmo_edge_start() begins anew. */
typedef struct cmo_edge {
    float steady;         /**< reflectance since which the surface has been steady, */
    float steady_mm;      /**< and the way at which that began */
    cmo_light_point near; /**< the last look that had not passed the band */
    float behind;         /**< reflectance of the surface that it will leave, averaged */
    cmo_band band;        /**< reflectances of what is watched for */
    float hysteresis;     /**< how far beyond an end of the band the side changes */
    float spot_mm;        /**< diameter of the spot; 0: not known, interpolate in a straight line */
    uint8_t looks;        /**< looks since the start, up to 255 */
    bool onto;            /**< it still comes onto that, */
    bool lighter;         /**< which is lighter than what it came from */
    bool inside;          /**< on what is watched for */
} cmo_edge;

/**
 * Reflectance of a raw reading: 0 at the dark level, 1 at the light level, either polarity.
 * Levels whose dark equals light give 0.
 */
float cmo_reflectance(const cmo_levels *levels, uint16_t counts);

/** Half the band in which a side does not change: 4 standard deviations of the noise, at least
 *  0.05. Above 0.25 the levels are too poor to work with (low contrast). */
float cmo_hysteresis(const cmo_levels *levels);

/** Whether the levels can part dark from light at all: both known, and hysteresis at most 0.25. */
bool cmo_levels_usable(const cmo_levels *levels);

/** The reflectance that parts `tone` from the rest: for dark and light what the levels say, 0.5 if
 *  they say nothing; for void, halfway between the dark level and the void level. NAN for void
 *  without a void level. */
float cmo_threshold(const cmo_levels *levels, cmo_tone tone);

/** Begins to watch for `tone`. `spot_mm`: diameter of the sensor's spot, 0 when not known. */
void cmo_edge_start(cmo_edge *edge, const cmo_levels *levels, cmo_tone tone, float spot_mm);

/** Begins to watch for a band of reflectance: a grey line, a coloured one. */
void cmo_edge_start_band(cmo_edge *edge, const cmo_levels *levels, cmo_band band, float spot_mm);

/**
 * Takes one look. Returns true when it completes a crossing, which is written to `crossing`.
 *
 * A crossing counts once the reading has passed the threshold by the hysteresis. Its place is
 * where the spot's centre stood over the edge. The reading of a round spot across a straight edge
 * is the covered share of a disc, q = 1/2 + (u sqrt(1 - u^2) + asin u) / pi with u the distance
 * in spot radii, so each look taken in the transition gives the edge's place by inversion; the
 * looks on both sides of the threshold are weighted by the slope of that curve there. Where no
 * look fell into the transition, the middle of the gap that remains is taken.
 */
bool cmo_edge_look(cmo_edge *edge, cmo_light_point point, cmo_crossing *crossing);

/**
 * Where the spot's centre stands against the edge between the tone watched for and its surroundings
 * (levels taken as those of the two), by one reading alone: mm into the tone. False: the spot is
 * not over an edge, or its size is not known.
 */
bool cmo_edge_place(const cmo_edge *edge, float reflectance, float *place_mm);

/** Whether a reading can only be that of a spot over the edge, even where either surface is a
 * little darker or lighter than its level. */
bool cmo_edge_sees(const cmo_edge *edge, float reflectance);

#ifdef __cplusplus
}
#endif

#endif
