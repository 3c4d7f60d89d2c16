// SPDX-License-Identifier: MIT
/**
 * @file levels.h
 * Taking levels: from raw readings over a dark and a light surface to the two levels and the noise,
 * without being told which reading was which; and a compact form to keep them in an EEPROM.
 */
#ifndef CAMMINO_LEVELS_H
#define CAMMINO_LEVELS_H

#include <stddef.h>
#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

/** Bins of the histogram that readings are collected in. */
#define CMO_LEVEL_BINS 48

/** Why levels were refused. */
typedef enum cmo_levels_fault {
    CMO_LEVELS_GOOD = 0,
    CMO_LEVELS_SILENT,       /**< fewer than 20 readings */
    CMO_LEVELS_ONE_SURFACE,  /**< all readings are of one surface */
    CMO_LEVELS_SATURATED,    /**< a surface lies at the end of what the hardware can give */
    CMO_LEVELS_NOISY,        /**< the noise is too large for the contrast */
    CMO_LEVELS_LOW_CONTRAST, /**< the two surfaces are too near to each other */
    CMO_LEVELS_UNLIKE,       /**< this sensor's contrast is less than half of another's: they have
                                  not seen the same two surfaces */
    CMO_LEVELS_FAULTS
} cmo_levels_fault;

/**
 * Collects readings of one sensor; nothing is kept but a histogram. Its bins widen as readings come
 * in, so the range need not be known. Plain data of about 300 bytes.
 */
typedef struct cmo_level_taker {
    uint16_t count[CMO_LEVEL_BINS];
    uint32_t offset_sum[CMO_LEVEL_BINS]; /**< places of a bin's readings within it, in 256ths */
    int32_t base;                        /**< lowest reading of the first bin; may be below 0 */
    uint16_t shift;                      /**< a bin is 2^shift counts wide */
    uint16_t total;                      /**< readings, halved with the bins when one is full */
} cmo_level_taker;

/** Begins anew. */
void cmo_level_taker_start(cmo_level_taker *taker);

/** Takes one raw reading. */
void cmo_level_taker_add(cmo_level_taker *taker, uint16_t counts);

/**
 * Splits the readings into two surfaces and writes their levels and noise. Up to a hundredth of the
 * readings at either end are taken for glitches, and are gone from the taker afterwards.
 *
 * The split is the one with the largest variance between the classes (Otsu, A Threshold Selection
 * Method from Gray-Level Histograms, 1979). A level is the centre of its class's densest part, so
 * that readings from across an edge and outliers do not pull it. Noise is the larger of both
 * classes' spreads about it.
 *
 * @param dark_is_high  the sensor reads higher over dark than over light
 * @param counts_max    most that the hardware can give; 0: not known
 * @param levels        dark, light and noise are written if the result is CMO_LEVELS_GOOD
 */
cmo_levels_fault cmo_level_taker_finish(cmo_level_taker *taker, bool dark_is_high,
                                        uint16_t counts_max, cmo_levels *levels);

/** The densest part of a class of readings. */
typedef struct cmo_plateau {
    float place;  /**< in bins from the base */
    float spread; /**< standard deviation, in bins */
    float held;   /**< readings that belong to it */
    float share;  /**< of its class's */
} cmo_plateau;

/** How far the finish has come. Plain data; all zero begins anew. */
typedef struct cmo_level_finish {
    cmo_plateau found[2];
    float all;        /**< readings of the class */
    uint8_t split;    /**< first bin of the upper class; 0: not split yet */
    uint8_t upper;    /**< the class that is being looked at */
    uint8_t from, to; /**< its bins */
    uint8_t round;
} cmo_level_finish;

/**
 * The same in small steps, for a small part whose ticks are short: call it, with the same
 * arguments, until it returns true. Then `fault` holds the result.
 */
bool cmo_level_finish_step(cmo_level_finish *finish, cmo_level_taker *taker, bool dark_is_high,
                           uint16_t counts_max, cmo_levels *levels, cmo_levels_fault *fault);

/** Mean and standard deviation of all readings of one surface, outliers left out, in counts.
 *  False: fewer than 20 readings. */
bool cmo_level_taker_surface(const cmo_level_taker *taker, float *counts, float *spread);

/** Whether two sensors' levels can be of the same floor: one's contrast is at least half of the
 *  other's. */
bool cmo_levels_alike(const cmo_levels *left, const cmo_levels *right);

/** "good", "silent"...; "?" for a value that is none. */
const char *cmo_levels_fault_name(cmo_levels_fault fault);

/* ------------------------------------------------------------------------------ stored form -- */

/** Bytes of the stored form: mark, version, number of sensors, six counts a sensor, checksum. */
#define CMO_STORED_LEVELS_SIZE (4 + 12 * CMO_LIGHTS_MAX + 2)

/** Writes the robot's levels. @return bytes written; 0 if `size` is too small. */
size_t cmo_store_levels(const cmo_robot *robot, uint8_t *bytes, size_t size);

/**
 * Takes levels from their stored form. Bytes that are damaged, foreign, of another version or for
 * another number of sensors change nothing.
 * @return CMO_OUTCOME_DONE; CMO_OUTCOME_BAD_PARAMETER with field "mark", "version", "lights" or
 * "checksum"; CMO_OUTCOME_LOW_CONTRAST for levels that cannot be used.
 */
cmo_outcome cmo_load_levels(cmo_robot *robot, const uint8_t *bytes, size_t size);

#ifdef __cplusplus
}
#endif

#endif
