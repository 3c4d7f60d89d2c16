// SPDX-License-Identifier: MIT
// Both readings, live, while the robot drives slowly over the floor: to believe the sensors before
// any logic is put on top of them. On a robot, print to its serial line instead.
#include "mozzo.h"

#include <stdio.h>

static void print_readings(const cmo_robot *robot) {
    printf("%6.0f mm", (double)cmo_way_mm(robot));
    for (int i = 0; i < 2; i++) {
        const cmo_light *light = &robot->light[i];
        char bar[21];
        for (int n = 0; n < 20; n++) {
            bar[n] = (float)n < 20.0F * light->reflectance ? '=' : ' ';
        }
        bar[20] = '\0';
        printf("   %s %4u [%s]", i == 0 ? "left" : "right", light->counts, bar);
    }
    printf("\n");
}

int main(void) {
    cmo_robot robot;
    if (cmo_robot_start(&robot, &mozzo, mozzo_port()) != CMO_OUTCOME_DONE) {
        printf("the robot description is wrong: %s\n", robot.field);
        return 2;
    }
    for (uint8_t i = 0; i < 2; i++) { // for the bars alone; the counts need no levels
        cmo_robot_set_levels(&robot, i, &mozzo_levels[i]);
    }
    cmo_advance_state advance;
    cmo_advance_parameters slowly = {.distance_mm = 520, .speed_mm_s = 120};
    cmo_outcome outcome = cmo_advance_start(&robot, &advance, &slowly);
    for (unsigned ticks = 0; outcome == CMO_RUNNING; ticks++) {
        outcome = cmo_tick(&robot);
        if (ticks % 10 == 9) {
            print_readings(&robot);
        }
        cmo_wait(&robot);
    }
    return outcome == CMO_OUTCOME_DONE ? 0 : 1;
}
