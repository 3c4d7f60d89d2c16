// SPDX-License-Identifier: GPL-3.0-or-later
// Stop and square on one robot, and common practice on the same robot: a line of a table each.
#ifndef COMPARE_H
#define COMPARE_H

#include <cammino_lab/files.h>

#define COMPARE_MOST 1000 // trials

// A robot of the demo data.
lab_robot *compare_robot(const char *name);

void compare_head(int runs);

// Prints the robot's lines, and takes it. False: somewhere it is worse than common practice.
bool compare(const char *name, lab_robot *robot, int runs);

#endif
