// SPDX-License-Identifier: MIT
/**
 * @file bands.h
 * Thresholds that know the floor. A line is parted from the surface that reads most like it, not
 * halfway between black and white; and what cannot be told apart is said before it is driven over.
 */
#ifndef CAMMINO_BANDS_H
#define CAMMINO_BANDS_H

#include <cammino/light.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What one sensor reads over a surface. */
typedef struct cmo_surface {
    float reflectance; /**< mean */
    float spread;      /**< standard deviation of a reading; at least 0.005 is taken */
} cmo_surface;

/** How a line is to be told from all other surfaces. */
typedef struct cmo_choice {
    cmo_band band;   /**< reflectances that count as the line; open on a side where there is no
                          other surface */
    float margin;    /**< reflectance from the nearer threshold to where the readings of the line,
                          and of the surface nearest to it, can come; below 0: they overlap */
    uint8_t nearest; /**< the surface that leaves the least room */
    bool safe;       /**< margin is at least CMO_SAFE_MARGIN */
} cmo_choice;

/** A margin that is called safe: what the slowest detection, a hysteresis of 0.05, asks for. */
#define CMO_SAFE_MARGIN 0.05F

/**
 * Chooses the band of surface number `line` among `count` surfaces, with the widest margin to the
 * nearest other surface on either side. A surface's readings are taken to come as far as four of
 * its spreads from its mean, and as far again as a change of the light takes them: with `change`,
 * 0..0.5, every reading may come out larger or smaller by this share of itself.
 *
 * @return false if `count` is less than 2 or `line` is none of them.
 */
bool cmo_choose_band(const cmo_surface *surface, uint8_t count, uint8_t line, float change,
                     cmo_choice *choice);

/** The counts of a reflectance: what cmo_reflectance() turns back, within 1..65534. */
uint16_t cmo_counts_of(const cmo_levels *levels, float reflectance);

/**
 * The number of the band that a reading is in; -1: in none. A reading stays in the band that it was
 * in, `before`, until it is further outside of it than the hysteresis. Never compare for equality.
 */
int8_t cmo_band_of(const cmo_band *band, uint8_t count, float reflectance, float hysteresis,
                   int8_t before);

#ifdef __cplusplus
}
#endif

#endif
