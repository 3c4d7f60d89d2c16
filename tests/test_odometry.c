// SPDX-License-Identifier: GPL-3.0-or-later
// Odometry through the port: arcs, wrapped counts, jumps, a wrapped clock.
#include "support.h"

#include <math.h>

static bool always(cmo_robot *robot, void *context) {
    (void)robot;
    (void)context;
    return false;
}

typedef struct rig {
    paper_port paper;
    cmo_robot_description description;
    cmo_robot robot;
    cmo_action_state action;
    double step_mm;
} rig;

// A robot with an action running, so that faults show.
static void start_rig(rig *r, uint8_t bits) {
    start_paper(&r->paper, PLAIN_TRAITS);
    r->description = plain_robot;
    r->description.encoder_bits = bits;
    r->description.top_speed_mm_s = bits == 8 ? 60 : plain_robot.top_speed_mm_s; // else refused
    r->step_mm = 0.01;
    r->description.left_step_mm = r->description.right_step_mm = 0.01F;
    ck_assert_int_eq(cmo_robot_start(&r->robot, &r->description, &r->paper.port), CMO_OUTCOME_DONE);
    cmo_action_parameters parameters = {.function = always, .longest_ms = 600000};
    ck_assert_int_eq(cmo_action_start(&r->robot, &r->action, &parameters), CMO_RUNNING);
}

static cmo_outcome tick(rig *r, double left_mm, double right_mm) {
    r->paper.clock_us += 10000;
    r->paper.sample.encoders.left = (uint32_t)(int64_t)floor(left_mm / r->step_mm + 0.5);
    r->paper.sample.encoders.right = (uint32_t)(int64_t)floor(right_mm / r->step_mm + 0.5);
    return cmo_tick(&r->robot);
}

START_TEST(an_arc_ends_where_geometry_says) {
    static const int steps[] = {1000,
                                120}; // with so few, a chord is shorter than its arc by 0.3 mm
    for (size_t n = 0; n < G_N_ELEMENTS(steps); n++) {
        rig r;
        start_rig(&r, 32);
        // A circle of radius 200 mm to the left, once and a quarter round.
        double radius = 200.0;
        double half = 55.0;
        double turn = 2.5 * G_PI;
        for (int i = 0; i <= steps[n]; i++) {
            double angle = turn * i / steps[n];
            ck_assert_int_eq(tick(&r, (radius - half) * angle, (radius + half) * angle),
                             CMO_RUNNING);
        }
        ck_assert_float_eq_tol(r.robot.odometer.pose.x_mm, 200.0F, 0.1F);
        ck_assert_float_eq_tol(r.robot.odometer.pose.y_mm, 200.0F, 0.1F);
        ck_assert_float_eq_tol(r.robot.odometer.pose.heading_rad, (float)turn, 2e-4F);
        ck_assert_float_eq_tol(cmo_way_mm(&r.robot), (float)(radius * turn), 0.1F);
    }
}
END_TEST

// Far out a float takes no less than 8 um at a time: what it could not take must not get lost.
START_TEST(a_hundred_metres_of_small_steps_are_a_hundred_metres) {
    rig r;
    start_rig(&r, 32);
    r.description.left_step_mm = r.description.right_step_mm = 0.01F * 0.497F;
    cmo_halt_now(&r.robot, CMO_HALT_DEFAULT); // no routine lasts so long
    double way = 0.0;
    for (int i = 0; i <= 205000; i++) {
        tick(&r, way, way);
        way += 1.0;
    }
    ck_assert_float_eq_tol(cmo_way_mm(&r.robot), 205000.0F * 0.497F, 0.1F);
}
END_TEST

START_TEST(counts_wrap_at_their_width_in_both_directions) {
    static const uint8_t widths[] = {8, 16, 24, 32, 0};
    for (size_t i = 0; i < G_N_ELEMENTS(widths); i++) {
        rig r;
        start_rig(&r, widths[i]);
        double step = widths[i] == 8 ? 1.0 : 4.0; // 8 bits wrap at 2.56 mm
        double way = 0.0;
        for (int n = 0; n < 2000; n++) {
            way += n < 500 ? -step : step;
            ck_assert_int_eq(tick(&r, way, way), CMO_RUNNING);
        }
        ck_assert_float_eq_tol(cmo_way_mm(&r.robot), (float)(way + step), 0.05F);
    }
}
END_TEST

START_TEST(a_jump_beyond_what_the_robot_can_do_is_a_fault_that_halts) {
    rig r;
    start_rig(&r, 32);
    tick(&r, 0, 0);
    ck_assert_int_eq(tick(&r, 5, 5), CMO_RUNNING);
    ck_assert_int_eq(tick(&r, 400, 5), CMO_OUTCOME_ENCODER_JUMP);
    ck_assert_uint_eq(r.paper.halts, 1);
    ck_assert_int_eq(r.paper.last_halt, CMO_HALT_BRAKE);
    ck_assert_float_eq_tol(cmo_way_mm(&r.robot), 5.0F, 0.01F);
}
END_TEST

START_TEST(counts_that_stay_away_are_a_fault_only_beyond_their_budget) {
    rig r;
    start_rig(&r, 32);
    tick(&r, 0, 0);
    for (int round = 0; round < 3; round++) {
        r.paper.sample.have = 0;
        for (int i = 0; i < 8; i++) {
            ck_assert_int_eq(tick(&r, 0, 0), CMO_RUNNING);
        }
        r.paper.sample.have = CMO_HAVE_ENCODERS;
        ck_assert_int_eq(tick(&r, 0, 0), CMO_RUNNING);
    }
    r.paper.sample.have = 0;
    cmo_outcome outcome = CMO_RUNNING;
    for (int i = 0; i < 9; i++) {
        outcome = tick(&r, 0, 0);
    }
    ck_assert_int_eq(outcome, CMO_OUTCOME_ENCODER_SILENT);
}
END_TEST

START_TEST(time_goes_on_over_the_wrap_of_the_clock) {
    rig r;
    start_rig(&r, 32);
    r.paper.clock_us = 0xFFFFFFFFU - 50000U;
    tick(&r, 0, 0);
    uint32_t before = r.robot.run_ms;
    for (int i = 0; i < 20; i++) {
        ck_assert_int_eq(tick(&r, i, i), CMO_RUNNING);
        ck_assert_uint_eq(r.robot.dt_us, 10000);
    }
    ck_assert_uint_eq(r.robot.run_ms - before, 200);
    ck_assert_uint_eq(r.robot.elapsed_ms, 200);
}
END_TEST

START_TEST(the_pose_is_what_was_set) {
    rig r;
    start_rig(&r, 32);
    tick(&r, 0, 0);
    cmo_robot_set_pose(&r.robot, 300, 400, 90);
    for (int i = 0; i <= 20; i++) {
        tick(&r, i * 5, i * 5);
    }
    ck_assert_float_eq_tol(r.robot.odometer.pose.x_mm, 300.0F, 0.01F);
    ck_assert_float_eq_tol(r.robot.odometer.pose.y_mm, 500.0F, 0.01F);
}
END_TEST

START_TEST(the_observer_follows_a_steady_speed) {
    rig r;
    start_rig(&r, 32);
    for (int i = 0; i < 100; i++) {
        tick(&r, i * 2.0, i * 3.0);
    }
    ck_assert_float_eq_tol(r.robot.left.speed_mm_s, 200.0F, 12.0F);
    ck_assert_float_eq_tol(r.robot.right.speed_mm_s, 300.0F, 18.0F);
}
END_TEST

START_TEST(between_two_counts_the_wheels_are_where_their_speed_has_brought_them) {
    rig r;
    start_rig(&r, 32);
    r.step_mm = 2.0;
    r.description.left_step_mm = r.description.right_step_mm = 2.0F;
    double least = 1e9, most = -1e9;
    double way = 0.0;
    for (int i = 0; i < 300; i++) {
        way = 0.71 * i;
        tick(&r, way, way);
        double off = (double)cmo_way_mm(&r.robot) - way;
        if (i > 100) {
            least = fmin(least, off);
            most = fmax(most, off);
        }
    }
    ck_assert_msg(most - least < 1.0, "%g..%g mm", least, most); // counts alone: 2
    // Held all of a sudden, it is still within the step that the encoder counts.
    for (int i = 0; i < 100; i++) {
        tick(&r, way, way);
        ck_assert_double_le((double)cmo_way_mm(&r.robot) - way, most + 2.0);
    }
    ck_assert_float_lt(fabsf(r.robot.left.speed_mm_s), 1.0F);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {
        an_arc_ends_where_geometry_says,
        a_hundred_metres_of_small_steps_are_a_hundred_metres,
        counts_wrap_at_their_width_in_both_directions,
        a_jump_beyond_what_the_robot_can_do_is_a_fault_that_halts,
        counts_that_stay_away_are_a_fault_only_beyond_their_budget,
        time_goes_on_over_the_wrap_of_the_clock,
        the_pose_is_what_was_set,
        the_observer_follows_a_steady_speed,
        between_two_counts_the_wheels_are_where_their_speed_has_brought_them,
        NULL};
    return run_suite("odometry", tests);
}
