// SPDX-License-Identifier: MIT
/**
 * @file route.h
 * A route: legs that follow each other, each a routine with its parameters, with ends, groups, and
 * what follows on which outcome. It is constant and needs no strings. Legs, parameters, ends,
 * rules, groups and places stand where CMO_FLASH puts them: in flash where constants would take
 * RAM, and there nowhere else.
 *
 *     static const cmo_line_parameters to_line CMO_FLASH = {.cruise_mm_s = 400, .rest = ...};
 *     static const cmo_advance_parameters ahead CMO_FLASH = {.distance_mm = 600};
 *     static const cmo_ends near_crate CMO_FLASH = {.range_below_mm = 120};
 *     static const cmo_follow lost[] CMO_FLASH = {
 *         {.on = CMO_ON_OTHER, .next = CMO_AGAIN, .times = 2}};
 *     static const cmo_leg legs[] CMO_FLASH = {
 *         {CMO_LEG(stop_on_line, &to_line), CMO_FOLLOW(lost)},
 *         {CMO_LEG(advance, &ahead), .ends = &near_crate},
 *     };
 *     static union { cmo_line_state line; cmo_advance_state advance; } room;
 *     static const cmo_route_parameters round = {CMO_LEGS(legs), CMO_ROOM(room)};
 *
 *     cmo_route_state state;
 *     cmo_route(&robot, &state, &round);
 */
#ifndef CAMMINO_ROUTE_H
#define CAMMINO_ROUTE_H

#include <cammino/ends.h>
#include <cammino/routines.h>
#include <cammino/stated_line.h>

#include <string.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What follows, a row each: N(NAME, name, what it means). `again` and a `go_to` that leads back
 * are limited to a number of times; once that is used up, it is as if the rule were not there. */
// clang-format off
#define CMO_EACH_NEXT(N)                                                                            \
    N(GO_ON, go_on, "with the next leg")                                                            \
    N(AGAIN, again, "the same leg, up to so many times in a row")                                   \
    N(GO_TO, go_to, "another leg; back, up to so many times in the run")                            \
    N(STOP, stop, "the run ends, with the leg's outcome")                                           \
    N(FAIL, fail, "the run ends, as unexpected")
// clang-format on
#define CMO_NEXT_AS_ID(NAME, name, text) CMO_##NAME,

/** CMO_GO_ON... */
typedef enum cmo_next { CMO_EACH_NEXT(CMO_NEXT_AS_ID) CMO_NEXTS } cmo_next;

/** What a rule is for: a cmo_outcome, or these. */
#define CMO_ON_BY(by)                                                                              \
    (64 + (by))          /**< done, by an end of its own: CMO_ON_BY(CMO_BY_RANGE_BELOW)            \
                          */
#define CMO_ON_OTHER 255 /**< any outcome but done that no other rule names */

/** What follows on one outcome; of two rules for it the first that is not used up. Without one, the
 * next leg follows on done, by whatever end, and the run ends on anything else. An abort, the stop
 * button and the run's limit end it always. */
typedef struct cmo_follow {
    uint8_t on;    /**< cmo_outcome, CMO_ON_BY(...), CMO_ON_OTHER */
    uint8_t next;  /**< cmo_next */
    uint8_t leg;   /**< of CMO_GO_TO: its number, from 0; not into a group but to its first leg */
    uint8_t times; /**< 0: always */
} cmo_follow;

/** One leg: CMO_LEG(routine, &parameters), and what is stated besides. */
typedef struct cmo_leg {
    cmo_outcome (*start)(cmo_robot *robot, void *state, const void *parameters,
                         cmo_left_over *left_over);
    const void *parameters; /**< of the routine */
    uint16_t state_size;    /**< of the routine's state */
    uint8_t rules;          /**< how many in `follow` */
    const cmo_follow *follow;
    const cmo_ends *ends;         /**< NULL: none */
    const cmo_stated_line *place; /**< CMO_PLACE(routine, &place): where the line truly is. It sets
                                       the pose, and the next advance and turn make good what is
                                       left of this leg's errors */
    void (*take_place)(cmo_robot *robot, void *state, const cmo_stated_line *place,
                       cmo_left_over *left_over);
} cmo_leg;

#define CMO_LEG(routine, its_parameters)                                                           \
    .start = cmo_##routine##_leg, .parameters = (its_parameters),                                  \
    .state_size = sizeof(cmo_##routine##_state)
#define CMO_FOLLOW(its_rules)                                                                      \
    .rules = (uint8_t)(sizeof(its_rules) / sizeof *(its_rules)), .follow = (its_rules)
#define CMO_PLACE(routine, its_place) .place = (its_place), .take_place = cmo_##routine##_place

/** Legs that are repeated together. What ends a group ends the leg that runs, and goes on behind
 *  the group. */
typedef struct cmo_group {
    uint8_t first, last;  /**< its legs, from 0 */
    uint16_t rounds;      /**< 0: until its end */
    const cmo_ends *ends; /**< NULL: none. Its time counts over all rounds; no way and no turn */
} cmo_group;

typedef struct cmo_route_parameters {
    const cmo_leg *leg; /**< CMO_LEGS(legs) */
    uint8_t legs;       /**< 1..250 */
    void *room;         /**< CMO_ROOM(room): any leg's state in turn */
    uint16_t room_size;
    const cmo_group *group; /**< CMO_GROUPS(groups); a group before those that it stands in */
    uint8_t groups;
    /** Called when a leg is over, before the next one begins: robot->report is that leg's. May be
     *  NULL. */
    void (*leg_over)(void *context, cmo_robot *robot, uint8_t leg);
    void *context; /**< handed to it */
} cmo_route_parameters;

#define CMO_LEGS(its_legs)                                                                         \
    .leg = (its_legs), .legs = (uint8_t)(sizeof(its_legs) / sizeof *(its_legs))
#define CMO_GROUPS(its_groups)                                                                     \
    .group = (its_groups), .groups = (uint8_t)(sizeof(its_groups) / sizeof *(its_groups))
#define CMO_ROOM(its_room) .room = &(its_room), .room_size = sizeof(its_room)

/** One group as it stands; that of depth n in cmo_route_state::group[n]. */
typedef struct cmo_group_state {
    uint32_t since_ms; /**< run_ms at its start */
    uint16_t round;    /**< from 0 */
    cmo_ends_seen seen;
} cmo_group_state;

/** Worth reading: `leg`, the number of the one that runs or ran last, or was refused. */
typedef struct cmo_route_state {
    cmo_overseer overseer;
    cmo_routine own; /**< brings a leg to a stand, or ends one that was refused */
    const cmo_route_parameters *route;
    cmo_left_over left_over;
    cmo_group_state group[CMO_GROUPS_DEEP];
    uint8_t followed[CMO_COUNTED_RULES]; /**< how often, of rules with a number of times */
    uint8_t leg;
    uint8_t refused; /**< cmo_outcome of the leg that was not begun */
    uint8_t leaving; /**< the group whose end was met, from 1; 0: none */
    bool by_leg;     /**< and so had the leg by itself, or by an end of its own */
    cmo_ends_seen seen;
} cmo_route_state;

/**
 * Checks the whole route and begins its first leg; then tick, until cmo_tick() no longer answers
 * CMO_RUNNING. robot->report is that of the last leg, its outcome the run's.
 * @return CMO_RUNNING; or CMO_OUTCOME_BAD_PARAMETER or _NOT_SUPPORTED with robot->field and
 * state->leg set, and nothing moves
 */
cmo_outcome cmo_route_start(cmo_robot *robot, cmo_route_state *state,
                            const cmo_route_parameters *route);
cmo_outcome cmo_route(cmo_robot *robot, cmo_route_state *state, const cmo_route_parameters *route);

/** The depth of a group, from 0: in how many others it stands. */
uint8_t cmo_group_depth(const cmo_route_parameters *route, uint8_t group);

/** Takes what the leg before has left over out of this one's parameters: of an advance, of a turn;
 *  another routine sets the pose anew, or knows nothing of it. */
void cmo_make_good(cmo_routine_id routine, void *parameters, cmo_left_over *left_over);

/* What CMO_LEG() names: a routine that no leg names is not linked. */
#define CMO_LEG_OF(NAME, name, figures, text)                                                      \
    static inline cmo_outcome cmo_##name##_leg(cmo_robot *robot, void *state,                      \
                                               const void *parameters, cmo_left_over *left_over) { \
        cmo_##name##_parameters p;                                                                 \
        CMO_READ_FLASH(&p, parameters, sizeof p);                                                  \
        cmo_make_good(CMO_ROUTINE_##NAME, &p, left_over);                                          \
        return cmo_##name##_start(robot, (cmo_##name##_state *)state, &p);                         \
    }
CMO_EACH_ROUTINE(CMO_LEG_OF)

static inline void cmo_stop_on_line_place(cmo_robot *robot, void *state,
                                          const cmo_stated_line *place, cmo_left_over *left_over) {
    cmo_take_pose(robot, (const cmo_line_state *)state, place, left_over);
}

static inline void cmo_square_on_line_place(cmo_robot *robot, void *state,
                                            const cmo_stated_line *place,
                                            cmo_left_over *left_over) {
    cmo_take_pose(robot, &((const cmo_square_on_line_state *)state)->line, place, left_over);
}

static inline void cmo_follow_edge_place(cmo_robot *robot, void *state,
                                         const cmo_stated_line *place, cmo_left_over *left_over) {
    cmo_take_course(robot, (const cmo_follow_edge_state *)state, place, left_over);
}

static inline void cmo_count_lines_place(cmo_robot *robot, void *state,
                                         const cmo_stated_line *place, cmo_left_over *left_over) {
    const cmo_count_lines_state *counted = (const cmo_count_lines_state *)state;
    const cmo_counting *p = &counted->parameters;
    float way = cmo_counted_way_mm(p->spacing_mm, p->places_mm, p->places, counted->number);
    if (way >= 0.0F) { // else only the first one's place is known
        cmo_stated_line line = cmo_counted_place(place, way);
        cmo_take_pose(robot, &counted->line, &line, left_over);
    }
}

#ifdef __cplusplus
}
#endif

#endif
