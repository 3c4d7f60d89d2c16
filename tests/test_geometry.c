// SPDX-License-Identifier: GPL-3.0-or-later
// The geometry that a robot measures by driving.
#include "support.h"

#include <math.h>
#include <string.h>

// A robot with plain spots, which are where they are stated: of lopsided ones, what is measured is
// where they see an edge.
START_TEST(one_drive_over_two_lines_measures_the_robot) {
    lab_route *route = load_sound("data/ferry/measure-geometry.yaml");
    lab_robot_free(route->robot);
    route->robot = lab_robot_load("data/ferry/mozzo-plain.yaml", NULL);
    ck_assert_ptr_nonnull(route->robot);
    cmo_sim_plant *p = &route->robot->plant;
    p->wheel_spread = p->place_spread_mm = p->delay_spread_ms = 0.0;
    p->left_wheel = 1.003;
    p->right_wheel = 0.998;
    p->track_mm = 111.5;
    p->sensor[0].ahead_mm += 0.8;
    p->sensor[1].ahead_mm -= 0.6;
    p->sensor[1].left_mm -= 0.7;
    p->sensor[0].delay_ms += 1.2;
    for (uint64_t seed = 1; seed <= SEEDS(5); seed++) {
        lab_leg_result leg;
        lab_run *run = drive_first(route, seed, &leg);
        const cmo_geometry *g = &leg.geometry;
        ck_assert_int_eq(leg.outcome, CMO_OUTCOME_DONE);
        // Bars of the project; the delay within four of its own uncertainties.
        ck_assert_double_eq_tol((double)(g->ahead_mm[0] - g->ahead_mm[1]), 1.4, 0.2);
        ck_assert_double_eq_tol((double)(g->left_mm[0] - g->left_mm[1]), 90.7, 0.5);
        ck_assert_double_eq_tol((double)g->track_mm, 111.5, 0.003 * 111.5);
        ck_assert_double_eq_tol((double)(g->right_step_mm / g->left_step_mm), 0.998 / 1.003, 0.001);
        ck_assert_double_eq_tol((double)g->left_step_mm, 0.5 * 1.003, 0.002 * 0.5);
        ck_assert_double_eq_tol((double)g->delay_ms[0], 11.2, 4.0 * (double)g->delay_error_ms);
        ck_assert_double_eq_tol((double)g->delay_ms[1], 10.0, 4.0 * (double)g->delay_error_ms);
        ck_assert_float_gt(g->mismatch_error_mm, 0.01F);
        ck_assert_float_lt(g->mismatch_error_mm, 0.2F);
        lab_run_free(run);
    }
    lab_route_free(route);
}
END_TEST

// A drive that pulls to one side and to the other in turn, more slowly than the robot corrects.
static struct {
    cmo_port inner;
    double period_s;
} pulled;

static cmo_status drive_pulled(void *sim, float left, float right, uint32_t lifetime_us) {
    double at = pulled.inner.clock(sim) * 1e-6 / pulled.period_s;
    float pull = left + right > 50.0F ? (float)(30.0 * sin(2.0 * G_PI * at)) : 0.0F;
    return pulled.inner.drive(sim, left + pull, right - pull, lifetime_us);
}

// What the wheels count as a turn is none of the wheels' ratio.
START_TEST(a_robot_that_does_not_drive_quite_straight_measures_its_wheels) {
    lab_route *route = load_sound("data/ferry/measure-geometry.yaml");
    cmo_sim_setup setup = {.traits = route->robot->traits,
                           .plant = route->robot->plant,
                           .mat = route->mat,
                           .x_mm = route->x_mm,
                           .y_mm = route->y_mm,
                           .heading_deg = route->heading_deg};
    cmo_sim_faults_none(&setup.faults);
    setup.plant.wheel_spread = 0.0;
    setup.plant.left_wheel = setup.plant.right_wheel = 1.0;
    for (int i = 0; i < 5; i++) {
        bench_robot bench;
        setup.seed = 1 + (uint64_t)i;
        start_bench(&bench, &setup, &route->robot->description);
        pulled.inner = *cmo_sim_port(bench.sim);
        pulled.period_s = 2.0 + 0.7 * i;
        cmo_port port = pulled.inner;
        port.drive = drive_pulled;
        bench.robot.port = &port;
        static cmo_measure_geometry_state state;
        ck_assert_int_eq(cmo_measure_geometry(&bench.robot, &state,
                                              &(cmo_measure_geometry_parameters){.lines_mm = 400}),
                         CMO_OUTCOME_DONE);
        const cmo_geometry *g = &state.geometry;
        double ratio = (double)(g->right_step_mm / g->left_step_mm);
        ck_assert_msg(fabs(ratio - 1.0) < 3.0 * (double)g->ratio_error && g->ratio_error < 0.001F,
                      "%d: %g +- %g", i, ratio, (double)g->ratio_error);
        end_bench(&bench);
    }
    lab_route_free(route);
}
END_TEST

START_TEST(a_measured_robot_drives_truer) {
    lab_route *route = load_sound("data/ferry/measure-geometry.yaml");
    cmo_sim_plant *p = &route->robot->plant;
    p->wheel_spread = p->place_spread_mm = p->delay_spread_ms = 0.0;
    p->left_wheel = 1.004;
    p->right_wheel = 0.996;
    p->track_mm = 112.0;
    lab_leg_result leg;
    lab_run_free(drive_first(route, 3, &leg));
    double off[2] = {0.0, 0.0}; // mean of three squares
    cmo_sim_mat *mat = make_floor(&one_line);
    for (int n = 0; n < 6; n++) {
        int measured = n % 2;
        cmo_robot_description description = route->robot->description;
        if (measured) {
            cmo_geometry_apply(&leg.geometry, &description);
        }
        cmo_sim_setup setup = {.traits = route->robot->traits,
                               .plant = *p,
                               .mat = mat,
                               .x_mm = 200,
                               .y_mm = 500,
                               .seed = 4 + (uint64_t)n / 2};
        cmo_sim_faults_none(&setup.faults);
        bench_robot bench;
        start_bench(&bench, &setup, &description);
        for (int i = 0; i < 4; i++) { // a square
            cmo_advance(&bench.robot, &(cmo_advance_parameters){.distance_mm = 300});
            cmo_turn(&bench.robot, &(cmo_turn_parameters){.angle_deg = 90});
        }
        cmo_sim_truth truth = cmo_sim_truth_now(bench.sim);
        off[measured] += hypot(truth.x_mm - 200.0, truth.y_mm - 500.0) / 3.0;
        end_bench(&bench);
    }
    ck_assert_double_gt(off[0], 15.0);
    ck_assert_double_lt(off[1], 0.25 * off[0]);
    cmo_sim_mat_free(mat);
    lab_route_free(route);
}
END_TEST

START_TEST(geometry_needs_two_lines_encoders_and_levels) {
    cmo_sim_mat *mat = make_floor(&one_line);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    static cmo_measure_geometry_state state;
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_measure_geometry_parameters parameters = {.longest_mm = 900};
    ck_assert_int_eq(cmo_measure_geometry(&bench.robot, &state, &parameters), CMO_OUTCOME_NO_LINE);
    static const struct {
        cmo_measure_geometry_parameters parameters;
        const char *field;
    } wrong[] = {{{.tone = CMO_TONE_VOID}, "tone"},  {{.lines_mm = 50}, "lines_mm"},
                 {{.slant_deg = 60}, "slant_deg"},   {{.speed_mm_s = 600}, "speed_mm_s"},
                 {{.fast_mm_s = 120}, "fast_mm_s"},  {{.rounds = 30}, "rounds"},
                 {{.longest_mm = 100}, "longest_mm"}};
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); i++) {
        ck_assert_int_eq(cmo_measure_geometry_start(&bench.robot, &state, &wrong[i].parameters),
                         CMO_OUTCOME_BAD_PARAMETER);
        ck_assert_str_eq(bench.robot.field, wrong[i].field);
    }
    end_bench(&bench);
    setup.traits = (uint16_t)(PLAIN_TRAITS & ~CMO_TRAIT_ENCODERS);
    start_bench(&bench, &setup, &plain_robot);
    ck_assert_int_eq(cmo_measure_geometry(&bench.robot, &state, &parameters),
                     CMO_OUTCOME_NOT_SUPPORTED);
    ck_assert_str_eq(bench.robot.field, "encoders");
    end_bench(&bench);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(a_stored_geometry_comes_back_and_a_damaged_one_is_refused) {
    cmo_geometry geometry = {.left_step_mm = 0.501F,
                             .track_mm = 110.7F,
                             .delay_ms = {9.5F, 10.5F},
                             .size_error = NAN,
                             .delay_error_ms = 0.6F};
    cmo_geometry back = {0};
    uint8_t bytes[CMO_STORED_GEOMETRY_SIZE];
    ck_assert_uint_eq(cmo_store_geometry(&geometry, bytes, sizeof bytes - 1), 0);
    ck_assert_uint_eq(cmo_store_geometry(&geometry, bytes, sizeof bytes), sizeof bytes);
    ck_assert(cmo_load_geometry(&back, bytes, sizeof bytes));
    ck_assert_mem_eq(&back, &geometry, sizeof back);
    back.track_mm = 1.0F;
    for (size_t i = 0; i < sizeof bytes; i++) {
        bytes[i] ^= 0x10;
        ck_assert(!cmo_load_geometry(&back, bytes, sizeof bytes));
        bytes[i] ^= 0x10;
        ck_assert(!cmo_load_geometry(&back, bytes, i));
    }
    ck_assert_float_eq(back.track_mm, 1.0F);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {one_drive_over_two_lines_measures_the_robot,
                                  a_robot_that_does_not_drive_quite_straight_measures_its_wheels,
                                  a_measured_robot_drives_truer,
                                  geometry_needs_two_lines_encoders_and_levels,
                                  a_stored_geometry_comes_back_and_a_damaged_one_is_refused,
                                  NULL};
    return run_suite("geometry", tests);
}
