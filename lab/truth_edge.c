// SPDX-License-Identifier: GPL-3.0-or-later
#include "truth_edge.h"

#include "truth.h"

#include <math.h>

#define EVERY     2    // records: 2 ms
#define JOINED_MM 20.0 // as a robot counts it
#define WIDEST_MM 200.0
#define STEP_MM   0.1

// A line's edge beside the spot: how far, and whether it is the one that is followed.
typedef struct edge_beside {
    bool there;    // not where the nearest edge lies ahead or behind, as in a gap
    bool right;    // the nearest one is it
    double off_mm; // from the one that is followed
} edge_beside;

// From beside the line's other edge, over the line: how far it is to where that ends. Along another
// line, as amid a crossing, it ends nowhere.
static double over_line(const cmo_sim_mat *mat, double x, double y, double nx, double ny) {
    bool met = false;
    double way = 0.0;
    for (bool inside = true; way < WIDEST_MM && (inside || !met); way += STEP_MM) {
        inside = cmo_sim_mat_inside(mat, x + way * nx, y + way * ny) & 1U << CMO_SIM_LINE;
        met = met || inside;
    }
    return way < WIDEST_MM ? way : NAN;
}

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
    edge_beside edge = {.there = one && fabs(left) > 0.7,
                        .right = (left > 0.0) == (side == CMO_LINE_LEFT),
                        .off_mm = fabs(cmo_sim_mat_distance(mat, CMO_SIM_LINE, x, y))};
    if (edge.there && !edge.right) { // the other edge is nearer
        edge.off_mm = over_line(mat, x, y, -gx / size, -gy / size);
        edge.there = isfinite(edge.off_mm);
    }
    return edge;
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
        double off = edge.off_mm;
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
