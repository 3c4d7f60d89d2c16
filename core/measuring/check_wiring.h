// SPDX-License-Identifier: MIT
// The halves of the wiring check: wheels that swing (wiring_swings.c), then straight passes
// (wiring_straight.c). The routine around them is check_wiring.c.
#ifndef CMI_CHECK_WIRING_H
#define CMI_CHECK_WIRING_H

#include "../shared/routine.h"

#include <cammino/check_wiring.h>

static inline void cmi_wiring_find(cmo_robot *robot, cmo_check_wiring_state *state,
                                   cmo_finding finding) {
    if (!(state->findings & CMO_FINDING_BIT(finding))) {
        state->findings |= CMO_FINDING_BIT(finding);
        cmi_notify(robot, CMO_EVENT_FINDING, (int)finding);
    }
}

// A tick of each half; true: it is done, and judged.
bool cmi_wiring_swing(cmo_robot *robot, cmo_check_wiring_state *state);
bool cmi_wiring_pass(cmo_robot *robot, cmo_check_wiring_state *state);

// Begins the pass that is due.
void cmi_wiring_begin_pass(cmo_robot *robot, cmo_check_wiring_state *state);

// A sensor's fresh look in each half.
void cmi_wiring_look_swinging(const cmo_robot *robot, cmo_check_wiring_state *state,
                              uint8_t sensor);
void cmi_wiring_look_passing(const cmo_robot *robot, cmo_check_wiring_state *state, uint8_t sensor);

#endif
