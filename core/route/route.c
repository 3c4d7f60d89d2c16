// SPDX-License-Identifier: MIT
// A route's run: which leg runs, what may end it, and what follows.
#include "route.h"

#include "../shared/routine.h"
#include "ends.h"

#include <math.h>

#define NO_GROUP 255U

void cmo_make_good(cmo_routine_id routine, void *parameters, cmo_left_over *left_over) {
    const float least = 0.01F; // a move by nothing is refused
    if (routine == CMO_ROUTINE_ADVANCE) {
        float *distance = &((cmo_advance_parameters *)parameters)->distance_mm;
        float sign = *distance < 0.0F ? -1.0F : 1.0F;
        *distance = sign * fmaxf(fabsf(*distance) - sign * left_over->ahead_mm, least);
        left_over->ahead_mm = 0.0F;
    } else if (routine == CMO_ROUTINE_TURN) {
        float *angle = &((cmo_turn_parameters *)parameters)->angle_deg;
        float sign = *angle < 0.0F ? -1.0F : 1.0F;
        *angle = sign * fmaxf(fabsf(*angle) - sign * left_over->turn_deg, least);
        *left_over = (cmo_left_over){0.0F, 0.0F};
    } else if (routine != CMO_ROUTINE_ACTION && routine != CMO_ROUTINE_COUNTDOWN) {
        *left_over = (cmo_left_over){0.0F, 0.0F};
    }
}

// ------------------------------------------------------------------------------ to begin a leg --

// A leg that cannot begin ends in its first tick.
static void end_refused(cmo_robot *robot, cmo_routine *routine) {
    const cmo_route_state *state = (const cmo_route_state *)robot->overseer;
    (void)routine;
    cmi_end(robot, (cmo_outcome)state->refused);
}

static cmo_outcome start_leg(cmo_robot *robot, cmo_route_state *state, const cmo_leg *leg) {
    if (leg->ends != NULL) {
        cmo_ends ends;
        CMO_READ_FLASH(&ends, leg->ends, sizeof ends);
        cmo_outcome outcome = cmi_check_ends(robot, &ends);
        if (outcome != CMO_OUTCOME_DONE) {
            return outcome;
        }
    }
    return leg->start(robot, state->route->room, leg->parameters, &state->left_over);
}

static void begin_leg(cmo_robot *robot, cmo_route_state *state, uint8_t number) {
    state->leg = number;
    state->seen = (cmo_ends_seen){0};
    state->leaving = 0;
    state->by_leg = false;
    cmi_notify(robot, CMO_EVENT_LEG, number);
    cmo_leg leg = cmi_leg_of(state->route, number);
    cmo_outcome outcome = start_leg(robot, state, &leg);
    if (outcome != CMO_RUNNING) {
        const char *field = robot->field;
        float limit = robot->limit;
        state->refused = (uint8_t)outcome;
        cmi_begin(robot, &state->own, end_refused, CMO_ROUTINE_NONE, CMO_NO_END);
        cmi_refuse(robot, outcome, field, limit);
    }
}

// A leg is come to from another one: the groups that this enters start anew, and so do those in the
// group that has come round (NO_GROUP: none).
static void enter(cmo_robot *robot, cmo_route_state *state, uint8_t from, uint8_t to,
                  uint8_t round) {
    const cmo_route_parameters *route = state->route;
    for (uint8_t i = 0; i < route->groups; i++) {
        cmo_group group = cmi_group_of(route, i);
        bool stays = cmi_leg_within(&group, from) &&
                     (round == NO_GROUP || !cmi_group_within(route, i, round));
        if (cmi_leg_within(&group, to) && !stays) {
            state->group[cmo_group_depth(route, i)] = (cmo_group_state){.since_ms = robot->run_ms};
        }
    }
    begin_leg(robot, state, to);
}

// ------------------------------------------------------------------------------- what follows --

static void finish(cmo_robot *robot, cmo_outcome outcome) {
    robot->report.outcome = (uint8_t)outcome;
    cmi_oversee(robot, NULL);
    if (robot->halt == 0) { // nothing follows on what still moves
        cmi_request_halt(robot, CMO_HALT_DEFAULT);
        robot->report.motors_may_run = true;
    }
}

// On from a leg or, from the inside out, from the groups that end with it. Those up to the one that
// is left (NO_GROUP: none) do not come round again.
static void go_on(cmo_robot *robot, cmo_route_state *state, uint8_t left) {
    const cmo_route_parameters *route = state->route;
    uint8_t from = state->leg;
    uint8_t last = left == NO_GROUP ? from : cmi_group_of(route, left).last;
    for (uint8_t i = 0; i < route->groups; i++) {
        cmo_group group = cmi_group_of(route, i);
        bool over = left != NO_GROUP && (i == left || cmi_group_within(route, i, left));
        if (group.last != last || !cmi_leg_within(&group, from) || over) {
            continue;
        }
        cmo_group_state *at = &state->group[cmo_group_depth(route, i)];
        at->round++;
        if (group.rounds == 0 || at->round < group.rounds) {
            enter(robot, state, from, group.first, i);
            return;
        }
    }
    if (last + 1 < route->legs) {
        enter(robot, state, from, (uint8_t)(last + 1), NO_GROUP);
    } else {
        finish(robot, CMO_OUTCOME_DONE);
    }
}

// Which of the route's rules with a number of times this one is.
static uint8_t *times_followed(cmo_route_state *state, uint8_t leg_number, uint8_t rule_number) {
    uint8_t counted = 0;
    for (uint8_t i = 0; i <= leg_number; i++) {
        cmo_leg leg = cmi_leg_of(state->route, i);
        uint8_t rules = i == leg_number ? rule_number : leg.rules;
        for (uint8_t n = 0; n < rules; n++) {
            counted = (uint8_t)(counted + (cmi_rule_of(&leg, n).times != 0 ? 1 : 0));
        }
    }
    return &state->followed[counted];
}

// The leg is left: what it has tried in a row is over.
static void forget_tries(cmo_route_state *state, const cmo_leg *leg) {
    for (uint8_t i = 0; i < leg->rules; i++) {
        cmo_follow rule = cmi_rule_of(leg, i);
        if (rule.next == CMO_AGAIN) {
            *times_followed(state, state->leg, i) = 0;
        }
    }
}

// Whether a rule's times are used up: then it is as if it were not there.
static bool is_used_up(cmo_route_state *state, uint8_t number, const cmo_follow *rule) {
    return rule->times != 0 && *times_followed(state, state->leg, number) >= rule->times;
}

// The rule for how the leg has ended, the first that names it, else the first for all that is like
// it; leg->rules: there is none.
static uint8_t find_rule(cmo_route_state *state, const cmo_leg *leg, const cmo_report *report) {
    bool done = report->outcome == CMO_OUTCOME_DONE;
    bool by = done && report->by != CMO_BY_ITSELF;
    const uint8_t names[2] = {(uint8_t)(by ? CMO_ON_BY(report->by) : report->outcome),
                              (uint8_t)(done ? CMO_OUTCOME_DONE : CMO_ON_OTHER)};
    for (uint8_t n = 0; n < 2; n++) {
        for (uint8_t i = 0; i < leg->rules; i++) {
            cmo_follow rule = cmi_rule_of(leg, i);
            if (rule.on == names[n] && !is_used_up(state, i, &rule)) {
                return i;
            }
        }
    }
    return leg->rules;
}

static void follow(cmo_robot *robot, cmo_route_state *state, const cmo_leg *leg) {
    cmo_outcome outcome = (cmo_outcome)robot->report.outcome;
    uint8_t number = find_rule(state, leg, &robot->report);
    cmo_follow rule = {.next = outcome == CMO_OUTCOME_DONE ? CMO_GO_ON : CMO_STOP};
    if (number < leg->rules) {
        rule = cmi_rule_of(leg, number);
        if (rule.times != 0) {
            ++*times_followed(state, state->leg, number);
        }
    }
    if (rule.next == CMO_AGAIN) {
        begin_leg(robot, state, state->leg);
        return;
    }
    forget_tries(state, leg);
    switch (rule.next) {
    case CMO_GO_ON:
        go_on(robot, state, state->leaving != 0 ? (uint8_t)(state->leaving - 1U) : NO_GROUP);
        break;
    case CMO_GO_TO:
        enter(robot, state, state->leg, rule.leg, NO_GROUP);
        break;
    default:
        finish(robot, rule.next == CMO_FAIL ? CMO_OUTCOME_UNEXPECTED : outcome);
    }
}

// ------------------------------------------------------------------------------ tick by tick --

// One end; true: it is met, and ends the leg.
static bool check_end(cmo_robot *robot, cmo_route_state *state, const cmo_ends *at,
                      cmo_ends_seen *seen, uint32_t time_ms, bool ways) {
    cmo_ends ends;
    CMO_READ_FLASH(&ends, at, sizeof ends);
    cmo_by by = cmi_end_met(robot, &ends, seen, time_ms, ways);
    if (by != CMO_BY_ITSELF && robot->routine != NULL) {
        cmi_end_by(robot, &ends, by, &state->own);
    }
    return by != CMO_BY_ITSELF || robot->routine == NULL;
}

// The same where something else has ended the leg.
static bool see_end(cmo_robot *robot, const cmo_ends *at, cmo_ends_seen *seen, uint32_t time_ms) {
    cmo_ends ends;
    CMO_READ_FLASH(&ends, at, sizeof ends);
    ends.lines = 0; // no sensor is watched, and where it stands does not count later
    bool begun = seen->begun;
    cmo_by by = cmi_end_met(robot, &ends, seen, time_ms, false);
    seen->begun = begun;
    return by != CMO_BY_ITSELF;
}

// A group's ends count also where a leg ends in this tick by its own ones, or by a fault, or is
// refused: where all of its legs do so at once, and are to be gone on from, nothing else would ever
// end it.
static void watch(cmo_robot *robot, cmo_overseer *overseer, bool faulty) {
    cmo_route_state *state = (cmo_route_state *)overseer;
    const cmo_route_parameters *route = state->route;
    bool own = robot->routine == &state->own;
    if (own && robot->report.by != CMO_BY_ITSELF) { // it comes to a stand
        return;
    }
    cmo_leg leg = cmi_leg_of(route, state->leg);
    state->by_leg = faulty || own ||
                    (leg.ends != NULL &&
                     check_end(robot, state, leg.ends, &state->seen, robot->elapsed_ms, true));
    for (uint8_t i = 0; i < route->groups; i++) {
        cmo_group group = cmi_group_of(route, i);
        if (group.ends == NULL || !cmi_leg_within(&group, state->leg)) {
            continue;
        }
        cmo_group_state *at = &state->group[cmo_group_depth(route, i)];
        uint32_t time_ms = robot->run_ms - at->since_ms;
        if (state->by_leg ? see_end(robot, group.ends, &at->seen, time_ms)
                          : check_end(robot, state, group.ends, &at->seen, time_ms, false)) {
            state->leaving = (uint8_t)(i + 1U);
            return;
        }
    }
}

// An advance that goes over into the next leg has come a little further than it was to, by up to a
// tick's way, and by another one until the next leg's first step; which the next one makes good.
static void note_beyond(const cmo_robot *robot, cmo_route_state *state) {
    const cmo_report *report = &robot->report;
    bool moving = report->outcome == CMO_OUTCOME_DONE && robot->halt == 0;
    if (moving && report->routine == CMO_ROUTINE_ADVANCE && report->by == CMO_BY_ITSELF) {
        float beyond = cmo_figure_or(report, CMO_OVERSHOOT_MM, 0.0F);
        bool back = cmo_figure_or(report, CMO_TRAVELLED_MM, 0.0F) < 0.0F;
        float tick_mm = cmo_speed_mm_s(robot) * 1e-6F * (float)robot->description->tick_us;
        state->left_over.ahead_mm += (back ? -beyond : beyond) + tick_mm;
    }
}

static void over(cmo_robot *robot, cmo_overseer *overseer) {
    cmo_route_state *state = (cmo_route_state *)overseer;
    const cmo_route_parameters *route = state->route;
    cmo_leg leg = cmi_leg_of(route, state->leg);
    note_beyond(robot, state);
    if (leg.place != NULL && leg.take_place != NULL) {
        cmo_stated_line place;
        CMO_READ_FLASH(&place, leg.place, sizeof place);
        leg.take_place(robot, route->room, &place, &state->left_over);
    }
    if (route->leg_over != NULL) {
        route->leg_over(route->context, robot, state->leg);
    }
    cmo_outcome outcome = (cmo_outcome)robot->report.outcome;
    bool run_over = outcome == CMO_OUTCOME_TIME_OVER && robot->run_limit_ms != 0 &&
                    robot->run_ms >= robot->run_limit_ms;
    if (outcome == CMO_OUTCOME_ABORTED || outcome == CMO_OUTCOME_STOPPED || run_over) {
        finish(robot, outcome);
    } else if (outcome == CMO_OUTCOME_DONE && state->leaving != 0 && !state->by_leg) {
        forget_tries(state, &leg);
        go_on(robot, state, (uint8_t)(state->leaving - 1U));
    } else {
        follow(robot, state, &leg);
    }
}

cmo_outcome cmo_route_start(cmo_robot *robot, cmo_route_state *state,
                            const cmo_route_parameters *route) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    *state = (cmo_route_state){.overseer = {watch, over}, .route = route};
    cmo_outcome outcome = cmi_check_route(robot, state);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    cmi_oversee(robot, &state->overseer);
    state->leg = 0;
    for (uint8_t i = 0; i < route->groups; i++) {
        state->group[cmo_group_depth(route, i)].since_ms = robot->run_ms;
    }
    begin_leg(robot, state, 0);
    return CMO_RUNNING;
}

cmo_outcome cmo_route(cmo_robot *robot, cmo_route_state *state, const cmo_route_parameters *route) {
    cmo_outcome outcome = cmo_route_start(robot, state, route);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
