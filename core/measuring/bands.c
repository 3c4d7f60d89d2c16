// SPDX-License-Identifier: MIT
#include <cammino/bands.h>

#include <math.h>

// Readings of one surface, from the lowest to the highest that can come.
typedef struct extent {
    float low;
    float high;
} extent;

// What a surface's readings come to at most: four standard deviations, and what the light may
// change.
static extent extent_of(const cmo_surface *surface, float change) {
    float noise = 4.0F * fmaxf(surface->spread, 0.005F);
    float light = change * fabsf(surface->reflectance);
    return (extent){surface->reflectance - noise - light, surface->reflectance + noise + light};
}

bool cmo_choose_band(const cmo_surface *surface, uint8_t count, uint8_t line, float change,
                     cmo_choice *choice) {
    if (count < 2 || line >= count) {
        return false;
    }
    extent own = extent_of(&surface[line], change);
    choice->band = (cmo_band){-INFINITY, INFINITY};
    choice->margin = INFINITY;
    choice->nearest = line == 0 ? 1 : 0;
    for (uint8_t i = 0; i < count; i++) {
        if (i == line) {
            continue;
        }
        extent other = extent_of(&surface[i], change);
        bool above = surface[i].reflectance > surface[line].reflectance;
        float gap = above ? other.low - own.high : own.low - other.high;
        float threshold = above ? 0.5F * (other.low + own.high) : 0.5F * (own.low + other.high);
        if (above) {
            choice->band.high = fminf(choice->band.high, threshold);
        } else {
            choice->band.low = fmaxf(choice->band.low, threshold);
        }
        if (0.5F * gap < choice->margin) {
            choice->margin = 0.5F * gap;
            choice->nearest = i;
        }
    }
    choice->safe = choice->margin >= CMO_SAFE_MARGIN;
    return true;
}

uint16_t cmo_counts_of(const cmo_levels *levels, float reflectance) {
    float counts = (float)levels->dark + reflectance * ((float)levels->light - (float)levels->dark);
    return (uint16_t)(fmaxf(1.0F, fminf(counts, 65534.0F)) + 0.5F);
}

int8_t cmo_band_of(const cmo_band *band, uint8_t count, float reflectance, float hysteresis,
                   int8_t before) {
    if (before >= 0 && before < (int8_t)count && reflectance >= band[before].low - hysteresis &&
        reflectance <= band[before].high + hysteresis) {
        return before;
    }
    for (uint8_t i = 0; i < count; i++) {
        if (reflectance >= band[i].low && reflectance <= band[i].high) {
            return (int8_t)i;
        }
    }
    return -1;
}
