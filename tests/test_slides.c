// SPDX-License-Identifier: GPL-3.0-or-later
// Robots that slide so far that they come back to another edge than they believe, or that do not
// find it again, or that would take a line for something narrower.
#include "leg_runs.h"
#include "support.h"

#include <math.h>
#include <string.h>

// Drives one of the trials of the fleet's squares, and gives one of its legs; all are done.
static JsonObject *square_of(JsonParser *parser, const char *seed, unsigned leg) {
    char *line = g_strdup_printf(COMMAND " drive data/ferry/square-up.yaml --robot "
                                         "data/ferry/fleet.yaml --varied --json --seed %s",
                                 seed);
    ck_assert_int_eq(call(line), 0);
    g_free(line);
    ck_assert(json_parser_load_from_data(parser, out, -1, NULL));
    JsonObject *root = json_node_get_object(json_parser_get_root(parser));
    return json_array_get_object_element(json_object_get_array_member(root, "legs"), leg - 1);
}

// By about as much as their line is wide, or by more: they would come to stand over its other edge,
// or beyond it with nothing to be seen there. Where they have come back over the far edge tells.
START_TEST(the_far_edge_tells_by_how_much_it_has_slid) {
    static const struct {
        const char *seed;
        unsigned leg;
    } slide[] = {{"781", 1}, {"808", 1},  {"176", 2}, {"1403", 2}, {"69", 2},
                 {"391", 2}, {"1273", 1}, {"849", 2}, {"1173", 2}};
    JsonParser *parser = json_parser_new();
    for (size_t i = 0; i < G_N_ELEMENTS(slide); i++) {
        JsonObject *leg = square_of(parser, slide[i].seed, slide[i].leg);
        ck_assert_double_gt(figure_of(leg, "truth", "slip_mm"), 12.0);
        double off = figure_of(leg, "truth", "residual_angle_deg");
        ck_assert_msg(fabs(off) < 1.5, "robot %s: %g degrees", slide[i].seed, off);
        ck_assert_double_eq_tol(figure_of(leg, "truth", "rest_error_mm"), 0.0, 1.0);
        double says = figure_of(leg, "robot", "slip_mm");
        ck_assert_double_eq_tol(says, figure_of(leg, "truth", "slip_mm"), 4.0);
    }
    g_object_unref(parser);
}
END_TEST

// From when the robot comes back on, its port hands over nothing but floor.
static const cmo_port *whole_port;
static const cmo_robot *comes_back;
static uint16_t floor_counts;

static cmo_status sample_floor(void *context, cmo_sample *sample) {
    static bool blank;
    cmo_status status = whole_port->sample(context, sample);
    blank = blank || comes_back->stage == CMO_STAGE_RETURN;
    for (unsigned i = 0; i < CMO_LIGHTS_MAX; i++) {
        for (unsigned n = 0; n < sample->light[i].looks && blank; n++) {
            sample->light[i].look[n].counts = floor_counts;
        }
    }
    return status;
}

START_TEST(a_line_that_is_never_found_again_is_no_rest) {
    cmo_sim_mat *mat = make_floor(&one_line);
    cmo_sim_setup setup = plain_setup(&plain_robot, PLAIN_TRAITS, mat);
    setup.x_mm = 500;
    bench_robot bench;
    start_bench(&bench, &setup, &plain_robot);
    whole_port = cmo_sim_port(bench.sim);
    comes_back = &bench.robot;
    cmo_port port = *whole_port;
    port.sample = sample_floor;
    cmo_levels levels = fitting_levels(&setup, 0.05, 0.6);
    floor_counts = levels.light;
    ck_assert_int_eq(cmo_robot_start(&bench.robot, &plain_robot, &port), CMO_OUTCOME_DONE);
    cmo_robot_set_levels(&bench.robot, 0, &levels);
    cmo_robot_set_levels(&bench.robot, 1, &levels);
    cmo_square_on_line_parameters p = {.cruise_mm_s = 200};
    ck_assert_int_eq(cmo_square_on_line(&bench.robot, &p), CMO_OUTCOME_NO_LINE);
    cmo_sim_pass(bench.sim, 300);
    ck_assert(cmo_sim_halted(bench.sim));
    // It has looked for it where it can be, and has not run away.
    ck_assert_double_gt(cmo_sim_truth_now(bench.sim).x_mm, 300.0);
    end_bench(&bench);
    cmo_sim_mat_free(mat);
}
END_TEST

// Halted where they met it, a third slid over a line at a slant without their wheels telling so,
// and drove on. What is narrow stays narrow: a stripe of 5 mm before it is none, slid over or not.
START_TEST(what_it_slides_over_halted_is_as_wide_as_it_is) {
    begin_runs();
    write_runs_floor(FLOOR, "<g stroke='" DARK "'><path stroke-width='5' d='M 600 20 V 1180'/>"
                            "<path class='line' stroke-width='20' d='M 1100 20 V 1180'/></g>");
    unsigned robots = SEEDS(40);
    unsigned missed = 0;
    for (unsigned seed = 1; seed <= robots; seed++) {
        JsonObject *leg =
            drive_legs(SOURCE_DIR "/data/ferry/fleet.yaml",
                       "  - stop_on_line: {blind_mm: 200, too_fast: slow}", 12, -1, seed, 1);
        missed += strcmp(outcome_of(leg), "done") != 0;
    }
    ck_assert_uint_le(missed, 1 + robots / 40);
    end_runs();
}
END_TEST

// What it has slid between both sensors' crossings is neither an angle nor a worn edge: halted on
// the third of four lines at a slant, half of them ended on another, or nowhere.
START_TEST(halted_on_a_counted_line_it_knows_that_it_has_slid) {
    begin_runs();
    write_runs_floor(FLOOR, "<g class='line' stroke='" DARK "' stroke-width='20'>"
                            "<path d='M 700 20 V 1180'/><path d='M 900 20 V 1180'/>"
                            "<path d='M 1100 20 V 1180'/><path d='M 1300 20 V 1180'/></g>");
    unsigned robots = SEEDS(40);
    unsigned others = 0;
    for (unsigned seed = 1; seed <= robots; seed++) {
        JsonObject *leg = drive_legs(SOURCE_DIR "/data/ferry/fleet.yaml",
                                     "  - count_lines: {number: 3, blind_mm: 200, too_fast: slow}",
                                     20, -1, seed, 1);
        others +=
            strcmp(outcome_of(leg), "done") != 0 || figure_of(leg, "truth", "lines_seen") != 3.0;
    }
    ck_assert_uint_le(others, 1 + robots / 20);
    end_runs();
}
END_TEST

// What rests where no sensor sees the edge goes there from where it has seen it: by the encoders
// alone, braked hard before, one in eight was off by more than 5 mm. Beyond is along its way.
START_TEST(beyond_an_edge_it_rests_from_where_it_has_seen_it) {
    begin_runs();
    write_runs_floor(FLOOR, "<path class='line' stroke='" DARK "' stroke-width='20' "
                            "d='M 900 20 V 1180'/>");
    unsigned robots = SEEDS(24);
    unsigned off = 0;
    static const char *const rests[] = {"near_edge, beyond_mm: 60", "near_edge, beyond_mm: -60",
                                        "far_edge, beyond_mm: 60"};
    for (size_t r = 0; r < G_N_ELEMENTS(rests); r++) {
        char *leg = g_strdup_printf("  - stop_on_line: {blind_mm: 200, too_fast: slow, rest: %s}",
                                    rests[r]);
        for (unsigned seed = 1; seed <= robots; seed++) {
            JsonObject *stop = drive_legs(SOURCE_DIR "/data/ferry/fleet.yaml", leg,
                                          seed % 2 == 0 ? 0 : 20, 0, seed, 1);
            off += fabs(figure_of(stop, "truth", "rest_error_mm")) > 5.0;
        }
        g_free(leg);
    }
    ck_assert_uint_le(off, 1 + robots / 24);
    end_runs();
}
END_TEST

// Slid further than the moves by which it looks for the edge: they are longer where no spot sees
// any of the line. And what one sensor tells of a slide moves where the other one has come onto the
// line.
START_TEST(squares_find_the_edge_again) {
    static const struct {
        const char *width;
        double heading_deg;
        const char *parameters;
        unsigned seed;
    } slide[] = {
        {"20", 0, "rest: far_edge", 194},     {"20", 0, "rest: far_edge", 364},
        {"20", 0, "rest: far_edge", 683},     {"12", 20, "least_width_mm: 6", 343},
        {"12", 20, "least_width_mm: 6", 347}, {"12", 20, "least_width_mm: 6", 569},
    };
    begin_runs();
    for (size_t i = 0; i < G_N_ELEMENTS(slide); i++) {
        char *line = g_strdup_printf("<path class='line' stroke='" DARK "' stroke-width='%s' "
                                     "d='M 900 20 V 1180'/>",
                                     slide[i].width);
        write_runs_floor(FLOOR, line);
        char *leg = g_strdup_printf("  - square_on_line: {blind_mm: 200, too_fast: slow, %s}",
                                    slide[i].parameters);
        JsonObject *square = drive_legs(SOURCE_DIR "/data/ferry/fleet.yaml", leg,
                                        slide[i].heading_deg, -1, slide[i].seed, 1);
        ck_assert_msg(strcmp(outcome_of(square), "done") == 0, "robot %u: %s", slide[i].seed,
                      outcome_of(square));
        ck_assert_double_eq_tol(figure_of(square, "truth", "rest_error_mm"), 0.0, 1.5);
        g_free(leg);
        g_free(line);
    }
    end_runs();
}
END_TEST

int main(void) {
    const TTest *const tests[] = {the_far_edge_tells_by_how_much_it_has_slid,
                                  a_line_that_is_never_found_again_is_no_rest,
                                  what_it_slides_over_halted_is_as_wide_as_it_is,
                                  halted_on_a_counted_line_it_knows_that_it_has_slid,
                                  beyond_an_edge_it_rests_from_where_it_has_seen_it,
                                  squares_find_the_edge_again,
                                  NULL};
    return run_suite("slides", tests);
}
