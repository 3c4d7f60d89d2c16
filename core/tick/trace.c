// SPDX-License-Identifier: MIT
// The trace: a robot's state as a row. A program that sets no trace links nothing of it.
#include <cammino/trace.h>

#include "../shared/trig.h"
#include "odometer.h"
#include "surfaces.h"

#include <math.h>

// What a crossing has to pass: about the one threshold, or the ends of a band.
static cmo_band shown_band(const cmo_robot *robot) {
    for (uint8_t i = 0; i < robot->description->lights; i++) {
        const cmo_edge *edge = &robot->light[i].edge;
        if (robot->light[i].watching && cmi_light_by_tone(&robot->light[i])) {
            float low = isinf(edge->band.low) ? edge->band.high : edge->band.low;
            float high = isinf(edge->band.high) ? edge->band.low : edge->band.high;
            float half = low == high ? edge->hysteresis : 0.0F;
            return (cmo_band){low - half, high + half};
        }
    }
    return (cmo_band){NAN, NAN};
}

static void write_row(const cmo_robot *robot) {
    const cmo_report *report = &robot->report;
    cmo_band band = shown_band(robot);
    cmo_trace_row row = {
        .run_us = robot->run_ms * 1000U + robot->run_us,
        .routine = report->routine,
        .stage = robot->stage,
        .halted = robot->halt,
        .x_mm = robot->odometer.pose.x_mm,
        .y_mm = robot->odometer.pose.y_mm,
        .heading_deg = cmi_degrees(robot->odometer.pose.heading_rad),
        .way_mm = cmo_way_mm(robot),
        .left_mm_s = robot->left.speed_mm_s,
        .right_mm_s = robot->right.speed_mm_s,
        .left_command_mm_s = robot->left.command_mm_s,
        .right_command_mm_s = robot->right.command_mm_s,
        .band_low = band.low,
        .band_high = band.high,
        .crossing_mm = NAN,
    };
    float start_mm = 0.5F * (robot->start_left_mm + robot->start_right_mm);
    if (report->sensor >= 0) {
        row.crossing_mm = report->crossing_mm + start_mm;
    }
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        row.reflectance[i] = robot->light[i].seen ? robot->light[i].reflectance : NAN;
        row.counts[i] = robot->light[i].seen ? (float)robot->light[i].counts : NAN;
        float look_mm =
            robot->light[i].way_mm -
            cmi_sensor_way(robot->description, i, robot->start_left_mm, robot->start_right_mm) +
            start_mm;
        row.look_mm[i] = robot->light[i].seen ? look_mm : NAN;
    }
    robot->trace(robot->trace_context, &row);
}

void cmo_robot_set_trace(cmo_robot *robot, cmo_trace_function function, void *context) {
    robot->trace = function;
    robot->trace_context = context;
    robot->write_row = function != NULL ? write_row : NULL;
}
