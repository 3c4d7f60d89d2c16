// SPDX-License-Identifier: GPL-3.0-or-later
// Stay inside, its budget and the countdown, against the truth.
#include "support.h"

#include <math.h>
#include <string.h>

// A room of 600 by 500 mm, behind a painted rim or with no floor around.
typedef struct room {
    double floor, rim; // luminance; of the rim below 0: void
    double wall_mm;    // width of the rim
    double notch_mm;   // a corner that pokes in at the upper right, 0: none
} room;

#define LEFT  100.0
#define RIGHT 700.0
#define LOW   100.0
#define HIGH  600.0

static bool in_room(const room *r, double x, double y, double by) {
    bool notch = r->notch_mm > 0.0 && x > RIGHT - r->notch_mm - by && y > HIGH - r->notch_mm - by;
    return x > LEFT + by && x < RIGHT - by && y > LOW + by && y < HIGH - by && !notch;
}

static double room_light(void *data, double x, double y, unsigned *marks) {
    const room *r = data;
    if (in_room(r, x, y, 0.0)) {
        return r->floor;
    }
    bool near = x > LEFT - r->wall_mm && x < RIGHT + r->wall_mm && y > LOW - r->wall_mm &&
                y < HIGH + r->wall_mm;
    if (r->rim < 0.0) {
        *marks |= 1U << CMO_SIM_VOID;
        return 0.0;
    }
    if (near || r->notch_mm > 0.0) {
        *marks |= 1U << CMO_SIM_BOUNDARY;
        return r->rim;
    }
    return r->floor;
}

static const room dark_room = {0.6, 0.05, 25, 0};
static const room light_room = {0.05, 0.6, 25, 0};
static const room table = {0.6, -1, 25, 0};

static cmo_sim_mat *make_room(const room *r) {
    room copy = *r;
    return cmo_sim_mat_from_function(800, 700, 2, room_light, &copy);
}

typedef struct patrol {
    cmo_sim_mat *mat;
    cmo_sim_region *region;
    cmo_robot_description description;
    bench_robot bench;
    cmo_stay_state state;
    double least_mm; // true margin
    unsigned stages; // bit n: stage n was seen
} patrol;

static void start_patrol(patrol *p, const room *r, float side_mm, uint16_t traits,
                         const cmo_sim_setup *extra) {
    p->mat = make_room(r);
    p->region = cmo_sim_region_new(p->mat, 400, 300);
    ck_assert_ptr_nonnull(p->region);
    p->description = robot_with(side_mm);
    cmo_sim_setup setup = plain_setup(&p->description, (uint16_t)(PLAIN_TRAITS | traits), p->mat);
    if (extra != NULL) {
        setup.objects = extra->objects;
        memcpy(setup.object, extra->object, sizeof setup.object);
        setup.faults = extra->faults;
    }
    setup.x_mm = 400;
    setup.y_mm = 300;
    setup.heading_deg = 20;
    start_bench(&p->bench, &setup, &p->description);
    p->least_mm = INFINITY;
    p->stages = 0;
}

static void end_patrol(patrol *p) {
    end_bench(&p->bench);
    cmo_sim_region_free(p->region);
    cmo_sim_mat_free(p->mat);
}

// Runs it to its end, or until a time, and keeps an eye on all contacts.
static cmo_outcome run_patrol(patrol *p, const cmo_stay_parameters *parameters, double until_ms) {
    cmo_robot *robot = &p->bench.robot;
    cmo_outcome outcome = cmo_stay_inside_start(robot, &p->state, parameters);
    while (outcome == CMO_RUNNING) {
        outcome = cmo_tick(robot);
        p->stages |= 1U << robot->stage;
        cmo_wait(robot);
        cmo_sim_truth now = cmo_sim_truth_now(p->bench.sim);
        double place[CMO_SIM_CONTACTS][2];
        cmo_sim_contacts(p->bench.sim, &now, place);
        for (int i = 0; i < CMO_SIM_CONTACTS; i++) {
            p->least_mm =
                fmin(p->least_mm, cmo_sim_region_margin(p->region, place[i][0], place[i][1]));
        }
        if (now.time_ms > until_ms) {
            break;
        }
    }
    return outcome;
}

START_TEST(no_wheel_goes_over_a_boundary_of_any_kind) {
    static const struct {
        const room *room;
        cmo_tone boundary;
        float side_mm;
    } kinds[] = {{&dark_room, CMO_TONE_DARK, 64}, {&light_room, CMO_TONE_LIGHT, 64},
                 {&table, CMO_TONE_VOID, 64},     {&dark_room, CMO_TONE_DARK, 45},
                 {&table, CMO_TONE_VOID, 45},     {&table, CMO_TONE_DARK, 64}};
    for (size_t i = 0; i < G_N_ELEMENTS(kinds); i++) {
        patrol p;
        start_patrol(&p, kinds[i].room, kinds[i].side_mm, 0, NULL);
        cmo_stay_parameters parameters = {.boundary = kinds[i].boundary,
                                          .convex = kinds[i].side_mm < 50.0F,
                                          .rebounds = 10,
                                          .longest_ms = CMO_NO_END};
        ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
        ck_assert_uint_eq(p.state.rebounds, 10);
        ck_assert_msg(p.least_mm > 0.5, "kind %zu: %g mm", i, p.least_mm);
        // It drives at what the budget says, and knows how near it came.
        ck_assert_float_eq(p.state.cruise_mm_s, p.state.budget.speed_mm_s);
        ck_assert_double_eq_tol((double)p.bench.robot.report.figure[CMO_TOP_SPEED_MM_S],
                                (double)p.state.cruise_mm_s, 25);
        bool sways = p.state.budget.sway_deg > 0.0F;
        ck_assert_int_eq(sways, kinds[i].side_mm < 50.0F);
        cmo_sim_pass(p.bench.sim, 300);
        ck_assert(cmo_sim_halted(p.bench.sim));
        ck_assert_double_le(fabs(cmo_sim_truth_now(p.bench.sim).speed_mm_s), 1.0);
        end_patrol(&p);
    }
}
END_TEST

START_TEST(it_turns_as_it_was_asked_to) {
    static const cmo_turn turns[] = {CMO_TURN_MIRRORED, CMO_TURN_AWAY, CMO_TURN_INWARD};
    for (size_t i = 0; i < G_N_ELEMENTS(turns); i++) {
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, NULL);
        cmo_stay_parameters parameters = {.turn = turns[i], .angle_deg = 100, .rebounds = 1};
        ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
        const cmo_rebound *r = &p.state.last;
        // The right wall, met at 20 degrees to the left of its normal.
        ck_assert(r->known);
        ck_assert_double_eq_tol((double)r->entry_deg, 20.0, 1.0);
        double exits[] = {160.0, 120.0, 180.0};
        ck_assert_double_eq_tol(fabs((double)r->exit_deg), exits[i], 1.0);
        double turned = cmo_sim_truth_now(p.bench.sim).heading_rad * 180.0 / G_PI - 20.0;
        ck_assert_double_eq_tol(turned, (double)r->asked_deg, 3.0);
        ck_assert_double_gt((double)r->asked_deg, 90.0); // to the left, the shorter way
        end_patrol(&p);
    }
}
END_TEST

START_TEST(toward_the_middle_it_comes_back_to_where_it_was) {
    patrol p;
    start_patrol(&p, &dark_room, 64, 0, NULL);
    cmo_stay_parameters parameters = {.turn = CMO_TURN_MIDDLE, .rebounds = 6};
    ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
    cmo_sim_truth end = cmo_sim_truth_now(p.bench.sim);
    double to_middle =
        atan2((double)p.state.covered_y_mm - (double)p.bench.robot.odometer.pose.y_mm,
              (double)p.state.covered_x_mm - (double)p.bench.robot.odometer.pose.x_mm);
    double off = remainder(to_middle - (double)p.bench.robot.odometer.pose.heading_rad, 2 * G_PI);
    ck_assert_double_le(fabs(off), 0.4);
    ck_assert_double_gt(end.x_mm, LEFT);
    end_patrol(&p);
}
END_TEST

START_TEST(where_one_sensor_crosses_it_feels_for_the_wall_or_guesses) {
    for (int guess = 0; guess < 2; guess++) {
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, NULL);
        cmo_stay_parameters parameters = {.guess = guess == 1, .rebounds = 8};
        cmo_robot *robot = &p.bench.robot;
        unsigned known = 0, seen = 0;
        cmo_outcome outcome = cmo_stay_inside_start(robot, &p.state, &parameters);
        for (; outcome == CMO_RUNNING; cmo_wait(robot)) {
            outcome = cmo_tick(robot);
            p.stages |= 1U << robot->stage;
            if (p.state.rebounds > seen) {
                seen = p.state.rebounds;
                known += p.state.last.known;
            }
        }
        bool felt = p.stages & 1U << CMO_STAGE_FEEL;
        ck_assert_int_eq(felt, guess == 0);
        if (guess == 0) {
            ck_assert_uint_eq(known, 8);
        } else {
            ck_assert_uint_lt(known, 8);
        }
        end_patrol(&p);
    }
}
END_TEST

START_TEST(a_corner_that_pokes_in_is_not_run_over) {
    room r = dark_room;
    r.notch_mm = 250;
    patrol p;
    start_patrol(&p, &r, 64, 0, NULL);
    cmo_stay_parameters parameters = {.rebounds = 25, .longest_ms = CMO_NO_END};
    ck_assert_int_eq(run_patrol(&p, &parameters, 240000), CMO_OUTCOME_DONE);
    ck_assert_double_gt(p.least_mm, 0.5);
    ck_assert(p.state.budget.corners);
    end_patrol(&p);
}
END_TEST

START_TEST(it_ends_by_whatever_is_asked_for) {
    cmo_sim_setup crate = {
        .objects = 1,
        .object = {{.x_mm = 580, .y_mm = 360, .radius_mm = 40, .mass_kg = 5, .friction_n = 50}}};
    cmo_sim_faults_none(&crate.faults);
    patrol p;
    start_patrol(&p, &dark_room, 64, 0, NULL);
    ck_assert_int_eq(run_patrol(&p, &(cmo_stay_parameters){.longest_ms = 4000}, INFINITY),
                     CMO_OUTCOME_DONE);
    ck_assert_double_eq_tol(figure(&p.bench.robot, CMO_ELAPSED_MS), 4200, 2500);
    double way = figure(&p.bench.robot, CMO_TRAVELLED_MM);
    ck_assert_int_eq(run_patrol(&p, &(cmo_stay_parameters){.distance_mm = 150}, INFINITY),
                     CMO_OUTCOME_DONE);
    ck_assert_double_gt(figure(&p.bench.robot, CMO_TRAVELLED_MM), 140);
    ck_assert_double_gt(way, 200);
    // The caller.
    cmo_stay_parameters forever = {.longest_ms = CMO_NO_END};
    ck_assert_int_eq(run_patrol(&p, &forever, 9000), CMO_RUNNING);
    cmo_stay_inside_end(&p.state);
    ck_assert_int_eq(cmo_run(&p.bench.robot), CMO_OUTCOME_DONE);
    end_patrol(&p);
    start_patrol(&p, &dark_room, 64, CMO_TRAIT_RANGE | CMO_TRAIT_TOUCH, &crate);
    ck_assert_int_eq(run_patrol(&p, &(cmo_stay_parameters){.range_mm = 60}, INFINITY),
                     CMO_OUTCOME_DONE);
    ck_assert_uint_eq(p.state.rebounds, 0);
    ck_assert_double_eq_tol(cmo_sim_range(p.bench.sim), 35, 30); // it stands a little further on
    ck_assert_int_eq(run_patrol(&p, &(cmo_stay_parameters){.touch = 3}, INFINITY),
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
    cmo_stay_parameters parameters = {.charge_mm = 200, .scan_deg = 90, .rebounds = 3};
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
    for (int i = 0; i < 7; i++) {
        cmo_sim_setup broken = {.objects = 0};
        cmo_sim_faults_none(&broken.faults);
        broken.faults.light_silent_at_ms[i % 2] = 700.0 + 310.0 * i;
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, &broken);
        ck_assert_int_eq(run_patrol(&p, &(cmo_stay_parameters){.longest_ms = 20000}, INFINITY),
                         CMO_OUTCOME_SENSOR_SILENT);
        ck_assert_int_eq(p.bench.robot.report.sensor, i % 2);
        cmo_sim_pass(p.bench.sim, 300);
        ck_assert(cmo_sim_halted(p.bench.sim));
        end_patrol(&p);
    }
}
END_TEST

START_TEST(in_a_room_too_small_to_go_anywhere_it_gives_up) {
    static const room cell = {0.6, 0.05, 25, 0};
    patrol p;
    start_patrol(&p, &cell, 64, 0, NULL);
    // A boundary everywhere: the floor itself counts as one.
    cmo_stay_parameters parameters = {.band = {0.5F, 1.5F}, .longest_ms = CMO_NO_END};
    ck_assert_int_eq(run_patrol(&p, &parameters, 120000), CMO_OUTCOME_CORNERED);
    cmo_sim_pass(p.bench.sim, 300);
    ck_assert(cmo_sim_halted(p.bench.sim));
    end_patrol(&p);
}
END_TEST

START_TEST(put_down_on_the_rim_it_turns_off_it) {
    patrol p;
    start_patrol(&p, &dark_room, 64, 0, NULL);
    end_bench(&p.bench);
    cmo_sim_setup setup = plain_setup(&p.description, PLAIN_TRAITS, p.mat);
    setup.x_mm = RIGHT - 65; // both spots beyond the edge, the wheels inside
    setup.y_mm = 350;
    start_bench(&p.bench, &setup, &p.description);
    cmo_stay_parameters parameters = {.rebounds = 3};
    ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
    ck_assert_double_gt(p.least_mm, 0.5);
    end_patrol(&p);
}
END_TEST

START_TEST(without_levels_nothing_moves) {
    paper_port paper;
    start_paper(&paper, PLAIN_TRAITS);
    cmo_robot robot;
    cmo_stay_state state;
    ck_assert_int_eq(cmo_robot_start(&robot, &plain_robot, &paper.port), CMO_OUTCOME_DONE);
    ck_assert_int_eq(cmo_stay_inside_start(&robot, &state, &(cmo_stay_parameters){.convex = true}),
                     CMO_OUTCOME_LOW_CONTRAST);
    ck_assert_str_eq(robot.field, "levels");
    ck_assert_ptr_null(robot.routine);
    ck_assert_uint_eq(paper.drives, 0);
}
END_TEST

START_TEST(parameters_that_make_no_sense_are_refused_by_name) {
    static const struct {
        cmo_stay_parameters p;
        cmo_outcome outcome;
        const char *field;
    } bad[] = {
        {{.boundary = (cmo_tone)9}, CMO_OUTCOME_BAD_PARAMETER, "boundary"},
        {{.turn = (cmo_turn)9}, CMO_OUTCOME_BAD_PARAMETER, "turn"},
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
    cmo_stay_parameters fast = {.cruise_mm_s = 690, .too_fast = CMO_TOO_FAST_SLOW, .rebounds = 1};
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
    ck_assert_int_eq(cmo_stay_inside_start(&p.bench.robot, &p.state,
                                           &(cmo_stay_parameters){.grazing = CMO_GRAZING_REFUSE}),
                     CMO_OUTCOME_TOO_FAST);
    ck_assert_str_eq(p.bench.robot.field, "grazing");
    ck_assert_int_eq(cmo_stay_inside_start(&p.bench.robot, &p.state, &(cmo_stay_parameters){0}),
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
    ck_assert_int_eq(cmo_stay_inside_start(robot, &p.state, &(cmo_stay_parameters){.convex = true}),
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
        cmo_stay_state state;
        start_paper(&paper, PLAIN_TRAITS);
        ck_assert_int_eq(cmo_robot_start(&robot, &d, &paper.port), CMO_OUTCOME_DONE);
        cmo_levels levels = {.dark = 100, .light = 700, .void_counts = CMO_LEVEL_UNKNOWN};
        cmo_robot_set_levels(&robot, 0, &levels);
        cmo_robot_set_levels(&robot, 1, &levels);
        cmo_stay_parameters parameters = {.margin_mm = 3};
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

// The documented default of slowest_mm_s, 0, is no speed that a robot ever falls below.
START_TEST(without_a_known_slowest_speed_it_rebounds_all_the_same) {
    patrol p;
    start_patrol(&p, &dark_room, 64, 0, NULL);
    end_bench(&p.bench);
    p.description.slowest_mm_s = 0;
    cmo_sim_setup setup = plain_setup(&p.description, PLAIN_TRAITS, p.mat);
    setup.x_mm = 400;
    setup.y_mm = 300;
    setup.heading_deg = 20;
    start_bench(&p.bench, &setup, &p.description);
    ck_assert_int_eq(run_patrol(&p, &(cmo_stay_parameters){.longest_ms = 6000}, INFINITY),
                     CMO_OUTCOME_DONE);
    ck_assert_uint_ge(p.state.rebounds, 2);
    ck_assert_double_lt(figure(&p.bench.robot, CMO_ELAPSED_MS), 7000);
    ck_assert_double_gt(p.least_mm, 0.5);
    end_patrol(&p);
}
END_TEST

// A ball in front of the axle comes to the boundary before the tyres do.
START_TEST(a_contact_ahead_of_the_axle_is_counted) {
    double least[2];
    float speed[2];
    for (int stated = 0; stated < 2; stated++) {
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, NULL);
        end_bench(&p.bench);
        p.description.rear_mm = 20;
        p.description.front_mm = stated ? 45 : 0;
        cmo_sim_setup setup = plain_setup(&p.description, PLAIN_TRAITS, p.mat);
        setup.plant.caster_behind_mm = -45;
        setup.plant.caster_trail_mm = 0;
        setup.x_mm = 400;
        setup.y_mm = 300;
        start_bench(&p.bench, &setup, &p.description);
        cmo_stay_parameters parameters = {.convex = true, .rebounds = 6, .longest_ms = CMO_NO_END};
        ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
        least[stated] = p.least_mm;
        speed[stated] = p.state.cruise_mm_s;
        end_patrol(&p);
    }
    ck_assert_double_lt(least[0], 0.0); // the simulated ball does go over
    ck_assert_double_gt(least[1], 0.5);
    ck_assert_float_lt(speed[1], 0.8F * speed[0]);
}
END_TEST

// Tyres that hold less than is stated: the encoders see nothing of it, the light does.
START_TEST(where_stops_take_longer_it_drives_slower) {
    float share[2];
    for (int slips = 0; slips < 2; slips++) {
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, NULL);
        end_bench(&p.bench);
        cmo_sim_setup setup = plain_setup(&p.description, PLAIN_TRAITS, p.mat);
        setup.plant.grip_m_s2 = slips ? 1.6 : setup.plant.grip_m_s2;
        setup.x_mm = 400;
        setup.y_mm = 300;
        start_bench(&p.bench, &setup, &p.description);
        // What a first stop takes has yet to be seen.
        cmo_stay_parameters parameters = {.rebounds = 1, .longest_ms = CMO_NO_END};
        ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
        ck_assert_float_eq_tol(p.state.last.speed_mm_s, 0.8F * p.state.cruise_mm_s, 10.0F);
        parameters.rebounds = 8;
        ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
        ck_assert_double_gt(p.least_mm, 0.5);
        share[slips] = p.state.share;
        end_patrol(&p);
    }
    ck_assert_float_gt(share[0], 0.9F);
    ck_assert_float_lt(share[1], 0.85F);
}
END_TEST

// On a floor that is a little darker than the one of the levels it patrols all the same; a reading
// halfway to the boundary may be anything.
START_TEST(it_goes_by_the_floor_that_it_stands_on) {
    static const struct {
        double floor;
        bool goes;
    } cases[] = {{0.6, true}, {0.5, true}, {0.42, true}, {0.7, true}, {0.3, false}};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        room other = dark_room;
        other.floor = cases[i].floor;
        patrol p;
        start_patrol(&p, &other, 64, 0, NULL);
        cmo_stay_parameters parameters = {.rebounds = 3, .longest_ms = 60000};
        cmo_outcome outcome = run_patrol(&p, &parameters, INFINITY);
        ck_assert_int_eq(outcome, cases[i].goes ? CMO_OUTCOME_DONE : CMO_OUTCOME_LOW_CONTRAST);
        ck_assert_uint_eq(p.state.rebounds, cases[i].goes ? 3 : 0);
        if (cases[i].goes) {
            ck_assert_double_gt(p.least_mm, 0.5);
        } else {
            ck_assert_str_eq(p.bench.robot.field, "levels");
            ck_assert_double_eq(cmo_sim_truth_now(p.bench.sim).way_mm, 0.0);
        }
        end_patrol(&p);
    }
}
END_TEST

// Asked to end, or out of time, in whatever it does: at the next tick, and halted.
START_TEST(it_ends_at_the_next_tick_in_any_stage) {
    static const cmo_stage stages[] = {CMO_STAGE_PATROL, CMO_STAGE_BRAKE, CMO_STAGE_TURN,
                                       CMO_STAGE_FEEL,   CMO_STAGE_BACK,  CMO_STAGE_SCAN,
                                       CMO_STAGE_CHARGE};
    for (size_t i = 0; i < G_N_ELEMENTS(stages); i++) {
        cmo_stage stage = stages[i];
        cmo_sim_setup crate = {
            .objects = 1,
            .object = {
                {.x_mm = 550, .y_mm = 355, .radius_mm = 30, .mass_kg = 0.2, .friction_n = 0.6}}};
        cmo_sim_faults_none(&crate.faults);
        patrol p;
        start_patrol(&p, &dark_room, 45, CMO_TRAIT_RANGE, &crate);
        cmo_stay_parameters parameters = {.convex = true, .charge_mm = 200, .scan_deg = 90};
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
        end_bench(&p.bench);
        cmo_sim_setup setup = plain_setup(&p.description, PLAIN_TRAITS, p.mat);
        setup.x_mm = 180;
        setup.y_mm = LOW + (i == 0 ? 150 : 75);
        setup.heading_deg = -to_wall_deg[i];
        start_bench(&p.bench, &setup, &p.description);
        cmo_stay_parameters parameters = {.grazing = CMO_GRAZING_ACCEPT, .rebounds = 1};
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
                                  it_turns_as_it_was_asked_to,
                                  toward_the_middle_it_comes_back_to_where_it_was,
                                  where_one_sensor_crosses_it_feels_for_the_wall_or_guesses,
                                  a_corner_that_pokes_in_is_not_run_over,
                                  it_ends_by_whatever_is_asked_for,
                                  it_charges_what_is_in_range_but_the_rim_goes_first,
                                  a_fault_halts_it_wherever_it_is,
                                  in_a_room_too_small_to_go_anywhere_it_gives_up,
                                  put_down_on_the_rim_it_turns_off_it,
                                  without_levels_nothing_moves,
                                  parameters_that_make_no_sense_are_refused_by_name,
                                  it_sways_as_its_budget_has_it,
                                  a_robot_that_cannot_be_safe_is_told_what_would_do,
                                  a_contact_ahead_of_the_axle_is_counted,
                                  where_stops_take_longer_it_drives_slower,
                                  it_goes_by_the_floor_that_it_stands_on,
                                  without_a_known_slowest_speed_it_rebounds_all_the_same,
                                  it_ends_at_the_next_tick_in_any_stage,
                                  straight_at_a_grazing_angle_the_budget_tells_which_wheels_go_over,
                                  NULL};
    return run_suite("stay", tests);
}
