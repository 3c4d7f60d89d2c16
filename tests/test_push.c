// SPDX-License-Identifier: GPL-3.0-or-later
// A patrol that pushes what its bumpers feel, and what stands in its way.
#include "ideal.h"
#include "room.h"

#include <math.h>

// A crate that the left corner meets, going on past it: felt, it is pushed out; else it is left.
START_TEST(it_pushes_what_its_bumpers_feel) {
    for (int feels = 1; feels >= 0; feels--) {
        patrol p;
        cmo_sim_setup extra = {
            .objects = 1,
            .object = {
                {.x_mm = 505, .y_mm = 420, .radius_mm = 30, .mass_kg = 0.2, .friction_n = 0.6}}};
        cmo_sim_faults_none(&extra.faults);
        start_patrol(&p, &dark_room, 64, CMO_TRAIT_TOUCH, &extra);
        cmo_stay_inside_parameters parameters = {
            .convex = true, .charge_touch = feels ? 3 : 0, .rebounds = 1};
        ck_assert_int_eq(run_patrol(&p, &parameters, 20000), CMO_OUTCOME_DONE);
        ck_assert(!feels || p.stages & 1U << CMO_STAGE_CHARGE);
        double x, y;
        cmo_sim_object_now(p.bench.sim, 0, &x, &y);
        bool out = x > RIGHT || y > HIGH;
        ck_assert_msg(out == (feels == 1), "%.0f, %.0f", x, y);
        ck_assert_double_gt(p.least_mm, 0);
        end_patrol(&p);
    }
}
END_TEST

// One that stands fast is given up: by the counts of wheels that stand, or after its longest way,
// for tyres may slide; and it goes on.
START_TEST(a_push_that_gets_nowhere_is_given_up) {
    for (int slides = 0; slides < 2; slides++) {
        patrol p;
        cmo_sim_setup extra = {
            .objects = 1,
            .object = {
                {.x_mm = 560, .y_mm = 358, .radius_mm = 40, .mass_kg = 50, .friction_n = 500}}};
        cmo_sim_faults_none(&extra.faults);
        start_patrol(&p, &dark_room, 64, CMO_TRAIT_TOUCH, &extra);
        cmo_stay_inside_parameters parameters = {.convex = true,
                                                 .charge_touch = 3,
                                                 .push_ms = slides ? 3600000 : 300,
                                                 .push_longest_mm = 300,
                                                 .rebounds = 3};
        if (!slides) {
            parameters.charge_mm_s = 40;
            parameters.push_longest_mm = 20000;
            cmo_sim_setup setup = patrol_setup(&p, 400, 300, 20);
            setup.traits = (uint16_t)(setup.traits | CMO_TRAIT_TOUCH);
            setup.objects = 1;
            setup.object[0] = extra.object[0];
            setup.plant.grip_m_s2 = 40; // its tyres hold, and its motors do not
            start_again(&p, &setup);
        }
        ck_assert_int_eq(run_patrol(&p, &parameters, 30000), CMO_OUTCOME_DONE);
        ck_assert(p.stages & 1U << CMO_STAGE_CHARGE);
        ck_assert(p.stages & 1U << CMO_STAGE_BACK);
        end_patrol(&p);
    }
}
END_TEST

// What it has lost is looked for to its side, not for ever, and slower than it drives ahead.
START_TEST(what_is_lost_is_looked_for_on_its_side) {
    ideal r;
    cmo_stay_inside_state state;
    start_ideal(&r, PLAIN_TRAITS | CMO_TRAIT_TOUCH);
    r.paper.sample.have |= CMO_HAVE_TOUCH;
    r.description.braking_mm_s2 = 800;
    cmo_stay_inside_parameters parameters = {.convex = true,
                                             .grazing = CMO_GRAZING_ACCEPT,
                                             .too_fast = CMO_TOO_FAST_ACCEPT,
                                             .cruise_mm_s = 400,
                                             .charge_mm_s = 400,
                                             .charge_touch = 3,
                                             .for_ms = 20000};
    ck_assert_int_eq(cmo_stay_inside_start(&r.robot, &state, &parameters), CMO_RUNNING);
    for (int i = 0; i < 300; i++) {
        ck_assert_int_eq(turn(&r, 10000), CMO_RUNNING);
    }
    double before = r.right_mm - r.left_mm;
    double ahead = (double)state.course.speed_mm_s;
    r.paper.sample.touch = 1;
    ck_assert_int_eq(turn(&r, 10000), CMO_RUNNING);
    ck_assert_int_eq(r.robot.stage, CMO_STAGE_CHARGE);
    r.paper.sample.touch = 0;
    int ticks = 0;
    double slowest = ahead;
    for (; r.robot.stage == CMO_STAGE_CHARGE && ticks < 500; ticks++) {
        ck_assert_int_eq(turn(&r, 10000), CMO_RUNNING);
        slowest = fmin(slowest, (double)state.course.speed_mm_s);
    }
    ck_assert_int_eq(r.robot.stage, CMO_STAGE_PATROL);
    double turned = (r.right_mm - r.left_mm - before) / 110;
    ck_assert_double_gt(turned, 0.9); // to the left
    ck_assert_double_lt(turned, 1.5);
    ck_assert_double_lt(slowest, 0.7 * ahead);
}
END_TEST

// Something stands beside the robot: it goes round the other way, to the same heading.
START_TEST(a_turn_that_is_blocked_goes_the_other_way) {
    ideal r;
    cmo_stay_inside_state state;
    start_ideal(&r, PLAIN_TRAITS);
    r.line_mm = 600;
    r.width_mm = 1000;
    cmo_stay_inside_parameters parameters = {
        .convex = true, .leave = CMO_LEAVE_BY_ANGLE, .rebounds = 1, .for_ms = 20000};
    ck_assert_int_eq(cmo_stay_inside_start(&r.robot, &state, &parameters), CMO_RUNNING);
    cmo_outcome outcome = CMO_RUNNING;
    int blocked = 0; // 1: to the left, -1: to the right
    double turned = 0.0;
    for (int i = 0; i < 3000 && outcome == CMO_RUNNING && -blocked * turned < 100.0; i++) {
        bool turns = r.robot.stage == CMO_STAGE_TURN;
        int way = r.paper.right > r.paper.left ? 1 : -1;
        blocked = turns && blocked == 0 ? way : blocked;
        r.fastest_mm_s = turns && way == blocked ? 1e-9 : 0.0;
        outcome = turn(&r, 10000);
        turned = (r.right_mm - r.left_mm) / 110 * 57.29578;
    }
    ck_assert_int_eq(outcome, CMO_RUNNING);
    ck_assert_int_ne(blocked, 0);
    ck_assert_double_ge(-blocked * turned, 100.0);
}
END_TEST

// It would like to back off further than it has come, and its wheels may have spun: it stays short
// of where it set out.
START_TEST(it_does_not_back_off_to_where_it_set_out) {
    ideal r;
    cmo_stay_inside_state state;
    start_ideal(&r, PLAIN_TRAITS);
    r.line_mm = 130; // 60 ahead of the spots
    r.width_mm = 1000;
    cmo_stay_inside_parameters parameters = {
        .convex = true, .leave = CMO_LEAVE_BY_ANGLE, .rebounds = 1, .for_ms = 20000};
    ck_assert_int_eq(cmo_stay_inside_start(&r.robot, &state, &parameters), CMO_RUNNING);
    double furthest = 0.0;
    double back = 1e9;
    for (int i = 0; i < 3000 && r.robot.stage != CMO_STAGE_TURN; i++) {
        ck_assert_int_eq(turn(&r, 10000), CMO_RUNNING);
        double way = 0.5 * (r.left_mm + r.right_mm); // swaying, one wheel goes further
        furthest = fmax(furthest, way);
        back = r.robot.stage == CMO_STAGE_BACK ? fmin(back, way) : back;
    }
    ck_assert_double_gt(furthest, 30.0);
    ck_assert_msg(back > 0.1 * furthest && back < 0.3 * furthest, "%g of %g mm", back, furthest);
}
END_TEST

// Told to go on, and held: after some counts that are overdue it knows that it stands, and a stall
// ends the routine; let go before that, it gets there.
START_TEST(a_wheel_that_is_held_is_not_thought_to_turn) {
    for (int lets_go = 0; lets_go < 2; lets_go++) {
        ideal r;
        cmo_advance_state state;
        start_ideal(&r, PLAIN_TRAITS);
        cmo_advance_parameters parameters = {.distance_mm = 200, .speed_mm_s = 300};
        ck_assert_int_eq(cmo_advance_start(&r.robot, &state, &parameters), CMO_RUNNING);
        cmo_outcome outcome = CMO_RUNNING;
        for (int i = 0; i < 600 && outcome == CMO_RUNNING; i++) {
            bool held = i >= 30 && !(lets_go && i >= 70);
            r.fastest_mm_s = held ? 1e-9 : 0.0;
            outcome = turn(&r, 10000);
            if (held && i > 50 && outcome == CMO_RUNNING) {
                ck_assert_float_gt(fabsf(r.robot.left.command_mm_s), 30.0F);
                ck_assert_float_lt(fabsf(r.robot.left.speed_mm_s), 30.0F);
            }
        }
        ck_assert_int_eq(outcome, lets_go ? CMO_OUTCOME_DONE : CMO_OUTCOME_STALLED);
    }
}
END_TEST

int main(void) {
    const TTest *const tests[] = {it_pushes_what_its_bumpers_feel,
                                  a_push_that_gets_nowhere_is_given_up,
                                  what_is_lost_is_looked_for_on_its_side,
                                  a_turn_that_is_blocked_goes_the_other_way,
                                  it_does_not_back_off_to_where_it_set_out,
                                  a_wheel_that_is_held_is_not_thought_to_turn,
                                  NULL};
    return run_suite("push", tests);
}
