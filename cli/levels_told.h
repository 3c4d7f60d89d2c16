// SPDX-License-Identifier: GPL-3.0-or-later
// How surely each sensor tells surfaces from each other; `told` has one entry a light sensor.
#ifndef LEVELS_TOLD_H
#define LEVELS_TOLD_H

#include "cli.h"

#include <json-glib/json-glib.h>

// What readings of each surface are told to be, a row each.
void cli_print_told(const lab_told *told, unsigned lights, const cmo_robot_description *d,
                    double change);

// Those that a sensor cannot tell apart. False: there are some.
bool cli_print_alike(const lab_told *told, unsigned lights);

// Of one sensor, as a member "told".
void cli_add_told(JsonBuilder *builder, const lab_told *told);

#endif
