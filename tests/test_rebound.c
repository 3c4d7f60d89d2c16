// SPDX-License-Identifier: GPL-3.0-or-later
// How a robot turns away from a boundary, and what it learns there.
#include "room.h"

#include <math.h>

START_TEST(it_turns_as_it_was_asked_to) {
    static const cmo_leaving leaves[] = {CMO_LEAVE_MIRRORED, CMO_LEAVE_BY_ANGLE, CMO_LEAVE_INWARD};
    for (size_t i = 0; i < G_N_ELEMENTS(leaves); i++) {
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, NULL);
        cmo_stay_inside_parameters parameters = {
            .leave = leaves[i], .angle_deg = 100, .rebounds = 1};
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
    cmo_stay_inside_parameters parameters = {.leave = CMO_LEAVE_MIDDLE, .rebounds = 6};
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
        cmo_stay_inside_parameters parameters = {.guess = guess == 1, .rebounds = 8};
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

// How often it has turned back from feeling, and how often it did not.
static void count_returns(const patrol *p, double *seen) {
    cmo_stage stage = p->bench.robot.stage;
    bool feeling = seen[2] > 0.0;
    seen[0] += feeling && stage == CMO_STAGE_TURN_BACK;
    seen[1] += feeling && stage == CMO_STAGE_TURN;
    seen[2] = stage == CMO_STAGE_FEEL;
}

// Nor does it where it turns on to look for something: its spots would meet the boundary again.
START_TEST(where_no_corner_pokes_in_it_leaves_from_where_it_has_felt) {
    for (int i = 0; i < 3; i++) {
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, NULL);
        cmo_stay_inside_parameters parameters = {
            .convex = i > 0, .scan_deg = i == 2 ? 120 : 0, .rebounds = 12};
        double seen[3] = {0};
        ck_assert_int_eq(watch_patrol(&p, &parameters, count_returns, seen), CMO_OUTCOME_DONE);
        ck_assert_double_ge(seen[0] + seen[1], 4);
        ck_assert(i == 1 ? seen[1] > seen[0] : seen[1] == 0.0);
        end_patrol(&p);
    }
}
END_TEST

// Turning when something else is met, it brakes and turns back; it is never told to turn on faster.
static void watch_answers(const patrol *p, double *seen) {
    const cmo_robot *robot = &p->bench.robot;
    double turn = (double)(robot->right.command_mm_s - robot->left.command_mm_s);
    if (robot->stage == CMO_STAGE_TURN_BACK && (int)seen[0] == CMO_STAGE_TURN) {
        seen[1] = fmax(seen[1], turn / seen[2]);
        seen[3]++;
    }
    seen[0] = robot->stage;
    seen[2] = turn;
}

START_TEST(what_is_met_in_a_turn_is_answered_by_braking) {
    room r = dark_room;
    r.notch_mm = 250;
    double seen[4] = {0};
    for (int i = 0; i < 6 && seen[3] < 3; i++) {
        patrol p;
        start_patrol(&p, &r, 64, 0, NULL);
        cmo_sim_setup setup = patrol_setup(&p, 400, 300, 50.0 * i);
        start_again(&p, &setup);
        cmo_stay_inside_parameters parameters = {.rebounds = 25, .for_ms = CMO_NO_END};
        watch_patrol(&p, &parameters, watch_answers, seen);
        end_patrol(&p);
    }
    ck_assert_double_ge(seen[3], 3);
    ck_assert_double_le(seen[1], 0.9);
}
END_TEST

// All of a swing lies on one side of the way: not on that of the boundary it has just left.
static void watch_swings(const patrol *p, double *seen) {
    const cmo_robot *robot = &p->bench.robot;
    const cmo_stay_inside_state *s = &p->state;
    float way = cmo_way_mm(robot) - s->course.start_mm;
    if (robot->stage == CMO_STAGE_PATROL && s->rebounds > (unsigned)seen[0] &&
        way > 0.2F * s->budget.sway_mm) {
        double inward = (double)s->boundary.normal_rad + G_PI;
        double leaves = remainder((double)s->heading_rad - inward, 2.0 * G_PI);
        double swings =
            remainder((double)(robot->odometer.pose.heading_rad - s->heading_rad), 2.0 * G_PI);
        seen[0] = s->rebounds;
        seen[1] += fabs(leaves) > 0.1;
        seen[2] += fabs(leaves) > 0.1 && leaves * swings < 0.0;
    }
}

START_TEST(it_sways_away_from_what_it_has_left) {
    patrol p;
    start_patrol(&p, &dark_room, 45, 0, NULL);
    cmo_stay_inside_parameters parameters = {.convex = true, .rebounds = 14, .for_ms = CMO_NO_END};
    double seen[3] = {0};
    ck_assert_int_eq(watch_patrol(&p, &parameters, watch_swings, seen), CMO_OUTCOME_DONE);
    ck_assert_double_gt((double)p.state.budget.sway_mm, 0.0);
    ck_assert_double_ge(seen[1], 8);
    ck_assert_double_eq(seen[2], seen[1]);
    end_patrol(&p);
}
END_TEST

// Of the nearest it has come to a boundary that it has met, whether as it stood or as it turned:
// few rebounds from the middle of the room, for a wall that it drives along unseen it has no word
// on.
START_TEST(its_word_for_the_margin_is_near_the_truth) {
    double off = 0.0;
    for (int side = 45; side <= 66; side += 3) {
        patrol p;
        start_patrol(&p, &dark_room, (float)side, 0, NULL);
        cmo_stay_inside_parameters parameters = {
            .convex = true, .rebounds = 3, .for_ms = CMO_NO_END};
        ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
        ck_assert_double_eq_tol((double)p.state.margin_mm, p.least_mm, 4.0);
        off += 0.125 * fabs((double)p.state.margin_mm - p.least_mm);
        end_patrol(&p);
    }
    ck_assert_double_lt(off, 2.0);
}
END_TEST

START_TEST(put_down_on_the_rim_it_turns_off_it) {
    patrol p;
    start_patrol(&p, &dark_room, 64, 0, NULL);
    // Both spots beyond the edge, the wheels inside.
    cmo_sim_setup setup = patrol_setup(&p, RIGHT - 65, 350, 0);
    start_again(&p, &setup);
    cmo_stay_inside_parameters parameters = {.rebounds = 3};
    ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
    ck_assert_double_gt(p.least_mm, 0.5);
    end_patrol(&p);
}
END_TEST

// Met at half a right angle, the first sensor leaves it where the other one comes to it, or nearly,
// and the other one comes to it where the first one met it. With sensors that are less far ahead it
// may not turn so far, unless it knows that it does not stand square.
START_TEST(its_direction_is_known_from_any_two_of_three_crossings) {
    for (int i = 0; i < 14; i++) {
        double heading_deg = -54 + 2 * (i % 7);
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, NULL);
        for (int k = 0; k < 2; k++) {
            p.description.light[k].ahead_mm = i < 7 ? 70.0F : 58.0F;
        }
        cmo_sim_setup setup = patrol_setup(&p, 360, 350, heading_deg);
        start_again(&p, &setup);
        cmo_stay_inside_parameters parameters = {.convex = true, .rebounds = 1};
        ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
        ck_assert_msg(p.state.last.known, "at %.0f degrees", heading_deg);
        ck_assert_double_eq_tol(p.state.last.entry_deg, heading_deg + 90, 2.5);
        ck_assert_double_gt(p.least_mm, 0.5);
        end_patrol(&p);
    }
}
END_TEST

// The documented default of slowest_mm_s, 0, is no speed that a robot ever falls below.
START_TEST(without_a_known_slowest_speed_it_rebounds_all_the_same) {
    double elapsed_ms[2];
    for (int known = 0; known < 2; known++) {
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, NULL);
        p.description.slowest_mm_s = known ? p.description.slowest_mm_s : 0;
        cmo_sim_setup setup = patrol_setup(&p, 400, 300, 35);
        start_again(&p, &setup);
        cmo_stay_inside_parameters parameters = {.rebounds = 2, .for_ms = 7000};
        ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
        ck_assert_uint_ge(p.state.rebounds, 2);
        elapsed_ms[known] = figure(&p.bench.robot, CMO_ELAPSED_MS);
        ck_assert_double_gt(p.least_mm, 0.5);
        end_patrol(&p);
    }
    ck_assert_double_lt(elapsed_ms[1], 6000);
    ck_assert_double_lt(elapsed_ms[0], fmin(7000, 1.05 * elapsed_ms[1]));
}
END_TEST

// A ball in front of the axle comes to the boundary before the tyres do.
START_TEST(a_contact_ahead_of_the_axle_is_counted) {
    double least[2];
    float speed[2];
    for (int stated = 0; stated < 2; stated++) {
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, NULL);
        p.description.rear_mm = 20;
        p.description.front_mm = stated ? 45 : 0;
        cmo_sim_setup setup = patrol_setup(&p, 400, 300, 0);
        setup.plant.caster_behind_mm = -45;
        setup.plant.caster_trail_mm = 0;
        start_again(&p, &setup);
        cmo_stay_inside_parameters parameters = {
            .convex = true, .rebounds = 6, .for_ms = CMO_NO_END};
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

// With spots so near to the axle it cannot turn far enough to see either one come back or cross: it
// has to guess, and not by half a right angle, for it knows how far the first one was over it.
START_TEST(where_it_cannot_feel_it_guesses_by_how_far_it_has_turned) {
    for (int deg = 1; deg <= 9; deg += 4) {
        patrol p;
        start_patrol(&p, &dark_room, 64, 0, NULL);
        p.description.light[0].ahead_mm = p.description.light[1].ahead_mm = 45;
        cmo_sim_setup setup = patrol_setup(&p, 250, HIGH - 70, deg); // along the upper wall
        start_again(&p, &setup);
        cmo_stay_inside_parameters parameters = {.convex = true, .rebounds = 1};
        ck_assert_int_eq(run_patrol(&p, &parameters, INFINITY), CMO_OUTCOME_DONE);
        ck_assert(!p.state.last.known);
        ck_assert_double_eq_tol((double)p.state.last.entry_deg, deg - 90.0, 12.0);
        ck_assert_double_gt(p.least_mm, 0.5);
        end_patrol(&p);
    }
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
        cmo_stay_inside_parameters parameters = {.rebounds = 3, .for_ms = 60000};
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

// Deep void is void whatever the floor reads.
START_TEST(where_void_is_deep_the_floor_need_not_be_known) {
    room other = table;
    other.floor = 0.45;
    for (int deep = 0; deep < 2; deep++) {
        patrol p;
        start_patrol(&p, &other, 64, 0, NULL);
        cmo_sim_setup setup = plain_setup(&p.description, PLAIN_TRAITS, p.mat);
        cmo_levels levels = fitting_levels(&setup, 0.3, 0.6);
        levels.void_counts = deep ? fitting_levels(&setup, 0.0, 0.6).dark : CMO_LEVEL_UNKNOWN;
        for (uint8_t i = 0; i < 2; i++) {
            ck_assert_int_eq(cmo_robot_set_levels(&p.bench.robot, i, &levels), CMO_OUTCOME_DONE);
        }
        cmo_stay_inside_parameters parameters = {
            .boundary = CMO_TONE_VOID, .rebounds = 3, .for_ms = 60000};
        cmo_outcome outcome = run_patrol(&p, &parameters, INFINITY);
        ck_assert_int_eq(outcome, deep ? CMO_OUTCOME_DONE : CMO_OUTCOME_LOW_CONTRAST);
        ck_assert_uint_eq(p.state.rebounds, deep ? 3 : 0);
        ck_assert_double_gt(p.least_mm, 0.5);
        end_patrol(&p);
    }
}
END_TEST

int main(void) {
    const TTest *const tests[] = {it_turns_as_it_was_asked_to,
                                  toward_the_middle_it_comes_back_to_where_it_was,
                                  where_one_sensor_crosses_it_feels_for_the_wall_or_guesses,
                                  where_no_corner_pokes_in_it_leaves_from_where_it_has_felt,
                                  what_is_met_in_a_turn_is_answered_by_braking,
                                  it_sways_away_from_what_it_has_left,
                                  its_word_for_the_margin_is_near_the_truth,
                                  its_direction_is_known_from_any_two_of_three_crossings,
                                  put_down_on_the_rim_it_turns_off_it,
                                  without_a_known_slowest_speed_it_rebounds_all_the_same,
                                  a_contact_ahead_of_the_axle_is_counted,
                                  where_it_cannot_feel_it_guesses_by_how_far_it_has_turned,
                                  it_goes_by_the_floor_that_it_stands_on,
                                  where_void_is_deep_the_floor_need_not_be_known,
                                  NULL};
    return run_suite("rebound", tests);
}
