// SPDX-License-Identifier: MIT
// Levels from readings: a histogram that widens as it must, and its split in two.
#include <cammino/levels.h>

#include <math.h>
#include <string.h>

#define LEAST_READINGS 20U
#define FULL           60000U
// Cut off at two of its own spreads, a normal law keeps 0.69 of its standard deviation.
#define CUT_SPREAD 1.45F

void cmo_level_taker_start(cmo_level_taker *taker) {
    memset(taker, 0, sizeof *taker);
}

// Doubles the bins' width; with `down`, the range grows to below instead of above.
static void widen(cmo_level_taker *taker, bool down) {
    cmo_level_taker old = *taker;
    // Downward by as much as there is: a multiple of the new width, so that two old bins make a new
    // one. The base may fall below 0.
    uint32_t lower = down ? (uint32_t)CMO_LEVEL_BINS << old.shift : 0;
    taker->shift++;
    taker->base = old.base - (int32_t)lower;
    memset(taker->count, 0, sizeof taker->count);
    memset(taker->offset_sum, 0, sizeof taker->offset_sum);
    for (uint8_t i = 0; i < CMO_LEVEL_BINS; i++) {
        uint32_t place = lower + ((uint32_t)i << old.shift); // from the new base
        uint8_t to = (uint8_t)(place >> taker->shift);
        bool upper = place >> old.shift & 1U;
        if (to < CMO_LEVEL_BINS) {
            taker->count[to] = (uint16_t)(taker->count[to] + old.count[i]);
            taker->offset_sum[to] +=
                old.offset_sum[i] / 2U + (upper ? 128U * (uint32_t)old.count[i] : 0U);
        }
    }
}

// One count is full: all are halved, and the shape stays.
static void halve(cmo_level_taker *taker) {
    taker->total = 0;
    for (uint8_t i = 0; i < CMO_LEVEL_BINS; i++) {
        uint16_t half = taker->count[i] / 2U;
        taker->offset_sum[i] = half > 0 ? taker->offset_sum[i] / taker->count[i] * half : 0;
        taker->count[i] = half;
        taker->total = (uint16_t)(taker->total + taker->count[i]);
    }
}

void cmo_level_taker_add(cmo_level_taker *taker, uint16_t counts) {
    if (taker->total == 0) { // bins one count wide, with the first reading in their middle
        taker->base = (int32_t)counts - CMO_LEVEL_BINS / 2;
    }
    if (taker->total >= FULL) {
        halve(taker);
    }
    while ((int32_t)counts < taker->base) {
        widen(taker, true);
    }
    while ((uint32_t)((int32_t)counts - taker->base) >> taker->shift >= CMO_LEVEL_BINS) {
        widen(taker, false);
    }
    uint32_t place = (uint32_t)((int32_t)counts - taker->base);
    uint8_t bin = (uint8_t)(place >> taker->shift);
    uint32_t within = place - ((uint32_t)bin << taker->shift);
    // In 256ths of the bin; a reading stands for the middle of its count.
    uint32_t offset = ((2U * within + 1U) * 128U) >> taker->shift;
    taker->count[bin]++;
    taker->offset_sum[bin] += offset;
    taker->total++;
}

// Mean reading of a bin, in bins from the base.
static float bin_place(const cmo_level_taker *taker, uint8_t bin) {
    float count = (float)taker->count[bin];
    return (float)bin + (count > 0.0F ? (float)taker->offset_sum[bin] / (256.0F * count) : 0.5F);
}

// Takes away up to a hundredth of the readings at either end: glitches would draw the split.
static void trim(cmo_level_taker *taker) {
    uint16_t most = taker->total / 100U;
    uint16_t taken = 0;
    for (uint8_t i = 0; i < CMO_LEVEL_BINS && taken + taker->count[i] <= most; i++) {
        taken = (uint16_t)(taken + taker->count[i]);
        taker->count[i] = 0;
    }
    taken = 0;
    for (uint8_t i = CMO_LEVEL_BINS; i > 0 && taken + taker->count[i - 1] <= most; i--) {
        taken = (uint16_t)(taken + taker->count[i - 1]);
        taker->count[i - 1] = 0;
    }
}

// The first bin of the upper class, by the largest variance between the classes; 0: there is none.
static uint8_t find_split(const cmo_level_taker *taker) {
    float all = 0.0F;
    float moment = 0.0F;
    for (uint8_t i = 0; i < CMO_LEVEL_BINS; i++) {
        all += (float)taker->count[i];
        moment += (float)taker->count[i] * bin_place(taker, i);
    }
    float below = 0.0F;
    float below_moment = 0.0F;
    float best = 0.0F;
    uint8_t split = 0;
    for (uint8_t i = 0; i + 1 < CMO_LEVEL_BINS; i++) {
        below += (float)taker->count[i];
        below_moment += (float)taker->count[i] * bin_place(taker, i);
        float above = all - below;
        if (below < 1.0F || above < 1.0F) {
            continue;
        }
        float apart = below_moment / below - (moment - below_moment) / above;
        float between = below * above * apart * apart;
        // An empty gap gives the same value all along: its middle is not needed, its end is.
        if (between > best) {
            best = between;
            split = (uint8_t)(i + 1);
        }
    }
    return split;
}

// The densest part of a class: the window of bins that holds most.
static void begin_plateau(const cmo_level_taker *taker, cmo_level_finish *f) {
    float most = -1.0F;
    uint8_t peak = f->from;
    f->all = 0.0F;
    for (uint8_t i = f->from; i < f->to; i++) {
        float here = (float)taker->count[i];
        f->all += here;
        here += i > f->from ? 0.5F * (float)taker->count[i - 1] : 0.0F;
        here += i + 1 < f->to ? 0.5F * (float)taker->count[i + 1] : 0.0F;
        if (here > most) {
            most = here;
            peak = i;
        }
    }
    f->found[f->upper] = (cmo_plateau){bin_place(taker, peak), 3.0F, 0.0F, 0.0F};
    f->round = 0;
}

// The mean about it, within two spreads. True: it will not change any more.
static bool refine_plateau(const cmo_level_taker *taker, cmo_level_finish *f) {
    cmo_plateau *found = &f->found[f->upper];
    cmo_plateau before = *found;
    float reach = fmaxf(2.0F * found->spread, 0.35F);
    float sum = 0.0F;
    float moment = 0.0F;
    float squares = 0.0F;
    for (uint8_t i = f->from; i < f->to; i++) {
        float off = bin_place(taker, i) - found->place;
        if (taker->count[i] > 0 && fabsf(off) <= reach) {
            sum += (float)taker->count[i];
            moment += (float)taker->count[i] * off;
            squares += (float)taker->count[i] * off * off;
        }
    }
    if (sum < 1.0F) {
        return true;
    }
    float mean = moment / sum;
    found->place += mean;
    found->spread = sqrtf(fmaxf(squares / sum - mean * mean, 0.0F));
    found->held = sum;
    found->share = sum / f->all;
    return found->place == before.place && found->spread == before.spread;
}

// From bins to readings.
static uint16_t to_counts(const cmo_level_taker *taker, float place) {
    // A reading was put into the middle of its count.
    float counts = (float)taker->base + place * (float)((uint32_t)1 << taker->shift) - 0.5F;
    return (uint16_t)fmaxf(0.0F, fminf(counts + 0.5F, 65534.0F));
}

static cmo_levels_fault conclude(const cmo_level_taker *taker, const cmo_level_finish *f,
                                 bool dark_is_high, uint16_t counts_max, cmo_levels *levels) {
    const cmo_plateau *low = &f->found[0];
    const cmo_plateau *high = &f->found[1];
    float width = (float)((uint32_t)1 << taker->shift);
    float contrast = (high->place - low->place) * width;
    // A bin's readings are at one place to the histogram: what is narrower than it spreads evenly.
    float spread = fmaxf(fmaxf(low->spread, high->spread), taker->shift > 0 ? 0.1F : 0.0F) * width;
    // One surface alone is split through its own noise: its halves touch. And what is only an edge
    // passed, or a handful of glitches, is no surface.
    float least = fmaxf(6.0F, 0.03F * (float)taker->total);
    bool touching = contrast < 5.0F * spread;
    if (touching || low->held < least || high->held < least || low->share < 0.3F ||
        high->share < 0.3F) {
        return CMO_LEVELS_ONE_SURFACE;
    }
    uint16_t low_counts = to_counts(taker, low->place);
    uint16_t high_counts = to_counts(taker, high->place);
    if (low_counts == 0 || (counts_max > 0 && high_counts >= counts_max)) {
        return CMO_LEVELS_SATURATED;
    }
    cmo_levels taken = {
        .dark = dark_is_high ? high_counts : low_counts,
        .light = dark_is_high ? low_counts : high_counts,
        .void_counts = levels->void_counts,
        .noise = (uint16_t)fmaxf(1.0F, CUT_SPREAD * spread + 0.5F),
    };
    if (contrast < 16.0F) {
        return CMO_LEVELS_LOW_CONTRAST;
    }
    if (!cmo_levels_usable(&taken)) {
        return CMO_LEVELS_NOISY;
    }
    *levels = taken;
    return CMO_LEVELS_GOOD;
}

bool cmo_level_finish_step(cmo_level_finish *f, cmo_level_taker *taker, bool dark_is_high,
                           uint16_t counts_max, cmo_levels *levels, cmo_levels_fault *fault) {
    if (!f->split) {
        *fault = taker->total < LEAST_READINGS ? CMO_LEVELS_SILENT : CMO_LEVELS_ONE_SURFACE;
        if (*fault == CMO_LEVELS_SILENT) {
            return true;
        }
        trim(taker);
        f->split = find_split(taker);
        f->upper = 0;
        f->from = 0;
        f->to = f->split;
        begin_plateau(taker, f);
        return f->split == 0;
    }
    if (!refine_plateau(taker, f) && ++f->round < 10) {
        return false;
    }
    if (f->upper == 0) {
        f->upper = 1;
        f->from = f->split;
        f->to = CMO_LEVEL_BINS;
        begin_plateau(taker, f);
        return false;
    }
    *fault = conclude(taker, f, dark_is_high, counts_max, levels);
    return true;
}

cmo_levels_fault cmo_level_taker_finish(cmo_level_taker *taker, bool dark_is_high,
                                        uint16_t counts_max, cmo_levels *levels) {
    cmo_level_finish finish = {.split = 0};
    cmo_levels_fault fault;
    while (!cmo_level_finish_step(&finish, taker, dark_is_high, counts_max, levels, &fault)) {
    }
    return fault;
}

bool cmo_level_taker_surface(const cmo_level_taker *taker, float *counts, float *spread) {
    if (taker->total < LEAST_READINGS) {
        return false;
    }
    cmo_level_taker trimmed = *taker;
    trim(&trimmed);
    float sum = 0.0F;
    float moment = 0.0F;
    float squares = 0.0F;
    float middle = 0.5F * (float)CMO_LEVEL_BINS; // keeps the squares small
    for (uint8_t i = 0; i < CMO_LEVEL_BINS; i++) {
        float off = bin_place(&trimmed, i) - middle;
        sum += (float)trimmed.count[i];
        moment += (float)trimmed.count[i] * off;
        squares += (float)trimmed.count[i] * off * off;
    }
    float width = (float)((uint32_t)1 << taker->shift);
    float mean = moment / sum;
    *counts = (float)taker->base + (middle + mean) * width - 0.5F;
    *spread = sqrtf(fmaxf(squares / sum - mean * mean, 0.0F)) * width;
    return true;
}

bool cmo_levels_alike(const cmo_levels *left, const cmo_levels *right) {
    float a = fabsf((float)left->light - (float)left->dark);
    float b = fabsf((float)right->light - (float)right->dark);
    return fminf(a, b) >= 0.5F * fmaxf(a, b);
}

const char *cmo_levels_fault_name(cmo_levels_fault fault) {
    static const char *const names[CMO_LEVELS_FAULTS] = {
        "good", "silent", "one_surface", "saturated", "noisy", "low_contrast", "unlike"};
    return (unsigned)fault < CMO_LEVELS_FAULTS ? names[fault] : "?";
}
