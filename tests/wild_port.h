// SPDX-License-Identifier: GPL-3.0-or-later
// The port from hell, the robot on it, and the dice that both are drawn with.
#ifndef WILD_PORT_H
#define WILD_PORT_H

#include <cammino/cammino.h>

typedef struct dice {
    uint64_t state;
    const uint8_t *bytes;
    uint64_t left;
} dice;

// From 0 to 1; true with this share; 0 to count - 1; from low to high.
double dice_unit(dice *d);
bool dice_chance(dice *d, double share);
unsigned dice_pick(dice *d, unsigned count);
float dice_between(dice *d, double low, double high);
// A parameter: as a rule its default or one that makes sense, now and then one that does not.
float dice_number(dice *d, double low, double high);

typedef struct wild {
    dice dice;
    cmo_port port;
    cmo_robot_description description;
    // how often each goes wrong
    double sample_not_yet, sample_fails, drive_not_yet, drive_fails, no_counts, no_looks, odd_looks;
    double counts_jump, clock_jumps, clock_back, clock_stands, odd_sample, buttons;
    unsigned halt_fails; // so many more calls
    cmo_status halt_failure;
    uint32_t patience; // ticks until whoever stands beside it aborts a routine; 0: for ever
    // the robot
    double x_mm, y_mm, heading_rad, left_mm, right_mm, left_mm_s, right_mm_s, left_set, right_set;
    double lag_ms;
    uint32_t offset[2]; // of the counts
    uint32_t clock_us, deadline_us, counts_us;
    bool boundary;
    uint8_t sequence[CMO_LIGHTS_MAX];
    // what the library asked for
    unsigned drives, halts, calls;
    bool last_is_halt, last_halt_ok;
    const char *wrong;
} wild;

// The first complaint stays.
void wild_complain(wild *w, const char *what);

// Time and the robot go on.
void wild_go(wild *w, uint32_t us);

// A robot, and a port with its faults, to be drawn after it.
void wild_draw_description(wild *w);

void wild_draw_port(wild *w);

// From now on the port is in good health.
void wild_heal(wild *w);

#endif
