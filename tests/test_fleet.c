// SPDX-License-Identifier: GPL-3.0-or-later
// Fleet files: what is drawn of them, how their robots are described, and what a series says of
// them.
#include "calls.h"

#include <cammino_lab/fleet.h>
#include <cammino_lab/series.h>
#include <json-glib/json-glib.h>
#include <math.h>
#include <string.h>

#define HEAD                                                                                       \
    "fleet: Tugs\n"                                                                                \
    "robot:\n"                                                                                     \
    "  tick_ms: 10\n"                                                                              \
    "  track_mm: 100 to 120\n"                                                                     \
    "  encoders: {step_mm: 0.3 or 0.5 or 1 to 2, bits: 16}\n"                                      \
    "  lights: {left: {ahead_mm: 60 to 80, left_mm: 40, delay_ms: 5}}\n"                           \
    "  plant: {no_load_mm_s: 1000, grip_m_s2: 4}\n"
#define KINDS                                                                                      \
    "kinds:\n"                                                                                     \
    "  tyres: {hard: {plant: {grip_m_s2: 3}}, soft: {plant: {grip_m_s2: 5 to 6}}}\n"               \
    "  drive: {speed: {plant: {regulator: trim}}, duty: {drive: {kind: duty}}}\n"

static lab_fleet *read_fleet(const char *text, GError **error) {
    return lab_fleet_from_bytes("tugs.yaml", text, strlen(text), error);
}

static lab_fleet *fleet_of(const char *text) {
    GError *error = NULL;
    lab_fleet *fleet = read_fleet(text, &error);
    ck_assert_msg(fleet != NULL, "%s", error != NULL ? error->message : "");
    return fleet;
}

static lab_robot *robot_of(const lab_fleet *fleet, uint64_t seed) {
    GError *error = NULL;
    lab_robot *robot = lab_fleet_robot(fleet, seed, &error);
    ck_assert_msg(robot != NULL, "%s", error != NULL ? error->message : "");
    return robot;
}

START_TEST(ranges_and_choices_are_drawn_within_themselves_and_all_of_them_come) {
    enum { ROBOTS = 120 };
    lab_fleet *fleet = fleet_of(HEAD KINDS);
    unsigned small = 0;
    unsigned large = 0;
    unsigned soft = 0;
    unsigned duty = 0;
    double track = 0.0;
    for (uint64_t seed = 1; seed <= ROBOTS; seed++) {
        lab_robot *robot = robot_of(fleet, seed);
        double step = (double)robot->description.left_step_mm;
        ck_assert(fabs(step - 0.3) < 1e-6 || fabs(step - 0.5) < 1e-6 ||
                  (step >= 1.0 && step <= 2.0));
        small += step < 0.4;
        large += step >= 1.0;
        ck_assert(robot->description.track_mm >= 100.0F && robot->description.track_mm <= 120.0F);
        track += (double)robot->description.track_mm / ROBOTS;
        bool is_soft = strcmp(robot->kind[0], "soft") == 0;
        ck_assert_str_eq(robot->part[0], "tyres");
        ck_assert(is_soft ? robot->plant.grip_m_s2 >= 5.0 && robot->plant.grip_m_s2 <= 6.0
                          : fabs(robot->plant.grip_m_s2 - 3.0) < 1e-9);
        ck_assert_uint_eq(lab_fleet_kind_of(fleet, 0, seed), is_soft);
        bool is_duty = strcmp(robot->kind[1], "duty") == 0;
        ck_assert_int_eq(is_duty, (robot->traits & CMO_TRAIT_SPEED) == 0);
        soft += is_soft;
        duty += is_duty;
        lab_robot_free(robot);
    }
    // A third and a half of 120, within three standard deviations.
    ck_assert(small > 24 && small < 56 && large > 24 && large < 56);
    ck_assert(soft > 43 && soft < 77 && duty > 43 && duty < 77);
    ck_assert_double_eq_tol(track, 110.0, 3.0 * 20.0 / sqrt(12.0 * ROBOTS));
    lab_fleet_free(fleet);
}
END_TEST

START_TEST(a_draw_hangs_on_its_own_field_and_the_seed_alone) {
    lab_fleet *plain = fleet_of(HEAD);
    lab_fleet *more = fleet_of(HEAD KINDS "# and more\n");
    for (uint64_t seed = 1; seed <= SEEDS(5); seed++) {
        lab_robot *first = robot_of(plain, seed);
        lab_robot *again = robot_of(plain, seed);
        lab_robot *other = robot_of(more, seed);
        lab_robot *next = robot_of(plain, seed + 1);
        ck_assert_mem_eq(&first->description, &again->description, sizeof first->description);
        ck_assert_mem_eq(&first->levels, &again->levels, sizeof first->levels);
        ck_assert_float_eq(first->description.track_mm, other->description.track_mm);
        ck_assert_float_ne(first->description.track_mm, next->description.track_mm);
        lab_robot_free(first);
        lab_robot_free(again);
        lab_robot_free(other);
        lab_robot_free(next);
    }
    lab_fleet_free(plain);
    lab_fleet_free(more);
}
END_TEST

START_TEST(the_right_sensor_is_the_left_one_on_the_other_side) {
    lab_fleet *fleet =
        fleet_of(HEAD "kinds:\n  sensors:\n"
                      "    alike: {plant: {lights: {left: {black_counts: 50, white_counts: 700 to "
                      "900}}}}\n"
                      "    unlike: {lights: {right: {delay_ms: 9}}, plant: {lights: {right: "
                      "{noise: 0.02}}}}\n");
    for (uint64_t seed = 1; seed <= SEEDS(12); seed++) {
        lab_robot *robot = robot_of(fleet, seed);
        const cmo_light_description *light = robot->description.light;
        ck_assert_uint_eq(robot->description.lights, 2);
        ck_assert_float_eq(light[0].ahead_mm, light[1].ahead_mm);
        ck_assert_float_eq(light[0].left_mm, 40.0F);
        ck_assert_float_eq(light[1].left_mm, -40.0F);
        bool alike = strcmp(robot->kind[0], "alike") == 0;
        ck_assert_uint_eq(light[0].delay_us, 5000);
        ck_assert_uint_eq(light[1].delay_us, alike ? 5000 : 9000);
        ck_assert_double_eq(robot->plant.sensor[1].noise, alike ? 0.01 : 0.02);
        if (alike) {
            ck_assert_double_eq(robot->plant.sensor[0].white_counts,
                                robot->plant.sensor[1].white_counts);
        }
        ck_assert_double_eq(robot->plant.sensor[1].left_mm, -40.0);
        lab_robot_free(robot);
    }
    lab_fleet_free(fleet);
}
END_TEST

// What is measured of the drive against what the plant's own equations say.
START_TEST(the_drive_is_described_by_its_counts) {
    lab_fleet *fleet =
        fleet_of("fleet: Plain\nrobot:\n  tick_ms: 5\n  track_mm: 110\n"
                 "  encoders: {step_mm: 0.1}\n"
                 "  lights: {left: {ahead_mm: 70, left_mm: 45}}\n"
                 "  plant: {no_load_mm_s: 1000, dead_mm_s: 20, motor_lag_ms: 60, grip_m_s2: 5,\n"
                 "    battery_sag: 0, strength_spread: 0, wheel_spread: 0, drag_m_s2: 0,\n"
                 "    command_delay_ms: 0, gear_play_mm: 0.34, regulator_slowest_mm_s: 18,\n"
                 "    caster_trail_mm: 0}\n"
                 "kinds:\n  drive: {speed: {}, duty: {drive: {kind: duty}}}\n");
    bool seen[2] = {false, false};
    for (uint64_t seed = 1; seed <= 10; seed++) {
        lab_robot *robot = robot_of(fleet, seed);
        const cmo_robot_description *d = &robot->description;
        unsigned duty = lab_fleet_kind_of(fleet, 0, seed);
        seen[duty] = true;
        // Without a load a motor ends at its no-load speed less its friction; nine tenths are
        // stated.
        ck_assert_float_eq_tol(d->top_speed_mm_s, 0.9F * 980.0F, 12.0F);
        ck_assert_float_eq_tol(d->braking_mm_s2, 3500.0F, 10.0F); // 70 % of the grip
        ck_assert_float_eq_tol(d->acceleration_mm_s2, 2250.0F, 10.0F);
        ck_assert_float_eq_tol(d->gear_play_mm, 0.3F, 1e-4F); // by hand, to a tenth
        if (duty) {
            ck_assert_float_eq_tol(d->dead_duty, 0.02F, 0.011F); // friction 20 of 1000
            ck_assert_float_eq_tol(d->full_duty_mm_s, 980.0F, 20.0F);
        } else {
            ck_assert_float_eq(d->slowest_mm_s, 20.0F); // the first step of 5 from 18 on
        }
        // Feed-forward: first order, with the motor's own lag; 63 % is one lag later.
        ck_assert_float_eq_tol(d->lag_ms, 60.0F, 6.0F);
        lab_robot_free(robot);
    }
    ck_assert(seen[0] && seen[1]);
    lab_fleet_free(fleet);
}
END_TEST

START_TEST(levels_are_taken_on_the_floor_that_it_stands_on) {
    floor_plan plan = one_line; // dark on light, and a fainter one nearer to where it stands
    plan.stripes = 2;
    plan.stripe[1] = (stripe)STRIPE(500, 20, 0, 0.2, CMO_SIM_LINE);
    cmo_sim_mat *mat = make_floor(&plan);
    lab_fleet *fleet = fleet_of(HEAD);
    lab_fleet_stand_on(fleet, mat, 300.0, 500.0);
    lab_robot *robot = robot_of(fleet, 3);
    for (unsigned i = 0; i < 2; i++) {
        const cmo_sim_light *sensor = &robot->plant.sensor[i];
        double span = (sensor->white_counts - sensor->black_counts) *
                      (1.0 + sensor->ambient_share * robot->plant.ambient);
        double dark = sensor->black_counts + plan.stripe[0].luminance * span;
        double light = sensor->black_counts + plan.luminance * span;
        ck_assert(robot->has_levels[i]);
        ck_assert_double_eq_tol(robot->levels[i].dark, dark, 0.02 * (light - dark));
        ck_assert_double_eq_tol(robot->levels[i].light, light, 0.02 * (light - dark));
        ck_assert_uint_eq(robot->levels[i].void_counts, CMO_LEVEL_UNKNOWN); // there is none within
    }
    lab_robot_free(robot);
    cmo_sim_mat_free(mat);
    plan.stripes = 3; // and a table's edge
    plan.stripe[2] = (stripe)STRIPE(1500, 200, 0, -1, CMO_SIM_VOID);
    mat = make_floor(&plan);
    lab_fleet_stand_on(fleet, mat, 300.0, 500.0);
    robot = robot_of(fleet, 3);
    ck_assert_double_eq_tol(robot->levels[0].void_counts, robot->plant.sensor[0].black_counts, 6.0);
    lab_robot_free(robot);
    cmo_sim_mat_free(mat);
    lab_fleet_free(fleet);
}
END_TEST

START_TEST(what_is_stated_is_not_measured) {
    lab_fleet *fleet = fleet_of(
        "fleet: Stated\nrobot:\n  tick_ms: 10\n  track_mm: 110\n"
        "  encoders: {step_mm: 0.5, play_mm: 0.7}\n"
        "  drive: {top_mm_s: 321, slowest_mm_s: 7, acceleration_mm_s2: 1111, braking_mm_s2: 2222, "
        "lag_ms: 33}\n"
        "  lights: {left: {ahead_mm: 70, left_mm: 45, levels: {dark: 100, light: 700, void: 20}}}\n"
        "  plant: {no_load_mm_s: 1000}\n");
    lab_robot *robot = robot_of(fleet, 1);
    const cmo_robot_description *d = &robot->description;
    ck_assert_float_eq(d->top_speed_mm_s, 321.0F);
    ck_assert_float_eq(d->slowest_mm_s, 7.0F);
    ck_assert_float_eq(d->acceleration_mm_s2, 1111.0F);
    ck_assert_float_eq(d->braking_mm_s2, 2222.0F);
    ck_assert_float_eq(d->lag_ms, 33.0F);
    ck_assert_float_eq(d->gear_play_mm, 0.7F);
    ck_assert_uint_eq(robot->levels[1].light, 700);
    ck_assert_uint_eq(robot->levels[1].void_counts, 20);
    lab_robot_free(robot);
    lab_fleet_free(fleet);
}
END_TEST

START_TEST(what_is_wrong_is_said_with_file_line_and_field) {
    static const struct {
        const char *text, *message;
    } cases[] = {
        {"fleet: A\nrobot: {tick_ms: 10 to 40}\n",
         "tugs.yaml:2: robot.tick_ms: 40 is out of range; 1 to 25 ms"},
        {"fleet: A\nrobot: {tick_ms: 10 or ten}\n",
         "tugs.yaml:2: robot.tick_ms: 'ten' is not a number; 1 to 25 ms"},
        {"fleet: A\nrobot: {tick_ms: 20 to 10}\n",
         "tugs.yaml:2: robot.tick_ms: a range goes upward: 10 to 20"},
        {"fleet: A\nrobot: {look_times: true to false}\n",
         "tugs.yaml:2: robot.look_times: has no range; name choices with 'or'"},
        {"fleet: A\nrobot: {plant: {regulator: trim or pid}}\n",
         "tugs.yaml:2: robot.plant.regulator: 'pid' is not one of: trim, pi, pi_soft"},
        {"fleet: A\nrobot: {tick: 10}\n",
         "tugs.yaml:2: robot.tick: unknown key; did you mean tick_ms?"},
        {"fleet: A\nrobots: {}\n", "tugs.yaml:2: robots: unknown key; did you mean robot?"},
        {HEAD "kinds: {tyres: {hard: {plant: {grip_m_s2: 300}}}}\n",
         "tugs.yaml:8: kinds.tyres.hard.plant.grip_m_s2: 300 is out of range; 0.2 to 20 m/s2"},
        {HEAD "kinds: {tyres: {Hard: {}}}\n",
         "tugs.yaml:8: kinds.tyres: 'Hard' is no name of a kind; a to z, 0 to 9 and _ would do"},
        {HEAD "kinds: {my tyres: {hard: {}}}\n",
         "tugs.yaml:8: kinds: 'my tyres' is no name of a part; a to z, 0 to 9 and _ would do"},
        {HEAD "kinds: {tyres: {hard: {}, hard: {}}}\n",
         "tugs.yaml:8: kinds.tyres: 'hard' is given twice"},
        {HEAD "kinds: {tyres: {hard: {}}, tyres: {soft: {}}}\n",
         "tugs.yaml:8: kinds: 'tyres' is given twice"},
        {HEAD "kinds: {tyres: 3}\n",
         "tugs.yaml:8: kinds.tyres: must be kinds with their keys, as in round: {...}; 1 to 10"},
        {HEAD "kinds: [tyres]\n",
         "tugs.yaml:8: kinds: must be parts with their kinds, as in tyres: {hard: {...}, soft: "
         "{...}}; 1 to 12"},
        {"fleet: A\nrobot: {tick_ms: 10, track_mm: 110, encoders: {step_mm: 1}}\n",
         "tugs.yaml:1: plant.no_load_mm_s: must be given in a fleet"},
        {"fleet: A\nrobot: {tick_ms: 10, track_mm: 110, plant: {no_load_mm_s: 900}}\n",
         "tugs.yaml:1: encoders.step_mm: must be given: what is not stated is measured by counts"},
        {"fleet: A\nrobot: {tick_ms: 10, encoders: {step_mm: 1}, plant: {no_load_mm_s: 900}, "
         "lights: {left: {ahead_mm: 70, left_mm: 45}}}\n",
         "tugs.yaml:1: track_mm: must be given: between the wheels' contact points"},
        {"fleet: A\nrobot: {name: Rollo}\n",
         "tugs.yaml:1: name: a fleet's robots go by their numbers; leave it out"},
        {HEAD "  measured_braking: {slid_mm: 1, halt_slid_mm: 5, slid_error_mm: 0.3, "
              "speed_mm_s: 400, limit_mm_s2: 3000}\n",
         "tugs.yaml:1: measured_braking: a fleet's robots differ from it; leave it out"},
        {HEAD "  drive: {slowest_mm_s: 100 to 500, top_mm_s: 200}\n",
         "tugs.yaml:1: drive.slowest_mm_s: must not be above top_mm_s, 200"},
        {"robot: {tick_ms: 10}\nfleet: [A]\n", "tugs.yaml:2: fleet: must be a text"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        lab_fleet *fleet = read_fleet(cases[i].text, &error);
        ck_assert_msg(fleet == NULL, "case %zu was taken", i);
        ck_assert_str_eq(error->message, cases[i].message);
        g_clear_error(&error);
    }
}
END_TEST

START_TEST(a_fleet_is_no_robot_and_a_robot_is_no_fleet) {
    GError *error = NULL;
    ck_assert_ptr_null(lab_robot_load("data/ferry/fleet.yaml", &error));
    ck_assert_ptr_nonnull(strstr(error->message, "fleet: here one robot is needed, not a fleet"));
    g_clear_error(&error);
    ck_assert_ptr_null(lab_fleet_load("data/ferry/mozzo.yaml", &error));
    ck_assert_ptr_nonnull(strstr(error->message, "unknown key"));
    g_clear_error(&error);
    lab_robot *robot;
    lab_fleet *fleet;
    ck_assert(lab_load_robot("data/ferry/fleet.yaml", &robot, &fleet, &error));
    ck_assert(robot == NULL && fleet != NULL);
    lab_fleet_free(fleet);
    ck_assert(lab_load_robot("data/ferry/mozzo.yaml", &robot, &fleet, &error));
    ck_assert(robot != NULL && fleet == NULL);
    lab_robot_free(robot);
    ck_assert(!lab_load_robot("nowhere.yaml", &robot, &fleet, &error));
    ck_assert(robot == NULL && fleet == NULL);
    g_clear_error(&error);
}
END_TEST

static lab_route *route_with_fleet(void) {
    GError *error = NULL;
    lab_route *route =
        lab_route_load("data/ferry/square-up.yaml", "data/ferry/fleet.yaml", 1, &error);
    ck_assert_msg(route != NULL, "%s", error != NULL ? error->message : "");
    return route;
}

START_TEST(a_series_sums_up_by_kind_and_names_the_worst) {
    enum { TRIALS = 40 };
    lab_route *route = route_with_fleet();
    lab_series *series = lab_series_run(route, TRIALS, 1, 0, NULL, NULL);
    lab_series *one = lab_series_run(route, TRIALS, 1, 1, NULL, NULL);
    char *text = lab_series_json(series, route->fleet);
    char *again = lab_series_json(one, route->fleet);
    ck_assert_str_eq(text, again);
    unsigned kind = 0;
    for (unsigned part = 0; part < lab_fleet_parts(route->fleet); part++) {
        unsigned trials = 0;
        unsigned completed = 0;
        unsigned n = 0;
        double sum = 0.0;
        for (unsigned k = 0; k < lab_fleet_kinds(route->fleet, part); k++, kind++) {
            const lab_series_kind *of = &series->kind[kind];
            ck_assert_str_eq(of->part, lab_fleet_part(route->fleet, part));
            ck_assert_str_eq(of->kind, lab_fleet_kind(route->fleet, part, k));
            trials += of->trials;
            completed += of->completed;
            const lab_statistics *elapsed = &of->leg[0].figure[CMO_ELAPSED_MS].truth;
            n += elapsed->n;
            sum += elapsed->n * elapsed->mean;
        }
        const lab_statistics *all = &series->leg[0].figure[CMO_ELAPSED_MS].truth;
        ck_assert_uint_eq(trials, TRIALS);
        ck_assert_uint_eq(completed, series->completed);
        ck_assert_uint_eq(n, all->n);
        ck_assert_double_eq_tol(sum / n, all->mean, 1e-6);
    }
    ck_assert_uint_eq(kind, series->kinds);
    ck_assert_uint_gt(series->worsts, 0);
    // The worst is as its own run says.
    const lab_series_worst *worst = &series->worst[series->worsts - 1];
    lab_run *run = lab_drive_trial(route, worst->seed, false);
    const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, worst->leg);
    ck_assert_int_eq(leg->outcome, worst->outcome);
    if (worst->figure != CMO_FIGURES) {
        ck_assert_double_eq_tol(worst->truth, leg->truth.value[worst->figure], 6e-4);
    }
    lab_run_free(run);
    g_free(text);
    g_free(again);
    lab_series_free(series);
    lab_series_free(one);
    lab_route_free(route);
}
END_TEST

START_TEST(every_command_takes_a_fleet_where_it_takes_a_robot) {
    ck_assert_int_eq(
        CALL("drive data/ferry/take-levels.yaml --robot data/ferry/fleet.yaml --seed 4"), 0);
    ck_assert_ptr_nonnull(strstr(out, "Robots of the other ferries, robot 4"));
    ck_assert_int_eq(CALL("budget data/ferry/fleet.yaml --seed 6"), 0);
    ck_assert_ptr_nonnull(strstr(out, "robot 6"));
    ck_assert_int_eq(
        CALL("levels data/ferry/take-levels.yaml --robot data/ferry/fleet.yaml --seed 4"), 0);
    ck_assert_ptr_nonnull(strstr(out, "robot 4"));
    ck_assert_int_ne(
        CALL("wiring data/ferry/check-wiring.yaml --robot data/ferry/fleet.yaml --seed 4"), 2);
    ck_assert_ptr_nonnull(strstr(out, "robot 4"));
    ck_assert_int_ne(CALL("series data/ferry/square-up.yaml --robot data/ferry/fleet.yaml "
                          "--trials 30"),
                     2);
    ck_assert_ptr_nonnull(strstr(out, "by kind"));
    ck_assert_ptr_nonnull(strstr(out, "pi_soft"));
    ck_assert_ptr_nonnull(strstr(out, "worst trials"));
    ck_assert_int_ne(CALL("series data/ferry/square-up.yaml --robot data/ferry/fleet.yaml "
                          "--trials 30 --json"),
                     2);
    JsonParser *parser = json_parser_new();
    ck_assert(json_parser_load_from_data(parser, out, -1, NULL));
    JsonObject *root = json_node_get_object(json_parser_get_root(parser));
    JsonArray *kinds = json_object_get_array_member(root, "kinds");
    JsonObject *kind = json_array_get_object_element(kinds, 0);
    ck_assert_str_eq(json_object_get_string_member(kind, "part"), "drive");
    ck_assert_str_eq(json_object_get_string_member(kind, "kind"), "trim");
    ck_assert(json_object_has_member(kind, "figures"));
    JsonArray *worst = json_object_get_array_member(root, "worst");
    JsonObject *first = json_array_get_object_element(worst, 0);
    ck_assert(json_object_has_member(json_object_get_object_member(first, "kinds"), "tyres"));
    g_object_unref(parser);
}
END_TEST

START_TEST(nothing_is_written_into_a_fleet) {
    ck_assert_int_eq(
        CALL("levels data/ferry/take-levels.yaml --robot data/ferry/fleet.yaml --write"), 2);
    ck_assert_ptr_nonnull(strstr(err, "--write: data/ferry/fleet.yaml is a fleet"));
    ck_assert_int_eq(
        CALL("wiring data/ferry/check-wiring.yaml --robot data/ferry/fleet.yaml --write"), 2);
    ck_assert_ptr_nonnull(strstr(err, "is a fleet"));
    ck_assert_int_eq(CALL("levels data/ferry/floor.csv --robot data/ferry/fleet.yaml"), 2);
    ck_assert_ptr_nonnull(strstr(err, "here one robot is needed, not a fleet"));
    ck_assert_int_eq(CALL("budget data/ferry/fleet.yaml --seed -1"), 2);
    ck_assert_ptr_nonnull(strstr(err, "--seed"));
}
END_TEST

int main(void) {
    const TTest *const tests[] = {
        ranges_and_choices_are_drawn_within_themselves_and_all_of_them_come,
        a_draw_hangs_on_its_own_field_and_the_seed_alone,
        the_right_sensor_is_the_left_one_on_the_other_side,
        the_drive_is_described_by_its_counts,
        levels_are_taken_on_the_floor_that_it_stands_on,
        what_is_stated_is_not_measured,
        what_is_wrong_is_said_with_file_line_and_field,
        a_fleet_is_no_robot_and_a_robot_is_no_fleet,
        a_series_sums_up_by_kind_and_names_the_worst,
        every_command_takes_a_fleet_where_it_takes_a_robot,
        nothing_is_written_into_a_fleet,
        NULL};
    return run_suite("fleet", tests);
}
