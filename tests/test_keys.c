// SPDX-License-Identifier: GPL-3.0-or-later
// What the newer sections of robot and route files mean, key by key, and how they are refused.
#include "support.h"

#include <math.h>
#include <string.h>

#define ROBOT                                                                                      \
    "tick_ms: 10\ntrack_mm: 110\n"                                                                 \
    "encoders: {step_mm: 0.5, play_mm: 0.4}\n"                                                     \
    "drive: {top_mm_s: 700, acceleration_mm_s2: 2000, braking_mm_s2: 3000}\n"                      \
    "lights:\n"                                                                                    \
    "  left: {ahead_mm: 70, left_mm: 45, spot_mm: 6, levels: {dark: 100, light: 700%s}}\n"         \
    "  right: {ahead_mm: 70, left_mm: -45, spot_mm: 6, levels: {dark: 100, light: 700}}\n"

static lab_robot *robot_of(const char *levels, const char *more, GError **error) {
    char *head = g_strdup_printf(ROBOT, levels);
    char *text = g_strconcat(head, more, NULL);
    lab_robot *robot = lab_robot_from_bytes("r.yaml", text, strlen(text), error);
    g_free(text);
    g_free(head);
    return robot;
}

START_TEST(thresholds_drift_and_play_are_read) {
    GError *error = NULL;
    lab_robot *robot =
        robot_of(", dark_threshold: 210, light_threshold: 600", "drift_most: 0.1\n", &error);
    ck_assert_ptr_nonnull(robot);
    ck_assert_uint_eq(robot->levels[0].dark_threshold, 210);
    ck_assert_uint_eq(robot->levels[0].light_threshold, 600);
    ck_assert_uint_eq(robot->levels[1].dark_threshold, 0);
    ck_assert_float_eq_tol(robot->description.drift_most, 0.1F, 1e-6F);
    ck_assert_float_eq_tol(robot->description.gear_play_mm, 0.4F, 1e-6F);
    ck_assert_float_eq_tol(cmo_threshold(&robot->levels[0], CMO_TONE_DARK), 110.0F / 600.0F, 1e-5F);
    ck_assert_float_eq(cmo_threshold(&robot->levels[1], CMO_TONE_DARK), 0.5F);
    lab_robot_free(robot);
}
END_TEST

START_TEST(a_threshold_outside_of_its_levels_is_refused) {
    static const char *const wrong[] = {", dark_threshold: 100", ", dark_threshold: 90",
                                        ", light_threshold: 700", ", light_threshold: 900"};
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); i++) {
        GError *error = NULL;
        ck_assert_ptr_null(robot_of(wrong[i], "", &error));
        ck_assert_ptr_nonnull(strstr(error->message, "threshold: must lie between dark and light"));
        g_clear_error(&error);
    }
}
END_TEST

#define MEASURED                                                                                   \
    "measured:\n"                                                                                  \
    "  left_step_mm: 0.502\n  right_step_mm: 0.499\n  track_mm: 111.2\n"                           \
    "  left: {ahead_mm: 70.4, left_mm: 45.3, delay_ms: 9.2}\n"                                     \
    "  right: {ahead_mm: 69.6, left_mm: -45.3, delay_ms: 11}\n"

START_TEST(what_was_measured_is_believed_and_the_simulated_robot_stays) {
    GError *error = NULL;
    lab_robot *robot = robot_of("", MEASURED "  track_error_mm: 0.05\n", &error);
    ck_assert_msg(robot != NULL, "%s", error != NULL ? error->message : "");
    ck_assert(robot->measured);
    const cmo_robot_description *d = &robot->description;
    ck_assert_float_eq_tol(d->left_step_mm, 0.502F, 1e-6F);
    ck_assert_float_eq_tol(d->right_step_mm, 0.499F, 1e-6F);
    ck_assert_float_eq_tol(d->track_mm, 111.2F, 1e-4F);
    ck_assert_float_eq_tol(d->light[0].ahead_mm, 70.4F, 1e-4F);
    ck_assert_uint_eq(d->light[1].delay_us, 11000);
    ck_assert_float_eq_tol(robot->geometry.track_error_mm, 0.05F, 1e-6F);
    ck_assert(isnan((double)robot->geometry.ratio_error));
    ck_assert_double_eq(robot->plant.track_mm, 110.0);
    ck_assert_double_eq(robot->plant.encoder_step_mm, 0.5);
    ck_assert_double_eq(robot->plant.sensor[0].ahead_mm, 70.0);
    ck_assert_double_eq(robot->plant.sensor[1].delay_ms, 0.0);
    lab_robot_free(robot);
    ck_assert_ptr_null(robot_of("", "measured: {track_mm: 111}\n", &error));
    ck_assert_ptr_nonnull(strstr(error->message, "measured.left_step_mm: must be given"));
    g_clear_error(&error);
}
END_TEST

START_TEST(every_fault_and_moving_shadow_reaches_the_simulator) {
    GError *error = NULL;
    lab_robot *robot = robot_of(
        "",
        "plant:\n  ambient_change: 0.5\n  ambient_change_s: 8\n"
        "  shadows: [{x_mm: 1, y_mm: 2, radius_mm: 30, vx_mm_s: -40, vy_mm_s: 5, every_s: 3}]\n"
        "  faults: {left_motor_dead: true, right_encoder_dead: true, left_encoder_reversed: true, "
        "encoders_swapped: true, right_light_jumps_at_s: 2, left_light_clipped_at_s: 1.5}\n",
        &error);
    ck_assert_msg(robot != NULL, "%s", error != NULL ? error->message : "");
    const cmo_sim_faults *f = &robot->faults;
    ck_assert(f->left_dead && !f->right_dead && f->right_encoder_dead && !f->left_encoder_dead);
    ck_assert(f->left_encoder_reversed && !f->right_encoder_reversed && f->encoders_swapped);
    ck_assert_double_eq(f->light_jumps_at_ms[1], 2000.0);
    ck_assert_double_eq(f->light_clipped_at_ms[0], 1500.0);
    ck_assert_double_lt(f->light_jumps_at_ms[0], 0.0); // never
    const cmo_sim_shadow *shadow = &robot->plant.shadow[0];
    ck_assert_double_eq(shadow->vx_mm_s, -40.0);
    ck_assert_double_eq(shadow->vy_mm_s, 5.0);
    ck_assert_double_eq(shadow->every_s, 3.0);
    ck_assert_double_eq(robot->plant.ambient_change, 0.5);
    lab_robot_free(robot);
}
END_TEST

// -------------------------------------------------------------------------------------- routes --

static lab_route *route_of(const char *legs, GError **error) {
    char *text = g_strconcat("robot: r\nmat: m\nstart: {x_mm: 1, y_mm: 2}\n", legs, NULL);
    lab_route *route = lab_route_from_bytes("x.yaml", text, strlen(text), error);
    g_free(text);
    return route;
}

START_TEST(legs_have_bands_places_efforts_and_expectations) {
    GError *error = NULL;
    lab_route *route = route_of(
        "legs:\n"
        "  - stop_on_line: {band: {low: 0.3, high: 0.6}, effort: fine, expected_mm: 250,\n"
        "      rest: centre, too_fast: slow, place: {x_mm: 600, y_mm: 10, heading_deg: 90}}\n"
        "  - drive_until_line: {band: {high: 0.2}}\n"
        "  - square_on_line: {rest: far_edge, rounds: 4, tolerance_mm: 0.5}\n"
        "  - square_on_line: {}\n"
        "  - take_levels: {angle_deg: -60}\n",
        &error);
    ck_assert_msg(route != NULL, "%s", error != NULL ? error->message : "");
    const lab_leg *stop = &route->leg[0];
    const cmo_line_parameters *p = &stop->parameters.stop_on_line;
    ck_assert_float_eq_tol(p->band.low, 0.3F, 1e-6F);
    ck_assert_float_eq_tol(p->band.high, 0.6F, 1e-6F);
    ck_assert_int_eq(p->effort, CMO_EFFORT_FINE);
    ck_assert_int_eq(p->too_fast, CMO_TOO_FAST_SLOW);
    ck_assert_int_eq(p->rest, CMO_REST_CENTRE);
    ck_assert_float_eq(p->expected_mm, 250.0F);
    ck_assert(stop->stated);
    ck_assert_float_eq(stop->place.x_mm, 600.0F);
    ck_assert_float_eq(stop->place.heading_deg, 90.0F);
    ck_assert(isinf(route->leg[1].parameters.stop_on_line.band.low));
    ck_assert(!route->leg[1].stated);
    cmo_line_parameters line;
    ck_assert(lab_leg_line(&route->leg[2], &line));
    ck_assert_int_eq(line.rest, CMO_REST_FAR_EDGE);
    ck_assert_uint_eq(route->leg[2].parameters.square_on_line.rounds, 4);
    ck_assert(lab_leg_line(&route->leg[3], &line));
    ck_assert_int_eq(line.rest, CMO_REST_NEAR_EDGE);
    ck_assert_float_eq(line.band.high, 0.0F); // by the tone
    ck_assert_float_eq(route->leg[4].parameters.take_levels.angle_deg, -60.0F);
    ck_assert(!lab_leg_line(&route->leg[4], &line));
    // Spreads that were not given have their defaults.
    ck_assert_double_eq(route->spread.x_mm, 5.0);
    ck_assert_double_eq(route->spread.battery, 0.1);
    lab_route_free(route);
}
END_TEST

#define MEASURED_DRIVE                                                                             \
    "measured_drive:\n"                                                                            \
    "  lag_ms: 61.5\n  left_ahead_mm_s: 12.5\n  right_ahead_mm_s: 15\n  left_back_mm_s: 10\n"      \
    "  right_back_mm_s: 22.5\n"

START_TEST(a_measured_drive_is_believed_and_the_simulated_robot_stays) {
    GError *error = NULL;
    lab_robot *plain = robot_of("", "", &error);
    ck_assert(plain != NULL && !plain->drive_measured && !plain->description.lag_measured);
    lab_robot *robot = robot_of("", MEASURED_DRIVE "  ramp_mm_s2: 2000\n", &error);
    ck_assert_msg(robot != NULL, "%s", error != NULL ? error->message : "");
    ck_assert(robot->drive_measured && robot->description.lag_measured);
    const cmo_robot_description *d = &robot->description;
    ck_assert_float_eq(d->lag_ms, 61.5F);
    ck_assert_float_eq(d->slowest_mm_s, 22.5F);
    ck_assert(d->braking_mm_s2 <= 1200.1F && d->acceleration_mm_s2 <= 1200.1F);
    ck_assert_float_eq(robot->drive.wheel_lag_ms[1], 61.5F);
    ck_assert_float_eq(robot->drive.ratio[0], 1.0F);
    ck_assert_double_eq(robot->plant.motor_lag_ms, plain->plant.motor_lag_ms);
    ck_assert_double_eq(robot->plant.regulator_slowest_mm_s, plain->plant.regulator_slowest_mm_s);
    ck_assert_double_eq(robot->plant.regulator_ramp_mm_s2, 0.0);
    lab_robot_free(robot);
    lab_robot_free(plain);
    ck_assert_ptr_null(robot_of("", "measured_drive: {lag_ms: 50}\n", &error));
    ck_assert_ptr_nonnull(strstr(error->message, "measured_drive.left_ahead_mm_s: must be given"));
    g_clear_error(&error);
}
END_TEST

START_TEST(wiring_and_geometry_legs_are_read_to_the_last_key) {
    GError *error = NULL;
    lab_route *route =
        route_of("spread: {x_mm: 1, heading_deg: 30, wheel: 0.02}\nlegs:\n"
                 "  - check_wiring: {tone: light, speed_mm_s: 120, swing_deg: 20, longest_s: 5}\n"
                 "  - measure_geometry: {lines_mm: 350, slant_deg: 25, speed_mm_s: 90,\n"
                 "      fast_mm_s: 400, longest_mm: 900, rounds: 3}\n"
                 "  - measure_drive: {fast_mm_s: 250, rounds: 4, longest_s: 90}\n",
                 &error);
    ck_assert_msg(route != NULL, "%s", error != NULL ? error->message : "");
    const cmo_check_wiring_parameters *w = &route->leg[0].parameters.check_wiring;
    ck_assert_int_eq(w->tone, CMO_TONE_LIGHT);
    ck_assert_float_eq(w->swing_deg, 20.0F);
    ck_assert_uint_eq(w->longest_ms, 5000);
    const cmo_measure_geometry_parameters *g = &route->leg[1].parameters.measure_geometry;
    ck_assert_float_eq(g->lines_mm, 350.0F);
    ck_assert_float_eq(g->slant_deg, 25.0F);
    ck_assert_float_eq(g->fast_mm_s, 400.0F);
    ck_assert_uint_eq(g->rounds, 3);
    const cmo_measure_drive_parameters *drive = &route->leg[2].parameters.measure_drive;
    ck_assert_float_eq(drive->fast_mm_s, 250.0F);
    ck_assert_uint_eq(drive->rounds, 4);
    ck_assert_uint_eq(drive->longest_ms, 90000);
    ck_assert_double_eq(route->spread.heading_deg, 30.0);
    ck_assert_double_eq(route->spread.wheel, 0.02);
    ck_assert_double_eq(route->spread.y_mm, 5.0);
    lab_route_free(route);
}
END_TEST

START_TEST(what_is_wrong_in_the_newer_keys_is_said) {
    static const struct {
        const char *legs, *says;
    } cases[] = {
        {"legs:\n  - square_on_line: {rest: halted}\n", "is not one of"},
        {"legs:\n  - square_on_line: {sensor: left}\n", "unknown key"},
        {"legs:\n  - stop_on_line: {effort: fast}\n", "is not one of"},
        {"legs:\n  - stop_on_line: {place: {x_mm: 5}}\n", "place.y_mm: must be given"},
        {"legs:\n  - check_wiring: {tone: void}\n", "is not one of"},
        {"legs:\n  - measure_geometry: {rounds: 0}\n", "rounds"},
        {"legs:\n  - measure_geometry: {rounds: 1.5}\n", "rounds"},
        {"legs:\n  - measure_drive: {rounds: 11}\n", "rounds"},
        {"spread: {battery: 2}\nlegs:\n  - advance: {distance_mm: 5}\n", "spread.battery"},
        {"spread: {hight: 2}\nlegs:\n  - advance: {distance_mm: 5}\n", "unknown key"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        ck_assert_ptr_null(route_of(cases[i].legs, &error));
        ck_assert_msg(g_str_has_prefix(error->message, "x.yaml:") &&
                          strstr(error->message, cases[i].says) != NULL,
                      "%s", error->message);
        g_clear_error(&error);
    }
}
END_TEST

START_TEST(a_stated_line_makes_the_next_move_good) {
    // The same trial with the line's place and without: the advance after it goes by so much less
    // or more as the rest error was.
    GError *error = NULL;
    double end_mm[2], rest_mm = 0.0;
    for (int stated = 0; stated < 2; stated++) {
        lab_route *route = route_of(
            stated ? "legs:\n  - stop_on_line: {rest: near_edge, effort: quick, cruise_mm_s: 300, "
                     "place: {x_mm: 540, y_mm: 0}}\n  - advance: {distance_mm: 100}\n"
                   : "legs:\n  - stop_on_line: {rest: near_edge, effort: quick, cruise_mm_s: 300}\n"
                     "  - advance: {distance_mm: 100}\n",
            &error);
        ck_assert_ptr_nonnull(route);
        route->x_mm = 250;
        route->y_mm = 550;
        route->robot = lab_robot_load("data/ferry/mozzo.yaml", &error);
        route->mat = cmo_sim_mat_load("data/ferry/quay.svg", NULL, &error);
        lab_run *run = lab_drive(route, 5);
        ck_assert_int_eq(run->outcome, CMO_OUTCOME_DONE);
        rest_mm = g_array_index(run->legs, lab_leg_result, 0).robot.value[CMO_REST_ERROR_MM];
        end_mm[stated] = run->end.x_mm;
        lab_run_free(run);
        lab_route_free(route);
    }
    ck_assert_double_gt(rest_mm, 10.0); // a quick stop goes over
    ck_assert_double_eq_tol(end_mm[0] - end_mm[1], rest_mm, 1.5);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {thresholds_drift_and_play_are_read,
                                  a_threshold_outside_of_its_levels_is_refused,
                                  what_was_measured_is_believed_and_the_simulated_robot_stays,
                                  every_fault_and_moving_shadow_reaches_the_simulator,
                                  legs_have_bands_places_efforts_and_expectations,
                                  a_measured_drive_is_believed_and_the_simulated_robot_stays,
                                  wiring_and_geometry_legs_are_read_to_the_last_key,
                                  what_is_wrong_in_the_newer_keys_is_said,
                                  a_stated_line_makes_the_next_move_good,
                                  NULL};
    return run_suite("keys", tests);
}
