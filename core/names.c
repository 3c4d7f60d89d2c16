// SPDX-License-Identifier: MIT
#include <cammino/report.h>

#define COUNT(names) (sizeof(names) / sizeof((names)[0]))

static const char *pick(const char *const *names, unsigned count, unsigned value) {
    return value < count ? names[value] : "?";
}

const char *cmo_outcome_name(cmo_outcome outcome) {
    static const char *const names[CMO_OUTCOMES] = {
        "running",      "done",        "no_line",    "time_over",      "sensor_silent",
        "low_contrast", "no_floor",    "stalled",    "encoder_silent", "encoder_jump",
        "late",         "port_failed", "too_fast",   "bad_parameter",  "not_supported",
        "stopped",      "aborted",     "wrong_line",
    };
    return pick(names, COUNT(names), (unsigned)outcome);
}

const char *cmo_outcome_text(cmo_outcome outcome) {
    static const char *const texts[CMO_OUTCOMES] = {
        "it still runs",
        "it did what was asked",
        "no line within the longest distance; is the tone right, and the sensor the right one?",
        "the time is over",
        "a light sensor gave no look that can be right; is it plugged in?",
        "the levels are missing or too near to each other; take them anew",
        "a sensor saw no floor while it looked for a line",
        "the motors are driven but the wheels stand still; is something in the way?",
        "the encoders gave no counts; are they plugged in?",
        "the encoders jumped further than the robot can move",
        "a tick came later than a drive command lives",
        "the port said that the hardware failed",
        "at this speed a line could be missed between two looks",
        "a parameter makes no sense",
        "the robot lacks what was asked for",
        "the stop button was pressed",
        "the program ended it",
        "it ended on something that the mat does not mark as the line",
    };
    return pick(texts, COUNT(texts), (unsigned)outcome);
}

const char *cmo_kind_name(cmo_kind kind) {
    static const char *const names[CMO_KINDS] = {
        "none", "travel", "rotate", "drive_until_line", "stop_on_line", "action", "take_levels",
    };
    return pick(names, COUNT(names), (unsigned)kind);
}

const char *cmo_stage_name(cmo_stage stage) {
    static const char *const names[CMO_STAGES] = {
        "idle", "move", "blind", "search", "prove", "brake", "return", "settle", "action",
    };
    return pick(names, COUNT(names), (unsigned)stage);
}

const char *cmo_figure_name(cmo_figure figure) {
    static const char *const names[CMO_FIGURES] = {
        "elapsed_ms",           "look_interval_ms",    "look_interval_worst_ms", "blind_gap_mm",
        "tick_late_us",         "crossing_speed_mm_s", "top_speed_mm_s",         "reaction_ms",
        "stopping_distance_mm", "overshoot_mm",        "rest_error_mm",          "settle_ms",
        "entry_angle_deg",      "residual_angle_deg",  "travelled_mm",           "turned_deg",
        "passed_over",
    };
    return pick(names, COUNT(names), (unsigned)figure);
}
