// SPDX-License-Identifier: GPL-3.0-or-later
// The measured braking.
#include "ideal.h"
#include "support.h"

#include <math.h>
#include <string.h>

typedef struct measured {
    cmo_outcome outcome;
    cmo_braking braking;
    double least, most; // how far it went from its start, mm
    bool halted;
} measured;

static measured measure(const cmo_sim_setup *setup, const cmo_robot_description *description,
                        const cmo_measure_braking_parameters *parameters) {
    bench_robot bench;
    cmo_measure_braking_state state;
    start_bench(&bench, setup, description);
    way_reached went;
    follow_reach(&bench, &went);
    measured m = {.outcome = cmo_measure_braking(&bench.robot, &state, parameters)};
    m.braking = state.braking;
    m.least = went.least_mm;
    m.most = went.most_mm;
    m.halted = bench.robot.halt_done && bench.robot.halt != 0;
    end_bench(&bench);
    return m;
}

// The plain robot before a line of 20 mm, 130 mm from its sensors; tyres that roll and slide alike.
static cmo_sim_setup setup_with(const cmo_sim_mat *mat, double grip_m_s2) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    setup.x_mm = 500;
    setup.plant.grip_m_s2 = grip_m_s2;
    setup.plant.slide_grip = 1.0;
    return setup;
}

static const cmo_measure_braking_parameters usual = {0};

// ------------------------------------------------------------------------------------- measured --

// Down to what makes it slide by 30 mm a halt: by the wheels the line is elsewhere each time.
START_TEST(a_halt_that_slides_tells_the_grip) {
    static const double grips[] = {1.2, 2.0, 3.0, 4.0, 5.0};
    cmo_sim_mat *mat = make_floor(&one_line);
    unsigned within = 0;
    for (size_t i = 0; i < G_N_ELEMENTS(grips); i++) {
        cmo_sim_setup setup = setup_with(mat, grips[i]);
        measured m = measure(&setup, &plain_robot, &usual);
        ck_assert_int_eq(m.outcome, CMO_OUTCOME_DONE);
        ck_assert(m.halted);
        double grip = 1000.0 * grips[i];
        ck_assert_double_eq_tol(m.braking.grip_mm_s2, grip, 0.25 * grip);
        within += fabs((double)m.braking.grip_mm_s2 - grip) <= (double)m.braking.grip_error_mm_s2;
        ck_assert_float_eq_tol(m.braking.speed_mm_s, 400.0F, 8.0F);
        // Its limit of 3000 slides where the tyres pass on less.
        if (grips[i] < 2.5) {
            ck_assert_float_gt(m.braking.slid_mm, 4.0F);
        } else if (grips[i] > 3.5) {
            ck_assert_float_lt(fabsf(m.braking.slid_mm), 1.5F);
        }
    }
    ck_assert_uint_ge(within, 3);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(tyres_that_do_not_let_go_have_no_grip_to_tell) {
    cmo_sim_mat *mat = make_floor(&one_line);
    cmo_sim_setup setup = setup_with(mat, 20.0);
    measured m = measure(&setup, &plain_robot, &usual);
    ck_assert_int_eq(m.outcome, CMO_OUTCOME_DONE);
    ck_assert_float_eq(m.braking.grip_mm_s2, 0.0F);
    ck_assert_float_lt(fabsf(m.braking.halt_slid_mm), 1.5F);
    ck_assert_float_lt(fabsf(m.braking.slid_mm), 1.0F);
    cmo_robot_description d = plain_robot;
    cmo_braking_apply(&m.braking, &d);
    ck_assert_float_eq(d.braking_mm_s2, plain_robot.braking_mm_s2);
    ck_assert_float_eq(d.grip_mm_s2, 0.0F);
    cmo_sim_mat_free(mat);
}
END_TEST

// A joint of 5 mm lies before the line, and its run-up goes over that.
START_TEST(what_is_narrower_is_passed_over_and_the_floor_suffices) {
    const floor_plan plan = {0.6,
                             2,
                             {{.x_mm = 640, .width_mm = 5, .luminance = 0.1},
                              {.x_mm = 700, .width_mm = 20, .luminance = 0.05}}};
    cmo_sim_mat *mat = make_floor(&plan);
    cmo_sim_setup setup = setup_with(mat, 3.0);
    measured m = measure(&setup, &plain_robot, &usual);
    ck_assert_int_eq(m.outcome, CMO_OUTCOME_DONE);
    ck_assert_float_eq_tol(m.braking.grip_mm_s2, 3000.0F, 750.0F);
    ck_assert_double_gt(m.least, 130.0 - 250.0); // from the line on
    ck_assert_double_lt(m.most, 130.0 + 200.0);
    cmo_sim_mat_free(mat);
}
END_TEST

// Nor does the line count that it stands on from the start.
START_TEST(without_a_line_it_ends_halted) {
    cmo_sim_mat *mat = make_floor(&(floor_plan){.luminance = 0.6});
    cmo_sim_setup setup = setup_with(mat, 3.0);
    measured m =
        measure(&setup, &plain_robot, &(cmo_measure_braking_parameters){.longest_mm = 300});
    ck_assert_int_eq(m.outcome, CMO_OUTCOME_NO_LINE);
    ck_assert(m.halted);
    ck_assert_double_lt(m.most, 320.0);
    cmo_sim_mat_free(mat);
    mat = make_floor(&one_line);
    setup = setup_with(mat, 3.0);
    setup.x_mm = 640.0;
    m = measure(&setup, &plain_robot, &(cmo_measure_braking_parameters){.longest_mm = 300});
    ck_assert_int_eq(m.outcome, CMO_OUTCOME_NO_LINE);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(what_makes_no_sense_is_refused) {
    static const struct {
        cmo_measure_braking_parameters p;
        const char *field;
        float limit;
    } bad[] = {{{.rounds = 1}, "rounds", 2},           {{.rounds = 11}, "rounds", 10},
               {{.fast_mm_s = 100}, "fast_mm_s", 180}, {{.fast_mm_s = 701}, "fast_mm_s", 700},
               {{.fast_mm_s = NAN}, "fast_mm_s", 180}, {{.longest_mm = 7000}, "longest_mm", 6000}};
    ideal r;
    cmo_measure_braking_state state;
    start_ideal(&r, PLAIN_TRAITS);
    for (size_t i = 0; i < G_N_ELEMENTS(bad); i++) {
        ck_assert_int_eq(cmo_measure_braking_start(&r.robot, &state, &bad[i].p),
                         CMO_OUTCOME_BAD_PARAMETER);
        ck_assert_str_eq(r.robot.field, bad[i].field);
        ck_assert_float_eq(r.robot.limit, bad[i].limit);
    }
    r.description.top_speed_mm_s = 150;
    ck_assert_int_eq(cmo_measure_braking_start(&r.robot, &state, &usual),
                     CMO_OUTCOME_NOT_SUPPORTED);
    ck_assert_str_eq(r.robot.field, "top_speed_mm_s");
    start_ideal(&r, PLAIN_TRAITS & ~CMO_TRAIT_ENCODERS);
    ck_assert_int_eq(cmo_measure_braking_start(&r.robot, &state, &usual),
                     CMO_OUTCOME_NOT_SUPPORTED);
    ck_assert_str_eq(r.robot.field, "encoders");
    start_ideal(&r, PLAIN_TRAITS);
    r.robot.light[1].levels = (cmo_levels){0};
    ck_assert_int_eq(cmo_measure_braking_start(&r.robot, &state, &usual), CMO_OUTCOME_LOW_CONTRAST);
    ck_assert_uint_eq(r.paper.drives, 0);
}
END_TEST

// ----------------------------------------------------------------------------------------- used --

static const cmo_braking some = {.slid_mm = 5.0F,
                                 .halt_slid_mm = 12.0F,
                                 .slid_error_mm = 0.25F,
                                 .grip_mm_s2 = 3000.0F,
                                 .grip_error_mm_s2 = 400.0F,
                                 .speed_mm_s = 400.0F,
                                 .limit_mm_s2 = 3000.0F};

START_TEST(limits_come_within_the_grip) {
    cmo_robot_description d = plain_robot;
    cmo_braking_apply(&some, &d);
    ck_assert_float_eq(d.grip_mm_s2, 3000.0F);
    ck_assert_float_eq(d.braking_mm_s2, 2400.0F);
    ck_assert_float_eq(d.holds_mm_s, 0.0F);
    ck_assert_float_eq(d.acceleration_mm_s2, 2000.0F); // lower already
    cmo_braking holds = some; // by its limit it does not slide: no reason to brake later
    holds.slid_mm = 0.5F;
    d = plain_robot;
    cmo_braking_apply(&holds, &d);
    ck_assert_float_eq(d.grip_mm_s2, 3000.0F);
    ck_assert_float_eq(d.braking_mm_s2, plain_robot.braking_mm_s2);
    ck_assert_float_eq(d.holds_mm_s, 400.0F);
    // Measured again by the limit that it was given, it holds by that one, and not by what it had.
    holds.limit_mm_s2 = 1500.0F;
    cmo_braking_apply(&holds, &d);
    ck_assert_float_eq(d.braking_mm_s2, 1500.0F);
    ck_assert_float_eq(d.acceleration_mm_s2, 1500.0F);
    holds.grip_mm_s2 = 0.0F; // not met: what its user states is all that is known
    d.grip_mm_s2 = 4000.0F;
    cmo_braking_apply(&holds, &d);
    ck_assert_float_eq(d.grip_mm_s2, 4000.0F);
    cmo_drive drive = {.lag_ms = 40.0F, .ramp_mm_s2 = 1000.0F};
    d = plain_robot;
    cmo_drive_apply(&drive, &d); // a ramp says nothing of the tyres
    ck_assert_float_eq(d.braking_mm_s2, 600.0F);
    ck_assert_float_eq(d.stated_braking_mm_s2, plain_robot.braking_mm_s2);
    cmo_drive_apply(&drive, &d);
    ck_assert_float_eq(d.stated_braking_mm_s2, plain_robot.braking_mm_s2);
    paper_port paper;
    cmo_robot robot;
    start_paper(&paper, PLAIN_TRAITS);
    d.grip_mm_s2 = NAN;
    ck_assert_int_eq(cmo_robot_start(&robot, &d, &paper.port), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(robot.field, "grip_mm_s2");
}
END_TEST

// Tyres that are known to hold need no look at the edge, from beyond which it rests; but braked
// harder than that they are not known to.
START_TEST(what_holds_rests_beyond_an_edge_sooner) {
    cmo_sim_mat *mat = make_floor(&one_line);
    cmo_sim_setup setup = setup_with(mat, 6.0);
    double settled[3];
    for (int how = 0; how < 3; how++) {
        cmo_robot_description d = plain_robot;
        d.holds_mm_s = how > 0 ? 400.0F : 0.0F;
        d.braking_mm_s2 = how == 2 ? 2500.0F : d.braking_mm_s2;
        bench_robot bench;
        start_bench(&bench, &setup, &d);
        cmo_outcome outcome = cmo_stop_on_line(
            &bench.robot, &(cmo_line_parameters){.cruise_mm_s = 400,
                                                 .rest = CMO_REST_NEAR_EDGE,
                                                 .beyond_mm = 70,
                                                 .braking_mm_s2 = plain_robot.braking_mm_s2,
                                                 .too_fast = CMO_TOO_FAST_SLOW});
        ck_assert_int_eq(outcome, CMO_OUTCOME_DONE);
        settled[how] = (double)cmo_figure_or(&bench.robot.report, CMO_SETTLE_MS, NAN);
        double axle = cmo_sim_truth_now(bench.sim).x_mm;
        ck_assert_double_eq_tol(axle, 700.0, 1.5); // the sensors are as far ahead
        end_bench(&bench);
    }
    ck_assert_double_lt(settled[1], settled[0] - 200.0);
    ck_assert_double_lt(settled[1], settled[2] - 200.0);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(a_stored_braking_comes_back_and_a_damaged_one_is_refused) {
    uint8_t bytes[CMO_STORED_BRAKING_SIZE];
    cmo_braking back = {0};
    ck_assert_uint_eq(cmo_store_braking(&some, bytes, sizeof bytes - 1), 0);
    ck_assert_uint_eq(cmo_store_braking(&some, bytes, sizeof bytes), sizeof bytes);
    ck_assert(cmo_load_braking(&back, bytes, sizeof bytes));
    ck_assert_mem_eq(&back, &some, sizeof back);
    memset(&back, 0, sizeof back);
    const cmo_braking empty = back;
    for (size_t i = 0; i < sizeof bytes; i++) {
        bytes[i] ^= 0x10;
        ck_assert(!cmo_load_braking(&back, bytes, sizeof bytes));
        bytes[i] ^= 0x10;
        ck_assert(!cmo_load_braking(&back, bytes, i));
    }
    ck_assert_mem_eq(&back, &empty, sizeof back);
    cmo_drive drive = {.lag_ms = 40.0F}; // another thing's bytes
    uint8_t other[CMO_STORED_DRIVE_SIZE];
    cmo_store_drive(&drive, other, sizeof other);
    ck_assert(!cmo_load_braking(&back, other, sizeof other));
}
END_TEST

int main(void) {
    const TTest *const tests[] = {a_halt_that_slides_tells_the_grip,
                                  tyres_that_do_not_let_go_have_no_grip_to_tell,
                                  what_is_narrower_is_passed_over_and_the_floor_suffices,
                                  without_a_line_it_ends_halted,
                                  what_makes_no_sense_is_refused,
                                  limits_come_within_the_grip,
                                  what_holds_rests_beyond_an_edge_sooner,
                                  a_stored_braking_comes_back_and_a_damaged_one_is_refused,
                                  NULL};
    return run_suite("braking", tests);
}
