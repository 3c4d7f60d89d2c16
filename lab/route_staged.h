// SPDX-License-Identifier: GPL-3.0-or-later
// What the reader fills in first: nothing but numbers, NAN where nothing was given.
#ifndef LAB_ROUTE_STAGED_H
#define LAB_ROUTE_STAGED_H

#include <cammino_lab/files.h>
#include <cammino_lab/keys.h>

typedef struct staged_start {
    double x_mm, y_mm, heading_deg;
} staged_start;

typedef struct staged_move {
    double amount, speed_mm_s, acceleration_mm_s2, braking_mm_s2, tolerance, longest_s, halt,
        ending;
} staged_move;

typedef struct staged_band {
    double low, high;
} staged_band;

typedef struct staged_line {
    staged_band band;
    staged_start place;
    double tone, sensor, blind_mm, cruise_mm_s, creep_mm_s, least_width_mm, largest_entry_deg,
        longest_mm, longest_s, acceleration_mm_s2, braking_mm_s2, halt, ending, rest, beyond_mm,
        rounds, tolerance_mm, too_fast, effort, expected_mm;
} staged_line;

typedef struct staged_levels_leg {
    double distance_mm, angle_deg, speed_mm_s, longest_s;
} staged_levels_leg;

typedef struct staged_wiring_leg {
    double tone, speed_mm_s, swing_deg, longest_s;
} staged_wiring_leg;

typedef struct staged_geometry_leg {
    double tone, lines_mm, slant_deg, speed_mm_s, fast_mm_s, longest_mm, rounds, longest_s;
} staged_geometry_leg;

typedef struct staged_drive_leg {
    double fast_mm_s, rounds, longest_s;
} staged_drive_leg;

typedef struct staged_stay {
    staged_band band;
    double boundary, cruise_mm_s, too_fast, grazing, convex, guess, leave, angle_deg, margin_mm,
        acceleration_mm_s2, braking_mm_s2, halt, for_s, rebounds, distance_mm, touch, range_mm,
        charge_mm, charge_mm_s, scan_deg;
} staged_stay;

typedef struct staged_countdown {
    double seconds, longest_s;
} staged_countdown;

typedef struct staged_leg {
    staged_move advance, turn;
    staged_line drive_until_line, stop_on_line, square_on_line;
    staged_levels_leg take_levels;
    staged_wiring_leg check_wiring;
    staged_geometry_leg measure_geometry;
    staged_drive_leg measure_drive;
    staged_stay stay_inside;
    staged_countdown countdown;
} staged_leg;

typedef struct staged_stop {
    double x_mm, y_mm;
} staged_stop;

typedef struct staged_object {
    double x_mm, y_mm, radius_mm, mass_kg, friction_n, speed_mm_s;
    unsigned stops;
    staged_stop stop[8];
} staged_object;

typedef struct staged_route {
    char *robot, *mat;
    double mat_width_mm, mat_px_per_mm, mat_soft_mm, longest_s, start_pressed_s, stop_pressed_s;
    unsigned objects;
    staged_object object[CMO_SIM_OBJECTS_MAX];
    staged_start start;
    lab_spread spread;
} staged_route;

extern const lab_section labi_route_section, labi_start_section, labi_spread_section,
    labi_leg_section;
extern const lab_key labi_leg_keys[];

#endif
