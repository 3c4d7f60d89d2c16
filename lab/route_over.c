// SPDX-License-Identifier: GPL-3.0-or-later
// At what speed a leg goes over into the next one: a look ahead over what follows.
#include "legs.h"

#include <math.h>

static double braking(const lab_route *route, double stated) {
    return stated != 0.0 ? stated : (double)route->robot->description.braking_mm_s2;
}

static double or_usual(const lab_route *route, double speed) {
    return speed != 0.0 ? speed : 0.5 * (double)route->robot->description.top_speed_mm_s;
}

// The fastest that a leg may be entered at, so that it can be as slow as it has to where it has to;
// `after`: the same of what follows.
static double entry_speed(const lab_route *route, const lab_leg *leg, double after) {
    cmo_line_parameters line;
    if (leg->routine == CMO_ROUTINE_ADVANCE) {
        const cmo_advance_parameters *p = &leg->parameters.advance;
        double end =
            p->ending == CMO_END_HALTED
                ? 0.0
                : fmin(after, or_usual(route, (double)(p->over_mm_s != 0.0F ? p->over_mm_s
                                                                            : p->speed_mm_s)));
        double room = fabs((double)p->distance_mm);
        return sqrt(end * end + 2.0 * braking(route, (double)p->braking_mm_s2) * room);
    }
    if (lab_leg_line(leg, &line)) {
        double slow =
            or_usual(route, (double)(line.creep_mm_s != 0.0F ? line.creep_mm_s : line.cruise_mm_s));
        return sqrt(slow * slow +
                    2.0 * braking(route, (double)line.braking_mm_s2) * (double)line.blind_mm);
    }
    if (leg->routine == CMO_ROUTINE_FOLLOW_EDGE) {
        return or_usual(route, (double)leg->parameters.follow_edge.cruise_mm_s);
    }
    return INFINITY;
}

// What follows a leg that is done: the next one, or the first of a group that ends with it.
static double after(const lab_route *route, const double *entry, unsigned number) {
    double least = number + 1 < route->legs ? entry[number + 1] : INFINITY;
    for (unsigned i = 0; i < route->groups; i++) {
        if (route->group[i].last == number) {
            least = fmin(least, entry[route->group[i].first]);
        }
    }
    return least;
}

static void find_entries(const lab_route *route, double *entry) {
    for (unsigned i = 0; i < route->legs; i++) {
        entry[i] = INFINITY;
    }
    for (int round = 0; round < 2; round++) { // a group's first leg counts for its last one
        for (unsigned i = route->legs; i > 0; i--) {
            entry[i - 1] = entry_speed(route, &route->leg[i - 1], after(route, entry, i - 1));
        }
    }
}

double labi_entry_speed(const lab_route *route, unsigned number) {
    double entry[LAB_LEGS_MAX];
    find_entries(route, entry);
    return entry[number];
}

double labi_end_speed(const lab_route *route, unsigned number) {
    const lab_leg *leg = &route->leg[number];
    cmo_line_parameters line;
    if (leg->routine == CMO_ROUTINE_ADVANCE) {
        return or_usual(route, (double)leg->parameters.advance.speed_mm_s);
    }
    if (lab_leg_line(leg, &line)) {
        return or_usual(route,
                        (double)(line.creep_mm_s != 0.0F ? line.creep_mm_s : line.cruise_mm_s));
    }
    if (leg->routine == CMO_ROUTINE_FOLLOW_EDGE) {
        return or_usual(route, (double)leg->parameters.follow_edge.cruise_mm_s);
    }
    return 0.0;
}

float labi_over_speed(const lab_route *route, unsigned number) {
    const lab_leg *leg = &route->leg[number];
    const cmo_advance_parameters *p = &leg->parameters.advance;
    if (leg->routine != CMO_ROUTINE_ADVANCE || p->ending != CMO_END_MOVING) {
        return 0.0F;
    }
    double entry[LAB_LEGS_MAX];
    find_entries(route, entry);
    double over = after(route, entry, number);
    double slowest = fmax((double)route->robot->description.slowest_mm_s, 1.0);
    bool slows = p->over_mm_s == 0.0F && over < labi_end_speed(route, number);
    return slows ? (float)fmax(over, slowest) : p->over_mm_s;
}
