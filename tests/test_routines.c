// SPDX-License-Identifier: GPL-3.0-or-later
// Routines on the simulated robot, with the truth beside what they say.
#include "support.h"

#include <math.h>
#include <string.h>

static cmo_sim_mat *mat;

static bench_robot start(const cmo_sim_setup *setup, const cmo_robot_description *description) {
    bench_robot bench;
    start_bench(&bench, setup, description);
    return bench;
}

// A start() returns the bench by value: the robot must not hold pointers into itself.
START_TEST(advance_ends_at_its_distance_forward_and_backward) {
    static const float distances[] = {300, -300, 40, -5, 800};
    for (size_t i = 0; i < G_N_ELEMENTS(distances); i++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        setup.x_mm = 700;
        bench_robot bench = start(&setup, &plain_robot);
        cmo_advance_parameters parameters = {.distance_mm = distances[i], .speed_mm_s = 400};
        ck_assert_int_eq(cmo_advance(&bench.robot, &parameters), CMO_OUTCOME_DONE);
        double way = cmo_sim_truth_now(bench.sim).way_mm;
        // One encoder step of tolerance, gear play, and 1 % of tyre creep.
        double allowed = 1.1 + 0.01 * fabs((double)distances[i]);
        ck_assert_double_eq_tol(way, (double)distances[i], allowed);
        ck_assert_double_eq_tol(figure(&bench.robot, CMO_TRAVELLED_MM), (double)distances[i], 0.6);
        ck_assert(cmo_sim_halted(bench.sim));
        end_bench(&bench);
    }
}
END_TEST

START_TEST(advance_keeps_its_speed_and_stays_straight) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    setup.plant.left_strength = 0.9; // unequal motors
    bench_robot bench = start(&setup, &plain_robot);
    cmo_advance_parameters parameters = {.distance_mm = 900, .speed_mm_s = 500};
    ck_assert_int_eq(cmo_advance(&bench.robot, &parameters), CMO_OUTCOME_DONE);
    ck_assert_double_eq_tol(figure(&bench.robot, CMO_TOP_SPEED_MM_S), 500, 15);
    ck_assert_double_le(fabs(cmo_sim_truth_now(bench.sim).heading_rad), 0.02);
    end_bench(&bench);
}
END_TEST

START_TEST(an_advance_that_ends_moving_goes_over_into_the_next_without_a_halt) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    bench_robot bench = start(&setup, &plain_robot);
    cmo_advance_parameters first = {
        .distance_mm = 300, .speed_mm_s = 400, .ending = CMO_END_MOVING};
    ck_assert_int_eq(cmo_advance(&bench.robot, &first), CMO_OUTCOME_DONE);
    ck_assert(!cmo_sim_halted(bench.sim));
    ck_assert_double_ge(cmo_sim_truth_now(bench.sim).speed_mm_s, 380);
    cmo_advance_parameters second = {.distance_mm = 200, .speed_mm_s = 400};
    ck_assert_int_eq(cmo_advance(&bench.robot, &second), CMO_OUTCOME_DONE);
    ck_assert_double_eq_tol(cmo_sim_truth_now(bench.sim).way_mm, 505, 8);
    end_bench(&bench);
}
END_TEST

START_TEST(a_robot_left_moving_is_halted_by_the_port) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    bench_robot bench = start(&setup, &plain_robot);
    cmo_advance_parameters first = {
        .distance_mm = 300, .speed_mm_s = 400, .ending = CMO_END_MOVING};
    ck_assert_int_eq(cmo_advance(&bench.robot, &first), CMO_OUTCOME_DONE);
    cmo_sim_pass(bench.sim, 600);
    ck_assert(cmo_sim_halted(bench.sim));
    ck_assert_double_le(fabs(cmo_sim_truth_now(bench.sim).speed_mm_s), 0.5);
    end_bench(&bench);
}
END_TEST

START_TEST(turn_goes_by_its_angle_either_way) {
    static const float angles[] = {90, -90, 5, 360, -720};
    for (size_t i = 0; i < G_N_ELEMENTS(angles); i++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        bench_robot bench = start(&setup, &plain_robot);
        cmo_turn_parameters parameters = {.angle_deg = angles[i]};
        ck_assert_int_eq(cmo_turn(&bench.robot, &parameters), CMO_OUTCOME_DONE);
        double turned = cmo_sim_truth_now(bench.sim).heading_rad * 180 / G_PI;
        // Two wheels within a step and gear play: 2 * 1 mm on a lever of 110 mm is 1 degree.
        ck_assert_double_eq_tol(turned, (double)angles[i], 1.0 + 0.005 * fabs((double)angles[i]));
        end_bench(&bench);
    }
}
END_TEST

// At rest the middle of a count is the best that can be known of where a wheel stands.
START_TEST(coarse_encoders_tell_a_turn_as_well_as_their_counts_do) {
    cmo_robot_description coarse = plain_robot;
    coarse.left_step_mm = coarse.right_step_mm = 2;
    double squares = 0.0;
    const int turns = 60;
    for (int i = 0; i < turns; i++) {
        cmo_sim_setup setup = plain_setup(&coarse, PLAIN_TRAITS, mat);
        setup.plant.gear_play_mm = 0.0;
        setup.seed = (uint64_t)i + 1;
        bench_robot bench = start(&setup, &coarse);
        cmo_turn_parameters parameters = {.angle_deg = i % 2 ? 30 : -30};
        ck_assert_int_eq(cmo_turn(&bench.robot, &parameters), CMO_OUTCOME_DONE);
        double turned = (double)cmo_turned_rad(&bench.robot);
        double off = (turned - cmo_sim_truth_now(bench.sim).heading_rad) * 110.0;
        squares += off * off;
        end_bench(&bench);
    }
    // Two wheels, at the start and at rest, evenly within 2 mm: 2 * 2 / sqrt(12) = 1.15 mm.
    ck_assert_msg(sqrt(squares / turns) < 1.25, "%g mm", sqrt(squares / turns));
}
END_TEST

START_TEST(drive_until_line_finds_the_edge_where_it_is) {
    for (int speed = 100; speed <= 600; speed += 100) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        setup.seed = (uint64_t)speed;
        bench_robot bench = start(&setup, &plain_robot);
        cmo_line_parameters parameters = {.blind_mm = 200,
                                          .cruise_mm_s = (float)speed,
                                          .least_width_mm = 15,
                                          .ending = CMO_END_MOVING};
        ck_assert_int_eq(cmo_drive_until_line(&bench.robot, &parameters), CMO_OUTCOME_DONE);
        const cmo_sim_crossing *truth =
            find_crossing(bench.sim, (unsigned)bench.robot.report.sensor, CMO_SIM_LINE);
        ck_assert_ptr_nonnull(truth);
        double late_ms = bench.robot.report.crossing_us / 1000.0 - truth->at.time_ms;
        ck_assert_double_le(fabs(late_ms) * speed / 1000.0, 1.0); // mm along the way
        ck_assert_double_eq_tol(figure(&bench.robot, CMO_CROSSING_SPEED_MM_S), speed,
                                0.04 * speed + 6);
        ck_assert(!cmo_sim_halted(bench.sim));
        end_bench(&bench);
    }
}
END_TEST

START_TEST(stop_on_line_reports_its_overshoot_as_it_is) {
    for (int speed = 100; speed <= 300; speed += 50) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        setup.plant.grip_m_s2 = 9; // no slip, which encoders cannot see
        bench_robot bench = start(&setup, &plain_robot);
        cmo_line_parameters parameters = {.blind_mm = 200,
                                          .cruise_mm_s = 400,
                                          .creep_mm_s = (float)speed,
                                          .least_width_mm = CMO_ANY_WIDTH};
        ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &parameters), CMO_OUTCOME_DONE);
        const cmo_sim_crossing *crossing = find_crossing(bench.sim, 0, CMO_SIM_LINE);
        ck_assert_ptr_nonnull(crossing);
        double beyond = cmo_sim_truth_now(bench.sim).way_mm - crossing->at.way_mm;
        ck_assert_double_eq_tol(figure(&bench.robot, CMO_REST_ERROR_MM), beyond, 1.3);
        ck_assert_double_ge(beyond, 2);
        ck_assert(cmo_sim_halted(bench.sim));
        ck_assert_double_le(fabs(cmo_sim_truth_now(bench.sim).speed_mm_s), 1.0);
        end_bench(&bench);
    }
}
END_TEST

START_TEST(halts_differ_coast_rolls_furthest_and_hold_comes_back) {
    double rest[3];
    for (int i = 0; i < 3; i++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        bench_robot bench = start(&setup, &plain_robot);
        cmo_line_parameters parameters = {.blind_mm = 100,
                                          .cruise_mm_s = 250,
                                          .least_width_mm = CMO_ANY_WIDTH,
                                          .halt = (cmo_halt)(CMO_HALT_COAST + i)};
        ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &parameters), CMO_OUTCOME_DONE);
        rest[i] = figure(&bench.robot, CMO_REST_ERROR_MM);
        // An encoder step in the time that standstill is watched for is 4 mm/s.
        ck_assert_double_le(fabs(cmo_sim_truth_now(bench.sim).speed_mm_s), 4.0);
        end_bench(&bench);
    }
    ck_assert_double_gt(rest[0], 3 * rest[1]);
    ck_assert_double_lt(rest[2], rest[1]);
}
END_TEST

START_TEST(the_entry_angle_is_known_when_both_sensors_cross) {
    static const double angles[] = {-20, -8, 0, 8, 20};
    for (size_t i = 0; i < G_N_ELEMENTS(angles); i++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        setup.heading_deg = angles[i];
        bench_robot bench = start(&setup, &plain_robot);
        cmo_line_parameters parameters = {
            .sensor = CMO_SENSOR_BOTH, .blind_mm = 200, .cruise_mm_s = 200, .least_width_mm = 15};
        ck_assert_int_eq(cmo_drive_until_line(&bench.robot, &parameters), CMO_OUTCOME_DONE);
        double heading =
            find_crossing(bench.sim, angles[i] > 0, CMO_SIM_LINE)->at.heading_rad * 180 / G_PI;
        ck_assert_double_eq_tol(figure(&bench.robot, CMO_ENTRY_ANGLE_DEG), heading, 0.6);
        end_bench(&bench);
    }
}
END_TEST

START_TEST(decorations_narrower_than_a_line_are_passed_over_and_said) {
    static const floor_plan plan = {0.6,
                                    3,
                                    {STRIPE(430, 6, 0, 0.05, CMO_SIM_DECORATION),
                                     STRIPE(520, 8, 15, 0.08, CMO_SIM_DECORATION),
                                     STRIPE(700, 20, 0, 0.05, CMO_SIM_LINE)}};
    cmo_sim_mat *floor = make_floor(&plan);
    for (int stop = 0; stop < 2; stop++) {
        for (int speed = 100; speed <= 500; speed += 200) {
            cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, floor);
            bench_robot bench = start(&setup, &plain_robot);
            cmo_line_parameters parameters = {.cruise_mm_s = (float)speed, .least_width_mm = 16};
            cmo_outcome outcome = stop ? cmo_stop_on_line(&bench.robot, &parameters)
                                       : cmo_drive_until_line(&bench.robot, &parameters);
            ck_assert_int_eq(outcome, CMO_OUTCOME_DONE);
            // By time: hard stops slide, which the encoders do not see.
            const cmo_sim_crossing *truth =
                find_crossing(bench.sim, (unsigned)bench.robot.report.sensor, CMO_SIM_LINE);
            ck_assert_ptr_nonnull(truth);
            ck_assert_double_eq_tol(bench.robot.report.crossing_us / 1000.0, truth->at.time_ms, 8);
            ck_assert_double_ge(figure(&bench.robot, CMO_PASSED_OVER), 2);
            ck_assert_int_eq(bench.robot.report.passed_reason, CMO_PASSED_TOO_NARROW);
            ck_assert_float_lt(bench.robot.report.passed_width_mm, 0.8F * 16);
            end_bench(&bench);
        }
    }
    cmo_sim_mat_free(floor);
}
END_TEST

START_TEST(a_line_before_the_end_of_the_blind_distance_is_not_looked_at) {
    static const floor_plan plan = {
        0.6, 2, {STRIPE(450, 20, 0, 0.05, CMO_SIM_LINE), STRIPE(700, 20, 0, 0.05, CMO_SIM_LINE)}};
    cmo_sim_mat *floor = make_floor(&plan);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, floor);
    bench_robot bench = start(&setup, &plain_robot);
    cmo_line_parameters parameters = {.blind_mm = 250, .cruise_mm_s = 400, .creep_mm_s = 200};
    ck_assert_int_eq(cmo_drive_until_line(&bench.robot, &parameters), CMO_OUTCOME_DONE);
    ck_assert_double_eq_tol((double)bench.robot.report.crossing_mm, 430, 6);
    ck_assert_double_eq_tol(figure(&bench.robot, CMO_CROSSING_SPEED_MM_S), 200, 15);
    end_bench(&bench);
    cmo_sim_mat_free(floor);
}
END_TEST

START_TEST(a_light_line_on_a_dark_floor_is_found_with_either_polarity) {
    static const floor_plan plan = {0.05, 1, {STRIPE(700, 20, 0, 0.6, CMO_SIM_LINE)}};
    cmo_sim_mat *floor = make_floor(&plan);
    for (int inverted = 0; inverted < 2; inverted++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, floor);
        for (unsigned i = 0; i < 2 && inverted; i++) {
            setup.plant.sensor[i].black_counts = 900;
            setup.plant.sensor[i].white_counts = 100;
        }
        bench_robot bench = start(&setup, &plain_robot);
        cmo_line_parameters parameters = {
            .tone = CMO_TONE_LIGHT, .cruise_mm_s = 200, .least_width_mm = 15};
        ck_assert_int_eq(cmo_drive_until_line(&bench.robot, &parameters), CMO_OUTCOME_DONE);
        ck_assert_double_eq_tol((double)bench.robot.report.crossing_mm, 430, 6);
        end_bench(&bench);
    }
    cmo_sim_mat_free(floor);
}
END_TEST

START_TEST(a_table_edge_is_found_as_void_and_refused_without_a_level) {
    // Dark paint of 0.2, so that void lies clearly below dark.
    static const floor_plan plan = {0.8, 1, {STRIPE(700, 300, 0, -1, CMO_SIM_VOID)}};
    cmo_sim_mat *floor = make_floor(&plan);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, floor);
    bench_robot bench = start(&setup, &plain_robot);
    cmo_levels levels = fitting_levels(&setup, 0.2, 0.8);
    cmo_line_parameters parameters = {
        .tone = CMO_TONE_VOID, .cruise_mm_s = 150, .least_width_mm = CMO_ANY_WIDTH};
    for (uint8_t i = 0; i < 2; i++) {
        cmo_levels without = levels;
        without.void_counts = CMO_LEVEL_UNKNOWN;
        cmo_robot_set_levels(&bench.robot, i, &without);
    }
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &parameters), CMO_OUTCOME_LOW_CONTRAST);
    ck_assert_str_eq(bench.robot.field, "tone");
    cmo_robot_set_levels(&bench.robot, 0, &levels);
    cmo_robot_set_levels(&bench.robot, 1, &levels);
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &parameters), CMO_OUTCOME_DONE);
    const cmo_sim_crossing *crossing = find_crossing(bench.sim, 0, CMO_SIM_VOID);
    ck_assert_ptr_nonnull(crossing);
    double beyond = cmo_sim_truth_now(bench.sim).way_mm - crossing->at.way_mm;
    ck_assert_double_le(beyond, 25); // the wheels, 70 mm behind, are far from the edge
    end_bench(&bench);
    cmo_sim_mat_free(floor);
}
END_TEST

typedef struct caught {
    unsigned kinds[8];
} caught;

static caught events;

static void catch_event(void *context, const cmo_event *event) {
    (void)context;
    events.kinds[event->kind]++;
}

static bool count_to_five(cmo_robot *robot, void *context) {
    (void)robot;
    return ++*(int *)context == 5;
}

START_TEST(an_action_runs_once_a_tick_until_it_is_done) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    bench_robot bench = start(&setup, &plain_robot);
    int calls = 0;
    cmo_action_parameters parameters = {.function = count_to_five, .context = &calls};
    ck_assert_int_eq(cmo_action(&bench.robot, &parameters), CMO_OUTCOME_DONE);
    ck_assert_int_eq(calls, 5);
    end_bench(&bench);
}
END_TEST

START_TEST(notifications_tell_start_stages_crossing_and_end) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    bench_robot bench = start(&setup, &plain_robot);
    cmo_port port = *bench.robot.port;
    port.notify = catch_event;
    bench.robot.port = &port;
    memset(&events, 0, sizeof events);
    cmo_line_parameters parameters = {.blind_mm = 200, .cruise_mm_s = 300, .least_width_mm = 15};
    ck_assert_int_eq(cmo_drive_until_line(&bench.robot, &parameters), CMO_OUTCOME_DONE);
    ck_assert_uint_eq(events.kinds[CMO_EVENT_START], 1);
    ck_assert_uint_ge(events.kinds[CMO_EVENT_STAGE], 3);
    ck_assert_uint_eq(events.kinds[CMO_EVENT_CROSSING], 1);
    ck_assert_uint_eq(events.kinds[CMO_EVENT_END], 1);
    end_bench(&bench);
}
END_TEST

int main(void) {
    mat = make_floor(&one_line);
    const TTest *const tests[] = {
        advance_ends_at_its_distance_forward_and_backward,
        advance_keeps_its_speed_and_stays_straight,
        an_advance_that_ends_moving_goes_over_into_the_next_without_a_halt,
        a_robot_left_moving_is_halted_by_the_port,
        turn_goes_by_its_angle_either_way,
        coarse_encoders_tell_a_turn_as_well_as_their_counts_do,
        drive_until_line_finds_the_edge_where_it_is,
        stop_on_line_reports_its_overshoot_as_it_is,
        halts_differ_coast_rolls_furthest_and_hold_comes_back,
        the_entry_angle_is_known_when_both_sensors_cross,
        decorations_narrower_than_a_line_are_passed_over_and_said,
        a_line_before_the_end_of_the_blind_distance_is_not_looked_at,
        a_light_line_on_a_dark_floor_is_found_with_either_polarity,
        a_table_edge_is_found_as_void_and_refused_without_a_level,
        an_action_runs_once_a_tick_until_it_is_done,
        notifications_tell_start_stages_crossing_and_end,
        NULL};
    int status = run_suite("routines", tests);
    cmo_sim_mat_free(mat);
    return status;
}
