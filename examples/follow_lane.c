// SPDX-License-Identifier: MIT
// Along the lane of the car deck on its left edge, through two bends and over a gap, to the line
// where cars wait; round, and back on the same edge, which is the right one then, for half a
// second.
#include "mozzo.h"

#include <stdio.h>

int main(void) {
    cmo_robot robot;
    if (cmo_robot_start(&robot, &mozzo, mozzo_lane_port()) != CMO_OUTCOME_DONE) {
        printf("the robot description is wrong: %s\n", robot.field);
        return 2;
    }
    for (uint8_t i = 0; i < 2; i++) {
        cmo_robot_set_levels(&robot, i, &mozzo_levels[i]);
    }
    cmo_follow_edge_state state;
    cmo_follow_edge_parameters along = {
        .edge = CMO_LINE_LEFT, .gap_mm = 60, .across = CMO_ACROSS_END};
    if (cmo_follow_edge_start(&robot, &state, &along) != CMO_RUNNING) {
        printf("refused: %s\n", robot.field);
        return 2;
    }
    cmo_outcome outcome = cmo_run(&robot);
    printf("follow_edge: %s, joined after %.0f mm, rests %.1f mm beyond the line across\n",
           cmo_outcome_name(outcome), (double)state.figures.joined_mm,
           (double)robot.report.figure[CMO_REST_ERROR_MM]);
    if (outcome != CMO_OUTCOME_DONE ||
        cmo_turn(&robot, &(cmo_turn_parameters){.angle_deg = 180}) != CMO_OUTCOME_DONE) {
        return 1;
    }
    static cmo_ends_state ends;
    cmo_end_on(&robot, &ends, &(cmo_ends){.for_ms = 500});
    outcome = cmo_follow_edge(&robot, &(cmo_follow_edge_parameters){.edge = CMO_LINE_RIGHT});
    printf("follow_edge: %s, ended by %s\n", cmo_outcome_name(outcome),
           cmo_by_name((cmo_by)robot.report.by));
    return outcome == CMO_OUTCOME_DONE ? 0 : 1;
}
