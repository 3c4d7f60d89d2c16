// SPDX-License-Identifier: MIT
// How fast a robot may drive about within a boundary, and whether it has to sway.
#include <cammino/budget.h>

#include "contacts.h"
#include "course.h"
#include "trig.h"

#include <math.h>

// Of the lag, what is left when braking leads by it: motors differ, batteries sag.
#define LAG_LEFT 0.4F
// Straight ahead without a look at grazing angles, the budget holds up to here.
#define ACCEPTED_DEG 60.0F
// A sway: its amplitude, and steps to integrate it with.
#define SWAY_STEPS 24
// Share of the acceleration limit that swaying may take.
#define SWAY_EFFORT 0.7F

static float answer_s(const cmo_robot_description *d) {
    uint32_t longest_us = 0;
    for (uint8_t i = 0; i < d->lights; i++) {
        const cmo_light_description *light = &d->light[i];
        uint32_t interval = light->interval_us != 0 ? light->interval_us : d->tick_us;
        uint32_t here = interval + light->delay_us;
        longest_us = here > longest_us ? here : longest_us;
    }
    return (float)(longest_us + d->tick_us) * 1e-6F + LAG_LEFT * 1e-3F * d->lag_ms;
}

static float braking_of(const cmo_robot_description *d, float braking_mm_s2) {
    return braking_mm_s2 > 0.0F ? braking_mm_s2 : d->braking_mm_s2;
}

float cmo_budget_braking(const cmo_robot_description *d, float speed_mm_s, float braking_mm_s2) {
    float braking = braking_of(d, braking_mm_s2);
    return speed_mm_s * answer_s(d) + speed_mm_s * speed_mm_s / (2.0F * braking);
}

static float speed_within(const cmo_robot_description *d, float distance_mm, float braking) {
    if (!(distance_mm > 0.0F)) {
        return 0.0F;
    }
    float time_s = answer_s(d);
    float speed = braking * (sqrtf(time_s * time_s + 2.0F * distance_mm / braking) - time_s);
    return fminf(speed, d->top_speed_mm_s);
}

// The spots: least ahead, least to the side.
typedef struct sight {
    float ahead, side, half;
} sight;

static sight sight_of(const cmo_robot_description *d) {
    sight s = {INFINITY, INFINITY, cmo_half_width_mm(d)};
    for (uint8_t i = 0; i < d->lights; i++) {
        s.ahead = fminf(s.ahead, d->light[i].ahead_mm);
        s.side = fminf(s.side, fabsf(d->light[i].left_mm));
    }
    if (d->lights < 2) { // one sensor sees one side alone
        s.side = 0.0F;
    }
    return s;
}

static float blind_deg(const sight *s) {
    return s->half > s->side ? cmo_degrees(cmo_atan(s->ahead / (s->half - s->side))) : 90.0F;
}

// Way that is left to stand at an entry angle, driving straight.
static float left_mm(const sight *s, float entry_deg, float margin_mm) {
    float sine, cosine;
    cmo_sin_cos(cmo_radians(entry_deg), &sine, &cosine);
    return s->ahead - ((s->half - s->side) * sine + margin_mm) / fmaxf(cosine, 1e-3F);
}

float cmo_budget_sight(const cmo_robot_description *d, float speed_mm_s, float margin_mm,
                       float braking_mm_s2) {
    sight s = sight_of(d);
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

// Way at which a point, at (x, y) of the robot, gets into a corner of 90 degrees whose tip lies at
// (0, tip_mm) and that points along an axis; INFINITY: never.
static float into_corner(float x, float y, float tip_mm, float cosine, float sine) {
    float from = -INFINITY;
    float until = INFINITY;
    // Inside is where both sides are passed: c dx + d > 0 for each.
    const float rise[2] = {cosine + sine, cosine - sine};
    const float offset[2] = {(y - tip_mm) * (sine - cosine), (y - tip_mm) * (sine + cosine)};
    for (uint8_t i = 0; i < 2; i++) {
        if (fabsf(rise[i]) < 1e-4F) {
            until = offset[i] > 0.0F ? until : -INFINITY;
        } else if (rise[i] > 0.0F) {
            from = fmaxf(from, -offset[i] / rise[i]);
        } else {
            until = fminf(until, -offset[i] / rise[i]);
        }
    }
    return from < until ? from - x : INFINITY;
}

// Least way from where a sensor gets into such a corner to where a contact does.
static float corner_mm(const cmo_robot_description *d, const sight *s) {
    const float contacts[3][2] = {
        {0.0F, s->half}, {0.0F, cmo_inner_width_mm(d)}, {-cmo_rear_mm(d), 0.0F}};
    float least = INFINITY;
    for (int8_t deg = -90; deg <= 90; deg = (int8_t)(deg + 6)) {
        float sine, cosine;
        cmo_sin_cos(cmo_radians((float)deg), &sine, &cosine);
        for (int8_t n = -25; n <= 25; n++) {
            float tip = 0.04F * (float)n * s->half;
            float seen = fminf(into_corner(s->ahead, s->side, tip, cosine, sine),
                               into_corner(s->ahead, -s->side, tip, cosine, sine));
            for (uint8_t i = 0; i < 3; i++) {
                float touched = into_corner(contacts[i][0], contacts[i][1], tip, cosine, sine);
                if (isfinite(touched)) { // the right side mirrors the left
                    least = fminf(least, touched - seen);
                }
            }
        }
    }
    return least;
}

// ---------------------------------------------------------------------------------------- sway --

typedef struct sway {
    float amplitude, length;
} sway;

// A point on the swaying course, and the furthest that spots or tyres have been along a direction.
typedef struct front {
    float x, y, u, furthest;
} front;

static void advance(front *f, const sway *w, const sight *s, float nx, float ny, bool sensors) {
    float step = w->length / (float)SWAY_STEPS;
    float per_mm = 2.0F * CMO_PI / w->length;
    float sine, cosine;
    cmo_sin_cos(per_mm * (f->u + 0.5F * step), &sine, &cosine);
    cmo_sin_cos(w->amplitude * sine, &sine, &cosine);
    f->u += step;
    f->x += step * cosine;
    f->y += step * sine;
    cmo_sin_cos(per_mm * f->u, &sine, &cosine);
    cmo_sin_cos(w->amplitude * sine, &sine, &cosine);
    float along = nx * cosine + ny * sine;
    float across = fabsf(ny * cosine - nx * sine);
    float reach = sensors ? s->ahead * along + s->side * across : s->half * across;
    f->furthest = fmaxf(f->furthest, nx * f->x + ny * f->y + reach);
}

// Whether wheels that stand a way after the crossing are inside, for boundaries of one direction.
static bool holds_at(const sway *w, const sight *s, float stop_mm, float margin_mm, float angle) {
    float nx, ny;
    cmo_sin_cos(angle, &ny, &nx);
    front seen = {0.0F, 0.0F, 0.0F, -INFINITY};
    front gone = seen;
    float step = w->length / (float)SWAY_STEPS;
    while (gone.u < stop_mm) {
        advance(&gone, w, s, nx, ny, false);
    }
    float lag = gone.u - stop_mm; // of the whole step beyond
    for (uint8_t i = 0; i < 2 * SWAY_STEPS; i++) {
        advance(&seen, w, s, nx, ny, true);
        advance(&gone, w, s, nx, ny, false);
        bool steady = i >= SWAY_STEPS;
        if (steady && gone.furthest + margin_mm > seen.furthest + 0.5F * fminf(lag, step)) {
            return false;
        }
    }
    return true;
}

static bool holds(const sway *w, const sight *s, float stop_mm, float margin_mm) {
    for (uint8_t deg = 0; deg <= 90; deg = (uint8_t)(deg + 6)) {
        if (!holds_at(w, s, stop_mm, margin_mm, cmo_radians((float)deg))) {
            return false;
        }
    }
    return true;
}

// The highest speed that the motors can sway at.
static float sway_speed(const cmo_robot_description *d, const sway *w) {
    float per_mm = 2.0F * CMO_PI / w->length;
    float bend = 0.5F * d->track_mm * w->amplitude * per_mm;
    float by_top = d->top_speed_mm_s / (1.0F + bend);
    float by_effort = sqrtf(SWAY_EFFORT * d->acceleration_mm_s2 / (bend * per_mm));
    return fminf(by_top, by_effort);
}

static void try_sway(const cmo_robot_description *d, const sight *s, const sway *w, float margin_mm,
                     float braking, cmo_patrol_budget *best) {
    float high = sway_speed(d, w);
    float low = 0.0F;
    for (uint8_t i = 0; i < 7; i++) {
        float speed = i == 0 ? high : 0.5F * (low + high);
        if (speed <= best->speed_mm_s && i == 0) {
            return;
        }
        if (holds(w, s, cmo_budget_braking(d, speed, braking), margin_mm)) {
            low = speed;
        } else {
            high = speed;
        }
        if (low == high) {
            break;
        }
    }
    if (low > best->speed_mm_s) {
        best->speed_mm_s = low;
        best->sway_deg = cmo_degrees(w->amplitude);
        best->sway_mm = w->length;
        best->sees_deg = 90.0F;
    }
}

void cmo_budget_patrol(const cmo_robot_description *d, cmo_grazing grazing, bool convex,
                       float margin_mm, float braking_mm_s2, cmo_patrol_budget *budget) {
    sight s = sight_of(d);
    float braking = braking_of(d, braking_mm_s2);
    *budget = (cmo_patrol_budget){.blind_deg = 90.0F, .sees_deg = 90.0F};
    if (d->lights == 0) {
        return;
    }
    budget->blind_deg = blind_deg(&s);
    if (s.side - s.half >= margin_mm) {
        // Head on it is the tightest, or at the angle where margin and lead balance.
        float least = INFINITY;
        for (uint8_t deg = 0; deg < 90; deg = (uint8_t)(deg + 5)) {
            least = fminf(least, left_mm(&s, (float)deg, margin_mm));
        }
        if (!convex) {
            least = fminf(least, corner_mm(d, &s) - margin_mm);
            budget->corners = true;
        }
        budget->speed_mm_s = speed_within(d, least, braking);
    } else if (grazing == CMO_GRAZING_ACCEPT) {
        budget->sees_deg = fminf(ACCEPTED_DEG, 0.75F * budget->blind_deg);
        float left = left_mm(&s, budget->sees_deg, margin_mm);
        budget->speed_mm_s = speed_within(d, left, braking);
    } else if (grazing == CMO_GRAZING_SWAY && convex) {
        static const uint8_t amplitudes[3] = {16, 24, 32};
        for (uint8_t i = 0; i < 3; i++) {
            for (uint8_t n = 2; n <= 6; n++) {
                sway w = {cmo_radians((float)amplitudes[i]), 0.5F * (float)n * d->track_mm};
                try_sway(d, &s, &w, margin_mm, CMO_SWAY_BRAKING * braking, budget);
            }
        }
    }
    float held = budget->sway_deg > 0.0F ? CMO_SWAY_BRAKING * braking : braking;
    budget->stop_mm = cmo_budget_braking(d, budget->speed_mm_s, held);
}
