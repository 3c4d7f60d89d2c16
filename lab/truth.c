// SPDX-License-Identifier: GPL-3.0-or-later
#include "truth.h"

#include "surfaces.h"
#include "truth_count.h"
#include "truth_edge.h"
#include "truth_halt.h"
#include "truth_target.h"

#include <math.h>

size_t labi_first_at(const cmo_sim_truth *all, size_t count, double time_ms) {
    size_t low = 0;
    size_t high = count;
    while (low < high) {
        size_t middle = (low + high) / 2;
        if (all[middle].time_ms < time_ms - 1e-9) {
            low = middle + 1;
        } else {
            high = middle;
        }
    }
    return low;
}

double labi_way_at(const cmo_sim_truth *all, size_t count, double time_ms) {
    size_t i = MIN(labi_first_at(all, count, time_ms), count - 1);
    double way = all[i].way_mm;
    if (i > 0 && all[i].time_ms > time_ms) {
        const cmo_sim_truth *a = &all[i - 1];
        const cmo_sim_truth *b = &all[i];
        double share = (time_ms - a->time_ms) / (b->time_ms - a->time_ms);
        way = a->way_mm + share * (b->way_mm - a->way_mm);
    }
    return way;
}

void labi_put(lab_figures *figures, cmo_figure figure, double value) {
    figures->applies |= LAB_FIGURE_BIT(figure);
    if (isfinite(value)) {
        figures->known |= LAB_FIGURE_BIT(figure);
        figures->value[figure] = value;
    }
}

static double degrees(double radians) {
    return radians * (180.0 / G_PI);
}

// ------------------------------------------------------------------------------------ motion --

// First standstill: the first reversal, or 30 ms within 0.5 mm.
static size_t first_standstill(const labi_span *s, size_t from) {
    double furthest = s->at[from].way_mm;
    for (size_t i = from; i < s->count; i++) {
        if (s->at[i].way_mm < furthest - 0.02) {
            return i;
        }
        furthest = fmax(furthest, s->at[i].way_mm);
        size_t ahead = i + 30;
        if (ahead < s->count && fabs(s->at[ahead].way_mm - s->at[i].way_mm) <= 0.5) {
            return i;
        }
    }
    return s->count;
}

// Rest: the start of the last window within 0.3 mm and 0.1 degrees.
static size_t rest_start(const labi_span *s) {
    const cmo_sim_truth *end = &s->at[s->count - 1];
    size_t i = s->count - 1;
    while (i > 0) {
        const cmo_sim_truth *at = &s->at[i - 1];
        double dx = at->x_mm - end->x_mm;
        double dy = at->y_mm - end->y_mm;
        double turn = degrees(at->heading_rad - end->heading_rad);
        if (dx * dx + dy * dy > 0.3 * 0.3 || fabs(turn) > 0.1) {
            break;
        }
        i--;
    }
    return i;
}

static double top_speed(const labi_span *s) {
    double top = 0.0;
    for (size_t i = 0; i < s->count; i++) {
        top = fmax(top, fabs(s->at[i].speed_mm_s));
    }
    return top;
}

// ------------------------------------------------------------------------------------- lines --

// The robot's rest point: the named sensor's spot; at a table's edge, and where one sensor is
// enough, that of the one by which it has stopped; else the middle of both.
static void rest_point(const lab_route *route, const labi_span *s, const cmo_line_parameters *p,
                       const lab_leg_result *result, const cmo_sim_truth *at, double *x_mm,
                       double *y_mm) {
    unsigned sensors = route->robot->plant.sensors;
    bool enough =
        p->tone == CMO_TONE_VOID || (p->largest_entry_deg > 89.0F && p->rest != CMO_REST_HALTED);
    int8_t by = result->report.sensor;
    bool squares = result->routine == CMO_ROUTINE_SQUARE_ON_LINE; // with both over it
    bool first = !squares && enough && p->sensor == CMO_SENSOR_EITHER && by >= 0;
    unsigned named = first ? (unsigned)by : p->sensor == CMO_SENSOR_RIGHT;
    cmo_sim_spot(s->sim, at, sensors > named ? named : 0, x_mm, y_mm);
    bool one =
        first || p->sensor == CMO_SENSOR_LEFT || p->sensor == CMO_SENSOR_RIGHT || sensors < 2;
    if (!one) {
        double x, y;
        cmo_sim_spot(s->sim, at, 1, &x, &y);
        *x_mm = 0.5 * (*x_mm + x);
        *y_mm = 0.5 * (*y_mm + y);
    }
}

static double beyond_edge(const lab_route *route, const labi_span *s, const cmo_line_parameters *p,
                          const lab_leg_result *result, const cmo_sim_truth *at) {
    const lab_target *target = &result->target;
    double x, y;
    rest_point(route, s, p, result, at, &x, &y);
    return (x - target->crossing.x_mm) * target->normal_x +
           (y - target->crossing.y_mm) * target->normal_y;
}

// Heading against the edge's normal, positive to the left.
static double angle_to(const lab_target *target, double heading_rad) {
    double c = cos(heading_rad);
    double s = sin(heading_rad);
    return degrees(atan2(target->normal_x * s - target->normal_y * c,
                         target->normal_x * c + target->normal_y * s));
}

// How far beyond the near edge the rest point is to rest, across the edge. Beyond a place it is
// along the robot's way: what of the robot lies so far behind the sensors is to be over the place.
static double rest_offset(const cmo_sim *sim, const lab_target *target,
                          const cmo_line_parameters *p, double heading_rad) {
    double beyond =
        p->beyond_mm * (target->normal_x * cos(heading_rad) + target->normal_y * sin(heading_rad));
    double width = NAN;
    size_t count;
    const cmo_sim_crossing *crossings = cmo_sim_crossings(sim, &count);
    for (size_t i = 0; i < count && isnan(width); i++) {
        const cmo_sim_crossing *c = &crossings[i];
        if (!c->entering && c->sensor == target->crossing.sensor &&
            c->mark == target->crossing.mark && c->at.time_ms > target->crossing.at.time_ms) {
            width = (c->x_mm - target->crossing.x_mm) * target->normal_x +
                    (c->y_mm - target->crossing.y_mm) * target->normal_y;
        }
    }
    switch (p->rest) {
    case CMO_REST_CENTRE:
        return 0.5 * width + beyond;
    case CMO_REST_FAR_EDGE:
        return width + beyond;
    case CMO_REST_NEAR_EDGE:
        return beyond;
    default:
        return 0.0;
    }
}

// Simulated time of a port clock value near the end of the leg.
static double sim_ms(const lab_leg_result *result, uint32_t end_clock_us, uint32_t clock_us) {
    return result->end_ms - (double)(int32_t)(end_clock_us - clock_us) / 1000.0;
}

static void judge_line(const labi_span *s, lab_leg_result *result, uint32_t end_clock_us) {
    if (result->outcome != CMO_OUTCOME_DONE || result->report.sensor < 0) {
        return;
    }
    double claimed_ms = sim_ms(result, end_clock_us, result->report.crossing_us);
    double claimed = labi_way_at(s->at, s->count, claimed_ms);
    bool same =
        result->target.found && fabs(claimed - result->target.crossing.at.way_mm) <= SAME_LINE_MM;
    // In a skew approach either sensor may be the first to be accepted.
    size_t count;
    const cmo_sim_crossing *crossings = cmo_sim_crossings(s->sim, &count);
    for (size_t i = 0; i < count && !same && result->target.found; i++) {
        const cmo_sim_crossing *c = &crossings[i];
        double dx = c->x_mm - result->target.crossing.x_mm;
        double dy = c->y_mm - result->target.crossing.y_mm;
        double across = fabs(dx * result->target.normal_x + dy * result->target.normal_y);
        same = c->entering && c->mark == result->target.crossing.mark &&
               c->sensor == (unsigned)result->report.sensor && across < 2.0 &&
               c->at.time_ms >= s->at[0].time_ms && fabs(c->at.way_mm - claimed) <= SAME_LINE_MM;
    }
    if (!same) {
        result->outcome = CMO_OUTCOME_WRONG_LINE;
    }
}

static void line_truth(const lab_route *route, const labi_span *s, lab_leg_result *result,
                       const cmo_line_parameters *p, uint32_t end_clock_us) {
    static const cmo_figure always[] = {CMO_CROSSING_SPEED_MM_S, CMO_REACTION_MS,
                                        CMO_ENTRY_ANGLE_DEG};
    static const cmo_figure halted[] = {CMO_STOPPING_DISTANCE_MM, CMO_OVERSHOOT_MM,
                                        CMO_REST_ERROR_MM,        CMO_SETTLE_MS,
                                        CMO_RESIDUAL_ANGLE_DEG,   CMO_SLIP_MM};
    lab_figures *truth = &result->truth;
    bool halts = p->ending == CMO_END_HALTED;
    for (size_t i = 0; i < G_N_ELEMENTS(always); i++) {
        labi_put(truth, always[i], NAN);
    }
    for (size_t i = 0; i < G_N_ELEMENTS(halted) && halts; i++) {
        labi_put(truth, halted[i], NAN);
    }
    if (result->routine != CMO_ROUTINE_COUNT_LINES) { // of those its counting says which
        result->target = labi_target_find(route, s, p);
    }
    lab_target *target = &result->target;
    if (!target->found) {
        return;
    }
    if (result->routine != CMO_ROUTINE_FOLLOW_EDGE) { // there the other one crosses what it follows
        labi_target_chord(s, target);
    }
    double crossed_ms = target->crossing.at.time_ms;
    labi_put(truth, CMO_CROSSING_SPEED_MM_S, fabs(target->crossing.at.speed_mm_s));
    labi_put(truth, CMO_ENTRY_ANGLE_DEG, angle_to(target, target->crossing.at.heading_rad));
    if (result->report.present & CMO_FIGURE_BIT(CMO_REACTION_MS)) {
        uint32_t answered = result->report.crossing_us +
                            (uint32_t)(result->report.figure[CMO_REACTION_MS] * 1000.0F + 0.5F);
        labi_put(truth, CMO_REACTION_MS, sim_ms(result, end_clock_us, answered) - crossed_ms);
    }
    if (!halts || result->outcome != CMO_OUTCOME_DONE) {
        return;
    }
    size_t from = labi_first_at(s->at, s->count, crossed_ms);
    size_t still = first_standstill(s, MIN(from, s->count - 1));
    double furthest = -INFINITY;
    for (size_t i = from; i < s->count; i++) {
        furthest = fmax(furthest, beyond_edge(route, s, p, result, &s->at[i]));
    }
    const cmo_sim_truth *end = &s->at[s->count - 1];
    double offset = rest_offset(s->sim, target, p, end->heading_rad);
    labi_put(truth, CMO_OVERSHOOT_MM, furthest - offset);
    labi_put(truth, CMO_REST_ERROR_MM, beyond_edge(route, s, p, result, end) - offset);
    labi_put(truth, CMO_RESIDUAL_ANGLE_DEG, angle_to(target, end->heading_rad));
    const cmo_sim_truth *crossed = &target->crossing.at;
    labi_put(truth, CMO_SLIP_MM,
             end->way_mm - crossed->way_mm - (end->wheels_mm - crossed->wheels_mm));
    if (still < s->count) {
        size_t rest = rest_start(s);
        result->stopped_ms = s->at[still].time_ms - crossed_ms;
        labi_halt_truth(route, s->at, s->count, result, s->at[still].time_ms);
        labi_put(truth, CMO_STOPPING_DISTANCE_MM, s->at[still].way_mm - target->crossing.at.way_mm);
        labi_put(truth, CMO_SETTLE_MS, fmax(s->at[rest].time_ms - s->at[still].time_ms, 0.0));
    }
}

// Where a sensor truly was when it met what was passed over.
static void place_passed(const labi_span *s, lab_leg_result *result) {
    for (guint i = 0; result->passed != NULL && i < result->passed->len; i++) {
        lab_passed *passed = &g_array_index(result->passed, lab_passed, i);
        size_t at = 0;
        while (at + 1 < s->count && s->at[at].way_mm - s->at[0].way_mm < passed->at_mm) {
            at++;
        }
        cmo_sim_spot(s->sim, &s->at[at], passed->sensor, &passed->x_mm, &passed->y_mm);
    }
}

void labi_truth(const lab_route *route, const cmo_sim *sim, lab_leg_result *result,
                const lab_leg *leg) {
    size_t count;
    const cmo_sim_truth *all = cmo_sim_recorded(sim, &count);
    size_t first = MIN(labi_first_at(all, count, result->start_ms), count - 1);
    labi_span s = {sim, all + first, count - first};
    const cmo_sim_truth *start = &s.at[0];
    const cmo_sim_truth *end = &s.at[s.count - 1];
    lab_figures *truth = &result->truth;
    labi_put(truth, CMO_ELAPSED_MS, result->end_ms - result->start_ms);
    labi_put(truth, CMO_TOP_SPEED_MM_S, top_speed(&s));
    labi_put(truth, CMO_TRAVELLED_MM, end->way_mm - start->way_mm);
    labi_put(truth, CMO_TURNED_DEG, degrees(end->heading_rad - start->heading_rad));
    place_passed(&s, result);
    const cmo_port *port = cmo_sim_port((cmo_sim *)(uintptr_t)sim);
    uint32_t end_clock_us = port->clock(port->context);
    cmo_line_parameters line;
    // What something else has ended has not come to its target.
    bool itself = result->report.by == CMO_BY_ITSELF;
    if (leg->routine == CMO_ROUTINE_ADVANCE && itself) {
        double sign = leg->parameters.advance.distance_mm < 0.0F ? -1.0 : 1.0;
        double furthest = -INFINITY;
        for (size_t i = 0; i < s.count; i++) {
            furthest = fmax(furthest, sign * (s.at[i].way_mm - start->way_mm));
        }
        labi_put(truth, CMO_OVERSHOOT_MM, furthest - sign * leg->parameters.advance.distance_mm);
    } else if (leg->routine == CMO_ROUTINE_STAY_INSIDE) {
        lab_patrol_truth(route, sim, result);
    }
    if (leg->routine == CMO_ROUTINE_FOLLOW_EDGE) {
        labi_edge_truth(route, sim, result, &leg->parameters.follow_edge);
    }
    bool counts = leg->routine == CMO_ROUTINE_COUNT_LINES;
    if (counts) {
        cmo_count_lines_parameters counted = lab_leg_counts(leg);
        bool ends = counted.number > 0 && result->outcome == CMO_OUTCOME_DONE;
        labi_count_truth(route, sim, result, &counted,
                         ends ? sim_ms(result, end_clock_us, result->report.crossing_us)
                              : INFINITY);
    }
    bool ends_on_one = !counts || leg->parameters.count_lines.number > 0;
    if (itself && ends_on_one && lab_leg_line(leg, &line)) {
        if (leg->routine == CMO_ROUTINE_FOLLOW_EDGE) { // before it has joined it looks for none
            bool joined = truth->known & LAB_FIGURE_BIT(CMO_JOINED_MM);
            line.blind_mm = joined ? (float)truth->value[CMO_JOINED_MM] : INFINITY;
        }
        line_truth(route, &s, result, &line, end_clock_us);
        if (cmo_sim_mat_has(route->mat, CMO_SIM_LINE) ||
            cmo_sim_mat_has(route->mat, CMO_SIM_BOUNDARY)) {
            judge_line(&s, result, end_clock_us);
        }
    }
}
