// SPDX-License-Identifier: GPL-3.0-or-later
// What the reader fills in first: nothing but numbers, NAN where nothing was given.
#ifndef LAB_ROBOT_STAGED_H
#define LAB_ROBOT_STAGED_H

#include <cammino_lab/files.h>
#include <cammino_lab/keys.h>

#include "surfaces.h"
#include "yaml_reader.h"

typedef struct staged_levels {
    double dark, light, void_counts, noise, dark_threshold, light_threshold;
} staged_levels;

// A row of the description's lists as what the reader fills in.
#define STAGED_FIELD(X, must, of, field, key, factor, least, most, unit, usual, meaning) double key;

typedef struct staged_light {
    CMO_LIGHT_FIELDS(STAGED_FIELD, )
    double dark_is_high, colour, colour_ms;
    staged_levels levels;
} staged_light;

typedef struct staged_lights {
    staged_light left, right;
} staged_lights;

typedef struct staged_encoders {
    double step_mm, left_step_mm, right_step_mm, bits, play_mm;
} staged_encoders;

typedef struct staged_spot {
    double ahead_mm, left_mm, delay_ms;
} staged_spot;

typedef struct staged_measured {
    double left_step_mm, right_step_mm, track_mm;
    staged_spot left, right;
    double size_error, ratio_error, track_error_mm, mismatch_error_mm, delay_error_ms;
} staged_measured;

typedef struct staged_drive {
    double kind;
    CMO_DRIVE_FIELDS(STAGED_FIELD, )
    CMO_DUTY_FIELDS(STAGED_FIELD, )
    double lifetime_ms, halts;
} staged_drive;

typedef struct staged_measured_drive {
    double lag_ms, lag_error_ms, left_lag_ms, right_lag_ms, ramp_mm_s2, ramp_error_mm_s2,
        left_ahead_mm_s, right_ahead_mm_s, left_back_mm_s, right_back_mm_s, left_keeps_mm_s,
        right_keeps_mm_s, left_ratio, right_ratio;
} staged_measured_drive;

typedef struct staged_measured_braking {
    double slid_mm, slid_error_mm, halt_slid_mm, grip_mm_s2, grip_error_mm_s2, speed_mm_s,
        limit_mm_s2;
} staged_measured_braking;

typedef struct staged_faults {
    double left_light_silent_at_s, right_light_silent_at_s, left_light_stuck_at_s,
        right_light_stuck_at_s, left_light_jumps_at_s, right_light_jumps_at_s,
        left_light_clipped_at_s, right_light_clipped_at_s, lights_swapped, motors_swapped,
        left_motor_reversed, right_motor_reversed, left_motor_dead, right_motor_dead,
        left_encoder_dead, right_encoder_dead, left_encoder_reversed, right_encoder_reversed,
        encoders_swapped, encoders_silent_at_s, encoder_jump_at_s, stalled_at_s, late_share,
        late_ms, look_missing_share, look_doubled_share, not_yet_share, failed_at_s, slip_at_s,
        slip_s, slip_grip;
} staged_faults;

typedef struct staged_light_truths {
    cmo_sim_light left, right;
} staged_light_truths;

typedef struct staged_plant {
    cmo_sim_plant plant;
    staged_light_truths sensors;
    staged_faults faults;
} staged_plant;

typedef struct staged_robot {
    char *name;
    CMO_BODY_FIELDS(STAGED_FIELD, )
    CMO_CONTACT_FIELDS(STAGED_FIELD, )
    double look_times, heading, range, touch, buttons;
    lab_outline outline;
    staged_encoders encoders;
    staged_drive drive;
    staged_lights lights;
    staged_measured measured;
    staged_measured_drive measured_drive;
    staged_measured_braking measured_braking;
    staged_surfaces known;
    staged_plant plant;
} staged_robot;

// What no single range can say. False, and the error.
bool labi_robot_check_staged(yaml_reader *reader, const staged_robot *staged);

// What the robot and the simulator take.
void labi_robot_finish(lab_robot *robot, const staged_robot *staged, const char *file);

extern const lab_section labi_robot_section, labi_light_section, labi_plant_section,
    labi_true_light_section;

#endif
