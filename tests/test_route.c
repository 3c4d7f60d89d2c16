// SPDX-License-Identifier: GPL-3.0-or-later
// Routes: on an ideal robot, whose wheels do at once as they are told.
#include "ideal.h"

#include <math.h>

static const cmo_advance_parameters far = {.distance_mm = 3000, .speed_mm_s = 300};
static const cmo_advance_parameters hop = {.distance_mm = 20, .speed_mm_s = 300};
static const cmo_turn_parameters spin = {.angle_deg = 720};
static const cmo_action_parameters nothing;

static bool at_once(cmo_robot *robot, void *context) {
    (void)robot;
    (void)context;
    return true;
}
static bool never(cmo_robot *robot, void *context) {
    (void)robot;
    (void)context;
    return false;
}
static const cmo_action_parameters brief = {.function = at_once};
static const cmo_action_parameters hangs = {.function = never, .longest_ms = 50};
static const cmo_action_parameters waits = {.function = never, .longest_ms = 60000};

// -------------------------------------------------------------------------------------- routes --

typedef union any_state {
    cmo_advance_state advance;
    cmo_turn_state turn;
    cmo_line_state line;
    cmo_action_state action;
} any_state;

static char visited[200];

static void note(void *context, cmo_robot *robot, uint8_t leg) {
    (void)context;
    (void)robot;
    size_t length = strlen(visited);
    if (length < sizeof visited - 1) {
        visited[length] = (char)('a' + leg);
        visited[length + 1] = '\0';
    }
}

// The legs that a route goes through, by letter.
static cmo_outcome go(ideal *r, cmo_route_state *state, const cmo_leg *leg, uint8_t legs,
                      const cmo_group *group, uint8_t groups) {
    static any_state room;
    static cmo_route_parameters route;
    route = (cmo_route_parameters){.leg = leg,
                                   .legs = legs,
                                   .room = &room,
                                   .room_size = sizeof room,
                                   .group = group,
                                   .groups = groups,
                                   .leg_over = note};
    visited[0] = '\0';
    return run_ideal(r, cmo_route_start(&r->robot, state, &route), 5000);
}

#define GO(r, state, legs) go(r, state, legs, G_N_ELEMENTS(legs), NULL, 0)
#define GO_IN_GROUPS(r, state, legs, all)                                                          \
    go(r, state, legs, G_N_ELEMENTS(legs), all, G_N_ELEMENTS(all))

START_TEST(legs_follow_each_other) {
    ideal r;
    cmo_route_state state;
    start_all(&r);
    const cmo_ends early = {.way_mm = 400};
    const cmo_leg legs[] = {{CMO_LEG(advance, &far), .ends = &early},
                            {CMO_LEG(action, &brief)},
                            {CMO_LEG(advance, &hop)}};
    ck_assert_int_eq(GO(&r, &state, legs), CMO_OUTCOME_DONE);
    ck_assert_str_eq(visited, "abc");
    ck_assert_double_eq_tol(r.left_mm, 420, 5);
    ck_assert(r.paper.halted);
    ck_assert_uint_eq(state.leg, 2);
    ck_assert_ptr_null(r.robot.overseer);
}
END_TEST

// What one leg has counted is not the next one's.
START_TEST(each_leg_counts_its_own_lines) {
    ideal r;
    cmo_route_state state;
    start_all(&r);
    r.line_mm = 600;
    const cmo_advance_parameters on = {.distance_mm = 300, .speed_mm_s = 300};
    const cmo_ends one = {.lines = 1};
    const cmo_leg legs[] = {{CMO_LEG(advance, &far), .ends = &one},
                            {CMO_LEG(advance, &on), .ends = &one}};
    ck_assert_int_eq(GO(&r, &state, legs), CMO_OUTCOME_DONE);
    ck_assert_int_eq(r.robot.report.by, CMO_BY_ITSELF);
    ck_assert_double_gt(r.left_mm, 820);
}
END_TEST

START_TEST(what_follows_on_an_outcome) {
    ideal r;
    cmo_route_state state;
    static const struct {
        cmo_follow rule;
        cmo_outcome outcome;
        const char *visited;
    } rules[] = {
        {{CMO_OUTCOME_NO_LINE, CMO_STOP, 0, 0}, CMO_OUTCOME_TIME_OVER, "ab"},
        {{CMO_OUTCOME_TIME_OVER, CMO_GO_ON, 0, 0}, CMO_OUTCOME_DONE, "abcd"},
        {{CMO_OUTCOME_TIME_OVER, CMO_STOP, 0, 0}, CMO_OUTCOME_TIME_OVER, "ab"},
        {{CMO_OUTCOME_TIME_OVER, CMO_FAIL, 0, 0}, CMO_OUTCOME_UNEXPECTED, "ab"},
        {{CMO_ON_OTHER, CMO_GO_TO, 3, 0}, CMO_OUTCOME_DONE, "abd"},
        {{CMO_ON_OTHER, CMO_AGAIN, 0, 2}, CMO_OUTCOME_TIME_OVER, "abbb"},
        {{CMO_ON_OTHER, CMO_GO_TO, 0, 2}, CMO_OUTCOME_TIME_OVER, "ababab"},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(rules); i++) {
        start_all(&r);
        const cmo_leg legs[] = {
            {CMO_LEG(advance, &hop)},
            {CMO_LEG(action, &hangs), .rules = 1, .follow = &rules[i].rule},
            {CMO_LEG(advance, &hop)},
            {CMO_LEG(action, &brief)},
        };
        ck_assert_int_eq(GO(&r, &state, legs), rules[i].outcome);
        ck_assert_str_eq(visited, rules[i].visited);
        ck_assert(r.paper.halted || r.paper.drives == 0);
    }
    // By an end, by another one, and by itself.
    const cmo_follow by[] = {{CMO_ON_BY(CMO_BY_TOUCH), CMO_GO_TO, 2, 0},
                             {CMO_ON_BY(CMO_BY_WAY), CMO_STOP, 0, 0},
                             {CMO_OUTCOME_DONE, CMO_FAIL, 0, 0}};
    const cmo_ends ends = {.way_mm = 300, .touch = 1};
    const cmo_leg expects[] = {{CMO_LEG(advance, &far), .ends = &ends, CMO_FOLLOW(by)},
                               {CMO_LEG(action, &brief)},
                               {CMO_LEG(action, &brief)}};
    start_all(&r);
    ck_assert_int_eq(GO(&r, &state, expects), CMO_OUTCOME_DONE);
    ck_assert_str_eq(visited, "a");
    start_all(&r);
    r.paper.sample.touch = 1;
    ck_assert_int_eq(GO(&r, &state, expects), CMO_OUTCOME_DONE);
    ck_assert_str_eq(visited, "ac");
    const cmo_leg itself[] = {{CMO_LEG(advance, &hop), .ends = &ends, CMO_FOLLOW(by)},
                              {CMO_LEG(action, &brief)},
                              {CMO_LEG(action, &brief)}};
    start_all(&r);
    ck_assert_int_eq(GO(&r, &state, itself), CMO_OUTCOME_UNEXPECTED);
    // What is used up is as if it were not there.
    const cmo_follow done[] = {{CMO_OUTCOME_DONE, CMO_AGAIN, 0, 3}};
    const cmo_leg tries[] = {{CMO_LEG(action, &brief), CMO_FOLLOW(done)},
                             {CMO_LEG(action, &brief)}};
    start_all(&r);
    ck_assert_int_eq(GO(&r, &state, tries), CMO_OUTCOME_DONE);
    ck_assert_str_eq(visited, "aaaab");
    const cmo_follow in_turn[] = {{CMO_OUTCOME_DONE, CMO_AGAIN, 0, 1},
                                  {CMO_OUTCOME_DONE, CMO_GO_TO, 0, 2},
                                  {CMO_OUTCOME_DONE, CMO_FAIL, 0, 0}};
    const cmo_leg turns[] = {{CMO_LEG(action, &brief)},
                             {CMO_LEG(action, &brief), CMO_FOLLOW(in_turn)}};
    start_all(&r);
    ck_assert_int_eq(GO(&r, &state, turns), CMO_OUTCOME_UNEXPECTED);
    ck_assert_str_eq(visited, "abbabbabb");
}
END_TEST

START_TEST(groups_come_round) {
    ideal r;
    cmo_route_state state;
    start_all(&r);
    const cmo_leg legs[] = {{CMO_LEG(action, &brief)},
                            {CMO_LEG(action, &brief)},
                            {CMO_LEG(action, &brief)},
                            {CMO_LEG(action, &brief)}};
    const cmo_group nested[] = {{.first = 1, .last = 2, .rounds = 2},
                                {.first = 0, .last = 2, .rounds = 3}};
    ck_assert_int_eq(GO_IN_GROUPS(&r, &state, legs, nested), CMO_OUTCOME_DONE);
    ck_assert_str_eq(visited, "abcbcabcbcabcbcd");
    const cmo_group same[] = {{.first = 1, .last = 1, .rounds = 2},
                              {.first = 1, .last = 1, .rounds = 2}};
    start_all(&r);
    ck_assert_int_eq(GO_IN_GROUPS(&r, &state, legs, same), CMO_OUTCOME_DONE);
    ck_assert_str_eq(visited, "abbbbcd");
    const cmo_group whole[] = {{.first = 0, .last = 3, .rounds = 2}};
    start_all(&r);
    ck_assert_int_eq(GO_IN_GROUPS(&r, &state, legs, whole), CMO_OUTCOME_DONE);
    ck_assert_str_eq(visited, "abcdabcd");
}
END_TEST

START_TEST(what_ends_a_group_goes_on_behind_it) {
    ideal r;
    cmo_route_state state;
    start_all(&r);
    const cmo_leg legs[] = {{CMO_LEG(action, &brief)},
                            {CMO_LEG(advance, &hop)},
                            {CMO_LEG(action, &waits)},
                            {CMO_LEG(action, &brief)}};
    const cmo_ends second = {.for_ms = 1000};
    const cmo_group until[] = {{.first = 0, .last = 1, .ends = &second},
                               {.first = 0, .last = 2, .ends = &second}};
    ck_assert_int_eq(GO_IN_GROUPS(&r, &state, legs, until), CMO_OUTCOME_DONE);
    ck_assert_msg(g_regex_match_simple("^(ab){2,}a?cd$", visited, 0, 0), "%s", visited);
    // Its end is the inner one's and not that of the leg, whose rules do not apply.
    const cmo_follow fails[] = {{CMO_ON_BY(CMO_BY_TIME), CMO_FAIL, 0, 0}};
    const cmo_leg ruled[] = {{CMO_LEG(action, &waits), CMO_FOLLOW(fails)},
                             {CMO_LEG(action, &brief)}};
    const cmo_group one[] = {{.first = 0, .last = 0, .ends = &second}};
    start_all(&r);
    ck_assert_int_eq(GO_IN_GROUPS(&r, &state, ruled, one), CMO_OUTCOME_DONE);
    ck_assert_str_eq(visited, "ab");
    // An outer one comes round, and the inner one's time starts anew.
    const cmo_group outer[] = {{.first = 0, .last = 0, .ends = &second},
                               {.first = 0, .last = 1, .rounds = 2}};
    start_all(&r);
    uint32_t from = r.paper.clock_us;
    ck_assert_int_eq(GO_IN_GROUPS(&r, &state, ruled, outer), CMO_OUTCOME_DONE);
    ck_assert_str_eq(visited, "abab");
    ck_assert_uint_gt(r.paper.clock_us - from, 2000000);
}
END_TEST

START_TEST(routes_without_an_end_or_sense_are_refused) {
    ideal r;
    cmo_route_state state;
    any_state room;
    const cmo_leg legs[] = {{CMO_LEG(action, &brief)}, {CMO_LEG(action, &brief)}};
    const cmo_ends way = {.way_mm = 100};
    const cmo_ends no_end = {.ending = CMO_END_MOVING};
    const cmo_leg bad[] = {{CMO_LEG(advance, &hop)}, {CMO_LEG(action, &nothing)}};
    const cmo_follow forever = {CMO_ON_OTHER, CMO_AGAIN, 0, 0};
    const cmo_follow back = {CMO_OUTCOME_DONE, CMO_GO_TO, 1, 0};
    const cmo_follow nowhere = {CMO_OUTCOME_DONE, CMO_GO_TO, 2, 0};
    const cmo_follow unknown = {CMO_OUTCOMES, CMO_STOP, 0, 0};
    const cmo_follow next = {CMO_OUTCOME_DONE, CMO_NEXTS, 0, 0};
    const cmo_follow into = {CMO_OUTCOME_DONE, CMO_GO_TO, 2, 0};
    const cmo_leg ruled[] = {
        {CMO_LEG(action, &brief), .rules = 1, .follow = &forever},
        {CMO_LEG(action, &brief), .rules = 1, .follow = &back},
        {CMO_LEG(action, &brief), .rules = 1, .follow = &nowhere},
        {CMO_LEG(action, &brief), .rules = 1, .follow = &unknown},
        {CMO_LEG(action, &brief), .rules = 1, .follow = &next},
    };
    const cmo_leg jumps[] = {{CMO_LEG(action, &brief), .rules = 1, .follow = &into},
                             {CMO_LEG(action, &brief)},
                             {CMO_LEG(action, &brief)}};
    const cmo_group endless[] = {{.first = 0, .last = 1}};
    const cmo_group ended[] = {{.first = 0, .last = 1, .ends = &no_end}};
    const cmo_group ways[] = {{.first = 0, .last = 1, .ends = &way}};
    const cmo_group beyond[] = {{.first = 0, .last = 2, .rounds = 2}};
    const cmo_group across[] = {{.first = 0, .last = 1, .rounds = 2},
                                {.first = 1, .last = 2, .rounds = 2}};
    const cmo_group outer_first[] = {{.first = 0, .last = 2, .rounds = 2},
                                     {.first = 1, .last = 2, .rounds = 2}};
    const cmo_group deep[] = {{.first = 0, .last = 0, .rounds = 2},
                              {.first = 0, .last = 1, .rounds = 2},
                              {.first = 0, .last = 2, .rounds = 2}};
    const cmo_group second[] = {{.first = 1, .last = 2, .rounds = 2}};
    const struct {
        cmo_route_parameters route;
        const char *field;
        uint8_t leg;
    } all[] = {
        {{CMO_LEGS(legs), .room = &room, .room_size = 4}, "room", 0},
        {{CMO_LEGS(bad), CMO_ROOM(room)}, "function", 1},
        {{.leg = legs, .legs = 0, CMO_ROOM(room)}, "legs", 0},
        {{.leg = &ruled[0], .legs = 1, CMO_ROOM(room)}, "times", 0},
        {{.leg = &ruled[0], .legs = 2, CMO_ROOM(room)}, "times", 0},
        {{.leg = &ruled[1], .legs = 1, CMO_ROOM(room)}, "go_to", 0},
        {{.leg = &ruled[2], .legs = 1, CMO_ROOM(room)}, "go_to", 0},
        {{.leg = &ruled[3], .legs = 1, CMO_ROOM(room)}, "on", 0},
        {{.leg = &ruled[4], .legs = 1, CMO_ROOM(room)}, "next", 0},
        {{CMO_LEGS(jumps), CMO_ROOM(room), CMO_GROUPS(second)}, "go_to", 0},
        {{CMO_LEGS(legs), CMO_ROOM(room), CMO_GROUPS(endless)}, "rounds", 0},
        {{CMO_LEGS(legs), CMO_ROOM(room), CMO_GROUPS(ended)}, "rounds", 0},
        {{CMO_LEGS(legs), CMO_ROOM(room), CMO_GROUPS(ways)}, "ends", 0},
        {{CMO_LEGS(legs), CMO_ROOM(room), CMO_GROUPS(beyond)}, "group", 0},
        {{.leg = &jumps[1], .legs = 2, CMO_ROOM(room), CMO_GROUPS(across)}, "group", 1},
        {{.leg = ruled, .legs = 0, CMO_ROOM(room), CMO_GROUPS(across)}, "legs", 0},
    };
    for (size_t i = 0; i < G_N_ELEMENTS(all); i++) {
        start_all(&r);
        ck_assert_int_eq(cmo_route_start(&r.robot, &state, &all[i].route),
                         CMO_OUTCOME_BAD_PARAMETER);
        ck_assert_str_eq(r.robot.field, all[i].field);
        ck_assert_uint_eq(state.leg, all[i].leg);
        ck_assert_ptr_null(r.robot.overseer);
        ck_assert_int_eq(turn(&r, 10000), CMO_OUTCOME_DONE);
        ck_assert_uint_eq(r.paper.drives, 0);
    }
    const cmo_leg three[] = {
        {CMO_LEG(action, &brief)}, {CMO_LEG(action, &brief)}, {CMO_LEG(action, &brief)}};
    const cmo_route_parameters grouped[] = {
        {CMO_LEGS(three), CMO_ROOM(room), CMO_GROUPS(across)},
        {CMO_LEGS(three), CMO_ROOM(room), CMO_GROUPS(outer_first)},
        {CMO_LEGS(three), CMO_ROOM(room), CMO_GROUPS(deep)}};
    static const char *const fields[] = {"group", "group", "groups"};
    for (size_t i = 0; i < G_N_ELEMENTS(grouped); i++) {
        start_all(&r);
        ck_assert_int_eq(cmo_route_start(&r.robot, &state, &grouped[i]), CMO_OUTCOME_BAD_PARAMETER);
        ck_assert_str_eq(r.robot.field, fields[i]);
    }
}
END_TEST

START_TEST(a_leg_that_is_refused_on_the_way_ends_the_run_halted) {
    ideal r;
    cmo_route_state state;
    start_all(&r);
    r.robot.light[0].levels.light = r.robot.light[0].levels.dark; // levels that tell nothing
    const cmo_line_parameters to_line = {.cruise_mm_s = 200};
    const cmo_leg legs[] = {
        {CMO_LEG(advance, &hop)}, {CMO_LEG(stop_on_line, &to_line)}, {CMO_LEG(action, &brief)}};
    ck_assert_int_eq(GO(&r, &state, legs), CMO_OUTCOME_LOW_CONTRAST);
    ck_assert_str_eq(visited, "ab");
    ck_assert_str_eq(r.robot.field, "levels");
    ck_assert(r.paper.halted);
    // And another leg can take its place.
    const cmo_follow rules[] = {{CMO_OUTCOME_LOW_CONTRAST, CMO_GO_ON, 0, 0}};
    const cmo_leg goes_on[] = {{CMO_LEG(stop_on_line, &to_line), CMO_FOLLOW(rules)},
                               {CMO_LEG(advance, &hop)}};
    ck_assert_int_eq(GO(&r, &state, goes_on), CMO_OUTCOME_DONE);
    ck_assert_str_eq(visited, "ab");
}
END_TEST

// Where a leg is refused, or ends at once by an end of its own, round after round, the group's ends
// are watched all the same.
START_TEST(a_group_whose_legs_end_at_once_has_its_end) {
    static const cmo_ends second = {.for_ms = 1000};
    static const cmo_ends touched = {.touch = 1};
    static const cmo_ends both = {.for_ms = 1000, .touch = 1};
    static const cmo_line_parameters to_line = {.cruise_mm_s = 200};
    static const cmo_follow rules[] = {{CMO_OUTCOME_LOW_CONTRAST, CMO_GO_ON, 0, 0}};
    static const cmo_follow fails[] = {{CMO_ON_BY(CMO_BY_TOUCH), CMO_FAIL, 0, 0}};
    const cmo_leg refused[] = {{CMO_LEG(stop_on_line, &to_line), CMO_FOLLOW(rules)},
                               {CMO_LEG(action, &brief)}};
    const cmo_leg ended[] = {{CMO_LEG(advance, &hop), .ends = &touched}, {CMO_LEG(action, &brief)}};
    const cmo_leg ruled[] = {{CMO_LEG(advance, &hop), .ends = &touched, CMO_FOLLOW(fails)},
                             {CMO_LEG(action, &brief)}};
    const struct {
        const cmo_leg *legs;
        const cmo_ends *ends;
        cmo_outcome outcome;
        const char *visited;
    } cases[] = {{refused, &second, CMO_OUTCOME_DONE, "^a{50,}b$"},
                 {refused, &touched, CMO_OUTCOME_DONE, "^ab$"},
                 {ended, &second, CMO_OUTCOME_DONE, "^a{2,}b$"},
                 {ended, &both, CMO_OUTCOME_DONE, "^ab$"},
                 // The leg's own end has come first, and its rules apply.
                 {ruled, &both, CMO_OUTCOME_UNEXPECTED, "^a$"}};
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        ideal r;
        cmo_route_state state;
        start_all(&r);
        r.robot.light[0].levels.light = r.robot.light[0].levels.dark;
        r.paper.sample.touch = 1;
        const cmo_group group = {.first = 0, .last = 0, .ends = cases[i].ends};
        uint32_t from = r.paper.clock_us;
        ck_assert_int_eq(go(&r, &state, cases[i].legs, 2, &group, 1), cases[i].outcome);
        ck_assert_msg(g_regex_match_simple(cases[i].visited, visited, 0, 0), "%zu: %s", i, visited);
        ck_assert_uint_lt(r.paper.clock_us - from, 1500000);
        ck_assert(r.paper.halted);
    }
}
END_TEST

START_TEST(a_fault_an_abort_or_the_stop_button_in_any_leg_leaves_the_motors_halted) {
    static const cmo_follow onward[] = {{CMO_ON_OTHER, CMO_GO_ON, 0, 0}};
    static const cmo_ends over = {.way_mm = 100, .ending = CMO_END_MOVING};
    static const cmo_leg legs[] = {{CMO_LEG(advance, &far), .ends = &over, CMO_FOLLOW(onward)},
                                   {CMO_LEG(turn, &spin), CMO_FOLLOW(onward)},
                                   {CMO_LEG(advance, &far), CMO_FOLLOW(onward)}};
    static any_state room;
    static const cmo_route_parameters route = {CMO_LEGS(legs), CMO_ROOM(room)};
    for (int at = 1; at < 800; at += 37) {
        for (int kind = 0; kind < 5; kind++) {
            ideal r;
            cmo_route_state state;
            start_all(&r);
            ck_assert_int_eq(cmo_route_start(&r.robot, &state, &route), CMO_RUNNING);
            cmo_outcome outcome = CMO_RUNNING;
            for (int i = 0; i < at && outcome == CMO_RUNNING; i++) {
                outcome = turn(&r, 10000);
            }
            ck_assert_int_eq(outcome, CMO_RUNNING);
            if (kind == 0) {
                cmo_abort(&r.robot);
            } else if (kind == 1) {
                r.paper.sample.stop = true;
            } else if (kind == 2) {
                cmo_halt_now(&r.robot, CMO_HALT_DEFAULT);
            } else if (kind == 3) {
                cmo_robot_set_run_limit(&r.robot, 1);
            } else {
                r.paper.drive_answer = CMO_FAILED; // each leg ends by it in turn
            }
            static const cmo_outcome expected[] = {CMO_OUTCOME_ABORTED, CMO_OUTCOME_STOPPED,
                                                   CMO_OUTCOME_ABORTED, CMO_OUTCOME_TIME_OVER,
                                                   CMO_OUTCOME_DONE};
            for (int i = 0; i < 20 && (i == 0 || outcome == CMO_RUNNING); i++) {
                outcome = turn(&r, 10000);
            }
            ck_assert_int_eq(outcome, expected[kind]);
            ck_assert(r.paper.halted);
            ck_assert_ptr_null(r.robot.overseer);
            ck_assert_ptr_null(r.robot.routine);
        }
    }
}
END_TEST

START_TEST(a_run_whose_last_leg_ends_moving_is_halted) {
    ideal r;
    cmo_route_state state;
    start_all(&r);
    const cmo_advance_parameters moving = {.distance_mm = 200, .ending = CMO_END_MOVING};
    const cmo_leg legs[] = {{CMO_LEG(advance, &moving)}};
    ck_assert_int_eq(GO(&r, &state, legs), CMO_OUTCOME_DONE);
    ck_assert(r.robot.report.motors_may_run);
    ck_assert_int_eq(turn(&r, 10000), CMO_OUTCOME_DONE);
    ck_assert(r.paper.halted);
    ck_assert(!r.robot.report.motors_may_run);
}
END_TEST

// Each goes over at speed, and what it comes beyond its end the next one makes good.
START_TEST(advances_that_go_over_add_up) {
    const cmo_advance_parameters over = {
        .distance_mm = 200, .speed_mm_s = 600, .ending = CMO_END_MOVING};
    const cmo_advance_parameters last = {.distance_mm = 200, .speed_mm_s = 600};
    const cmo_leg legs[] = {{CMO_LEG(advance, &over)},
                            {CMO_LEG(advance, &over)},
                            {CMO_LEG(advance, &over)},
                            {CMO_LEG(advance, &last)}};
    ideal r;
    cmo_route_state state;
    start_all(&r);
    ck_assert_int_eq(GO(&r, &state, legs), CMO_OUTCOME_DONE);
    ck_assert_double_eq_tol(r.left_mm, 800, 0.6);
    ck_assert_double_lt(r.paper.clock_us, 2.2e6); // 1.3 s at 600 mm/s, and no stop between
}
END_TEST

START_TEST(a_stated_line_sets_the_pose_and_the_next_moves_make_good) {
    ideal r;
    cmo_route_state state;
    start_all(&r);
    r.line_mm = 600;
    r.robot.odometer.pose.x_mm = 37.0F; // it believes to be elsewhere
    const cmo_line_parameters to_line = {.cruise_mm_s = 200, .rest = CMO_REST_NEAR_EDGE};
    const cmo_stated_line line = {1000.0F, 0.0F, 0.0F};
    const cmo_leg legs[] = {
        {CMO_LEG(stop_on_line, &to_line), CMO_PLACE(stop_on_line, &line)},
    };
    ck_assert_int_eq(GO(&r, &state, legs), CMO_OUTCOME_DONE);
    ck_assert_float_eq_tol(r.robot.odometer.pose.x_mm, 930.0F, 1.0F);
    ck_assert_float_eq_tol(state.left_over.ahead_mm, r.robot.report.figure[CMO_REST_ERROR_MM],
                           1e-6F);
    cmo_left_over left = {3.0F, -2.0F};
    cmo_advance_parameters on = {.distance_mm = 100};
    cmo_make_good(CMO_ROUTINE_ADVANCE, &on, &left);
    ck_assert_float_eq_tol(on.distance_mm, 97.0F, 1e-5F);
    cmo_turn_parameters round = {.angle_deg = -90};
    cmo_make_good(CMO_ROUTINE_TURN, &round, &left);
    ck_assert_float_eq_tol(round.angle_deg, -88.0F, 1e-5F);
    ck_assert_float_eq(left.turn_deg, 0.0F);
}
END_TEST

int main(void) {
    const TTest *const tests[] = {
        legs_follow_each_other,
        each_leg_counts_its_own_lines,
        what_follows_on_an_outcome,
        groups_come_round,
        what_ends_a_group_goes_on_behind_it,
        routes_without_an_end_or_sense_are_refused,
        a_leg_that_is_refused_on_the_way_ends_the_run_halted,
        a_group_whose_legs_end_at_once_has_its_end,
        a_fault_an_abort_or_the_stop_button_in_any_leg_leaves_the_motors_halted,
        a_run_whose_last_leg_ends_moving_is_halted,
        advances_that_go_over_add_up,
        a_stated_line_sets_the_pose_and_the_next_moves_make_good,
        NULL};
    return run_suite("route", tests);
}
