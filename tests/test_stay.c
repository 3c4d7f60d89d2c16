// SPDX-License-Identifier: GPL-3.0-or-later
// Stay inside, its budget, its ends and its refusals, against the truth.
#include "room.h"

#include <math.h>
#include <string.h>

START_TEST(no_wheel_goes_over_a_boundary_of_any_kind) {
    static const struct {
        const room *room;
        cmo_tone boundary;
        float side_mm;
    } kinds[] = {{&dark_room, CMO_TONE_DARK, 64}, {&light_room, CMO_TONE_LIGHT, 64},
                 {&table, CMO_TONE_VOID, 64},     {&dark_room, CMO_TONE_DARK, 45},
                 {&table, CMO_TONE_VOID, 45},     {&table, CMO_TONE_DARK, 64},
                 {&dark_room, CMO_TONE_DARK, 33}, {&table, CMO_TONE_VOID, 33}};
    for (size_t i = 0; i < G_N_ELEMENTS(kinds); i++) {
        patrol p;
        start_patrol(&p, kinds[i].room, kinds[i].side_mm, 0, NULL);
        cmo_stay_inside_parameters parameters = {.boundary = kinds[i].boundary,
                                                 .convex = kinds[i].side_mm < 50.0F,
                                                 .rebounds = 10,
                                                 .for_ms = CMO_NO_END};
        ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
        ck_assert_uint_eq(p.state.rebounds, 10);
        ck_assert_msg(p.least_mm > 0.5, "kind %zu: %g mm", i, p.least_mm);
        // It drives at what the budget says, and knows how near it came.
        ck_assert_float_eq(p.state.cruise_mm_s, p.state.budget.speed_mm_s);
        ck_assert_double_eq_tol((double)p.bench.robot.report.figure[CMO_TOP_SPEED_MM_S],
                                (double)p.state.cruise_mm_s, 25);
        bool sways = p.state.budget.sway_deg > 0.0F;
        ck_assert_int_eq(sways, kinds[i].side_mm < 50.0F);
        ck_assert_int_eq(p.state.budget.sway_deg > 33.0F, kinds[i].side_mm < 40.0F);
        cmo_sim_pass(p.bench.sim, 300);
        ck_assert(cmo_sim_halted(p.bench.sim));
        ck_assert_double_le(fabs(cmo_sim_truth_now(p.bench.sim).speed_mm_s), 1.0);
        end_patrol(&p);
    }
}
END_TEST

START_TEST(it_ends_by_whatever_is_asked_for) {
    cmo_sim_setup crate = {
        .objects = 1,
        .object = {{.x_mm = 580, .y_mm = 360, .radius_mm = 40, .mass_kg = 5, .friction_n = 50}}};
    cmo_sim_faults_none(&crate.faults);
    patrol p;
    start_patrol(&p, &dark_room, 64, 0, NULL);
    ck_assert_int_eq(run_patrol(&p, &(cmo_stay_inside_parameters){.for_ms = 4000}, INFINITY),
                     CMO_OUTCOME_DONE);
    ck_assert_double_eq_tol(figure(&p.bench.robot, CMO_ELAPSED_MS), 4200, 2500);
    double way = figure(&p.bench.robot, CMO_TRAVELLED_MM);
    ck_assert_int_eq(run_patrol(&p, &(cmo_stay_inside_parameters){.distance_mm = 150}, INFINITY),
                     CMO_OUTCOME_DONE);
    ck_assert_double_gt(figure(&p.bench.robot, CMO_TRAVELLED_MM), 140);
    ck_assert_double_gt(way, 200);
    // The caller.
    cmo_stay_inside_parameters forever = {.for_ms = CMO_NO_END};
    ck_assert_int_eq(run_patrol(&p, &forever, 9000), CMO_RUNNING);
    cmo_stay_inside_end(&p.state);
    ck_assert_int_eq(cmo_run(&p.bench.robot), CMO_OUTCOME_DONE);
    end_patrol(&p);
    start_patrol(&p, &dark_room, 64, CMO_TRAIT_RANGE | CMO_TRAIT_TOUCH, &crate);
    ck_assert_int_eq(run_patrol(&p, &(cmo_stay_inside_parameters){.range_mm = 60}, INFINITY),
                     CMO_OUTCOME_DONE);
    ck_assert_uint_eq(p.state.rebounds, 0);
    ck_assert_double_eq_tol(cmo_sim_range(p.bench.sim), 35, 30); // it stands a little further on
    ck_assert_int_eq(run_patrol(&p, &(cmo_stay_inside_parameters){.touch = 3}, INFINITY),
                     CMO_OUTCOME_DONE);
    ck_assert_double_le(cmo_sim_range(p.bench.sim), 3);
    end_patrol(&p);
}
END_TEST

START_TEST(it_charges_what_is_in_range_but_the_rim_goes_first) {
    cmo_sim_setup crate = {
        .objects = 1,
        .object = {{.x_mm = 550, .y_mm = 355, .radius_mm = 30, .mass_kg = 0.2, .friction_n = 0.6}}};
    cmo_sim_faults_none(&crate.faults);
    patrol p;
    start_patrol(&p, &dark_room, 64, CMO_TRAIT_RANGE, &crate);
    cmo_stay_inside_parameters parameters = {.charge_mm = 200, .scan_deg = 90, .rebounds = 3};
    ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
    ck_assert(p.stages & 1U << CMO_STAGE_CHARGE);
    ck_assert(p.stages & 1U << CMO_STAGE_SCAN);
    double x, y;
    cmo_sim_object_now(p.bench.sim, 0, &x, &y);
    ck_assert_double_gt(x, 630); // pushed towards the rim
    ck_assert_double_gt(p.least_mm, 0.5);
    end_patrol(&p);
}
END_TEST

START_TEST(a_fault_halts_it_wherever_it_is) {
    for (int i = 0; i < 7; i += (int)EACH) {
        cmo_sim_setup broken = {.objects = 0};
        cmo_sim_faults_none(&broken.faults);
        broken.faults.light_silent_at_ms[i % 2] = 700.0 + 310.0 * i;
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, &broken);
        ck_assert_int_eq(run_patrol(&p, &(cmo_stay_inside_parameters){.for_ms = 20000}, INFINITY),
                         CMO_OUTCOME_SENSOR_SILENT);
        ck_assert_int_eq(p.bench.robot.report.sensor, i % 2);
        cmo_sim_pass(p.bench.sim, 300);
        ck_assert(cmo_sim_halted(p.bench.sim));
        end_patrol(&p);
    }
}
END_TEST

START_TEST(without_levels_nothing_moves) {
    paper_port paper;
    start_paper(&paper, PLAIN_TRAITS);
    cmo_robot robot;
    cmo_stay_inside_state state;
    ck_assert_int_eq(cmo_robot_start(&robot, &plain_robot, &paper.port), CMO_OUTCOME_DONE);
    ck_assert_int_eq(
        cmo_stay_inside_start(&robot, &state, &(cmo_stay_inside_parameters){.convex = true}),
        CMO_OUTCOME_LOW_CONTRAST);
    ck_assert_str_eq(robot.field, "levels");
    ck_assert_ptr_null(robot.routine);
    ck_assert_uint_eq(paper.drives, 0);
}
END_TEST

START_TEST(parameters_that_make_no_sense_are_refused_by_name) {
    static const struct {
        cmo_stay_inside_parameters p;
        cmo_outcome outcome;
        const char *field;
    } bad[] = {
        {{.boundary = (cmo_tone)9}, CMO_OUTCOME_BAD_PARAMETER, "boundary"},
        {{.leave = (cmo_leaving)9}, CMO_OUTCOME_BAD_PARAMETER, "leave"},
        {{.grazing = (cmo_grazing)9}, CMO_OUTCOME_BAD_PARAMETER, "grazing"},
        {{.too_fast = (cmo_too_fast)9}, CMO_OUTCOME_BAD_PARAMETER, "too_fast"},
        {{.band = {2.0F, 1.0F}}, CMO_OUTCOME_BAD_PARAMETER, "band"},
        {{.angle_deg = 5}, CMO_OUTCOME_BAD_PARAMETER, "angle_deg"},
        {{.margin_mm = -1}, CMO_OUTCOME_BAD_PARAMETER, "margin_mm"},
        {{.braking_mm_s2 = NAN}, CMO_OUTCOME_BAD_PARAMETER, "braking_mm_s2"},
        {{.distance_mm = -3}, CMO_OUTCOME_BAD_PARAMETER, "distance_mm"},
        {{.scan_deg = 400}, CMO_OUTCOME_BAD_PARAMETER, "scan_deg"},
        {{.range_mm = 100}, CMO_OUTCOME_NOT_SUPPORTED, "range_mm"},
        {{.charge_mm = 100}, CMO_OUTCOME_NOT_SUPPORTED, "charge_mm"},
        {{.touch = 1}, CMO_OUTCOME_NOT_SUPPORTED, "touch"},
        {{.cruise_mm_s = 690}, CMO_OUTCOME_TOO_FAST, "cruise_mm_s"},
        {{.charge_touch = 1}, CMO_OUTCOME_NOT_SUPPORTED, "charge_touch"},
        {{.push_longest_mm = 10}, CMO_OUTCOME_BAD_PARAMETER, "push_longest_mm"},
        {{.charge_mm_s = 690}, CMO_OUTCOME_TOO_FAST, "charge_mm_s"},
        {{.margin_mm = 69}, CMO_OUTCOME_TOO_FAST, "margin_mm"},
        {{.cruise_mm_s = -150}, CMO_OUTCOME_BAD_PARAMETER, "cruise_mm_s"},
        {{.cruise_mm_s = -1e30F}, CMO_OUTCOME_BAD_PARAMETER, "cruise_mm_s"},
        {{.cruise_mm_s = NAN}, CMO_OUTCOME_BAD_PARAMETER, "cruise_mm_s"},
        {{.cruise_mm_s = INFINITY}, CMO_OUTCOME_BAD_PARAMETER, "cruise_mm_s"},
        {{.cruise_mm_s = 14}, CMO_OUTCOME_BAD_PARAMETER, "cruise_mm_s"},
        {{.charge_mm_s = -150, .too_fast = CMO_TOO_FAST_ACCEPT},
         CMO_OUTCOME_BAD_PARAMETER,
         "charge_mm_s"},
        {{.charge_mm_s = NAN, .too_fast = CMO_TOO_FAST_SLOW},
         CMO_OUTCOME_BAD_PARAMETER,
         "charge_mm_s"},
    };
    patrol p;
    start_patrol(&p, &dark_room, 64, 0, NULL);
    for (size_t i = 0; i < G_N_ELEMENTS(bad); i++) {
        ck_assert_int_eq(cmo_stay_inside_start(&p.bench.robot, &p.state, &bad[i].p),
                         bad[i].outcome);
        ck_assert_str_eq(p.bench.robot.field, bad[i].field);
        ck_assert_ptr_null(p.bench.robot.routine);
    }
    // Slowed down instead, or driven all the same.
    cmo_stay_inside_parameters fast = {
        .cruise_mm_s = 690, .too_fast = CMO_TOO_FAST_SLOW, .rebounds = 1};
    ck_assert_int_eq(run_patrol(&p, &fast, INFINITY), CMO_OUTCOME_DONE);
    ck_assert_float_eq(p.state.cruise_mm_s, p.state.budget.speed_mm_s);
    fast.too_fast = CMO_TOO_FAST_ACCEPT;
    ck_assert_double_gt(p.least_mm, 0.5);
    ck_assert_int_eq(run_patrol(&p, &fast, INFINITY), CMO_OUTCOME_DONE);
    ck_assert_float_eq(p.state.cruise_mm_s, 690.0F);
    ck_assert_double_lt(p.least_mm, 0.0);
    end_patrol(&p);
    // Blind angles, and neither swaying nor taking the risk.
    start_patrol(&p, &dark_room, 45, 0, NULL);
    ck_assert_int_eq(
        cmo_stay_inside_start(&p.bench.robot, &p.state,
                              &(cmo_stay_inside_parameters){.grazing = CMO_GRAZING_REFUSE}),
        CMO_OUTCOME_TOO_FAST);
    ck_assert_str_eq(p.bench.robot.field, "grazing");
    ck_assert_int_eq(
        cmo_stay_inside_start(&p.bench.robot, &p.state, &(cmo_stay_inside_parameters){0}),
        CMO_OUTCOME_TOO_FAST);
    ck_assert_str_eq(p.bench.robot.field, "convex");
    end_patrol(&p);
}
END_TEST

// A robot that sways late would not look where its budget thinks that it does.
START_TEST(it_sways_as_its_budget_has_it) {
    patrol p;
    start_patrol(&p, &dark_room, 45, 0, NULL);
    cmo_robot *robot = &p.bench.robot;
    double start = cmo_sim_truth_now(p.bench.sim).heading_rad;
    ck_assert_int_eq(
        cmo_stay_inside_start(robot, &p.state, &(cmo_stay_inside_parameters){.convex = true}),
        CMO_RUNNING);
    double widest = 0.0;
    while (cmo_tick(robot) == CMO_RUNNING && robot->stage <= CMO_STAGE_PATROL &&
           p.state.rebounds == 0 && robot->stage != CMO_STAGE_BRAKE) {
        cmo_wait(robot);
        cmo_sim_truth now = cmo_sim_truth_now(p.bench.sim);
        double amplitude = (double)p.state.budget.sway_deg * G_PI / 180.0;
        double wanted = amplitude * sin(2.0 * G_PI * now.way_mm / (double)p.state.budget.sway_mm);
        double off = remainder(now.heading_rad - start, 2.0 * G_PI);
        widest = fmax(widest, fabs(off));
        ck_assert_msg(fabs(off - wanted) < 0.14, "%.1f degrees off after %.0f mm",
                      (off - wanted) * 180.0 / G_PI, now.way_mm);
    }
    ck_assert_double_gt(widest, 0.8 * (double)p.state.budget.sway_deg * G_PI / 180.0);
    end_patrol(&p);
}
END_TEST

// What a refusal names is what would do: patrolled with it, it starts.
START_TEST(a_robot_that_cannot_be_safe_is_told_what_would_do) {
    static const struct {
        float side_mm, ahead_mm;
        const char *field;
    } cases[] = {{64, 70, NULL},      {60, 70, "convex"},   {45, 70, "convex"},
                 {45, 30, "grazing"}, {64, 2, "margin_mm"}, {45, 5, "margin_mm"}};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        cmo_robot_description d = robot_with(cases[i].side_mm);
        d.light[0].ahead_mm = d.light[1].ahead_mm = cases[i].ahead_mm;
        paper_port paper;
        cmo_robot robot;
        cmo_stay_inside_state state;
        start_paper(&paper, PLAIN_TRAITS);
        ck_assert_int_eq(cmo_robot_start(&robot, &d, &paper.port), CMO_OUTCOME_DONE);
        cmo_levels levels = {.dark = 100, .light = 700, .void_counts = CMO_LEVEL_UNKNOWN};
        cmo_robot_set_levels(&robot, 0, &levels);
        cmo_robot_set_levels(&robot, 1, &levels);
        cmo_stay_inside_parameters parameters = {.margin_mm = 3};
        cmo_outcome outcome = cmo_stay_inside_start(&robot, &state, &parameters);
        ck_assert_int_eq(outcome, cases[i].field == NULL ? CMO_RUNNING : CMO_OUTCOME_TOO_FAST);
        if (cases[i].field != NULL) {
            ck_assert_msg(strcmp(robot.field, cases[i].field) == 0, "%zu: %s", i, robot.field);
            bool convex = strcmp(cases[i].field, "convex") == 0;
            bool grazing = strcmp(cases[i].field, "grazing") == 0;
            parameters.convex = convex || grazing;
            parameters.grazing = grazing ? CMO_GRAZING_ACCEPT : CMO_GRAZING_SWAY;
            parameters.margin_mm = convex || grazing ? 3 : 0.5F;
            outcome = cmo_stay_inside_start(&robot, &state, &parameters);
            ck_assert_int_eq(outcome, convex || grazing ? CMO_RUNNING : CMO_OUTCOME_TOO_FAST);
        }
    }
}
END_TEST

// Asked to end, or out of time, in whatever it does: at the next tick, and halted.
START_TEST(it_ends_at_the_next_tick_in_any_stage) {
    static const cmo_stage stages[] = {CMO_STAGE_PATROL, CMO_STAGE_BRAKE, CMO_STAGE_TURN,
                                       CMO_STAGE_FEEL,   CMO_STAGE_BACK,  CMO_STAGE_SCAN,
                                       CMO_STAGE_CHARGE};
    for (size_t i = 0; i < G_N_ELEMENTS(stages); i += EACH) {
        cmo_stage stage = stages[i];
        cmo_sim_setup crate = {
            .objects = 1,
            .object = {
                {.x_mm = 550, .y_mm = 355, .radius_mm = 30, .mass_kg = 0.2, .friction_n = 0.6}}};
        cmo_sim_faults_none(&crate.faults);
        patrol p;
        start_patrol(&p, &dark_room, 45, CMO_TRAIT_RANGE, &crate);
        cmo_stay_inside_parameters parameters = {.convex = true, .charge_mm = 200, .scan_deg = 90};
        cmo_robot *robot = &p.bench.robot;
        ck_assert_int_eq(cmo_stay_inside_start(robot, &p.state, &parameters), CMO_RUNNING);
        while (robot->stage != stage) {
            ck_assert_uint_lt(robot->elapsed_ms, 20000);
            ck_assert_int_eq(cmo_tick(robot), CMO_RUNNING);
            cmo_wait(robot);
        }
        cmo_stay_inside_end(&p.state);
        unsigned ticks = 0;
        while (cmo_tick(robot) == CMO_RUNNING) {
            cmo_wait(robot);
            ticks++;
        }
        // Braked from its speed as from any other, then halted.
        ck_assert_msg(ticks <= 30, "stage %u: %u ticks late", stage, ticks);
        ck_assert_int_eq(robot->report.outcome, CMO_OUTCOME_DONE);
        cmo_sim_pass(p.bench.sim, 20);
        ck_assert(cmo_sim_halted(p.bench.sim));
        end_patrol(&p);
    }
}
END_TEST

START_TEST(straight_at_a_grazing_angle_the_budget_tells_which_wheels_go_over) {
    // Along the lower wall, drifting towards it: accepted angles hold, blind ones do not.
    static const double to_wall_deg[] = {45, 8};
    for (int i = 0; i < 2; i++) {
        patrol p;
        start_patrol(&p, &dark_room, 45, 0, NULL);
        cmo_sim_setup setup = patrol_setup(&p, 180, LOW + (i == 0 ? 150 : 75), -to_wall_deg[i]);
        start_again(&p, &setup);
        cmo_stay_inside_parameters parameters = {.grazing = CMO_GRAZING_ACCEPT, .rebounds = 1};
        ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
        if (i == 0) {
            ck_assert_double_gt(p.least_mm, 1.0);
        } else {
            ck_assert_double_lt(p.least_mm, 0.0);
        }
        end_patrol(&p);
    }
}
END_TEST

int main(void) {
    const TTest *const tests[] = {no_wheel_goes_over_a_boundary_of_any_kind,
                                  it_ends_by_whatever_is_asked_for,
                                  it_charges_what_is_in_range_but_the_rim_goes_first,
                                  a_fault_halts_it_wherever_it_is,
                                  without_levels_nothing_moves,
                                  parameters_that_make_no_sense_are_refused_by_name,
                                  it_sways_as_its_budget_has_it,
                                  a_robot_that_cannot_be_safe_is_told_what_would_do,
                                  it_ends_at_the_next_tick_in_any_stage,
                                  straight_at_a_grazing_angle_the_budget_tells_which_wheels_go_over,
                                  NULL};
    return run_suite("stay", tests);
}
