// SPDX-License-Identifier: MIT
// The figures of a line that was met: its looks, its crossing, and where the robot stands.
#include "line_figures.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "last_line.h"
#include "line_candidates.h"
#include "line_halt.h"

#include <math.h>
#include <stddef.h>

void cmi_line_write_looks(cmo_robot *robot, const cmo_line_state *state) {
    uint32_t sum_us = 0;
    uint32_t worst_us = 0;
    uint32_t count = 0;
    float gap_mm = 0.0F;
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        const cmo_light *light = &robot->light[i];
        if (state->watched & 1U << i) {
            sum_us += light->interval_sum_us;
            count += light->intervals;
            worst_us = light->interval_worst_us > worst_us ? light->interval_worst_us : worst_us;
            gap_mm = fmaxf(gap_mm, light->gap_worst_mm);
        }
    }
    if (count > 0) {
        cmi_set_figure(robot, CMO_LOOK_INTERVAL_MS, (float)sum_us * 1e-3F / (float)count);
        cmi_set_figure(robot, CMO_LOOK_INTERVAL_WORST_MS, (float)worst_us * 1e-3F);
        cmi_set_figure(robot, CMO_BLIND_GAP_MM, gap_mm);
    }
}

// When the robot's heading is to the left of the perpendicular, the right sensor crosses first:
// tan(angle) = (left way - right way) / (left place - right place). That is to the heading at the
// start; what it has turned since comes to it.
float cmi_line_entry_rad(const cmo_robot *robot, float later_mm, float turn_rad) {
    float start = (robot->start_right_mm - robot->start_left_mm) / robot->description->track_mm;
    return cmi_atan(later_mm / cmi_across_mm(robot->description)) + turn_rad - start;
}

// That of the line through both crossing points.
static bool entry_angle(const cmo_robot *robot, const cmo_line_state *state, uint8_t first,
                        float *angle_rad) {
    const cmo_candidate *left = &state->candidate[0];
    const cmo_candidate *right = &state->candidate[CMI_FRONT - 1];
    bool both = CMI_FRONT > 1 && left->open && right->open &&
                fabsf(cmi_across_mm(robot->description)) >= 1.0F;
    if (both) {
        *angle_rad = cmi_line_entry_rad(robot, cmi_line_begins_later_mm(robot, state),
                                        state->candidate[first].turn_rad);
    }
    return both;
}

void cmi_line_write_settling(cmo_robot *robot, const cmo_line_state *state) {
    const cmo_candidate *candidate = &state->candidate[cmi_line_first(robot, state)];
    cmi_line_write_looks(robot, state);
    cmi_set_figure(robot, CMO_CROSSING_SPEED_MM_S, candidate->speed_mm_s);
    if (state->stood) {
        int32_t settled_us = (int32_t)(robot->clock_us - robot->still_us - state->stood_us);
        cmi_set_figure(robot, CMO_SETTLE_MS, fmaxf((float)settled_us * 1e-3F, 0.0F));
    }
}

void cmi_line_finish(cmo_robot *robot, cmo_line_state *state, cmi_off_rest off_rest) {
    uint8_t sensor = cmi_line_first(robot, state);
    const cmo_candidate *candidate = &state->candidate[sensor];
    cmi_line_write_settling(robot, state);
    float angle = 0.0F;
    bool angled = entry_angle(robot, state, sensor, &angle);
    if (angled) {
        cmi_set_figure(robot, CMO_ENTRY_ANGLE_DEG, cmi_degrees(angle));
    }
    if (state->stood) {
        float sine, cosine;
        cmi_sin_cos(angle, &sine, &cosine);
        float beyond = cmi_way_now(robot, sensor) - candidate->near.way_mm;
        float both = beyond;
        if (angled) { // the rest point is the middle of the spots
            both = 0.5F * (cmi_way_now(robot, 0) - state->candidate[0].near.way_mm +
                           cmi_way_now(robot, 1) - state->candidate[1].near.way_mm);
        }
        float back = fmaxf(state->furthest_mm - beyond, 0.0F); // came back by itself
        if (CMO_SLIDING) {
            float stands = cmi_line_stands_mm(robot, state);
            both += stands;
            back += cmi_line_ran_mm(robot, state) - stands;
        }
        float off = off_rest != NULL ? off_rest(robot, state, both) : both;
        cmi_set_figure(robot, CMO_REST_ERROR_MM, off * cosine);
        cmi_set_figure(robot, CMO_OVERSHOOT_MM, (off + back) * cosine);
        if (angled) {
            float turned = cmo_turned_rad(robot) - candidate->turn_rad;
            cmi_set_figure(robot, CMO_RESIDUAL_ANGLE_DEG, cmi_degrees(angle + turned));
        }
    }
    cmi_last_line_met(robot, state, sensor, angled, angle);
    if (CMO_SLIDING && state->slid) {
        robot->report.estimated |=
            robot->report.present &
            (CMO_FIGURE_BIT(CMO_STOPPING_DISTANCE_MM) | CMO_FIGURE_BIT(CMO_OVERSHOOT_MM) |
             CMO_FIGURE_BIT(CMO_REST_ERROR_MM));
    }
    if (robot->halt == 0) {
        cmi_end_moving(robot);
    } else {
        cmi_end(robot, CMO_OUTCOME_DONE);
    }
}
