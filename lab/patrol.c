// SPDX-License-Identifier: GPL-3.0-or-later
// Stay inside on the simulated robot: its rebounds, and the truth of them.
#include "truth.h"

#include <gsl/gsl_sort.h>
#include <math.h>

// A departure is over once all contacts are this far inside again.
#define BACK_INSIDE_MM 2.0
// Margins are looked at once in so many milliseconds where the boundary is far.
#define FAR_MM 30.0

static double wrapped(double radians) {
    return remainder(radians, 2.0 * G_PI);
}

static double least_margin(const lab_route *route, const cmo_sim *sim, const cmo_sim_truth *at) {
    double place[CMO_SIM_CONTACTS][2];
    cmo_sim_contacts(sim, at, place);
    double least = INFINITY;
    for (unsigned i = 0; i < CMO_SIM_CONTACTS; i++) {
        least = fmin(least, cmo_sim_region_margin(route->region, place[i][0], place[i][1]));
    }
    return least;
}

// Where the region's edge lies along a direction from a point, within 10 mm.
static double edge_along(const cmo_sim_region *region, double x, double y, double nx, double ny) {
    double low = -10.0;
    double high = 10.0;
    for (int i = 0; i < 12; i++) {
        double middle = 0.5 * (low + high);
        if (cmo_sim_region_margin(region, x + middle * nx, y + middle * ny) > 0.0) {
            low = middle;
        } else {
            high = middle;
        }
    }
    return 0.5 * (low + high);
}

// Outward normal of the region's edge near a point: from where the edge lies 20 mm to either side.
static double edge_normal(const cmo_sim_region *region, double x, double y) {
    double gx =
        cmo_sim_region_margin(region, x - 5.0, y) - cmo_sim_region_margin(region, x + 5.0, y);
    double gy =
        cmo_sim_region_margin(region, x, y - 5.0) - cmo_sim_region_margin(region, x, y + 5.0);
    double normal = atan2(gy, gx);
    double nx = cos(normal);
    double ny = sin(normal);
    double left = edge_along(region, x - 20.0 * ny, y + 20.0 * nx, nx, ny);
    double right = edge_along(region, x + 20.0 * ny, y - 20.0 * nx, nx, ny);
    return normal + atan2(right - left, 40.0);
}

// The true crossings of a rebound: the first into the boundary, and the other sensor's.
static void take_crossings(const lab_route *route, const cmo_sim *sim, lab_rebound *r,
                           double from_ms, double stood_ms) {
    size_t count;
    const cmo_sim_crossing *all = cmo_sim_crossings(sim, &count);
    const cmo_sim_crossing *first = NULL;
    for (size_t i = 0; i < count; i++) {
        const cmo_sim_crossing *c = &all[i];
        bool bounds = c->mark == CMO_SIM_BOUNDARY || c->mark == CMO_SIM_VOID;
        if (!bounds || !c->entering || c->at.time_ms < from_ms || c->at.time_ms > stood_ms) {
            continue;
        }
        if (first == NULL) {
            first = c;
            r->crossed = true;
            r->start_ms = c->at.time_ms;
            r->x_mm = c->x_mm;
            r->y_mm = c->y_mm;
            r->entry_rad = c->at.heading_rad;
            r->normal_rad = route->region != NULL ? edge_normal(route->region, c->x_mm, c->y_mm)
                                                  : c->at.heading_rad;
        } else if (c->sensor != first->sensor && !r->both) {
            double nx = c->y_mm - first->y_mm;
            double ny = first->x_mm - c->x_mm;
            double ahead = nx * (c->x_mm - c->at.x_mm) + ny * (c->y_mm - c->at.y_mm);
            r->normal_rad = ahead < 0.0 ? atan2(-ny, -nx) : atan2(ny, nx);
            r->both = true;
        }
    }
}

static void judge_rebound(const lab_route *route, const cmo_sim *sim, const cmo_sim_truth *all,
                          size_t count, lab_rebound *r, double crossing_ms, double before_ms) {
    size_t end = MIN(labi_first_at(all, count, r->end_ms), count - 1);
    // It stood where its way was longest, between the crossing and the end.
    size_t at = MIN(labi_first_at(all, count, crossing_ms), count - 1);
    size_t stood = at;
    for (size_t i = at; i < end; i++) {
        stood = all[i].way_mm > all[stood].way_mm ? i : stood;
    }
    double from = fmax(before_ms, crossing_ms - 40.0);
    take_crossings(route, sim, r, from, all[stood].time_ms);
    r->exit_rad = all[end].heading_rad;
    if (r->crossed) {
        double asked = (double)r->robot.exit_deg * G_PI / 180.0;
        r->turn_error_deg = wrapped(r->exit_rad - r->normal_rad - asked) * 180.0 / G_PI;
    }
}

// ------------------------------------------------------------------------------------- coverage --

static void start_heat(const lab_route *route, lab_heat *heat) {
    heat->columns = (int)ceil(cmo_sim_mat_width_mm(route->mat) / LAB_HEAT_CELL_MM);
    heat->rows = (int)ceil(cmo_sim_mat_height_mm(route->mat) / LAB_HEAT_CELL_MM);
    heat->seconds = g_new(float, (size_t)heat->columns *(size_t)heat->rows);
    for (int r = 0; r < heat->rows; r++) {
        for (int c = 0; c < heat->columns; c++) {
            double margin = cmo_sim_region_margin(route->region, (c + 0.5) * LAB_HEAT_CELL_MM,
                                                  (r + 0.5) * LAB_HEAT_CELL_MM);
            heat->seconds[r * heat->columns + c] = margin > 0.0 ? 0.0F : -1.0F;
        }
    }
}

// The body counts as a disc as wide as the robot.
static void stay_at(const lab_route *route, lab_heat *heat, const cmo_sim_truth *at,
                    double seconds) {
    const lab_outline *o = &route->robot->outline;
    double radius = 0.5 * (o->left_mm + o->right_mm);
    int reach = (int)ceil(radius / LAB_HEAT_CELL_MM);
    int column = (int)floor(at->x_mm / LAB_HEAT_CELL_MM);
    int row = (int)floor(at->y_mm / LAB_HEAT_CELL_MM);
    for (int r = MAX(row - reach, 0); r <= MIN(row + reach, heat->rows - 1); r++) {
        for (int c = MAX(column - reach, 0); c <= MIN(column + reach, heat->columns - 1); c++) {
            double dx = (c + 0.5) * LAB_HEAT_CELL_MM - at->x_mm;
            double dy = (r + 0.5) * LAB_HEAT_CELL_MM - at->y_mm;
            float *cell = &heat->seconds[r * heat->columns + c];
            if (*cell >= 0.0F && dx * dx + dy * dy < radius * radius) {
                *cell += (float)seconds;
            }
        }
    }
}

// Share of the cells that were covered, and 1 - the Gini coefficient of the time over them.
static void put_coverage(lab_leg_result *result) {
    const lab_heat *heat = &result->heat;
    size_t cells = (size_t)heat->columns * (size_t)heat->rows;
    double *inside = g_new(double, cells);
    size_t n = 0;
    size_t covered = 0;
    for (size_t i = 0; i < cells; i++) {
        if (heat->seconds[i] >= 0.0F) {
            inside[n++] = (double)heat->seconds[i];
            covered += heat->seconds[i] > 0.0F;
        }
    }
    gsl_sort(inside, 1, n);
    double sum = 0.0;
    double ranked = 0.0;
    for (size_t i = 0; i < n; i++) {
        sum += inside[i];
        ranked += (double)(i + 1) * inside[i];
    }
    double share = n > 0 ? (double)covered / (double)n : NAN;
    double gini = 2.0 * ranked / ((double)n * sum) - ((double)n + 1.0) / (double)n;
    double minutes = (result->end_ms - result->start_ms) / 60000.0;
    labi_put(&result->truth, CMO_COVERED_SHARE, share);
    labi_put(&result->truth, CMO_COVERED_PER_MIN, share / minutes);
    labi_put(&result->truth, CMO_COVERED_EVENNESS, 1.0 - gini);
    g_free(inside);
}

// ---------------------------------------------------------------------------------------- truth --

// When each rebound truly began and ended, and what it truly was.
static void judge_rebounds(const lab_route *route, const cmo_sim *sim, const cmo_sim_truth *all,
                           size_t count, lab_leg_result *result) {
    const cmo_port *port = cmo_sim_port((cmo_sim *)(uintptr_t)sim);
    uint32_t end_us = port->clock(port->context);
    double before_ms = result->start_ms;
    for (guint i = 0; i < result->rebounds->len; i++) {
        lab_rebound *r = &g_array_index(result->rebounds, lab_rebound, i);
        r->start_ms = result->end_ms - (double)(int32_t)(end_us - r->robot.crossing_us) / 1000.0;
        r->end_ms = result->end_ms - (double)(int32_t)(end_us - r->robot.done_us) / 1000.0;
        judge_rebound(route, sim, all, count, r, r->start_ms, before_ms);
        before_ms = r->end_ms;
    }
}

// Root of the mean square over rebounds where both sensors had crossed, corners left out.
static double turn_error_deg(const GArray *rebounds) {
    double squares = 0.0;
    unsigned known = 0;
    for (guint i = 0; i < rebounds->len; i++) {
        const lab_rebound *r = &g_array_index(rebounds, lab_rebound, i);
        if (r->both && !r->robot.answered && isfinite(r->turn_error_deg)) {
            squares += r->turn_error_deg * r->turn_error_deg;
            known++;
        }
    }
    return known > 0 ? sqrt(squares / known) : NAN;
}

// The margin of a moment goes to the rebound that it belongs to. `next` is the first one that has
// not ended yet.
static void note_margin(GArray *rebounds, guint *next, double time_ms, double margin_mm) {
    for (; *next < rebounds->len; (*next)++) {
        lab_rebound *r = &g_array_index(rebounds, lab_rebound, *next);
        if (time_ms <= r->end_ms) {
            r->margin_mm = fmin(r->margin_mm, margin_mm); // of a NAN and a number, the number
            return;
        }
    }
}

// Goes through all that was recorded of the leg, a moment a millisecond.
static void follow_margin(const lab_route *route, const cmo_sim *sim, const cmo_sim_truth *all,
                          size_t count, lab_leg_result *result) {
    size_t first = MIN(labi_first_at(all, count, result->start_ms), count - 1);
    double worst = INFINITY;
    unsigned departures = 0;
    bool outside = false;
    guint next = 0;
    double margin = 0.0;
    for (size_t i = first; i < count; i++) {
        if ((i - first) % 10 == 0) {
            stay_at(route, &result->heat, &all[i], 0.01);
        }
        if (margin > FAR_MM && (i - first) % 8 != 0) {
            continue; // at most 8 mm nearer since, at 1 m/s
        }
        margin = least_margin(route, sim, &all[i]);
        worst = fmin(worst, margin);
        departures += !outside && margin < 0.0;
        outside = margin < 0.0 || (outside && margin < BACK_INSIDE_MM);
        note_margin(result->rebounds, &next, all[i].time_ms, margin);
    }
    labi_put(&result->truth, CMO_MARGIN_MM, worst);
    labi_put(&result->truth, CMO_DEPARTURES, departures);
    if (departures > 0 && result->outcome == CMO_OUTCOME_DONE) {
        result->outcome = CMO_OUTCOME_DEPARTED;
    }
}

void lab_patrol_truth(const lab_route *route, const cmo_sim *sim, lab_leg_result *result) {
    size_t count;
    const cmo_sim_truth *all = cmo_sim_recorded(sim, &count);
    judge_rebounds(route, sim, all, count, result);
    labi_put(&result->truth, CMO_REBOUNDS, result->rebounds->len);
    labi_put(&result->truth, CMO_TURN_ERROR_DEG, turn_error_deg(result->rebounds));
    if (route->region != NULL) {
        start_heat(route, &result->heat);
        follow_margin(route, sim, all, count, result);
        put_coverage(result);
    }
}
