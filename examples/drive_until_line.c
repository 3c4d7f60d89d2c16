// SPDX-License-Identifier: MIT
// Drive until the line and stop, in straight-line code: every call returns when it is done.
#include "mozzo.h"

#include <stdio.h>

// All numbers in one place.
static const cmo_line_parameters to_the_line = {
    .tone = CMO_TONE_DARK,
    .blind_mm = 250,     // nothing to look for before that
    .cruise_mm_s = 450,  // fast while blind,
    .creep_mm_s = 150,   // slow while looking
    .least_width_mm = 15 // the line is 20 mm wide; what is much narrower is none
};
static const cmo_advance_parameters axle_onto_the_line = {.distance_mm = 58};

static bool report(const cmo_robot *robot, cmo_outcome outcome) {
    const cmo_report *r = &robot->report;
    printf("%s: %s", cmo_routine_name((cmo_routine_id)r->routine), cmo_outcome_name(outcome));
    if (outcome == CMO_OUTCOME_BAD_PARAMETER) {
        printf(", %s", robot->field);
    }
    printf(" after %.0f ms", (double)cmo_figure_or(r, CMO_ELAPSED_MS, 0));
    if (r->present & CMO_FIGURE_BIT(CMO_OVERSHOOT_MM)) {
        printf(", overshoot %.1f mm", (double)r->figure[CMO_OVERSHOOT_MM]);
    }
    printf("\n");
    return outcome == CMO_OUTCOME_DONE;
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
    bool done = report(&robot, cmo_stop_on_line(&robot, &to_the_line)) &&
                report(&robot, cmo_advance(&robot, &axle_onto_the_line));
    return done ? 0 : 1;
}
