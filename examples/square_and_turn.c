// SPDX-License-Identifier: MIT
// Square on the first cross line of the car deck, take the pose from it, and go on from there to a
// mark and turn: what the line has not taken out, the next moves make good.
#include "mozzo.h"

#include <stdio.h>

int main(void) {
    cmo_robot robot;
    if (cmo_robot_start(&robot, &mozzo, mozzo_port()) != CMO_OUTCOME_DONE) {
        printf("the robot description is wrong: %s\n", robot.field);
        return 2;
    }
    for (uint8_t i = 0; i < 2; i++) {
        cmo_robot_set_levels(&robot, i, &mozzo_levels[i]);
    }
    cmo_robot_set_pose(&robot, 150, 611, 0); // as it was put down; believed, not sure
    cmo_square_on_line_state square;
    cmo_square_on_line_parameters at_line = {
        .blind_mm = 250, .cruise_mm_s = 350, .least_width_mm = 15};
    cmo_outcome outcome = cmo_square_on_line_start(&robot, &square, &at_line);
    outcome = outcome == CMO_RUNNING ? cmo_run(&robot) : outcome;
    if (outcome != CMO_OUTCOME_DONE) {
        printf("square_on_line: %s\n", cmo_outcome_name(outcome));
        return 1;
    }
    const cmo_report *report = &robot.report;
    printf("came in at %.1f degrees, stands at %.2f, %.2f mm beyond the edge, after %.0f ms\n",
           (double)report->figure[CMO_ENTRY_ANGLE_DEG],
           (double)report->figure[CMO_RESIDUAL_ANGLE_DEG],
           (double)report->figure[CMO_REST_ERROR_MM], (double)report->figure[CMO_ELAPSED_MS]);
    // The line's near edge is at x = 600, and its crossing way is along +x.
    const cmo_stated_line first_cross_line = {.x_mm = 600, .y_mm = 500, .heading_deg = 0};
    cmo_left_over left;
    cmo_take_pose(&robot, &square.line, &first_cross_line, &left);
    cmo_advance(&robot, &(cmo_advance_parameters){.distance_mm = 150 - left.ahead_mm});
    cmo_turn(&robot, &(cmo_turn_parameters){.angle_deg = 90 - left.turn_deg});
    const cmo_pose *pose = &robot.odometer.pose;
    printf("believes to stand at x %.1f y %.1f, heading %.2f degrees\n", (double)pose->x_mm,
           (double)pose->y_mm, (double)pose->heading_rad * 57.29578);
    return 0;
}
