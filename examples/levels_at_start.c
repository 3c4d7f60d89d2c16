// SPDX-License-Identifier: MIT
// Take the levels at the start of a run and keep them: here in a file that stands for the EEPROM.
#include "mozzo.h"

#include <stdio.h>

#define EEPROM "mozzo-levels.bin"

static bool remember(const cmo_robot *robot) {
    uint8_t bytes[CMO_STORED_LEVELS_SIZE];
    return mozzo_keep(EEPROM, bytes, cmo_store_levels(robot, bytes, sizeof bytes));
}

static bool recall(cmo_robot *robot) {
    uint8_t bytes[CMO_STORED_LEVELS_SIZE];
    size_t size = mozzo_kept(EEPROM, bytes, sizeof bytes);
    return cmo_load_levels(robot, bytes, size) == CMO_OUTCOME_DONE;
}

int main(void) {
    cmo_robot robot;
    if (cmo_robot_start(&robot, &mozzo, mozzo_port()) != CMO_OUTCOME_DONE) {
        printf("the robot description is wrong: %s\n", robot.field);
        return 2;
    }
    printf("%s\n", recall(&robot) ? "levels of another day, until they are taken anew"
                                  : "no levels are stored yet");
    cmo_advance(&robot, &(cmo_advance_parameters){.distance_mm = 310}); // to just before the line
    static cmo_take_levels_state taking;
    cmo_outcome outcome =
        cmo_take_levels(&robot, &taking, &(cmo_take_levels_parameters){.distance_mm = 150});
    if (outcome != CMO_OUTCOME_DONE) {
        printf("%s: left %s, right %s\n", cmo_outcome_name(outcome),
               cmo_levels_fault_name(taking.fault[0]), cmo_levels_fault_name(taking.fault[1]));
        return 1;
    }
    for (int i = 0; i < 2; i++) {
        const cmo_levels *levels = &robot.light[i].levels;
        printf("%-5s dark %u light %u noise %u\n", i == 0 ? "left" : "right", levels->dark,
               levels->light, levels->noise);
    }
    return remember(&robot) ? 0 : 2;
}
