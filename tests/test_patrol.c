// SPDX-License-Identifier: GPL-3.0-or-later
// Patrols as files, figures and pictures: regions, objects, rebounds, and the command.
#include "calls.h"
#include "support.h"

#include <glib/gstdio.h>
#include <json-glib/json-glib.h>
#include <math.h>
#include <string.h>

// --------------------------------------------------------------------------------------- region --

static const char square_svg[] =
    "<svg xmlns='http://www.w3.org/2000/svg' width='600mm' height='400mm' viewBox='0 0 600 400'>"
    "<rect width='600' height='400' fill='#eee'/>"
    "<g class='boundary' fill='none' stroke='#111' stroke-width='20'>"
    "<path d='M 100 100 H 296 M 300 100 H 500 V 300 H 100 V 90'/></g></svg>";

START_TEST(a_region_ends_at_the_near_edge_of_the_paint) {
    GError *error = NULL;
    cmo_sim_mat *mat = cmo_sim_mat_from_bytes("m", square_svg, sizeof square_svg - 1, NULL, &error);
    ck_assert_ptr_nonnull(mat);
    cmo_sim_region *region = cmo_sim_region_new(mat, 300, 200);
    ck_assert_ptr_nonnull(region);
    ck_assert_double_eq_tol(cmo_sim_region_margin(region, 300, 200), 90.0, 1.0);
    // Left wall: paint from 90 to 110.
    static const double places[][2] = {{130, 20}, {113, 3},   {111, 1},
                                       {109, -1}, {100, -10}, {85, -25}};
    for (size_t i = 0; i < G_N_ELEMENTS(places); i++) {
        double fine = fabs(places[i][1]) < 4.0 ? 0.15 : 1.0;
        ck_assert_double_eq_tol(cmo_sim_region_margin(region, places[i][0], 200), places[i][1],
                                fine);
    }
    // The gap of 4 mm in the upper wall (y = 290 is its near edge) counts as closed.
    ck_assert_double_eq_tol(cmo_sim_region_margin(region, 298, 287), 3.0, 1.0);
    ck_assert_double_lt(cmo_sim_region_margin(region, 298, 296), -4.0);
    ck_assert_double_lt(cmo_sim_region_margin(region, 298, 340), -30.0);
    ck_assert_double_eq_tol(cmo_sim_region_area(region), 380.0 * 180.0, 1500.0);
    cmo_sim_region_free(region);
    ck_assert_ptr_null(cmo_sim_region_new(mat, 100, 200)); // on the paint
    region = cmo_sim_region_new(mat, 40, 40);              // outside: the mat's own edge bounds it
    ck_assert_double_eq_tol(cmo_sim_region_margin(region, 2, 200), 2.0, 0.15);
    cmo_sim_region_free(region);
    cmo_sim_mat_free(mat);
}
END_TEST

// -------------------------------------------------------------------------------------- objects --

static cmo_sim *start_among(const cmo_sim_object *objects, unsigned count, cmo_sim_mat *mat) {
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS | CMO_TRAIT_RANGE, mat);
    setup.objects = count;
    memcpy(setup.object, objects, count * sizeof *objects);
    return cmo_sim_new(&setup);
}

START_TEST(the_range_sensor_sees_the_nearest_thing_in_its_cone) {
    cmo_sim_mat *mat = make_floor(&one_line);
    // The robot stands at (200, 500) and looks along x, from 88 mm ahead of its axle.
    cmo_sim_object things[3] = {
        {.x_mm = 600, .y_mm = 500, .radius_mm = 50, .mass_kg = 1, .friction_n = 5},
        {.x_mm = 450, .y_mm = 800, .radius_mm = 50, .mass_kg = 1, .friction_n = 5},
        {.x_mm = 100, .y_mm = 500, .radius_mm = 20, .mass_kg = 1, .friction_n = 5}};
    cmo_sim *sim = start_among(things, 3, mat);
    ck_assert_double_eq_tol(cmo_sim_range(sim), 600 - 288 - 50, 1e-6);
    cmo_sim_free(sim);
    things[0].x_mm = 1500; // beyond its reach of 800
    sim = start_among(things, 3, mat);
    ck_assert(isinf(cmo_sim_range(sim)));
    cmo_sample sample = {0};
    cmo_sim_pass(sim, 30);
    const cmo_port *port = cmo_sim_port(sim);
    ck_assert_int_eq(port->sample(port->context, &sample), CMO_OK);
    ck_assert(sample.have & CMO_HAVE_RANGE && sample.range_mm > 800.0F);
    cmo_sim_free(sim);
    cmo_sim_mat_free(mat);
}
END_TEST

// Drives on at 300 mm/s for two seconds: how far does it get?
static double push(double mass_kg, double friction_n, double *moved_mm) {
    cmo_sim_mat *mat = make_floor(&one_line);
    cmo_sim_object crate = {
        .x_mm = 400, .y_mm = 505, .radius_mm = 40, .mass_kg = mass_kg, .friction_n = friction_n};
    cmo_sim *sim = start_among(&crate, 1, mat);
    const cmo_port *port = cmo_sim_port(sim);
    for (int i = 0; i < 200; i++) {
        port->drive(port->context, 300, 300, 100000);
        port->wait(port->context, port->clock(port->context) + 10000);
    }
    double x, y;
    cmo_sim_object_now(sim, 0, &x, &y);
    *moved_mm = x - 400;
    double way = cmo_sim_truth_now(sim).way_mm;
    cmo_sim_free(sim);
    cmo_sim_mat_free(mat);
    return way;
}

START_TEST(pushing_costs_speed_and_what_is_too_heavy_stays) {
    double light, heavy, rock;
    double free_way = push(0.001, 0.0, &light);
    double light_way = push(0.3, 1.0, &light);
    double heavy_way = push(0.3, 2.4, &heavy);
    double rock_way = push(1000, 1e5, &rock);
    ck_assert_double_gt(free_way, 550);
    ck_assert_double_gt(light, 350);
    ck_assert_double_lt(light_way, free_way);
    ck_assert_double_lt(heavy_way, light_way);
    ck_assert_double_lt(heavy, light);
    ck_assert_double_lt(rock, 2);
    // It stops against the rock: 200 mm to its middle, less 40 and the body's 88.
    ck_assert_double_eq_tol(rock_way, 72, 4);
}
END_TEST

START_TEST(another_robot_drives_from_stop_to_stop) {
    cmo_sim_mat *mat = make_floor(&one_line);
    cmo_sim_object other = {.x_mm = 1200,
                            .y_mm = 200,
                            .radius_mm = 60,
                            .mass_kg = 0.6,
                            .speed_mm_s = 200,
                            .stops = 2,
                            .stop = {{1200, 800}, {1200, 200}}};
    cmo_sim *sim = start_among(&other, 1, mat);
    double x, y;
    cmo_sim_pass(sim, 2500);
    cmo_sim_object_now(sim, 0, &x, &y);
    ck_assert_double_eq_tol(y, 200 + 500, 20);
    cmo_sim_pass(sim, 2000);
    cmo_sim_object_now(sim, 0, &x, &y);
    ck_assert_double_eq_tol(y, 800 - 290, 40);
    ck_assert_double_eq_tol(x, 1200, 1);
    cmo_sim_free(sim);
    cmo_sim_mat_free(mat);
}
END_TEST

// ----------------------------------------------------------------------------------------- lab --

static lab_route *load(const char *name) {
    GError *error = NULL;
    char *path = g_build_filename(SOURCE_DIR, "data", "ferry", name, NULL);
    lab_route *route = load_like_last(path, &error);
    ck_assert_msg(route != NULL, "%s", error != NULL ? error->message : "");
    ck_assert_msg(lab_check(route, &error), "%s", error != NULL ? error->message : "");
    g_free(path);
    return route;
}

START_TEST(a_patrol_knows_its_rebounds_and_the_truth_of_them) {
    lab_route *route = load("crate-yard.yaml");
    route->objects = 0;
    route->leg[1].parameters.stay_inside.scan_deg = 0;
    route->leg[1].parameters.stay_inside.rebounds = 18; // it ends with a whole one
    lab_run *run = lab_drive(route, 3);
    ck_assert_int_eq(run->outcome, CMO_OUTCOME_DONE);
    const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, 1);
    ck_assert_uint_gt(leg->rebounds->len, 8);
    ck_assert_double_eq(leg->truth.value[CMO_REBOUNDS], leg->rebounds->len);
    ck_assert_double_eq(leg->truth.value[CMO_DEPARTURES], 0);
    ck_assert_double_gt(leg->truth.value[CMO_MARGIN_MM], 1.0);
    double least = INFINITY;
    for (guint i = 0; i < leg->rebounds->len; i++) {
        const lab_rebound *r = &g_array_index(leg->rebounds, lab_rebound, i);
        ck_assert(r->crossed);
        ck_assert_double_lt(r->start_ms, r->end_ms);
        // Every crossing lies on the rim's near edge, whose normal points away from the middle.
        ck_assert_double_eq_tol(hypot(r->x_mm - 700, r->y_mm - 700), 586, 4.0); // or within a gap
        double off = remainder(r->normal_rad - atan2(r->y_mm - 700, r->x_mm - 700), 2 * G_PI);
        ck_assert_double_le(fabs(off), 0.15);
        least = fmin(least, r->margin_mm);
        if (r->robot.known && !r->robot.answered) {
            double entry = remainder(r->entry_rad - r->normal_rad, 2 * G_PI) * 180 / G_PI;
            ck_assert_double_eq_tol((double)r->robot.entry_deg, entry, 12.0);
        }
    }
    ck_assert_double_eq_tol(least, leg->truth.value[CMO_MARGIN_MM], 0.1);
    double share = leg->truth.value[CMO_COVERED_SHARE];
    ck_assert(share > 0.3 && share < 1.0);
    ck_assert_double_eq_tol(leg->truth.value[CMO_COVERED_PER_MIN],
                            share * 60000.0 / (leg->end_ms - leg->start_ms), 1e-9);
    double seconds = 0.0;
    for (int i = 0; i < leg->heat.columns * leg->heat.rows; i++) {
        seconds += fmax((double)leg->heat.seconds[i], 0.0);
    }
    // The body's disc covers so many cells at any time.
    double cells = G_PI * 66.0 * 66.0 / (LAB_HEAT_CELL_MM * LAB_HEAT_CELL_MM);
    ck_assert_double_eq_tol(seconds / cells, (leg->end_ms - leg->start_ms) / 1000.0, 3.0);
    lab_run_free(run);
    lab_route_free(route);
}
END_TEST

START_TEST(a_wheel_over_the_boundary_is_a_departure) {
    lab_route *route = load("patrol.yaml");
    cmo_stay_inside_parameters *p = &route->leg[0].parameters.stay_inside;
    p->too_fast = CMO_TOO_FAST_ACCEPT;
    p->cruise_mm_s = 650;
    p->grazing = CMO_GRAZING_ACCEPT;
    p->rebounds = 5;
    lab_run *run = lab_drive(route, 1);
    const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, 0);
    ck_assert_int_eq(leg->outcome, CMO_OUTCOME_DEPARTED);
    ck_assert_double_ge(leg->truth.value[CMO_DEPARTURES], 1);
    ck_assert_double_lt(leg->truth.value[CMO_MARGIN_MM], 0);
    lab_run_free(run);
    lab_route_free(route);
}
END_TEST

START_TEST(a_start_on_the_boundary_is_said_before_anything_moves) {
    lab_route *route = load("crate-yard.yaml");
    route->x_mm = 700;
    route->y_mm = 100; // on the rim
    lab_route_enclose(route);
    GError *error = NULL;
    ck_assert(!lab_check(route, &error));
    ck_assert_ptr_nonnull(strstr(error->message, "start: (700, 100) stands on a boundary"));
    g_error_free(error);
    lab_route_free(route);
}
END_TEST

START_TEST(files_with_wrong_patrols_are_refused_in_one_line) {
    static const struct {
        const char *text, *complaint;
    } bad[] = {
        {"legs:\n  - stay_inside: {boundary: grass}\n", "boundary"},
        {"legs:\n  - stay_inside: {cruse_mm_s: 100}\n", "cruise_mm_s"},
        {"legs:\n  - stay_inside: {touch: [front]}\n", "touch"},
        {"objects:\n  - {x_mm: 3}\nlegs:\n  - stay_inside: {}\n", "objects[1].y_mm"},
        {"objects:\n  - {x_mm: 3, y_mm: 3, radius_mm: -2}\nlegs:\n  - stay_inside: {}\n",
         "radius_mm"},
        {"legs:\n  - countdown: {seconds: 1.5}\n", "seconds"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(bad); i++) {
        char *text =
            g_strdup_printf("robot: r\nmat: m\nstart: {x_mm: 1, y_mm: 1}\n%s", bad[i].text);
        GError *error = NULL;
        ck_assert_ptr_null(lab_route_from_bytes("x.yaml", text, strlen(text), &error));
        ck_assert_msg(strstr(error->message, bad[i].complaint) != NULL, "%s", error->message);
        ck_assert_ptr_null(strchr(error->message, '\n'));
        g_error_free(error);
        g_free(text);
    }
}
END_TEST

// ------------------------------------------------------------------------------------- command --

START_TEST(the_command_prints_and_draws_a_patrol) {
    make_folder();
    ck_assert_int_eq(call(COMMAND " drive data/ferry/patrol.yaml --all --picture %s/mat.png"), 0);
    ck_assert_ptr_nonnull(strstr(out, "departures"));
    ck_assert_ptr_nonnull(strstr(out, "swayed"));
    ck_assert_ptr_nonnull(strstr(out, "boundary crossed by both sensors"));
    static const char *const views[] = {"heat", "margins"};
    for (int i = 0; i < 2; i++) {
        char *line = g_strdup_printf(COMMAND " drive data/ferry/patrol.yaml --quiet --view %s "
                                             "--picture %%s/%s.png",
                                     views[i], views[i]);
        ck_assert_int_eq(call(line), 0);
        ck_assert_str_eq(out, "");
        g_free(line);
    }
    static const char *const files[] = {"mat.png", "heat.png", "margins.png"};
    for (int i = 0; i < 3; i++) {
        char *path = in_folder(files[i]);
        GStatBuf info;
        ck_assert_int_eq(g_stat(path, &info), 0);
        ck_assert_int_gt(info.st_size, 5000);
        g_unlink(path);
        g_free(path);
    }
    // A route without a patrol has no heat; a trace has no truth.
    ck_assert_int_eq(call(COMMAND " drive data/ferry/square-up.yaml --quiet --view heat --picture "
                                  "%s/no.png"),
                     2);
    ck_assert_ptr_nonnull(strstr(err, "stay_inside"));
    ck_assert_int_eq(call(COMMAND " draw nothing.csv --view heat --picture %s/no.png"), 2);
    ck_assert_ptr_nonnull(strstr(err, "cammino drive"));
    ck_assert_int_eq(call(COMMAND " drive data/ferry/patrol.yaml --view cold --picture %s/no.png"),
                     2);
    ck_assert_ptr_nonnull(strstr(err, "mat, strip, timeline, heat, margins"));
    remove_folder();
}
END_TEST

START_TEST(the_results_hold_each_rebound) {
    ck_assert_int_eq(call(COMMAND " drive data/ferry/crate-yard.yaml --json"), 0);
    JsonNode *root = json_from_string(out, NULL);
    JsonArray *legs = json_object_get_array_member(json_node_get_object(root), "legs");
    JsonObject *leg = json_array_get_object_element(legs, 1);
    ck_assert_str_eq(json_object_get_string_member(leg, "routine"), "stay_inside");
    JsonArray *rebounds = json_object_get_array_member(leg, "rebounds");
    double told =
        json_object_get_double_member(json_object_get_object_member(leg, "truth"), "rebounds");
    ck_assert_double_eq(told, json_array_get_length(rebounds));
    JsonObject *first = json_array_get_object_element(rebounds, 0);
    ck_assert(json_object_has_member(first, "turn_error_deg"));
    ck_assert_str_ne(json_object_get_string_member(first, "known_by"), "");
    json_node_unref(root);
    ck_assert_int_eq(call(COMMAND " budget data/ferry/mozzo.yaml --speed 200"), 0);
    ck_assert_ptr_nonnull(strstr(out, "79 degrees"));
    ck_assert_ptr_nonnull(strstr(out, "swaying"));
    ck_assert_int_eq(call(COMMAND " budget data/ferry/mozzo-yard.yaml --speed 200"), 0);
    ck_assert_ptr_nonnull(strstr(out, "where no corner pokes in"));
    ck_assert_int_eq(call(COMMAND " wiring data/ferry/check-wiring.yaml"), 0);
    ck_assert_ptr_nonnull(strstr(out, "blind"));
}
END_TEST

START_TEST(the_patrol_examples_end_well) {
    ck_assert_int_eq(call(EXAMPLES "/example_patrol_table"), 0);
    ck_assert_ptr_nonnull(strstr(out, "rebound 5"));
    ck_assert_int_eq(call(EXAMPLES "/example_crate_yard"), 0);
    ck_assert_ptr_nonnull(strstr(out, "3...\n2...\n1...\n"));
    ck_assert_ptr_nonnull(strstr(out, "charge"));
}
END_TEST

// Led by all of its lag as it sets out, this robot of the fleet would be faster by a fifth.
START_TEST(what_sets_out_is_no_faster_than_is_safe) {
    ck_assert_int_eq(CALL("drive data/ferry/patrol.yaml --robot data/ferry/fleet.yaml --seed 157 "
                          "--varied --json"),
                     0);
    JsonNode *root = json_from_string(out, NULL);
    JsonArray *legs = json_object_get_array_member(json_node_get_object(root), "legs");
    JsonObject *leg = json_array_get_object_element(legs, 0);
    JsonObject *truth = json_object_get_object_member(leg, "truth");
    double safe = json_object_get_double_member(leg, "safe_mm_s");
    double top = json_object_get_double_member(truth, "top_speed_mm_s");
    ck_assert_double_gt(top, 0.9 * safe);
    ck_assert_double_lt(top, 1.04 * safe);
    json_node_unref(root);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {a_region_ends_at_the_near_edge_of_the_paint,
                                  the_range_sensor_sees_the_nearest_thing_in_its_cone,
                                  pushing_costs_speed_and_what_is_too_heavy_stays,
                                  another_robot_drives_from_stop_to_stop,
                                  a_patrol_knows_its_rebounds_and_the_truth_of_them,
                                  a_wheel_over_the_boundary_is_a_departure,
                                  a_start_on_the_boundary_is_said_before_anything_moves,
                                  files_with_wrong_patrols_are_refused_in_one_line,
                                  the_command_prints_and_draws_a_patrol,
                                  the_results_hold_each_rebound,
                                  the_patrol_examples_end_well,
                                  what_sets_out_is_no_faster_than_is_safe,
                                  NULL};
    return run_suite("patrol", tests);
}
