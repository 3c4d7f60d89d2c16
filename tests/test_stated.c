// SPDX-License-Identifier: GPL-3.0-or-later
// Where a line truly is sets the pose.
#include "support.h"

#include <glib.h>
#include <math.h>

static cmo_sim_mat *mat;

START_TEST(a_stated_line_sets_the_pose_and_tells_what_is_left_over) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    setup.x_mm = 430;
    setup.heading_deg = 20;
    static const cmo_rest rests[] = {CMO_REST_NEAR_EDGE, CMO_REST_CENTRE, CMO_REST_FAR_EDGE};
    double squares[G_N_ELEMENTS(rests)] = {0.0};
    for (size_t i = 0; i < 8 * G_N_ELEMENTS(rests); i++) {
        cmo_rest rest = rests[i / 8];
        setup.seed = i % 8 + 1;
        bench_robot bench;
        start_bench(&bench, &setup, &plain_robot);
        cmo_robot_set_pose(&bench.robot, 450, 490, 380 + 7); // off by 20 mm and 7 degrees
        cmo_square_on_line_state state;
        cmo_stated_line line = {.x_mm = 700, .y_mm = 100};
        cmo_left_over left = {9.0F, 9.0F};
        ck_assert(!cmo_take_pose(&bench.robot, &state.line, &line, &left)); // nothing has ended
        cmo_square_on_line_parameters p = {.cruise_mm_s = 250, .rest = rest};
        ck_assert_int_eq(cmo_square_on_line_start(&bench.robot, &state, &p), CMO_RUNNING);
        ck_assert_int_eq(cmo_run(&bench.robot), CMO_OUTCOME_DONE);
        ck_assert(cmo_take_pose(&bench.robot, &state.line, &line, &left));
        cmo_sim_truth truth = cmo_sim_truth_now(bench.sim);
        const cmo_pose *pose = &bench.robot.odometer.pose;
        double heading = (double)pose->heading_rad * 180.0 / G_PI - 360.0; // whole turns stay
        squares[i / 8] += pow(heading - truth.heading_rad * 180.0 / G_PI, 2.0);
        ck_assert_double_eq_tol((double)pose->x_mm, truth.x_mm, 0.8);
        ck_assert_float_eq(left.ahead_mm, (float)figure(&bench.robot, CMO_REST_ERROR_MM));
        ck_assert_float_eq(left.turn_deg, (float)figure(&bench.robot, CMO_RESIDUAL_ANGLE_DEG));
        // Along the line odometry has the last word.
        ck_assert_double_gt(fabs((double)pose->y_mm - truth.y_mm), 5.0);
        cmo_advance(&bench.robot, &(cmo_advance_parameters){.distance_mm = 20});
        ck_assert(!cmo_take_pose(&bench.robot, &state.line, &line, NULL));
        end_bench(&bench);
    }
    // On from an edge to the centre only the encoders know.
    ck_assert_double_lt(sqrt(squares[0] / 8.0), 0.12);
    ck_assert_double_lt(sqrt(squares[1] / 8.0), 0.35);
    ck_assert_double_lt(sqrt(squares[2] / 8.0), 0.12);
}
END_TEST

START_TEST(a_stop_where_the_halt_leaves_it_sets_the_pose_too) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    setup.x_mm = 430;
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_robot_set_pose(&bench.robot, 410, 490, 0);
    cmo_line_state state;
    cmo_line_parameters p = {.sensor = CMO_SENSOR_BOTH, .cruise_mm_s = 250};
    ck_assert_int_eq(cmo_stop_on_line_start(&bench.robot, &state, &p), CMO_RUNNING);
    ck_assert_int_eq(cmo_run(&bench.robot), CMO_OUTCOME_DONE);
    cmo_stated_line line = {.x_mm = 700, .y_mm = 100};
    ck_assert(cmo_take_pose(&bench.robot, &state, &line, NULL));
    ck_assert_double_eq_tol((double)bench.robot.odometer.pose.x_mm,
                            cmo_sim_truth_now(bench.sim).x_mm, 4.0); // the halt slides
    end_bench(&bench);
}
END_TEST

START_TEST(a_stated_line_may_lie_anywhere_and_in_any_direction) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    setup.x_mm = 500;
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_square_on_line_state state;
    cmo_square_on_line_parameters p = {.cruise_mm_s = 250};
    ck_assert_int_eq(cmo_square_on_line_start(&bench.robot, &state, &p), CMO_RUNNING);
    ck_assert_int_eq(cmo_run(&bench.robot), CMO_OUTCOME_DONE);
    double rest_mm = figure(&bench.robot, CMO_REST_ERROR_MM);
    double residual = figure(&bench.robot, CMO_RESIDUAL_ANGLE_DEG) * G_PI / 180.0;
    const cmo_pose *pose = &bench.robot.odometer.pose;
    for (int turn = -180; turn <= 180; turn += 15) {
        cmo_stated_line line = {(float)(3 * turn), (float)(200 - turn), (float)turn};
        double way = turn * G_PI / 180.0; // the way across the line
        double before = pose->y_mm * cos(way) - pose->x_mm * sin(way);
        ck_assert(cmo_take_pose(&bench.robot, &state.line, &line, NULL));
        double dx = (double)(pose->x_mm - line.x_mm), dy = (double)(pose->y_mm - line.y_mm);
        // The sensors are 70 mm ahead of the axle.
        ck_assert_double_eq_tol(dx * cos(way) + dy * sin(way), rest_mm - 70.0 * cos(residual),
                                0.05);
        ck_assert_double_eq_tol(pose->y_mm * cos(way) - pose->x_mm * sin(way), before, 0.05);
        ck_assert_double_eq_tol(sin((double)pose->heading_rad - way - residual), 0.0, 1e-4);
        ck_assert_double_gt(cos((double)pose->heading_rad - way - residual), 0.0);
    }
    end_bench(&bench);
}
END_TEST

int main(void) {
    mat = make_floor(&one_line);
    const TTest *const tests[] = {a_stated_line_sets_the_pose_and_tells_what_is_left_over,
                                  a_stop_where_the_halt_leaves_it_sets_the_pose_too,
                                  a_stated_line_may_lie_anywhere_and_in_any_direction, NULL};
    int status = run_suite("stated", tests);
    cmo_sim_mat_free(mat);
    return status;
}
