// SPDX-License-Identifier: MIT
// A run as legs: a constant table that says what follows on what. To the first cross line, searched
// for twice if it must be; twice 60 mm on and back; and up to the lane edge.
#include "mozzo.h"

#include <stdio.h>

static const cmo_line_parameters to_line CMO_FLASH = {.blind_mm = 250,
                                                      .cruise_mm_s = 400,
                                                      .creep_mm_s = 150,
                                                      .least_width_mm = 15,
                                                      .rest = CMO_REST_NEAR_EDGE};
static const cmo_follow again[] CMO_FLASH = {
    {.on = CMO_OUTCOME_NO_LINE, .next = CMO_AGAIN, .times = 1}};
static const cmo_advance_parameters forth CMO_FLASH = {.distance_mm = 60};
static const cmo_advance_parameters back CMO_FLASH = {.distance_mm = -60};
static const cmo_turn_parameters to_lane CMO_FLASH = {.angle_deg = 90};
static const cmo_advance_parameters far CMO_FLASH = {.distance_mm = 800, .speed_mm_s = 250};
static const cmo_ends lane_edge CMO_FLASH = {.lines = 1}; // on its near edge it brakes
static const cmo_follow must[] CMO_FLASH = {{.on = CMO_ON_BY(CMO_BY_LINE), .next = CMO_GO_ON},
                                            {.on = CMO_OUTCOME_DONE, .next = CMO_FAIL}};

static const cmo_leg legs[] CMO_FLASH = {
    {CMO_LEG(stop_on_line, &to_line), CMO_FOLLOW(again)},
    {CMO_LEG(advance, &forth)},
    {CMO_LEG(advance, &back)},
    {CMO_LEG(turn, &to_lane)},
    {CMO_LEG(advance, &far), .ends = &lane_edge, CMO_FOLLOW(must)},
};
static const cmo_group groups[] CMO_FLASH = {{.first = 1, .last = 2, .rounds = 2}};

static void tell(void *context, cmo_robot *robot, uint8_t leg) {
    (void)context;
    printf("leg %d, %s: %s", leg + 1, cmo_routine_name((cmo_routine_id)robot->report.routine),
           cmo_outcome_name((cmo_outcome)robot->report.outcome));
    printf(robot->report.by != CMO_BY_ITSELF ? " by %s\n" : "\n",
           cmo_by_name((cmo_by)robot->report.by));
}

int main(void) {
    static union {
        cmo_stop_on_line_state line;
        cmo_advance_state advance;
    } room;
    const cmo_route_parameters route = {CMO_LEGS(legs), CMO_ROOM(room), CMO_GROUPS(groups),
                                        .leg_over = tell};
    cmo_robot robot;
    cmo_route_state state;
    if (cmo_robot_start(&robot, &mozzo, mozzo_port()) != CMO_OUTCOME_DONE) {
        printf("the robot description is wrong: %s\n", robot.field);
        return 2;
    }
    cmo_robot_set_levels(&robot, 0, &mozzo_levels[0]);
    cmo_robot_set_levels(&robot, 1, &mozzo_levels[1]);
    cmo_outcome outcome = cmo_route(&robot, &state, &route);
    printf("run: %s\n", cmo_outcome_name(outcome));
    return outcome == CMO_OUTCOME_DONE ? 0 : 1;
}
