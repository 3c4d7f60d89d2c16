// SPDX-License-Identifier: MIT
// Whether a robot description makes sense.
#ifndef CMO_DESCRIPTION_H
#define CMO_DESCRIPTION_H

#include <cammino/robot.h>

// False: robot->field names the field, robot->limit the nearest value that would do.
bool cmo_check_description(cmo_robot *robot, const cmo_robot_description *description,
                           uint16_t traits);

#endif
