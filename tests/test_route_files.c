// SPDX-License-Identifier: GPL-3.0-or-later
// Routes as files: names, numbers, groups, ends, what follows, other files' legs; and as they run.
#include "calls.h"

#include <glib/gstdio.h>
#include <json-glib/json-glib.h>
#include <math.h>

#define HEAD "robot: r.yaml\nmat: m.svg\nstart: {x_mm: 0, y_mm: 0}\n"

static lab_route *read_text(const char *text) {
    GError *error = NULL;
    lab_route *route = lab_route_from_bytes("a/b.yaml", text, strlen(text), &error);
    ck_assert_msg(route != NULL, "%s", error ? error->message : "");
    return route;
}

START_TEST(numbers_are_reckoned_wherever_one_stands) {
    lab_route *route =
        read_text("robot: r.yaml\nmat: m.svg\nstart: {x_mm: 2 * edge, y_mm: -(1.5 + 2) * 2}\n"
                  "numbers: {edge: 30, wide: edge / 2 - 3, _n2: 2e1, all: (edge + wide) * 2 - -1}\n"
                  "longest_s: wide\n"
                  "legs:\n  - advance: {distance_mm: all, speed_mm_s: edge*edge/ 3}\n"
                  "    ends: {for_s: _n2 / 8, lines: 1 + 1}\n"
                  "  - group: {rounds: wide / 4}\n    legs:\n      - turn: {angle_deg: -edge}\n");
    ck_assert_double_eq(route->x_mm, 60);
    ck_assert_double_eq(route->y_mm, -7);
    ck_assert_double_eq(route->longest_s, 12);
    ck_assert_float_eq(route->leg[0].parameters.advance.distance_mm, 85);
    ck_assert_float_eq(route->leg[0].parameters.advance.speed_mm_s, 300);
    ck_assert_uint_eq(route->leg[0].ends.for_ms, 2500);
    ck_assert_uint_eq(route->leg[0].ends.lines, 2);
    ck_assert_uint_eq(route->group[0].rounds, 3);
    ck_assert_float_eq(route->leg[1].parameters.turn.angle_deg, -30);
    lab_route_free(route);
}
END_TEST

START_TEST(legs_have_names_ends_groups_and_what_follows) {
    lab_route *route =
        read_text(HEAD "legs:\n"
                       "  - advance: {distance_mm: 9}\n"
                       "    name: first\n"
                       "    ends: {touch: [left, back], ending: moving}\n"
                       "    expect: [touch, no_line]\n"
                       "    follow: {stalled: {again: 2}, other: {go_to: last}}\n"
                       "  - group: {rounds: 4}\n"
                       "    name: both\n"
                       "    ends: {button: true}\n"
                       "    legs:\n"
                       "      - turn: {angle_deg: 5}\n"
                       "        follow: {done: {go_to: both, times: 3}, time: fail}\n"
                       "      - group: {rounds: 2}\n"
                       "        legs:\n"
                       "          - action: {takes_s: 1.5}\n"
                       "  - stop_on_line: {}\n"
                       "    name: last\n"
                       "    expect: done\n"
                       "    ends: {for_s: 3}\n");
    ck_assert_uint_eq(route->legs, 4);
    const lab_leg *first = &route->leg[0];
    ck_assert_str_eq(first->name, "first");
    ck_assert_uint_eq(first->ends.touch, 5);
    ck_assert_int_eq(first->ends.ending, CMO_END_MOVING);
    static const cmo_follow rules[] = {{CMO_OUTCOME_STALLED, CMO_AGAIN, 0, 2},
                                       {CMO_ON_OTHER, CMO_GO_TO, 3, 0},
                                       {CMO_ON_BY(CMO_BY_TOUCH), CMO_GO_ON, 0, 0},
                                       {CMO_OUTCOME_NO_LINE, CMO_GO_ON, 0, 0},
                                       {CMO_OUTCOME_DONE, CMO_FAIL, 0, 0}};
    ck_assert_uint_eq(first->rules, 5);
    ck_assert_mem_eq(first->rule, rules, sizeof rules);
    ck_assert_uint_eq(route->groups, 2); // the inner one first
    ck_assert_uint_eq(route->group[0].first, 2);
    ck_assert_uint_eq(route->group[0].last, 2);
    ck_assert_uint_eq(route->group[0].rounds, 2);
    ck_assert_uint_eq(route->group[1].first, 1);
    ck_assert_uint_eq(route->group[1].last, 2);
    ck_assert_str_eq(route->group[1].name, "both");
    ck_assert(route->group[1].ends.button);
    ck_assert_int_eq(route->leg[1].rule[0].next, CMO_GO_TO);
    ck_assert_uint_eq(route->leg[1].rule[0].leg, 1);
    ck_assert_uint_eq(route->leg[1].rule[0].times, 3);
    ck_assert_int_eq(route->leg[1].rule[1].on, CMO_ON_BY(CMO_BY_TIME));
    ck_assert_uint_eq(route->leg[2].parameters.action.takes_ms, 1500);
    // What is to end by itself fails by any end.
    const lab_leg *last = &route->leg[3];
    ck_assert_uint_eq(last->rules, 1U + (CMO_BYS - 1U));
    ck_assert_int_eq(last->rule[1].next, CMO_FAIL);
    lab_route_free(route);
}
END_TEST

START_TEST(what_is_wrong_is_said_with_line_and_field) {
    static const struct {
        const char *text, *says;
    } cases[] = {
        {"numbers: {a: b}\nlegs: []\n", "b.yaml:4: numbers.a: 'b' is not a number: no number is"},
        {"numbers: {2a: 1}\nlegs: []\n", "numbers.2a: a name has small letters, digits and _"},
        {"numbers: {a: 1, a: 2}\nlegs: []\n", "numbers.a: given twice"},
        {"numbers: [1]\nlegs: []\n", "numbers: must be names with numbers"},
        {"legs:\n  - turn: {angle_deg: 1 +}\n", "legs[1].turn.angle_deg: '1 +' is not a number: a "
                                                "number, or the name of one, is missing"},
        {"legs:\n  - turn: {angle_deg: (1}\n", "a ) is missing"},
        {"legs:\n  - turn: {angle_deg: 1 / 0}\n", "it has no value"},
        {"legs:\n  - turn: {angle_deg: 2 % 1}\n", "+ - * / ( ) between numbers"},
        {"legs:\n  - turn: {angle_deg: 2 * 2000}\n", "2 * 2000 is out of range; -3600 to 3600"},
        {"legs:\n  - turn: {angle_deg: 5}\n    nmae: a\n",
         "legs[1].nmae: unknown key; did you mean"},
        {"legs:\n  - turn: {angle_deg: 5}\n    name: a b\n", "'a b' is no name"},
        {"legs:\n  - turn: {angle_deg: 5}\n    name: a\n  - turn: {angle_deg: 5}\n    name: a\n",
         "b.yaml:8: legs[2].name: there is a leg called a already"},
        {"legs:\n  - turn: {angle_deg: 5}\n    follow: {touched: stop}\n",
         "legs[1].follow.touched: no outcome and no end is called so; did you mean touch?"},
        {"legs:\n  - turn: {angle_deg: 5}\n    follow: {done: on}\n",
         "must be go_on, stop, fail, {again: 2} or {go_to: NAME}"},
        {"legs:\n  - turn: {angle_deg: 5}\n    follow: {done: {again: 2, times: 3}}\n",
         "must be one of them"},
        {"legs:\n  - turn: {angle_deg: 5}\n    follow: {done: {}}\n", "must be one of them"},
        {"legs:\n  - turn: {angle_deg: 5}\n    follow: {done: stop, done: stop}\n", "given twice"},
        {"legs:\n  - turn: {angle_deg: 5}\n    follow: {done: {go_to: hom}}\n    name: home\n",
         "b.yaml:6: legs[1].follow: no leg is called hom; did you mean home?"},
        {"legs:\n  - turn: {angle_deg: 5}\n    expect: other\n", "legs[1].expect: no outcome"},
        {"legs:\n  - turn: {angle_deg: 5}\n    legs: []\n", "legs[1].legs: is a group's"},
        {"legs:\n  - group: {rounds: 2}\n", "a group has legs"},
        {"legs:\n  - group: {}\n    legs: [{turn: {angle_deg: 5}}]\n",
         "legs[1].group.rounds: must be given, or ends beside it"},
        {"legs:\n  - group: {rounds: 2}\n    expect: done\n    legs: [{turn: {angle_deg: 5}}]\n",
         "is of a routine's leg, not of a group"},
        {"legs:\n  - group: {rounds: 2}\n    legs:\n      - group: {rounds: 2}\n        legs:\n"
         "          - group: {rounds: 2}\n            legs: [{turn: {angle_deg: 5}}]\n",
         "legs[1].legs[1].legs[1]: groups stand in each other 2 deep at most"},
        {"legs:\n  - turn: {angle_deg: 5}\n    group: {rounds: 2}\n",
         "must name exactly one routine"},
        {"legs:\n  - name: a\n", "must name exactly one routine"},
        {"legs:\n  - include: none.yaml\n", "a/none.yaml: the route cannot be read"},
        {"legs:\n  - include: none.yaml\n    name: a\n", "goes with a routine"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        GError *error = NULL;
        char *text = g_strconcat(HEAD, cases[i].text, NULL);
        ck_assert_ptr_null(lab_route_from_bytes("a/b.yaml", text, strlen(text), &error));
        ck_assert_msg(strstr(error->message, cases[i].says) != NULL, "case %zu: %s", i,
                      error->message);
        ck_assert_ptr_null(strchr(error->message, '\n'));
        g_clear_error(&error);
        g_free(text);
    }
}
END_TEST

static void drop_file(const char *name) {
    char *path = in_folder(name);
    g_unlink(path);
    g_free(path);
}

START_TEST(a_route_includes_anothers_legs_and_its_own_numbers_win) {
    write_file("outer.yaml", HEAD "numbers: {way: 50}\nlegs:\n  - include: inner.yaml\n"
                                  "  - turn: {angle_deg: angle}\n");
    write_file("inner.yaml", "numbers: {way: 7, angle: 2 * way}\nlegs:\n"
                             "  - advance: {distance_mm: way}\n    name: inner\n");
    char *path = in_folder("outer.yaml");
    char *text;
    gsize size;
    GError *error = NULL;
    ck_assert(g_file_get_contents(path, &text, &size, NULL));
    lab_route *route = lab_route_from_bytes(path, text, size, &error);
    ck_assert_msg(route != NULL, "%s", error ? error->message : "");
    ck_assert_uint_eq(route->legs, 2);
    ck_assert_float_eq(route->leg[0].parameters.advance.distance_mm, 50);
    ck_assert_float_eq(route->leg[1].parameters.turn.angle_deg, 100);
    ck_assert_ptr_nonnull(strstr(route->leg[0].file, "inner.yaml"));
    ck_assert_int_eq(route->leg[0].line, 3);
    lab_route_free(route);
    // One that includes itself, and one that has no legs.
    write_file("inner.yaml", "legs:\n  - include: outer.yaml\n");
    ck_assert_ptr_null(lab_route_from_bytes(path, text, size, &error));
    ck_assert_ptr_nonnull(strstr(error->message, "routes include each other at most 5 deep"));
    g_clear_error(&error);
    write_file("inner.yaml", "numbers: {a: 1}\n");
    ck_assert_ptr_null(lab_route_from_bytes(path, text, size, &error));
    ck_assert_ptr_nonnull(strstr(error->message, "inner.yaml:1: legs: must be given"));
    g_clear_error(&error);
    g_free(text);
    g_free(path);
    drop_file("outer.yaml");
    drop_file("inner.yaml");
}
END_TEST

#define DEMO                                                                                       \
    "robot: " SOURCE_DIR "/data/ferry/mozzo-yard.yaml\nmat: " SOURCE_DIR                           \
    "/data/ferry/car-deck.svg\nstart: {x_mm: 150, y_mm: 580}\n"

START_TEST(a_route_is_checked_whole_before_it_moves) {
    static const struct {
        const char *legs, *says;
    } cases[] = {
        {"legs:\n  - advance: {distance_mm: 9}\n    follow: {other: {go_to: a}}\n    name: a\n",
         "legs[1].follow.times: has no end: say how many times"},
        {"legs:\n  - turn: {angle_deg: 9}\n    follow: {other: {go_to: b}}\n"
         "  - group: {rounds: 2}\n    legs:\n      - turn: {angle_deg: 9}\n"
         "      - turn: {angle_deg: 9}\n        name: b\n",
         "legs[1].follow.go_to: leads into a group"},
        {"legs:\n  - group: {rounds: 2}\n    ends: {way_mm: 9}\n    legs: [{turn: {angle_deg: "
         "9}}]\n",
         "legs[1].group.ends: counts ways or turns of a group"},
        {"legs:\n  - advance: {distance_mm: 90, ending: moving}\n  - turn: {angle_deg: 9}\n",
         "legs[1]: ends moving, and turn begins at a standstill"},
        {"legs:\n  - drive_until_line: {cruise_mm_s: 500, ending: moving}\n"
         "  - advance: {distance_mm: 20}\n",
         "legs[1]: ends at 500 mm/s, and advance has no room to slow down in; 346.4 mm/s would do"},
        {"legs:\n  - turn: {angle_deg: 90}\n    ends: {turn_deg: 45, ending: moving}\n"
         "  - advance: {distance_mm: 50}\n",
         "legs[1]: turn ends at a standstill; ending: halted would do"},
        {"legs:\n  - turn: {angle_deg: 9}\n  - stop_on_line: {cruise_mm_s: 600, least_width_mm: "
         "3}\n",
         "legs[2].stop_on_line.creep_mm_s: too fast: a line could be missed"},
        {"legs:\n  - turn: {angle_deg: 90}\n  - advance: {distance_mm: 500}\n",
         "legs[2]: advance ends at (150, 1080), which is not on the mat; x 0 to 1800, y 0 to 1000"},
        {"legs:\n  - turn: {angle_deg: 9}\n  - advance: {distance_mm: 90, speed_mm_s: 2000}\n",
         "legs[2].advance.speed_mm_s: makes no sense for this robot; 700 would do"},
        {"legs:\n  - turn: {angle_deg: 9}\n    ends: {lines: 1, band: {low: 0.6, high: 0.4}}\n",
         "legs[1].ends.band: makes no sense"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        char *text = g_strconcat(DEMO, cases[i].legs, NULL);
        write_file("r.yaml", text);
        ck_assert_int_eq(CALL("drive %s/r.yaml"), 2);
        ck_assert_msg(strstr(err, cases[i].says) != NULL, "case %zu: %s", i, err);
        ck_assert_str_eq(out, "");
        g_free(text);
    }
    drop_file("r.yaml");
}
END_TEST

START_TEST(a_route_may_leave_its_robot_to_the_command) {
    write_file("r.yaml",
               "mat: " SOURCE_DIR "/data/ferry/car-deck.svg\nstart: {x_mm: 150, y_mm: 580}\n"
               "legs:\n  - turn: {angle_deg: 90}\n");
    ck_assert_int_eq(CALL("drive %s/r.yaml"), 2);
    ck_assert_ptr_nonnull(strstr(err, "r.yaml: robot: must be given: robot file, or fleet, beside "
                                      "the route, or with --robot\n"));
    ck_assert_str_eq(out, "");
    ck_assert_int_eq(CALL("drive %s/r.yaml --robot data/ferry/mozzo.yaml"), 0);
    ck_assert_ptr_nonnull(strstr(out, "Mozzo"));
    drop_file("r.yaml");
}
END_TEST

static JsonArray *legs_of(JsonParser *parser) {
    ck_assert(json_parser_load_from_data(parser, out, -1, NULL));
    return json_object_get_array_member(json_node_get_object(json_parser_get_root(parser)), "legs");
}

START_TEST(the_demos_run_goes_round_ends_by_range_and_tries_again) {
    JsonParser *parser = json_parser_new();
    ck_assert_int_eq(CALL("drive data/ferry/deck-run.yaml --seed 3 --json"), 0);
    JsonArray *legs = legs_of(parser);
    unsigned overs = 0;
    unsigned tries = 0;
    bool ranged = false;
    for (guint i = 0; i < json_array_get_length(legs); i++) {
        JsonObject *leg = json_array_get_object_element(legs, i);
        const char *name = json_object_get_string_member_with_default(leg, "name", "");
        if (strcmp(name, "over") == 0) {
            overs++;
            ck_assert_int_eq(json_object_get_int_member(leg, "round"), overs);
        } else if (strcmp(name, "to_crate") == 0) {
            ranged = true;
            ck_assert_str_eq(json_object_get_string_member(leg, "by"), "range_below");
            JsonObject *truth = json_object_get_object_member(leg, "truth");
            ck_assert(!json_object_has_member(truth, "overshoot_mm"));
        } else if (strcmp(name, "home") == 0) {
            tries++;
        }
    }
    ck_assert_uint_eq(overs, 2);
    ck_assert(ranged);
    ck_assert_uint_ge(tries, 2);
    g_object_unref(parser);
    ck_assert_int_eq(CALL("drive data/ferry/deck-run.yaml --seed 3"), 0);
    ck_assert_ptr_nonnull(strstr(out, "over, round 2\n"));
    ck_assert_ptr_nonnull(strstr(out, "to_crate: ended by range_below\n"));
    ck_assert_int_eq(CALL("series data/ferry/deck-run.yaml --trials 6"), 0);
    ck_assert_ptr_nonnull(strstr(out, "12 of 12"));
    ck_assert_ptr_nonnull(strstr(out, "6 of 6 trials completed (100.0 %)"));
}
END_TEST

// From each rest on the first cross line: on to the second one, round, and back to the first.
START_TEST(a_search_starts_clear_of_the_last_line) {
    static const char *const rests[] = {"near_edge", "centre", "far_edge"};
    JsonParser *parser = json_parser_new();
    for (size_t i = 0; i < G_N_ELEMENTS(rests); i += EACH) {
        char *text = g_strdup_printf(
            DEMO
            "numbers: {v: 300}\n"
            "legs:\n  - %s: {blind_mm: 200, cruise_mm_s: v, least_width_mm: 15, rest: %s}\n"
            "  - stop_on_line: {cruise_mm_s: v, least_width_mm: 15, rest: near_edge, off_line: "
            "true}\n"
            "  - turn: {angle_deg: 180}\n"
            "  - stop_on_line: {cruise_mm_s: v, least_width_mm: 15, off_line: true}\n",
            i == 0 ? "square_on_line" : "stop_on_line", rests[i]);
        write_file("r.yaml", text);
        ck_assert_int_eq(CALL("drive %s/r.yaml --json --seed 2"), 0);
        JsonArray *legs = legs_of(parser);
        ck_assert_uint_eq(json_array_get_length(legs), 4);
        for (guint n = 0; n < 4; n++) {
            JsonObject *robot =
                json_object_get_object_member(json_array_get_object_element(legs, n), "robot");
            ck_assert_int_eq(json_object_has_member(robot, "clear_mm"), n == 1 || n == 3);
            double way = json_object_get_double_member_with_default(robot, "clear_mm", 0.0);
            ck_assert_double_le(way, 60);
            ck_assert(n != 1 || i == 2 || way > 15.0); // from the far edge there is little to go
        }
        // Right after a halt at a line it does so by itself.
        char *found = strstr(text, ", off_line: true");
        memset(found, ' ', strlen(", off_line: true"));
        write_file("r.yaml", text);
        ck_assert_int_eq(CALL("drive %s/r.yaml --json --seed 2"), 0);
        legs = legs_of(parser);
        double travelled = json_object_get_double_member(
            json_object_get_object_member(json_array_get_object_element(legs, 1), "robot"),
            "travelled_mm");
        ck_assert_double_ge(travelled, 300);
        g_free(text);
    }
    drop_file("r.yaml");
    g_object_unref(parser);
}
END_TEST

// Round again some way behind the line, and back over it: clear of it once it is before that.
START_TEST(a_search_that_comes_back_starts_before_the_last_line) {
    JsonParser *parser = json_parser_new();
    write_file("r.yaml", DEMO
               "legs:\n"
               "  - stop_on_line: {blind_mm: 200, least_width_mm: 15, rest: near_edge}\n"
               "  - advance: {distance_mm: 140}\n  - turn: {angle_deg: 180}\n"
               "  - drive_until_line: {least_width_mm: 15, off_line: true, longest_mm: 400}\n");
    CALL("drive %s/r.yaml --json --seed 2");
    JsonArray *legs = legs_of(parser);
    double way = json_object_get_double_member(
        json_object_get_object_member(json_array_get_object_element(legs, 3), "robot"), "clear_mm");
    ck_assert_double_gt(way, 5); // the axle is 70 mm behind it, as far as the spots are ahead
    ck_assert_double_lt(way, 20);
    drop_file("r.yaml");
    g_object_unref(parser);
}
END_TEST

// While it still speeds up, the wheels are slower than they are told: it brakes from what they do.
START_TEST(an_end_brakes_from_the_speed_that_the_wheels_have) {
    JsonParser *parser = json_parser_new();
    write_file("r.yaml", DEMO "legs:\n  - advance: {distance_mm: 450, speed_mm_s: 600}\n"
                              "    ends: {way_mm: 100}\n");
    double sum = 0.0;
    unsigned seeds = SEEDS(8);
    for (unsigned seed = 1; seed <= seeds; seed++) {
        char *line = g_strdup_printf(COMMAND " drive %%s/r.yaml --json --seed %u", seed);
        ck_assert_int_eq(call(line), 0);
        JsonObject *leg = json_array_get_object_element(legs_of(parser), 0);
        sum += json_object_get_double_member(json_object_get_object_member(leg, "truth"),
                                             "travelled_mm");
        g_free(line);
    }
    ck_assert_double_ge(sum / seeds, 100);
    ck_assert_double_le(sum / seeds, 107);
    drop_file("r.yaml");
    g_object_unref(parser);
}
END_TEST

// An advance looks ahead: it is as slow at its end as what follows needs.
START_TEST(an_advance_slows_down_for_what_follows) {
    JsonParser *parser = json_parser_new();
    write_file("r.yaml", DEMO "legs:\n"
                              "  - advance: {distance_mm: 150, speed_mm_s: 600, ending: moving}\n"
                              "  - advance: {distance_mm: 60, speed_mm_s: 300, ending: moving}\n"
                              "  - advance: {distance_mm: 6}\n");
    ck_assert_int_eq(CALL("drive %s/r.yaml --json"), 0);
    JsonArray *legs = legs_of(parser);
    double way = 0.0;
    for (guint i = 0; i < 3; i++) {
        JsonObject *leg = json_array_get_object_element(legs, i);
        JsonObject *truth = json_object_get_object_member(leg, "truth");
        JsonObject *robot = json_object_get_object_member(leg, "robot");
        way += json_object_get_double_member(robot, "travelled_mm");
        if (i == 2) { // it had 6 mm, and was not too fast for them
            ck_assert_double_lt(json_object_get_double_member(truth, "overshoot_mm"), 8);
            ck_assert_double_lt(json_object_get_double_member(truth, "top_speed_mm_s"), 240);
        }
    }
    ck_assert_double_eq_tol(way, 216, 10); // less what it goes between two legs
    g_object_unref(parser);
    ck_assert_int_eq(CALL("generate %s/r.yaml"), 0);
    ck_assert_ptr_nonnull(strstr(out, ".over_mm_s = "));
    drop_file("r.yaml");
}
END_TEST

START_TEST(a_run_that_is_not_as_expected_says_so) {
    write_file("r.yaml", DEMO "legs:\n  - advance: {distance_mm: 90}\n"
                              "    ends: {range_below_mm: 30}\n    expect: range_below\n"
                              "  - turn: {angle_deg: 9}\n");
    ck_assert_int_eq(CALL("drive %s/r.yaml"), 1);
    ck_assert_ptr_nonnull(strstr(out, "run: unexpected after"));
    ck_assert_ptr_nonnull(strstr(out, "1 of 2 legs not driven"));
    ck_assert_int_eq(CALL("series %s/r.yaml --trials 3"), 1);
    ck_assert_ptr_nonnull(strstr(out, "0 of 3 trials completed"));
    drop_file("r.yaml");
}
END_TEST

int main(void) {
    make_folder();
    const TTest *const tests[] = {numbers_are_reckoned_wherever_one_stands,
                                  legs_have_names_ends_groups_and_what_follows,
                                  what_is_wrong_is_said_with_line_and_field,
                                  a_route_includes_anothers_legs_and_its_own_numbers_win,
                                  a_route_is_checked_whole_before_it_moves,
                                  a_route_may_leave_its_robot_to_the_command,
                                  the_demos_run_goes_round_ends_by_range_and_tries_again,
                                  a_search_starts_clear_of_the_last_line,
                                  a_search_that_comes_back_starts_before_the_last_line,
                                  an_end_brakes_from_the_speed_that_the_wheels_have,
                                  an_advance_slows_down_for_what_follows,
                                  a_run_that_is_not_as_expected_says_so,
                                  NULL};
    int status = run_suite("route_files", tests);
    remove_folder();
    return status;
}
