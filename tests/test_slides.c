// SPDX-License-Identifier: GPL-3.0-or-later
// Squares of robots that slide so far that they come back to another edge than they believe.
#include "leg_runs.h"

#include <math.h>

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

int main(void) {
    const TTest *const tests[] = {the_far_edge_tells_by_how_much_it_has_slid, NULL};
    return run_suite("slides", tests);
}
