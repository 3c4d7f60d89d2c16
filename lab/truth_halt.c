// SPDX-License-Identifier: GPL-3.0-or-later
// What the way of a halt is made of.
#include "truth_halt.h"

#include "truth.h"

#include <math.h>

// Until the speed has fallen to a share of what it was at a time; no later than `still`.
static double slowed_ms(const cmo_sim_truth *all, size_t count, double from_ms, double still_ms,
                        double share) {
    size_t i = labi_first_at(all, count, from_ms);
    double speed = i < count ? fabs(all[i].speed_mm_s) : 0.0;
    while (i < count && all[i].time_ms < still_ms && fabs(all[i].speed_mm_s) > share * speed) {
        i++;
    }
    return i < count ? all[i].time_ms : still_ms;
}

// On the mean over the way from four to two fifths of the speed: past what builds up, before the
// end.
static double braked_by(const cmo_sim_truth *all, size_t count, double from_ms, double still_ms) {
    size_t first = labi_first_at(all, count, slowed_ms(all, count, from_ms, still_ms, 0.8));
    size_t last = labi_first_at(all, count, slowed_ms(all, count, from_ms, still_ms, 0.4));
    if (last >= count || last <= first) {
        return NAN;
    }
    const cmo_sim_truth *a = &all[first];
    const cmo_sim_truth *b = &all[last];
    return (a->speed_mm_s * a->speed_mm_s - b->speed_mm_s * b->speed_mm_s) /
           (2.0 * fabs(b->way_mm - a->way_mm));
}

void labi_halt_truth(const lab_route *route, const cmo_sim_truth *all, size_t count,
                     lab_leg_result *result, double still_ms) {
    const lab_target *target = &result->target;
    if (!(result->truth.known & LAB_FIGURE_BIT(CMO_REACTION_MS))) {
        return;
    }
    double crossed_ms = target->crossing.at.time_ms;
    double answered_ms = crossed_ms + result->truth.value[CMO_REACTION_MS];
    double delay_ms = route->robot->plant.sensor[target->crossing.sensor].delay_ms;
    const double ms[] = {crossed_ms, fmin(crossed_ms + delay_ms, answered_ms), answered_ms,
                         slowed_ms(all, count, answered_ms, still_ms, 0.95), still_ms};
    double way[4];
    for (unsigned i = 0; i < 4; i++) {
        way[i] = fabs(labi_way_at(all, count, ms[i + 1]) - labi_way_at(all, count, ms[i]));
    }
    // One that stood before it answered has no such order of things.
    result->halt = (lab_halt_ways){answered_ms < still_ms,
                                   way[0],
                                   way[1],
                                   way[2],
                                   way[3],
                                   braked_by(all, count, answered_ms, still_ms)};
}
