// SPDX-License-Identifier: MIT
// How to sway, so that a sensor comes round to a boundary before a wheel does, and how fast.
#include "patrol_budget.h"

#include "../shared/description.h"
#include "../shared/trig.h"

#include <math.h>

// Steps to integrate half a sway with; directions of a boundary that are tried out, a quarter turn.
#define HALF_STEPS 12
#define STEPS      (2 * HALF_STEPS)
#define DIRECTIONS 16
// Steps that a robot may take to a standstill, at most.
#define MOST_STEPS 200.0F
// Sways that are tried out: lengths of 1 to 3 tracks at amplitudes of 16, 24 and 32 degrees; and of
// 40 to 64, by which a robot gets on the more slowly, only where by none of these it may be faster
// than a share of its top speed.
#define LENGTHS    5
#define SWAYS      15
#define ALL        35
#define SLOW_SHARE 0.1F
// What turns so hard as it meets a boundary knows by some degrees less how that lies: at the reach
// of its contacts by so much.
#define WIDE_MM 6.0F
// Two directions that often decide, one along the course and one across it.
#define ALONG  3
#define ACROSS 12
// Share of the acceleration limit that swaying may take.
#define SWAY_EFFORT 0.7F

// Half a sway of the course, in equal steps along it: place and heading after each, for steps of 1
// mm. The other half goes on from there, with what is sideways the other way round.
typedef struct sway {
    float amplitude, length;
    float x[HALF_STEPS], y[HALF_STEPS];
    float cosine[HALF_STEPS], sine[HALF_STEPS];
} sway;

static void heading_at(const sway *w, float steps, float *sine, float *cosine) {
    cmi_sin_cos(steps * (CMI_PI / (float)HALF_STEPS), sine, cosine);
    cmi_sin_cos(w->amplitude * *sine, sine, cosine);
}

static void lay_out(sway *w, float amplitude) {
    float x = 0.0F;
    float y = 0.0F;
    w->amplitude = amplitude;
    for (uint8_t i = 0; i < HALF_STEPS; i++) {
        float sine, cosine;
        heading_at(w, (float)i + 0.5F, &sine, &cosine);
        w->x[i] = x += cosine;
        w->y[i] = y += sine;
        heading_at(w, (float)i + 1.0F, &w->sine[i], &w->cosine[i]);
    }
}

// How far along a direction tyres reach after each step of a whole sway, spots after any step so
// far of the sway before and this one; and how much further it all is after one sway more.
typedef struct front {
    float spots[STEPS], tyres[STEPS];
    float advance;
} front;

static void look_along(front *f, const sway *w, const cmi_sight *s, float step_mm, float nx,
                       float ny) {
    const uint8_t last = HALF_STEPS - 1U;
    float step_x = step_mm * nx;
    float step_y = step_mm * ny;
    float far = step_x * w->x[last] + step_y * w->y[last];
    float most = -CMI_NEVER_MM;
    f->advance = 2.0F * step_x * w->x[last];
    for (uint8_t i = 0; i < HALF_STEPS; i++) {
        float x = step_x * w->x[i];
        float y = step_y * w->y[i];
        float ahead = nx * w->cosine[i];
        float left = ny * w->sine[i];
        float turned = ny * w->cosine[i];
        float leaned = nx * w->sine[i];
        float across = fabsf(turned - leaned);
        float mirrored = fabsf(turned + leaned);
        f->tyres[i] = x + y + cmi_larger(s->half * across, s->front * (ahead + left));
        f->spots[i] = x + y + s->ahead * (ahead + left) + s->side * across;
        f->tyres[i + HALF_STEPS] =
            far + x - y + cmi_larger(s->half * mirrored, s->front * (ahead - left));
        f->spots[i + HALF_STEPS] = far + x - y + s->ahead * (ahead - left) + s->side * mirrored;
        most = cmi_larger(most, cmi_larger(f->spots[i], f->spots[i + HALF_STEPS]));
    }
    for (uint8_t i = 0; i < STEPS; i++) { // the course never goes back along the direction
        most = cmi_larger(most, f->spots[i] + f->advance);
        f->spots[i] = most;
    }
}

// What one direction has shown: how far the tyres are ahead of where the spots have been, at most,
// when the robot stands some steps after the crossing; and how fast that grows with the steps.
typedef struct lead {
    float most_mm, growth_mm;
    uint8_t steps;
} lead;

// The tyres of a sway's steps from `at` on have to stay behind what the spots have been over
// `steps` before: the furthest of all that was so far (`gone`) against the spots' furthest of then.
// From one sway to the next, both go on by f->advance.
static lead lead_after(const front *f, uint8_t steps) {
    uint8_t at = steps % STEPS;
    float gone = -CMI_NEVER_MM; // by the tyres, in the sway before
    for (uint8_t i = 0; i < at; i++) {
        gone = cmi_larger(gone, f->tyres[i] + f->advance);
    }
    for (uint8_t i = at; i < STEPS; i++) {
        gone = cmi_larger(gone, f->tyres[i]);
    }
    lead l = {-CMI_NEVER_MM, 0.0F, steps};
    const float *spots = f->spots;
    for (uint8_t i = at; i < STEPS; i++) {
        float before = gone;
        gone = cmi_larger(gone, f->tyres[i] + f->advance);
        l.growth_mm = cmi_larger(l.growth_mm, gone - before);
        l.most_mm = cmi_larger(l.most_mm, gone - *spots++);
    }
    for (uint8_t i = 0; i < at; i++) {
        float before = gone;
        gone = cmi_larger(gone, f->tyres[i] + 2.0F * f->advance);
        l.growth_mm = cmi_larger(l.growth_mm, gone - before);
        l.most_mm = cmi_larger(l.most_mm, gone - *spots++);
    }
    uint16_t whole = steps / STEPS;
    l.most_mm += (float)whole * f->advance;
    return l;
}

static void look(front *f, const sway *w, const cmi_sight *s, uint8_t direction) {
    float nx, ny;
    cmi_sin_cos(cmi_radians(90.0F / (float)(DIRECTIONS - 1) * (float)direction), &ny, &nx);
    look_along(f, w, s, w->length / (float)STEPS, nx, ny);
}

// What has been tried out of a sway.
typedef struct trials {
    lead seen[DIRECTIONS];
    uint8_t
        worst; // the direction that did not hold the last time: as like as not, it will not again
} trials;

// Whether wheels that stand a way after the crossing are inside, for boundaries of all directions.
// Of the last step, half of what is not needed is allowed.
static bool holds(const sway *w, const cmi_sight *s, float stop_mm, float margin_mm, trials *t) {
    float step_mm = w->length / (float)STEPS;
    float steps = ceilf(stop_mm / step_mm);
    float allowed_mm = 0.5F * (steps * step_mm - stop_mm) - margin_mm;
    for (uint8_t i = 0; i < DIRECTIONS && steps <= MOST_STEPS; i++) {
        uint8_t direction = (uint8_t)((t->worst + i) % DIRECTIONS);
        lead *seen = &t->seen[direction];
        if (seen->most_mm + (steps - (float)seen->steps) * seen->growth_mm <= allowed_mm &&
            steps >= (float)seen->steps) {
            continue; // no need to look again
        }
        front f;
        look(&f, w, s, direction);
        lead now = lead_after(&f, (uint8_t)steps);
        if (now.most_mm > allowed_mm) {
            t->worst = direction;
            return false;
        }
        *seen = now;
    }
    return steps <= MOST_STEPS;
}

// The highest speed that the motors can sway at, whatever kind of drive they have.
static float sway_speed(const cmo_robot_description *d, const sway *w) {
    float per_mm = 2.0F * CMI_PI / w->length;
    float bend = 0.5F * d->track_mm * w->amplitude * per_mm;
    float by_top = d->top_speed_mm_s / (1.0F + bend);
    float effort = cmi_smaller(SWAY_EFFORT * d->acceleration_mm_s2, cmi_sure_mm_s2(d));
    float by_effort = sqrtf(effort / (bend * per_mm));
    return cmi_smaller(by_top, by_effort);
}

// Makes it that sway; its course is laid out anew where the amplitude is another one.
static void set_sway(sway *w, const cmo_robot_description *d, uint8_t number) {
    int row = number / LENGTHS;
    float amplitude = cmi_radians((float)(16 + 8 * row));
    if (w->amplitude != amplitude) {
        lay_out(w, amplitude);
    }
    w->length = 0.5F * (float)(2 + number % LENGTHS) * d->track_mm;
}

// A speed, `high` at most, that no sway of this kind holds beyond, by one direction alone: what
// holds for some steps holds for fewer, too, and half a step is the most that is allowed for the
// last one. 0: there is none.
static float most_speed(const cmo_robot_description *d, const cmi_sight *s, const sway *w,
                        float margin_mm, float braking, uint8_t direction, float high) {
    float step_mm = w->length / (float)STEPS;
    float steps = ceilf(cmo_budget_braking(d, high, braking) / step_mm);
    uint8_t good = 0;
    uint8_t bad = (uint8_t)cmi_smaller(steps + 1.0F, MOST_STEPS);
    front f;
    look(&f, w, s, direction);
    while (bad - good > 1) {
        uint8_t middle = (uint8_t)((good + bad) / 2);
        if (lead_after(&f, middle).most_mm <= 0.5F * step_mm - margin_mm) {
            good = middle;
        } else {
            bad = middle;
        }
    }
    float within = cmi_speed_within(d, ((float)good + 0.01F) * step_mm, braking);
    return good == 0 ? 0.0F : cmi_smaller(high, within);
}

// The highest speed at which a sway holds, to a 64th of what the motors can, by halving.
static float highest_speed(const cmo_robot_description *d, const cmi_sight *s, const sway *w,
                           float margin_mm, float braking, float least, trials *t) {
    float high = sway_speed(d, w);
    for (uint8_t i = 0; i < DIRECTIONS; i++) {
        t->seen[i] = (lead){CMI_NEVER_MM, 0.0F, 0};
    }
    float low = 0.0F;
    float speed = high;
    for (uint8_t i = 0; i < 7 && low < high && high >= least; i++) {
        if (holds(w, s, cmo_budget_braking(d, speed, braking), margin_mm, t)) {
            low = speed;
        } else {
            high = speed;
        }
        speed = 0.5F * (low + high);
    }
    return low;
}

// The fastest sway from the first to the last of some. All are looked at from one direction first,
// and the promising ones come first: most of the others need not be tried out then. Of two alike
// the shorter and smaller one is taken.
static void choose_among(const cmo_robot_description *d, const cmi_sight *s, float margin_mm,
                         float braking, uint8_t first, uint8_t last, cmo_patrol_budget *best) {
    float most[ALL];
    uint8_t chosen = last;
    trials t = {.worst = ACROSS};
    sway w = {.length = 0.0F};
    for (uint8_t i = first; i < last; i++) {
        set_sway(&w, d, i);
        most[i] = sway_speed(d, &w);
        most[i] = most_speed(d, s, &w, margin_mm, braking, ACROSS, most[i]);
        if (most[i] > 0.0F) {
            most[i] = most_speed(d, s, &w, margin_mm, braking, ALONG, most[i]);
        }
    }
    for (;;) {
        uint8_t next = first;
        for (uint8_t i = first; i < last; i++) {
            next = most[i] > most[next] ? i : next;
        }
        if (most[next] <= 0.0F || most[next] < best->speed_mm_s) {
            return;
        }
        most[next] = 0.0F;
        set_sway(&w, d, next);
        float speed = highest_speed(d, s, &w, margin_mm, braking, best->speed_mm_s, &t);
        if (speed > best->speed_mm_s ||
            (speed > 0.0F && speed == best->speed_mm_s && next < chosen)) {
            chosen = next;
            best->speed_mm_s = speed;
            best->sway_deg = cmi_degrees(w.amplitude);
            best->sway_mm = w.length;
        }
    }
}

void cmi_sway_choose(const cmo_robot_description *d, const cmi_sight *s, float margin_mm,
                     float braking, cmo_patrol_budget *best) {
    choose_among(d, s, margin_mm, braking, 0, SWAYS, best);
    if (best->speed_mm_s < SLOW_SHARE * d->top_speed_mm_s) {
        choose_among(d, s, margin_mm + WIDE_MM, braking, SWAYS, ALL, best);
    }
}
