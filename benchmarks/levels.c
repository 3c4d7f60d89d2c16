// SPDX-License-Identifier: GPL-3.0-or-later
// Levels from readings alone: how true they are on random floors, and whether floors that must be
// refused are.
#include <cammino/cammino.h>

#include <math.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define FLOORS 1000

static uint64_t bits = 1;

static double even(double low, double high) {
    bits = bits * 6364136223846793005U + 1442695040888963407U;
    return low + (high - low) * (double)(bits >> 11) * 0x1p-53;
}

static double normal(void) {
    double sum = -6.0;
    for (int i = 0; i < 12; i++) {
        sum += even(0, 1);
    }
    return sum;
}

// Readings of a drive over two surfaces, in counts.
typedef struct drive {
    double dark, light, noise, most;
    double dark_share, edge_share, glitch_share;
    int readings;
} drive;

static cmo_levels_fault take(const drive *d, cmo_levels *levels) {
    cmo_level_taker taker;
    cmo_level_taker_start(&taker);
    for (int i = 0; i < d->readings; i++) {
        double reading = even(0, 1) < d->dark_share ? d->dark : d->light;
        if (even(0, 1) < d->edge_share) { // a spot somewhere across the edge
            double u = even(-1, 1);
            double q = 0.5 + (u * sqrt(1.0 - u * u) + asin(u)) / 3.14159265358979;
            reading = d->dark + q * (d->light - d->dark);
        }
        reading += d->noise * normal();
        if (even(0, 1) < d->glitch_share) {
            reading = even(0, d->most);
        }
        reading = fmin(fmax(reading + 0.5, 0.0), d->most);
        cmo_level_taker_add(&taker, (uint16_t)reading);
    }
    *levels = (cmo_levels){.dark = CMO_LEVEL_UNKNOWN, .light = CMO_LEVEL_UNKNOWN};
    return cmo_level_taker_finish(&taker, d->dark > d->light, (uint16_t)d->most, levels);
}

static drive good_floor(int i) {
    drive d = {.most = i % 3 ? 1023 : 4095, .readings = (int)even(400, 900)};
    double span = d.most * even(0.25, 0.9);
    double low = d.most * 0.03 + (d.most * 0.94 - span) * even(0, 1);
    bool inverted = i % 2;
    d.dark = inverted ? low + span : low;
    d.light = inverted ? low : low + span;
    d.noise = span * even(0.001, 0.03);
    d.dark_share = even(0.12, 0.88);
    d.edge_share = even(0, 1) * fmin(0.25, fmin(d.dark_share, 1.0 - d.dark_share));
    d.glitch_share = even(0, 0.005);
    return d;
}

static const char *const kinds[] = {
    "one surface",           "contrast too low",     "too noisy", "saturated", "silent",
    "one surface, glitches", "left and right unlike"};
#define KINDS 7

static drive bad_floor(int kind) {
    double low = even(100, 600);
    drive d = {.most = 1023,
               .readings = 300,
               .dark_share = even(0.1, 0.9),
               .dark = low,
               .light = low + 300,
               .noise = even(1, 9)};
    switch (kind) {
    case 0:
        d.light = d.dark;
        break;
    case 1:
        d.light = d.dark + even(0, 14);
        d.noise = 0.3;
        break;
    case 2:
        d.noise = 300 * even(0.075, 0.275); // four times it is above a quarter of the contrast
        break;
    case 3:
        d.light = even(1060, 1090);
        break;
    case 4:
        d.readings = (int)even(0, 20);
        break;
    case 5:
        d.light = d.dark;
        d.glitch_share = 0.012;
        break;
    default:
        break;
    }
    return d;
}

// Two sensors: one has seen the line, the other only something half as dark.
static bool unlike_accepted(void) {
    drive one = bad_floor(KINDS - 1);
    drive other = one;
    other.light = other.dark + even(0.15, 0.45) * (one.light - one.dark);
    cmo_levels levels[2];
    return take(&one, &levels[0]) == CMO_LEVELS_GOOD &&
           take(&other, &levels[1]) == CMO_LEVELS_GOOD && cmo_levels_alike(&levels[0], &levels[1]);
}

static int by_size(const void *a, const void *b) {
    double first = *(const double *)a;
    double second = *(const double *)b;
    return (first > second) - (first < second);
}

int main(void) {
    static double level_errors[2 * FLOORS], middle_errors[FLOORS];
    int refused = 0;
    for (int i = 0; i < FLOORS; i++) {
        drive d = good_floor(i);
        cmo_levels levels;
        if (take(&d, &levels) != CMO_LEVELS_GOOD) {
            refused++;
            continue;
        }
        double span = fabs(d.light - d.dark);
        level_errors[2 * i] = fabs(levels.dark - d.dark) / span;
        level_errors[2 * i + 1] = fabs(levels.light - d.light) / span;
        middle_errors[i] =
            fabs(0.5 * (levels.dark + levels.light) - 0.5 * (d.dark + d.light)) / span;
    }
    qsort(level_errors, 2 * FLOORS, sizeof(double), by_size);
    qsort(middle_errors, FLOORS, sizeof(double), by_size);
    double level_worst = level_errors[2 * FLOORS - 1];
    double middle_worst = middle_errors[FLOORS - 1];
    bool good = refused == 0 && level_worst <= 0.02 && middle_worst <= 0.02;
    printf("%d random floors: contrast 0.25 to 0.9 of the range, noise to 3 %%, 12 to 88 %% dark,\n"
           "either polarity, readings across edges, glitches; errors as a share of the contrast\n\n"
           "            p50     p95   worst     bar\n"
           "levels   %6.4f  %6.4f  %6.4f  0.0200\nthreshold%6.4f  %6.4f  %6.4f  0.0200\n"
           "wrongly refused: %d  %s\n\n",
           FLOORS, level_errors[FLOORS], level_errors[(int)(1.9 * FLOORS)], level_worst,
           middle_errors[FLOORS / 2], middle_errors[(int)(0.95 * FLOORS)], middle_worst, refused,
           good ? "holds" : "misses");
    int accepted[KINDS] = {0};
    int tried[KINDS] = {0};
    int wrong = 0;
    for (int i = 0; i < FLOORS; i++) {
        int kind = i % KINDS;
        drive d = bad_floor(kind);
        cmo_levels levels;
        bool taken = kind == KINDS - 1 ? unlike_accepted() : take(&d, &levels) == CMO_LEVELS_GOOD;
        tried[kind]++;
        accepted[kind] += taken;
        wrong += taken;
    }
    printf("%d floors that must be refused\n", FLOORS);
    for (int kind = 0; kind < KINDS; kind++) {
        printf("  %-24s accepted %d of %d\n", kinds[kind], accepted[kind], tried[kind]);
    }
    printf("%s\n", wrong == 0 ? "holds" : "misses");
    return good && wrong == 0 ? 0 : 1;
}
