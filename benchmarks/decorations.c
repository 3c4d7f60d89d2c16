// SPDX-License-Identifier: GPL-3.0-or-later
// Grey and dark decorations under moving shadows: does the robot stop on them? On random floors,
// whose surfaces are sampled first; where the margin is called safe, and where it is not.
#include <cammino/cammino.h>
#include <cammino_simulator/simulator.h>

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define PASSES  50
#define LINE_MM 700.0

static uint64_t bits;

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

enum { LINE, GROUND, FIRST, SECOND, SURFACES };

// Two decorations, both longer than a line is wide, before the line.
typedef struct deck {
    double luminance[SURFACES];
} deck;

static double light_at(void *data, double x_mm, double y_mm, unsigned *marks) {
    (void)y_mm;
    const deck *d = data;
    if (x_mm >= LINE_MM && x_mm < LINE_MM + 20.0) {
        *marks = 1U << CMO_SIM_LINE;
        return d->luminance[LINE];
    }
    bool first = x_mm >= 330.0 && x_mm < 450.0;
    bool second = x_mm >= 530.0 && x_mm < 580.0;
    *marks = first || second ? 1U << CMO_SIM_DECORATION : 0U;
    return d->luminance[first ? FIRST : second ? SECOND : GROUND];
}

typedef struct scene {
    deck deck;
    cmo_tone tone;
    double noise, change; // share by which light can change a reading
    cmo_robot_description description;
    cmo_sim_setup setup;
    cmo_levels levels;
    cmo_choice choice;
} scene;

static const cmo_robot_description robot_like_mozzo = {
    .tick_us = 10000,
    .track_mm = 110,
    .left_step_mm = 0.5F,
    .right_step_mm = 0.5F,
    .encoder_bits = 16,
    .top_speed_mm_s = 700,
    .slowest_mm_s = 15,
    .acceleration_mm_s2 = 2000,
    .braking_mm_s2 = 3000,
    .lag_ms = 45,
    .lights = 2,
    .light =
        {{.ahead_mm = 70, .left_mm = 45, .spot_mm = 6, .delay_us = 10000, .interval_us = 10000},
         {.ahead_mm = 70, .left_mm = -45, .spot_mm = 6, .delay_us = 10000, .interval_us = 10000}},
};

// A reading over a surface where no shadow falls.
static double reading(const scene *s, double luminance) {
    const cmo_sim_light *sensor = &s->setup.plant.sensor[0];
    double light = luminance * (1.0 + sensor->ambient_share * s->setup.plant.ambient);
    return sensor->black_counts + (sensor->white_counts - sensor->black_counts) * light;
}

// What a user does: forty readings of each surface, levels from the darkest and the lightest.
static bool sample(scene *s) {
    float counts[SURFACES], spread[SURFACES];
    double span =
        fabs(s->setup.plant.sensor[0].white_counts - s->setup.plant.sensor[0].black_counts);
    for (int i = 0; i < SURFACES; i++) {
        cmo_level_taker taker;
        cmo_level_taker_start(&taker);
        for (int n = 0; n < 40; n++) {
            double counted = reading(s, s->deck.luminance[i]) + s->noise * span * normal();
            cmo_level_taker_add(&taker, (uint16_t)CLAMP(counted + 0.5, 0.0, 1023.0));
        }
        if (!cmo_level_taker_surface(&taker, &counts[i], &spread[i])) {
            return false;
        }
    }
    bool inverted = s->setup.plant.sensor[0].white_counts < s->setup.plant.sensor[0].black_counts;
    int dark = 0;
    int light = 0;
    for (int i = 1; i < SURFACES; i++) {
        dark = (counts[i] < counts[dark]) != inverted ? i : dark;
        light = (counts[i] > counts[light]) != inverted ? i : light;
    }
    s->levels = (cmo_levels){.dark = (uint16_t)(counts[dark] + 0.5F),
                             .light = (uint16_t)(counts[light] + 0.5F),
                             .void_counts = CMO_LEVEL_UNKNOWN,
                             .noise = (uint16_t)(fmaxf(spread[dark], spread[light]) + 0.5F)};
    if (!cmo_levels_usable(&s->levels)) {
        return false;
    }
    cmo_surface surfaces[SURFACES];
    float contrast = fabsf((float)s->levels.light - (float)s->levels.dark);
    for (int i = 0; i < SURFACES; i++) {
        surfaces[i].reflectance = ((float)counts[i] - (float)s->levels.dark) /
                                  ((float)s->levels.light - (float)s->levels.dark);
        surfaces[i].spread = spread[i] / contrast;
    }
    return cmo_choose_band(surfaces, SURFACES, LINE, (float)s->change, &s->choice);
}

static bool make(scene *s, uint64_t seed) {
    bits = seed * 0x9E3779B97F4A7C15U;
    even(0, 1);
    s->tone = even(0, 1) < 0.7 ? CMO_TONE_DARK : CMO_TONE_LIGHT;
    double line = s->tone == CMO_TONE_DARK ? even(0.02, 0.15) : even(0.6, 0.9);
    double ground = s->tone == CMO_TONE_DARK ? even(0.45, 0.9) : even(0.05, 0.3);
    s->deck.luminance[LINE] = line;
    s->deck.luminance[GROUND] = ground;
    s->deck.luminance[FIRST] = line + even(0.0, 1.0) * (ground - line);
    s->deck.luminance[SECOND] = line + even(0.0, 1.0) * (ground - line);
    s->noise = even(0.003, 0.015);
    s->description = robot_like_mozzo;
    bool inverted = even(0, 1) < 0.3;
    for (int i = 0; i < 2; i++) {
        s->description.light[i].dark_is_high = inverted;
    }
    s->setup = (cmo_sim_setup){
        .traits = CMO_TRAIT_ENCODERS | CMO_TRAIT_LOOK_TIMES | CMO_TRAIT_SPEED | CMO_TRAIT_COAST |
                  CMO_TRAIT_BRAKE,
        .x_mm = 150,
        .y_mm = 125,
    };
    cmo_sim_plant *p = &s->setup.plant;
    cmo_sim_plant_default(p, &s->description);
    cmo_sim_faults_none(&s->setup.faults);
    p->ambient = even(0.1, 0.6);
    double share =
        even(0, 1) < 0.5 ? even(0.01, 0.05) : even(0.1, 0.4); // lit minus unlit, or plain
    for (int i = 0; i < 2; i++) {
        p->sensor[i].noise = s->noise;
        p->sensor[i].ambient_share = share;
        p->sensor[i].black_counts = inverted ? 950 : 60;
        p->sensor[i].white_counts = inverted ? 250 : 760;
    }
    // All of the ambient light may go, or as much again come: that is the stated range.
    s->change = share * p->ambient;
    return sample(s);
}

// Shadows and a lamp's patch that wander over the deck while the robot drives.
static void wander(scene *s, int pass) {
    cmo_sim_plant *p = &s->setup.plant;
    p->shadows = 3;
    for (unsigned i = 0; i < p->shadows; i++) {
        p->shadow[i] = (cmo_sim_shadow){
            .x_mm = even(100, 800),
            .y_mm = even(-100, 350),
            .radius_mm = even(60, 250),
            .soft_mm = even(2, 60),
            .depth = i == 0 ? -even(0.3, 1.0) : even(0.3, 0.5), // two shadows may fall together
            .vx_mm_s = even(-300, 300),
            .vy_mm_s = even(-100, 100),
            .every_s = 2.0,
        };
    }
    s->setup.seed = (uint64_t)pass + 1;
    s->setup.heading_deg = even(-3, 3);
}

enum { RIGHT, FALSE_STOP, MISSED };

static int pass(scene *s, int number) {
    wander(s, number);
    cmo_sim *sim = cmo_sim_new(&s->setup);
    cmo_robot robot;
    cmo_robot_start(&robot, &s->description, cmo_sim_port(sim));
    cmo_levels levels = s->levels;
    if (s->tone == CMO_TONE_DARK) {
        levels.dark_threshold = cmo_counts_of(&levels, s->choice.band.high);
    } else {
        levels.light_threshold = cmo_counts_of(&levels, s->choice.band.low);
    }
    cmo_robot_set_levels(&robot, 0, &levels);
    cmo_robot_set_levels(&robot, 1, &levels);
    cmo_line_parameters parameters = {.tone = s->tone,
                                      .cruise_mm_s = (float)even(150, 500),
                                      .least_width_mm = 15,
                                      .longest_mm = 650,
                                      .ending = CMO_END_MOVING};
    cmo_outcome outcome = cmo_drive_until_line(&robot, &parameters);
    double at = 150.0 + 70.0 + (double)robot.report.crossing_mm;
    cmo_sim_free(sim);
    if (outcome != CMO_OUTCOME_DONE) {
        return MISSED;
    }
    return at < LINE_MM - 15.0 ? FALSE_STOP : RIGHT;
}

int main(int count, char **arguments) {
    int safe_floors = count > 1 ? CLAMP(atoi(arguments[1]), 4, 400) : 200;
    static scene s;
    enum { KINDS = 4 };
    static const char *const names[KINDS] = {
        "cannot be told apart (margin below -0.05)", "cannot be told apart (margin below 0)",
        "not safe (margin 0 to 0.05)", "safe (margin 0.05 and more)"};
    int floors[KINDS] = {0}, failing[KINDS] = {0}, passes[KINDS] = {0}, stops[KINDS] = {0},
        missed[KINDS] = {0};
    for (uint64_t seed = 1; floors[3] < safe_floors; seed++) {
        if (!make(&s, seed)) {
            continue;
        }
        int kind = s.choice.safe              ? 3
                   : s.choice.margin >= 0.0F  ? 2
                   : s.choice.margin > -0.05F ? 1
                                              : 0;
        if (kind < 3 && floors[kind] >= safe_floors / 4) {
            continue;
        }
        cmo_sim_mat *mat = cmo_sim_mat_from_function(1000, 250, 2, light_at, &s.deck);
        s.setup.mat = mat;
        int failed = 0;
        for (int i = 0; i < PASSES; i++) {
            int result = pass(&s, (int)(seed * PASSES) + i);
            stops[kind] += result == FALSE_STOP;
            missed[kind] += result == MISSED;
            failed += result != RIGHT;
        }
        floors[kind]++;
        failing[kind] += failed > 0;
        passes[kind] += PASSES;
        cmo_sim_mat_free(mat);
    }
    printf("Decorations under moving shadows, %d passes a floor\n\n%-44s%8s%8s%12s%8s%16s\n",
           PASSES, "", "floors", "passes", "false stops", "missed", "floors failing");
    for (int kind = KINDS - 1; kind >= 0; kind--) {
        printf("%-44s%8d%8d%12d%8d%12d %%\n", names[kind], floors[kind], passes[kind], stops[kind],
               missed[kind], floors[kind] > 0 ? 100 * failing[kind] / floors[kind] : 0);
    }
    bool good = stops[3] == 0 && missed[3] == 0;
    printf("%s\n", good ? "holds" : "misses");
    return good ? 0 : 1;
}
