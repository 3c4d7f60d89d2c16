// SPDX-License-Identifier: MIT
#include "light_input.h"

#include <math.h>

#define LEAST_HYSTERESIS 0.05F
#define MOST_HYSTERESIS  0.25F

float cmo_reflectance(const cmo_levels *levels, uint16_t counts) {
    float contrast = (float)levels->light - (float)levels->dark;
    if (contrast == 0.0F) {
        return 0.0F;
    }
    return ((float)counts - (float)levels->dark) / contrast;
}

float cmo_hysteresis(const cmo_levels *levels) {
    float contrast = fabsf((float)levels->light - (float)levels->dark);
    if (contrast == 0.0F) {
        return 1.0F;
    }
    float noise = levels->noise > 0 ? (float)levels->noise / contrast : 0.01F;
    return fmaxf(LEAST_HYSTERESIS, 4.0F * noise);
}

bool cmo_levels_usable(const cmo_levels *levels) {
    // A contrast of less than 16 counts is mostly quantisation.
    float contrast = fabsf((float)levels->light - (float)levels->dark);
    return levels->dark != CMO_LEVEL_UNKNOWN && levels->light != CMO_LEVEL_UNKNOWN &&
           contrast >= 16.0F && cmo_hysteresis(levels) <= MOST_HYSTERESIS;
}

float cmo_threshold(const cmo_levels *levels, cmo_tone tone) {
    if (tone != CMO_TONE_VOID) {
        uint16_t counts = tone == CMO_TONE_DARK ? levels->dark_threshold : levels->light_threshold;
        return counts != 0 ? cmo_reflectance(levels, counts) : 0.5F;
    }
    if (levels->void_counts == CMO_LEVEL_UNKNOWN) {
        return NAN;
    }
    return 0.5F * cmo_reflectance(levels, levels->void_counts);
}

static bool is_inside(const cmo_edge *edge, float reflectance, float margin) {
    return reflectance > edge->band.low + margin && reflectance < edge->band.high - margin;
}

// The reflectance that a band's surface is expected to have: an open band reaches to its level, and
// that of void as far below the dark level again as its threshold is.
float cmi_band_target(const cmo_band *band) {
    if (isinf(band->low)) {
        return band->high < 0.0F ? 2.0F * band->high : 0.0F;
    }
    return isinf(band->high) ? fmaxf(1.0F, band->low) : 0.5F * (band->low + band->high);
}

static void start(cmo_edge *edge, const cmo_levels *levels, cmo_band band, float spot_mm) {
    float target = cmi_band_target(&band);
    edge->band = band;
    edge->hysteresis = cmo_hysteresis(levels);
    // A threshold near a level, the surface's own or that of what lies around it, leaves less room:
    // half of the way to the level at most.
    bool above = isinf(band.high);
    float high = above ? band.low : band.high - target;
    float low = isinf(band.low) ? 1.0F - band.high : target - band.low;
    edge->hysteresis = fminf(edge->hysteresis, 0.5F * fabsf(fminf(high, low)));
    edge->behind = above ? 0.0F : 1.0F;
    edge->spot_mm = spot_mm;
    edge->looks = 0;
    edge->inside = false;
}

void cmo_edge_start(cmo_edge *edge, const cmo_levels *levels, cmo_tone tone, float spot_mm) {
    float threshold = cmo_threshold(levels, tone);
    cmo_band band = {-INFINITY, threshold};
    if (tone == CMO_TONE_LIGHT) {
        band = (cmo_band){threshold, INFINITY};
    }
    start(edge, levels, band, spot_mm);
}

void cmo_edge_start_band(cmo_edge *edge, const cmo_levels *levels, cmo_band band, float spot_mm) {
    start(edge, levels, band, spot_mm);
}

// Inverse of the covered share of a disc: u in spot radii for q from 0 to 1, by a table over
// 2 q - 1. Largest error 0.006 radii below |u| = 0.97.
static float disc_inverse(float q) {
    static const float table[17] = {0.0F,    0.0491F, 0.0983F, 0.1478F, 0.1976F, 0.2480F,
                                    0.2990F, 0.3510F, 0.4040F, 0.4584F, 0.5146F, 0.5731F,
                                    0.6347F, 0.7007F, 0.7734F, 0.8585F, 1.0F};
    float p = 2.0F * q - 1.0F;
    float sign = p < 0.0F ? -1.0F : 1.0F;
    float at = fminf(p * sign, 1.0F) * 16.0F;
    uint8_t i = (uint8_t)at;
    if (i >= 16) {
        return sign;
    }
    return sign * (table[i] + (at - (float)i) * (table[i + 1] - table[i]));
}

// Where the edge lies by one look alone: adds it to the weighted mean.
static void add_look(const cmo_edge *edge, const cmo_light_point *point, float from, float to,
                     float *sum, float *weights) {
    // Where the surface left behind reads as the one ahead ought to, a look says nothing.
    float q = to != from ? (point->reflectance - from) / (to - from) : 0.5F;
    float u = disc_inverse(q);
    // The slope of the disc's curve is sqrt(1 - u^2); a look outside of the transition says only
    // that the edge is at least a radius away, and counts little.
    float weight = fmaxf(1.0F - u * u, 0.0F) + 0.01F;
    *sum += weight * (point->way_mm - 0.5F * u * edge->spot_mm);
    *weights += weight;
}

static void place_crossing(const cmo_edge *edge, const cmo_light_point *point, float from, float to,
                           cmo_crossing *crossing) {
    float way = point->way_mm - edge->near.way_mm;
    // Two looks, and a crossing between them, are of the near past whatever a clock may say.
    float time_us = fminf((float)(point->time_us - edge->near.time_us), 1e8F);
    float share; // of the gap between the two looks
    if (edge->spot_mm > 0.0F && fabsf(way) > 1e-3F) {
        float sum = 0.0F;
        float weights = 0.0F;
        cmo_light_point a = edge->near;
        cmo_light_point b = *point;
        if (way < 0.0F) { // backing over the edge: the same curve, seen from the other side
            a.way_mm = -a.way_mm;
            b.way_mm = -b.way_mm;
        }
        add_look(edge, &a, from, to, &sum, &weights);
        add_look(edge, &b, from, to, &sum, &weights);
        float place = sum / weights;
        share = (place - a.way_mm) / (b.way_mm - a.way_mm);
        // The reading at the threshold need not be the middle of the two surfaces: the edge may
        // lie a little outside of the two looks, but not further than a spot's radius.
        float reach = 0.5F * edge->spot_mm / fabsf(way);
        share = fmaxf(-reach, fminf(share, 1.0F + reach));
    } else {
        float middle = 0.5F * (from + to);
        float change = point->reflectance - edge->near.reflectance;
        share = change != 0.0F ? (middle - edge->near.reflectance) / change : 1.0F;
        share = fmaxf(0.0F, fminf(share, 1.0F));
    }
    crossing->way_mm = edge->near.way_mm + share * way;
    // Where hardly any way lies between two looks, a coarse encoder's say, it tells little of time.
    float when = fmaxf(-3.0F, fminf(share, 4.0F));
    crossing->time_us = edge->near.time_us + (uint32_t)(int32_t)(when * time_us);
}

// What the spot comes onto is as much of it as it has seen yet, which grows while it comes onto it
// slowly: where it is narrow, it leaves it from there. Once it has lasted for a spot's width, its
// mean counts.
static void watch_surface(cmo_edge *edge, const cmo_light_point *point) {
    float width = edge->spot_mm > 0.0F ? edge->spot_mm : 5.0F;
    if (edge->onto && (point->reflectance > edge->behind) == edge->lighter) {
        edge->behind = point->reflectance;
    }
    if (fabsf(point->reflectance - edge->steady) > edge->hysteresis) {
        edge->steady = point->reflectance;
        edge->steady_mm = point->way_mm;
    } else if (fabsf(point->way_mm - edge->steady_mm) >= width) {
        edge->behind += 0.25F * (point->reflectance - edge->behind);
        edge->onto = false;
    }
}

bool cmo_edge_look(cmo_edge *edge, cmo_light_point point, cmo_crossing *crossing) {
    bool first = edge->looks == 0;
    if (edge->looks < UINT8_MAX) {
        edge->looks++;
    }
    if (first) {
        edge->inside = is_inside(edge, point.reflectance, 0.0F);
        edge->near = point;
        edge->steady = point.reflectance;
        edge->steady_mm = point.way_mm;
        edge->behind = point.reflectance;
        edge->onto = false;
        return false;
    }
    bool done = false;
    bool past_band = edge->inside ? !is_inside(edge, point.reflectance, -edge->hysteresis)
                                  : is_inside(edge, point.reflectance, edge->hysteresis);
    if (past_band) {
        // The surface ahead is not known yet: its tone's level stands in for it. A reading beyond
        // that level is taken for the level itself.
        float away = point.reflectance > edge->band.high ? 1.0F : 0.0F;
        float to = edge->inside ? away : cmi_band_target(&edge->band);
        place_crossing(edge, &point, edge->behind, to, crossing);
        crossing->entering = !edge->inside;
        edge->inside = !edge->inside;
        edge->onto = true;
        edge->lighter = point.reflectance > edge->behind;
        edge->behind = point.reflectance;
        edge->near = point;
        edge->steady = point.reflectance;
        edge->steady_mm = point.way_mm;
        done = true;
    } else {
        edge->near = point; // also from within the band: there it says most of where the edge is
        watch_surface(edge, &point);
    }
    return done;
}

// How much of the spot the tone covers, by the levels alone.
static float covered(const cmo_edge *edge, float reflectance) {
    float from = cmi_band_around(&edge->band);
    return (reflectance - from) / (cmi_band_target(&edge->band) - from);
}

bool cmo_edge_sees(const cmo_edge *edge, float reflectance) {
    float q = covered(edge, reflectance);
    return edge->spot_mm > 0.0F && q > 0.15F && q < 0.85F;
}

bool cmo_edge_place(const cmo_edge *edge, float reflectance, float *place_mm) {
    float q = covered(edge, reflectance);
    *place_mm = 0.5F * disc_inverse(q) * edge->spot_mm;
    return edge->spot_mm > 0.0F && q > 0.04F && q < 0.96F;
}
