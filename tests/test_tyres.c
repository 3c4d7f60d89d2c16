// SPDX-License-Identifier: GPL-3.0-or-later
// Tyres, weight and slope of simulated robots that differ in kind, against answers in closed form.
#include "support.h"

#include <math.h>

static cmo_sim_mat *mat;

// Way that the encoders count over the way driven, less one, at a steady pull.
static double slip_at(cmo_sim_tyre_curve curve, double pull_m_s2) {
    cmo_sim_setup setup = lossless_setup(PLAIN_TRAITS, mat);
    setup.plant.encoder_bits = 32;
    setup.plant.tyre_creep = 0.05;
    setup.plant.tyre_curve = curve;
    setup.plant.grip_m_s2 = 4.0;
    setup.plant.drag_m_s2 = pull_m_s2;
    cmo_sim *sim = cmo_sim_new(&setup);
    const cmo_port *port = cmo_sim_port(sim);
    cmo_sample before, after;
    memset(&before, 0, sizeof before);
    memset(&after, 0, sizeof after);
    drive_straight(sim, 200, 2000);
    port->sample(port->context, &before);
    double from = cmo_sim_truth_now(sim).way_mm;
    drive_straight(sim, 200, 6000);
    port->sample(port->context, &after);
    double way = cmo_sim_truth_now(sim).way_mm - from;
    double counted = 0.5 * (after.encoders.left - before.encoders.left);
    cmo_sim_free(sim);
    return counted / way - 1.0;
}

START_TEST(slip_grows_with_the_force_as_each_curve_says) {
    for (double f = 0.2; f < 0.9; f += 0.2) {
        ck_assert_double_eq_tol(slip_at(CMO_SIM_STRAIGHT, 4.0 * f), 0.05 * f, 0.002);
        double expected = 0.05 * f / (1.0 - f * f);
        ck_assert_double_eq_tol(slip_at(CMO_SIM_ROUND, 4.0 * f), expected, 0.002 + 0.03 * expected);
    }
}
END_TEST

// Mean deceleration of a robot whose motors are shorted at speed, while its tyres slide.
static double sliding_m_s2(const cmo_sim_setup *setup) {
    cmo_sim *sim = cmo_sim_new(setup);
    const cmo_port *port = cmo_sim_port(sim);
    drive_straight(sim, 0.8, 4000);
    port->halt(port->context, CMO_HALT_BRAKE);
    cmo_sim_pass(sim, 60);
    double from = speed_of(sim);
    cmo_sim_pass(sim, 100);
    double gone = from - speed_of(sim);
    cmo_sim_free(sim);
    return gone / 100.0;
}

START_TEST(a_sliding_tyre_holds_less_and_a_loaded_one_more) {
    cmo_sim_setup setup = lossless_setup(DUTY_TRAITS, mat);
    setup.plant.motor_lag_ms = 15.0; // they lock the wheels
    setup.plant.grip_m_s2 = 2.0;
    setup.x_mm = 100;
    ck_assert_double_eq_tol(sliding_m_s2(&setup), 2.0, 0.05);
    setup.plant.slide_grip = 0.7;
    setup.plant.slide_mm_s = 5.0; // far below the slip
    ck_assert_double_eq_tol(sliding_m_s2(&setup), 1.4, 0.05);
    setup.plant.slide_grip = 1.0;
    setup.plant.height_mm = 30.0;
    // Braking at a loads the axle by a h / (g b): a = grip (1 + a h / (g b)).
    double load = 2.0 * 30.0 / (9.81 * setup.plant.caster_behind_mm);
    ck_assert_double_eq_tol(sliding_m_s2(&setup), 2.0 / (1.0 - load), 0.05);
    setup.plant.caster_behind_mm *= -1.0; // a caster in front takes it instead
    ck_assert_double_eq_tol(sliding_m_s2(&setup), 2.0 / (1.0 + load), 0.05);
}
END_TEST

START_TEST(a_turning_axle_slides_sideways_until_the_grip_is_used_up) {
    for (int hard = 0; hard < 2; hard++) {
        cmo_sim_setup setup = lossless_setup(PLAIN_TRAITS, mat);
        cmo_sim_plant *p = &setup.plant;
        p->side_creep = 0.1;
        p->grip_m_s2 = 1.0;
        setup.x_mm = 1000;
        // A circle of 200 mm by the wheels, at 0.2 or at 1.5 of the grip.
        double speed = sqrt((hard ? 1.5 : 0.2) * 1000.0 * 200.0);
        double off = speed * 55.0 / 200.0;
        cmo_sim *sim = cmo_sim_new(&setup);
        const cmo_port *port = cmo_sim_port(sim);
        double pace = 0.0;
        for (int ms = 0; ms < 4000; ms++) { // gently up to it
            pace = fmin(pace + 0.0005 * (hard ? 2.0 : 1.0), 1.0);
            port->drive(port->context, (float)(pace * (speed - off)), (float)(pace * (speed + off)),
                        60000000U);
            cmo_sim_pass(sim, 1);
        }
        cmo_sim_truth a = cmo_sim_truth_now(sim);
        cmo_sim_pass(sim, 1);
        cmo_sim_truth b = cmo_sim_truth_now(sim);
        double course = atan2(b.y_mm - a.y_mm, b.x_mm - a.x_mm);
        double aside = remainder(course - 0.5 * (a.heading_rad + b.heading_rad), 2.0 * G_PI);
        double real = hypot(b.x_mm - a.x_mm, b.y_mm - a.y_mm) * 1000.0;
        if (!hard) {
            // Outward by the share of the grip that the turn takes.
            ck_assert_double_eq_tol(-aside, 0.1 * 0.2, 0.004);
            ck_assert_double_eq_tol(real * a.turn_rad_s, 0.2 * 1000.0, 20.0);
        } else {
            // It cannot follow: no more sideways than there is grip.
            ck_assert_double_gt(-aside, 0.1);
            ck_assert_double_lt(fabs(real * cos(aside) * a.turn_rad_s), 1.1 * 1000.0);
        }
        cmo_sim_free(sim);
    }
}
END_TEST

// The mass ahead of the axle, held by tyres that cannot slide, and motors that let go: what it has
// of energy it keeps, and what turns more slowly goes faster.
START_TEST(a_mass_off_the_axle_keeps_its_energy_in_a_turn) {
    cmo_sim_setup setup = lossless_setup(DUTY_TRAITS, mat);
    cmo_sim_plant *p = &setup.plant;
    p->centre_mm = 40.0;
    p->inertia_kg_m2 = 0.004;
    p->rotor_share = 0.01;
    setup.x_mm = 1000;
    cmo_sim *sim = cmo_sim_new(&setup);
    const cmo_port *port = cmo_sim_port(sim);
    port->drive(port->context, 0.1F, 0.35F, 60000000U);
    cmo_sim_pass(sim, 1500);
    port->halt(port->context, CMO_HALT_COAST);
    cmo_sim_pass(sim, 5);
    cmo_sim_truth a = cmo_sim_truth_now(sim);
    cmo_sim_pass(sim, 300);
    cmo_sim_truth b = cmo_sim_truth_now(sim);
    double before = 0.6 * a.speed_mm_s * a.speed_mm_s + 4000.0 * a.turn_rad_s * a.turn_rad_s;
    double after = 0.6 * b.speed_mm_s * b.speed_mm_s + 4000.0 * b.turn_rad_s * b.turn_rad_s;
    ck_assert_double_eq_tol(after / before, 1.0, 0.03);
    ck_assert_double_lt(fabs(b.turn_rad_s), 0.9 * fabs(a.turn_rad_s));
    ck_assert_double_gt(b.speed_mm_s, a.speed_mm_s);
    cmo_sim_free(sim);
}
END_TEST

// On the spot the outer edges carry: the same wheels turn it less. Straight on nothing changes.
START_TEST(scrubbing_tyres_widen_the_track_in_a_turn) {
    cmo_sim_setup setup = lossless_setup(PLAIN_TRAITS, mat);
    setup.plant.turn_widens = 0.1;
    cmo_sim *sim = cmo_sim_new(&setup);
    const cmo_port *port = cmo_sim_port(sim);
    port->drive(port->context, -100, 100, 60000000U);
    cmo_sim_pass(sim, 2000);
    ck_assert_double_eq_tol(cmo_sim_truth_now(sim).turn_rad_s, 200.0 / (110.0 * 1.1), 0.02);
    drive_straight(sim, 200, 2000);
    ck_assert_double_eq_tol(speed_of(sim), 200, 1);
    cmo_sim_free(sim);
}
END_TEST

// v = a lag (1 - exp(-t / lag)) against a shorted motor, downhill; and up it is the other way
// round.
START_TEST(a_slope_pulls_a_robot_down) {
    for (int turn = 0; turn < 2; turn++) {
        cmo_sim_setup setup = lossless_setup(DUTY_TRAITS, mat);
        setup.plant.slope_deg = 3.0;
        setup.heading_deg = 180.0 * turn;
        setup.x_mm = 1000;
        cmo_sim *sim = cmo_sim_new(&setup);
        const cmo_port *port = cmo_sim_port(sim);
        port->halt(port->context, CMO_HALT_BRAKE);
        cmo_sim_pass(sim, 500);
        // The motors brake body and rotors, the weight pulls the body alone.
        double share = 0.5 / (0.5 + setup.plant.rotor_share);
        double steady = 9810.0 * sin(3.0 * G_PI / 180.0) * share * setup.plant.motor_lag_ms * 1e-3;
        double expected = turn ? -steady : steady;
        ck_assert_double_eq_tol(speed_of(sim), expected, 0.05 * steady);
        cmo_sim_free(sim);
    }
}
END_TEST

START_TEST(the_body_comes_back_once_it_stands) {
    cmo_sim_setup setup = lossless_setup(DUTY_TRAITS, mat);
    setup.plant.lean_mm = 1.0;
    setup.plant.grip_m_s2 = 2.0;
    setup.plant.motor_lag_ms = 10.0; // the wheels lock: it stops all at once
    setup.plant.encoder_bits = 32;
    cmo_sim *sim = cmo_sim_new(&setup);
    const cmo_port *port = cmo_sim_port(sim);
    drive_straight(sim, 0.4, 1500);
    port->halt(port->context, CMO_HALT_BRAKE);
    double furthest = 0.0;
    for (int ms = 0; ms < 1500; ms++) {
        cmo_sim_pass(sim, 1);
        furthest = fmax(furthest, cmo_sim_truth_now(sim).way_mm);
    }
    double back = furthest - cmo_sim_truth_now(sim).way_mm;
    ck_assert_double_gt(back, 0.3);
    ck_assert_double_lt(back, 1.01);
    cmo_sim_free(sim);
}
END_TEST

int main(void) {
    mat = make_floor(&one_line);
    const TTest *const tests[] = {slip_grows_with_the_force_as_each_curve_says,
                                  a_sliding_tyre_holds_less_and_a_loaded_one_more,
                                  a_turning_axle_slides_sideways_until_the_grip_is_used_up,
                                  a_mass_off_the_axle_keeps_its_energy_in_a_turn,
                                  scrubbing_tyres_widen_the_track_in_a_turn,
                                  a_slope_pulls_a_robot_down,
                                  the_body_comes_back_once_it_stands,
                                  NULL};
    int status = run_suite("tyres", tests);
    cmo_sim_mat_free(mat);
    return status;
}
