// SPDX-License-Identifier: MIT
// What may end any routine besides itself.
#ifndef CMI_ENDS_H
#define CMI_ENDS_H

#include <cammino/ends.h>

// Whether they make sense on this robot.
cmo_outcome cmi_check_ends(cmo_robot *robot, const cmo_ends *ends);

// Whether any of them is stated, and any that counts from the routine's start.
bool cmi_any_end(const cmo_ends *ends);
bool cmi_any_way(const cmo_ends *ends);

// The end that is met in this tick; CMO_BY_ITSELF: none. `time_ms` has passed; without `ways` those
// are not looked at. A sensor that ought to see lines and is silent ends the routine itself.
cmo_by cmi_end_met(cmo_robot *robot, const cmo_ends *ends, cmo_ends_seen *seen, uint32_t time_ms,
                   bool ways);

// Ends the routine by that: at once, moving, or by the step of `stop`, which brings it to a stand.
void cmi_end_by(cmo_robot *robot, const cmo_ends *ends, cmo_by by, cmo_routine *stop);

#endif
