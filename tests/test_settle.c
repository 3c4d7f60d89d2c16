// SPDX-License-Identifier: GPL-3.0-or-later
// A rest is settled by robots of every kind: that slide, roll on, stick, and overshoot.
#include "ideal.h"
#include "line_floor.h"

#include <math.h>
#include <string.h>

// What became of a stop, or of a square in degrees.
typedef struct rest {
    cmo_outcome outcome;
    double off_mm, own_mm, ms;
    double slip_mm, own_slip_mm; // NAN: it does not know
} rest;

// Of a run's one leg, by how much it is off in this figure; the run is freed.
static rest rest_of(lab_run *run, cmo_figure figure) {
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    rest r = {.outcome = result->outcome};
    if (r.outcome == CMO_OUTCOME_DONE) {
        bool knows = result->robot.known & LAB_FIGURE_BIT(CMO_SLIP_MM);
        r.off_mm = (double)result->truth.value[figure];
        r.own_mm = (double)result->robot.value[figure];
        r.ms = result->stopped_ms + (double)result->truth.value[CMO_SETTLE_MS];
        r.slip_mm = (double)result->truth.value[CMO_SLIP_MM];
        r.own_slip_mm = knows ? (double)result->robot.value[CMO_SLIP_MM] : (double)NAN;
    }
    lab_run_free(run);
    return r;
}

static rest stop(const lab_robot *robot, const cmo_sim_mat *mat, cmo_rest place, double speed_mm_s,
                 double angle_deg, uint64_t seed) {
    lab_leg leg = {.routine = CMO_ROUTINE_STOP_ON_LINE,
                   .parameters.stop_on_line = {.cruise_mm_s = (float)speed_mm_s,
                                               .least_width_mm = (float)WIDTH_MM,
                                               .rest = place}};
    return rest_of(drive_at_line(robot, mat, &leg, 500.0, angle_deg, seed), CMO_REST_ERROR_MM);
}

// Squares up, and says by how many degrees it is off.
static rest square(const lab_robot *robot, const cmo_sim_mat *mat, double angle_deg,
                   uint64_t seed) {
    lab_leg leg = {.routine = CMO_ROUTINE_SQUARE_ON_LINE,
                   .parameters.square_on_line = {.cruise_mm_s = 200.0F,
                                                 .least_width_mm = (float)WIDTH_MM,
                                                 .too_fast = CMO_TOO_FAST_SLOW,
                                                 .rest = CMO_REST_NEAR_EDGE}};
    lab_robot known = *robot;
    known.plant.place_spread_mm = 0.0;
    return rest_of(drive_at_line(&known, mat, &leg, 300.0, angle_deg, seed),
                   CMO_RESIDUAL_ANGLE_DEG);
}

static void measure(lab_robot *robot, const cmo_sim_mat *mat, uint64_t seed) {
    lab_leg leg = {.routine = CMO_ROUTINE_MEASURE_DRIVE, .parameters.measure_drive = {.rounds = 1}};
    lab_run *run = drive_at_line(robot, mat, &leg, 800.0, 0.0, seed);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    ck_assert_msg(result->outcome == CMO_OUTCOME_DONE, "robot %u: %s", (unsigned)seed,
                  cmo_outcome_name(result->outcome));
    cmo_drive_apply(&result->drive, &robot->description);
    lab_run_free(run);
}

// Sums over a population.
typedef struct sums {
    unsigned n, good;
    double squares, worst, own, ms;
    unsigned slips; // that are known
    double slip, slip_off;
} sums;

static void add(sums *s, const rest *r) {
    s->n++;
    if (r->outcome == CMO_OUTCOME_DONE) {
        s->good++;
        s->squares += r->off_mm * r->off_mm;
        s->own += (r->own_mm - r->off_mm) * (r->own_mm - r->off_mm);
        s->worst = fmax(s->worst, fabs(r->off_mm));
        s->ms += r->ms;
        if (!isnan(r->own_slip_mm)) {
            s->slips++;
            s->slip += r->slip_mm * r->slip_mm;
            s->slip_off += (r->own_slip_mm - r->slip_mm) * (r->own_slip_mm - r->slip_mm);
        }
    }
}

static double rms_of(double squares, unsigned n) {
    return sqrt(squares / n);
}

// Where they have seen the edge again, they know what the wheels did not count.
static void knows_slip(const sums *s, double least_mm) {
    double slip = rms_of(s->slip, s->slips);
    double off = rms_of(s->slip_off, s->slips);
    ck_assert_uint_gt(s->slips, s->n / 2);
    ck_assert_msg(slip > least_mm && off < 0.5 * slip, "%g mm, off by %g", slip, off);
}

START_TEST(robots_of_every_kind_rest_over_their_edge) {
    enum { ROBOTS = 40 };
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1800, 1000, 2, line_across, NULL);
    lab_fleet *fleet = fleet_at_line(mat);
    sums stated = {0};
    sums known = {0};
    sums centred = {0};
    for (uint64_t seed = 1; seed <= ROBOTS; seed++) {
        lab_robot *robot = lab_fleet_robot(fleet, seed, NULL);
        double angle = 3.0 - (double)(seed % 7);
        double speeds[2] = {200.0, 500.0};
        for (int i = 0; i < 2; i++) {
            rest r = stop(robot, mat, CMO_REST_NEAR_EDGE, speeds[i], angle, seed);
            add(&stated, &r);
        }
        rest centre = stop(robot, mat, CMO_REST_CENTRE, 300.0, angle, seed);
        add(&centred, &centre);
        measure(robot, mat, seed);
        for (int i = 0; i < 2; i++) {
            rest r = stop(robot, mat, CMO_REST_NEAR_EDGE, speeds[i], angle, seed);
            add(&known, &r);
        }
        lab_robot_free(robot);
    }
    ck_assert_uint_eq(stated.good, stated.n);
    ck_assert_uint_eq(known.good, known.n);
    ck_assert_msg(stated.worst < 4.0 && known.worst < 4.0, "%g, %g mm", stated.worst, known.worst);
    double rms = rms_of(stated.squares, stated.n);
    double rms_known = rms_of(known.squares, known.n);
    ck_assert_msg(rms < 0.8 && rms_known < 0.8, "RMS %g, %g mm", rms, rms_known);
    double rms_centre = rms_of(centred.squares, centred.n);
    ck_assert_uint_eq(centred.good, centred.n);
    ck_assert_msg(rms_centre < 1.1 && centred.worst < 3.0, "RMS %g, worst %g mm", rms_centre,
                  centred.worst);
    double own = rms_of(stated.own, stated.n);
    ck_assert_msg(own < 0.8, "own word off by RMS %g mm", own);
    knows_slip(&stated, 2.0);
    // Once it has measured its drive, a robot is sooner at rest.
    double ms = stated.ms / stated.n;
    double ms_known = known.ms / known.n;
    ck_assert_msg(ms_known < 0.92 * ms && ms < 860.0, "%g ms, %g before", ms_known, ms);
    lab_fleet_free(fleet);
    cmo_sim_mat_free(mat);
}
END_TEST

// One of the fleet's robots that stops over the near edge.
typedef struct trial {
    uint64_t seed;
    double speed_mm_s, angle_deg;
} trial;

static void all_rest(const trial *trials, size_t count, double most_mm, double most_ms) {
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1800, 1000, 2, line_across, NULL);
    lab_fleet *fleet = fleet_at_line(mat);
    for (size_t i = 0; i < count; i++) {
        const trial *t = &trials[i];
        lab_robot *robot = lab_fleet_robot(fleet, t->seed, NULL);
        rest r = stop(robot, mat, CMO_REST_NEAR_EDGE, t->speed_mm_s, t->angle_deg, t->seed);
        ck_assert_msg(r.outcome == CMO_OUTCOME_DONE && fabs(r.off_mm) < most_mm && r.ms < most_ms,
                      "robot %u: %s, %g mm off, %g ms", (unsigned)t->seed,
                      cmo_outcome_name(r.outcome), r.off_mm, r.ms);
        lab_robot_free(robot);
    }
    lab_fleet_free(fleet);
    cmo_sim_mat_free(mat);
}

// Those that made it hardest: that slide by as much as the line is wide, look too seldom to see all
// of it, stick, or meet it at another angle than they saw.
START_TEST(robots_that_slide_stick_or_see_little_rest_there_too) {
    static const trial hard[] = {{40, 600, -2},  {61, 600, -2},  {83, 600, -3}, {402, 200, 0},
                                 {614, 600, -2}, {683, 200, -1}, {847, 400, 3}};
    all_rest(hard, G_N_ELEMENTS(hard), 3.5, 10000.0);
}
END_TEST

// At a slant the other sensor meets the line while the wheels slide: by their counts it is no line.
START_TEST(a_line_met_at_a_slant_is_not_missed_by_robots_that_slide) {
    static const trial slant[] = {{6, 300, -14},   {6, 300, 25},   {173, 300, -14},
                                  {194, 300, -14}, {281, 300, 25}, {333, 300, 14},
                                  {386, 300, 14},  {561, 300, 10}, {799, 300, 9}};
    all_rest(slant, G_N_ELEMENTS(slant), 4.0, 10000.0);
}
END_TEST

// So many stops of the demo robot over the near edge, with what is changed of it.
static sums demo_stops(const lab_robot *robot, double speed_mm_s, unsigned runs) {
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1800, 1000, 2, line_across, NULL);
    sums s = {0};
    for (uint64_t seed = 1; seed <= runs; seed++) {
        rest r = stop(robot, mat, CMO_REST_NEAR_EDGE, speed_mm_s, 0.0, seed);
        add(&s, &r);
    }
    ck_assert_uint_eq(s.good, runs);
    cmo_sim_mat_free(mat);
    return s;
}

// With worn gears: the way back takes out what it has rolled on, and rolls on as far itself.
START_TEST(play_that_is_known_is_taken_out_once) {
    lab_robot *robot = lab_robot_load("data/ferry/mozzo.yaml", NULL);
    robot->plant.gear_play_mm = 2.5;
    robot->description.gear_play_mm = 2.5F;
    sums s = demo_stops(robot, 300.0, 60);
    double rms = rms_of(s.squares, s.n);
    double ms = s.ms / s.n;
    ck_assert_msg(rms < 0.9 && ms < 600.0, "RMS %g mm, %g ms", rms, ms);
    lab_robot_free(robot);
}
END_TEST

// A regulator with a ramp that nobody has measured: its wheels run on where it brakes, and small
// moves wait for them where they fall behind.
START_TEST(ramps_that_nobody_has_measured_are_soon_at_rest) {
    static const double ramps_mm_s2[] = {800.0, 1200.0, 2000.0};
    lab_robot *robot = lab_robot_load("data/ferry/mozzo.yaml", NULL);
    double ms = 0.0;
    for (size_t i = 0; i < G_N_ELEMENTS(ramps_mm_s2); i++) {
        robot->plant.regulator_ramp_mm_s2 = ramps_mm_s2[i];
        robot->description.lag_ms = 40.0F + (float)(126000.0 / ramps_mm_s2[i]);
        for (int quick = 0; quick < 2; quick++) {
            sums s = demo_stops(robot, quick ? 500.0 : 300.0, 30);
            ck_assert_double_lt(s.worst, 2.0);
            ms += s.ms / s.n / 6.0;
        }
    }
    ck_assert_msg(ms < 1350.0, "%g ms", ms);
    lab_robot_free(robot);
}
END_TEST

// Led by more than the move takes, they were told to be to and fro for up to six seconds; a way of
// a hair took five.
START_TEST(a_rest_that_no_sensor_sees_is_soon_come_to) {
    static const lab_leg leg = {.routine = CMO_ROUTINE_STOP_ON_LINE,
                                .parameters.stop_on_line = {.cruise_mm_s = 300,
                                                            .least_width_mm = (float)WIDTH_MM,
                                                            .rest = CMO_REST_NEAR_EDGE,
                                                            .beyond_mm = 70}};
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1800, 1000, 2, line_across, NULL);
    lab_fleet *fleet = fleet_at_line(mat);
    static const uint64_t slow[] = {21, 40, 66, 402, 494, 538};
    for (size_t i = 0; i < G_N_ELEMENTS(slow); i++) {
        lab_robot *robot = lab_fleet_robot(fleet, slow[i], NULL);
        rest r = rest_of(drive_at_line(robot, mat, &leg, 500.0, 0.0, slow[i]), CMO_REST_ERROR_MM);
        ck_assert_msg(r.outcome == CMO_OUTCOME_DONE && fabs(r.off_mm) < 2.0 && r.ms < 1600.0,
                      "robot %u: %s, %g mm off, %g ms", (unsigned)slow[i],
                      cmo_outcome_name(r.outcome), r.off_mm, r.ms);
        lab_robot_free(robot);
    }
    lab_fleet_free(fleet);
    cmo_sim_mat_free(mat);
}
END_TEST

// Wheels that lock count less than the robot goes: where its encoders are back at the line it has a
// good way to go yet, and need not stand there to know.
START_TEST(robots_that_slid_far_go_on_to_their_line) {
    lab_robot *robot = lab_robot_load("data/ferry/mozzo.yaml", NULL);
    robot->plant.grip_m_s2 = 2.0;
    robot->description.braking_mm_s2 = 9000.0F;
    sums s = demo_stops(robot, 550.0, 40);
    double ms = s.ms / s.n;
    ck_assert_msg(s.worst < 2.5 && ms < 1450.0, "worst %g mm, %g ms", s.worst, ms);
    lab_robot_free(robot);
}
END_TEST

// A drive with a ramp of its own, profiles that are held back, and sensors that see the edge in
// turn: all of them were to and fro about it for four seconds and more.
START_TEST(they_do_not_go_to_and_fro_about_their_edge) {
    static const trial slow[] = {{66, 600, 0},  {188, 600, -3}, {209, 600, -3},
                                 {211, 600, 2}, {272, 600, -3}, {322, 600, 3}};
    all_rest(slow, G_N_ELEMENTS(slow), 2.0, 3000.0);
}
END_TEST

// Two small moves that hardly moved the wheels, and sensors just off the edge: they looked for
// their line again, as if they had slid away from it, up to three times.
START_TEST(moves_that_wheels_do_not_follow_are_no_slide) {
    static const trial slow[] = {{57, 400, 0},  {254, 400, 0}, {308, 500, 0}, {434, 200, 0},
                                 {527, 400, 0}, {680, 400, 0}, {680, 500, 0}};
    all_rest(slow, G_N_ELEMENTS(slow), 2.0, 2000.0);
}
END_TEST

// Beside the left sensor's way, which a robot at an angle drifts over, lies another line's side.
static double line_and_side(void *data, double x_mm, double y_mm, unsigned *marks) {
    double light = line_across(data, x_mm, y_mm, marks);
    bool side = x_mm >= 600.0 && x_mm < 900.0 && y_mm >= 548.0 && y_mm < 568.0;
    *marks |= side ? 1U << CMO_SIM_LINE : 0U;
    return side ? 0.05 : light;
}

// In the truth, too: its crossing is that of the line ahead.
START_TEST(a_line_that_one_sensor_grazes_is_none) {
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1800, 1000, 2, line_and_side, NULL);
    lab_robot *robot = lab_robot_load("data/ferry/mozzo-plain.yaml", NULL);
    ck_assert_ptr_nonnull(robot);
    lab_leg leg = {.routine = CMO_ROUTINE_STOP_ON_LINE,
                   .parameters.stop_on_line = {.cruise_mm_s = 200.0F,
                                               .least_width_mm = (float)WIDTH_MM,
                                               .rest = CMO_REST_NEAR_EDGE}};
    lab_run *run = drive_at_line(robot, mat, &leg, 500.0, 1.0, 1);
    const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
    ck_assert_int_eq(result->outcome, CMO_OUTCOME_DONE);
    ck_assert_float_ge(result->robot.value[CMO_PASSED_OVER], 1.0F);
    ck_assert_int_eq(result->report.passed_reason, CMO_PASSED_ONE_SIDED);
    ck_assert_double_eq_tol((double)result->truth.value[CMO_ENTRY_ANGLE_DEG], 1.0, 0.5);
    ck_assert_double_eq_tol((double)result->truth.value[CMO_REACTION_MS],
                            (double)result->robot.value[CMO_REACTION_MS], 6.0);
    lab_run_free(run);
    lab_robot_free(robot);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(robots_of_every_kind_square_up) {
    enum { ROBOTS = 40 };
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1800, 1000, 2, line_across, NULL);
    lab_fleet *fleet = fleet_at_line(mat);
    sums stated = {0};
    sums known = {0};
    for (uint64_t seed = 1; seed <= ROBOTS; seed++) {
        lab_robot *robot = lab_fleet_robot(fleet, seed, NULL);
        double angle = 4.0 * (double)(seed % 19) - 36.0;
        rest r = square(robot, mat, angle, seed);
        add(&stated, &r);
        measure(robot, mat, seed);
        r = square(robot, mat, angle, seed);
        add(&known, &r);
        lab_robot_free(robot);
    }
    ck_assert_uint_eq(stated.good, stated.n);
    ck_assert_uint_eq(known.good, known.n);
    double rms = rms_of(stated.squares, stated.n);
    double rms_known = rms_of(known.squares, known.n);
    ck_assert_msg(rms < 0.3 && rms_known < 0.25, "RMS %g, %g degrees", rms, rms_known);
    double own = rms_of(known.own, known.n);
    ck_assert_msg(own < 0.2, "own word off by RMS %g degrees", own);
    knows_slip(&known, 1.0);
    double ms = stated.ms / stated.n;
    double ms_known = known.ms / known.n;
    ck_assert_msg(ms < 1700.0 && ms_known < 1400.0, "%g, %g ms", ms, ms_known);
    lab_fleet_free(fleet);
    cmo_sim_mat_free(mat);
}
END_TEST

// Halted at once from speed, the wheels lock and count less than the way: what they say is marked.
START_TEST(a_halt_that_slides_is_an_estimate) {
    cmo_sim_mat *mat = cmo_sim_mat_from_function(1800, 1000, 2, line_across, NULL);
    lab_robot *robot = lab_robot_load("data/ferry/mozzo.yaml", NULL);
    ck_assert_ptr_nonnull(robot);
    for (float speed = 150.0F; speed <= 600.0F; speed += 450.0F) {
        lab_leg leg = {.routine = CMO_ROUTINE_DRIVE_UNTIL_LINE,
                       .parameters.drive_until_line = {.cruise_mm_s = speed, .least_width_mm = 15}};
        lab_run *run = drive_at_line(robot, mat, &leg, 400.0, 0.0, 1);
        const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
        ck_assert_int_eq(result->outcome, CMO_OUTCOME_DONE);
        double off = fabs((double)(result->robot.value[CMO_OVERSHOOT_MM] -
                                   result->truth.value[CMO_OVERSHOOT_MM]));
        bool slid = result->estimated & CMO_FIGURE_BIT(CMO_OVERSHOOT_MM);
        ck_assert_int_eq(slid, speed > 300.0F);
        ck_assert_int_eq(slid, off > 2.0);
        lab_run_free(run);
    }
    lab_robot_free(robot);
    cmo_sim_mat_free(mat);
}
END_TEST

START_TEST(where_the_line_is_gone_no_rest_is_claimed) {
    ideal r;
    cmo_line_state state;
    start_ideal(&r, PLAIN_TRAITS);
    r.line_mm = 400.0;
    r.width_mm = 20.0;
    cmo_line_parameters p = {
        .cruise_mm_s = 200, .least_width_mm = 15, .rest = CMO_REST_NEAR_EDGE, .longest_ms = 60000};
    ck_assert_int_eq(cmo_stop_on_line_start(&r.robot, &state, &p), CMO_RUNNING);
    bool gone = false;
    for (int i = 0; i < 6000 && r.robot.routine != NULL; i++) {
        if (r.robot.stage == CMO_STAGE_RETURN && !gone) { // as if it had slid a metre back
            r.line_mm += 1000.0;
            gone = true;
        }
        turn(&r, 10000);
    }
    ck_assert(gone);
    ck_assert_int_eq(r.robot.report.outcome, CMO_OUTCOME_NO_LINE);
    ck_assert_int_ne(r.robot.halt, 0);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {robots_of_every_kind_rest_over_their_edge,
                                  a_halt_that_slides_is_an_estimate,
                                  robots_that_slide_stick_or_see_little_rest_there_too,
                                  a_line_met_at_a_slant_is_not_missed_by_robots_that_slide,
                                  play_that_is_known_is_taken_out_once,
                                  ramps_that_nobody_has_measured_are_soon_at_rest,
                                  robots_that_slid_far_go_on_to_their_line,
                                  they_do_not_go_to_and_fro_about_their_edge,
                                  a_rest_that_no_sensor_sees_is_soon_come_to,
                                  moves_that_wheels_do_not_follow_are_no_slide,
                                  a_line_that_one_sensor_grazes_is_none,
                                  robots_of_every_kind_square_up,
                                  where_the_line_is_gone_no_rest_is_claimed,
                                  NULL};
    return run_suite("settle", tests);
}
