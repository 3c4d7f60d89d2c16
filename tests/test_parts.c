// SPDX-License-Identifier: GPL-3.0-or-later
// Parts by which simulated robots differ in kind, against answers in closed form: how they move.
#include "support.h"

#include <math.h>
#include <string.h>

static cmo_sim_mat *mat;

// ---------------------------------------------------------------------------------- regulators --

// With the error e and the integral: e'' + (1 + k) / lag e' + k / (reset lag) e = 0.
START_TEST(a_pi_regulator_overshoots_as_its_two_roots_say) {
    cmo_sim_setup setup = lossless_setup(PLAIN_TRAITS, mat);
    cmo_sim_plant *p = &setup.plant;
    p->regulator = CMO_SIM_PI;
    p->regulator_gain = 4.0;
    p->regulator_reset_ms = 100.0;
    double goal = 100.0;
    double lag = p->motor_lag_ms * 1e-3;
    double b = (1.0 + p->regulator_gain) / lag;
    double c = p->regulator_gain / (0.1 * lag);
    double root = sqrt(0.25 * b * b - c);
    double slow = -0.5 * b + root;
    double fast = -0.5 * b - root;
    // e(0) = goal, e'(0) = -b goal.
    double of_fast = goal * (-b - slow) / (fast - slow);
    cmo_sim *sim = cmo_sim_new(&setup);
    double highest = 0.0;
    for (int ms = 2; ms <= 600; ms += 2) {
        drive_straight(sim, goal, 2);
        double s = ms * 1e-3;
        double expected = goal - of_fast * exp(fast * s) - (goal - of_fast) * exp(slow * s);
        ck_assert_double_eq_tol(speed_of(sim), expected,
                                0.06 * goal * exp(-s / 0.01) + 0.01 * goal);
        highest = fmax(highest, speed_of(sim));
    }
    ck_assert_double_gt(highest, 1.03 * goal);
    ck_assert_double_lt(highest, 1.12 * goal);
    cmo_sim_free(sim);
}
END_TEST

START_TEST(a_soft_regulator_follows_its_reference) {
    cmo_sim_setup setup = lossless_setup(PLAIN_TRAITS, mat);
    setup.plant.regulator = CMO_SIM_PI_SOFT;
    setup.plant.regulator_gain = 8.0;
    setup.plant.regulator_lag_ms = 80.0;
    cmo_sim *sim = cmo_sim_new(&setup);
    for (int ms = 5; ms <= 800; ms += 5) {
        drive_straight(sim, 150, 5);
        double expected = 150.0 * (1.0 - exp(-ms / 80.0));
        // Behind it by what the motor's own lag leaves of a quickly followed ramp.
        ck_assert_double_eq_tol(speed_of(sim), expected, 8.0);
        ck_assert_double_lt(speed_of(sim), 152.0);
    }
    cmo_sim_free(sim);
}
END_TEST

START_TEST(a_ramped_regulator_gains_speed_at_its_ramp) {
    cmo_sim_setup setup = lossless_setup(PLAIN_TRAITS, mat);
    setup.plant.regulator_ramp_mm_s2 = 500.0;
    double lag = setup.plant.motor_lag_ms * 1e-3;
    cmo_sim *sim = cmo_sim_new(&setup);
    for (int ms = 10; ms <= 500; ms += 10) {
        drive_straight(sim, 300, 10);
        double s = ms * 1e-3;
        double expected = 500.0 * (s - lag * (1.0 - exp(-s / lag)));
        ck_assert_double_eq_tol(speed_of(sim), expected, 4.0);
    }
    cmo_sim_free(sim);
}
END_TEST

START_TEST(a_filtered_regulator_sees_the_speed_late) {
    double highest[2] = {0.0, 0.0};
    for (int filtered = 0; filtered < 2; filtered++) {
        cmo_sim_setup setup = lossless_setup(PLAIN_TRAITS, mat);
        setup.plant.regulator = CMO_SIM_PI;
        setup.plant.regulator_filter_ms = filtered ? 30.0 : 0.0;
        cmo_sim *sim = cmo_sim_new(&setup);
        for (int ms = 2; ms <= 400; ms += 2) {
            drive_straight(sim, 150, 2);
            highest[filtered] = fmax(highest[filtered], speed_of(sim));
        }
        cmo_sim_free(sim);
    }
    ck_assert_double_gt(highest[1], highest[0] + 15.0);
}
END_TEST

// -------------------------------------------------------------------------- motors and gears --

// Voltage to speed: lag te v'' + lag v' + v = u v0, and it starts with no force.
START_TEST(a_motors_current_follows_its_voltage) {
    cmo_sim_setup setup = lossless_setup(DUTY_TRAITS, mat);
    setup.plant.electric_ms = 8.0;
    double lag = setup.plant.motor_lag_ms * 1e-3;
    double te = 8e-3;
    double goal = 0.3 * setup.plant.no_load_mm_s;
    double root = sqrt(0.25 / (te * te) - 1.0 / (lag * te));
    double slow = -0.5 / te + root;
    double fast = -0.5 / te - root;
    cmo_sim *sim = cmo_sim_new(&setup);
    for (int ms = 5; ms <= 300; ms += 5) {
        drive_straight(sim, 0.3, 5);
        double s = ms * 1e-3;
        double e = (fast * exp(slow * s) - slow * exp(fast * s)) / (fast - slow);
        ck_assert_double_eq_tol(speed_of(sim), goal * (1.0 - e), 0.025 * goal);
    }
    cmo_sim_free(sim);
}
END_TEST

START_TEST(gears_hold_at_rest_what_they_let_go_in_motion) {
    cmo_sim_setup setup = lossless_setup(DUTY_TRAITS, mat);
    setup.plant.dead_mm_s = 50.0;
    setup.plant.stick = 1.6;
    double dead = 50.0 / setup.plant.no_load_mm_s;
    cmo_sim *sim = cmo_sim_new(&setup);
    drive_straight(sim, 1.5 * dead, 1000);
    ck_assert_double_eq_tol(cmo_sim_truth_now(sim).way_mm, 0.0, 0.3);
    drive_straight(sim, 1.8 * dead, 1000);
    ck_assert_double_eq_tol(speed_of(sim), 40.0, 2.0); // in motion only the sliding part is left
    drive_straight(sim, 1.5 * dead, 1000);
    ck_assert_double_eq_tol(speed_of(sim), 25.0, 2.0);
    cmo_sim_free(sim);
}
END_TEST

START_TEST(gears_may_rub_more_backward) {
    cmo_sim_setup setup = lossless_setup(DUTY_TRAITS, mat);
    setup.plant.dead_mm_s = 50.0;
    setup.plant.dead_backward = 1.4;
    double top = setup.plant.no_load_mm_s;
    cmo_sim *sim = cmo_sim_new(&setup);
    drive_straight(sim, 0.2, 1500);
    ck_assert_double_eq_tol(speed_of(sim), 0.2 * top - 50.0, 2.0);
    drive_straight(sim, -0.2, 1500);
    ck_assert_double_eq_tol(speed_of(sim), -(0.2 * top - 70.0), 2.0);
    cmo_sim_free(sim);
}
END_TEST

START_TEST(a_motors_poles_shake_its_force_and_not_its_mean) {
    double range[3];
    for (int i = 0; i < 3; i++) {
        cmo_sim_setup setup = lossless_setup(DUTY_TRAITS, mat);
        setup.plant.dead_mm_s = 60.0;
        setup.plant.ripple = 0.1 * i;
        setup.plant.ripple_mm = 20.0;
        cmo_sim *sim = cmo_sim_new(&setup);
        drive_straight(sim, 0.2, 1500);
        double from = cmo_sim_truth_now(sim).way_mm;
        double low = INFINITY;
        double high = 0.0;
        for (int ms = 0; ms < 2000; ms++) {
            drive_straight(sim, 0.2, 1);
            low = fmin(low, speed_of(sim));
            high = fmax(high, speed_of(sim));
        }
        range[i] = high - low;
        double mean = (cmo_sim_truth_now(sim).way_mm - from) / 2.0;
        ck_assert_double_eq_tol(mean, 0.2 * setup.plant.no_load_mm_s - 60.0, 2.0);
        // The force that friction needs, shaken, through the motor's lag.
        double turns = 2.0 * G_PI * mean / 20.0 * setup.plant.motor_lag_ms * 1e-3;
        double expected = 2.0 * setup.plant.ripple * 60.0 / sqrt(1.0 + turns * turns);
        ck_assert_double_eq_tol(range[i], expected, 0.2 * expected + 0.2);
        cmo_sim_free(sim);
    }
    ck_assert_double_lt(range[0], 0.2);
}
END_TEST

START_TEST(a_battery_tires_under_a_lasting_load_and_recovers) {
    cmo_sim_setup setup = lossless_setup(DUTY_TRAITS, mat);
    cmo_sim_plant *p = &setup.plant;
    p->drag_m_s2 = 3.0;
    p->battery_sag = 0.2;
    p->battery_deep = 0.3;
    p->battery_recovery_s = 3.0;
    double stall = (0.5 + p->rotor_share) * p->no_load_mm_s / (p->motor_lag_ms * 1e-3);
    double load = 0.5 * 3000.0 / stall; // share of the stalled force that drag takes
    cmo_sim *sim = cmo_sim_new(&setup);
    drive_straight(sim, 0.5, 300);
    double fresh = p->no_load_mm_s * (0.5 * (1.0 - 0.2 * load) - load);
    ck_assert_double_eq_tol(speed_of(sim), fresh, 0.02 * fresh);
    for (int i = 0; i < 15; i++) {
        drive_straight(sim, 0.5, 1000);
    }
    double tired = p->no_load_mm_s * (0.5 * (1.0 - 0.5 * load) - load);
    ck_assert_double_eq_tol(speed_of(sim), tired, 0.005 * fresh);
    ck_assert_double_lt(tired, 0.98 * fresh);
    drive_straight(sim, 0.0, 15000);
    drive_straight(sim, 0.5, 300);
    ck_assert_double_eq_tol(speed_of(sim), fresh, 0.02 * fresh);
    cmo_sim_free(sim);
}
END_TEST

START_TEST(a_wheel_that_is_not_round_swells_once_a_turn) {
    cmo_sim_setup setup = lossless_setup(DUTY_TRAITS, mat);
    setup.plant.eccentric = 0.02;
    setup.plant.wheel_mm = 30.0;
    cmo_sim *sim = cmo_sim_new(&setup);
    drive_straight(sim, 0.1, 1000);
    double low = INFINITY;
    double high = 0.0;
    double turned = cmo_sim_truth_now(sim).heading_rad;
    for (int ms = 0; ms < 3000; ms++) {
        drive_straight(sim, 0.1, 1);
        low = fmin(low, speed_of(sim));
        high = fmax(high, speed_of(sim));
    }
    // Two wheels, each in its own phase, and motors that give way a little.
    ck_assert_double_gt(high - low, 0.004 * high);
    ck_assert_double_lt(high - low, 0.042 * high);
    ck_assert_double_lt(fabs(cmo_sim_truth_now(sim).heading_rad - turned), 0.02);
    cmo_sim_free(sim);
}
END_TEST

START_TEST(encoder_edges_wobble_within_four_counts_and_no_count_is_lost) {
    cmo_sim_setup setup = lossless_setup(PLAIN_TRAITS, mat);
    setup.plant.encoder_wobble = 0.3;
    setup.plant.encoder_bits = 32;
    cmo_sim *sim = cmo_sim_new(&setup);
    const cmo_port *port = cmo_sim_port(sim);
    cmo_sample sample;
    memset(&sample, 0, sizeof sample);
    port->sample(port->context, &sample);
    int32_t first = (int32_t)sample.encoders.left;
    double start = cmo_sim_truth_now(sim).way_mm;
    drive_straight(sim, 20, 500);
    memset(&sample, 0, sizeof sample);
    port->sample(port->context, &sample);
    int32_t last = (int32_t)sample.encoders.left;
    double least = INFINITY;
    double most = -INFINITY;
    double at[4] = {0.0};
    for (int ms = 0; ms < 4000; ms++) {
        drive_straight(sim, 20, 1);
        memset(&sample, 0, sizeof sample);
        port->sample(port->context, &sample);
        int32_t now = (int32_t)sample.encoders.left;
        ck_assert(now == last || now == last + 1);
        double way = cmo_sim_truth_now(sim).way_mm;
        if (now > last) {
            double off = (way - start) / 0.5 - (now - first);
            least = fmin(least, off);
            most = fmax(most, off);
            double *before = &at[now & 3]; // the same edge four counts ago
            ck_assert(*before == 0.0 || fabs(way - *before - 4 * 0.5) < 0.05);
            *before = way;
        }
        last = now;
    }
    ck_assert_double_gt(most - least, 0.08);
    ck_assert_double_lt(most - least, 0.65);
    cmo_sim_free(sim);
}
END_TEST

// Of 20 runs of a demo robot, each told exact levels: how far the middle of the spots rests from
// the line's near edge, in mm, and after squaring how far they are turned from it, in degrees, RMS.
static double rms_of(const char *name, bool squares) {
    GError *error = NULL;
    char *path = g_strconcat(SOURCE_DIR "/data/ferry/", name, NULL);
    lab_robot *robot = lab_robot_load(path, &error);
    ck_assert_msg(robot != NULL, "%s", error != NULL ? error->message : "");
    double sum = 0.0;
    for (uint64_t seed = 1; seed <= 20; seed++) {
        cmo_sim_setup setup = plain_setup(&robot->description, robot->traits, mat);
        setup.plant = robot->plant;
        setup.seed = seed;
        cmo_sim *sim = cmo_sim_new(&setup);
        cmo_robot r;
        ck_assert_int_eq(cmo_robot_start(&r, &robot->description, cmo_sim_port(sim)),
                         CMO_OUTCOME_DONE);
        for (uint8_t i = 0; i < 2; i++) {
            cmo_levels levels = fitting_levels(&setup, 0.05, 0.6);
            ck_assert_int_eq(cmo_robot_set_levels(&r, i, &levels), CMO_OUTCOME_DONE);
        }
        cmo_line_parameters stop = {
            .cruise_mm_s = 300, .blind_mm = 150, .rest = CMO_REST_NEAR_EDGE};
        cmo_square_on_line_parameters square = {.cruise_mm_s = 300, .blind_mm = 150};
        ck_assert_int_eq(squares ? cmo_square_on_line(&r, &square) : cmo_stop_on_line(&r, &stop),
                         CMO_OUTCOME_DONE);
        cmo_sim_truth now = cmo_sim_truth_now(sim);
        double x[2], y[2];
        cmo_sim_spot(sim, &now, 0, &x[0], &y[0]);
        cmo_sim_spot(sim, &now, 1, &x[1], &y[1]);
        double off =
            squares ? atan2(x[1] - x[0], y[0] - y[1]) * 180.0 / G_PI : 0.5 * (x[0] + x[1]) - 700.0;
        sum += off * off;
        cmo_sim_free(sim);
    }
    lab_robot_free(robot);
    g_free(path);
    return sqrt(sum / 20.0);
}

// What makes the demo robot an ordinary one does to the routines: its regulator overshoots, its
// tyres slide. It stops nearly as well as the plain one all the same, and squares worse.
START_TEST(the_demo_robot_stops_nearly_as_well_as_a_plain_one) {
    double plain = rms_of("mozzo-plain.yaml", false);
    double demo = rms_of("mozzo.yaml", false);
    ck_assert_double_lt(plain, 0.6);
    ck_assert_double_lt(demo, 0.8);
    plain = rms_of("mozzo-plain.yaml", true);
    demo = rms_of("mozzo.yaml", true);
    ck_assert_double_lt(plain, 0.4);
    ck_assert_double_gt(demo, 1.5 * plain);
}
END_TEST

int main(void) {
    mat = make_floor(&one_line);
    const TTest *const tests[] = {a_pi_regulator_overshoots_as_its_two_roots_say,
                                  a_soft_regulator_follows_its_reference,
                                  a_ramped_regulator_gains_speed_at_its_ramp,
                                  a_filtered_regulator_sees_the_speed_late,
                                  a_motors_current_follows_its_voltage,
                                  gears_hold_at_rest_what_they_let_go_in_motion,
                                  gears_may_rub_more_backward,
                                  a_motors_poles_shake_its_force_and_not_its_mean,
                                  a_battery_tires_under_a_lasting_load_and_recovers,
                                  a_wheel_that_is_not_round_swells_once_a_turn,
                                  encoder_edges_wobble_within_four_counts_and_no_count_is_lost,
                                  the_demo_robot_stops_nearly_as_well_as_a_plain_one,
                                  NULL};
    int status = run_suite("parts", tests);
    cmo_sim_mat_free(mat);
    return status;
}
