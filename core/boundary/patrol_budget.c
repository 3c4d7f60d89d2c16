// SPDX-License-Identifier: MIT
// How fast a robot may drive about within a boundary, and whether it has to sway.
#include "patrol_budget.h"

#include "../shared/description.h"
#include "../shared/trig.h"
#include "contacts.h"
#include "course.h"

#include <math.h>

// Straight ahead without a look at grazing angles, the budget holds up to here.
#define ACCEPTED_DEG 60.0F

static cmi_sight sight_of(const cmo_robot_description *d) {
    cmi_sight s = {INFINITY, INFINITY, cmi_half_width_mm(d), d->front_mm};
    for (uint8_t i = 0; i < cmi_front_lights(d); i++) {
        s.ahead = cmi_smaller(s.ahead, d->light[i].ahead_mm);
        s.side = cmi_smaller(s.side, fabsf(d->light[i].left_mm));
    }
    if (d->lights < 2) { // one sensor sees one side alone
        s.side = 0.0F;
    }
    return s;
}

static float blind_deg(const cmi_sight *s) {
    return s->half > s->side ? cmi_degrees(cmi_atan(s->ahead / (s->half - s->side))) : 90.0F;
}

// Way that is left to stand at an entry angle, driving straight.
static float left_mm(const cmi_sight *s, float entry_deg, float margin_mm) {
    float sine, cosine;
    cmi_sin_cos(cmi_radians(entry_deg), &sine, &cosine);
    // Along the normal: the contact that reaches furthest, from where the spot is.
    float reach = cmi_larger(s->half * sine, s->front * cosine);
    return s->ahead - (reach - s->side * sine + margin_mm) / cmi_larger(cosine, 1e-3F);
}

float cmo_budget_sight(const cmo_robot_description *d, float speed_mm_s, float margin_mm,
                       float braking_mm_s2) {
    cmi_sight s = sight_of(d);
    float way = cmo_budget_braking(d, speed_mm_s, braking_mm_s2);
    if (d->lights == 0 || left_mm(&s, 0.0F, margin_mm) < way) {
        return 0.0F;
    }
    float low = 0.0F;
    float high = 90.0F;
    if (s.side - s.half >= margin_mm) {
        return 90.0F;
    }
    for (uint8_t i = 0; i < 12; i++) {
        float middle = 0.5F * (low + high);
        if (left_mm(&s, middle, margin_mm) >= way) {
            low = middle;
        } else {
            high = middle;
        }
    }
    return low;
}

// ------------------------------------------------------------------------------------- corners --

// A corner of 90 degrees that points along an axis: each of its sides is passed from a way on, or
// up to a way, that grows with how far to the left of its tip a point is.
typedef struct corner {
    float turn[2], slope[2];
    int8_t sense[2]; // 1: from that way on; -1: up to it; 0: along the side, all the way or never
} corner;

static corner corner_at(float cosine, float sine) {
    const float rise[2] = {cosine + sine, cosine - sine};
    corner c = {.turn = {sine - cosine, sine + cosine}};
    for (uint8_t i = 0; i < 2; i++) {
        // Inside is where rise * way + turn * left is above 0.
        bool flat = fabsf(rise[i]) < 1e-4F;
        c.slope[i] = flat ? 0.0F : -c.turn[i] / rise[i];
        c.sense[i] = (int8_t)(flat ? 0 : rise[i] > 0.0F ? 1 : -1);
    }
    return c;
}

// Way at which a point, at (x, y) of the robot, gets into a corner whose tip lies at (0, tip_mm);
// CMI_NEVER_MM: it does not.
static inline float into_corner(const corner *c, float x, float y, float tip_mm) {
    float from = -CMI_NEVER_MM;
    float until = CMI_NEVER_MM;
    float left = y - tip_mm;
    for (uint8_t i = 0; i < 2; i++) {
        float at = left * c->slope[i];
        if (c->sense[i] > 0) {
            from = cmi_larger(from, at);
        } else if (c->sense[i] < 0) {
            until = cmi_smaller(until, at);
        } else if (left * c->turn[i] <= 0.0F) {
            return CMI_NEVER_MM;
        }
    }
    return from < until ? from - x : CMI_NEVER_MM;
}

// Least way from where a sensor gets into such a corner to where a contact does.
static float corner_mm(const cmo_robot_description *d, const cmi_sight *s) {
    const float contacts[4][2] = {
        {0.0F, s->half}, {0.0F, cmi_inner_width_mm(d)}, {-cmi_rear_mm(d), 0.0F}, {s->front, 0.0F}};
    uint8_t count = s->front > 0.0F ? 4 : 3;
    float least = INFINITY;
    for (int8_t deg = -90; deg <= 90; deg = (int8_t)(deg + 6)) {
        float sine, cosine;
        cmi_sin_cos(cmi_radians((float)deg), &sine, &cosine);
        corner c = corner_at(cosine, sine);
        for (int8_t n = -25; n <= 25; n++) {
            float tip = 0.04F * (float)n * s->half;
            float seen = cmi_smaller(into_corner(&c, s->ahead, s->side, tip),
                                     into_corner(&c, s->ahead, -s->side, tip));
            for (uint8_t i = 0; i < count; i++) {
                float touched = into_corner(&c, contacts[i][0], contacts[i][1], tip);
                if (touched < 0.5F * CMI_NEVER_MM) { // the right side mirrors the left
                    least = cmi_smaller(least, touched - seen);
                }
            }
        }
    }
    return least;
}

void cmo_budget_patrol(const cmo_robot_description *d, cmo_grazing grazing, bool convex,
                       float margin_mm, float braking_mm_s2, cmo_patrol_budget *budget) {
    cmi_sight s = sight_of(d);
    float braking = cmi_braking_of(d, braking_mm_s2);
    *budget = (cmo_patrol_budget){.blind_deg = 90.0F, .sees_deg = 90.0F};
    if (d->lights == 0) {
        return;
    }
    budget->blind_deg = blind_deg(&s);
    if (s.side - s.half >= margin_mm) {
        // Head on it is the tightest, or at the angle where margin and lead balance.
        float least = INFINITY;
        for (uint8_t deg = 0; deg < 90; deg = (uint8_t)(deg + 5)) {
            least = cmi_smaller(least, left_mm(&s, (float)deg, margin_mm));
        }
        if (!convex) {
            least = cmi_smaller(least, corner_mm(d, &s) - margin_mm);
            budget->corners = true;
        }
        budget->speed_mm_s = cmi_speed_within(d, least, braking);
    } else if (grazing == CMO_GRAZING_ACCEPT) {
        budget->sees_deg = cmi_smaller(ACCEPTED_DEG, 0.75F * budget->blind_deg);
        float left = left_mm(&s, budget->sees_deg, margin_mm);
        budget->speed_mm_s = cmi_speed_within(d, left, braking);
    } else if (grazing == CMO_GRAZING_SWAY && convex) {
        cmi_sway_choose(d, &s, margin_mm, CMI_SWAY_BRAKING * braking, budget);
    }
    float held = budget->sway_deg > 0.0F ? CMI_SWAY_BRAKING * braking : braking;
    budget->stop_mm = cmo_budget_braking(d, budget->speed_mm_s, held);
}
