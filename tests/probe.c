// SPDX-License-Identifier: GPL-3.0-or-later
// Prints the end of some runs to the last bit. However it is built, by whichever compiler, it must
// print the same.
#include <cammino/cammino.h>
#include <cammino_simulator/simulator.h>

#include <stdio.h>

static double light(void *data, double x_mm, double y_mm, unsigned *marks) {
    (void)data;
    double across = x_mm - 600 + 0.2 * (y_mm - 500);
    if (across >= 0 && across < 20) {
        *marks = 1U << CMO_SIM_LINE;
        return 0.05;
    }
    return 0.6;
}

static const cmo_robot_description description = {
    .tick_us = 8000,
    .track_mm = 110,
    .left_step_mm = 0.3F,
    .right_step_mm = 0.3F,
    .encoder_bits = 16,
    .top_speed_mm_s = 700,
    .slowest_mm_s = 15,
    .acceleration_mm_s2 = 2000,
    .braking_mm_s2 = 3000,
    .lag_ms = 45,
    .lights = 2,
    .light = {
        {.ahead_mm = 70, .left_mm = 45, .spot_mm = 6, .delay_us = 7000, .interval_us = 7000},
        {.ahead_mm = 70, .left_mm = -45, .spot_mm = 6, .delay_us = 7000, .interval_us = 7000}}};

// A robot with all that robots differ by.
static void widen(cmo_sim_plant *p) {
    p->regulator = CMO_SIM_PI;
    p->regulator_filter_ms = 8;
    p->electric_ms = 0.3;
    p->stick = 1.5;
    p->dead_backward = 1.2;
    p->ripple = 0.1;
    p->battery_deep = 0.1;
    p->eccentric = 0.01;
    p->encoder_wobble = 0.2;
    p->tyre_curve = CMO_SIM_ROUND;
    p->slide_grip = 0.8;
    p->side_creep = 0.05;
    p->centre_mm = -15;
    p->height_mm = 30;
    p->nose_mm = 0.1;
    p->flicker = 0.2;
    for (unsigned i = 0; i < p->sensors; i++) {
        cmo_sim_light *sensor = &p->sensor[i];
        sensor->footprint = CMO_SIM_BELL;
        sensor->lopsided = 0.2;
        sensor->bend = 0.03;
        sensor->lag_ms = 1;
        sensor->clock_off = 0.01;
        sensor->jitter_ms = 0.3;
        sensor->gain_wander = 0.01;
        sensor->cross_light = 0.01;
    }
}

int main(void) {
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1000, 1000, 1, light, NULL);
    for (uint64_t seed = 1; seed <= 8; seed++) {
        cmo_sim_setup setup = {.traits = CMO_TRAIT_ENCODERS | CMO_TRAIT_LOOK_TIMES |
                                         CMO_TRAIT_SPEED | CMO_TRAIT_COAST | CMO_TRAIT_BRAKE,
                               .mat = mat,
                               .x_mm = 150,
                               .y_mm = 500,
                               .seed = seed};
        cmo_sim_plant_default(&setup.plant, &description);
        if (seed > 5) {
            widen(&setup.plant);
        }
        cmo_sim_faults_none(&setup.faults);
        setup.faults.late_share = 0.2;
        setup.faults.late_ms = 3;
        cmo_sim *sim = cmo_sim_new(&setup);
        cmo_robot robot;
        cmo_robot_start(&robot, &description, cmo_sim_port(sim));
        cmo_levels levels = {
            .dark = 100, .light = 540, .void_counts = CMO_LEVEL_UNKNOWN, .noise = 8};
        cmo_robot_set_levels(&robot, 0, &levels);
        cmo_robot_set_levels(&robot, 1, &levels);
        cmo_line_parameters line = {.blind_mm = 150, .cruise_mm_s = 450, .creep_mm_s = 200};
        cmo_turn_parameters turn = {.angle_deg = 133};
        cmo_outcome first = cmo_stop_on_line(&robot, &line);
        printf("%a %a ", (double)robot.report.crossing_mm,
               (double)robot.report.figure[CMO_ENTRY_ANGLE_DEG]);
        cmo_outcome second = cmo_turn(&robot, &turn);
        cmo_sim_truth t = cmo_sim_truth_now(sim);
        printf("%d %d %a %a %a %a %a\n", first, second, t.x_mm, t.y_mm, t.heading_rad, t.way_mm,
               (double)robot.odometer.pose.heading_rad);
        cmo_sim_free(sim);
    }
    cmo_sim_mat_free(mat);
    return 0;
}
