// SPDX-License-Identifier: GPL-3.0-or-later
// Whole runs on the demo's data: figures beside truth, JSON, the same bytes again.
#include "support.h"

#include <json-glib/json-glib.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

#define FERRY SOURCE_DIR "/data/ferry/"

static lab_route *load_demo(void) {
    GError *error = NULL;
    lab_route *route = load_like_last(FERRY "first-round.yaml", &error);
    ck_assert_msg(route != NULL, "%s", error ? error->message : "");
    ck_assert_msg(lab_check(route, &error), "%s", error ? error->message : "");
    return route;
}

static const lab_leg_result *leg_of(const lab_run *run, guint number) {
    ck_assert_uint_le(number, run->legs->len);
    return &g_array_index(run->legs, lab_leg_result, number - 1);
}

static double known(const lab_figures *figures, cmo_figure wanted) {
    ck_assert_msg(figures->known & LAB_FIGURE_BIT(wanted), "%s", cmo_figure_name(wanted));
    return figures->value[wanted];
}

// The way of a halt, piece by piece: what it was told late, what it took to be sure, and the
// wheels.
START_TEST(what_a_halt_is_made_of_adds_up) {
    lab_route *route = load_demo();
    double delay_ms = route->robot->plant.sensor[0].delay_ms;
    for (uint64_t seed = 1; seed <= SEEDS(20); seed++) {
        lab_run *run = lab_drive(route, seed);
        for (guint number = 1; number <= run->legs->len; number++) {
            const lab_leg_result *leg = leg_of(run, number);
            bool halts = leg->routine == CMO_ROUTINE_STOP_ON_LINE ||
                         leg->routine == CMO_ROUTINE_DRIVE_UNTIL_LINE;
            ck_assert(leg->halt.known == halts);
            if (!halts) {
                continue;
            }
            const lab_halt_ways *halt = &leg->halt;
            double speed = leg->truth.value[CMO_CROSSING_SPEED_MM_S];
            double reaction_s = 1e-3 * leg->truth.value[CMO_REACTION_MS];
            ck_assert_double_eq_tol(halt->delay_mm + halt->looks_mm + halt->lag_mm +
                                        halt->braking_mm,
                                    leg->truth.value[CMO_STOPPING_DISTANCE_MM], 0.05);
            ck_assert_double_eq_tol(halt->delay_mm, 1e-3 * delay_ms * speed, 0.1 * halt->delay_mm);
            ck_assert_double_eq_tol(halt->delay_mm + halt->looks_mm, reaction_s * speed,
                                    0.15 * reaction_s * speed);
            ck_assert(halt->lag_mm >= 0 && halt->braking_mm > 0);
            ck_assert(speed < 250 || halt->lag_mm < halt->braking_mm); // it has not slowed down yet
            // From four to two fifths of the speed is some of that way, and a good part of it.
            double some_mm = (0.64 - 0.16) * speed * speed / (2.0 * halt->deceleration_mm_s2);
            ck_assert(some_mm < halt->lag_mm + halt->braking_mm);
            ck_assert(some_mm > 0.1 * (halt->lag_mm + halt->braking_mm));
            ck_assert(halt->deceleration_mm_s2 < 1400.0 * route->robot->plant.grip_m_s2);
        }
        lab_run_free(run);
    }
    lab_route_free(route);
}
END_TEST

START_TEST(the_demo_ends_as_it_should_on_twenty_robots) {
    lab_route *route = load_demo();
    for (uint64_t seed = 1; seed <= SEEDS(20); seed++) {
        lab_run *run = lab_drive(route, seed);
        ck_assert_msg(run->outcome == CMO_OUTCOME_DONE, "seed %u: %s", (unsigned)seed,
                      cmo_outcome_name(run->outcome));
        for (guint i = 1; i <= run->legs->len; i++) {
            ck_assert_int_eq(leg_of(run, i)->outcome, CMO_OUTCOME_DONE);
        }
        const lab_leg_result *first = leg_of(run, 1);
        ck_assert(first->target.found);
        ck_assert_int_eq(first->target.crossing.mark, CMO_SIM_LINE);
        ck_assert_double_eq_tol(first->target.crossing.x_mm, 600, 0.1);
        ck_assert_double_ge(known(&first->robot, CMO_PASSED_OVER), 2); // both rims of the hatch
        lab_run_free(run);
    }
    lab_route_free(route);
}
END_TEST

START_TEST(the_robots_figures_agree_with_the_truth) {
    lab_route *route = load_demo();
    double worst_reaction = 0.0;
    for (uint64_t seed = 1; seed <= SEEDS(20); seed++) {
        lab_run *run = lab_drive(route, seed);
        const lab_leg_result *first = leg_of(run, 1);
        ck_assert_double_eq_tol(known(&first->robot, CMO_ELAPSED_MS),
                                known(&first->truth, CMO_ELAPSED_MS), 1e-3);
        // One millisecond of unknown delay and half a millimetre of crossing at 150 mm/s.
        double reaction =
            known(&first->robot, CMO_REACTION_MS) - known(&first->truth, CMO_REACTION_MS);
        worst_reaction = fmax(worst_reaction, fabs(reaction));
        ck_assert_double_eq_tol(known(&first->robot, CMO_CROSSING_SPEED_MM_S),
                                known(&first->truth, CMO_CROSSING_SPEED_MM_S), 8);
        // A sensor's place is off by up to 1 mm, the tyres slide a little.
        ck_assert_double_eq_tol(known(&first->robot, CMO_REST_ERROR_MM),
                                known(&first->truth, CMO_REST_ERROR_MM), 2.5);
        ck_assert_double_eq_tol(known(&first->robot, CMO_ENTRY_ANGLE_DEG),
                                known(&first->truth, CMO_ENTRY_ANGLE_DEG), 2.0);
        lab_run_free(run);
    }
    ck_assert_double_le(worst_reaction, 7);
    lab_route_free(route);
}
END_TEST

START_TEST(the_same_seed_gives_the_same_bytes) {
    lab_route *route = load_demo();
    char *texts[3];
    for (int i = 0; i < 3; i++) {
        lab_run *run = lab_drive(route, i == 2 ? 5 : 4);
        texts[i] = lab_run_json(run, "x");
        lab_run_free(run);
    }
    ck_assert_str_eq(texts[0], texts[1]);
    ck_assert_str_ne(texts[0], texts[2]);
    for (int i = 0; i < 3; i++) {
        g_free(texts[i]);
    }
    lab_route_free(route);
}
END_TEST

START_TEST(the_results_are_one_json_document_with_the_keys_of_the_vocabulary) {
    lab_route *route = load_demo();
    lab_run *run = lab_drive(route, 1);
    char *text = lab_run_json(run, "a \"quoted\" name");
    JsonParser *parser = json_parser_new();
    ck_assert(json_parser_load_from_data(parser, text, -1, NULL));
    JsonObject *root = json_node_get_object(json_parser_get_root(parser));
    ck_assert_str_eq(json_object_get_string_member(root, "route"), "a \"quoted\" name");
    ck_assert_int_eq(json_object_get_int_member(root, "seed"), 1);
    ck_assert_str_eq(json_object_get_string_member(root, "outcome"), "done");
    JsonArray *legs = json_object_get_array_member(root, "legs");
    ck_assert_uint_eq(json_array_get_length(legs), 7);
    JsonObject *first = json_array_get_object_element(legs, 0);
    ck_assert_int_eq(json_object_get_int_member(first, "leg"), 1);
    ck_assert_str_eq(json_object_get_string_member(first, "routine"), "stop_on_line");
    JsonObject *robot = json_object_get_object_member(first, "robot");
    JsonObject *truth = json_object_get_object_member(first, "truth");
    ck_assert_double_eq_tol(json_object_get_double_member(robot, "overshoot_mm"),
                            leg_of(run, 1)->robot.value[CMO_OVERSHOOT_MM], 0.0006);
    ck_assert(json_object_has_member(truth, "residual_angle_deg"));
    ck_assert(!json_object_has_member(truth, "look_interval_ms"));
    ck_assert_uint_eq(json_array_get_length(json_object_get_array_member(first, "estimated")), 0);
    g_object_unref(parser);
    g_free(text);
    lab_run_free(run);
    lab_route_free(route);
}
END_TEST

// A route of these legs on a mat of its own; `robot` is a robot file's text, NULL for the demo's.
static lab_route *make_route(const char *robot, const char *svg, const char *legs, double x_mm) {
    GError *error = NULL;
    char *text =
        g_strdup_printf("robot: r\nmat: m\nstart: {x_mm: %g, y_mm: 150}\nlegs:\n%s", x_mm, legs);
    lab_route *route = lab_route_from_bytes("x.yaml", text, strlen(text), &error);
    ck_assert_msg(route != NULL, "%s", error ? error->message : "");
    route->robot = robot != NULL ? lab_robot_from_bytes("r", robot, strlen(robot), &error)
                                 : lab_robot_load(FERRY "mozzo.yaml", &error);
    ck_assert_msg(route->robot != NULL, "%s", error ? error->message : "");
    route->mat = cmo_sim_mat_from_bytes("m.svg", svg, strlen(svg), NULL, &error);
    ck_assert_msg(route->mat != NULL, "%s", error ? error->message : "");
    g_free(text);
    return route;
}

static lab_run *run_on(const char *svg, const char *legs, double x_mm) {
    GError *error = NULL;
    lab_route *route = make_route(NULL, svg, legs, x_mm);
    ck_assert_msg(lab_check(route, &error), "%s", error ? error->message : "");
    lab_run *run = lab_drive(route, 3);
    lab_route_free(route);
    return run;
}

#define DECK                                                                                       \
    "<svg xmlns='http://www.w3.org/2000/svg' width='1500mm' height='300mm' viewBox='0 0 1500 "     \
    "300'>"                                                                                        \
    "<rect width='1500' height='300' fill='#c9d2c6'/>"

START_TEST(a_robot_that_ends_on_a_decoration_has_the_wrong_line) {
    lab_run *run = run_on(DECK "<rect class='decoration' x='500' width='30' height='300' "
                               "fill='#2c3036'/><rect class='line' x='900' width='20' height='300' "
                               "fill='#2c3036'/></svg>",
                          "  - stop_on_line: {creep_mm_s: 150, least_width_mm: 15}\n", 150);
    const lab_leg_result *leg = leg_of(run, 1);
    ck_assert_int_eq(leg->report.outcome, CMO_OUTCOME_DONE); // so the robot thinks
    ck_assert_int_eq(leg->outcome, CMO_OUTCOME_WRONG_LINE);
    lab_run_free(run);
}
END_TEST

START_TEST(lines_of_another_tone_are_not_the_target) {
    lab_run *run = run_on(DECK "<rect class='line' x='500' width='20' height='300' fill='#fff'/>"
                               "<rect class='line' x='900' width='20' height='300' "
                               "fill='#2c3036'/></svg>",
                          "  - stop_on_line: {creep_mm_s: 150, least_width_mm: 15}\n", 150);
    ck_assert_int_eq(leg_of(run, 1)->outcome, CMO_OUTCOME_DONE);
    ck_assert_double_eq_tol(leg_of(run, 1)->target.crossing.x_mm, 900, 0.1);
    lab_run_free(run);
}
END_TEST

START_TEST(a_mat_without_marks_gives_no_true_target_and_no_verdict) {
    lab_run *run = run_on(DECK "<rect x='600' width='20' height='300' fill='#2c3036'/></svg>",
                          "  - stop_on_line: {creep_mm_s: 150, least_width_mm: 15}\n", 150);
    const lab_leg_result *leg = leg_of(run, 1);
    ck_assert_int_eq(leg->outcome, CMO_OUTCOME_DONE);
    ck_assert(!run->marked);
    ck_assert(leg->truth.applies & LAB_FIGURE_BIT(CMO_OVERSHOOT_MM));
    ck_assert(!(leg->truth.known & LAB_FIGURE_BIT(CMO_OVERSHOOT_MM)));
    lab_run_free(run);
}
END_TEST

START_TEST(a_failed_leg_ends_the_run_and_unmeasured_figures_are_null) {
    lab_run *run =
        run_on(DECK "<rect class='line' x='1450' width='20' height='300' "
                    "fill='#000'/></svg>",
               "  - stop_on_line: {longest_mm: 400}\n  - advance: {distance_mm: 50}\n", 150);
    ck_assert_int_eq(run->outcome, CMO_OUTCOME_NO_LINE);
    ck_assert_uint_eq(run->legs->len, 1);
    char *text = lab_run_json(run, "x");
    ck_assert_ptr_nonnull(strstr(text, "\"crossing_speed_mm_s\" : null"));
    ck_assert_ptr_nonnull(strstr(text, "\"outcome\" : \"no_line\""));
    g_free(text);
    lab_run_free(run);
}
END_TEST

START_TEST(a_leg_too_fast_for_its_line_is_refused_with_the_highest_speed) {
    GError *error = NULL;
    lab_route *route = make_route(
        NULL, DECK "<rect class='line' x='900' width='20' height='300' fill='#000'/></svg>",
        "  - stop_on_line: {cruise_mm_s: 600, least_width_mm: 6}\n", 150);
    ck_assert(!lab_check(route, &error)); // before anything moves
    ck_assert_str_eq(error->message,
                     "x.yaml:5: legs[1].stop_on_line.creep_mm_s: too fast: a line could be missed, "
                     "or a table's edge overrun; 480 would do, or too_fast: slow");
    g_clear_error(&error);
    lab_run *run = lab_drive(route, 3); // and by the leg itself
    const lab_leg_result *leg = leg_of(run, 1);
    ck_assert_int_eq(leg->outcome, CMO_OUTCOME_TOO_FAST);
    ck_assert_str_eq(leg->field, "creep_mm_s");
    ck_assert_double_eq_tol(leg->limit, 480, 0.1);
    lab_run_free(run);
    lab_route_free(route);
}
END_TEST

START_TEST(the_check_names_the_leg_that_the_robot_cannot_do) {
    static const struct {
        const char *leg;
        const char *says;
    } cases[] = {
        {"  - advance: {distance_mm: 50, speed_mm_s: 900}\n",
         "x.yaml:5: legs[1].advance.speed_mm_s: makes no sense for this robot; 700 would do"},
        {"  - stop_on_line: {blind_mm: 500, longest_mm: 400}\n", "legs[1].stop_on_line.longest_mm"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        lab_route *route = make_route(NULL, DECK "</svg>", cases[i].leg, 50);
        ck_assert(!lab_check(route, &error));
        ck_assert_msg(strstr(error->message, cases[i].says) != NULL, "%s", error->message);
        g_clear_error(&error);
        route->x_mm = 1600;
        ck_assert(!lab_check(route, &error));
        ck_assert_ptr_nonnull(strstr(error->message, "is not on the mat"));
        g_clear_error(&error);
        lab_route_free(route);
    }
}
END_TEST

// A robot that has little in common with the demo's: duty motors, 20 ms ticks, coarse encoders,
// looks without a time, dark reading higher than light; heavy, on poor grip.
static const char other_robot[] =
    "tick_ms: 20\ntrack_mm: 160\nlook_times: false\nencoders: {step_mm: 2}\n"
    "drive: {kind: duty, top_mm_s: 500, slowest_mm_s: 30, full_duty_mm_s: 800, dead_duty: 0.06,\n"
    "  acceleration_mm_s2: 1200, braking_mm_s2: 1500, lag_ms: 80, halts: [coast]}\n"
    "lights:\n"
    "  left: {ahead_mm: 100, left_mm: 25, delay_ms: 3, interval_ms: 5,\n"
    "    levels: {dark: 3300, light: 1500, noise: 40}}\n"
    "  right: {ahead_mm: 100, left_mm: -25, delay_ms: 3, interval_ms: 5,\n"
    "    levels: {dark: 3300, light: 1500, noise: 40}}\n"
    "plant:\n  mass_kg: 1.5\n  grip_m_s2: 3\n  lights:\n"
    "    left: {counts_max: 4095, black_counts: 3500, white_counts: 300}\n"
    "    right: {counts_max: 4095, black_counts: 3500, white_counts: 300}\n";

START_TEST(a_robot_of_quite_another_kind_does_the_same_job) {
    static const char legs[] =
        "  - stop_on_line: {cruise_mm_s: 300, creep_mm_s: 120, blind_mm: 200}\n"
        "  - advance: {distance_mm: -100}\n  - turn: {angle_deg: 180}\n";
    static const char svg[] = DECK "<rect class='line' x='800' width='25' height='300' "
                                   "fill='#2c3036'/></svg>";
    for (uint64_t seed = 1; seed <= SEEDS(10); seed++) {
        GError *error = NULL;
        lab_route *route = make_route(other_robot, svg, legs, 200);
        ck_assert_msg(lab_check(route, &error), "%s", error ? error->message : "");
        lab_run *run = lab_drive(route, seed);
        ck_assert_msg(run->outcome == CMO_OUTCOME_DONE, "seed %u: %s", (unsigned)seed,
                      cmo_outcome_name(run->outcome));
        const lab_leg_result *stop = leg_of(run, 1);
        ck_assert_double_eq_tol(stop->target.crossing.x_mm, 800, 0.1);
        // One encoder step, and half of what it drives in a tick.
        ck_assert_double_eq_tol(known(&stop->robot, CMO_REST_ERROR_MM),
                                known(&stop->truth, CMO_REST_ERROR_MM), 4.5);
        ck_assert_double_eq_tol(known(&leg_of(run, 2)->truth, CMO_TRAVELLED_MM), -100, 4);
        ck_assert_double_eq_tol(known(&leg_of(run, 3)->truth, CMO_TURNED_DEG), 180, 3.5);
        ck_assert_double_le(known(&stop->truth, CMO_TOP_SPEED_MM_S), 330);
        lab_run_free(run);
        lab_route_free(route);
    }
}
END_TEST

// What the panel shows in the rows of a run, each state once: "green 1 beeps, green 1, 1, ...".
static char *panels_of(const lab_run *run) {
    GString *text = g_string_new(NULL);
    cmo_sim_panel last = {.display = "?"};
    for (guint i = 0; i < run->rows->len; i++) {
        cmo_sim_panel panel = g_array_index(run->rows, lab_row, i).panel;
        if (panel.lamp != last.lamp || panel.beeps != last.beeps ||
            strcmp(panel.display, last.display) != 0) {
            g_string_append_printf(text, "%s%s/%s/%s", i > 0 ? " " : "",
                                   cmo_sim_lamp_name(panel.lamp), panel.display,
                                   panel.beeps ? "beeps" : "");
            last = panel;
        }
    }
    return g_string_free(text, FALSE);
}

START_TEST(the_robot_shows_what_it_counts_and_that_it_failed) {
    static const char floor[] = DECK "<rect class='line' x='400' width='20' height='300'/>"
                                     "<rect class='line' x='700' width='20' height='300'/></svg>";
    lab_route *route = make_route(NULL, floor, "  - count_lines: {longest_mm: 500}\n", 200);
    lab_run *run = lab_drive(route, 1);
    ck_assert_int_eq(leg_of(run, 1)->outcome, CMO_OUTCOME_DONE);
    char *shown = panels_of(run);
    ck_assert_str_eq(shown, "// green/1/beeps green/1/ /1/ green/2/beeps green/2/ /2/");
    g_free(shown);
    lab_run_free(run);
    lab_route_free(route);
    route = make_route(NULL, DECK "</svg>", "  - stop_on_line: {longest_mm: 300}\n", 200);
    run = lab_drive(route, 1);
    shown = panels_of(run);
    ck_assert_str_eq(shown, "// red/no_line/beeps");
    g_free(shown);
    lab_run_free(run);
    lab_route_free(route);
}
END_TEST

START_TEST(the_odometers_pose_stays_with_the_truth) {
    lab_route *route = load_demo();
    lab_run *run = lab_drive(route, 3);
    for (guint i = 0; i < run->rows->len; i++) {
        const lab_row *row = &g_array_index(run->rows, lab_row, i);
        double way = 1e-3 * i * 10.0; // grows with time: drift is allowed for
        double off = hypot((double)row->robot.x_mm - row->true_x_mm,
                           (double)row->robot.y_mm - row->true_y_mm);
        ck_assert_double_le(off, 3.0 + 3.0 * way);
        ck_assert_double_eq_tol((double)row->robot.heading_deg, row->true_heading_deg,
                                1.0 + 0.4 * way);
    }
    lab_run_free(run);
    lab_route_free(route);
}
END_TEST

START_TEST(a_run_without_encoders_says_what_is_an_estimate) {
    GError *error = NULL;
    lab_route *route = load_demo();
    route->robot->traits &= (uint16_t)~CMO_TRAIT_ENCODERS;
    route->legs = 1;
    ck_assert(lab_check(route, &error));
    lab_run *run = lab_drive(route, 1);
    ck_assert_int_eq(leg_of(run, 1)->outcome, CMO_OUTCOME_DONE);
    char *text = lab_run_json(run, "x");
    const char *list = strstr(text, "\"estimated\"");
    ck_assert_ptr_nonnull(strstr(list, "\"travelled_mm\""));
    ck_assert_ptr_null(strstr(list, "\"reaction_ms\""));
    g_free(text);
    lab_run_free(run);
    lab_route_free(route);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {what_a_halt_is_made_of_adds_up,
                                  the_demo_ends_as_it_should_on_twenty_robots,
                                  the_robots_figures_agree_with_the_truth,
                                  the_same_seed_gives_the_same_bytes,
                                  the_results_are_one_json_document_with_the_keys_of_the_vocabulary,
                                  a_robot_that_ends_on_a_decoration_has_the_wrong_line,
                                  lines_of_another_tone_are_not_the_target,
                                  a_mat_without_marks_gives_no_true_target_and_no_verdict,
                                  a_failed_leg_ends_the_run_and_unmeasured_figures_are_null,
                                  a_leg_too_fast_for_its_line_is_refused_with_the_highest_speed,
                                  the_check_names_the_leg_that_the_robot_cannot_do,
                                  a_robot_of_quite_another_kind_does_the_same_job,
                                  the_robot_shows_what_it_counts_and_that_it_failed,
                                  the_odometers_pose_stays_with_the_truth,
                                  a_run_without_encoders_says_what_is_an_estimate,
                                  NULL};
    return run_suite("run", tests);
}
