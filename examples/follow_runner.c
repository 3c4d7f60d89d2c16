// SPDX-License-Identifier: MIT
// Astride the runner of the saloon, a sensor over each of its edges, to the one that leads to the
// stairs.
#include "mozzo.h"

#include <stdio.h>

int main(void) {
    cmo_robot robot;
    if (cmo_robot_start(&robot, &mozzo, mozzo_saloon_port()) != CMO_OUTCOME_DONE) {
        printf("the robot description is wrong: %s\n", robot.field);
        return 2;
    }
    for (uint8_t i = 0; i < 2; i++) {
        cmo_robot_set_levels(&robot, i, &mozzo_levels[i]);
    }
    cmo_follow_edge_parameters astride = {
        .edge = CMO_LINE_BOTH, .width_mm = 90, .tightest_mm = 350, .across = CMO_ACROSS_END};
    cmo_outcome outcome = cmo_follow_edge(&robot, &astride);
    double way_mm = (double)robot.report.figure[CMO_TRAVELLED_MM];
    printf("follow_edge: %s, %.1f m at %.0f mm/s\n", cmo_outcome_name(outcome), 1e-3 * way_mm,
           1e3 * way_mm / (double)robot.report.figure[CMO_ELAPSED_MS]);
    return outcome == CMO_OUTCOME_DONE ? 0 : 1;
}
