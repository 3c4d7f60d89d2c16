// SPDX-License-Identifier: GPL-3.0-or-later
// What stands below a leg's line in the table of a run.
#ifndef CLI_TABLE_H
#define CLI_TABLE_H

#include "cli.h"

// What its own routine has come to, what it has counted and what it has passed over.
void table_leg(const lab_route *route, const lab_leg_result *leg);

// The lines alone: what it has counted and what it has passed over.
void table_counted(const lab_leg_result *leg);

// How a patrol drove, and how its rebounds were known; what stands behind the field by which one
// was refused.
void table_patrol(const lab_leg_result *leg);
void table_refused_patrol(const lab_leg_result *leg);

#endif
