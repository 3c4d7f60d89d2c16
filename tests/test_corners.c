// SPDX-License-Identifier: GPL-3.0-or-later
// A patrol where boundaries are near on more than one side.
#include "room.h"

#include <math.h>

START_TEST(a_corner_that_pokes_in_is_not_run_over) {
    room r = dark_room;
    r.notch_mm = 250;
    patrol p;
    start_patrol(&p, &r, 64, 0, NULL);
    cmo_stay_inside_parameters parameters = {.rebounds = 25, .for_ms = CMO_NO_END};
    ck_assert_int_eq(run_patrol(&p, &parameters, 240000), CMO_OUTCOME_DONE);
    ck_assert_double_gt(p.least_mm, 0.5);
    ck_assert(p.state.budget.corners);
    end_patrol(&p);
}
END_TEST

START_TEST(in_a_room_too_small_to_go_anywhere_it_gives_up) {
    static const room cell = {0.6, 0.05, 25, 0};
    patrol p;
    start_patrol(&p, &cell, 64, 0, NULL);
    // A boundary everywhere: the floor itself counts as one.
    cmo_stay_inside_parameters parameters = {.band = {0.5F, 1.5F}, .for_ms = CMO_NO_END};
    ck_assert_int_eq(run_patrol(&p, &parameters, 120000), CMO_OUTCOME_CORNERED);
    cmo_sim_pass(p.bench.sim, 300);
    ck_assert(cmo_sim_halted(p.bench.sim));
    end_patrol(&p);
}
END_TEST

// Where the run began, by the wheels, and how far it has gone back beyond that at most.
static void watch_way_back(const patrol *p, double *seen) {
    const cmo_robot *robot = &p->bench.robot;
    double way = (double)cmo_way_mm(robot);
    bool began = robot->stage == CMO_STAGE_PATROL && seen[2] != CMO_STAGE_PATROL;
    seen[2] = robot->stage;
    seen[0] = began ? way : seen[0];
    seen[1] = fmax(seen[1], seen[0] - way);
    seen[3] += p->state.answers > 0;
}

START_TEST(in_corners_it_backs_off_no_further_than_it_has_come) {
    patrol p;
    const room corner = {0.6, 0.05, 25, 260};
    start_patrol(&p, &corner, 64, 0, NULL);
    p.description.lag_ms = 150;
    p.description.acceleration_mm_s2 = 2700;
    p.description.braking_mm_s2 = 2700;
    double answered = 0.0, worst = 0.0;
    for (int heading = 0; heading < 360; heading += 30) {
        cmo_sim_setup setup = patrol_setup(&p, 340, 240, heading);
        setup.plant.motor_lag_ms = 40;
        setup.plant.grip_m_s2 = 6.0;
        setup.plant.regulator_ramp_mm_s2 = 1200;
        start_again(&p, &setup);
        cmo_stay_inside_parameters parameters = {.rebounds = 8, .for_ms = CMO_NO_END};
        double seen[4] = {0.0};
        cmo_outcome outcome = watch_patrol(&p, &parameters, watch_way_back, seen);
        ck_assert(outcome == CMO_OUTCOME_DONE || outcome == CMO_OUTCOME_CORNERED);
        worst = fmax(worst, seen[1]);
        answered += seen[3];
    }
    ck_assert_double_gt(answered, 0.0);
    ck_assert_double_lt(worst, 15.0);
    end_patrol(&p);
}
END_TEST

START_TEST(a_long_tail_is_not_swung_over_the_wall_before) {
    // From near a corner, where the second wall is met before it has got away from the first.
    patrol p;
    start_patrol(&p, &table, 64, 0, NULL);
    p.description.rear_mm = 112;
    unsigned known = 0;
    for (int heading = 55; heading < 125; heading += 5) {
        cmo_sim_setup setup = patrol_setup(&p, RIGHT - 150.0, HIGH - 150.0, heading);
        setup.plant.caster_behind_mm = 102, setup.plant.caster_trail_mm = 10;
        start_again(&p, &setup);
        cmo_stay_inside_parameters parameters = {.rebounds = 3, .convex = true};
        ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
        ck_assert_double_gt(p.least_mm, 0.0);
        known += p.state.past[1].known;
    }
    ck_assert_uint_gt(known, 0);
    end_patrol(&p);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {a_corner_that_pokes_in_is_not_run_over,
                                  in_a_room_too_small_to_go_anywhere_it_gives_up,
                                  in_corners_it_backs_off_no_further_than_it_has_come,
                                  a_long_tail_is_not_swung_over_the_wall_before, NULL};
    return run_suite("corners", tests);
}
