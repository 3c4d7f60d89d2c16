// SPDX-License-Identifier: MIT
#include <cammino/stated_line.h>

#include "../shared/description.h"
#include "../shared/trig.h"
#include "../tick/odometer.h"
#include "last_line.h"
#include "line_candidates.h"
#include "stated.h"

#include <math.h>
#include <stddef.h>

float cmi_square_rad(const cmo_robot *robot, const cmo_stated_line *line) {
    float square = cmi_radians(line->heading_deg);
    float turns = (robot->odometer.pose.heading_rad - square) / (2.0F * CMI_PI);
    return square + 2.0F * CMI_PI * floorf(turns + 0.5F);
}

void cmi_stand_beyond(cmo_robot *robot, const cmo_stated_line *line, float square_rad,
                      float beyond_mm) {
    cmo_pose *pose = &robot->odometer.pose;
    float nx, ny;
    cmi_sin_cos(square_rad, &ny, &nx);
    float along = (pose->y_mm - line->y_mm) * nx - (pose->x_mm - line->x_mm) * ny;
    pose->x_mm = line->x_mm + beyond_mm * nx - along * ny;
    pose->y_mm = line->y_mm + beyond_mm * ny + along * nx;
    cmi_last_line_state(robot, square_rad, line->x_mm * nx + line->y_mm * ny);
}

// How far beyond the near edge the rest was to be.
static float rest_mm(const cmo_line_state *state, float entry_rad) {
    const cmo_line_parameters *p = &state->parameters;
    switch (p->rest) {
    case CMO_REST_CENTRE:
        return 0.5F * cmi_line_width_mm(state, entry_rad) + p->beyond_mm;
    case CMO_REST_FAR_EDGE:
        return cmi_line_width_mm(state, entry_rad) + p->beyond_mm;
    case CMO_REST_NEAR_EDGE:
        return p->beyond_mm;
    default:
        return 0.0F; // where the halt left it: its error counts from the near edge
    }
}

// The middle of the sensors whose rest it is, from the middle of the axle.
static void rest_point(const cmo_robot *robot, const cmo_line_state *state, float *ahead_mm,
                       float *left_mm) {
    float ahead = 0.0F;
    float left = 0.0F;
    uint8_t count = 0;
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        if (state->watched & 1U << i) {
            ahead += robot->description->light[i].ahead_mm;
            left += robot->description->light[i].left_mm;
            count++;
        }
    }
    *ahead_mm = ahead / (float)count;
    *left_mm = left / (float)count;
}

bool cmo_take_pose(cmo_robot *robot, const cmo_line_state *state, const cmo_stated_line *line,
                   cmo_left_over *left_over) {
    const cmo_report *report = &robot->report;
    bool rests = report->routine == CMO_ROUTINE_STOP_ON_LINE ||
                 report->routine == CMO_ROUTINE_SQUARE_ON_LINE ||
                 report->routine == CMO_ROUTINE_COUNT_LINES;
    if (!rests || report->outcome != CMO_OUTCOME_DONE || report->by != CMO_BY_ITSELF ||
        report->sensor < 0 || robot->routine != NULL) {
        return false;
    }
    float entry = cmi_radians(cmo_figure_or(report, CMO_ENTRY_ANGLE_DEG, 0.0F));
    float error = cmo_figure_or(report, CMO_REST_ERROR_MM, 0.0F);
    float square = cmi_radians(line->heading_deg);
    bool angled = report->present & CMO_FIGURE_BIT(CMO_RESIDUAL_ANGLE_DEG);
    float residual_deg = cmo_figure_or(report, CMO_RESIDUAL_ANGLE_DEG, 0.0F);
    if (angled && report->routine == CMO_ROUTINE_COUNT_LINES) { // it knows it by many of them
        square = cmi_square_rad(robot, line);
        residual_deg = cmi_degrees(robot->odometer.pose.heading_rad - square);
    } else if (angled) {
        square = cmi_square_rad(robot, line);
        cmi_odometer_set_heading(&robot->odometer, robot->description,
                                 square + cmi_radians(residual_deg));
    }
    float sine, cosine, ahead, left;
    cmi_sin_cos(robot->odometer.pose.heading_rad - square, &sine, &cosine);
    rest_point(robot, state, &ahead, &left);
    cmi_stand_beyond(robot, line, square,
                     rest_mm(state, entry) + error - (ahead * cosine - left * sine));
    if (left_over != NULL) {
        *left_over =
            (cmo_left_over){state->parameters.rest != CMO_REST_HALTED ? error : 0.0F, residual_deg};
    }
    return true;
}
