// SPDX-License-Identifier: MIT
// Measure once how the wheels answer what they are told, and keep it: here in a file that stands
// for the EEPROM. The next start finds it there, and stops on the line with what it knows.
#include "mozzo.h"

#include <stdio.h>

#define EEPROM "mozzo-drive.bin"

static bool remember(const cmo_drive *drive) {
    uint8_t bytes[CMO_STORED_DRIVE_SIZE];
    return mozzo_keep(EEPROM, bytes, cmo_store_drive(drive, bytes, sizeof bytes));
}

static bool recall(cmo_drive *drive) {
    uint8_t bytes[CMO_STORED_DRIVE_SIZE];
    return cmo_load_drive(drive, bytes, mozzo_kept(EEPROM, bytes, sizeof bytes));
}

static int measure(cmo_robot *robot) {
    static cmo_measure_drive_state state;
    cmo_outcome outcome = cmo_measure_drive(robot, &state, &(cmo_measure_drive_parameters){0});
    const cmo_drive *drive = &state.drive;
    printf("%s: lag %.0f ms, a ramp of %.0f mm/s2\n", cmo_outcome_name(outcome),
           (double)drive->lag_ms, (double)drive->ramp_mm_s2);
    return outcome == CMO_OUTCOME_DONE && remember(drive) ? 0 : 1;
}

int main(void) {
    static cmo_robot_description description; // a copy, for what is measured goes into it
    cmo_drive drive;
    cmo_robot robot;
    description = mozzo;
    bool known = recall(&drive);
    if (known) {
        cmo_drive_apply(&drive, &description);
    }
    if (cmo_robot_start(&robot, &description, mozzo_port()) != CMO_OUTCOME_DONE) {
        printf("the robot description is wrong: %s\n", robot.field);
        return 2;
    }
    if (!known) {
        return measure(&robot);
    }
    cmo_robot_set_levels(&robot, 0, &mozzo_levels[0]);
    cmo_robot_set_levels(&robot, 1, &mozzo_levels[1]);
    cmo_outcome outcome =
        cmo_stop_on_line(&robot, &(cmo_line_parameters){.blind_mm = 250,
                                                        .cruise_mm_s = 450,
                                                        .creep_mm_s = 150,
                                                        .least_width_mm = 15,
                                                        .rest = CMO_REST_NEAR_EDGE});
    printf("%s, %.1f mm off\n", cmo_outcome_name(outcome),
           (double)robot.report.figure[CMO_REST_ERROR_MM]);
    return outcome == CMO_OUTCOME_DONE ? 0 : 1;
}
