// SPDX-License-Identifier: GPL-3.0-or-later
// How a robot stops at a boundary, and what the stop has shown it.
#include "ideal.h"
#include "room.h"

#include <math.h>

// A long lag may be a ramp's: until a stop has shown how far it goes, it goes by the worst.
START_TEST(until_a_stop_has_shown_it_how_far_it_goes_it_is_slower) {
    static const float lags_ms[] = {5, 60, 200};
    float shares[3];
    for (int i = 0; i < 3; i++) {
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, NULL);
        p.description.lag_ms = lags_ms[i];
        cmo_stay_inside_parameters parameters = {.convex = true};
        ck_assert_int_eq(cmo_stay_inside_start(&p.bench.robot, &p.state, &parameters), CMO_RUNNING);
        shares[i] = p.state.share;
        end_patrol(&p);
    }
    ck_assert_float_eq_tol(shares[0], 0.8F, 1e-6F);
    ck_assert_float_lt(shares[2], 0.9F * shares[1]);
}
END_TEST

// How far its wheels have turned beyond where the turn is to end.
static double turned_beyond_mm(const cmo_robot *robot, const cmo_motion *motion) {
    double right = (double)(robot->odometer.right_mm - motion->right_start_mm);
    double left = (double)(robot->odometer.left_mm - motion->left_start_mm);
    return 0.5 * (double)motion->right_sign * (right - left) - (double)motion->target_mm;
}

// A regulator that ramps up and down more slowly than its robot is said to accelerate and brake:
// its lag, as its user has measured it, is all that tells. It backs off so that it stands where it
// turns, and reckons with how far beyond its end a turn goes.
START_TEST(what_ramps_stands_before_it_turns) {
    patrol p;
    start_patrol(&p, &dark_room, 64, 0, NULL);
    p.description.lag_ms = 150;
    p.description.acceleration_mm_s2 = 2700;
    p.description.braking_mm_s2 = 4300;
    cmo_sim_setup setup = patrol_setup(&p, 400, 300, 20);
    setup.plant.motor_lag_ms = 40;
    setup.plant.grip_m_s2 = 6.0;
    setup.plant.regulator_ramp_mm_s2 = 1600;
    start_again(&p, &setup);
    cmo_robot *robot = &p.bench.robot;
    cmo_stay_inside_parameters parameters = {.rebounds = 10, .for_ms = CMO_NO_END};
    uint8_t before = CMO_STAGE_IDLE;
    double fastest = 0.0, furthest = 0.0, swings = 0.0;
    cmo_outcome outcome = cmo_stay_inside_start(robot, &p.state, &parameters);
    for (; outcome == CMO_RUNNING; cmo_wait(robot)) {
        outcome = cmo_tick(robot);
        bool turns = robot->stage == CMO_STAGE_TURN || robot->stage == CMO_STAGE_FEEL;
        if (turns && (before == CMO_STAGE_BACK || before == CMO_STAGE_ROOM)) {
            fastest = fmax(fastest, fabs(cmo_sim_truth_now(p.bench.sim).speed_mm_s));
        }
        if (turns) {
            furthest = fmax(furthest, turned_beyond_mm(robot, &p.state.motion));
        }
        if (robot->stage == CMO_STAGE_TURN) {
            swings = fmax(swings, turned_beyond_mm(robot, &p.state.motion));
        }
        before = robot->stage;
    }
    ck_assert_int_eq(outcome, CMO_OUTCOME_DONE);
    ck_assert_uint_eq(p.state.rebounds, 10);
    ck_assert_double_lt(fastest, 100.0);
    ck_assert_double_lt(furthest, 25.0); // of a turn, by its wheels
    ck_assert_double_gt(swings, 3.0);
    ck_assert_double_eq_tol(p.state.swings_rad, 2.0 * swings / p.description.track_mm, 0.03);
    end_patrol(&p);
}
END_TEST

// Bare motors whose user has measured neither dead band nor slowest speed: what it backs off at
// does not start them, and a push does.
START_TEST(what_sticks_as_it_backs_off_is_pushed) {
    static const double hard[][2] = {{100, 3.0}, {140, 2.0}}; // friction at rest, times that
    for (size_t i = 0; i < G_N_ELEMENTS(hard); i++) {
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, NULL);
        p.description.full_duty_mm_s = 900;
        p.description.slowest_mm_s = 0;
        cmo_sim_setup setup = patrol_setup(&p, 400, 300, 20);
        setup.traits = DUTY_TRAITS;
        setup.plant.dead_mm_s = hard[i][0];
        setup.plant.stick = hard[i][1];
        start_again(&p, &setup);
        cmo_stay_inside_parameters parameters = {.rebounds = 6, .convex = true};
        ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
        ck_assert_uint_eq(p.state.rebounds, 6);
        ck_assert_double_gt(p.least_mm, 0.0);
        end_patrol(&p);
    }
}
END_TEST

// Tyres that hold less than is stated: the encoders see nothing of it, the light does.
START_TEST(where_stops_take_longer_it_drives_slower) {
    float share[2] = {0.0F, 0.0F}; // of the cruise, on the mean
    for (int slips = 0; slips < 2; slips++) {
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, NULL);
        cmo_sim_setup setup = patrol_setup(&p, 400, 300, 0);
        setup.plant.grip_m_s2 = slips ? 1.6 : setup.plant.grip_m_s2;
        start_again(&p, &setup);
        // What a first stop takes has yet to be seen.
        cmo_stay_inside_parameters parameters = {.rebounds = 1, .for_ms = CMO_NO_END};
        ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
        ck_assert_float_eq_tol(p.state.last.speed_mm_s, 0.8F * p.state.cruise_mm_s, 10.0F);
        for (unsigned n = 3; n <= 8; n++) { // after so many, whatever the angle of the last one
            start_again(&p, &setup);
            parameters.rebounds = n;
            ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
            ck_assert_double_gt(p.least_mm, 0.5);
            share[slips] += p.state.share / 6.0F;
        }
        end_patrol(&p);
    }
    ck_assert_float_gt(share[0], 0.9F);
    ck_assert_float_lt(share[1], 0.8F);
}
END_TEST

// How far the tyres slide in a stop, from where it begins to brake until the next stage: in the
// first one, and in the worst of the others.
enum { BRAKES, X, Y, WAY, STOPS, FIRST, LATER, SLIDES };

static void watch_slides(const patrol *p, double *seen) {
    const cmo_robot *robot = &p->bench.robot;
    cmo_sim_truth now = cmo_sim_truth_now(p->bench.sim);
    double way = (double)cmo_way_mm(robot);
    bool brakes = robot->stage == CMO_STAGE_BRAKE;
    if (brakes && seen[BRAKES] == 0.0) {
        seen[X] = now.x_mm, seen[Y] = now.y_mm, seen[WAY] = way;
    } else if (seen[BRAKES] != 0.0 && !brakes) {
        double slid = hypot(now.x_mm - seen[X], now.y_mm - seen[Y]) - (way - seen[WAY]);
        int which = seen[STOPS]++ == 0.0 ? FIRST : LATER;
        seen[which] = fmax(seen[which], slid);
    }
    seen[BRAKES] = brakes;
}

// A strong regulator answers all of a lead at once harder than the tyres pass on.
START_TEST(wheels_that_have_locked_are_braked_more_softly) {
    for (int locks = 0; locks < 2; locks++) {
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, NULL);
        cmo_sim_setup setup = patrol_setup(&p, 400, 300, 20);
        if (locks) {
            p.description.lag_ms = 90;
            setup.plant.regulator = CMO_SIM_PI;
            setup.plant.regulator_gain = 8;
            setup.plant.regulator_reset_ms = 60;
            setup.plant.rotor_share = 0.05;
        }
        start_again(&p, &setup);
        cmo_stay_inside_parameters parameters = {.rebounds = 8, .for_ms = 60000};
        double seen[SLIDES] = {0.0};
        ck_assert_int_eq(watch_patrol(&p, &parameters, watch_slides, seen), CMO_OUTCOME_DONE);
        ck_assert_double_ge(seen[STOPS], 8.0);
        ck_assert_int_eq(p.state.course.softly, locks);
        ck_assert(locks ? seen[FIRST] > 10.0 : seen[FIRST] < 3.0);
        ck_assert_double_lt(seen[LATER], 3.0);
        end_patrol(&p);
    }
}
END_TEST

// Swaying, its heading trails its course, and where it stands may be far off that: back from
// feeling, it stands again as it has come, and its wheels pass over nothing new.
enum { WAS, STOOD, TURNS_BACK, MOST_OFF };

static void watch_turns_back(const patrol *p, double *seen) {
    const cmo_robot *robot = &p->bench.robot;
    double heading = (double)robot->odometer.pose.heading_rad;
    bool feels = robot->stage == CMO_STAGE_FEEL;
    if (feels && seen[WAS] != CMO_STAGE_FEEL) {
        seen[STOOD] = heading;
    }
    if (robot->stage == CMO_STAGE_BACK && seen[WAS] == CMO_STAGE_TURN_BACK &&
        p->state.answers == 0) {
        seen[TURNS_BACK]++;
        seen[MOST_OFF] = fmax(seen[MOST_OFF], fabs(heading - seen[STOOD]));
    }
    seen[WAS] = robot->stage;
}

START_TEST(back_from_feeling_it_stands_as_it_has_come) {
    patrol p;
    start_patrol(&p, &dark_room, 40, 0, NULL);
    p.description.lag_ms = 100;
    cmo_sim_setup setup = patrol_setup(&p, 400, 300, 20);
    setup.plant.motor_lag_ms = 100;
    start_again(&p, &setup);
    cmo_stay_inside_parameters parameters = {
        .rebounds = 12, .for_ms = CMO_NO_END, .convex = true, .scan_deg = 5};
    double seen[MOST_OFF + 1] = {0.0};
    ck_assert_int_eq(watch_patrol(&p, &parameters, watch_turns_back, seen), CMO_OUTCOME_DONE);
    ck_assert_float_gt(p.state.course.sway_rad, 0.1F);
    ck_assert_double_ge(seen[TURNS_BACK], 5.0);
    ck_assert_double_lt(seen[MOST_OFF], 0.05);
    end_patrol(&p);
}
END_TEST

// A regulator with an integral drives on for a while when it is told to stop. On paper: something
// goes on pushing it.
START_TEST(what_runs_on_at_a_boundary_is_answered) {
    ideal r;
    start_ideal(&r, PLAIN_TRAITS);
    r.description = robot_with(64);
    r.description.lag_ms = 20;
    r.line_mm = 400;
    r.width_mm = 1000;
    cmo_stay_inside_state state;
    cmo_stay_inside_parameters parameters = {.convex = true};
    ck_assert_int_eq(cmo_stay_inside_start(&r.robot, &state, &parameters), CMO_RUNNING);
    unsigned told = 0, answered = 0; // ticks
    while (told < 30) {
        ck_assert_int_eq(turn(&r, r.description.tick_us), CMO_RUNNING);
        bool brakes = r.robot.stage == CMO_STAGE_BRAKE;
        bool stops = brakes && state.course.speed_mm_s == 0.0F;
        told += stops;
        answered += stops && told > 1 && r.paper.left < -20.0F && r.paper.right < -20.0F;
        ck_assert(told > 6 || answered == 0); // three lags explain it
        r.pushed_mm = brakes ? 2.0 : 0.0;     // 200 mm/s
    }
    ck_assert_uint_ge(answered, 20);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {until_a_stop_has_shown_it_how_far_it_goes_it_is_slower,
                                  what_ramps_stands_before_it_turns,
                                  what_sticks_as_it_backs_off_is_pushed,
                                  where_stops_take_longer_it_drives_slower,
                                  wheels_that_have_locked_are_braked_more_softly,
                                  back_from_feeling_it_stands_as_it_has_come,
                                  what_runs_on_at_a_boundary_is_answered,
                                  NULL};
    return run_suite("rebound_stop", tests);
}
