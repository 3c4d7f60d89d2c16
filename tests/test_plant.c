// SPDX-License-Identifier: GPL-3.0-or-later
// The plant against answers in closed form.
#include "support.h"

#include <math.h>
#include <string.h>

static cmo_sim_mat *mat;

static cmo_sim_setup ideal(uint16_t traits) {
    return lossless_setup(traits, mat);
}

static void drive(cmo_sim *sim, float left, float right, double ms) {
    const cmo_port *port = cmo_sim_port(sim);
    ck_assert_int_eq(port->drive(port->context, left, right, 60000000U), CMO_OK);
    cmo_sim_pass(sim, ms);
}

START_TEST(a_duty_step_follows_the_motors_exponential) {
    cmo_sim_setup setup = ideal(DUTY_TRAITS);
    cmo_sim *sim = cmo_sim_new(&setup);
    double lag = setup.plant.motor_lag_ms;
    double top = setup.plant.no_load_mm_s;
    for (int ms = 5; ms <= 300; ms += 5) {
        drive(sim, 0.3F, 0.3F, 5);
        double expected = 0.3 * top * (1.0 - exp(-ms / lag));
        ck_assert_double_eq_tol(cmo_sim_truth_now(sim).speed_mm_s, expected, 0.015 * 0.3 * top);
    }
    cmo_sim_free(sim);
}
END_TEST

START_TEST(the_motors_do_not_turn_below_their_dead_band) {
    cmo_sim_setup setup = plain_setup(&plain_robot, DUTY_TRAITS, mat);
    setup.plant.drag_m_s2 = setup.plant.caster_scrub_n = 0.0;
    double dead = setup.plant.dead_mm_s / setup.plant.no_load_mm_s;
    cmo_sim *sim = cmo_sim_new(&setup);
    drive(sim, (float)(0.9 * dead), (float)(0.9 * dead), 1000);
    ck_assert_double_le(fabs(cmo_sim_truth_now(sim).way_mm), 0.3);
    drive(sim, (float)(1.5 * dead), (float)(1.5 * dead), 3000);
    ck_assert_double_eq_tol(cmo_sim_truth_now(sim).speed_mm_s, 0.5 * setup.plant.dead_mm_s, 1.5);
    cmo_sim_free(sim);
}
END_TEST

START_TEST(a_shorted_motor_stops_within_speed_times_lag) {
    cmo_sim_setup setup = ideal(DUTY_TRAITS);
    cmo_sim *sim = cmo_sim_new(&setup);
    const cmo_port *port = cmo_sim_port(sim);
    drive(sim, 0.3F, 0.3F, 1500);
    double speed = cmo_sim_truth_now(sim).speed_mm_s;
    double from = cmo_sim_truth_now(sim).way_mm;
    port->halt(port->context, CMO_HALT_BRAKE);
    cmo_sim_pass(sim, 1000);
    double expected = speed * setup.plant.motor_lag_ms * 1e-3;
    ck_assert_double_eq_tol(cmo_sim_truth_now(sim).way_mm - from, expected, 0.02 * expected);
    cmo_sim_free(sim);
}
END_TEST

START_TEST(braking_beyond_the_grip_slides_for_as_long_as_grip_says) {
    cmo_sim_setup setup = ideal(DUTY_TRAITS);
    setup.plant.grip_m_s2 = 2.0;
    cmo_sim *sim = cmo_sim_new(&setup);
    const cmo_port *port = cmo_sim_port(sim);
    drive(sim, 0.7F, 0.7F, 3000);
    double v = cmo_sim_truth_now(sim).speed_mm_s;
    double from = cmo_sim_truth_now(sim).way_mm;
    cmo_sample before, after;
    memset(&before, 0, sizeof before);
    memset(&after, 0, sizeof after);
    port->sample(port->context, &before);
    port->halt(port->context, CMO_HALT_BRAKE);
    cmo_sim_pass(sim, 2000);
    // Down to where shorted motors brake with no more than the grip, at a = 2000; then v lag.
    // While sliding, the rotors stop ahead of the body and let go for less than a lag.
    double lag = setup.plant.motor_lag_ms * 1e-3;
    double body = (0.5 + setup.plant.rotor_share) / 0.5; // the tyres brake the body alone
    double low = 2000.0 * lag * body;
    double slide = (v * v - low * low) / (2.0 * 2000.0);
    ck_assert_double_eq_tol(cmo_sim_truth_now(sim).way_mm - from, slide + low * lag,
                            0.12 * (slide + low * lag));
    // A locked tyre turns less than the floor passes: encoders see less than the truth.
    port->sample(port->context, &after);
    int16_t counted = (int16_t)(after.encoders.left - before.encoders.left); // wrapped at 16 bits
    ck_assert_double_lt(0.5 * counted, cmo_sim_truth_now(sim).way_mm - from - 20.0);
    cmo_sim_free(sim);
}
END_TEST

START_TEST(unequal_wheels_drive_a_circle_of_the_right_radius) {
    cmo_sim_setup setup = ideal(PLAIN_TRAITS);
    setup.x_mm = 1000;
    cmo_sim *sim = cmo_sim_new(&setup);
    drive(sim, 100, 200, 1000);
    cmo_sim_truth a = cmo_sim_truth_now(sim);
    double radius = 55.0 * 3.0; // half the track times (r + l) / (r - l)
    double centre_x = a.x_mm - radius * sin(a.heading_rad);
    double centre_y = a.y_mm + radius * cos(a.heading_rad);
    for (int i = 0; i < 20; i++) {
        drive(sim, 100, 200, 500);
        cmo_sim_truth b = cmo_sim_truth_now(sim);
        double distance = hypot(b.x_mm - centre_x, b.y_mm - centre_y);
        ck_assert_double_eq_tol(distance, radius, 0.005 * radius);
    }
    cmo_sim_free(sim);
}
END_TEST

START_TEST(wheels_of_other_sizes_bend_the_way) {
    cmo_sim_setup setup = ideal(PLAIN_TRAITS);
    setup.plant.right_wheel = 1.004;
    cmo_sim *sim = cmo_sim_new(&setup);
    drive(sim, 200, 200, 4000);
    cmo_sim_truth at = cmo_sim_truth_now(sim);
    ck_assert_double_eq_tol(at.heading_rad, 0.004 * at.way_mm / 1.002 / 110.0, 5e-4);
    cmo_sim_free(sim);
}
END_TEST

START_TEST(gear_play_lets_the_motor_turn_before_the_wheel) {
    cmo_sim_setup setup = ideal(PLAIN_TRAITS);
    setup.plant.gear_play_mm = 2.0;
    cmo_sim *sim = cmo_sim_new(&setup);
    const cmo_port *port = cmo_sim_port(sim);
    cmo_sample before, after;
    drive(sim, 50, 50, 1000); // now the play lies to one side
    port->halt(port->context, CMO_HALT_HOLD);
    cmo_sim_pass(sim, 1000);
    double way = cmo_sim_truth_now(sim).way_mm;
    memset(&before, 0, sizeof before);
    memset(&after, 0, sizeof after);
    port->sample(port->context, &before);
    drive(sim, -50, -50, 1000);
    port->sample(port->context, &after);
    int16_t counts = (int16_t)(after.encoders.left - before.encoders.left); // wrapped at 16 bits
    double wheel = cmo_sim_truth_now(sim).way_mm - way;
    ck_assert_double_eq_tol(wheel - 0.5 * counts, 2.0, 0.7);
    cmo_sim_free(sim);
}
END_TEST

START_TEST(a_sagging_battery_slows_a_motor_without_regulator) {
    double speed[2];
    for (int i = 0; i < 2; i++) {
        cmo_sim_setup setup = ideal(DUTY_TRAITS);
        setup.plant.battery = i ? 0.8 : 1.0;
        cmo_sim *sim = cmo_sim_new(&setup);
        drive(sim, 0.5F, 0.5F, 1000);
        speed[i] = cmo_sim_truth_now(sim).speed_mm_s;
        cmo_sim_free(sim);
    }
    ck_assert_double_eq_tol(speed[1] / speed[0], 0.8, 0.005);
}
END_TEST

START_TEST(the_caster_kicks_when_the_robot_reverses) {
    double heading[2];
    for (int i = 0; i < 2; i++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        setup.plant.caster_scrub_n = i ? 0.4 : 0.0;
        cmo_sim *sim = cmo_sim_new(&setup);
        drive(sim, 150, 150, 1500);
        heading[i] = cmo_sim_truth_now(sim).heading_rad;
        drive(sim, -150, -150, 600);
        heading[i] = fabs(cmo_sim_truth_now(sim).heading_rad - heading[i]);
        cmo_sim_free(sim);
    }
    ck_assert_double_gt(heading[1], 2.0 * heading[0] + 1e-4);
}
END_TEST

// Covered share of the spot, by the same formula as for a disc cut by a chord.
START_TEST(a_look_across_an_edge_is_the_convolution_of_a_disc) {
    cmo_sim_mat *fine = make_fine_floor(&one_line, 2.0);
    for (double spot = 3.0; spot <= 10.0; spot += 3.5) {
        for (double beyond = -6.0; beyond <= 6.0; beyond += 0.37) {
            for (int turned = 0; turned < 2; turned++) {
                double u = CLAMP(2.0 * beyond / spot, -1.0, 1.0);
                double share = 0.5 + (u * sqrt(1.0 - u * u) + asin(u)) / G_PI;
                double x = 700.0 + beyond;
                double y = turned ? 317.3 : 500.0;
                double light = cmo_sim_mat_light(fine, x, y, spot);
                double expected = 0.6 + (0.05 - 0.6) * share;
                ck_assert_double_eq_tol(light, expected, 0.012);
            }
        }
    }
    cmo_sim_mat_free(fine);
}
END_TEST

START_TEST(looks_come_at_their_rate_with_their_delay_and_noise) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    setup.plant.sensor[0].interval_ms = 4.0;
    setup.plant.sensor[0].noise = 0.02;
    cmo_sim *sim = cmo_sim_new(&setup);
    const cmo_port *port = cmo_sim_port(sim);
    double sum = 0.0;
    double squares = 0.0;
    unsigned count = 0;
    uint32_t last = 0;
    for (int i = 0; i < 1000; i++) {
        cmo_sample sample;
        memset(&sample, 0, sizeof sample);
        port->wait(port->context, port->clock(port->context) + 10000);
        port->sample(port->context, &sample);
        for (unsigned n = 0; n < sample.light[0].looks; n++, count++) {
            const cmo_look *look = &sample.light[0].look[n];
            ck_assert_uint_le(look->time_us, port->clock(port->context));
            ck_assert(count == 0 || (look->time_us - last >= 3999 && look->time_us - last <= 4001));
            last = look->time_us;
            sum += look->counts;
            squares += (double)look->counts * look->counts;
        }
    }
    ck_assert_uint_ge(count, 2490);
    const cmo_sim_light *sensor = &setup.plant.sensor[0];
    double span = sensor->white_counts - sensor->black_counts;
    double mean = sum / count;
    double sd = sqrt(squares / count - mean * mean);
    double expected = sensor->black_counts + span * 0.6 * (1.0 + sensor->ambient_share * 0.3);
    ck_assert_double_eq_tol(mean, expected, 0.005 * span);
    ck_assert_double_eq_tol(sd, 0.02 * span, 0.0015 * span);
    cmo_sim_free(sim);
}
END_TEST

START_TEST(a_shadow_darkens_only_a_sensor_that_lets_ambient_light_in) {
    for (int lets_in = 0; lets_in < 2; lets_in++) {
        double mean[2] = {0, 0};
        for (int shadow = 0; shadow < 2; shadow++) {
            cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
            setup.plant.sensor[0].ambient_share = lets_in;
            setup.plant.sensor[0].white_counts = 500;
            setup.plant.ambient = 0.5;
            setup.plant.shadows = (unsigned)shadow;
            setup.plant.shadow[0] = (cmo_sim_shadow){270, 500, 200, 20, 1.0};
            cmo_sim *sim = cmo_sim_new(&setup);
            const cmo_port *port = cmo_sim_port(sim);
            for (int i = 0; i < 100; i++) {
                cmo_sample sample;
                memset(&sample, 0, sizeof sample);
                port->wait(port->context, port->clock(port->context) + 10000);
                port->sample(port->context, &sample);
                mean[shadow] += sample.light[0].looks > 0 ? sample.light[0].look[0].counts : 0;
            }
            cmo_sim_free(sim);
        }
        double drop = 1.0 - mean[1] / mean[0];
        ck_assert(lets_in ? drop > 0.2 : fabs(drop) < 0.01);
    }
}
END_TEST

START_TEST(the_same_seed_gives_the_same_robot_and_another_seed_another) {
    cmo_sim_truth ends[3];
    for (int i = 0; i < 3; i++) {
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
        setup.plant.wheel_spread = 0.004;
        setup.seed = i == 2 ? 8 : 7;
        cmo_sim *sim = cmo_sim_new(&setup);
        drive(sim, 200, 190, 2000);
        ends[i] = cmo_sim_truth_now(sim);
        cmo_sim_free(sim);
    }
    ck_assert_mem_eq(&ends[0], &ends[1], sizeof ends[0]);
    ck_assert_double_ne(ends[0].y_mm, ends[2].y_mm);
}
END_TEST

START_TEST(true_crossings_lie_on_the_edge_at_any_angle) {
    for (int angle = -60; angle <= 60; angle += 20) {
        floor_plan plan = {0.6, 1, {STRIPE(700, 20, angle, 0.05, CMO_SIM_LINE)}};
        cmo_sim_mat *floor = make_floor(&plan);
        cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, floor);
        cmo_sim *sim = cmo_sim_new(&setup);
        drive(sim, 300, 303, 3000);
        const cmo_sim_crossing *crossing = find_crossing(sim, 0, CMO_SIM_LINE);
        ck_assert_ptr_nonnull(crossing);
        double a = angle * G_PI / 180.0;
        double off = (crossing->x_mm - 700) * cos(a) + (crossing->y_mm - 500) * sin(a);
        ck_assert_double_le(fabs(off), 0.1); // a fifth of a pixel
        double nx, ny;
        ck_assert(
            cmo_sim_mat_normal(floor, CMO_SIM_LINE, crossing->x_mm, crossing->y_mm, &nx, &ny));
        ck_assert_double_ge(nx * cos(a) + ny * sin(a), cos(0.5 * G_PI / 180.0));
        cmo_sim_free(sim);
        cmo_sim_mat_free(floor);
    }
}
END_TEST

int main(void) {
    mat = make_floor(&one_line);
    const TTest *const tests[] = {a_duty_step_follows_the_motors_exponential,
                                  the_motors_do_not_turn_below_their_dead_band,
                                  a_shorted_motor_stops_within_speed_times_lag,
                                  braking_beyond_the_grip_slides_for_as_long_as_grip_says,
                                  unequal_wheels_drive_a_circle_of_the_right_radius,
                                  wheels_of_other_sizes_bend_the_way,
                                  gear_play_lets_the_motor_turn_before_the_wheel,
                                  a_sagging_battery_slows_a_motor_without_regulator,
                                  the_caster_kicks_when_the_robot_reverses,
                                  a_look_across_an_edge_is_the_convolution_of_a_disc,
                                  looks_come_at_their_rate_with_their_delay_and_noise,
                                  a_shadow_darkens_only_a_sensor_that_lets_ambient_light_in,
                                  the_same_seed_gives_the_same_robot_and_another_seed_another,
                                  true_crossings_lie_on_the_edge_at_any_angle,
                                  NULL};
    int status = run_suite("plant", tests);
    cmo_sim_mat_free(mat);
    return status;
}
