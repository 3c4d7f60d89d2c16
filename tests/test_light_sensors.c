// SPDX-License-Identifier: GPL-3.0-or-later
// Parts by which simulated robots differ in kind, against answers in closed form: what they see.
#include "support.h"

#include <math.h>
#include <string.h>

static cmo_sim_mat *mat;

static cmo_sim_setup ideal(uint16_t traits) {
    return lossless_setup(traits, mat);
}

// Looks of a robot that stands, or is put down at places along the way.
static cmo_sim_setup quiet(void) {
    cmo_sim_setup setup = ideal(PLAIN_TRAITS);
    for (int i = 0; i < 2; i++) {
        setup.plant.sensor[i].noise = 0.0;
        setup.plant.sensor[i].ambient_share = 0.0;
        setup.plant.sensor[i].black_counts = 0.0;
        setup.plant.sensor[i].white_counts = 60000.0;
        setup.plant.sensor[i].counts_max = 65535.0;
    }
    return setup;
}

// Light that the left sensor says, at rest there, after so long.
static double light_after(const cmo_sim_setup *setup, double ms) {
    cmo_sim *sim = cmo_sim_new(setup);
    const cmo_port *port = cmo_sim_port(sim);
    cmo_sim_pass(sim, ms);
    cmo_sample sample;
    memset(&sample, 0, sizeof sample);
    port->sample(port->context, &sample);
    ck_assert_uint_gt(sample.light[0].looks, 0);
    double light = sample.light[0].look[sample.light[0].looks - 1].counts / 60000.0;
    cmo_sim_free(sim);
    return light;
}

static double covered(double beyond, double radius) {
    double u = CLAMP(beyond / radius, -1.0, 1.0);
    return 0.5 + (u * sqrt(1.0 - u * u) + asin(u)) / G_PI;
}

START_TEST(each_footprint_answers_an_edge_as_its_discs_do) {
    for (int kind = 0; kind < 4; kind++) {
        bool bell = kind & 1;
        double lopsided = kind & 2 ? 0.5 : 0.0;
        double moment = 0.0;
        for (double beyond = -6.0; beyond <= 6.0; beyond += 0.31) {
            cmo_sim_setup setup = quiet();
            setup.x_mm = 700.0 + beyond - 70.0;
            setup.plant.sensor[0].footprint = bell ? CMO_SIM_BELL : CMO_SIM_DISC;
            setup.plant.sensor[0].lopsided = lopsided;
            double light = light_after(&setup, 60);
            double inner = covered(beyond + 3.0 * lopsided, bell ? 1.8 : 1.5);
            double share = bell             ? 0.6 * inner + 0.4 * covered(beyond, 4.2)
                           : lopsided > 0.0 ? 0.7 * covered(beyond, 3.0) + 0.3 * inner
                                            : covered(beyond, 3.0);
            ck_assert_double_eq_tol(light, 0.6 - 0.55 * share, 0.015);
            moment += share * 0.31;
        }
        // The area under the answer says how far ahead it looks on average.
        double ahead = moment - 6.0;
        double expected = lopsided * 3.0 * (bell ? 0.6 : 0.3);
        ck_assert_double_eq_tol(ahead, expected, 0.17);
    }
}
END_TEST

START_TEST(a_bent_response_leaves_its_ends_where_they_are) {
    cmo_sim_setup setup = quiet();
    setup.plant.sensor[0].bend = 0.05;
    ck_assert_double_eq_tol(light_after(&setup, 60), 0.6 + 4.0 * 0.05 * 0.6 * 0.4, 1e-3);
    setup.x_mm = 710.0 - 70.0;
    ck_assert_double_eq_tol(light_after(&setup, 60), 0.05 + 4.0 * 0.05 * 0.05 * 0.95, 1e-3);
}
END_TEST

// At a steady speed an answer that lags comes later by its time constant.
START_TEST(electronics_that_lag_answer_an_edge_late) {
    double half[2];
    for (int lags = 0; lags < 2; lags++) {
        cmo_sim_setup setup = quiet();
        setup.plant.sensor[0].lag_ms = lags ? 12.0 : 0.0;
        setup.plant.sensor[0].interval_ms = 1.0;
        setup.plant.sensor[0].exposure_ms = 0.2;
        setup.plant.sensor[0].delay_ms = 0.0;
        setup.plant.sensor[0].spot_mm = 12.0;
        setup.x_mm = 500;
        cmo_sim *sim = cmo_sim_new(&setup);
        const cmo_port *port = cmo_sim_port(sim);
        drive_straight(sim, 100, 1000);
        half[lags] = 0.0;
        double sum = 0.0; // of the answer over the way: its mean place
        for (int ms = 0; ms < 1800; ms++) {
            drive_straight(sim, 100, 1);
            cmo_sample sample;
            memset(&sample, 0, sizeof sample);
            port->sample(port->context, &sample);
            if (sample.light[0].looks > 0 && cmo_sim_truth_now(sim).x_mm < 700.0 - 70.0 + 9.9) {
                sum += (sample.light[0].look[0].counts / 60000.0 - 0.05) / 0.55 * 0.1;
            }
        }
        half[lags] = sum;
        cmo_sim_free(sim);
    }
    ck_assert_double_eq_tol(half[1] - half[0], 100.0 * 0.012, 0.15);
}
END_TEST

// Times of the left sensor's looks.
static unsigned look_times(const cmo_sim_setup *setup, double *ms, unsigned most) {
    cmo_sim *sim = cmo_sim_new(setup);
    const cmo_port *port = cmo_sim_port(sim);
    unsigned count = 0;
    while (count < most) {
        cmo_sim_pass(sim, 5);
        cmo_sample sample;
        memset(&sample, 0, sizeof sample);
        port->sample(port->context, &sample);
        for (unsigned i = 0; i < sample.light[0].looks && count < most; i++) {
            ms[count++] = sample.light[0].look[i].time_us / 1000.0;
        }
    }
    cmo_sim_free(sim);
    return count;
}

START_TEST(a_sensor_has_a_clock_of_its_own) {
    double ms[500];
    unsigned off = 0;
    for (uint64_t seed = 1; seed <= 10; seed++) {
        cmo_sim_setup setup = quiet();
        setup.seed = seed;
        setup.plant.sensor[0].clock_off = 0.03;
        unsigned n = look_times(&setup, ms, 500);
        double mean = (ms[n - 1] - ms[0]) / (n - 1);
        ck_assert_double_eq_tol(mean, 10.0, 0.31);
        ck_assert_double_eq_tol(ms[300] - ms[299], mean, 0.002); // steady
        off += fabs(mean - 10.0) > 0.05;
        setup.plant.sensor[0].jitter_ms = 1.0;
        setup.plant.sensor[0].clock_off = 0.0;
        n = look_times(&setup, ms, 500);
        double widest = 0.0;
        for (unsigned i = 1; i < n; i++) {
            widest = fmax(widest, fabs(ms[i] - ms[i - 1] - 10.0));
        }
        ck_assert_double_eq_tol((ms[n - 1] - ms[0]) / (n - 1), 10.0, 0.01);
        ck_assert_double_gt(widest, 1.0);
        ck_assert_double_le(widest, 2.0);
    }
    ck_assert_uint_ge(off, 7);
}
END_TEST

START_TEST(a_gain_that_wanders_has_the_spread_that_was_asked_for) {
    double sum = 0.0;
    double squares = 0.0;
    unsigned n = 0;
    double least_next = INFINITY;
    for (uint64_t seed = 1; seed <= 40; seed++) {
        cmo_sim_setup setup = quiet();
        setup.seed = seed;
        setup.plant.sensor[0].gain_wander = 0.02;
        double first = light_after(&setup, 60) / 0.6 - 1.0;
        double next = light_after(&setup, 80) / 0.6 - 1.0;
        double later = light_after(&setup, 5000) / 0.6 - 1.0;
        least_next = fmin(least_next, fabs(next - first));
        ck_assert_double_lt(fabs(next - first), 0.03); // slowly
        sum += first + later;
        squares += first * first + later * later;
        n += 2;
    }
    double sd = sqrt(squares / n - sum / n * (sum / n));
    ck_assert_double_eq_tol(sd, 0.02, 0.006);
    ck_assert_double_lt(least_next, 0.01);
}
END_TEST

// Sampled each 10 ms a lamp of 100 Hz stands still, and one of 101 Hz seems to flicker once a
// second.
START_TEST(a_flickering_lamp_beats_with_the_look_rate) {
    for (int hz = 100; hz <= 101; hz++) {
        cmo_sim_setup setup = quiet();
        setup.plant.sensor[0].ambient_share = 1.0;
        setup.plant.ambient = 0.3;
        setup.plant.flicker = 0.5;
        setup.plant.flicker_hz = hz;
        cmo_sim *sim = cmo_sim_new(&setup);
        const cmo_port *port = cmo_sim_port(sim);
        double low = INFINITY;
        double high = 0.0;
        for (int i = 0; i < 300; i++) {
            cmo_sim_pass(sim, 10);
            cmo_sample sample;
            memset(&sample, 0, sizeof sample);
            port->sample(port->context, &sample);
            for (unsigned n = 0; n < sample.light[0].looks; n++) {
                low = fmin(low, sample.light[0].look[n].counts / 60000.0);
                high = fmax(high, sample.light[0].look[n].counts / 60000.0);
            }
        }
        double swing = 0.6 * 0.3 * 0.5 * 2.0; // light, times what is around, times to and fro
        ck_assert_double_eq_tol(high - low, hz == 100 ? 0.0 : swing, 0.02 * swing + 1e-4);
        cmo_sim_free(sim);
    }
}
END_TEST

START_TEST(the_nose_rises_as_it_speeds_up) {
    cmo_sim_setup setup = quiet();
    setup.plant.nose_mm = 0.5;
    setup.plant.regulator_ramp_mm_s2 = 1000.0;
    setup.plant.motor_lag_ms = 5.0;
    setup.x_mm = 100;
    cmo_sim *sim = cmo_sim_new(&setup);
    const cmo_port *port = cmo_sim_port(sim);
    drive_straight(sim, 600, 300);
    cmo_sample sample;
    memset(&sample, 0, sizeof sample);
    port->sample(port->context, &sample);
    double light = sample.light[0].look[sample.light[0].looks - 1].counts / 60000.0;
    ck_assert_double_eq_tol(light, 0.6 * (8.0 / 8.5) * (8.0 / 8.5), 0.004);
    cmo_sim_free(sim);
}
END_TEST

START_TEST(a_mat_that_waves_changes_a_sensors_height) {
    cmo_sim_setup setup = quiet();
    setup.plant.wave_mm = 1.0;
    setup.plant.wave_length_mm = 400.0;
    setup.x_mm = 100.0 - 70.0; // the left spot at (100, 545): a quarter wave, and 0.65 of one
    double rise = 0.5 * (1.0 + sin(2.0 * G_PI * 545.0 / 400.0));
    double share = (8.0 - rise) / 8.0;
    ck_assert_double_eq_tol(light_after(&setup, 60), 0.6 / (share * share), 2e-3);
}
END_TEST

START_TEST(a_sensor_may_see_the_other_ones_lamp) {
    cmo_sim_setup setup = quiet();
    setup.plant.sensor[0].cross_light = 0.1;
    ck_assert_double_eq_tol(light_after(&setup, 60), 0.66, 1e-3);
    // Over the edge with the other one alone: the tenth falls with what that one is over.
    setup.plant.sensor[1].ahead_mm = 140;
    setup.x_mm = 710.0 - 140.0;
    ck_assert_double_eq_tol(light_after(&setup, 60), 0.605, 1e-3);
}
END_TEST

int main(void) {
    mat = make_floor(&one_line);
    const TTest *const tests[] = {each_footprint_answers_an_edge_as_its_discs_do,
                                  a_bent_response_leaves_its_ends_where_they_are,
                                  electronics_that_lag_answer_an_edge_late,
                                  a_sensor_has_a_clock_of_its_own,
                                  a_gain_that_wanders_has_the_spread_that_was_asked_for,
                                  a_flickering_lamp_beats_with_the_look_rate,
                                  the_nose_rises_as_it_speeds_up,
                                  a_mat_that_waves_changes_a_sensors_height,
                                  a_sensor_may_see_the_other_ones_lamp,
                                  NULL};
    int status = run_suite("sensors", tests);
    cmo_sim_mat_free(mat);
    return status;
}
