// SPDX-License-Identifier: GPL-3.0-or-later
// Routes as C, built in: they give the same drive commands as their files, tick for tick and bit
// for bit.
#include "calls.h"

#include <glib/gstdio.h>
#include <string.h>

#define EACH_ROUTE(R)                                                                              \
    R(first_round, "data/ferry/first-round.yaml")                                                  \
    R(deck_run, "data/ferry/deck-run.yaml")                                                        \
    R(gangway, "data/ferry/gangway.yaml")                                                          \
    R(cargo, "data/ferry/cargo.yaml")                                                              \
    R(lane, "data/ferry/lane.yaml")                                                                \
    R(saloon, "data/ferry/saloon.yaml")                                                            \
    R(square_up, "data/ferry/square-up.yaml")                                                      \
    R(patrol, "data/ferry/patrol.yaml")                                                            \
    R(crate_yard, "data/ferry/crate-yard.yaml")                                                    \
    R(take_levels, "data/ferry/take-levels.yaml")                                                  \
    R(check_wiring, "data/ferry/check-wiring.yaml")                                                \
    R(measure_geometry, "data/ferry/measure-geometry.yaml")                                        \
    R(measure_drive, "data/ferry/measure-drive.yaml")                                              \
    R(measure_braking, "data/ferry/measure-braking.yaml")                                          \
    R(ends, "tests/routes/ends.yaml")                                                              \
    R(rules, "tests/routes/rules.yaml")

#define DECLARE(name, path) cmo_outcome name##_start(cmo_robot *robot, const cmo_port *port);
EACH_ROUTE(DECLARE)

typedef struct compared {
    const GArray *rows; // of lab_row
    guint at;
    bool goes_on; // beyond them: what only the simulation knows has ended the bench's run
} compared;

static void compare(void *context, const cmo_trace_row *row) {
    compared *c = context;
    if (c->goes_on && c->at == c->rows->len) {
        return;
    }
    ck_assert_uint_lt(c->at, c->rows->len);
    const cmo_trace_row *other = &g_array_index(c->rows, lab_row, c->at++).robot;
    ck_assert_uint_eq(row->run_us, other->run_us);
    ck_assert_uint_eq(row->stage, other->stage);
    ck_assert_uint_eq(row->halted, other->halted);
    ck_assert_mem_eq(&row->left_command_mm_s, &other->left_command_mm_s, sizeof(float));
    ck_assert_mem_eq(&row->right_command_mm_s, &other->right_command_mm_s, sizeof(float));
    ck_assert_mem_eq(&row->x_mm, &other->x_mm, sizeof(float));
}

static void compare_route(const char *path, cmo_outcome (*start)(cmo_robot *, const cmo_port *),
                          uint64_t seeds) {
    GError *error = NULL;
    char *whole = g_strdup_printf("%s/%s", SOURCE_DIR, path);
    lab_route *route = lab_route_load(whole, NULL, 1, &error);
    ck_assert_msg(route != NULL, "%s", error ? error->message : "");
    lab_start from = {route->x_mm, route->y_mm, route->heading_deg};
    for (uint64_t seed = 1; seed <= seeds; seed++) {
        lab_run *run = lab_drive(route, seed);
        cmo_sim *sim = lab_sim(route, route->robot, &from, seed);
        cmo_robot robot;
        compared rows = {run->rows, 0, run->outcome >= CMO_OUTCOME_DEPARTED};
        cmo_outcome outcome = start(&robot, cmo_sim_port(sim));
        cmo_robot_set_trace(&robot, compare, &rows);
        outcome = outcome == CMO_RUNNING ? cmo_run(&robot) : outcome;
        if (!rows.goes_on) {
            ck_assert_msg(outcome == run->outcome, "%s, seed %u: %s for %s", path, (unsigned)seed,
                          cmo_outcome_name(outcome), cmo_outcome_name(run->outcome));
        }
        ck_assert_uint_eq(rows.at, run->rows->len);
        cmo_sim_free(sim);
        lab_run_free(run);
    }
    lab_route_free(route);
    g_free(whole);
}

#define COMPARE(name, path)                                                                        \
    START_TEST(name##_as_c) {                                                                      \
        compare_route(path, name##_start, SEEDS(8));                                               \
    }                                                                                              \
    END_TEST
EACH_ROUTE(COMPARE)

START_TEST(every_end_and_every_rule_is_driven) {
    static const char *const texts[] = {
        "ended by way",    "ended by left_way", "ended by right_way",   "ended by turn",
        "ended by time",   "ended by line",     "ended by range_below", "ended by range_above",
        "ended by button", "ended by touch"};
    ck_assert_int_eq(CALL("drive tests/routes/ends.yaml"), 0);
    for (size_t i = 0; i < G_N_ELEMENTS(texts); i++) {
        ck_assert_msg(strstr(out, texts[i]) != NULL, "%s: %s", texts[i], out);
    }
    CALL("drive tests/routes/rules.yaml");
    ck_assert_ptr_nonnull(strstr(out, "twist, round 2"));
    ck_assert_ptr_nonnull(strstr(out, "rest: ended by time"));
    ck_assert_ptr_nonnull(strstr(out, "from_there"));
    ck_assert_ptr_nonnull(strstr(out, "no_line"));
}
END_TEST

START_TEST(generate_prints_or_writes_one_file) {
    ck_assert_int_eq(CALL("generate data/ferry/deck-run.yaml"), 0);
    char *printed = g_strdup(out);
    ck_assert_ptr_nonnull(strstr(printed, "#define CREEP (CRUISE / 3.0)\n"));
    ck_assert_ptr_nonnull(strstr(printed, ".beyond_mm = (float)(SENSORS_MM - TOOL_MM),\n"));
    ck_assert_ptr_nonnull(strstr(printed, "static bool lower_tool_action("));
    ck_assert_int_eq(CALL("generate data/ferry/deck-run.yaml --output %s/run.c"), 0);
    ck_assert_str_eq(out, "");
    char *path = in_folder("run.c");
    char *written;
    ck_assert(g_file_get_contents(path, &written, NULL, NULL));
    ck_assert_str_eq(written, printed);
    g_unlink(path);
    g_free(path);
    g_free(written);
    g_free(printed);
    ck_assert_int_eq(CALL("generate"), 2);
    ck_assert_int_eq(CALL("generate data/ferry/mozzo.yaml"), 2);
    ck_assert_int_eq(CALL("generate data/ferry/deck-run.yaml --output data/ferry/mozzo-yard.yaml"),
                     2);
    ck_assert_int_eq(CALL("generate data/ferry/first-round.yaml --robot data/ferry/fleet.yaml"), 2);
    ck_assert_ptr_nonnull(strstr(err, "is a fleet"));
}
END_TEST

#define AS_TEST(name, path) name##_as_c,
int main(void) {
    make_folder();
    const TTest *const tests[] = {EACH_ROUTE(AS_TEST) every_end_and_every_rule_is_driven,
                                  generate_prints_or_writes_one_file, NULL};
    int status = run_suite("generate", tests);
    remove_folder();
    return status;
}
