// SPDX-License-Identifier: MIT
// What the robot shows to people: a lamp, a display, a beeper, set by notifications.
#ifndef CMO_SIM_PANEL_H
#define CMO_SIM_PANEL_H

#include <cammino_simulator/simulator.h>

struct panel {
    char display[CMO_SIM_DISPLAY];
    cmo_sim_lamp lamp;
    double lit_until_us; // INFINITY: until the next routine
    double beeps_until_us;
};

void cmi_sim_panel_tell(struct panel *panel, const cmo_event *event, double now_us);

#endif
