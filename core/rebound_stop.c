// SPDX-License-Identifier: MIT
// What a rebound's stop has shown: how far it takes, and by how much the tyres slid meanwhile.
#include "description.h"
#include "rebound.h"
#include "wall.h"

#include <math.h>

// A stop does not get longer by more than the square of the speed: where one from v has taken the
// way s, the way that is left, S, is kept to from v sqrt(S / s) on. Slower at once, faster again by
// and by.
void cmo_rebound_learn(cmo_stay_state *state) {
    float speed = fabsf(state->last.speed_mm_s);
    if (!state->held || state->stop_mm < 1.0F || speed < 0.4F * state->cruise_mm_s) {
        return;
    }
    float safe = speed * sqrtf(state->budget.stop_mm / state->stop_mm) / state->cruise_mm_s;
    float share = fmaxf(fminf(safe, 1.0F), 0.3F);
    state->share = share > state->share ? 0.5F * (state->share + share) : share;
}

void cmo_rebound_stood(const cmo_robot *robot, cmo_stay_state *state) {
    state->stop_mm = cmo_way_mm(robot) - state->wall.entry_way_mm;
    state->slid = false;
}

void cmo_rebound_note_slide(cmo_robot *robot, cmo_stay_state *state) {
    const cmo_robot_description *d = robot->description;
    cmo_wall *wall = &state->wall;
    const cmo_light *light = &robot->light[wall->first];
    for (uint8_t n = 0; n < light->crossings && !state->slid; n++) {
        if (light->crossing[n].entering) {
            continue;
        }
        float slid = cmo_wall_leave(wall, robot, light->crossing[n].time_us);
        // Gear play and counts are no sliding.
        float least = d->gear_play_mm + 2.0F * fmaxf(d->left_step_mm, d->right_step_mm) + 1.0F;
        // Still sliding on, it may leave a rim on the other side first: that is no way back.
        state->slid = slid > least && slid < 500.0F;
        if (state->slid) {
            cmo_wall_shift(wall, robot, slid);
            state->stop_mm += slid;
            float further = fminf(slid, fmaxf(state->come_mm, 0.0F));
            state->back_to_mm -= further;
            state->come_mm -= further;
            state->last.back_mm += further;
            state->last.margin_mm -= slid;
            state->margin_mm = fminf(state->margin_mm, state->last.margin_mm);
        }
    }
}
