// SPDX-License-Identifier: GPL-3.0-or-later
// Stop on line with a rest: where the robot truly stands in the end.
#include "stop_runs.h"

#include <math.h>

static cmo_sim_mat *mat;

START_TEST(it_rests_over_either_edge_at_any_speed) {
    for (int speed = 100; speed <= 600; speed += 100) {
        for (int far = 0; far < 2; far++) {
            cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
            setup.seed = (uint64_t)(speed + far);
            cmo_line_parameters p = {.cruise_mm_s = (float)speed,
                                     .blind_mm = 150,
                                     .least_width_mm = 15,
                                     .rest = far ? CMO_REST_FAR_EDGE : CMO_REST_NEAR_EDGE};
            bench_robot bench = stop(&setup, &plain_robot, &p);
            double rest = beyond(&bench, far ? 720 : 700);
            // Settled on the edge: what an encoder step and the noise of a look leave over.
            ck_assert_msg(fabs(rest) <= 1.2, "%g mm at %d mm/s, far %d", rest, speed, far);
            ck_assert_double_eq_tol(figure(&bench.robot, CMO_REST_ERROR_MM), rest, 2.5);
            ck_assert_double_ge(figure(&bench.robot, CMO_OVERSHOOT_MM), 1.0);
            end_bench(&bench);
        }
    }
}
END_TEST

START_TEST(it_rests_over_the_centre_and_with_its_axle_over_the_edge) {
    for (int speed = 150; speed <= 450; speed += 150) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        cmo_line_parameters p = {.cruise_mm_s = (float)speed,
                                 .blind_mm = 150,
                                 .least_width_mm = 15,
                                 .rest = CMO_REST_CENTRE};
        bench_robot bench = stop(&setup, &plain_robot, &p);
        ck_assert_double_le(fabs(beyond(&bench, 710)), 2.0); // by encoders, through the gear play
        end_bench(&bench);
        p.rest = CMO_REST_NEAR_EDGE;
        p.beyond_mm = 70;
        bench = stop(&setup, &plain_robot, &p);
        ck_assert_double_le(fabs(cmo_sim_truth_now(bench.sim).x_mm - 700), 2.0);
        end_bench(&bench);
    }
}
END_TEST

// What the floor has read on the way tells where the edge is, and not its level alone.
START_TEST(on_a_floor_darker_than_its_level_it_rests_over_the_edge_as_well) {
    static const floor_plan darker = {0.52, 1, {STRIPE(700, 20, 0, 0.05, CMO_SIM_LINE)}};
    cmo_sim_mat *dim = make_floor(&darker);
    double sum = 0.0;
    for (int i = 0; i < 24; i++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, dim);
        setup.seed = (uint64_t)i + 1;
        cmo_line_parameters p = {.cruise_mm_s = (float)(150 + 50 * (i % 6)),
                                 .least_width_mm = 15,
                                 .rest = i < 12 ? CMO_REST_NEAR_EDGE : CMO_REST_FAR_EDGE};
        bench_robot bench = stop(&setup, &plain_robot, &p);
        double off = beyond(&bench, i < 12 ? 700 : 720);
        ck_assert_msg(fabs(off) < 1.0, "%d: %g", i, off);
        sum += i < 12 ? off : -off; // into the line
        end_bench(&bench);
    }
    ck_assert_msg(fabs(sum / 24.0) < 0.1, "%g", sum / 24.0);
    cmo_sim_mat_free(dim);
}
END_TEST

// It slides while it brakes on it: between its edges, as they are first met, the wheels count less
// than it is wide.
START_TEST(over_the_centre_of_a_wide_line_it_knows_what_it_has_slid) {
    static const floor_plan wide_line = {0.6, 1, {STRIPE(700, 50, 0, 0.05, CMO_SIM_LINE)}};
    cmo_sim_mat *wide = make_floor(&wide_line);
    for (int i = 0; i < 12; i++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, wide);
        setup.seed = (uint64_t)i + 1;
        setup.plant.grip_m_s2 = 2.4 + 0.1 * (i % 4); // less than it is stated to brake with
        cmo_line_parameters p = {.cruise_mm_s = (float)(250 + 50 * (i % 4)),
                                 .least_width_mm = 30,
                                 .rest = CMO_REST_CENTRE};
        bench_robot bench = stop(&setup, &plain_robot, &p);
        double off = beyond(&bench, 725);
        ck_assert_msg(fabs(off) < 1.0, "%d: %g", i, off);
        end_bench(&bench);
    }
    cmo_sim_mat_free(wide);
}
END_TEST

// When the first sensor has shown the far edge, the second may still be on the line, or before it:
// then the robot rests by the first alone, 11 mm off at 14 degrees.
START_TEST(it_rests_over_the_centre_however_the_second_sensor_comes) {
    for (int angle = -28; angle <= 28; angle++) {
        for (int rest = CMO_REST_CENTRE; rest <= CMO_REST_FAR_EDGE; rest++) {
            cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
            setup.heading_deg = 0.5 * angle;
            setup.y_mm = 500.0 - 500.0 * tan(0.5 * angle * G_PI / 180.0);
            setup.seed = (uint64_t)(100 + angle);
            cmo_line_parameters p = {.cruise_mm_s = 300, .blind_mm = 150, .rest = (cmo_rest)rest};
            bench_robot bench = stop(&setup, &plain_robot, &p);
            double off = beyond(&bench, rest == CMO_REST_CENTRE ? 710 : 720);
            ck_assert_msg(fabs(off) <= 12.0, "%g mm off at %g degrees", off, 0.5 * angle);
            end_bench(&bench);
        }
    }
}
END_TEST

START_TEST(it_rests_with_the_middle_of_its_sensors_on_the_edge_when_it_comes_at_an_angle) {
    for (int angle = -12; angle <= 12; angle += 4) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        setup.heading_deg = angle;
        cmo_line_parameters p = {.cruise_mm_s = 300,
                                 .blind_mm = 150,
                                 .least_width_mm = 15,
                                 .sensor = CMO_SENSOR_BOTH,
                                 .rest = CMO_REST_NEAR_EDGE};
        bench_robot bench = stop(&setup, &plain_robot, &p);
        // Beyond some degrees no sensor is left over the edge, and the encoders alone bring it
        // back.
        ck_assert_double_le(fabs(beyond(&bench, 700)), abs(angle) <= 4 ? 1.2 : 2.5);
        ck_assert_double_eq_tol(figure(&bench.robot, CMO_RESIDUAL_ANGLE_DEG),
                                cmo_sim_truth_now(bench.sim).heading_rad * 180 / G_PI, 1.0);
        end_bench(&bench);
    }
}
END_TEST

START_TEST(it_rests_on_a_light_line_as_well) {
    static const floor_plan plan = {0.05, 1, {STRIPE(700, 20, 0, 0.6, CMO_SIM_LINE)}};
    cmo_sim_mat *floor = make_floor(&plan);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, floor);
    cmo_line_parameters p = {.tone = CMO_TONE_LIGHT,
                             .cruise_mm_s = 300,
                             .blind_mm = 150,
                             .least_width_mm = 15,
                             .rest = CMO_REST_NEAR_EDGE};
    bench_robot bench = stop(&setup, &plain_robot, &p);
    ck_assert_double_le(fabs(beyond(&bench, 700)), 1.2);
    end_bench(&bench);
    cmo_sim_mat_free(floor);
}
END_TEST

START_TEST(a_decoration_is_no_place_to_rest) {
    cmo_sim_mat *floor = make_strip_and_line(500, 7);
    for (int speed = 100; speed <= 500; speed += 200) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, floor);
        cmo_line_parameters p = {
            .cruise_mm_s = (float)speed, .least_width_mm = 15, .rest = CMO_REST_NEAR_EDGE};
        bench_robot bench = stop(&setup, &plain_robot, &p);
        ck_assert_double_le(fabs(beyond(&bench, 700)), 1.5);
        ck_assert_double_ge(figure(&bench.robot, CMO_PASSED_OVER), 1);
        end_bench(&bench);
    }
    cmo_sim_mat_free(floor);
}
END_TEST

START_TEST(braking_for_a_rest_does_not_slide) {
    double slid[2];
    for (int rests = 0; rests < 2; rests++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        cmo_line_parameters p = {.cruise_mm_s = 500,
                                 .blind_mm = 150,
                                 .least_width_mm = 15,
                                 .rest = rests ? CMO_REST_NEAR_EDGE : CMO_REST_HALTED};
        bench_robot bench = stop(&setup, &plain_robot, &p);
        slid[rests] = fabs(cmo_sim_truth_now(bench.sim).way_mm - (double)cmo_way_mm(&bench.robot));
        end_bench(&bench);
    }
    ck_assert_double_ge(slid[0], 10.0); // shorted motors lock the wheels
    ck_assert_double_le(slid[1], 4.0);
}
END_TEST

START_TEST(other_robots_rest_near_the_edge_too) {
    cmo_robot_description coarse = plain_robot;
    coarse.left_step_mm = coarse.right_step_mm = 2.0F;
    cmo_robot_description duty = plain_robot;
    duty.full_duty_mm_s = 900;
    duty.dead_duty = 0.03F;
    cmo_robot_description blind = plain_robot;
    blind.light[0].spot_mm = blind.light[1].spot_mm = 0.0F; // the spot's size is not known
    const struct {
        const cmo_robot_description *description;
        uint16_t traits;
        double within_mm;
    } cases[] = {
        {&coarse, PLAIN_TRAITS, 4.0},
        {&duty, DUTY_TRAITS, 1.5},
        {&blind, PLAIN_TRAITS, 2.5},
        {&plain_robot, PLAIN_TRAITS & ~CMO_TRAIT_ENCODERS, 4.0},
        {&plain_robot, PLAIN_TRAITS & ~CMO_TRAIT_LOOK_TIMES, 1.5},
        {&plain_robot, PLAIN_TRAITS | CMO_TRAIT_HEADING, 1.5},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        cmo_sim_setup setup = plain_setup(cases[i].description, cases[i].traits, mat);
        cmo_line_parameters p = {
            .cruise_mm_s = 250, .blind_mm = 150, .least_width_mm = 15, .rest = CMO_REST_NEAR_EDGE};
        bench_robot bench = stop(&setup, cases[i].description, &p);
        double rest = beyond(&bench, 700);
        ck_assert_msg(fabs(rest) <= cases[i].within_mm, "robot %zu: %g mm", i, rest);
        end_bench(&bench);
    }
}
END_TEST

START_TEST(a_rest_that_makes_no_sense_is_refused) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_line_parameters wrong = {.rest = (cmo_rest)9};
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &wrong), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(bench.robot.field, "rest");
    cmo_line_parameters far = {.rest = CMO_REST_CENTRE, .beyond_mm = 501};
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &far), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(bench.robot.field, "beyond_mm");
    cmo_levels levels = fitting_levels(&setup, 0.2, 0.8);
    cmo_robot_set_levels(&bench.robot, 0, &levels);
    cmo_robot_set_levels(&bench.robot, 1, &levels);
    cmo_line_parameters off = {.tone = CMO_TONE_VOID, .rest = CMO_REST_CENTRE};
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &off), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(bench.robot.field, "rest");
    off = (cmo_line_parameters){.tone = CMO_TONE_VOID, .rest = CMO_REST_NEAR_EDGE, .beyond_mm = 70};
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &off), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(bench.robot.field, "beyond_mm");
    ck_assert_double_eq(cmo_sim_truth_now(bench.sim).time_ms, 0.0);
    end_bench(&bench);
}
END_TEST

START_TEST(it_rests_at_a_tables_edge_and_stays_on_the_table) {
    static const floor_plan plan = {0.8, 1, {STRIPE(700, 900, 0, -1, CMO_SIM_VOID)}};
    cmo_sim_mat *table = make_floor(&plan);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, table);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_levels levels = fitting_levels(&setup, 0.2, 0.8);
    cmo_robot_set_levels(&bench.robot, 0, &levels);
    cmo_robot_set_levels(&bench.robot, 1, &levels);
    cmo_sim_record(bench.sim);
    cmo_line_parameters p = {.tone = CMO_TONE_VOID, .cruise_mm_s = 200, .rest = CMO_REST_NEAR_EDGE};
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &p), CMO_OUTCOME_DONE);
    ck_assert_double_le(fabs(beyond(&bench, 700)), 3.0); // void is no level of the disc's curve
    size_t count;
    const cmo_sim_truth *truth = cmo_sim_recorded(bench.sim, &count);
    for (size_t i = 0; i < count; i++) {
        ck_assert_double_le(truth[i].x_mm, 690); // the wheels' contact points
    }
    end_bench(&bench);
    cmo_sim_mat_free(table);
}
END_TEST

// The other one meets the edge too, or does not: that depends on the way it takes to stand.
START_TEST(at_a_slant_it_rests_by_the_sensor_that_met_the_tables_edge) {
    static const floor_plan bare = {0.6, 1, {STRIPE(700, 1300, 0, -1, CMO_SIM_VOID)}};
    cmo_sim_mat *table = make_floor(&bare);
    for (int angle = -20; angle <= 20; angle += 8) {
        for (int speed = 100; speed <= 400; speed += 100) {
            cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, table);
            setup.heading_deg = angle;
            bench_robot bench;
            start_bench(&bench, &setup, &plain_robot);
            cmo_line_parameters p = {.tone = CMO_TONE_VOID,
                                     .cruise_mm_s = (float)speed,
                                     .largest_entry_deg = 20,
                                     .too_fast = CMO_TOO_FAST_SLOW,
                                     .rest = CMO_REST_NEAR_EDGE};
            ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &p), CMO_OUTCOME_DONE);
            ck_assert_int_eq(bench.robot.report.sensor, angle > 0 ? 1 : 0);
            cmo_sim_truth now = cmo_sim_truth_now(bench.sim);
            double x, y;
            cmo_sim_spot(bench.sim, &now, angle > 0 ? 1 : 0, &x, &y);
            ck_assert_msg(fabs(x - 700.0) < 1.5, "%d degrees, %d mm/s: %g", angle, speed, x);
            ck_assert_double_eq_tol(figure(&bench.robot, CMO_REST_ERROR_MM), x - 700.0, 1.5);
            end_bench(&bench);
        }
    }
    cmo_sim_mat_free(table);
}
END_TEST

START_TEST(a_line_at_the_end_of_the_longest_way_is_still_stopped_on) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    for (int rest = CMO_REST_HALTED; rest <= CMO_REST_FAR_EDGE; rest++) {
        cmo_line_parameters p = {.cruise_mm_s = 200,
                                 .least_width_mm = 15,
                                 .longest_mm = 436,
                                 .rest = (cmo_rest)rest}; // the crossing is at 430 mm
        bench_robot bench = stop(&setup, &plain_robot, &p);
        end_bench(&bench);
    }
}
END_TEST

int main(void) {
    mat = make_floor(&one_line);
    const TTest *const tests[] = {
        it_rests_over_either_edge_at_any_speed,
        it_rests_over_the_centre_and_with_its_axle_over_the_edge,
        on_a_floor_darker_than_its_level_it_rests_over_the_edge_as_well,
        over_the_centre_of_a_wide_line_it_knows_what_it_has_slid,
        it_rests_over_the_centre_however_the_second_sensor_comes,
        it_rests_with_the_middle_of_its_sensors_on_the_edge_when_it_comes_at_an_angle,
        it_rests_on_a_light_line_as_well,
        a_decoration_is_no_place_to_rest,
        braking_for_a_rest_does_not_slide,
        other_robots_rest_near_the_edge_too,
        a_rest_that_makes_no_sense_is_refused,
        it_rests_at_a_tables_edge_and_stays_on_the_table,
        at_a_slant_it_rests_by_the_sensor_that_met_the_tables_edge,
        a_line_at_the_end_of_the_longest_way_is_still_stopped_on,
        NULL};
    int status = run_suite("rest", tests);
    cmo_sim_mat_free(mat);
    return status;
}
