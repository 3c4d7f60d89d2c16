// SPDX-License-Identifier: MIT
// Whether a route makes sense as a whole, before it moves: so that none of it is without an end.
#include "route.h"

#include "../shared/routine.h"
#include "ends.h"

#include <math.h>
#include <stddef.h>

bool cmi_group_within(const cmo_route_parameters *route, uint8_t inner, uint8_t outer) {
    cmo_group in = cmi_group_of(route, inner);
    cmo_group out = cmi_group_of(route, outer);
    bool same = in.first == out.first && in.last == out.last;
    return inner != outer && in.first >= out.first && in.last <= out.last &&
           (!same || inner < outer);
}

uint8_t cmo_group_depth(const cmo_route_parameters *route, uint8_t group) {
    uint8_t depth = 0;
    for (uint8_t other = 0; other < route->groups; other++) {
        depth = (uint8_t)(depth + (cmi_group_within(route, group, other) ? 1 : 0));
    }
    return depth;
}

static cmo_outcome wrong(cmo_robot *robot, const char *field, float limit) {
    return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, field, limit);
}

// What hangs on levels may yet be: a leg before may take them.
static bool is_refused(cmo_outcome outcome) {
    return outcome == CMO_OUTCOME_BAD_PARAMETER || outcome == CMO_OUTCOME_NOT_SUPPORTED;
}

// --------------------------------------------------------------------------------------- groups --

// Each stands in the others whole or not at all, not too deep, and has an end.
static cmo_outcome check_group(cmo_robot *robot, const cmo_route_parameters *route,
                               uint8_t number) {
    cmo_group group = cmi_group_of(route, number);
    if (group.first > group.last || group.last >= route->legs) {
        return wrong(robot, "group", NAN);
    }
    for (uint8_t i = 0; i < number; i++) {
        cmo_group before = cmi_group_of(route, i);
        bool apart = before.last < group.first || before.first > group.last;
        if (!apart && !cmi_group_within(route, i, number)) {
            return wrong(robot, "group", NAN);
        }
    }
    if (cmo_group_depth(route, number) >= CMO_GROUPS_DEEP) {
        return wrong(robot, "groups", (float)CMO_GROUPS_DEEP);
    }
    cmo_ends ends = {0};
    if (group.ends != NULL) {
        CMO_READ_FLASH(&ends, group.ends, sizeof ends);
        cmo_outcome outcome = cmi_check_ends(robot, &ends);
        if (is_refused(outcome)) {
            return outcome;
        }
    }
    if (group.rounds == 0 && !cmi_any_end(&ends)) {
        return wrong(robot, "rounds", 1.0F);
    }
    return cmi_any_way(&ends) ? wrong(robot, "ends", NAN) : CMO_OUTCOME_DONE;
}

// ----------------------------------------------------------------------------------------- legs --

// A group is entered by its first leg.
static bool leads_into(const cmo_route_parameters *route, uint8_t from, uint8_t to) {
    for (uint8_t i = 0; i < route->groups; i++) {
        cmo_group group = cmi_group_of(route, i);
        if (cmi_leg_within(&group, to) && !cmi_leg_within(&group, from) && to != group.first) {
            return true;
        }
    }
    return false;
}

static cmo_outcome check_rule(cmo_robot *robot, const cmo_route_parameters *route, uint8_t from,
                              const cmo_follow *rule) {
    bool by = rule->on >= CMO_ON_BY(1) && rule->on < CMO_ON_BY(CMO_BYS);
    if ((rule->on == 0 || rule->on >= CMO_OUTCOMES) && !by && rule->on != CMO_ON_OTHER) {
        return wrong(robot, "on", NAN);
    }
    if (rule->next >= CMO_NEXTS) {
        return wrong(robot, "next", NAN);
    }
    if (rule->next == CMO_GO_TO &&
        (rule->leg >= route->legs || leads_into(route, from, rule->leg))) {
        return wrong(robot, "go_to", NAN);
    }
    bool back = rule->next == CMO_AGAIN || (rule->next == CMO_GO_TO && rule->leg <= from);
    return back && rule->times == 0 ? wrong(robot, "times", 1.0F) : CMO_OUTCOME_DONE;
}

static cmo_outcome check_rules(cmo_robot *robot, const cmo_route_parameters *route, uint8_t from,
                               const cmo_leg *leg, uint8_t *counted) {
    for (uint8_t i = 0; i < leg->rules; i++) {
        cmo_follow rule = cmi_rule_of(leg, i);
        cmo_outcome outcome = check_rule(robot, route, from, &rule);
        if (outcome != CMO_OUTCOME_DONE) {
            return outcome;
        }
        *counted = (uint8_t)(*counted + (rule.times != 0 ? 1 : 0));
        if (*counted > CMO_COUNTED_RULES) {
            return wrong(robot, "follow", (float)CMO_COUNTED_RULES);
        }
    }
    return CMO_OUTCOME_DONE;
}

static cmo_outcome check_leg(cmo_robot *robot, cmo_route_state *state, const cmo_leg *leg) {
    if (leg->start == NULL || leg->parameters == NULL) {
        return wrong(robot, "leg", NAN);
    }
    if (leg->state_size > state->route->room_size) {
        return wrong(robot, "room", (float)leg->state_size);
    }
    if (leg->ends != NULL) {
        cmo_ends ends;
        CMO_READ_FLASH(&ends, leg->ends, sizeof ends);
        cmo_outcome outcome = cmi_check_ends(robot, &ends);
        if (is_refused(outcome)) {
            return outcome;
        }
    }
    cmi_try(robot, true);
    cmo_left_over none = {0.0F, 0.0F};
    cmo_outcome outcome = leg->start(robot, state->route->room, leg->parameters, &none);
    cmi_try(robot, false);
    return is_refused(outcome) ? outcome : CMO_OUTCOME_DONE;
}

cmo_outcome cmi_check_route(cmo_robot *robot, cmo_route_state *state) {
    const cmo_route_parameters *route = state->route;
    state->leg = 0;
    if (route->leg == NULL || route->legs == 0 || route->legs > 250 || route->room == NULL) {
        return wrong(robot, "legs", NAN);
    }
    uint8_t counted = 0;
    for (; state->leg < route->legs; state->leg++) {
        cmo_leg leg = cmi_leg_of(route, state->leg);
        cmo_outcome outcome = check_leg(robot, state, &leg);
        if (outcome == CMO_OUTCOME_DONE) {
            outcome = check_rules(robot, route, state->leg, &leg, &counted);
        }
        if (outcome != CMO_OUTCOME_DONE) {
            return outcome;
        }
    }
    for (uint8_t i = 0; i < route->groups; i++) {
        cmo_group group = cmi_group_of(route, i);
        state->leg = group.first;
        cmo_outcome outcome = check_group(robot, route, i);
        if (outcome != CMO_OUTCOME_DONE) {
            return outcome;
        }
    }
    return CMO_OUTCOME_DONE;
}
