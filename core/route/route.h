// SPDX-License-Identifier: MIT
// What a route's run and its check share.
#ifndef CMI_ROUTE_H
#define CMI_ROUTE_H

#include <cammino/route.h>

// From where they stand, which may be flash.
static inline cmo_leg cmi_leg_of(const cmo_route_parameters *route, uint8_t number) {
    cmo_leg leg;
    CMO_READ_FLASH(&leg, &route->leg[number], sizeof leg);
    return leg;
}

static inline cmo_group cmi_group_of(const cmo_route_parameters *route, uint8_t number) {
    cmo_group group;
    CMO_READ_FLASH(&group, &route->group[number], sizeof group);
    return group;
}

static inline cmo_follow cmi_rule_of(const cmo_leg *leg, uint8_t number) {
    cmo_follow rule;
    CMO_READ_FLASH(&rule, &leg->follow[number], sizeof rule);
    return rule;
}

// Whether a group stands in another one. Of two with the same legs, the first one does.
bool cmi_group_within(const cmo_route_parameters *route, uint8_t inner, uint8_t outer);

static inline bool cmi_leg_within(const cmo_group *group, uint8_t leg) {
    return leg >= group->first && leg <= group->last;
}

// Whether the whole route makes sense on this robot. `state->leg` is where it does not.
cmo_outcome cmi_check_route(cmo_robot *robot, cmo_route_state *state);

#endif
