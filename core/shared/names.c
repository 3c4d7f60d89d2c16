// SPDX-License-Identifier: MIT
#include <cammino/wiring.h>

#define COUNT(names) (sizeof(names) / sizeof((names)[0]))

static const char *pick(const char *const *names, unsigned count, unsigned value) {
    return value < count ? names[value] : "?";
}

const char *cmo_outcome_name(cmo_outcome outcome) {
    static const char *const names[CMO_OUTCOMES] = {
        "running",      "done",         "no_line",        "time_over",     "sensor_silent",
        "sensor_range", "sensor_stuck", "sensor_jumping", "low_contrast",  "one_sensor",
        "no_floor",     "stalled",      "encoder_silent", "encoder_jump",  "late",
        "port_failed",  "too_fast",     "bad_parameter",  "not_supported", "stopped",
        "aborted",      "wiring_wrong", "cornered",       "departed",      "wrong_line",
    };
    return pick(names, COUNT(names), (unsigned)outcome);
}

const char *cmo_outcome_text(cmo_outcome outcome) {
    static const char *const texts[CMO_OUTCOMES] = {
        "it still runs",
        "it did what was asked",
        "no line within the longest distance, or lost by sliding; right tone, right sensor?",
        "the time is over",
        "a light sensor gave no look; is it plugged in?",
        "a light sensor's readings left what it can give; is a wire loose?",
        "a light sensor's reading stays where the other one's proves that it must change",
        "a light sensor's reading jumps as no motion of the robot explains; is a plug loose?",
        "the levels are missing, too near to each other, or not of this floor; take them anew",
        "only one sensor met the line; did it pass the line's end, or a corner?",
        "a sensor saw no floor while it looked for a line",
        "the motors are driven but the wheels stand still; is something in the way?",
        "the encoders gave no counts; are they plugged in?",
        "the encoders jumped further than the robot can move",
        "a tick came later than a drive command lives",
        "the port said that the hardware failed, or takes no drive commands any more",
        "at this speed a line could be missed, or a boundary overrun",
        "a parameter makes no sense",
        "the robot lacks what was asked for",
        "the stop button was pressed",
        "the program ended it",
        "something is wired or described wrongly",
        "the boundary is all around; is the tone right, and is there room to turn?",
        "a wheel was over the boundary",
        "it ended on something that the mat does not mark as the line",
    };
    return pick(texts, COUNT(texts), (unsigned)outcome);
}

const char *cmo_kind_name(cmo_kind kind) {
    static const char *const names[CMO_KINDS] = {
        "none",        "advance",     "turn",          "drive_until_line", "stop_on_line",
        "action",      "take_levels", "check_wiring",  "measure_geometry", "square_on_line",
        "stay_inside", "countdown",   "measure_drive",
    };
    return pick(names, COUNT(names), (unsigned)kind);
}

const char *cmo_stage_name(cmo_stage stage) {
    static const char *const names[CMO_STAGES] = {
        "idle",   "move",   "blind", "search",    "prove",  "brake", "return",
        "settle", "swing",  "turn",  "action",    "patrol", "feel",  "back",
        "scan",   "charge", "wait",  "countdown", "creep",
    };
    return pick(names, COUNT(names), (unsigned)stage);
}

const char *cmo_figure_name(cmo_figure figure) {
    static const char *const names[CMO_FIGURES] = {
        "elapsed_ms",
        "look_interval_ms",
        "look_interval_worst_ms",
        "blind_gap_mm",
        "tick_late_us",
        "crossing_speed_mm_s",
        "top_speed_mm_s",
        "reaction_ms",
        "stopping_distance_mm",
        "overshoot_mm",
        "rest_error_mm",
        "settle_ms",
        "entry_angle_deg",
        "residual_angle_deg",
        "travelled_mm",
        "turned_deg",
        "predicted_overshoot_mm",
        "slip_mm",
        "passed_over",
        "rebounds",
        "turn_error_deg",
        "margin_mm",
        "departures",
        "covered_share",
        "covered_per_min",
        "covered_evenness",
    };
    return pick(names, COUNT(names), (unsigned)figure);
}

const char *cmo_passed_reason_name(cmo_passed_reason reason) {
    static const char *const names[] = {"none", "too_narrow", "one_sided"};
    return pick(names, COUNT(names), (unsigned)reason);
}

const char *cmo_finding_name(cmo_finding finding) {
    static const char *const names[CMO_FINDINGS] = {
        "left_motor_silent",
        "right_motor_silent",
        "left_motor_reversed",
        "right_motor_reversed",
        "motors_swapped",
        "left_encoder_silent",
        "right_encoder_silent",
        "left_encoder_reversed",
        "right_encoder_reversed",
        "encoders_swapped",
        "left_light_silent",
        "right_light_silent",
        "lights_swapped",
        "left_polarity",
        "right_polarity",
        "no_line",
        "look_interval",
        "left_delay",
        "right_delay",
        "curved",
    };
    return pick(names, COUNT(names), (unsigned)finding);
}

const char *cmo_finding_text(cmo_finding finding) {
    static const char *const texts[CMO_FINDINGS] = {
        "the left motor does not turn; check its plug, its wires and its driver",
        "the right motor does not turn; check its plug, its wires and its driver",
        "the left motor turns backward; swap its two wires, or turn its sign round in the port",
        "the right motor turns backward; swap its two wires, or turn its sign round in the port",
        "left and right motor are swapped; swap their plugs, or the two in the port's drive",
        "the left wheel turns and is not counted; check the left encoder's plug",
        "the right wheel turns and is not counted; check the right encoder's plug",
        "the left encoder counts down when its wheel goes forward; swap its two channels, or turn "
        "its sign round in the port",
        "the right encoder counts down when its wheel goes forward; swap its two channels, or turn "
        "its sign round in the port",
        "left and right encoder are swapped; swap their plugs, or the two in the port's sample",
        "the left light sensor says nothing, or always the same; check its plug and its lamp",
        "the right light sensor says nothing, or always the same; check its plug and its lamp",
        "left and right light sensor are swapped; swap their plugs, or the two in the port's "
        "sample",
        "the left light sensor reads the other way round over the line; set its dark_is_high the "
        "other way, or say what tone the line has",
        "the right light sensor reads the other way round over the line; set its dark_is_high the "
        "other way, or say what tone the line has",
        "neither light sensor saw a line; put the robot with its sensors 10 to 25 mm before one",
        "looks come at another interval than described; set interval_us to what was measured",
        "the left light sensor's delay is another than described; set delay_us to what was "
        "measured",
        "the right light sensor's delay is another than described; set delay_us to what was "
        "measured",
        "driven alike, one wheel goes much further than the other; look for a dragging wheel or a "
        "weak motor",
    };
    return pick(texts, COUNT(texts), (unsigned)finding);
}
