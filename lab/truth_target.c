// SPDX-License-Identifier: GPL-3.0-or-later
#include "truth_target.h"

#include "surfaces.h"

#include <math.h>

bool labi_watches(cmo_sensors which, unsigned sensor) {
    return which == CMO_SENSOR_EITHER || which == CMO_SENSOR_BOTH ||
           (which == CMO_SENSOR_LEFT ? sensor == 0 : sensor == 1);
}

// What lies behind an edge is looked at in such steps, as far as the mark reaches, or so far: worn
// paint is missing here and there.
#define STEP_MM 1.5
#define FAR_MM  45.0

// Whether it is, at one place, what is looked for.
static bool is_of(const lab_route *route, const cmo_sim *sim, unsigned sensor, double x_mm,
                  double y_mm, double before, cmo_tone tone, uint8_t surface) {
    if (surface != 0) {
        return labi_is_surface(route, sim, sensor, x_mm, y_mm, surface);
    }
    double light = cmo_sim_mat_light(route->mat, x_mm, y_mm, 1.0);
    return tone == CMO_TONE_DARK ? light < before : light > before;
}

bool labi_has_tone(const lab_route *route, const cmo_sim *sim, const cmo_sim_crossing *crossing,
                   double nx, double ny, cmo_tone tone, uint8_t surface) {
    const cmo_sim_mat *mat = route->mat;
    if (crossing->mark == CMO_SIM_VOID || tone == CMO_TONE_VOID) {
        return surface == 0 && crossing->mark == CMO_SIM_VOID && tone == CMO_TONE_VOID;
    }
    double before =
        cmo_sim_mat_light(mat, crossing->x_mm - 3.0 * nx, crossing->y_mm - 3.0 * ny, 1.0);
    // A surface is one where the whole spot lies on it.
    double spot = surface != 0 ? route->robot->plant.sensor[crossing->sensor].spot_mm : 0.0;
    double clear = 0.75 * spot;
    bool found = false;
    for (double on = fmax(clear, 2.0 * STEP_MM); on < FAR_MM && !found; on += STEP_MM) {
        double x = crossing->x_mm + on * nx;
        double y = crossing->y_mm + on * ny;
        if (!(cmo_sim_mat_inside(mat, x + clear * nx, y + clear * ny) & 1U << crossing->mark)) {
            break;
        }
        found = is_of(route, sim, crossing->sensor, x, y, before, tone, surface);
    }
    return found;
}

// What zero stands for.
#define USUAL_DEG 45.0

// A line is what both sensors meet within what the largest entry angle allows, or stand on: one
// that a sensor alone grazes is none. Unless one sensor is enough.
static bool both_meet(const lab_route *route, const labi_span *s, const cmo_line_parameters *p,
                      const cmo_sim_crossing *crossing) {
    const cmo_sim_plant *plant = &route->robot->plant;
    bool pairs = p->sensor == CMO_SENSOR_EITHER || p->sensor == CMO_SENSOR_BOTH;
    double largest_deg = p->largest_entry_deg > 0.0F ? (double)p->largest_entry_deg : USUAL_DEG;
    if (!pairs || plant->sensors < 2 || p->tone == CMO_TONE_VOID || largest_deg > 89.0) {
        return true;
    }
    unsigned other = 1 - crossing->sensor;
    double x, y;
    cmo_sim_spot(s->sim, &crossing->at, other, &x, &y);
    if (cmo_sim_mat_inside(route->mat, x, y) & 1U << crossing->mark) {
        return true;
    }
    double across = hypot(plant->sensor[0].left_mm - plant->sensor[1].left_mm,
                          plant->sensor[0].ahead_mm - plant->sensor[1].ahead_mm);
    double within = across * tan(largest_deg * (G_PI / 180.0)) + SAME_LINE_MM;
    size_t count;
    const cmo_sim_crossing *crossings = cmo_sim_crossings(s->sim, &count);
    bool meets = false;
    for (size_t i = 0; i < count && !meets; i++) {
        const cmo_sim_crossing *c = &crossings[i];
        meets = c->sensor == other && c->mark == crossing->mark && c->entering &&
                c->at.time_ms >= s->at[0].time_ms &&
                fabs(c->at.way_mm - crossing->at.way_mm) <= within;
    }
    return meets;
}

lab_target labi_target_find(const lab_route *route, const labi_span *s,
                            const cmo_line_parameters *p) {
    lab_target target = {.found = false};
    size_t count;
    const cmo_sim_crossing *crossings = cmo_sim_crossings(s->sim, &count);
    double start_way = s->at[0].way_mm;
    for (size_t i = 0; i < count && !target.found; i++) {
        const cmo_sim_crossing *c = &crossings[i];
        bool timely =
            c->at.time_ms >= s->at[0].time_ms && c->at.time_ms <= s->at[s->count - 1].time_ms;
        bool marked =
            c->mark == CMO_SIM_LINE || c->mark == CMO_SIM_BOUNDARY || c->mark == CMO_SIM_VOID;
        if (!timely || !marked || !c->entering || !labi_watches(p->sensor, c->sensor) ||
            c->at.way_mm - start_way < p->blind_mm) {
            continue;
        }
        double nx, ny;
        if (!cmo_sim_mat_normal(route->mat, c->mark, c->x_mm, c->y_mm, &nx, &ny)) {
            nx = cos(c->at.heading_rad); // an end or a corner: take it across the way
            ny = sin(c->at.heading_rad);
        }
        // And not a line's other edge, as it backs off that.
        bool ahead = nx * cos(c->at.heading_rad) + ny * sin(c->at.heading_rad) > 0.0;
        if (ahead && labi_has_tone(route, s->sim, c, nx, ny, p->tone, p->surface) &&
            both_meet(route, s, p, c)) {
            target = (lab_target){true, *c, nx, ny};
        }
    }
    return target;
}

void labi_target_chord(const labi_span *s, lab_target *target) {
    size_t count;
    const cmo_sim_crossing *crossings = cmo_sim_crossings(s->sim, &count);
    for (size_t i = 0; i < count; i++) {
        const cmo_sim_crossing *c = &crossings[i];
        if (c->sensor == target->crossing.sensor || c->mark != target->crossing.mark ||
            !c->entering || c->at.time_ms < s->at[0].time_ms ||
            c->at.time_ms > s->at[s->count - 1].time_ms) {
            continue;
        }
        double dx = c->x_mm - target->crossing.x_mm;
        double dy = c->y_mm - target->crossing.y_mm;
        double length = sqrt(dx * dx + dy * dy);
        double across = fabs(dx * target->normal_x + dy * target->normal_y);
        if (length > 5.0 && across < 0.1 * length) { // the same straight edge
            double nx = -dy / length;
            double ny = dx / length;
            double sign = nx * target->normal_x + ny * target->normal_y < 0.0 ? -1.0 : 1.0;
            target->normal_x = sign * nx;
            target->normal_y = sign * ny;
            return;
        }
    }
}
