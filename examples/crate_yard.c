// SPDX-License-Identifier: MIT
// A contest in the crate yard: wait for the start button, count down, then look for crates and push
// them out. The rim goes before the charge.
#include "mozzo.h"

#include <stdio.h>

// All numbers in one place.
static const cmo_countdown_parameters opening = {.seconds = 3};
static const cmo_stay_inside_parameters match = {
    .boundary = CMO_TONE_DARK,
    .convex = true,
    .charge_mm = 450, // what is nearer than this is charged,
    .scan_deg = 120,  // and looked for after each rebound
    .for_ms = 30000,
};

static void tell(void *context, const cmo_event *event) {
    (void)context;
    if (event->kind == CMO_EVENT_COUNTDOWN) {
        printf("%d...\n", event->value);
    } else if (event->kind == CMO_EVENT_STAGE && event->value == CMO_STAGE_CHARGE) {
        printf("  charge\n");
    } else if (event->kind == CMO_EVENT_REBOUND) {
        printf("  rebound %d\n", event->value);
    }
}

int main(void) {
    cmo_port port = *mozzo_yard_port();
    port.notify = tell;
    cmo_robot robot;
    if (cmo_robot_start(&robot, &mozzo_yard, &port) != CMO_OUTCOME_DONE) {
        printf("the robot description is wrong: %s\n", robot.field);
        return 2;
    }
    for (uint8_t i = 0; i < 2; i++) {
        cmo_robot_set_levels(&robot, i, &mozzo_yard_levels[i]);
    }
    cmo_outcome outcome = cmo_countdown(&robot, &opening);
    if (outcome == CMO_OUTCOME_DONE) {
        outcome = cmo_stay_inside(&robot, &match);
    }
    printf("%s after %.1f s\n", cmo_outcome_name(outcome),
           (double)cmo_figure_or(&robot.report, CMO_ELAPSED_MS, 0) / 1000.0);
    return outcome == CMO_OUTCOME_DONE ? 0 : 1;
}
