// SPDX-License-Identifier: MIT
#include "edge_recall.h"

#include "../shared/routine.h"
#include "../shared/trig.h"
#include "last_line.h"
#include "line_candidates.h"

#include <math.h>

#if CMO_LAST_LINE

// From further off, or at more of an angle, another line may be meant.
#define NEAR_MM   200.0F
#define ALONG_RAD 1.2F
// So far beyond where it should have been it goes by it no longer.
#define LATE_MM 15.0F

// A line that was met is followed to its left or to its right: whichever the robot faces more.
static cmi_recalled against_line(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    const cmo_last_line *line = &robot->last_line;
    const cmo_pose *pose = &robot->odometer.pose;
    float x, y, sine, cosine, nx, ny;
    cmi_sin_cos(line->normal_rad, &ny, &nx);
    cmi_sin_cos(pose->heading_rad - line->normal_rad, &sine, &cosine);
    cmi_spot_of(robot, pose, state->sensor, &x, &y);
    // The normal leads from the near edge to the far one: driving to its left, on the right.
    float left = sine > 0.0F ? 1.0F : -1.0F;
    bool near = (state->parameters.edge == CMO_LINE_LEFT) == (left > 0.0F);
    float width = fmaxf(line->width_mm, state->parameters.least_width_mm);
    float beyond = x * nx + y * ny - line->offset_mm - (near ? 0.0F : width);
    return (cmi_recalled){-left * beyond, cmi_direction(left * sine, -left * cosine)};
}

bool cmi_edge_recall(const cmo_robot *robot, cmo_follow_edge_state *state, cmi_recalled *edge) {
    const cmo_last_line *line = &robot->last_line;
    // No table's edge; and what is a surface may be of either tone.
    bool alike = line->known && (line->tone == state->parameters.tone || line->surface != 0);
    if (!alike || state->recall == CMO_RECALL_NONE || state->looks_to != 0 ||
        state->parameters.edge == CMO_LINE_BOTH) {
        return false;
    }
    *edge = against_line(robot, state);
    if (state->recall == 0) {
        bool beside = fabsf(edge->off_mm) < NEAR_MM && fabsf(edge->angle_rad) < ALONG_RAD;
        int side = edge->off_mm > 0.0F ? 1 : -1;
        state->recall = (int8_t)(beside ? side : CMO_RECALL_NONE);
        // The rest of the search is along the line, too.
        state->start_rad = beside ? cmo_turned_rad(robot) - edge->angle_rad : state->start_rad;
    }
    if ((float)state->recall * edge->off_mm < -LATE_MM) { // it was not there
        state->recall = CMO_RECALL_NONE;
    }
    return state->recall != CMO_RECALL_NONE;
}

#endif
