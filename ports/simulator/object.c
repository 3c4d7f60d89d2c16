// SPDX-License-Identifier: MIT
#include "object.h"

#include "direction.h"

#include <math.h>

// A driving object reaches its speed with this, as small robots do.
#define DRIVE_MM_S2 3000.0
// How near to a stop is there.
#define THERE_MM 10.0
// Share of an overlap that is taken out within a step: what is pushed does not sink in.
#define PUSH_OUT 0.1

void cmi_sim_object_start(struct object *object, const cmo_sim_object *parameters) {
    *object = (struct object){parameters, parameters->x_mm, parameters->y_mm, 0.0, 0.0, 0};
}

// Friction slows it down, or its own motors bring it to its speed, whichever it has.
static void drive(struct object *o, double dt_s) {
    const cmo_sim_object *p = o->p;
    double goal_x = 0.0;
    double goal_y = 0.0;
    double most = 1000.0 * p->friction_n / p->mass_kg * dt_s;
    if (p->stops > 0 && p->speed_mm_s > 0.0) {
        double dx = p->stop[o->next][0] - o->x_mm;
        double dy = p->stop[o->next][1] - o->y_mm;
        double way = sqrt(dx * dx + dy * dy);
        if (way < THERE_MM) {
            o->next = (o->next + 1) % p->stops;
        } else {
            goal_x = p->speed_mm_s * dx / way;
            goal_y = p->speed_mm_s * dy / way;
        }
        most = DRIVE_MM_S2 * dt_s;
    }
    double dx = goal_x - o->vx_mm_s;
    double dy = goal_y - o->vy_mm_s;
    double change = sqrt(dx * dx + dy * dy);
    double share = change > most ? most / change : 1.0;
    o->vx_mm_s += share * dx;
    o->vy_mm_s += share * dy;
    o->x_mm += o->vx_mm_s * dt_s;
    o->y_mm += o->vy_mm_s * dt_s;
}

// Robot and object exchange what brings them to one speed where they touch, and no more: nothing
// bounces. The tyres hold the robot sideways, so it takes only what acts along it and turns it.
static unsigned push(struct object *o, struct plant *pl, double dt_s) {
    const cmo_sim_plant *p = pl->p;
    double dx = o->x_mm - pl->x_mm;
    double dy = o->y_mm - pl->y_mm;
    double ahead = dx * pl->cosine + dy * pl->sine;
    double left = dy * pl->cosine - dx * pl->sine;
    double nearest_ahead = CLAMP(ahead, -p->body_back_mm, p->body_front_mm);
    double nearest_left = CLAMP(left, -p->body_half_mm, p->body_half_mm);
    double na = ahead - nearest_ahead;
    double nl = left - nearest_left;
    double gap = sqrt(na * na + nl * nl);
    if (gap >= o->p->radius_mm || gap < 1e-6) {
        return 0;
    }
    na /= gap;
    nl /= gap;
    double nx = na * pl->cosine - nl * pl->sine;
    double ny = na * pl->sine + nl * pl->cosine;
    // Speed of the robot's own point along the normal, and of the object.
    double lever = nearest_ahead * nl - nearest_left * na;
    double own = pl->speed_mm_s * na + pl->turn_rad_s * lever;
    double its = o->vx_mm_s * nx + o->vy_mm_s * ny;
    double closing = own - its + PUSH_OUT * (o->p->radius_mm - gap) / dt_s;
    if (closing > 0.0) {
        double give =
            na * na * pl->per_mass_kg + lever * lever * pl->per_turn + 1.0 / o->p->mass_kg;
        double impulse = closing / give;
        pl->speed_mm_s -= impulse * na * pl->per_mass_kg;
        pl->turn_rad_s -= impulse * lever * pl->per_turn;
        o->vx_mm_s += impulse * nx / o->p->mass_kg;
        o->vy_mm_s += impulse * ny / o->p->mass_kg;
    }
    if (nearest_ahead <= -p->body_back_mm + 1.0) {
        return 4;
    }
    return nearest_left >= 0.0 ? 1 : 2;
}

unsigned cmi_sim_objects_step(struct object *objects, unsigned count, struct plant *plant,
                              double dt_s) {
    unsigned touch = 0;
    for (unsigned i = 0; i < count; i++) {
        drive(&objects[i], dt_s);
        touch |= push(&objects[i], plant, dt_s);
    }
    return touch;
}

double cmi_sim_objects_range(const struct object *objects, unsigned count,
                             const struct plant *plant) {
    const cmo_sim_plant *p = plant->p;
    double nearest = INFINITY;
    double sine, cosine;
    direction_of(p->range_half_deg * 0.017453292519943295, &cosine, &sine);
    for (unsigned i = 0; i < count; i++) {
        const struct object *o = &objects[i];
        double dx = o->x_mm - plant->x_mm;
        double dy = o->y_mm - plant->y_mm;
        double ahead = dx * plant->cosine + dy * plant->sine - p->range_ahead_mm;
        double left = fabs(dy * plant->cosine - dx * plant->sine);
        double range = sqrt(ahead * ahead + left * left) - o->p->radius_mm;
        // Outside of the cone by less than its radius: it is grazed.
        double outside = left * cosine - ahead * sine;
        if (ahead > 0.0 && outside < o->p->radius_mm && range < p->range_reach_mm) {
            nearest = fmin(nearest, fmax(range, 0.0));
        }
    }
    return nearest;
}
