// SPDX-License-Identifier: GPL-3.0-or-later
// How much a rest is worth: quick and fine ones, what halts teach, and lines that are expected.
#include "stop_runs.h"

#include <math.h>

static cmo_sim_mat *mat;

START_TEST(quick_stays_where_it_brakes_and_predicts_how_far_that_is) {
    for (int speed = 150; speed <= 600; speed += 150) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        cmo_line_parameters p = {.cruise_mm_s = (float)speed,
                                 .blind_mm = 150,
                                 .rest = CMO_REST_NEAR_EDGE,
                                 .effort = CMO_EFFORT_QUICK};
        bench_robot bench = stop(&setup, &plain_robot, &p);
        double rest = beyond(&bench, 700);
        double predicted = figure(&bench.robot, CMO_PREDICTED_OVERSHOOT_MM);
        ck_assert_double_gt(rest, 5.0); // it does not come back
        ck_assert_double_eq_tol(figure(&bench.robot, CMO_REST_ERROR_MM), rest, 2.0);
        ck_assert_msg(fabs(predicted - rest) <= 0.15 * rest + 0.5, "%g for %g at %d", predicted,
                      rest, speed);
        end_bench(&bench);
    }
}
END_TEST

START_TEST(fine_rests_finer_than_normal) {
    double squares[2] = {0.0, 0.0};
    for (int i = 0; i < 40; i++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        setup.seed = (uint64_t)(i / 2) + 1;
        cmo_line_parameters p = {.cruise_mm_s = 300,
                                 .blind_mm = 150,
                                 .rest = CMO_REST_NEAR_EDGE,
                                 .effort = i % 2 ? CMO_EFFORT_FINE : CMO_EFFORT_NORMAL};
        bench_robot bench = stop(&setup, &plain_robot, &p);
        squares[i % 2] += pow(beyond(&bench, 700), 2);
        end_bench(&bench);
    }
    ck_assert_double_lt(squares[1], squares[0]);
    ck_assert_double_lt(sqrt(squares[1] / 20.0), 0.35);
}
END_TEST

START_TEST(halts_teach_what_the_next_one_will_do) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    double off[3];
    for (int i = 0; i < 3; i++) {
        // Rolling out it goes much further than by braking, which is all it knows at first.
        cmo_line_parameters p = {
            .cruise_mm_s = 300, .blind_mm = 150, .least_width_mm = 10, .halt = CMO_HALT_COAST};
        ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &p), CMO_OUTCOME_DONE);
        off[i] = fabs(figure(&bench.robot, CMO_PREDICTED_OVERSHOOT_MM) / beyond(&bench, 700) - 1.0);
        double back = beyond(&bench, 700) + 430.0;
        cmo_advance(&bench.robot, &(cmo_advance_parameters){.distance_mm = (float)-back});
    }
    ck_assert_double_gt(off[0], 0.2);
    ck_assert_double_lt(off[2], 0.15);
    end_bench(&bench);
}
END_TEST

START_TEST(an_expected_line_is_met_slowly_and_an_unexpected_one_all_the_same) {
    double time_ms[2];
    for (int expected = 0; expected < 3; expected++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        cmo_line_parameters p = {.cruise_mm_s = 500,
                                 .blind_mm = 150,
                                 .rest = CMO_REST_NEAR_EDGE,
                                 .expected_mm = expected == 0   ? 0.0F
                                                : expected == 1 ? 430.0F
                                                                : 300};
        bench_robot bench = stop(&setup, &plain_robot, &p);
        ck_assert_double_le(fabs(beyond(&bench, 700)), 1.2);
        double speed = figure(&bench.robot, CMO_CROSSING_SPEED_MM_S);
        if (expected == 1) {
            ck_assert_double_lt(speed, 170.0);
            ck_assert_double_lt(figure(&bench.robot, CMO_OVERSHOOT_MM), 22.0);
        } else {
            ck_assert_double_gt(speed, 400.0);
        }
        if (expected < 2) {
            time_ms[expected] = figure(&bench.robot, CMO_ELAPSED_MS);
        }
        end_bench(&bench);
    }
    ck_assert_double_lt(time_ms[1], 1.15 * time_ms[0]); // foresight costs next to nothing
}
END_TEST

int main(void) {
    mat = make_floor(&one_line);
    const TTest *const tests[] = {
        quick_stays_where_it_brakes_and_predicts_how_far_that_is, fine_rests_finer_than_normal,
        halts_teach_what_the_next_one_will_do,
        an_expected_line_is_met_slowly_and_an_unexpected_one_all_the_same, NULL};
    int status = run_suite("effort", tests);
    cmo_sim_mat_free(mat);
    return status;
}
