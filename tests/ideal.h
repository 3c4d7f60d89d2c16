// SPDX-License-Identifier: GPL-3.0-or-later
#ifndef IDEAL_H
#define IDEAL_H

#include "support.h"

// A robot on paper whose wheels do at once as they are told, on a floor with a dark line.
typedef struct ideal {
    paper_port paper;
    cmo_robot_description description;
    cmo_robot robot;
    double left_mm, right_mm;
    double line_mm, width_mm; // along the spots' way
    unsigned ticks;
    double fastest_mm_s;   // that the motors can; 0: as fast as they are told
    double drive_fails_mm; // from there on drive commands fail; 0: never
    double floor_counts;   // that the floor reads; 0: as the levels say
    double pushed_mm;      // by another robot, in each tick
    bool dithers;          // the left encoder stands on the brink of a count
    uint8_t sequence;
} ideal;

void start_ideal(ideal *r, uint16_t traits);

// With a range sensor that sees nothing, bumpers and a start button.
#define ALL_TRAITS (PLAIN_TRAITS | CMO_TRAIT_RANGE | CMO_TRAIT_TOUCH | CMO_TRAIT_START)
void start_all(ideal *r);

// One turn of the loop, `us` after the last one.
cmo_outcome turn(ideal *r, uint32_t us);

// Goes on until it ends, or for so many ticks.
cmo_outcome run_ideal(ideal *r, cmo_outcome started, unsigned most_ticks);

#endif
