// SPDX-License-Identifier: GPL-3.0-or-later
// Levels from readings, the routine that takes them, and their stored form.
#include "support.h"

#include <math.h>
#include <string.h>

// Numbers that are the same in every run: Park and Miller's generator.
static uint32_t state;

static double even(void) {
    state = (uint32_t)((uint64_t)state * 48271U % 2147483647U);
    return state / 2147483647.0;
}

static double normal(void) {
    double sum = -6.0;
    for (int i = 0; i < 12; i++) {
        sum += even();
    }
    return sum;
}

typedef struct sensor_floor {
    double dark, light, noise; // counts
    double dark_share;         // of the readings
    double edge_share;         // readings from across an edge
    double glitch_share;
    double counts_max;
    int readings;
} sensor_floor;

static cmo_levels_fault take(const sensor_floor *f, cmo_levels *levels) {
    cmo_level_taker taker;
    cmo_level_taker_start(&taker);
    for (int i = 0; i < f->readings; i++) {
        double reading = even() < f->dark_share ? f->dark : f->light;
        if (even() < f->edge_share) {
            double u = 2.0 * even() - 1.0; // a spot somewhere across the edge
            double q = 0.5 + (u * sqrt(1.0 - u * u) + asin(u)) / G_PI;
            reading = f->dark + q * (f->light - f->dark);
        }
        reading += f->noise * normal();
        if (even() < f->glitch_share) {
            reading = even() * f->counts_max;
        }
        cmo_level_taker_add(&taker, (uint16_t)CLAMP(reading + 0.5, 0.0, f->counts_max));
    }
    *levels = (cmo_levels){CMO_LEVEL_UNKNOWN, CMO_LEVEL_UNKNOWN, CMO_LEVEL_UNKNOWN, 0};
    return cmo_level_taker_finish(&taker, f->dark > f->light, (uint16_t)f->counts_max, levels);
}

START_TEST(levels_are_true_to_two_per_cent_on_a_thousand_random_floors) {
    state = 12345;
    for (int i = 0; i < 1000; i++) {
        sensor_floor f = {.counts_max = i % 3 ? 1023 : 4095, .readings = 400 + (int)(500 * even())};
        double span = f.counts_max * (0.25 + 0.65 * even()); // contrast
        double low = f.counts_max * 0.03 + (f.counts_max * 0.94 - span) * even();
        bool inverted = i % 2;
        f.dark = inverted ? low + span : low;
        f.light = inverted ? low : low + span;
        f.noise = span * fmin(0.03, 0.03 * even() + 0.001);
        // At least 48 readings of a surface: the mean of fewer is itself not true to 2 % at 3 %
        // noise.
        f.dark_share = 0.12 + 0.76 * even();
        // Readings from across an edge, up to as many as of the rarer surface.
        f.edge_share = even() * fmin(0.25, fmin(f.dark_share, 1.0 - f.dark_share));
        f.glitch_share = 0.005 * even();
        cmo_levels levels;
        cmo_levels_fault fault = take(&f, &levels);
        ck_assert_msg(fault == CMO_LEVELS_GOOD, "floor %d: %s", i, cmo_levels_fault_name(fault));
        double dark = fabs(levels.dark - f.dark) / span;
        double light = fabs(levels.light - f.light) / span;
        double middle = fabs(0.5 * (levels.dark + levels.light) - 0.5 * (f.dark + f.light)) / span;
        ck_assert_msg(dark < 0.02 && light < 0.02 && middle < 0.02,
                      "floor %d: dark %g light %g of the contrast", i, dark, light);
        ck_assert_double_le(levels.noise, 2.0 * f.noise + 0.03 * span);
    }
}
END_TEST

START_TEST(no_floor_that_must_be_refused_is_accepted) {
    state = 777;
    static const char *const kinds[] = {"one surface", "low contrast", "noisy",
                                        "saturated",   "silent",       "glitches"};
    for (int i = 0; i < 1000; i++) {
        int kind = i % 6;
        double low = 100 + 500 * even();
        sensor_floor f = {.counts_max = 1023,
                          .readings = 300,
                          .dark_share = 0.1 + 0.8 * even(),
                          .dark = low,
                          .light = low + 300,
                          .noise = 1 + 8 * even()};
        if (kind == 0) {
            f.light = f.dark;
        } else if (kind == 1) {
            f.light = f.dark + 14 * even();
            f.noise = 0.3;
        } else if (kind == 2) {
            f.noise = 300 * (0.075 + 0.2 * even()); // 4 sigma above a quarter of the contrast
        } else if (kind == 3) {
            f.light = 1060 + 30 * even();
        } else if (kind == 4) {
            f.readings = (int)(20 * even());
        } else {
            f.light = f.dark;
            f.glitch_share = 0.012;
        }
        cmo_levels levels;
        cmo_levels_fault fault = take(&f, &levels);
        ck_assert_msg(fault != CMO_LEVELS_GOOD, "%d: %s is accepted: %u %u %u", i, kinds[kind],
                      levels.dark, levels.light, levels.noise);
        ck_assert(kind != 0 || fault == CMO_LEVELS_ONE_SURFACE);
        ck_assert(kind != 3 || fault == CMO_LEVELS_SATURATED);
        ck_assert(kind != 4 || fault == CMO_LEVELS_SILENT);
    }
}
END_TEST

START_TEST(any_order_and_range_of_readings_is_taken) {
    static const uint16_t extremes[] = {0, 65535, 65534, 1, 32768, 40000, 3};
    cmo_level_taker taker;
    cmo_levels levels;
    cmo_level_taker_start(&taker);
    state = 5;
    for (int i = 0; i < 200000; i++) { // far more than a count can hold
        uint16_t reading = i % 1000 ? (uint16_t)(i % 2 ? 20000 : 50000)
                                    : extremes[(unsigned)i / 1000 % G_N_ELEMENTS(extremes)];
        cmo_level_taker_add(&taker, reading);
    }
    ck_assert_int_eq(cmo_level_taker_finish(&taker, false, 0, &levels), CMO_LEVELS_GOOD);
    ck_assert_uint_le(levels.dark, 20200);
    ck_assert_uint_ge(levels.dark, 19800);
    ck_assert_uint_le(levels.light, 50200);
    ck_assert_uint_ge(levels.light, 49800);
}
END_TEST

// --------------------------------------------------------------------------------- the routine --

static bench_robot fresh_robot(const cmo_sim_setup *setup,
                               const cmo_robot_description *description) {
    bench_robot bench;
    bench.sim = cmo_sim_new(setup);
    cmo_robot_start(&bench.robot, description, cmo_sim_port(bench.sim));
    return bench;
}

START_TEST(the_routine_takes_the_levels_and_ends_where_it_began) {
    cmo_sim_mat *mat = make_floor(&one_line);
    for (int inverted = 0; inverted < 2; inverted++) {
        cmo_robot_description description = plain_robot;
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        setup.x_mm = 560; // the spots 70 mm before the line
        for (unsigned i = 0; i < 2 && inverted; i++) {
            description.light[i].dark_is_high = true;
            setup.plant.sensor[i].black_counts = 900;
            setup.plant.sensor[i].white_counts = 100;
        }
        bench_robot bench = fresh_robot(&setup, &description);
        cmo_take_levels_parameters parameters = {.distance_mm = 0};
        ck_assert_int_eq(cmo_take_levels(&bench.robot, &(cmo_take_levels_state){0}, &parameters),
                         CMO_OUTCOME_DONE);
        cmo_levels fitting = fitting_levels(&setup, 0.05, 0.6);
        double span = fabs((double)fitting.light - fitting.dark);
        for (int i = 0; i < 2; i++) {
            const cmo_levels *levels = &bench.robot.light[i].levels;
            ck_assert_double_eq_tol(levels->dark, fitting.dark, 0.02 * span);
            ck_assert_double_eq_tol(levels->light, fitting.light, 0.02 * span);
        }
        ck_assert_double_lt(fabs(cmo_sim_truth_now(bench.sim).speed_mm_s), 1.0); // it stands
        ck_assert_double_eq_tol(cmo_sim_truth_now(bench.sim).x_mm, 560, 2.0);
        ck_assert(cmo_sim_halted(bench.sim));
        cmo_line_parameters seek = {.cruise_mm_s = 150, .least_width_mm = 15};
        ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &seek), CMO_OUTCOME_DONE);
        end_bench(&bench);
    }
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(the_routine_refuses_what_is_no_line_and_keeps_the_old_levels) {
    static const floor_plan bare = {.luminance = 0.6};
    cmo_sim_mat *mat = make_floor(&bare);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_levels before = bench.robot.light[0].levels;
    cmo_take_levels_state take_state;
    cmo_take_levels_parameters parameters = {.distance_mm = -100, .speed_mm_s = 150};
    ck_assert_int_eq(cmo_take_levels_start(&bench.robot, &take_state, &parameters), CMO_RUNNING);
    ck_assert_int_eq(cmo_run(&bench.robot), CMO_OUTCOME_LOW_CONTRAST);
    ck_assert_int_eq(take_state.fault[0], CMO_LEVELS_ONE_SURFACE);
    ck_assert_str_eq(bench.robot.field, "levels");
    ck_assert_mem_eq(&before, &bench.robot.light[0].levels, sizeof before);
    end_bench(&bench);

    setup.faults.light_silent_at_ms[1] = 0;
    start_bench(&bench, &setup, &plain_robot);
    ck_assert_int_eq(cmo_take_levels(&bench.robot, &take_state, &parameters),
                     CMO_OUTCOME_SENSOR_SILENT);
    cmo_take_levels_parameters wrong = {.distance_mm = 5};
    ck_assert_int_eq(cmo_take_levels(&bench.robot, &take_state, &wrong), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(bench.robot.field, "distance_mm");
    end_bench(&bench);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(a_sensor_that_sees_half_of_the_other_is_named) {
    cmo_sim_mat *mat = make_floor(&one_line);
    for (unsigned dim = 0; dim < 2; dim++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        setup.x_mm = 560;
        setup.plant.sensor[dim].white_counts = 300;
        bench_robot bench = fresh_robot(&setup, &plain_robot);
        cmo_take_levels_state take_state;
        cmo_take_levels_parameters parameters = {.distance_mm = 0};
        ck_assert_int_eq(cmo_take_levels_start(&bench.robot, &take_state, &parameters),
                         CMO_RUNNING);
        ck_assert_int_eq(cmo_run(&bench.robot), CMO_OUTCOME_LOW_CONTRAST);
        ck_assert_int_eq(take_state.fault[dim], CMO_LEVELS_UNLIKE);
        ck_assert_int_eq(take_state.fault[1 - dim], CMO_LEVELS_GOOD);
        ck_assert_str_eq(bench.robot.field, "levels");
        ck_assert_uint_eq(bench.robot.light[0].levels.dark, CMO_LEVEL_UNKNOWN); // none is taken
        end_bench(&bench);
    }
    cmo_sim_mat_free(mat);
}
END_TEST

// --------------------------------------------------------------------------------- stored form --

START_TEST(stored_levels_come_back_and_damaged_ones_are_refused) {
    paper_port paper;
    cmo_robot robot, other;
    uint8_t bytes[CMO_STORED_LEVELS_SIZE];
    start_paper(&paper, PLAIN_TRAITS);
    cmo_robot_start(&robot, &plain_robot, &paper.port);
    cmo_robot_start(&other, &plain_robot, &paper.port);
    cmo_levels left = {100, 700, 60, 6};
    cmo_levels right = {650, 80, CMO_LEVEL_UNKNOWN, 9};
    cmo_robot_set_levels(&robot, 0, &left);
    cmo_robot_set_levels(&robot, 1, &right);
    ck_assert_uint_eq(cmo_store_levels(&robot, bytes, sizeof bytes - 1), 0);
    ck_assert_uint_eq(cmo_store_levels(&robot, bytes, sizeof bytes), sizeof bytes);
    ck_assert_int_eq(cmo_load_levels(&other, bytes, sizeof bytes), CMO_OUTCOME_DONE);
    ck_assert_mem_eq(&other.light[0].levels, &left, sizeof left);
    ck_assert_mem_eq(&other.light[1].levels, &right, sizeof right);
    cmo_robot_start(&other, &plain_robot, &paper.port);
    for (size_t i = 0; i < sizeof bytes; i++) {
        for (int bit = 0; bit < 8; bit++) {
            bytes[i] ^= (uint8_t)(1U << bit);
            ck_assert_int_ne(cmo_load_levels(&other, bytes, sizeof bytes), CMO_OUTCOME_DONE);
            bytes[i] ^= (uint8_t)(1U << bit);
        }
        ck_assert_int_ne(cmo_load_levels(&other, bytes, i), CMO_OUTCOME_DONE);
    }
    uint8_t empty[CMO_STORED_LEVELS_SIZE];
    memset(empty, 0xFF, sizeof empty); // an EEPROM that was never written
    ck_assert_int_eq(cmo_load_levels(&other, empty, sizeof empty), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(other.field, "mark");
    ck_assert_uint_eq(other.light[0].levels.dark, CMO_LEVEL_UNKNOWN);
    bytes[1] = 9;
    cmo_load_levels(&other, bytes, sizeof bytes);
    ck_assert_str_eq(other.field, "version");
}
END_TEST

int main(void) {
    const TTest *const tests[] = {levels_are_true_to_two_per_cent_on_a_thousand_random_floors,
                                  no_floor_that_must_be_refused_is_accepted,
                                  any_order_and_range_of_readings_is_taken,
                                  the_routine_takes_the_levels_and_ends_where_it_began,
                                  a_sensor_that_sees_half_of_the_other_is_named,
                                  the_routine_refuses_what_is_no_line_and_keeps_the_old_levels,
                                  stored_levels_come_back_and_damaged_ones_are_refused,
                                  NULL};
    return run_suite("levels", tests);
}
