// SPDX-License-Identifier: GPL-3.0-or-later
// Square on line, against the truth.
#include "leg_runs.h"
#include "support.h"

#include <math.h>

static const floor_plan bare_table = {
    0.6, 1, {STRIPE(700, 2000, 0, -1, CMO_SIM_VOID)}}; // the floor ends at 700
static const floor_plan light_line = {0.06, 1, {STRIPE(700, 20, 0, 0.7, CMO_SIM_LINE)}};
static const floor_plan faint_line = {0.06, 1, {STRIPE(700, 20, 0, 0.61, CMO_SIM_LINE)}};

typedef struct squared {
    cmo_outcome outcome;
    double residual_deg, rest_mm; // true
    double own_residual_deg, own_rest_mm, entry_deg;
    uint32_t estimated;
    int8_t sensor;
    double furthest_axle_mm;
} squared;

// Floors are slow to make, and each test uses one or two.
static cmo_sim_mat *floor_of(const floor_plan *plan) {
    static const floor_plan *plans[2];
    static cmo_sim_mat *mats[2];
    static unsigned next;
    for (unsigned i = 0; i < 2; i++) {
        if (plans[i] == plan) {
            return mats[i];
        }
    }
    unsigned slot = next++ % 2;
    cmo_sim_mat_free(mats[slot]);
    plans[slot] = plan;
    mats[slot] = make_floor(plan);
    return mats[slot];
}

static squared square(const floor_plan *floor, double heading_deg, uint16_t traits,
                      const cmo_square_on_line_parameters *parameters, uint64_t seed) {
    cmo_sim_setup setup = plain_setup(&plain_robot, traits, floor_of(floor));
    double turn = heading_deg * G_PI / 180.0;
    setup.seed = seed;
    setup.heading_deg = heading_deg;
    setup.x_mm = 700.0 - 70.0 * cos(turn) - 45.0 * fabs(sin(turn)) - 130.0 * cos(turn);
    setup.y_mm = 500.0 - 130.0 * sin(turn);
    cmo_levels levels = floor->luminance < 0.1 ? fitting_levels(&setup, 0.06, 0.7)
                                               : fitting_levels(&setup, 0.05, 0.6);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_sim_record(bench.sim);
    cmo_robot_set_levels(&bench.robot, 0, &levels);
    cmo_robot_set_levels(&bench.robot, 1, &levels);
    squared s = {.outcome = cmo_square_on_line(&bench.robot, parameters)};
    cmo_sim_pass(bench.sim, 300);
    ck_assert(cmo_sim_halted(bench.sim));
    cmo_sim_truth end = cmo_sim_truth_now(bench.sim);
    double x[2], y;
    cmo_sim_spot(bench.sim, &end, 0, &x[0], &y);
    cmo_sim_spot(bench.sim, &end, 1, &x[1], &y);
    s.residual_deg = end.heading_rad * 180.0 / G_PI;
    s.rest_mm = 0.5 * (x[0] + x[1]) - 700.0;
    s.own_residual_deg = (double)cmo_figure_or(&bench.robot.report, CMO_RESIDUAL_ANGLE_DEG, NAN);
    s.own_rest_mm = (double)cmo_figure_or(&bench.robot.report, CMO_REST_ERROR_MM, NAN);
    s.entry_deg = (double)cmo_figure_or(&bench.robot.report, CMO_ENTRY_ANGLE_DEG, NAN);
    s.estimated = bench.robot.report.estimated;
    s.sensor = bench.robot.report.sensor;
    size_t count;
    const cmo_sim_truth *all = cmo_sim_recorded(bench.sim, &count);
    for (size_t i = 0; i < count; i++) {
        s.furthest_axle_mm = fmax(s.furthest_axle_mm, all[i].x_mm);
    }
    end_bench(&bench);
    return s;
}

START_TEST(square_on_line_ends_square_from_forty_degrees) {
    for (int i = 0; i <= 16; i++) {
        double entry = -40.0 + 5.0 * i;
        cmo_square_on_line_parameters p = {.cruise_mm_s = (float)(150 + 50 * (i % 6))};
        squared s = square(&one_line, entry, PLAIN_TRAITS, &p, (uint64_t)i + 1);
        ck_assert_int_eq(s.outcome, CMO_OUTCOME_DONE);
        ck_assert_msg(fabs(s.residual_deg) < 0.5, "from %g: %g", entry, s.residual_deg);
        ck_assert_msg(fabs(s.rest_mm) < 1.0, "from %g: %g mm", entry, s.rest_mm);
        ck_assert_double_eq_tol(s.own_residual_deg, s.residual_deg, 0.4);
        ck_assert_double_eq_tol(s.own_rest_mm, s.rest_mm, 0.5);
        ck_assert_double_eq_tol(s.entry_deg, entry, 1.0);
    }
}
END_TEST

// It comes to a stand on the line, and leaves it by the edge that it came over as it turns.
START_TEST(so_slowly_that_it_stands_on_the_line_it_ends_square) {
    for (int i = 0; i < 12; i++) {
        double entry = (i % 2 == 0 ? 1.0 : -1.0) * (29.0 + i);
        cmo_square_on_line_parameters p = {.cruise_mm_s = (float)(80 + 25 * (i % 3))};
        squared s = square(&one_line, entry, PLAIN_TRAITS, &p, (uint64_t)i + 1);
        ck_assert_int_eq(s.outcome, CMO_OUTCOME_DONE);
        ck_assert_msg(fabs(s.residual_deg) < 0.7, "from %g: %g", entry, s.residual_deg);
        ck_assert_msg(fabs(s.rest_mm) < 1.0, "from %g: %g mm", entry, s.rest_mm);
    }
}
END_TEST

START_TEST(it_rests_over_the_centre_the_far_edge_and_beyond_too) {
    static const struct {
        cmo_rest rest;
        float beyond_mm;
        double at_mm;
    } cases[] = {{CMO_REST_CENTRE, 0, 10},
                 {CMO_REST_FAR_EDGE, 0, 20},
                 {CMO_REST_NEAR_EDGE, 70, 70},
                 {CMO_REST_CENTRE, -40, -30}};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        for (double entry = -30; entry <= 30; entry += 20) {
            cmo_square_on_line_parameters p = {
                .cruise_mm_s = 250, .rest = cases[i].rest, .beyond_mm = cases[i].beyond_mm};
            squared s = square(&one_line, entry, PLAIN_TRAITS, &p, 3);
            ck_assert_int_eq(s.outcome, CMO_OUTCOME_DONE);
            ck_assert_double_eq_tol(s.rest_mm, cases[i].at_mm, 1.0);
            ck_assert_double_eq_tol(s.residual_deg, 0.0,
                                    0.9); // on from the edge by the encoders alone
        }
    }
}
END_TEST

START_TEST(it_squares_on_a_light_line_and_without_encoders) {
    cmo_square_on_line_parameters p = {.tone = CMO_TONE_LIGHT, .cruise_mm_s = 200};
    cmo_square_on_line_parameters slow = {.cruise_mm_s = 150};
    for (double entry = -35; entry <= 35; entry += 14) {
        squared s = square(&light_line, entry, PLAIN_TRAITS, &p, 5);
        ck_assert_int_eq(s.outcome, CMO_OUTCOME_DONE);
        ck_assert_double_eq_tol(s.residual_deg, 0.0, 0.5);
        uint16_t without = (uint16_t)(PLAIN_TRAITS & ~CMO_TRAIT_ENCODERS);
        s = square(&one_line, entry, without, &slow, 5);
        ck_assert_int_eq(s.outcome, CMO_OUTCOME_DONE);
        ck_assert_double_eq_tol(s.residual_deg, 0.0, 1.0);
        ck_assert_double_eq_tol(s.rest_mm, 0.0, 1.5);
        ck_assert(s.estimated & CMO_FIGURE_BIT(CMO_RESIDUAL_ANGLE_DEG));
    }
}
END_TEST

// Wholly on it, a spot reads as over a bolder line's edge.
START_TEST(on_a_line_fainter_than_its_level_it_squares_as_soon) {
    for (int i = 0; i < 16; i++) {
        double entry = -37.5 + 5.0 * i;
        cmo_square_on_line_parameters p = {
            .tone = CMO_TONE_LIGHT, .cruise_mm_s = (float)(150 + 50 * (i % 6)), .rounds = 4};
        squared s = square(&faint_line, entry, PLAIN_TRAITS, &p, (uint64_t)i + 1);
        ck_assert_int_eq(s.outcome, CMO_OUTCOME_DONE);
        ck_assert_msg(fabs(s.residual_deg) < 0.8, "from %g: %g", entry, s.residual_deg);
        ck_assert_msg(fabs(s.rest_mm) < 1.5, "from %g: %g mm", entry, s.rest_mm);
    }
}
END_TEST

START_TEST(at_a_tables_edge_it_squares_and_the_wheels_stay_on_it) {
    cmo_square_on_line_parameters p = {.tone = CMO_TONE_VOID, .cruise_mm_s = 150};
    for (double entry = -40; entry <= 40; entry += 10) {
        squared s = square(&bare_table, entry, PLAIN_TRAITS, &p, 2);
        ck_assert_int_eq(s.outcome, CMO_OUTCOME_DONE);
        ck_assert_double_eq_tol(s.residual_deg, 0.0, 0.6);
        ck_assert_double_eq_tol(s.rest_mm, 0.0, 1.0);
        ck_assert_double_eq_tol(s.entry_deg, entry, 3.0);
        ck_assert_double_lt(s.furthest_axle_mm, 700.0 - 20.0);
    }
    p.rest = CMO_REST_FAR_EDGE;
    ck_assert_int_eq(square(&bare_table, 0, PLAIN_TRAITS, &p, 2).outcome,
                     CMO_OUTCOME_BAD_PARAMETER);
}
END_TEST

// A line that ends between the sensors.
static double half_line(void *data, double x_mm, double y_mm, unsigned *marks) {
    (void)data;
    bool line = x_mm >= 700.0 && x_mm < 720.0 && y_mm > 500.0;
    *marks = line ? 1U << CMO_SIM_LINE : 0U;
    return line ? 0.05 : 0.6;
}

START_TEST(where_only_one_sensor_meets_the_line_it_is_named) {
    cmo_sim_mat *mat = cmo_sim_mat_from_function(2000, 1000, 2, half_line, NULL);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    setup.x_mm = 500;
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_square_on_line_parameters p = {.cruise_mm_s = 200, .longest_mm = 500};
    ck_assert_int_eq(cmo_square_on_line(&bench.robot, &p), CMO_OUTCOME_ONE_SENSOR);
    ck_assert_int_eq(bench.robot.report.sensor, 0);
    ck_assert_int_eq(bench.robot.report.passed_reason, CMO_PASSED_ONE_SIDED);
    ck_assert_float_eq_tol(bench.robot.report.passed_at_mm, 130.0F, 2.0F);
    cmo_sim_pass(bench.sim, 300);
    // Past the line, where it can go on.
    ck_assert_double_gt(cmo_sim_truth_now(bench.sim).x_mm + 70.0, 720.0);
    ck_assert_int_eq(cmo_advance(&bench.robot, &(cmo_advance_parameters){.distance_mm = 50}),
                     CMO_OUTCOME_DONE);
    end_bench(&bench);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(spots_that_are_not_side_by_side_are_geometry) {
    cmo_sim_mat *mat = make_floor(&one_line);
    cmo_robot_description description = plain_robot;
    description.light[0].ahead_mm = 74; // 4 mm ahead of the right one, and known to be
    cmo_sim_setup setup = plain_setup(&description, PLAIN_TRAITS, mat);
    setup.x_mm = 450;
    setup.heading_deg = 25;
    bench_robot bench;
    start_bench(&bench, &setup, &description);
    cmo_square_on_line_parameters p = {.cruise_mm_s = 250};
    ck_assert_int_eq(cmo_square_on_line(&bench.robot, &p), CMO_OUTCOME_DONE);
    double off = cmo_sim_truth_now(bench.sim).heading_rad * 180.0 / G_PI;
    ck_assert_double_eq_tol(off, 0.0, 0.5); // 4 mm over 90 would be 2.5 degrees
    end_bench(&bench);
    cmo_sim_mat_free(mat);
}
END_TEST

// A notch in a table, whose edge one sensor alone can find.
static double notch_light(void *data, double x_mm, double y_mm, unsigned *marks) {
    (void)data;
    *marks |= x_mm > 700 && y_mm > 535 && y_mm < 560 ? 1U << CMO_SIM_VOID : 0U;
    return 0.6;
}

START_TEST(at_a_notch_in_the_table_the_other_sensor_is_not_waited_for) {
    cmo_sim_mat *mat = cmo_sim_mat_from_function(2000, 1000, 2, notch_light, NULL);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    setup.x_mm = 450;
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_square_on_line_parameters p = {
        .tone = CMO_TONE_VOID, .cruise_mm_s = 150, .too_fast = CMO_TOO_FAST_SLOW};
    ck_assert_int_eq(cmo_square_on_line(&bench.robot, &p), CMO_OUTCOME_ONE_SENSOR);
    ck_assert(cmo_sim_halted(bench.sim));
    end_bench(&bench);
    cmo_sim_mat_free(mat);
}
END_TEST

// Squares on the dark line from 25 degrees; after end_ms the cause, -1: an abort.
static cmo_outcome square_ended_by(int cause, uint32_t end_ms, cmo_stage *stage) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, floor_of(&one_line));
    setup.x_mm = 500;
    setup.heading_deg = 25;
    if (cause >= 0) {
        setup.faults.light_silent_at_ms[cause] = end_ms;
    }
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_square_on_line_state state;
    // Fine enough for several moves to settle.
    cmo_square_on_line_parameters p = {.cruise_mm_s = 250, .tolerance_mm = 0.1F};
    cmo_outcome outcome = cmo_square_on_line_start(&bench.robot, &state, &p);
    *stage = CMO_STAGE_IDLE;
    while (outcome == CMO_RUNNING) {
        if (bench.robot.port->clock(bench.robot.port->context) < 1000 * end_ms) {
            *stage = (cmo_stage)bench.robot.stage;
        } else if (cause < 0) {
            cmo_abort(&bench.robot);
        }
        cmo_wait(&bench.robot);
        outcome = cmo_tick(&bench.robot);
    }
    ck_assert_msg(!bench.robot.report.motors_may_run, "ended at %u ms", end_ms);
    ck_assert_msg(cmo_sim_halted(bench.sim), "ended at %u ms", end_ms);
    double at_mm = cmo_sim_truth_now(bench.sim).x_mm;
    cmo_sim_pass(bench.sim, 1000);
    // No further than from 250 mm/s by brakes.
    ck_assert_double_le(fabs(cmo_sim_truth_now(bench.sim).x_mm - at_mm), 20.0);
    if (cause >= 0 && outcome != CMO_OUTCOME_DONE) {
        ck_assert_int_eq(bench.robot.report.sensor, cause);
    }
    end_bench(&bench);
    return outcome;
}

START_TEST(whatever_ends_it_and_in_any_stage_the_motors_halt) {
    static const cmo_outcome expected[] = {CMO_OUTCOME_ABORTED, CMO_OUTCOME_SENSOR_SILENT,
                                           CMO_OUTCOME_SENSOR_SILENT};
    for (int cause = -1; cause <= 1; cause++) {
        unsigned stages = 0, ended = 0;
        cmo_outcome outcome = CMO_RUNNING;
        for (uint32_t end_ms = 40; outcome != CMO_OUTCOME_DONE; end_ms += 20) {
            cmo_stage stage;
            outcome = square_ended_by(cause, end_ms, &stage);
            if (outcome != CMO_OUTCOME_DONE) {
                ck_assert_msg(outcome == expected[cause + 1], "cause %d at %u ms: %s", cause,
                              end_ms, cmo_outcome_name(outcome));
                stages |= 1U << stage;
                ended++;
            }
        }
        ck_assert_uint_ge(ended, 20);
        unsigned all = 1U << CMO_STAGE_SEARCH | 1U << CMO_STAGE_BRAKE | 1U << CMO_STAGE_RETURN |
                       1U << CMO_STAGE_SETTLE;
        ck_assert_uint_eq(stages & all, all);
    }
}
END_TEST

START_TEST(parameters_that_make_no_sense_are_refused) {
    paper_port paper;
    cmo_robot robot;
    cmo_square_on_line_state state;
    start_paper(&paper, PLAIN_TRAITS);
    cmo_robot_start(&robot, &plain_robot, &paper.port);
    cmo_levels levels = {100, 600, CMO_LEVEL_UNKNOWN, 6};
    cmo_square_on_line_parameters p = {0};
    ck_assert_int_eq(cmo_square_on_line_start(&robot, &state, &p), CMO_OUTCOME_LOW_CONTRAST);
    cmo_robot_set_levels(&robot, 0, &levels);
    cmo_robot_set_levels(&robot, 1, &levels);
    static const struct {
        cmo_square_on_line_parameters parameters;
        const char *field;
    } wrong[] = {{{.rounds = 21}, "rounds"},
                 {{.tolerance_mm = 9}, "tolerance_mm"},
                 {{.cruise_mm_s = 5000}, "cruise_mm_s"},
                 {{.rest = 7}, "rest"}};
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); i++) {
        ck_assert_int_eq(cmo_square_on_line_start(&robot, &state, &wrong[i].parameters),
                         CMO_OUTCOME_BAD_PARAMETER);
        ck_assert_str_eq(robot.field, wrong[i].field);
    }
    cmo_robot_description one = plain_robot;
    one.lights = 1;
    cmo_robot_start(&robot, &one, &paper.port);
    ck_assert_int_eq(cmo_square_on_line_start(&robot, &state, &p), CMO_OUTCOME_NOT_SUPPORTED);
    ck_assert_str_eq(robot.field, "lights");
    ck_assert_uint_eq(paper.drives, 0);
}
END_TEST

// Put down astride the line it squares on that; over its edge, on that or on the next one: what has
// truly been crossed first no robot can tell there.
START_TEST(wherever_it_is_put_down_it_squares) {
    static const struct {
        double heading_deg;
        double from_mm, to_mm; // where the line may begin
        double longest_mm;     // to go
    } places[] = {{30, 198, 203, 50}, {-30, 198, 203, 50}, {1, 215, 225, 900}, {-6, 205, 225, 900}};
    begin_runs();
    for (size_t i = 0; i < G_N_ELEMENTS(places); i++) {
        double step = (places[i].to_mm - places[i].from_mm) / (SEEDS(8) + 1);
        for (unsigned k = 1; k <= SEEDS(8); k++) {
            double at_mm = places[i].from_mm + k * step;
            char *shapes = g_strdup_printf("<rect class='line' x='%.1f' y='10' width='20' "
                                           "height='1180' fill='" DARK
                                           "'/><rect class='line' x='1000' y='10' width='20' "
                                           "height='1180' fill='" DARK "'/>",
                                           at_mm);
            write_runs_floor(FLOOR, shapes);
            JsonObject *leg = drive_legs("mozzo.yaml", "  - square_on_line: {cruise_mm_s: 200}",
                                         places[i].heading_deg, -1, k, 1);
            double way_mm = figure_of(leg, "truth", "travelled_mm");
            bool next = strcmp(outcome_of(leg), "wrong_line") == 0;
            ck_assert(next || strcmp(outcome_of(leg), "done") == 0);
            ck_assert_double_le(way_mm, places[i].longest_mm);
            ck_assert(way_mm > 700 || (way_mm < 50 && !next));
            ck_assert_double_eq_tol(figure_of(leg, "truth", "rest_error_mm"),
                                    next ? 1000 - at_mm : 0, 1.2);
            ck_assert_double_eq_tol(figure_of(leg, "truth", "residual_angle_deg"), 0.0, 2.0);
            g_free(shapes);
        }
    }
    end_runs();
}
END_TEST

int main(void) {
    const TTest *const tests[] = {square_on_line_ends_square_from_forty_degrees,
                                  so_slowly_that_it_stands_on_the_line_it_ends_square,
                                  it_rests_over_the_centre_the_far_edge_and_beyond_too,
                                  it_squares_on_a_light_line_and_without_encoders,
                                  on_a_line_fainter_than_its_level_it_squares_as_soon,
                                  at_a_tables_edge_it_squares_and_the_wheels_stay_on_it,
                                  where_only_one_sensor_meets_the_line_it_is_named,
                                  spots_that_are_not_side_by_side_are_geometry,
                                  at_a_notch_in_the_table_the_other_sensor_is_not_waited_for,
                                  whatever_ends_it_and_in_any_stage_the_motors_halt,
                                  parameters_that_make_no_sense_are_refused,
                                  wherever_it_is_put_down_it_squares,
                                  NULL};
    return run_suite("square", tests);
}
