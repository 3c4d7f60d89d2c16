// SPDX-License-Identifier: MIT
// Up the gangway to the fifth stripe, rest on it, and turn. Each stripe is shown as it is counted:
// a lamp or a display would do the same.
#include "mozzo.h"

#include <stdio.h>

static cmo_port port; // the robot's own, and what it tells is shown

static void show(void *context, const cmo_event *event) {
    (void)context;
    if (event->kind == CMO_EVENT_LINE) {
        printf("stripe %d\n", event->value);
    }
}

int main(void) {
    cmo_robot robot;
    port = *mozzo_gangway_port();
    port.notify = show;
    if (cmo_robot_start(&robot, &mozzo, &port) != CMO_OUTCOME_DONE) {
        printf("the robot description is wrong: %s\n", robot.field);
        return 2;
    }
    for (uint8_t i = 0; i < 2; i++) {
        cmo_robot_set_levels(&robot, i, &mozzo_levels[i]);
    }
    cmo_outcome outcome =
        cmo_count_lines(&robot, &(cmo_count_lines_parameters){
                                    .number = 5, .least_width_mm = 15, .rest = CMO_REST_NEAR_EDGE});
    const cmo_report *report = &robot.report;
    printf("count_lines: %s, %.0f seen, %.0f passed over, %.2f mm off the edge\n",
           cmo_outcome_name(outcome), (double)report->figure[CMO_LINES_SEEN],
           (double)report->figure[CMO_PASSED_OVER], (double)report->figure[CMO_REST_ERROR_MM]);
    return outcome == CMO_OUTCOME_DONE &&
                   cmo_turn(&robot, &(cmo_turn_parameters){.angle_deg = 90}) == CMO_OUTCOME_DONE
               ? 0
               : 1;
}
