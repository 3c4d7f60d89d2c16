// SPDX-License-Identifier: MIT
// Legs with actions of your own between them: to the line, a tool down over it, and off again; and
// a move that something else ends, called by itself.
#include "mozzo.h"

#include <stdio.h>

// A tool that a motor of its own lowers and lifts; here a number stands for it.
typedef struct tool {
    int place, goal;
} tool;

static bool move_tool(cmo_robot *robot, void *context) {
    tool *t = context;
    (void)robot;
    t->place += t->goal > t->place ? 1 : t->goal < t->place ? -1 : 0;
    return t->place == t->goal; // else it is called again, in the next tick
}

static tool arm;
static bool lower(cmo_robot *robot, void *context) {
    arm.goal = 40;
    return move_tool(robot, context);
}
static bool lift(cmo_robot *robot, void *context) {
    arm.goal = 0;
    return move_tool(robot, context);
}

static const cmo_line_parameters to_line CMO_FLASH = {.blind_mm = 250,
                                                      .cruise_mm_s = 400,
                                                      .creep_mm_s = 150,
                                                      .least_width_mm = 15,
                                                      .rest = CMO_REST_CENTRE,
                                                      .beyond_mm =
                                                          50}; // the tool is 20 mm before the axle
static const cmo_action_parameters down CMO_FLASH = {.function = lower, .context = &arm};
static const cmo_action_parameters up CMO_FLASH = {.function = lift, .context = &arm};
static const cmo_leg legs[] CMO_FLASH = {
    {CMO_LEG(stop_on_line, &to_line)}, {CMO_LEG(action, &down)}, {CMO_LEG(action, &up)}};

int main(void) {
    static union {
        cmo_stop_on_line_state line;
        cmo_action_state action;
    } room;
    const cmo_route_parameters route = {CMO_LEGS(legs), CMO_ROOM(room)};
    cmo_robot robot;
    cmo_route_state state;
    if (cmo_robot_start(&robot, &mozzo, mozzo_port()) != CMO_OUTCOME_DONE) {
        printf("the robot description is wrong: %s\n", robot.field);
        return 2;
    }
    cmo_robot_set_levels(&robot, 0, &mozzo_levels[0]);
    cmo_robot_set_levels(&robot, 1, &mozzo_levels[1]);
    cmo_outcome outcome = cmo_route(&robot, &state, &route);
    printf("run: %s, the tool is at %d\n", cmo_outcome_name(outcome), arm.place);
    if (outcome != CMO_OUTCOME_DONE) {
        return 1;
    }
    cmo_ends_state ends;
    cmo_end_on(&robot, &ends, &(cmo_ends){.way_mm = 300, .for_ms = 800});
    outcome = cmo_advance(&robot, &(cmo_advance_parameters){.distance_mm = 500, .speed_mm_s = 300});
    printf("advance: %s by %s after %.0f mm\n", cmo_outcome_name(outcome),
           cmo_by_name((cmo_by)robot.report.by), (double)robot.report.figure[CMO_TRAVELLED_MM]);
    return outcome == CMO_OUTCOME_DONE ? 0 : 1;
}
