// SPDX-License-Identifier: GPL-3.0-or-later
// The measured drive.
#include "ideal.h"
#include "support.h"

#include <math.h>
#include <string.h>

// What a robot of this plant measures; `least` to `most`: how far it went from its start, mm.
typedef struct measured {
    cmo_outcome outcome;
    cmo_drive drive;
    double least, most, end;
    bool halted;
} measured;

static measured measure(const cmo_sim_setup *setup, const cmo_robot_description *description,
                        const cmo_measure_drive_parameters *parameters) {
    bench_robot bench;
    cmo_measure_drive_state state;
    start_bench(&bench, setup, description);
    way_reached went;
    follow_reach(&bench, &went);
    measured m = {.outcome = cmo_measure_drive(&bench.robot, &state, parameters)};
    m.drive = state.drive;
    m.least = went.least_mm;
    m.most = went.most_mm;
    m.end = cmo_sim_truth_now(bench.sim).x_mm - 200.0;
    m.halted = bench.robot.halt_done && bench.robot.halt != 0;
    end_bench(&bench);
    return m;
}

static cmo_sim_setup setup_with(const cmo_sim_mat *mat, double lag_ms, double ramp_mm_s2) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    setup.plant.motor_lag_ms = lag_ms;
    setup.plant.regulator_ramp_mm_s2 = ramp_mm_s2;
    return setup;
}

static const cmo_measure_drive_parameters usual = {0};

// ------------------------------------------------------------------------------------- measured --

START_TEST(a_lag_and_a_ramp_are_told_apart) {
    static const double lags[] = {25, 45, 90};
    static const double ramps[] = {0, 1500, 3000};
    cmo_sim_mat *mat = make_floor(&(floor_plan){.luminance = 0.6});
    for (size_t i = 0; i < G_N_ELEMENTS(lags); i++) {
        for (size_t n = 0; n < G_N_ELEMENTS(ramps); n++) {
            cmo_sim_setup setup = setup_with(mat, lags[i], ramps[n]);
            measured m = measure(&setup, &plain_robot, &usual);
            ck_assert_int_eq(m.outcome, CMO_OUTCOME_DONE);
            ck_assert(m.halted);
            // A command comes into force a millisecond later.
            double off = (double)m.drive.lag_ms - lags[i] - 1.0;
            ck_assert_msg(fabs(off) < 3.0 * (double)m.drive.lag_error_ms,
                          "lag %g, ramp %g: %g +- %g", lags[i], ramps[n], (double)m.drive.lag_ms,
                          (double)m.drive.lag_error_ms);
            ck_assert(m.drive.lag_error_ms < 6.0F);
            double ramp = (double)m.drive.ramp_mm_s2;
            ck_assert_msg(fabs(ramp - ramps[n]) <= 0.1 * ramps[n], "ramp %g: %g", ramps[n], ramp);
            ck_assert(ramps[n] == 0.0 ||
                      fabs(ramp - ramps[n]) < 3.0 * (double)m.drive.ramp_error_mm_s2);
            for (int wheel = 0; wheel < 2; wheel++) {
                ck_assert_float_eq_tol(m.drive.wheel_lag_ms[wheel], m.drive.lag_ms, 6.0F);
                ck_assert_float_eq_tol(m.drive.ratio[wheel], 1.0F, 0.02F);
            }
        }
    }
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(a_regulator_that_catches_up_trails_by_little) {
    cmo_sim_mat *mat = make_floor(&(floor_plan){.luminance = 0.6});
    cmo_sim_setup setup = setup_with(mat, 60, 0);
    setup.plant.regulator = CMO_SIM_PI;
    measured m = measure(&setup, &plain_robot, &usual);
    ck_assert_int_eq(m.outcome, CMO_OUTCOME_DONE);
    ck_assert(m.drive.lag_ms < 15.0F);
    ck_assert_float_eq(m.drive.ramp_mm_s2, 0.0F);
    // And one that takes duty: the robot's own control is part of what is measured.
    cmo_robot_description duty = plain_robot;
    duty.full_duty_mm_s = 1000;
    duty.dead_duty = 0.03F;
    setup = plain_setup(&duty, DUTY_TRAITS, mat);
    m = measure(&setup, &duty, &usual);
    ck_assert_int_eq(m.outcome, CMO_OUTCOME_DONE);
    ck_assert_float_eq_tol(m.drive.lag_ms, 46.0F, 10.0F);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(coarse_encoders_show_no_ramp_that_is_not_there) {
    cmo_sim_mat *mat = make_floor(&(floor_plan){.luminance = 0.6});
    cmo_robot_description coarse = plain_robot;
    coarse.left_step_mm = coarse.right_step_mm = 2;
    unsigned seen = 0;
    for (unsigned seed = 1; seed <= SEEDS(8); seed++) {
        cmo_sim_setup setup = plain_setup(&coarse, PLAIN_TRAITS, mat);
        setup.plant.encoder_wobble = 0.2;
        setup.seed = seed;
        measured m = measure(&setup, &coarse, &(cmo_measure_drive_parameters){.rounds = 1});
        ck_assert_int_eq(m.outcome, CMO_OUTCOME_DONE);
        seen += m.drive.ramp_mm_s2 > 0.0F;
        ck_assert_msg(fabs((double)m.drive.lag_ms - 46.0) < 3.0 * (double)m.drive.lag_error_ms,
                      "%g +- %g ms", (double)m.drive.lag_ms, (double)m.drive.lag_error_ms);
    }
    ck_assert_uint_eq(seen, 0);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(what_a_regulator_sums_up_does_not_count_as_the_least) {
    cmo_sim_mat *mat = make_floor(&(floor_plan){.luminance = 0.6});
    cmo_robot_description believes = plain_robot;
    believes.slowest_mm_s = 0;
    cmo_sim_setup setup = setup_with(mat, 45, 0);
    setup.plant.regulator_slowest_mm_s = 0;
    setup.plant.dead_mm_s = 20; // which its feed-forward knows
    setup.plant.stick = 3;      // and this it does not: it takes some time to sum it up
    measured m = measure(&setup, &believes, &usual);
    ck_assert_int_eq(m.outcome, CMO_OUTCOME_DONE);
    for (int wheel = 0; wheel < 2; wheel++) {
        ck_assert(m.drive.ahead_mm_s[wheel] > 25.0F && m.drive.back_mm_s[wheel] > 25.0F);
        ck_assert(m.drive.keeps_mm_s[wheel] < m.drive.ahead_mm_s[wheel]);
    }
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(it_finds_the_least_that_turns_the_wheels) {
    cmo_sim_mat *mat = make_floor(&(floor_plan){.luminance = 0.6});
    cmo_robot_description believes = plain_robot;
    believes.slowest_mm_s = 0;
    for (int slowest = 12; slowest <= 48; slowest += 18) {
        cmo_sim_setup setup = setup_with(mat, 45, 0);
        setup.plant.regulator_slowest_mm_s = slowest;
        measured m = measure(&setup, &believes, &usual);
        ck_assert_int_eq(m.outcome, CMO_OUTCOME_DONE);
        for (int wheel = 0; wheel < 2; wheel++) {
            float low = (float)slowest - 0.5F; // rounded by the regulator
            ck_assert(m.drive.ahead_mm_s[wheel] >= low && m.drive.ahead_mm_s[wheel] < low + 6.0F);
            ck_assert(m.drive.back_mm_s[wheel] >= low && m.drive.back_mm_s[wheel] < low + 6.0F);
            ck_assert(m.drive.keeps_mm_s[wheel] >= low - 0.1F &&
                      m.drive.keeps_mm_s[wheel] < low + 6.0F);
        }
    }
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(it_stays_on_the_floor_that_it_asks_for) {
    cmo_sim_mat *mat = make_floor(&(floor_plan){.luminance = 0.6});
    static const float lags[] = {0, 45, 500};
    for (size_t i = 0; i < G_N_ELEMENTS(lags); i++) {
        cmo_robot_description believes = plain_robot;
        believes.lag_ms = lags[i];
        cmo_sim_setup setup = setup_with(mat, 90, 1500);
        measured m = measure(&setup, &believes, &usual);
        ck_assert_int_eq(m.outcome, CMO_OUTCOME_DONE);
        ck_assert_msg(m.least > -100.0 && m.most < 600.0, "%g to %g mm", m.least, m.most);
        ck_assert(fabs(m.end) < 100.0);
    }
    // Slower, it needs less of it.
    cmo_sim_setup setup = setup_with(mat, 45, 0);
    measured slow = measure(&setup, &plain_robot,
                            &(cmo_measure_drive_parameters){.fast_mm_s = 150, .rounds = 1});
    ck_assert_int_eq(slow.outcome, CMO_OUTCOME_DONE);
    ck_assert(slow.most < 200.0);
    ck_assert_float_eq_tol(slow.drive.lag_ms, 46.0F, 8.0F);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(a_wheel_that_does_not_start_ends_it_halted) {
    cmo_sim_mat *mat = make_floor(&(floor_plan){.luminance = 0.6});
    cmo_sim_setup setup = setup_with(mat, 45, 0);
    setup.faults.right_dead = true;
    measured m = measure(&setup, &plain_robot, &usual);
    ck_assert_int_eq(m.outcome, CMO_OUTCOME_STALLED);
    ck_assert(m.halted);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(wheels_that_do_not_get_faster_end_it_halted) {
    ideal r;
    cmo_measure_drive_state state;
    start_ideal(&r, PLAIN_TRAITS);
    r.fastest_mm_s = 90;
    cmo_outcome outcome = run_ideal(&r, cmo_measure_drive_start(&r.robot, &state, &usual), 20000);
    ck_assert_int_eq(outcome, CMO_OUTCOME_STALLED);
    ck_assert(r.paper.halted);
    // As fast as they are told, they measure what the tick makes of it: nothing else.
    start_ideal(&r, PLAIN_TRAITS);
    outcome = run_ideal(&r, cmo_measure_drive_start(&r.robot, &state, &usual), 20000);
    ck_assert_int_eq(outcome, CMO_OUTCOME_DONE);
    ck_assert_float_eq_tol(state.drive.lag_ms, 0.0F, 2.0F);
    ck_assert_float_eq(state.drive.ramp_mm_s2, 0.0F);
}
END_TEST

START_TEST(what_makes_no_sense_is_refused) {
    static const struct {
        cmo_measure_drive_parameters p;
        const char *field;
        float limit;
    } bad[] = {{{.rounds = 11}, "rounds", 10},
               {{.fast_mm_s = 30}, "fast_mm_s", 40},
               {{.fast_mm_s = 701}, "fast_mm_s", 700},
               {{.fast_mm_s = NAN}, "fast_mm_s", 40}};
    ideal r;
    cmo_measure_drive_state state;
    start_ideal(&r, PLAIN_TRAITS);
    for (size_t i = 0; i < G_N_ELEMENTS(bad); i++) {
        ck_assert_int_eq(cmo_measure_drive_start(&r.robot, &state, &bad[i].p),
                         CMO_OUTCOME_BAD_PARAMETER);
        ck_assert_str_eq(r.robot.field, bad[i].field);
        ck_assert_float_eq(r.robot.limit, bad[i].limit);
    }
    r.description.top_speed_mm_s = 50;
    ck_assert_int_eq(cmo_measure_drive_start(&r.robot, &state, &usual), CMO_OUTCOME_NOT_SUPPORTED);
    ck_assert_str_eq(r.robot.field, "top_speed_mm_s");
    start_ideal(&r, PLAIN_TRAITS & ~CMO_TRAIT_ENCODERS);
    ck_assert_int_eq(cmo_measure_drive_start(&r.robot, &state, &usual), CMO_OUTCOME_NOT_SUPPORTED);
    ck_assert_str_eq(r.robot.field, "encoders");
    ck_assert_uint_eq(r.paper.drives, 0);
}
END_TEST

// ----------------------------------------------------------------------------------------- used --

static const cmo_drive some = {.lag_ms = 61.5F,
                               .lag_error_ms = 2.5F,
                               .wheel_lag_ms = {60, 63},
                               .ramp_mm_s2 = 2000,
                               .ramp_error_mm_s2 = 70,
                               .ahead_mm_s = {12.5F, 15},
                               .back_mm_s = {10, 22.5F},
                               .keeps_mm_s = {5, 7.5F},
                               .ratio = {0.99F, 1.01F}};

START_TEST(what_was_measured_goes_into_the_description) {
    cmo_robot_description d = plain_robot;
    d.acceleration_mm_s2 = 1100;
    cmo_drive_apply(&some, &d);
    ck_assert_float_eq(d.lag_ms, 61.5F);
    ck_assert(d.lag_measured);
    ck_assert_float_eq(d.slowest_mm_s, 22.5F);
    ck_assert_float_eq_tol(d.braking_mm_s2, 1200.0F, 0.1F);
    ck_assert_float_eq(d.acceleration_mm_s2, 1100.0F);
    cmo_drive none = some;
    none.ramp_mm_s2 = 0;
    d = plain_robot;
    cmo_drive_apply(&none, &d);
    ck_assert_float_eq(d.braking_mm_s2, plain_robot.braking_mm_s2);
}
END_TEST

// The command of the second tick of an advance: the speed by then, and what it leads by.
static float second_command(bool known) {
    ideal r;
    start_ideal(&r, PLAIN_TRAITS);
    r.description.lag_ms = 60;
    r.description.lag_measured = known;
    cmo_advance_state advance;
    cmo_advance_parameters p = {.distance_mm = 500};
    ck_assert_int_eq(cmo_advance_start(&r.robot, &advance, &p), CMO_RUNNING);
    turn(&r, 10000);
    turn(&r, 10000);
    return r.robot.left.command_mm_s;
}

START_TEST(a_lag_that_is_measured_is_led_by_from_the_first_move_on) {
    float stated = second_command(false);
    float measured_lag = second_command(true);
    // 2000 mm/s2 for 60 ms less the 0.6 ticks that a command is held.
    ck_assert_float_eq_tol(measured_lag - stated, 2000.0F * 0.054F, 5.0F);
}
END_TEST

// Time and rest of a stop on the line from 300 mm/s.
static void stop(const cmo_sim_setup *setup, const cmo_robot_description *d, double *ms,
                 double *off_mm) {
    bench_robot bench;
    start_bench(&bench, setup, d);
    cmo_line_parameters p = {.cruise_mm_s = 300, .least_width_mm = 20, .rest = CMO_REST_NEAR_EDGE};
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &p), CMO_OUTCOME_DONE);
    cmo_sim_truth end = cmo_sim_truth_now(bench.sim);
    *ms = end.time_ms - find_crossing(bench.sim, 0, CMO_SIM_LINE)->at.time_ms;
    *off_mm = end.x_mm + 70.0 - 700.0;
    end_bench(&bench);
}

START_TEST(a_robot_with_a_ramp_stops_sooner_once_it_has_measured_it) {
    cmo_sim_mat *mat = make_floor(&one_line);
    double stated = 0.0;
    double known = 0.0;
    for (int ramp = 1500; ramp <= 2500; ramp += 500) {
        cmo_sim_setup setup = setup_with(mat, 60, ramp);
        cmo_robot_description d = plain_robot;
        d.lag_ms = 130; // as a step's answer to 63 % of it has shown
        measured m = measure(&setup, &d, &usual);
        ck_assert_int_eq(m.outcome, CMO_OUTCOME_DONE);
        double ms, off;
        stop(&setup, &d, &ms, &off);
        stated += ms;
        cmo_drive_apply(&m.drive, &d);
        stop(&setup, &d, &ms, &off);
        known += ms;
        ck_assert_msg(fabs(off) < 1.0, "ramp %d: %g mm off", ramp, off);
    }
    ck_assert_msg(known < 0.9 * stated && known < 3.0 * 1000.0, "%g ms, %g before", known, stated);
    // One that knows no ramp finds out that its wheels run on.
    ck_assert_msg(stated < 3.0 * 1200.0, "%g ms", stated);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(a_stored_drive_comes_back_and_a_damaged_one_is_refused) {
    uint8_t bytes[CMO_STORED_DRIVE_SIZE];
    cmo_drive back = {0};
    ck_assert_uint_eq(cmo_store_drive(&some, bytes, sizeof bytes - 1), 0);
    ck_assert_uint_eq(cmo_store_drive(&some, bytes, sizeof bytes), sizeof bytes);
    ck_assert(cmo_load_drive(&back, bytes, sizeof bytes));
    ck_assert_mem_eq(&back, &some, sizeof back);
    memset(&back, 0, sizeof back);
    const cmo_drive empty = back;
    for (size_t i = 0; i < sizeof bytes; i++) {
        bytes[i] ^= 0x10;
        ck_assert(!cmo_load_drive(&back, bytes, sizeof bytes));
        bytes[i] ^= 0x10;
        ck_assert(!cmo_load_drive(&back, bytes, i));
    }
    ck_assert_mem_eq(&back, &empty, sizeof back);
    cmo_geometry geometry; // another thing's bytes
    uint8_t other[CMO_STORED_GEOMETRY_SIZE];
    memset(&geometry, 0, sizeof geometry);
    cmo_store_geometry(&geometry, other, sizeof other);
    ck_assert(!cmo_load_drive(&back, other, sizeof other));
}
END_TEST

int main(void) {
    const TTest *const tests[] = {a_lag_and_a_ramp_are_told_apart,
                                  a_regulator_that_catches_up_trails_by_little,
                                  coarse_encoders_show_no_ramp_that_is_not_there,
                                  what_a_regulator_sums_up_does_not_count_as_the_least,
                                  it_finds_the_least_that_turns_the_wheels,
                                  it_stays_on_the_floor_that_it_asks_for,
                                  a_wheel_that_does_not_start_ends_it_halted,
                                  wheels_that_do_not_get_faster_end_it_halted,
                                  what_makes_no_sense_is_refused,
                                  what_was_measured_goes_into_the_description,
                                  a_lag_that_is_measured_is_led_by_from_the_first_move_on,
                                  a_robot_with_a_ramp_stops_sooner_once_it_has_measured_it,
                                  a_stored_drive_comes_back_and_a_damaged_one_is_refused,
                                  NULL};
    return run_suite("drive", tests);
}
