// SPDX-License-Identifier: MIT
// The same with a loop of one's own: call the tick, and do other work between two ticks.
#include "mozzo.h"

#include <stdio.h>

static const cmo_line_parameters to_the_line = {
    .blind_mm = 250, .cruise_mm_s = 450, .creep_mm_s = 150, .least_width_mm = 15};

// Other work: here, a line of readings every 300 ms.
static void show_readings(const cmo_robot *robot) {
    if (robot->run_ms % 300 == 0) {
        printf("%5lu ms  %-6s  way %5.0f mm  left %4.2f  right %4.2f\n",
               (unsigned long)robot->run_ms, cmo_stage_name((cmo_stage)robot->stage),
               (double)cmo_way_mm(robot), (double)robot->light[0].reflectance,
               (double)robot->light[1].reflectance);
    }
}

int main(void) {
    cmo_robot robot;
    if (cmo_robot_start(&robot, &mozzo, mozzo_port()) != CMO_OUTCOME_DONE) {
        printf("the robot description is wrong: %s\n", robot.field);
        return 2;
    }
    for (uint8_t i = 0; i < 2; i++) {
        cmo_robot_set_levels(&robot, i, &mozzo_levels[i]);
    }
    cmo_line_state approach; // the routine's state is yours: it must live until it has ended
    cmo_outcome outcome = cmo_stop_on_line_start(&robot, &approach, &to_the_line);
    while (outcome == CMO_RUNNING) {
        cmo_wait(&robot); // or your timer, your scheduler, your main loop
        outcome = cmo_tick(&robot);
        show_readings(&robot);
    }
    printf("%s at %.1f mm beyond the line's edge\n", cmo_outcome_name(outcome),
           (double)cmo_figure_or(&robot.report, CMO_REST_ERROR_MM, 0));
    return outcome == CMO_OUTCOME_DONE ? 0 : 1;
}
