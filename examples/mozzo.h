// SPDX-License-Identifier: MIT
// Mozzo, the robot of the examples: its description, its levels, and a port.
// On a real robot, write a file like mozzo.c whose port talks to your hardware.
#ifndef MOZZO_H
#define MOZZO_H

#include <cammino/cammino.h>

extern const cmo_robot_description mozzo;
extern const cmo_levels mozzo_levels[2];

// The simulated Mozzo on the car deck, 450 mm before the first cross line.
const cmo_port *mozzo_port(void);

// The same at the foot of the gangway, on whose ten stripes it drives.
const cmo_port *mozzo_gangway_port(void);

// The same at the beginning of the lane of the car deck, beside its left edge.
const cmo_port *mozzo_lane_port(void);

// The same at the beginning of the saloon's runner, astride it.
const cmo_port *mozzo_saloon_port(void);

/** The same with a crate that stands in the lane, as the robot of the crate yard sees it. */
const cmo_port *mozzo_lane_crate_port(void);

// Mozzo with sensors that see colour, and bumpers, on the cargo floor with its stripes in four
// colours; a crate stands at its end.
extern const cmo_robot_description mozzo_colour;
const cmo_port *mozzo_cargo_port(void);

// Mozzo dressed for the crate yard: the spots further out than the tyres, a range sensor, buttons.
extern const cmo_robot_description mozzo_yard;
extern const cmo_levels mozzo_yard_levels[2];
const cmo_port *mozzo_yard_port(void);

// The same on the ferry's top deck, which has no rail.
const cmo_port *mozzo_top_deck_port(void);

// Files that stand for the EEPROM. Read: how many bytes there are; 0: none.
bool mozzo_keep(const char *name, const uint8_t *bytes, size_t size);
size_t mozzo_kept(const char *name, uint8_t *bytes, size_t size);

#endif
