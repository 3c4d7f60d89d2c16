// SPDX-License-Identifier: GPL-3.0-or-later
// Breaks one thing on the simulated robot, by the name of what the wiring check ought to find.
#include <cammino_lab/files.h>

#include <string.h>

static void swap_polarity(cmo_sim_light *sensor) {
    double black = sensor->black_counts;
    sensor->black_counts = sensor->white_counts;
    sensor->white_counts = black;
}

static bool break_one(lab_robot *robot, cmo_finding finding) {
    cmo_sim_faults *f = &robot->faults;
    cmo_sim_light *sensor = robot->plant.sensor;
    unsigned right = robot->plant.sensors > 1;
    switch (finding) {
    case CMO_FINDING_LEFT_MOTOR_SILENT:
        f->left_dead = true;
        break;
    case CMO_FINDING_RIGHT_MOTOR_SILENT:
        f->right_dead = true;
        break;
    case CMO_FINDING_LEFT_MOTOR_REVERSED:
        f->left_reversed = true;
        break;
    case CMO_FINDING_RIGHT_MOTOR_REVERSED:
        f->right_reversed = true;
        break;
    case CMO_FINDING_MOTORS_SWAPPED:
        f->motors_swapped = true;
        break;
    case CMO_FINDING_LEFT_ENCODER_SILENT:
        f->left_encoder_dead = true;
        break;
    case CMO_FINDING_RIGHT_ENCODER_SILENT:
        f->right_encoder_dead = true;
        break;
    case CMO_FINDING_LEFT_ENCODER_REVERSED:
        f->left_encoder_reversed = true;
        break;
    case CMO_FINDING_RIGHT_ENCODER_REVERSED:
        f->right_encoder_reversed = true;
        break;
    case CMO_FINDING_ENCODERS_SWAPPED:
        f->encoders_swapped = true;
        break;
    case CMO_FINDING_LEFT_LIGHT_SILENT:
        f->light_silent_at_ms[0] = 0.0;
        break;
    case CMO_FINDING_RIGHT_LIGHT_SILENT:
        f->light_silent_at_ms[right] = 0.0;
        break;
    case CMO_FINDING_LIGHTS_SWAPPED:
        f->lights_swapped = true;
        break;
    case CMO_FINDING_LEFT_POLARITY:
        swap_polarity(&sensor[0]);
        break;
    case CMO_FINDING_RIGHT_POLARITY:
        swap_polarity(&sensor[right]);
        break;
    case CMO_FINDING_LOOK_INTERVAL:
        sensor[0].interval_ms *= 1.6;
        break;
    case CMO_FINDING_LEFT_DELAY:
        sensor[0].delay_ms += 12.0;
        break;
    case CMO_FINDING_RIGHT_DELAY:
        sensor[right].delay_ms += 12.0;
        break;
    default:
        return false;
    }
    return true;
}

bool lab_robot_break(lab_robot *robot, const char *name, GError **error) {
    GString *known = g_string_new(NULL);
    bool done = false;
    for (unsigned i = 0; i < CMO_FINDINGS && !done; i++) {
        const char *finding = cmo_finding_name((cmo_finding)i);
        if (strcmp(finding, name) == 0) {
            done = break_one(robot, (cmo_finding)i);
        }
        if (i != CMO_FINDING_NO_LINE && i != CMO_FINDING_CURVED) {
            g_string_append_printf(known, "%s%s", known->len > 0 ? ", " : "", finding);
        }
    }
    if (!done) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "fault '%s' is not one of: %s", name,
                    known->str);
    }
    g_string_free(known, TRUE);
    return done;
}
