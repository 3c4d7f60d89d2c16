// SPDX-License-Identifier: MIT
// How far ahead of what the wheels are to do their commands must run, so that they do it then.
#ifndef CMI_LEAD_H
#define CMI_LEAD_H

#include <cammino/robot.h>

// Each tick, after both wheels have been observed: learns by how much they trail their commands.
void cmi_lead_learn(cmo_robot *robot, float dt_s);

// A command holds for a tick and reaches the motors a little later, so a profile runs ahead of the
// wheels by that much in any case.
float cmi_held_s(const cmo_robot *robot);

// What commands lead by besides. What has not been learned yet is no lead: rather a longer stop
// than wheels that lock.
float cmi_lead_s(const cmo_robot *robot);

// Its wheels have still been fast where a profile had ended; holds for the routine. Of a lag that
// was measured it says nothing: that is what it is.
void cmi_lead_runs_on(cmo_robot *robot);

#endif
