// SPDX-License-Identifier: GPL-3.0-or-later
#include "truth_edge.h"

#include "truth.h"

#include <math.h>

#define EVERY          2    // records: 2 ms
#define JOINED_MM      20.0 // as a robot counts it
#define WIDEST_MM      200.0
#define STEP_MM        0.1
#define LEAST_AHEAD_MM 25.0 // as a robot takes it
#define SEEN_SHARE     0.5  // so too

// --------------------------------------------------------------------------------- the edge --

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

// One edge of a line beside a spot.
static lab_edge_beside edge_beside(const cmo_sim_mat *mat, const cmo_sim *sim,
                                   const cmo_sim_truth *at, unsigned sensor, bool outward_left) {
    const double h = 0.5;
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
    lab_edge_beside edge = {.there = one && fabs(left) > 0.7,
                            .right = (left > 0.0) == outward_left};
    double out = cmo_sim_mat_distance(mat, CMO_SIM_LINE, x, y);
    double nx = gx / size;
    double ny = gy / size;
    if (edge.there && !edge.right) { // the other edge is nearer
        nx = -nx;
        ny = -ny;
        out = -over_line(mat, x, y, nx, ny);
        edge.there = isfinite(out);
    }
    double side = outward_left ? 1.0 : -1.0;
    edge.off_mm = side * out;
    edge.left_x = side * nx;
    edge.left_y = side * ny;
    edge.x_mm = x - out * nx;
    edge.y_mm = y - out * ny;
    double into_x, into_y; // by points to both sides it is known more exactly
    if (edge.there &&
        cmo_sim_mat_normal(mat, CMO_SIM_LINE, edge.x_mm, edge.y_mm, &into_x, &into_y) &&
        into_x * nx + into_y * ny < -0.9) {
        edge.left_x = -side * into_x;
        edge.left_y = -side * into_y;
    }
    return edge;
}

// The line's middle, beside the middle between both spots: each is off its own edge by so much.
static lab_edge_beside middle_of(const lab_edge_beside *left, const lab_edge_beside *right) {
    lab_edge_beside middle = *left;
    middle.there = left->there && right->there;
    middle.right = true;
    middle.off_mm = 0.5 * (left->off_mm + right->off_mm);
    middle.x_mm = 0.5 * (left->x_mm + right->x_mm);
    middle.y_mm = 0.5 * (left->y_mm + right->y_mm);
    return middle;
}

lab_edge_beside labi_edge_beside(const lab_route *route, const cmo_sim *sim,
                                 const cmo_sim_truth *at, const cmo_follow_edge_parameters *p) {
    if (p->edge != CMO_LINE_BOTH) {
        bool right = p->sensor == CMO_SENSOR_RIGHT;
        return edge_beside(route->mat, sim, at, right, p->edge == CMO_LINE_LEFT);
    }
    lab_edge_beside left = edge_beside(route->mat, sim, at, 0, true);
    lab_edge_beside right = edge_beside(route->mat, sim, at, 1, false);
    return middle_of(&left, &right);
}

// ---------------------------------------------------------------------------------- figures --

// Where another line leaves this one and is passed by, the nearest edge becomes that one's: it
// turns by more at once than this, and than the way since asks for in the sharpest bend.
#define FORK_RAD   0.02
#define FORK_MM    150.0
#define ALONG_MM   10.0
#define SHARPER    2.0
#define JUMP_MM    1.5
#define JUMP_SHARE 0.2

typedef struct follow {
    double along_rad, along_mm; // of the edge a short while before, and the way then
    double off_mm, off_at_mm;   // when it was followed last
    double near_since_mm, joined_mm, joined_ms;
    double sum, squares, worst;
    unsigned seen;
    bool right;
    cmo_sim_truth before; // the record before, where there was an edge
    bool swings_on;       // since then
    double wobble_rad, squares_rad2;
    unsigned angles, swings;
    int side;
} follow;

static void count_off(follow *f, const lab_edge_beside *edge, const cmo_sim_truth *at, double near,
                      const cmo_sim_truth *first) {
    double off = fabs(edge->off_mm);
    f->right = edge->right;
    if (isfinite(f->joined_mm)) {
        f->sum += off;
        f->squares += off * off;
        f->worst = fmax(f->worst, off);
        f->seen++;
        return;
    }
    bool on = edge->right && off <= near;
    f->near_since_mm = !on ? NAN : isnan(f->near_since_mm) ? at->way_mm : f->near_since_mm;
    if (at->way_mm - f->near_since_mm >= JOINED_MM) {
        f->joined_mm = at->way_mm - first->way_mm;
        f->joined_ms = at->time_ms - first->time_ms;
    }
}

// The edge goes on as it did.
static bool leads_on(follow *f, const lab_edge_beside *edge, const cmo_sim_truth *at,
                     double tightest_mm) {
    double along = atan2(-edge->left_x, edge->left_y);
    double gone = at->way_mm - f->along_mm;
    double turned = fabs(remainder(along - f->along_rad, 2.0 * G_PI));
    // Over a wide mouth the line's other edge is the nearest, and it is far to where the line ends.
    double jump = fabs(edge->off_mm - f->off_mm);
    double since = at->way_mm - f->off_at_mm;
    bool on = !isfinite(f->along_rad) || gone > FORK_MM ||
              (turned < FORK_RAD + SHARPER * fmin(gone, 1.2 * ALONG_MM) / tightest_mm &&
               jump < JUMP_MM + JUMP_SHARE * since);
    if (on) {
        f->off_mm = edge->off_mm;
        f->off_at_mm = at->way_mm;
    }
    if (!isfinite(f->along_rad) || (on && gone > ALONG_MM)) {
        f->along_rad = along;
        f->along_mm = at->way_mm;
    }
    return on;
}

// By how much it is turned off what it would be had its spot stayed on the edge: there that runs
// along the edge, and what of it lies across the robot turns it about its axle.
static void count_swing(follow *f, const lab_edge_beside *edge, const cmo_sim_truth *at,
                        const cmo_sim_light *spot) {
    double along = atan2(-edge->left_x, edge->left_y);
    double turn = at->heading_rad - f->before.heading_rad;
    double gone =
        hypot(at->way_mm - f->before.way_mm - spot->left_mm * turn, spot->ahead_mm * turn);
    bool goes_on = f->swings_on;
    f->before = *at;
    f->swings_on = isfinite(f->joined_mm);
    if (!goes_on) {
        f->wobble_rad = 0.0;
        return;
    }
    double angle = at->heading_rad - along;
    f->wobble_rad +=
        turn - sin(f->wobble_rad - angle) * gone / fmax(spot->ahead_mm, LEAST_AHEAD_MM);
    f->squares_rad2 += f->wobble_rad * f->wobble_rad;
    f->angles++;
    if (fabs(f->wobble_rad) > (double)CMO_SWING_RAD) {
        int side = f->wobble_rad > 0.0 ? 1 : -1;
        f->swings += side == -f->side;
        f->side = side;
    }
}

void labi_put_swings(lab_figures *figures, double squares_rad2, unsigned swings,
                     double followed_s) {
    labi_put(figures, CMO_WOBBLE_DEG, sqrt(squares_rad2) * 180.0 / G_PI);
    labi_put(figures, CMO_WOBBLE_HZ, swings >= 3 ? 0.5 * swings / followed_s : NAN);
}

void labi_put_mean_speed(lab_figures *figures) {
    labi_put(figures, CMO_MEAN_SPEED_MM_S,
             figures->value[CMO_TRAVELLED_MM] / (1e-3 * figures->value[CMO_ELAPSED_MS]));
}

void labi_edge_truth(const lab_route *route, const cmo_sim *sim, lab_leg_result *result,
                     const cmo_follow_edge_parameters *p) {
    unsigned sensor = p->sensor == CMO_SENSOR_RIGHT;
    cmo_sim_light spot = route->robot->plant.sensor[sensor];
    double near = 0.5 * spot.spot_mm;
    if (p->edge == CMO_LINE_BOTH) {
        const cmo_sim_light *right = &route->robot->plant.sensor[1];
        double wider = fabs(spot.left_mm - right->left_mm - (double)p->width_mm);
        near += fmax(0.5 * (wider - SEEN_SHARE * spot.spot_mm), 0.0);
        spot.ahead_mm = 0.5 * (spot.ahead_mm + right->ahead_mm);
        spot.left_mm = 0.5 * (spot.left_mm + right->left_mm);
    }
    size_t count;
    const cmo_sim_truth *all = cmo_sim_recorded(sim, &count);
    size_t first = MIN(labi_first_at(all, count, result->start_ms), count - 1);
    follow f = {
        .near_since_mm = NAN, .joined_mm = NAN, .joined_ms = NAN, .right = true, .along_rad = NAN};
    for (size_t i = first; i < count && cmo_sim_mat_has(route->mat, CMO_SIM_LINE); i += EVERY) {
        lab_edge_beside edge = labi_edge_beside(route, sim, &all[i], p);
        if (result->forks > 0 && edge.there) {
            edge.there = leads_on(&f, &edge, &all[i], (double)p->tightest_mm);
        }
        f.swings_on = f.swings_on && edge.there;
        if (edge.there) {
            count_off(&f, &edge, &all[i], near, &all[first]);
            if (all[i].time_ms - result->start_ms < result->followed_ms) {
                count_swing(&f, &edge, &all[i], &spot);
            }
        }
    }
    lab_figures *truth = &result->truth;
    labi_put(truth, CMO_EDGE_MEAN_MM, f.seen > 0 ? f.sum / f.seen : NAN);
    labi_put(truth, CMO_EDGE_RMS_MM, f.seen > 0 ? sqrt(f.squares / f.seen) : NAN);
    labi_put(truth, CMO_EDGE_WORST_MM, f.seen > 0 ? f.worst : NAN);
    labi_put(truth, CMO_JOINED_MM, f.joined_mm);
    labi_put(truth, CMO_JOINED_MS, f.joined_ms);
    double followed_s = 1e-3 * (result->followed_ms - f.joined_ms);
    labi_put_swings(truth, f.angles > 0 ? f.squares_rad2 / f.angles : NAN, f.swings, followed_s);
    labi_put_mean_speed(truth);
    if (result->outcome == CMO_OUTCOME_DONE && !f.right) {
        result->outcome = CMO_OUTCOME_WRONG_LINE;
    }
}
