// SPDX-License-Identifier: GPL-3.0-or-later
// The wiring check.
#include "support.h"

#include <math.h>
#include <string.h>

START_TEST(every_fault_is_found_and_named_and_nothing_else) {
    for (unsigned fault = 0; fault < CMO_FINDINGS; fault++) {
        if (fault == CMO_FINDING_NO_LINE || fault == CMO_FINDING_CURVED) {
            continue;
        }
        for (uint64_t seed = 1; seed <= SEEDS(5); seed++) {
            lab_route *route = load_sound("data/ferry/check-wiring.yaml");
            const char *name = cmo_finding_name((cmo_finding)fault);
            ck_assert(lab_robot_break(route->robot, name, NULL));
            lab_leg_result leg;
            lab_run *run = drive_first(route, seed, &leg);
            ck_assert_msg(leg.findings == CMO_FINDING_BIT(fault), "%s, seed %d: %x", name,
                          (int)seed, leg.findings);
            ck_assert_int_eq(leg.outcome, CMO_OUTCOME_WIRING_WRONG);
            lab_run_free(run);
            lab_route_free(route);
        }
    }
}
END_TEST

START_TEST(a_healthy_robot_is_found_healthy_and_ends_about_where_it_began) {
    lab_route *route = load_sound("data/ferry/check-wiring.yaml");
    for (uint64_t seed = 1; seed <= SEEDS(30); seed++) {
        lab_leg_result leg;
        lab_run *run = drive_first(route, seed, &leg);
        ck_assert_uint_eq(leg.findings, 0);
        ck_assert_int_eq(leg.outcome, CMO_OUTCOME_DONE);
        for (int i = 0; i < 2; i++) {
            ck_assert_double_eq_tol(leg.interval_ms[i], 10.0, 0.5);
            ck_assert_double_eq_tol(leg.delay_ms[i], 10.0, 6.0);
            // The demo robot's delays truly lie within a millisecond of what is stated, mostly.
            double known_ms = hypot(leg.delay_error_ms[i], 1.0);
            ck_assert_double_eq_tol(leg.delay_ms[i], 10.0, 3.5 * known_ms);
            ck_assert_double_lt(leg.delay_error_ms[i], 5.0);
            ck_assert_double_gt(leg.delay_error_ms[i], 0.5);
        }
        const lab_row *last = &g_array_index(run->rows, lab_row, run->rows->len - 1);
        ck_assert_double_eq_tol(last->true_x_mm, route->x_mm, 20.0);
        ck_assert_double_eq_tol(last->true_y_mm, route->y_mm, 20.0);
        lab_run_free(run);
    }
    lab_route_free(route);
}
END_TEST

// One motor weaker than the other, on a port that takes duty: it does not drive straight.
START_TEST(a_robot_that_drives_a_curve_by_itself_is_told) {
    for (uint64_t seed = 1; seed <= SEEDS(5); seed++) {
        lab_route *route = load_sound("data/ferry/check-wiring.yaml");
        lab_robot *robot = route->robot;
        robot->traits &= (uint16_t)~CMO_TRAIT_SPEED;
        robot->description.full_duty_mm_s = 980;
        robot->description.dead_duty = 0.02F;
        robot->plant.no_load_mm_s = 980;
        robot->plant.strength_spread = 0;
        robot->plant.left_strength = 0.6;
        lab_leg_result leg;
        lab_run *run = drive_first(route, seed, &leg);
        ck_assert_int_eq(leg.outcome, CMO_OUTCOME_WIRING_WRONG);
        ck_assert_uint_eq(leg.findings, CMO_FINDING_BIT(CMO_FINDING_CURVED));
        ck_assert_double_gt(leg.curve_deg_m, 0.0); // to the left, where the weak motor is
        lab_run_free(run);
        lab_route_free(route);
    }
}
END_TEST

// Spots near each other, and at a slant: one sensor sees the line first whichever wheel swings.
START_TEST(sensors_close_together_are_told_apart_at_a_slant) {
    for (int i = 0; i < 8; i++) {
        lab_route *route = load_sound("data/ferry/check-wiring.yaml");
        route->robot->description.track_mm = 180.0F;
        route->robot->plant.track_mm = 180.0;
        route->heading_deg += i % 2 == 0 ? 9.0 : -9.0;
        for (int n = 0; n < 2; n++) {
            float aside = n == 0 ? 10.0F : -10.0F;
            route->robot->description.light[n].left_mm = aside;
            route->robot->plant.sensor[n].left_mm = (double)aside;
        }
        bool swapped = i >= 4;
        if (swapped) {
            ck_assert(lab_robot_break(route->robot, "lights_swapped", NULL));
        }
        lab_leg_result leg;
        lab_run_free(drive_first(route, 1 + (uint64_t)i, &leg));
        uint32_t found = swapped ? CMO_FINDING_BIT(CMO_FINDING_LIGHTS_SWAPPED) : 0;
        ck_assert_msg(leg.findings == found, "%d: %x", i, leg.findings);
        lab_route_free(route);
    }
}
END_TEST

START_TEST(two_faults_at_once_are_both_named) {
    lab_route *route = load_sound("data/ferry/check-wiring.yaml");
    ck_assert(lab_robot_break(route->robot, "left_motor_reversed", NULL));
    ck_assert(lab_robot_break(route->robot, "right_encoder_silent", NULL));
    lab_leg_result leg;
    lab_run_free(drive_first(route, 1, &leg));
    ck_assert_uint_eq(leg.findings, CMO_FINDING_BIT(CMO_FINDING_LEFT_MOTOR_REVERSED) |
                                        CMO_FINDING_BIT(CMO_FINDING_RIGHT_ENCODER_SILENT));
    lab_route_free(route);
}
END_TEST

START_TEST(without_a_line_in_reach_light_is_not_judged) {
    lab_route *route = load_sound("data/ferry/check-wiring.yaml");
    route->x_mm = 200;
    lab_leg_result leg;
    lab_run_free(drive_first(route, 1, &leg));
    ck_assert_uint_eq(leg.findings, CMO_FINDING_BIT(CMO_FINDING_NO_LINE));
    lab_route_free(route);
}
END_TEST

START_TEST(a_light_line_and_a_robot_without_encoders_do_too) {
    static const floor_plan light_line = {0.06, 1, {STRIPE(500, 20, 0, 0.7, CMO_SIM_LINE)}};
    cmo_sim_mat *mat = make_floor(&light_line);
    cmo_sim_setup setup =
        plain_setup(&plain_robot, (uint16_t)(PLAIN_TRAITS & ~CMO_TRAIT_ENCODERS), mat);
    setup.x_mm = 500 - 70 - 15;
    static cmo_check_wiring_state state;
    cmo_check_wiring_parameters parameters = {.tone = CMO_TONE_LIGHT};
    for (int swapped = 0; swapped < 2; swapped++) {
        setup.faults.motors_swapped = swapped;
        bench_robot bench;
        start_bench(&bench, &setup, &plain_robot);
        cmo_outcome outcome = cmo_check_wiring(&bench.robot, &state, &parameters);
        ck_assert_int_eq(outcome, swapped ? CMO_OUTCOME_WIRING_WRONG : CMO_OUTCOME_DONE);
        ck_assert_uint_eq(state.findings,
                          swapped ? CMO_FINDING_BIT(CMO_FINDING_MOTORS_SWAPPED) : 0U);
        // What the robot believed of its sensors it still does.
        cmo_levels levels = fitting_levels(&setup, 0.05, 0.6);
        ck_assert_mem_eq(&bench.robot.light[0].levels, &levels, sizeof levels);
        end_bench(&bench);
    }
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(an_aborted_check_halts_and_leaves_the_levels_alone) {
    cmo_sim_mat *mat = make_floor(&one_line);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    setup.x_mm = 700 - 70 - 15;
    static cmo_check_wiring_state state;
    cmo_check_wiring_parameters parameters = {0};
    for (int ticks = 20; ticks < 1200; ticks += 60) {
        bench_robot bench;
        start_bench(&bench, &setup, &plain_robot);
        cmo_levels before = bench.robot.light[0].levels;
        ck_assert_int_eq(cmo_check_wiring_start(&bench.robot, &state, &parameters), CMO_RUNNING);
        cmo_outcome outcome = CMO_RUNNING;
        for (int i = 0; i < ticks && outcome == CMO_RUNNING; i++) {
            outcome = cmo_tick(&bench.robot);
            cmo_wait(&bench.robot);
        }
        cmo_abort(&bench.robot);
        cmo_tick(&bench.robot);
        ck_assert(outcome == CMO_OUTCOME_DONE || bench.robot.report.outcome == CMO_OUTCOME_ABORTED);
        ck_assert_mem_eq(&bench.robot.light[0].levels, &before, sizeof before);
        cmo_sim_pass(bench.sim, 400);
        ck_assert(cmo_sim_halted(bench.sim));
        end_bench(&bench);
    }
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(the_names_of_faults_are_checked) {
    lab_route *route = load_sound("data/ferry/check-wiring.yaml");
    GError *error = NULL;
    ck_assert(!lab_robot_break(route->robot, "left_motor_revrsed", &error));
    ck_assert_ptr_nonnull(strstr(error->message, "'left_motor_revrsed' is not one of: "));
    g_clear_error(&error);
    lab_route_free(route);
    for (unsigned i = 0; i < CMO_FINDINGS; i++) {
        ck_assert_str_ne(cmo_finding_name((cmo_finding)i), "?");
        ck_assert_uint_gt(strlen(cmo_finding_text((cmo_finding)i)), 20);
    }
    ck_assert_str_eq(cmo_finding_name(CMO_FINDINGS), "?");
}
END_TEST

int main(void) {
    const TTest *const tests[] = {every_fault_is_found_and_named_and_nothing_else,
                                  a_healthy_robot_is_found_healthy_and_ends_about_where_it_began,
                                  a_robot_that_drives_a_curve_by_itself_is_told,
                                  sensors_close_together_are_told_apart_at_a_slant,
                                  two_faults_at_once_are_both_named,
                                  without_a_line_in_reach_light_is_not_judged,
                                  a_light_line_and_a_robot_without_encoders_do_too,
                                  an_aborted_check_halts_and_leaves_the_levels_alone,
                                  the_names_of_faults_are_checked,
                                  NULL};
    return run_suite("wiring", tests);
}
