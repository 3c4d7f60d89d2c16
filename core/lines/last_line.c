// SPDX-License-Identifier: MIT
#include "last_line.h"

#include "../shared/description.h"
#include "../shared/trig.h"
#include "line_candidates.h"

#include <math.h>

#if CMO_LAST_LINE

static uint8_t surface_of(const cmo_line_parameters *search) {
#if CMO_SURFACES_MAX > 0
    return search->surface;
#else
    (void)search;
    return 0;
#endif
}

void cmi_last_line_keep(cmo_robot *robot, const cmo_line_parameters *search, float angle_rad,
                        float axle_mm, float width_mm) {
    const cmo_pose *pose = &robot->odometer.pose;
    cmo_last_line *line = &robot->last_line;
    float nx, ny;
    line->normal_rad = pose->heading_rad - angle_rad;
    cmi_sin_cos(line->normal_rad, &ny, &nx);
    line->offset_mm = pose->x_mm * nx + pose->y_mm * ny - axle_mm;
    line->width_mm = width_mm;
    line->tone = (uint8_t)search->tone;
    line->surface = surface_of(search);
    line->known = true;
}

void cmi_last_line_met(cmo_robot *robot, const cmo_line_state *state, uint8_t sensor, bool both,
                       float entry_rad) {
    const cmo_light_description *d = robot->description->light;
    float beyond = cmi_way_now(robot, sensor) - state->candidate[sensor].near.way_mm;
    float ahead = d[sensor].ahead_mm;
    float left = d[sensor].left_mm;
    if (both) {
        uint8_t other = (uint8_t)(1U - sensor);
        beyond = 0.5F * (beyond + cmi_way_now(robot, other) - state->candidate[other].near.way_mm);
        ahead = 0.5F * (ahead + d[other].ahead_mm);
        left = 0.5F * (left + d[other].left_mm);
    }
    float sine, cosine, entry_sine, entry_cosine;
    float now_rad = entry_rad + cmo_turned_rad(robot) - state->candidate[sensor].turn_rad;
    cmi_sin_cos(now_rad, &sine, &cosine);
    cmi_sin_cos(entry_rad, &entry_sine, &entry_cosine);
    cmi_last_line_keep(robot, &state->parameters, now_rad,
                       beyond * entry_cosine - (ahead * cosine - left * sine),
                       cmi_line_width_mm(state, entry_rad));
}

void cmi_last_line_state(cmo_robot *robot, float normal_rad, float offset_mm) {
    cmo_last_line *line = &robot->last_line;
    line->normal_rad = normal_rad;
    line->offset_mm = offset_mm;
}

cmi_halted cmi_last_line_halted(const cmo_robot *robot, const cmo_line_parameters *search) {
    const cmo_report *report = &robot->report;
    const cmo_last_line *line = &robot->last_line;
    bool alike =
        line->known && line->tone == (uint8_t)search->tone && line->surface == surface_of(search);
    bool halted =
        report->present & CMO_FIGURE_BIT(CMO_OVERSHOOT_MM); // not where it counts them all
    if (!alike || !halted || report->outcome != CMO_OUTCOME_DONE ||
        fabsf(cmo_speed_mm_s(robot)) > CMI_STANDS_MM_S) {
        return CMI_HALTED_ELSEWHERE;
    }
    switch (report->routine) {
    case CMO_ROUTINE_DRIVE_UNTIL_LINE:
    case CMO_ROUTINE_STOP_ON_LINE:
    case CMO_ROUTINE_COUNT_LINES:
        return CMI_HALTED_AT_LINE;
    case CMO_ROUTINE_SQUARE_ON_LINE:
        return CMI_HALTED_SQUARED;
    default:
        return CMI_HALTED_ELSEWHERE;
    }
}

// Nearer to its direction than this, driving on leads along the line and not off it.
#define ALONG_COS 0.2F

// How far each spot is beyond its near edge, and the cosine of the heading against its normal; 0
// where no way ahead or back leads off it.
static float spots_beyond(const cmo_robot *robot, float beyond_mm[CMO_LIGHTS_MAX]) {
    const cmo_last_line *line = &robot->last_line;
    const cmo_pose *pose = &robot->odometer.pose;
    float sine, cosine, nx, ny;
    cmi_sin_cos(pose->heading_rad - line->normal_rad, &sine, &cosine);
    cmi_sin_cos(line->normal_rad, &ny, &nx);
    if (!line->known || fabsf(cosine) < ALONG_COS) {
        return 0.0F;
    }
    float axle = pose->x_mm * nx + pose->y_mm * ny - line->offset_mm;
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        const cmo_light_description *d = &robot->description->light[i];
        beyond_mm[i] = axle + d->ahead_mm * cosine - d->left_mm * sine;
    }
    return cosine;
}

float cmi_last_line_clear_mm(const cmo_robot *robot, uint8_t watched) {
    float beyond[CMO_LIGHTS_MAX] = {0};
    float cosine = spots_beyond(robot, beyond);
    float clear = 0.0F;
    for (uint8_t i = 0; i < cmi_front_lights(robot->description) && cosine != 0.0F; i++) {
        if (!(watched & 1U << i)) {
            continue;
        }
        // A spot that is surely beyond the near edge is on the line or behind it: what it crosses
        // next is no near edge of this one. Coming back, it has to be before that.
        float slack = cmi_line_slack_mm(robot, i);
        float far = cosine > 0.0F ? slack + robot->last_line.width_mm : -slack;
        clear = fmaxf(clear, (far - beyond[i]) / cosine);
    }
    return clear;
}

float cmi_last_line_before_mm(const cmo_robot *robot) {
    float beyond[CMO_LIGHTS_MAX] = {0};
    float cosine = spots_beyond(robot, beyond);
    float back = 0.0F;
    for (uint8_t i = 0; i < cmi_front_lights(robot->description) && cosine > 0.0F; i++) {
        back = fmaxf(back, (beyond[i] + cmi_line_slack_mm(robot, i)) / cosine);
    }
    return back;
}

#endif
