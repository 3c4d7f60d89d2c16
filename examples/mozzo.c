// SPDX-License-Identifier: MIT
#include "mozzo.h"

#include <cammino_simulator/simulator.h>
#include <stdio.h>
#include <stdlib.h>

// The spots' place to either side is by which the two robot files of this robot differ.
#define SPOT(side_mm)                                                                              \
    { .ahead_mm = 70, .left_mm = (side_mm), .spot_mm = 6, .delay_us = 10000, .interval_us = 10000 }
#define COLOUR_SPOT(side_mm)                                                                       \
    {                                                                                              \
        .ahead_mm = 70, .left_mm = (side_mm), .spot_mm = 6, .delay_us = 10000,                     \
        .interval_us = 10000, .colour = true                                                       \
    }
#define MOZZO_OF(...)                                                                              \
    {                                                                                              \
        .tick_us = 10000, .track_mm = 110, .tyre_mm = 8, .rear_mm = 63, .left_step_mm = 0.5F,      \
        .right_step_mm = 0.5F, .encoder_bits = 16, .top_speed_mm_s = 700, .slowest_mm_s = 15,      \
        .acceleration_mm_s2 = 2000, .braking_mm_s2 = 3000, .lag_ms = 45, .lights = 2,              \
        .light = {__VA_ARGS__},                                                                    \
    }
#define MOZZO(side_mm) MOZZO_OF(SPOT(side_mm), SPOT(-(side_mm)))

const cmo_robot_description mozzo = MOZZO(45);
const cmo_robot_description mozzo_yard = MOZZO(64);
const cmo_robot_description mozzo_colour = MOZZO_OF(COLOUR_SPOT(45), COLOUR_SPOT(-45));

const cmo_levels mozzo_levels[2] = {
    {.dark = 83, .light = 556, .void_counts = CMO_LEVEL_UNKNOWN, .noise = 8},
    {.dark = 83, .light = 556, .void_counts = CMO_LEVEL_UNKNOWN, .noise = 8},
};

const cmo_levels mozzo_yard_levels[2] = {
    {.dark = 83, .light = 556, .void_counts = 61, .noise = 8},
    {.dark = 83, .light = 556, .void_counts = 61, .noise = 8},
};

// What lives until the program ends is never freed.
static const cmo_port *start(const char *mat_file, const cmo_robot_description *description,
                             uint16_t traits, cmo_sim_setup *setup) {
    GError *error = NULL;
    const cmo_sim_mat_options options = {.colour = description->light[0].colour};
    setup->mat = cmo_sim_mat_load(mat_file, &options, &error);
    if (setup->mat == NULL) {
        fprintf(stderr, "%s\n", error->message);
        exit(2);
    }
    setup->traits =
        (uint16_t)(traits | CMO_TRAIT_ENCODERS | CMO_TRAIT_LOOK_TIMES | CMO_TRAIT_SPEED |
                   CMO_TRAIT_COAST | CMO_TRAIT_BRAKE | CMO_TRAIT_HOLD);
    setup->seed = 1;
    cmo_sim_plant_default(&setup->plant, description);
    for (unsigned i = 0; i < setup->plant.sensors; i++) {
        setup->plant.sensor[i].black_counts = 61;
        setup->plant.sensor[i].white_counts = 848;
    }
    cmo_sim_faults_none(&setup->faults);
    return cmo_sim_port(cmo_sim_new(setup));
}

const cmo_port *mozzo_port(void) {
    cmo_sim_setup setup = {.x_mm = 150, .y_mm = 611};
    return start(DATA "/car-deck.svg", &mozzo, 0, &setup);
}

const cmo_port *mozzo_gangway_port(void) {
    cmo_sim_setup setup = {.x_mm = 150, .y_mm = 260};
    return start(DATA "/gangway.svg", &mozzo, 0, &setup);
}

const cmo_port *mozzo_lane_port(void) {
    cmo_sim_setup setup = {.x_mm = 130, .y_mm = 260};
    return start(DATA "/lane.svg", &mozzo, 0, &setup);
}

const cmo_port *mozzo_saloon_port(void) {
    cmo_sim_setup setup = {.x_mm = 120, .y_mm = 250};
    return start(DATA "/saloon.svg", &mozzo, 0, &setup);
}

const cmo_port *mozzo_lane_crate_port(void) {
    cmo_sim_setup setup = {
        .x_mm = 130,
        .y_mm = 280,
        .objects = 1,
        .object = {{.x_mm = 1000, .y_mm = 520, .radius_mm = 60, .mass_kg = 3, .friction_n = 12}}};
    return start(DATA "/lane.svg", &mozzo_yard, CMO_TRAIT_RANGE, &setup);
}

const cmo_port *mozzo_cargo_port(void) {
    cmo_sim_setup setup = {
        .x_mm = 150,
        .y_mm = 300,
        .objects = 1,
        .object = {{.x_mm = 1880, .y_mm = 300, .radius_mm = 90, .mass_kg = 5, .friction_n = 20}}};
    return start(DATA "/cargo.svg", &mozzo_colour, CMO_TRAIT_TOUCH, &setup);
}

const cmo_port *mozzo_top_deck_port(void) {
    cmo_sim_setup setup = {.x_mm = 500, .y_mm = 480, .heading_deg = 25};
    return start(DATA "/top-deck.svg", &mozzo_yard, 0, &setup);
}

const cmo_port *mozzo_yard_port(void) {
    cmo_sim_setup setup = {
        .x_mm = 700,
        .y_mm = 350,
        .heading_deg = 180,
        .start_pressed_ms = 500,
        .objects = 2,
        .object = {{.x_mm = 980, .y_mm = 900, .radius_mm = 45, .mass_kg = 0.2, .friction_n = 0.8},
                   {.x_mm = 420, .y_mm = 820, .radius_mm = 45, .mass_kg = 0.2, .friction_n = 0.8}}};
    return start(DATA "/yard.svg", &mozzo_yard, CMO_TRAIT_RANGE | CMO_TRAIT_START, &setup);
}

bool mozzo_keep(const char *name, const uint8_t *bytes, size_t size) {
    FILE *file = fopen(name, "wb");
    bool good = file != NULL && fwrite(bytes, 1, size, file) == size;
    return (file == NULL || fclose(file) == 0) && good;
}

size_t mozzo_kept(const char *name, uint8_t *bytes, size_t size) {
    FILE *file = fopen(name, "rb");
    size_t there = file != NULL ? fread(bytes, 1, size, file) : 0;
    if (file != NULL) {
        fclose(file);
    }
    return there;
}
