// SPDX-License-Identifier: MIT
// Learns the colours of the cargo floor's first stripes, standing on each; then drives on, counts
// all that come until a bumper touches the crate, and shows each as it is counted.
#include "mozzo.h"

#include <stdio.h>

enum { DECK = 1, RED, YELLOW, BLUE, GREEN };
static const char *const names[] = {"unknown", "deck", "red", "yellow", "blue", "green"};

static cmo_robot robot;
static cmo_port port; // the robot's own, and what it tells is shown
static cmo_surfaces surfaces;
static cmo_count_lines_state tally;

static void show(void *context, const cmo_event *event) {
    (void)context;
    if (event->kind == CMO_EVENT_LINE) {
        printf("%d: %s\n", event->value,
               names[tally.counted[(tally.seen - 1) % CMO_COUNTED_LINES].surface]);
    }
}

// On by so far, to stand on the next stripe and learn it.
static bool learn(uint8_t surface, float on_mm) {
    return cmo_advance(&robot, &(cmo_advance_parameters){.distance_mm = on_mm}) ==
               CMO_OUTCOME_DONE &&
           cmo_take_surface(&robot, &(cmo_take_surface_parameters){.surface = surface}) ==
               CMO_OUTCOME_DONE;
}

int main(void) {
    port = *mozzo_cargo_port();
    port.notify = show;
    if (cmo_robot_start(&robot, &mozzo_colour, &port) != CMO_OUTCOME_DONE) {
        printf("the robot description is wrong: %s\n", robot.field);
        return 2;
    }
    for (uint8_t i = 0; i < 2; i++) {
        cmo_robot_set_levels(&robot, i, &mozzo_levels[i]);
    }
    cmo_surfaces_clear(&surfaces);
    cmo_robot_set_surfaces(&robot, &surfaces);
    if (!learn(DECK, 60) || !learn(RED, 115) || !learn(YELLOW, 180) || !learn(BLUE, 180) ||
        !learn(GREEN, 180)) {
        printf("not learned: %s\n", cmo_outcome_text((cmo_outcome)robot.report.outcome));
        return 1;
    }
    // The line under the sensors is behind it by then.
    static cmo_ends_state ends;
    cmo_end_on(&robot, &ends, &(cmo_ends){.touch = 3});
    cmo_count_lines_parameters all = {.blind_mm = 40, .cruise_mm_s = 250, .least_width_mm = 20};
    if (cmo_count_lines_start(&robot, &tally, &all) != CMO_RUNNING) {
        printf("refused: %s\n", robot.field);
        return 1;
    }
    cmo_outcome outcome = cmo_run(&robot);
    printf("count_lines: %s, ended by %s; %u red, %u blue, %u green\n", cmo_outcome_name(outcome),
           cmo_by_name((cmo_by)robot.report.by), tally.tally[RED], tally.tally[BLUE],
           tally.tally[GREEN]);
    return outcome == CMO_OUTCOME_DONE ? 0 : 1;
}
