// SPDX-License-Identifier: MIT
// Patrol of a table top that has no rail: what speed is safe is known before anything moves.
#include "mozzo.h"

#include <stdio.h>

// All numbers in one place.
static const cmo_stay_inside_parameters patrol = {
    .boundary = CMO_TONE_VOID, // the edge of the table
    .convex = true,            // no corner of it pokes inward
    .for_ms = 30000,           // for half a minute
    .margin_mm = 5             // wheels and caster stay this far from the edge
};

static void tell(void *context, const cmo_event *event) {
    (void)context;
    if (event->kind == CMO_EVENT_REBOUND) {
        printf("  rebound %d\n", event->value);
    }
}

int main(void) {
    cmo_patrol_budget budget;
    cmo_budget_patrol(&mozzo_yard, patrol.grazing, patrol.convex, patrol.margin_mm, 0, &budget);
    printf("safe up to %.0f mm/s: it stands %.0f mm after the crossing, at worst\n",
           (double)budget.speed_mm_s, (double)budget.stop_mm);

    cmo_port port = *mozzo_top_deck_port();
    port.notify = tell; // on a robot: a lamp, a buzzer, a display
    cmo_robot robot;
    if (cmo_robot_start(&robot, &mozzo_yard, &port) != CMO_OUTCOME_DONE) {
        printf("the robot description is wrong: %s\n", robot.field);
        return 2;
    }
    for (uint8_t i = 0; i < 2; i++) {
        cmo_robot_set_levels(&robot, i, &mozzo_yard_levels[i]);
    }
    cmo_stay_inside_state state;
    cmo_outcome outcome = cmo_stay_inside_start(&robot, &state, &patrol);
    while (outcome == CMO_RUNNING) {
        outcome = cmo_tick(&robot);
        cmo_wait(&robot);
    }
    printf("%s at %.0f mm/s: %u rebounds, never nearer than %.0f mm by its own word\n",
           cmo_outcome_name(outcome), (double)state.cruise_mm_s, state.rebounds,
           (double)state.margin_mm);
    return outcome == CMO_OUTCOME_DONE ? 0 : 1;
}
