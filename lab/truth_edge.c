// SPDX-License-Identifier: GPL-3.0-or-later
#include "truth_edge.h"

#include "truth.h"

#include <math.h>

#define EVERY     2    // records: 2 ms
#define JOINED_MM 20.0 // as a robot counts it

// A line's edge beside the spot: how far, and whether it is the one that is followed.
typedef struct edge_beside {
    bool there; // not where the nearest edge lies ahead or behind, as in a gap
    bool right;
    double off_mm;
} edge_beside;

static edge_beside beside(const lab_route *route, const cmo_sim *sim, const cmo_sim_truth *at,
                          unsigned sensor, cmo_line_side side) {
    const double h = 0.5;
    const cmo_sim_mat *mat = route->mat;
    double x, y;
    cmo_sim_spot(sim, at, sensor, &x, &y);
    double gx = cmo_sim_mat_distance(mat, CMO_SIM_LINE, x + h, y) -
                cmo_sim_mat_distance(mat, CMO_SIM_LINE, x - h, y);
    double gy = cmo_sim_mat_distance(mat, CMO_SIM_LINE, x, y + h) -
                cmo_sim_mat_distance(mat, CMO_SIM_LINE, x, y - h);
    double size = fmax(hypot(gx, gy), 1e-9);
    // Outward of the line, against the robot's own left.
    double left = (-gx * sin(at->heading_rad) + gy * cos(at->heading_rad)) / size;
    // Between two edges that are as near, as amid a crossing, the distance hardly changes.
    bool one = size > 0.9 * 2.0 * h;
    return (edge_beside){.there = one && fabs(left) > 0.7,
                         .right = (left > 0.0) == (side == CMO_LINE_LEFT),
                         .off_mm = cmo_sim_mat_distance(mat, CMO_SIM_LINE, x, y)};
}

void labi_edge_truth(const lab_route *route, const cmo_sim *sim, lab_leg_result *result,
                     const cmo_follow_edge_parameters *p) {
    unsigned sensor = p->sensor == CMO_SENSOR_RIGHT;
    double near = 0.5 * route->robot->plant.sensor[sensor].spot_mm;
    size_t count;
    const cmo_sim_truth *all = cmo_sim_recorded(sim, &count);
    size_t first = MIN(labi_first_at(all, count, result->start_ms), count - 1);
    double near_since = NAN;
    double joined_mm = NAN;
    double sum = 0.0;
    double squares = 0.0;
    double worst = 0.0;
    unsigned seen = 0;
    bool right = true;
    for (size_t i = first; i < count && cmo_sim_mat_has(route->mat, CMO_SIM_LINE); i += EVERY) {
        edge_beside edge = beside(route, sim, &all[i], sensor, p->edge);
        double off = fabs(edge.off_mm);
        if (!edge.there) {
            continue;
        }
        right = edge.right;
        if (!isfinite(joined_mm)) {
            bool on = right && off <= near;
            near_since = !on ? NAN : isnan(near_since) ? all[i].way_mm : near_since;
            if (all[i].way_mm - near_since >= JOINED_MM) {
                joined_mm = all[i].way_mm - all[first].way_mm;
            }
        } else {
            sum += off;
            squares += off * off;
            worst = fmax(worst, off);
            seen++;
        }
    }
    labi_put(&result->truth, CMO_EDGE_MEAN_MM, seen > 0 ? sum / seen : NAN);
    labi_put(&result->truth, CMO_EDGE_RMS_MM, seen > 0 ? sqrt(squares / seen) : NAN);
    labi_put(&result->truth, CMO_EDGE_WORST_MM, seen > 0 ? worst : NAN);
    labi_put(&result->truth, CMO_JOINED_MM, joined_mm);
    if (result->outcome == CMO_OUTCOME_DONE && !right) {
        result->outcome = CMO_OUTCOME_WRONG_LINE;
    }
}
