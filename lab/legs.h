// SPDX-License-Identifier: GPL-3.0-or-later
// The legs of a route file, made from the lists that describe the routines' parameters.
#ifndef LAB_LEGS_H
#define LAB_LEGS_H

#include "sections.h"
#include "yaml_reader.h"

#include <cammino/routines.h>
#include <cammino_lab/files.h>

typedef struct staged_band {
    double low, high;
} staged_band;

typedef struct staged_start {
    double x_mm, y_mm, heading_deg;
} staged_start;

// A row as what the reader fills in first: a number, NAN where nothing was given.
#define STAGE(X, type, ...)        STAGE_##type(__VA_ARGS__)
#define STAGE_NUMBER(name, ...)    double name;
#define STAGE_OTHERWISE            STAGE_NUMBER
#define STAGE_SIGNED               STAGE_NUMBER
#define STAGE_SPEED                STAGE_NUMBER
#define STAGE_RATE                 STAGE_NUMBER
#define STAGE_WIDTH                STAGE_NUMBER
#define STAGE_FLAG                 STAGE_NUMBER
#define STAGE_BITS                 STAGE_NUMBER
#define STAGE_HALT                 STAGE_NUMBER
#define STAGE_TIME                 STAGE_NUMBER
#define STAGE_WHOLE(of, name, ...) double name;
#define STAGE_COUNT                STAGE_WHOLE
#define STAGE_CHOICE               STAGE_WHOLE
#define STAGE_BAND(name, ...)      staged_band name;
#define STAGE_SURFACE(name, ...)   char *name;
#define STAGE_PLACE(name, ...)     staged_start name;
#define STAGE_PLACES(name, ...)    lab_numbers name;

// A leg that a program's own function does: the same list as a routine's.
// clang-format off
#define CMO_ACTION_PARAMETERS(P, X)                                                                 \
    P(X, TIME, takes_ms, takes_s, 0, "0", "what it takes on the bench, where it does nothing else") \
    P(X, TIME, longest_ms, longest_s, 0.01, "10", "give up after this time")
// clang-format on
#define LABI_EACH_LEG(R)                                                                           \
    CMO_EACH_LEG(R)                                                                                \
    R(ACTION, action, 0,                                                                           \
      "What your program does by itself between two routines: it lowers a tool, waits. The bench " \
      "waits in its place.")

#define STAGED_LEG(NAME, name, figures, text)                                                      \
    struct {                                                                                       \
        CMO_##NAME##_PARAMETERS(STAGE, )                                                           \
    } name;
typedef struct staged_ends {
    CMO_ENDS_PARAMETERS(STAGE, )
} staged_ends;
typedef struct staged_leg {
    LABI_EACH_LEG(STAGED_LEG)
    // And what stands beside the routine, or in its place.
    char *name, *include;
    staged_ends ends;
    struct {
        double rounds;
    } group;
} staged_leg;

// What follows on one outcome.
typedef struct staged_rule {
    char *go_to;
    double again, times;
} staged_rule;

extern const lab_section labi_leg_section;

// Sections of the legs and of what stands in them, in the order of the documentation; ends with
// NULL.
extern const lab_section *const labi_leg_sections[];

extern const lab_section labi_rule_section;

// Whether a key of a leg names its routine.
bool labi_is_routine(const char *name);

// From what was read of the leg with this name to its routine and parameters; and of its ends.
void labi_leg_finish(lab_leg *leg, const char *name, const staged_leg *staged);
// The name of the surface that they look for is to be freed with g_free(); NULL: none.
cmo_ends labi_ends_finish(const staged_ends *staged, char **surface);

// Reads a list of legs into a route: groups, names and what follows too.
bool labi_read_legs(yaml_reader *reader, const yaml_node_t *list, lab_route *route);

// Any leg's state: one object serves all.
#define STATE_OF_LEG(NAME, name, figures, text) cmo_##name##_state name;
typedef union labi_leg_state {
    LABI_EACH_LEG(STATE_OF_LEG)
} labi_leg_state;

// A route as core takes it.
typedef struct labi_legs {
    cmo_leg leg[LAB_LEGS_MAX];
    cmo_group group[LAB_GROUPS_MAX];
    cmo_action_parameters action[LAB_LEGS_MAX];
    cmo_advance_parameters over[LAB_LEGS_MAX];       // those that slow down for what follows
    cmo_count_lines_parameters counts[LAB_LEGS_MAX]; // those that know where the lines are
    labi_leg_state room;
    cmo_route_parameters route;
} labi_legs;

// The legs of a route for core; `route` must stay where it is as long.
void labi_legs_make(labi_legs *legs, const lab_route *route);

// The fastest that a leg may be entered at, and the speed that it ends at where nothing slows it;
// and what an advance goes over into the next leg at, 0: as it is, or it does not.
double labi_entry_speed(const lab_route *route, unsigned number);
double labi_end_speed(const lab_route *route, unsigned number);
float labi_over_speed(const lab_route *route, unsigned number);

// Gives a robot the levels that its file has.
void labi_set_levels(cmo_robot *robot, const lab_robot *described);

// Figures that apply to a leg (bit n: figure n); what a report lacks of them could not be measured.
uint32_t labi_leg_figures(const lab_leg *leg);

#endif
