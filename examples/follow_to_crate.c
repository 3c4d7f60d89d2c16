// SPDX-License-Identifier: MIT
// Along the lane around its bend until a crate stands within 120 mm; back off from it.
#include "mozzo.h"

#include <stdio.h>

int main(void) {
    cmo_robot robot;
    if (cmo_robot_start(&robot, &mozzo_yard, mozzo_lane_crate_port()) != CMO_OUTCOME_DONE) {
        printf("the robot description is wrong: %s\n", robot.field);
        return 2;
    }
    for (uint8_t i = 0; i < 2; i++) {
        cmo_robot_set_levels(&robot, i, &mozzo_yard_levels[i]);
    }
    cmo_ends_state ends;
    cmo_end_on(&robot, &ends, &(cmo_ends){.range_below_mm = 120});
    cmo_outcome outcome =
        cmo_follow_edge(&robot, &(cmo_follow_edge_parameters){.edge = CMO_LINE_LEFT});
    printf("follow_edge: %s, ended by %s after %.0f mm\n", cmo_outcome_name(outcome),
           cmo_by_name((cmo_by)robot.report.by), (double)robot.report.figure[CMO_TRAVELLED_MM]);
    if (outcome != CMO_OUTCOME_DONE) {
        return 1;
    }
    outcome = cmo_advance(&robot, &(cmo_advance_parameters){.distance_mm = -150});
    return outcome == CMO_OUTCOME_DONE ? 0 : 1;
}
