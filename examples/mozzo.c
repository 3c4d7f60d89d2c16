// SPDX-License-Identifier: MIT
#include "mozzo.h"

#include <cammino_simulator/simulator.h>
#include <stdio.h>
#include <stdlib.h>

const cmo_robot_description mozzo = {
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

const cmo_levels mozzo_levels[2] = {
    {.dark = 83, .light = 556, .void_counts = CMO_LEVEL_UNKNOWN, .noise = 8},
    {.dark = 83, .light = 556, .void_counts = CMO_LEVEL_UNKNOWN, .noise = 8},
};

const cmo_port *mozzo_port(void) {
    GError *error = NULL;
    cmo_sim_mat *mat = cmo_sim_mat_load(MAT_FILE, NULL, &error);
    if (mat == NULL) {
        fprintf(stderr, "%s\n", error->message);
        exit(2);
    }
    cmo_sim_setup setup = {
        .traits = CMO_TRAIT_ENCODERS | CMO_TRAIT_LOOK_TIMES | CMO_TRAIT_SPEED | CMO_TRAIT_COAST |
                  CMO_TRAIT_BRAKE | CMO_TRAIT_HOLD,
        .mat = mat,
        .x_mm = 150,
        .y_mm = 611,
        .seed = 1,
    };
    cmo_sim_plant_default(&setup.plant, &mozzo);
    for (unsigned i = 0; i < setup.plant.eyes; i++) {
        setup.plant.eye[i].black_counts = 61;
        setup.plant.eye[i].white_counts = 848;
    }
    cmo_sim_faults_none(&setup.faults);
    return cmo_sim_port(cmo_sim_new(&setup)); // both live until the program ends
}
