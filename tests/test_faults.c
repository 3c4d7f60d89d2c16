// SPDX-License-Identifier: GPL-3.0-or-later
// Every outcome but done, reached by injecting what causes it; and what must not end a run.
#include "support.h"

#include <math.h>

static cmo_sim_mat *mat, *bare, *cliff;

static const cmo_line_parameters seek = {.blind_mm = 150,
                                         .cruise_mm_s = 350,
                                         .creep_mm_s = 150,
                                         .least_width_mm = 15,
                                         .longest_mm = 1500};

static cmo_outcome run_with(const cmo_sim_setup *setup, const cmo_line_parameters *parameters,
                            double *end_ms) {
    bench_robot bench;
    start_bench(&bench, setup, &plain_robot);
    cmo_outcome outcome = cmo_stop_on_line(&bench.robot, parameters);
    *end_ms = cmo_sim_truth_now(bench.sim).time_ms;
    ck_assert_msg(cmo_sim_halted(bench.sim), "motors run after %s", cmo_outcome_name(outcome));
    ck_assert(!bench.robot.report.motors_may_run);
    cmo_sim_pass(bench.sim, 1500);
    ck_assert_double_le(fabs(cmo_sim_truth_now(bench.sim).speed_mm_s), 1.0);
    end_bench(&bench);
    return outcome;
}

static void use_silent(cmo_sim_setup *s) {
    s->faults.light_silent_at_ms[1] = 700;
}
static void use_bare(cmo_sim_setup *s) {
    s->mat = bare;
}
static void use_stalled(cmo_sim_setup *s) {
    s->faults.stalled_at_ms = 700;
}
static void use_no_counts(cmo_sim_setup *s) {
    s->faults.encoders_silent_at_ms = 700;
}
static void use_jump(cmo_sim_setup *s) {
    s->faults.encoder_jump_at_ms = 700;
}
static void use_failed(cmo_sim_setup *s) {
    s->faults.failed_at_ms = 700;
}
static void use_late(cmo_sim_setup *s) {
    s->faults.late_share = 0.1;
    s->faults.late_ms = 200;
}
static void use_unlucky_halt(cmo_sim_setup *s) {
    s->faults.failed_at_ms = 700;
    s->faults.halt_fails_ms = 150;
}

START_TEST(each_fault_ends_the_routine_with_its_name_and_halted_motors) {
    static const struct {
        void (*inject)(cmo_sim_setup *setup);
        cmo_outcome outcome;
        double latest_ms; // after the fault at 700 ms, or in all
    } cases[] = {
        {use_silent, CMO_OUTCOME_SENSOR_SILENT, 700 + 250},
        {use_bare, CMO_OUTCOME_NO_LINE, 20000},
        {use_stalled, CMO_OUTCOME_STALLED, 700 + 700},
        {use_no_counts, CMO_OUTCOME_ENCODER_SILENT, 700 + 150},
        {use_jump, CMO_OUTCOME_ENCODER_JUMP, 700 + 20},
        {use_failed, CMO_OUTCOME_PORT_FAILED, 700 + 20},
        {use_late, CMO_OUTCOME_LATE, 20000},
        {use_unlucky_halt, CMO_OUTCOME_PORT_FAILED, 700 + 200},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        cases[i].inject(&setup);
        double end_ms;
        cmo_outcome outcome = run_with(&setup, &seek, &end_ms);
        ck_assert_msg(outcome == cases[i].outcome, "case %zu: %s", i, cmo_outcome_name(outcome));
        ck_assert_msg(end_ms <= cases[i].latest_ms, "case %zu: after %g ms", i, end_ms);
    }
}
END_TEST

START_TEST(void_ends_the_search_for_a_line_where_levels_can_tell_it_from_dark) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, cliff);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_levels levels = fitting_levels(&setup, 0.2, 0.9); // dark paint well above void
    cmo_robot_set_levels(&bench.robot, 0, &levels);
    cmo_robot_set_levels(&bench.robot, 1, &levels);
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &seek), CMO_OUTCOME_NO_FLOOR);
    ck_assert(cmo_sim_halted(bench.sim));
    cmo_sim_pass(bench.sim, 1000);
    ck_assert_double_le(cmo_sim_truth_now(bench.sim).x_mm, 600); // its wheels never leave the floor
    end_bench(&bench);
    // A line that is darker than the one by which levels were taken is one all the same.
    floor_plan darker = one_line;
    darker.luminance = 0.9;
    darker.stripe[0].luminance = 0.08;
    setup.mat = make_floor(&darker);
    start_bench(&bench, &setup, &plain_robot);
    cmo_robot_set_levels(&bench.robot, 0, &levels);
    cmo_robot_set_levels(&bench.robot, 1, &levels);
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &seek), CMO_OUTCOME_DONE);
    end_bench(&bench);
    cmo_sim_mat_free((cmo_sim_mat *)(uintptr_t)setup.mat);
}
END_TEST

START_TEST(times_and_distances_run_out) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, bare);
    double end_ms;
    cmo_line_parameters short_time = seek;
    short_time.longest_ms = 600;
    ck_assert_int_eq(run_with(&setup, &short_time, &end_ms), CMO_OUTCOME_TIME_OVER);
    ck_assert_double_eq_tol(end_ms, 620, 15);
    cmo_line_parameters short_way = seek;
    short_way.longest_mm = 300;
    ck_assert_int_eq(run_with(&setup, &short_way, &end_ms), CMO_OUTCOME_NO_LINE);

    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_robot_set_run_limit(&bench.robot, 500);
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &seek), CMO_OUTCOME_TIME_OVER);
    ck_assert_uint_eq(bench.robot.run_ms, 500);
    end_bench(&bench);
}
END_TEST

static cmo_status sample_with_stop(void *context, cmo_sample *sample) {
    cmo_status status =
        ((const cmo_port *)context)->sample(((const cmo_port *)context)->context, sample);
    sample->have |= CMO_HAVE_BUTTONS;
    sample->stop = true;
    return status;
}

static uint32_t inner_clock(void *context) {
    return ((const cmo_port *)context)->clock(((const cmo_port *)context)->context);
}

static void inner_wait(void *context, uint32_t until_us) {
    ((const cmo_port *)context)->wait(((const cmo_port *)context)->context, until_us);
}

static cmo_status inner_drive(void *context, float left, float right, uint32_t lifetime_us) {
    return ((const cmo_port *)context)
        ->drive(((const cmo_port *)context)->context, left, right, lifetime_us);
}

static cmo_status inner_halt(void *context, cmo_halt how) {
    return ((const cmo_port *)context)->halt(((const cmo_port *)context)->context, how);
}

START_TEST(the_stop_button_and_an_abort_end_any_routine) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_port inner = *bench.robot.port;
    cmo_port outer = {&inner,           inner.traits, inner_clock, inner_wait,
                      sample_with_stop, inner_drive,  inner_halt,  NULL};
    bench.robot.port = &outer;
    ck_assert_int_eq(cmo_stop_on_line(&bench.robot, &seek), CMO_OUTCOME_STOPPED);
    end_bench(&bench);

    start_bench(&bench, &setup, &plain_robot);
    cmo_line_state state;
    ck_assert_int_eq(cmo_stop_on_line_start(&bench.robot, &state, &seek), CMO_RUNNING);
    for (int i = 0; i < 30; i++) {
        cmo_wait(&bench.robot);
        ck_assert_int_eq(cmo_tick(&bench.robot), CMO_RUNNING);
    }
    cmo_abort(&bench.robot);
    cmo_wait(&bench.robot);
    ck_assert_int_eq(cmo_tick(&bench.robot), CMO_OUTCOME_ABORTED);
    ck_assert(cmo_sim_halted(bench.sim));
    end_bench(&bench);
}
END_TEST

START_TEST(glitches_late_ticks_and_lost_or_doubled_looks_do_not_end_a_run) {
    for (uint64_t seed = 1; seed <= SEEDS(30); seed++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        setup.seed = seed;
        setup.clock_start_us = 0xFFFFFFFFU - 900000U;
        setup.faults.not_yet_share = 0.08;
        setup.faults.late_share = 0.2;
        setup.faults.late_ms = 12;
        setup.faults.look_missing_share = 0.1;
        setup.faults.look_doubled_share = 0.1;
        bench_robot bench;
        start_bench(&bench, &setup, &plain_robot);
        cmo_outcome outcome = cmo_stop_on_line(&bench.robot, &seek);
        ck_assert_msg(outcome == CMO_OUTCOME_DONE, "seed %u: %s", (unsigned)seed,
                      cmo_outcome_name(outcome));
        const cmo_sim_crossing *truth =
            find_crossing(bench.sim, (unsigned)bench.robot.report.sensor, CMO_SIM_LINE);
        uint32_t us = bench.robot.report.crossing_us - setup.clock_start_us;
        ck_assert_double_eq_tol(us / 1000.0, truth->at.time_ms, 14); // 2 mm at creep
        ck_assert_double_ge(figure(&bench.robot, CMO_TICK_LATE_US), 1000);
        end_bench(&bench);
    }
}
END_TEST

START_TEST(a_program_that_hangs_leaves_the_robot_halted_and_learns_of_it) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_line_state state;
    ck_assert_int_eq(cmo_stop_on_line_start(&bench.robot, &state, &seek), CMO_RUNNING);
    for (int i = 0; i < 50; i++) {
        cmo_wait(&bench.robot);
        ck_assert_int_eq(cmo_tick(&bench.robot), CMO_RUNNING);
    }
    ck_assert_double_ge(cmo_sim_truth_now(bench.sim).speed_mm_s, 200);
    cmo_sim_pass(bench.sim, 400);
    ck_assert(cmo_sim_halted(bench.sim));
    ck_assert_uint_eq(cmo_sim_expired(bench.sim), 1);
    ck_assert_double_le(fabs(cmo_sim_truth_now(bench.sim).speed_mm_s), 1.0);
    ck_assert_int_eq(cmo_tick(&bench.robot), CMO_OUTCOME_LATE);
    ck_assert(cmo_sim_halted(bench.sim));
    end_bench(&bench);
}
END_TEST

START_TEST(a_halt_that_fails_is_repeated_and_said_until_it_succeeds) {
    paper_port paper;
    cmo_robot robot;
    cmo_advance_state state;
    start_paper(&paper, PLAIN_TRAITS);
    cmo_robot_start(&robot, &plain_robot, &paper.port);
    cmo_advance_parameters parameters = {.distance_mm = 100};
    ck_assert_int_eq(cmo_advance_start(&robot, &state, &parameters), CMO_RUNNING);
    cmo_tick(&robot);
    paper.halt_answer = CMO_NOT_YET;
    paper.answer = CMO_FAILED;
    for (unsigned i = 1; i <= 5; i++) {
        paper.clock_us += 10000;
        ck_assert_int_eq(cmo_tick(&robot), CMO_OUTCOME_PORT_FAILED);
        ck_assert_uint_eq(paper.halts, i);
        ck_assert(robot.report.motors_may_run);
    }
    paper.halt_answer = CMO_OK;
    cmo_tick(&robot);
    ck_assert(!robot.report.motors_may_run);
    unsigned halts = paper.halts;
    cmo_tick(&robot);
    ck_assert_uint_eq(paper.halts, halts);
}
END_TEST

START_TEST(a_clock_that_stands_still_does_not_hang_the_library) {
    paper_port paper;
    cmo_robot robot;
    start_paper(&paper, PLAIN_TRAITS);
    cmo_robot_start(&robot, &plain_robot, &paper.port);
    cmo_advance_state state;
    cmo_advance_parameters parameters = {.distance_mm = 100};
    ck_assert_int_eq(cmo_advance_start(&robot, &state, &parameters), CMO_RUNNING);
    cmo_outcome outcome = CMO_RUNNING;
    for (int i = 0; i < 2000 && outcome == CMO_RUNNING; i++) {
        outcome = cmo_tick(&robot);
    }
    ck_assert_int_eq(outcome, CMO_OUTCOME_PORT_FAILED);
}
END_TEST

// ------------------------------------------------------------------------------------ refusals --

START_TEST(parameters_that_make_no_sense_are_refused_before_anything_moves) {
    static const struct {
        cmo_line_parameters line;
        cmo_outcome outcome;
        const char *field;
    } lines[] = {
        {{.sensor = (cmo_sensors)9}, CMO_OUTCOME_BAD_PARAMETER, "sensor"},
        {{.tone = (cmo_tone)9}, CMO_OUTCOME_BAD_PARAMETER, "tone"},
        {{.blind_mm = -1}, CMO_OUTCOME_BAD_PARAMETER, "blind_mm"},
        {{.blind_mm = NAN}, CMO_OUTCOME_BAD_PARAMETER, "blind_mm"},
        {{.cruise_mm_s = 14}, CMO_OUTCOME_BAD_PARAMETER, "cruise_mm_s"},
        {{.cruise_mm_s = 701}, CMO_OUTCOME_BAD_PARAMETER, "cruise_mm_s"},
        {{.creep_mm_s = INFINITY}, CMO_OUTCOME_BAD_PARAMETER, "creep_mm_s"},
        {{.least_width_mm = 501}, CMO_OUTCOME_BAD_PARAMETER, "least_width_mm"},
        {{.least_width_mm = -2}, CMO_OUTCOME_BAD_PARAMETER, "least_width_mm"},
        {{.least_width_mm = 20, .most_width_mm = 19}, CMO_OUTCOME_BAD_PARAMETER, "most_width_mm"},
        {{.most_width_mm = NAN}, CMO_OUTCOME_BAD_PARAMETER, "most_width_mm"},
        {{.tone = CMO_TONE_VOID, .most_width_mm = 30}, CMO_OUTCOME_BAD_PARAMETER, "most_width_mm"},
        {{.blind_mm = 100, .longest_mm = 50}, CMO_OUTCOME_BAD_PARAMETER, "longest_mm"},
        {{.acceleration_mm_s2 = 5}, CMO_OUTCOME_BAD_PARAMETER, "acceleration_mm_s2"},
        {{.braking_mm_s2 = 60000}, CMO_OUTCOME_BAD_PARAMETER, "braking_mm_s2"},
        {{.ending = (cmo_ending)2}, CMO_OUTCOME_BAD_PARAMETER, "ending"},
        {{.halt = (cmo_halt)7}, CMO_OUTCOME_NOT_SUPPORTED, "halt"},
        {{.cruise_mm_s = 500, .least_width_mm = 5}, CMO_OUTCOME_TOO_FAST, "creep_mm_s"},
    };
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    for (size_t i = 0; i < G_N_ELEMENTS(lines); i++) {
        ck_assert_msg(cmo_drive_until_line(&bench.robot, &lines[i].line) == lines[i].outcome,
                      "line %zu", i);
        ck_assert_str_eq(bench.robot.field, lines[i].field);
    }
    ck_assert_float_eq_tol(bench.robot.limit, 400.0F, 0.5F); // 0.8 of 5 mm in 10 ms
    static const struct {
        cmo_advance_parameters advance;
        const char *field;
    } advances[] = {
        {{.distance_mm = 0}, "distance_mm"},
        {{.distance_mm = NAN}, "distance_mm"},
        {{.distance_mm = 20001}, "distance_mm"},
        {{.distance_mm = 10, .speed_mm_s = 10}, "speed_mm_s"},
        {{.distance_mm = 10, .tolerance_mm = 0.05F}, "tolerance_mm"},
        {{.distance_mm = 10, .acceleration_mm_s2 = 1}, "acceleration_mm_s2"},
        {{.distance_mm = 10, .braking_mm_s2 = 1}, "braking_mm_s2"},
        {{.distance_mm = 10, .ending = (cmo_ending)5}, "ending"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(advances); i++) {
        ck_assert_int_eq(cmo_advance(&bench.robot, &advances[i].advance),
                         CMO_OUTCOME_BAD_PARAMETER);
        ck_assert_str_eq(bench.robot.field, advances[i].field);
    }
    static const struct {
        cmo_turn_parameters turn;
        const char *field;
    } turns[] = {
        {{.angle_deg = 0}, "angle_deg"},
        {{.angle_deg = 3601}, "angle_deg"},
        {{.angle_deg = 10, .tolerance_deg = 21}, "tolerance_deg"},
        {{.angle_deg = 10, .speed_mm_s = 9000}, "speed_mm_s"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(turns); i++) {
        ck_assert_int_eq(cmo_turn(&bench.robot, &turns[i].turn), CMO_OUTCOME_BAD_PARAMETER);
        ck_assert_str_eq(bench.robot.field, turns[i].field);
    }
    cmo_action_parameters none = {.function = NULL};
    ck_assert_int_eq(cmo_action(&bench.robot, &none), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(bench.robot.field, "function");
    ck_assert_double_eq(cmo_sim_truth_now(bench.sim).time_ms, 0.0);
    end_bench(&bench);
}
END_TEST

START_TEST(a_second_routine_is_refused_while_one_runs) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    cmo_advance_state first, second;
    cmo_advance_parameters parameters = {.distance_mm = 100};
    ck_assert_int_eq(cmo_advance_start(&bench.robot, &first, &parameters), CMO_RUNNING);
    ck_assert_int_eq(cmo_advance_start(&bench.robot, &second, &parameters),
                     CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(bench.robot.field, "routine");
    ck_assert_int_eq(cmo_run(&bench.robot), CMO_OUTCOME_DONE);
    end_bench(&bench);
}
END_TEST

START_TEST(a_robot_description_that_makes_no_sense_is_refused_by_field) {
    static const struct {
        size_t offset;
        float value;
        const char *field;
    } cases[] = {
#define F(field, value) {offsetof(cmo_robot_description, field), value, #field}
        F(track_mm, 5),         F(left_step_mm, 0),  F(right_step_mm, 30),
        F(top_speed_mm_s, 1),   F(slowest_mm_s, -1), F(acceleration_mm_s2, 0),
        F(braking_mm_s2, 1e6F), F(lag_ms, 1000),     F(slowest_mm_s, 450),
#undef F
    };
    paper_port paper;
    start_paper(&paper, PLAIN_TRAITS);
    cmo_robot robot;
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        cmo_robot_description d = plain_robot;
        d.top_speed_mm_s = 400;
        *(float *)(void *)((char *)&d + cases[i].offset) = cases[i].value;
        ck_assert_int_eq(cmo_robot_start(&robot, &d, &paper.port), CMO_OUTCOME_BAD_PARAMETER);
        ck_assert_str_eq(robot.field, cases[i].field);
    }
    cmo_robot_description d = plain_robot;
    d.encoder_bits = 8; // 128 steps of 0.5 mm are 64 mm, and of 0.07 mm 9
    d.top_speed_mm_s = 660;
    ck_assert_int_eq(cmo_robot_start(&robot, &d, &paper.port), CMO_OUTCOME_DONE);
    d.right_step_mm = 0.07F;
    ck_assert_int_eq(cmo_robot_start(&robot, &d, &paper.port), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(robot.field, "encoder_bits");
    ck_assert_float_eq(robot.limit, 9);
    d = plain_robot;
    d.tick_us = 30000;
    ck_assert_int_eq(cmo_robot_start(&robot, &d, &paper.port), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(robot.field, "tick_us");
    d = plain_robot;
    d.light[1].delay_us = 60000;
    ck_assert_int_eq(cmo_robot_start(&robot, &d, &paper.port), CMO_OUTCOME_BAD_PARAMETER);
    ck_assert_str_eq(robot.field, "delay_us");
    d = plain_robot;
    d.lights = CMO_LIGHTS_MAX + 1;
    ck_assert_int_eq(cmo_robot_start(&robot, &d, &paper.port), CMO_OUTCOME_BAD_PARAMETER);
    cmo_port broken = paper.port;
    broken.halt = NULL;
    ck_assert_int_eq(cmo_robot_start(&robot, &plain_robot, &broken), CMO_OUTCOME_NOT_SUPPORTED);
    broken = paper.port;
    broken.traits = CMO_TRAIT_ENCODERS;
    ck_assert_int_eq(cmo_robot_start(&robot, &plain_robot, &broken), CMO_OUTCOME_NOT_SUPPORTED);
    ck_assert_str_eq(robot.field, "halt");
}
END_TEST

START_TEST(what_the_robot_lacks_is_refused_not_faked) {
    paper_port paper;
    cmo_robot robot;
    start_paper(&paper, CMO_TRAIT_ENCODERS | CMO_TRAIT_SPEED | CMO_TRAIT_COAST);
    cmo_robot_start(&robot, &plain_robot, &paper.port);
    cmo_advance_parameters brakes = {.distance_mm = 100, .halt = CMO_HALT_BRAKE};
    ck_assert_int_eq(cmo_advance(&robot, &brakes), CMO_OUTCOME_NOT_SUPPORTED);
    ck_assert_str_eq(robot.field, "halt");
    ck_assert_int_eq(cmo_halt_now(&robot, CMO_HALT_HOLD), CMO_FAILED);
    cmo_line_parameters plain = {.blind_mm = 0};
    ck_assert_int_eq(cmo_drive_until_line(&robot, &plain), CMO_OUTCOME_LOW_CONTRAST);
    ck_assert_str_eq(robot.field, "levels");
    cmo_levels poor = {400, 410, CMO_LEVEL_UNKNOWN, 2};
    ck_assert_int_eq(cmo_robot_set_levels(&robot, 0, &poor), CMO_OUTCOME_LOW_CONTRAST);
    ck_assert_int_eq(cmo_robot_set_levels(&robot, 2, &poor), CMO_OUTCOME_BAD_PARAMETER);
    cmo_robot_description one_sensored = plain_robot;
    one_sensored.lights = 1;
    cmo_robot_start(&robot, &one_sensored, &paper.port);
    cmo_line_parameters both = {.sensor = CMO_SENSOR_BOTH};
    ck_assert_int_eq(cmo_drive_until_line(&robot, &both), CMO_OUTCOME_NOT_SUPPORTED);
    paper.port.wait = NULL;
    cmo_advance_parameters advance = {.distance_mm = 100};
    ck_assert_int_eq(cmo_advance(&robot, &advance), CMO_OUTCOME_NOT_SUPPORTED);
    ck_assert_str_eq(robot.field, "wait");
    ck_assert_uint_eq(paper.drives, 0);
}
END_TEST

int main(void) {
    static const floor_plan empty = {.luminance = 0.6};
    static const floor_plan edge = {0.9, 1, {STRIPE(600, 900, 0, -1, CMO_SIM_VOID)}};
    mat = make_floor(&one_line);
    bare = make_floor(&empty);
    cliff = make_floor(&edge);
    const TTest *const tests[] = {
        each_fault_ends_the_routine_with_its_name_and_halted_motors,
        void_ends_the_search_for_a_line_where_levels_can_tell_it_from_dark,
        times_and_distances_run_out,
        the_stop_button_and_an_abort_end_any_routine,
        glitches_late_ticks_and_lost_or_doubled_looks_do_not_end_a_run,
        a_program_that_hangs_leaves_the_robot_halted_and_learns_of_it,
        a_halt_that_fails_is_repeated_and_said_until_it_succeeds,
        a_clock_that_stands_still_does_not_hang_the_library,
        parameters_that_make_no_sense_are_refused_before_anything_moves,
        a_second_routine_is_refused_while_one_runs,
        a_robot_description_that_makes_no_sense_is_refused_by_field,
        what_the_robot_lacks_is_refused_not_faked,
        NULL};
    int status = run_suite("faults", tests);
    cmo_sim_mat_free(mat);
    cmo_sim_mat_free(bare);
    cmo_sim_mat_free(cliff);
    return status;
}
