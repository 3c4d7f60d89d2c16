// SPDX-License-Identifier: GPL-3.0-or-later
// Turns and advances settle on their place, on robots of every kind.
#include "ideal.h"
#include "line_floor.h"

#include <math.h>

// A turn ends within half an encoder step at each wheel, or 0.4 mm, by what the robot knows; and
// that is what it has turned, but for what it cannot know: its track, gear play, the start's count.
START_TEST(robots_of_every_kind_turn_as_far_as_they_think) {
    enum { ROBOTS = 40 };
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1800, 1000, 2, line_across, NULL);
    lab_fleet *fleet = fleet_at_line(mat);
    unsigned within = 0;
    double own = 0.0;
    for (uint64_t seed = 1; seed <= ROBOTS; seed++) {
        lab_robot *robot = lab_fleet_robot(fleet, seed, NULL);
        lab_leg leg = {.routine = CMO_ROUTINE_TURN,
                       .parameters.turn = {.angle_deg = seed % 2 == 0 ? 90.0F : -90.0F}};
        lab_run *run = drive_at_line(robot, mat, &leg, 500.0, 0.0, seed);
        const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
        ck_assert_int_eq(result->outcome, CMO_OUTCOME_DONE);
        double off = fabs((double)result->robot.value[CMO_TURNED_DEG]) - 90.0;
        double most_mm = fmax(0.4, 0.5 * (double)robot->description.left_step_mm);
        double most_deg = 2.0 * most_mm / (double)robot->description.track_mm * 180.0 / G_PI;
        within += fabs(off) <= most_deg + 0.05;
        own += off * off;
        lab_run_free(run);
        lab_robot_free(robot);
    }
    ck_assert_uint_ge(within, ROBOTS - 2);
    ck_assert_double_lt(sqrt(own / ROBOTS), 0.4);
    lab_fleet_free(fleet);
    cmo_sim_mat_free(mat);
}
END_TEST

// Told to turn on by less than they start at, they are not thought to have done so, time and again
// until the time for it has run out: that was two seconds.
START_TEST(wheels_that_stick_are_not_tried_for_ever) {
    static const uint64_t sticky[] = {5, 73, 97, 111, 115, 121, 147, 193, 195, 224, 313, 361};
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1800, 1000, 2, line_across, NULL);
    lab_fleet *fleet = fleet_at_line(mat);
    double ms = 0.0;
    for (size_t i = 0; i < G_N_ELEMENTS(sticky); i++) {
        lab_robot *robot = lab_fleet_robot(fleet, sticky[i], NULL);
        lab_leg leg = {.routine = CMO_ROUTINE_TURN, .parameters.turn = {.angle_deg = 30.0F}};
        lab_run *run = drive_at_line(robot, mat, &leg, 500.0, 0.0, sticky[i]);
        const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
        ck_assert_int_eq(result->outcome, CMO_OUTCOME_DONE);
        ck_assert_float_eq_tol(result->robot.value[CMO_TURNED_DEG], 30.0F, 1.5F);
        ms += (double)result->robot.value[CMO_ELAPSED_MS] / G_N_ELEMENTS(sticky);
        lab_run_free(run);
        lab_robot_free(robot);
    }
    ck_assert_msg(ms < 1300.0, "%g ms", ms);
    lab_fleet_free(fleet);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(what_is_pushed_off_its_place_does_not_dash_back) {
    ideal r;
    cmo_advance_state state;
    start_ideal(&r, PLAIN_TRAITS);
    cmo_advance_parameters p = {.distance_mm = 60, .speed_mm_s = 200};
    ck_assert_int_eq(cmo_advance_start(&r.robot, &state, &p), CMO_RUNNING);
    double fastest = 0.0;
    unsigned pushed = 0;
    for (int i = 0; i < 400 && r.robot.routine != NULL; i++) {
        bool settles = r.robot.stage == CMO_STAGE_SETTLE;
        r.pushed_mm = settles && pushed < 30 ? -10.0 : 0.0;
        pushed += settles && pushed < 30;
        turn(&r, 10000);
        fastest = fmax(fastest, settles ? fabs((double)r.robot.left.command_mm_s) : 0.0);
    }
    ck_assert_uint_eq(pushed, 30); // by 300 mm
    ck_assert_msg(fastest > 60.0 && fastest <= 100.0, "%g mm/s", fastest);
}
END_TEST

// The limit that an advance takes, where this is stated and the tyres are known to hold from so
// fast.
static float braked_by(float stated_mm_s2, float holds_mm_s) {
    ideal r;
    cmo_advance_state state;
    start_ideal(&r, PLAIN_TRAITS);
    r.description.holds_mm_s = holds_mm_s;
    cmo_advance_parameters p = {.distance_mm = 60, .braking_mm_s2 = stated_mm_s2};
    ck_assert_int_eq(cmo_advance_start(&r.robot, &state, &p), CMO_RUNNING);
    return state.parameters.braking_mm_s2;
}

// Tyres that slide to the end of a way let it get further than any wheel counts. What was measured
// of them, and what is stated of the leg, it brakes by.
START_TEST(what_nobody_has_measured_is_braked_gently) {
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1800, 1000, 2, line_across, NULL);
    lab_fleet *fleet = fleet_at_line(mat);
    lab_leg leg = {.routine = CMO_ROUTINE_ADVANCE, .parameters.advance = {.distance_mm = 600}};
    double squares = 0.0, most = 0.0;
    unsigned n = 80;
    for (unsigned i = 1; i <= n; i++) {
        lab_robot *robot = lab_fleet_robot(fleet, i, NULL);
        lab_run *run = drive_at_line(robot, mat, &leg, 700.0, 0.0, i);
        const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
        ck_assert_int_eq(result->outcome, CMO_OUTCOME_DONE);
        double off = (double)result->truth.value[CMO_TRAVELLED_MM] - 600.0;
        squares += off * off;
        most = fmax(most, fabs(off));
        lab_run_free(run);
        lab_robot_free(robot);
    }
    ck_assert_msg(sqrt(squares / n) < 2.8 && most < 10.0, "%g mm RMS, %g", sqrt(squares / n), most);
    lab_fleet_free(fleet);
    cmo_sim_mat_free(mat);
    float limit = plain_robot.braking_mm_s2;
    ck_assert_float_eq_tol(braked_by(0.0F, 0.0F), 0.6F * limit, 0.1F);
    ck_assert_float_eq_tol(braked_by(0.9F * limit, 0.0F), 0.9F * limit, 0.1F);
    ck_assert_float_eq_tol(braked_by(0.0F, 300.0F), limit, 0.1F);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {what_is_pushed_off_its_place_does_not_dash_back,
                                  robots_of_every_kind_turn_as_far_as_they_think,
                                  wheels_that_stick_are_not_tried_for_ever,
                                  what_nobody_has_measured_is_braked_gently, NULL};
    return run_suite("moves", tests);
}
