// SPDX-License-Identifier: MIT
// A tool that reaches 25 mm less far ahead than the light sensors comes to stand over the middle of
// the line: the sensors rest 25 mm beyond it.
#include "mozzo.h"

#include <stdio.h>

#define TOOL_AHEAD_MM 45.0F

int main(void) {
    cmo_robot robot;
    if (cmo_robot_start(&robot, &mozzo, mozzo_port()) != CMO_OUTCOME_DONE) {
        printf("the robot description is wrong: %s\n", robot.field);
        return 2;
    }
    for (uint8_t i = 0; i < 2; i++) {
        cmo_robot_set_levels(&robot, i, &mozzo_levels[i]);
    }
    cmo_line_parameters to_the_tool = {
        .blind_mm = 250,
        .cruise_mm_s = 400,
        .creep_mm_s = 200,
        .least_width_mm = 15,
        .rest = CMO_REST_CENTRE,
        .beyond_mm = mozzo.light[0].ahead_mm - TOOL_AHEAD_MM,
    };
    cmo_outcome outcome = cmo_stop_on_line(&robot, &to_the_tool);
    printf("%s: the tool stands %.2f mm beyond the middle of the line\n", cmo_outcome_name(outcome),
           (double)cmo_figure_or(&robot.report, CMO_REST_ERROR_MM, 0.0F));
    return outcome == CMO_OUTCOME_DONE ? 0 : 1;
}
