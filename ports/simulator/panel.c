// SPDX-License-Identifier: MIT
#include "panel.h"

#include "simulator_state.h"

#include <math.h>

#define LIT_US  300000.0 // long enough for an eye that looks elsewhere
#define BEEP_US 100000.0
#define LONG_US 600000.0

static void light_up(struct panel *panel, cmo_sim_lamp lamp, double until_us) {
    panel->lamp = lamp;
    panel->lit_until_us = until_us;
}

void cmi_sim_panel_tell(struct panel *panel, const cmo_event *event, double now_us) {
    switch (event->kind) {
    case CMO_EVENT_START:
        light_up(panel, CMO_SIM_LAMP_OFF, now_us);
        break;
    case CMO_EVENT_CROSSING:
        light_up(panel, CMO_SIM_LAMP_GREEN, now_us + LIT_US);
        break;
    case CMO_EVENT_LINE: // these are what people count along with
    case CMO_EVENT_COUNTDOWN:
    case CMO_EVENT_REBOUND:
        g_snprintf(panel->display, sizeof panel->display, "%d", event->value);
        light_up(panel, CMO_SIM_LAMP_GREEN, now_us + LIT_US);
        panel->beeps_until_us = now_us + BEEP_US;
        break;
    case CMO_EVENT_PASSED_OVER:
        light_up(panel, CMO_SIM_LAMP_AMBER, now_us + LIT_US);
        break;
    case CMO_EVENT_LEVELS:
        g_strlcpy(panel->display, "levels", sizeof panel->display);
        light_up(panel, CMO_SIM_LAMP_AMBER, INFINITY);
        break;
    case CMO_EVENT_FINDING:
        g_snprintf(panel->display, sizeof panel->display, "fault %d", event->value);
        light_up(panel, CMO_SIM_LAMP_AMBER, INFINITY);
        break;
    case CMO_EVENT_END:
        if (event->value != CMO_OUTCOME_DONE) {
            g_strlcpy(panel->display, cmo_outcome_name((cmo_outcome)event->value),
                      sizeof panel->display);
            light_up(panel, CMO_SIM_LAMP_RED, INFINITY);
            panel->beeps_until_us = now_us + LONG_US;
        }
        break;
    case CMO_EVENT_LEG:
    case CMO_EVENT_STAGE:
        break;
    }
}

cmo_sim_panel cmo_sim_panel_now(const cmo_sim *sim) {
    const struct panel *panel = &sim->panel;
    cmo_sim_panel now = {.lamp = sim->now_us < panel->lit_until_us ? panel->lamp : CMO_SIM_LAMP_OFF,
                         .beeps = sim->now_us < panel->beeps_until_us};
    g_strlcpy(now.display, panel->display, sizeof now.display);
    return now;
}

const char *cmo_sim_lamp_name(cmo_sim_lamp lamp) {
    static const char *const names[] = {"", "green", "amber", "red"};
    return (unsigned)lamp < G_N_ELEMENTS(names) ? names[lamp] : "?";
}
