// SPDX-License-Identifier: MIT
// How motors, gears, tyres and body push each other within a step.
#include "couple.h"

#include "motor.h"

#include <math.h>

#define ITERATIONS 3

// What moves, for the length of a step: kept by itself, it stays in registers.
typedef struct body {
    double speed_mm_s, turn_rad_s, side_mm_s;
    double side_push;
} body;

typedef struct wheel {
    double speed_mm_s, size;
    double push, rub; // impulses
    int contact;
    // What its tyre's slip gives way by in this step, and its bounds.
    double sign, soft, give;
    double most;  // impulse that it can pass on, in any direction
    double aside; // and what of it goes sideways
    double rubs;  // impulse that its gear can take
} wheel;

// Impulses between the parts, solved one after the other until they agree (projected Gauss-Seidel),
// each within its bounds: tyre to floor, gear friction, rolling resistance.
typedef struct coupling {
    double lever_mm; // half the track
    double soft;     // share of the tyre's slip per impulse
    double body;     // what the body gives way by at a tyre
    double most;     // impulse that a tyre can pass on
    double side_soft, side_per;
    double rub; // impulse that gear friction can take
    double drag;
    double drag_sum;
    double turn_drag;
    double turn_drag_sum;
} coupling;

#define INLINE static G_ALWAYS_INLINE inline

INLINE double floor_of(const body *b, const wheel *w, const coupling *c) {
    return b->speed_mm_s + w->sign * c->lever_mm * b->turn_rad_s;
}

// Where the axle may slide, an impulse turns the robot about its centre of mass.
INLINE void twist_body(const struct plant *pl, body *b, double moment, bool loose) {
    double turn = moment * pl->per_turn;
    b->turn_rad_s += turn;
    if (loose) {
        b->side_mm_s -= pl->p->centre_mm * turn;
    }
}

// What weight and sliding make of a tyre's grip.
INLINE double grip_of(const struct plant *pl, const body *b, const wheel *w, const coupling *c) {
    const cmo_sim_plant *p = pl->p;
    double share = 1.0;
    if (p->height_mm > 0.0) {
        // What a wheel carries cannot be less than nothing; from twice its share on it would tip.
        double along = pl->gained_mm_s2 * pl->tips_along;
        double across = b->speed_mm_s * b->turn_rad_s * pl->tips_across;
        share = clamp(1.0 - along + w->sign * across, 0.0, 2.0);
    }
    if (p->slide_grip < 1.0) {
        double slip = (w->size * w->speed_mm_s - floor_of(b, w, c)) * pl->per_slide;
        share *= p->slide_grip + (1.0 - p->slide_grip) / (1.0 + slip * slip);
    }
    return share * c->most;
}

// Both directions share one grip: what a tyre passes on sideways is not to be had along.
static double left_of(double most, double other) {
    double square = most * most - other * other;
    return square > 0.0 ? sqrt(square) : 0.0;
}

// An impulse within what the tyre can pass on, and what the gear can: where it lies against one end
// of the play, it pushes one way alone.
INLINE double bounded(const wheel *w, double push) {
    // The leg of a triangle is no less than the other two sides' difference: far below the bound no
    // root need be taken.
    if (fabs(push) > w->most - fabs(w->aside)) {
        double along = left_of(w->most, w->aside);
        push = clamp(push, -along, along);
    }
    return w->contact == 1 ? MAX(push, 0.0) : w->contact == -1 ? MIN(push, 0.0) : push;
}

// Friction at rest is higher than in motion.
INLINE double most_rub(const struct plant *pl, const wheel *w, double most) {
    const cmo_sim_plant *p = pl->p;
    if (p->stick == 1.0) {
        return most;
    }
    double over = w->speed_mm_s * pl->per_stick;
    return most * (1.0 + (p->stick - 1.0) / (1.0 + over * over));
}

INLINE wheel begin_wheel(const struct plant *pl, const side *s, double sign) {
    return (wheel){.speed_mm_s = s->speed_mm_s,
                   .size = s->size,
                   .push = s->push,
                   .rub = s->rub,
                   .contact = s->contact,
                   .sign = sign,
                   .aside = pl->plain_tyres ? 0.0 : 0.5 * pl->side_push};
}

INLINE void begin_tyre(const struct plant *pl, const body *b, wheel *w, const coupling *c) {
    w->most = pl->plain_tyres ? c->most : grip_of(pl, b, w, c);
    w->soft = c->soft * fabs(floor_of(b, w, c));
    w->give = 1.0 / (w->size * w->size * pl->per_rotor_kg + c->body + w->soft);
}

INLINE void warm_start(const struct plant *pl, body *b, wheel *w, const coupling *c, bool loose) {
    if (w->contact == 0) {
        w->push = 0.0;
    }
    w->speed_mm_s += (w->rub - w->push * w->size) * pl->per_rotor_kg;
    b->speed_mm_s += w->push * pl->per_mass_kg;
    twist_body(pl, b, w->sign * w->push * c->lever_mm, loose);
}

// Newton's method squares what is left: after a step as small as this, nothing is.
#define CLOSE 1e-5

// The impulse at which the slip that is left is what the curve asks for: Newton's method on a
// function that only falls. `slip` is what there is now, `give` what an impulse takes of it.
INLINE double on_curve(const struct plant *pl, const wheel *w, double slip, double give,
                       double speed) {
    double most = 0.999 * w->most;
    if (!(most > 0.0)) {
        return 0.0;
    }
    double creep = pl->p->tyre_creep * fabs(speed) + 1e-9;
    double now = clamp(w->push, -most, most);
    double all = slip + give * w->push;
    double per_most = 1.0 / w->most;
    for (int i = 0; i < 3; i++) {
        // Both times the square of what is left of the grip, which leaves one division.
        double f = now * per_most;
        double rest = 1.0 - f * f;
        double off = (all - give * now) * rest * rest - creep * f * rest;
        double slope = give * rest * rest + creep * (1.0 + f * f) * per_most;
        double step = off / slope;
        now = clamp(now + step, -most, most);
        if (fabs(step) < CLOSE * most) {
            break;
        }
    }
    return now;
}

INLINE void push_tyre(const struct plant *pl, body *b, wheel *w, const coupling *c, bool loose,
                      bool round) {
    if (w->contact == 0) {
        return;
    }
    double floor_mm_s = floor_of(b, w, c);
    double slip = w->size * w->speed_mm_s - floor_mm_s;
    double push;
    if (round) {
        double give = w->size * w->size * pl->per_rotor_kg + c->body;
        push = on_curve(pl, w, slip, give, floor_mm_s);
    } else {
        push = w->push + (slip - w->soft * w->push) * w->give;
    }
    push = bounded(w, push);
    double change = push - w->push;
    w->push = push;
    w->speed_mm_s -= change * w->size * pl->per_rotor_kg;
    b->speed_mm_s += change * pl->per_mass_kg;
    twist_body(pl, b, w->sign * change * c->lever_mm, loose);
}

INLINE void push_axle(const struct plant *pl, body *b, double change) {
    b->side_mm_s += change * pl->side_give;
    b->turn_rad_s -= pl->p->centre_mm * change * pl->per_turn;
}

// The axle sideways, both tyres as one: they stand on one line.
INLINE void push_aside(const struct plant *pl, body *b, const wheel *left, const wheel *right,
                       const coupling *c) {
    double slip = -b->side_mm_s - c->side_soft * b->side_push;
    double push = b->side_push + slip * c->side_per;
    if (fabs(push) > left->most - fabs(left->push) + right->most - fabs(right->push)) {
        double most = left_of(left->most, left->push) + left_of(right->most, right->push);
        push = clamp(push, -most, most);
    }
    double change = push - b->side_push;
    b->side_push = push;
    push_axle(pl, b, change);
}

// It may differ with the direction.
INLINE void rub_gear(const struct plant *pl, wheel *w) {
    double backward = w->rubs * pl->p->dead_backward;
    double rub = clamp(w->rub - w->speed_mm_s * pl->rotor_kg, -w->rubs, backward);
    w->speed_mm_s += (rub - w->rub) * pl->per_rotor_kg;
    w->rub = rub;
}

INLINE void drag_body(const struct plant *pl, body *b, coupling *c, bool loose) {
    double drag = clamp(c->drag_sum - b->speed_mm_s * pl->p->mass_kg, -c->drag, c->drag);
    b->speed_mm_s += (drag - c->drag_sum) * pl->per_mass_kg;
    c->drag_sum = drag;
    double turn =
        clamp(c->turn_drag_sum - b->turn_rad_s * pl->inertia_kg_mm2, -c->turn_drag, c->turn_drag);
    twist_body(pl, b, turn - c->turn_drag_sum, loose);
    c->turn_drag_sum = turn;
}

// The motor's place in the gear play, and whether it lies against one of its ends.
INLINE void follow_play(const struct plant *pl, side *s, const body *b, const wheel *w,
                        const coupling *c, double dt_s) {
    if (s->contact == 2) {
        return;
    }
    double half = 0.5 * pl->p->gear_play_mm;
    double slip = w->size * w->speed_mm_s - floor_of(b, w, c);
    if (s->contact != 0 && w->push == 0.0 && slip * s->contact < 0.0) {
        s->contact = 0;
    }
    if (s->contact == 0) {
        s->play_mm += slip * dt_s;
        if (s->play_mm >= half) {
            s->play_mm = half;
            s->contact = 1;
        } else if (s->play_mm <= -half) {
            s->play_mm = -half;
            s->contact = -1;
        }
    }
}

INLINE void end_wheel(side *s, const wheel *w) {
    s->speed_mm_s = w->speed_mm_s;
    s->push = w->push;
    s->rub = w->rub;
}

// Wide tyres scrub in a tight turn, and it is as if they stood further out.
static double lever_of(const struct plant *pl) {
    double lever = 0.5 * pl->p->track_mm;
    if (pl->p->turn_widens > 0.0) {
        double turning = fabs(pl->turn_rad_s) * lever;
        lever *= 1.0 + pl->p->turn_widens * turning / (turning + fabs(pl->speed_mm_s) + 1.0);
    }
    return lever;
}

// Inlined once for the plain robot, whose tyres neither slide sideways nor bend their curve, and
// once for all others.
INLINE void couple_as(struct plant *pl, double dt_s, bool loose, bool round) {
    const cmo_sim_plant *p = pl->p;
    double most = pl->half_grip_mn * pl->grip * dt_s;
    double weight = p->mass_kg * p->drag_m_s2 * 1e3 * dt_s;
    coupling c = {
        .lever_mm = lever_of(pl),
        .soft = most > 0.0 ? p->tyre_creep / most : 0.0,
        .most = most,
        .rub = pl->blocked ? 1e9 : pl->rub_mn * dt_s,
        .drag = weight,
        .turn_drag = weight * 10.0, // the tyres' contact patches rub on a lever of some mm
    };
    c.body = pl->per_mass_kg + c.lever_mm * c.lever_mm * pl->per_turn;
    body b = {pl->speed_mm_s, pl->turn_rad_s, pl->side_mm_s, pl->side_push};
    wheel left = begin_wheel(pl, &pl->left, -1.0);
    wheel right = begin_wheel(pl, &pl->right, 1.0);
    begin_tyre(pl, &b, &left, &c);
    begin_tyre(pl, &b, &right, &c);
    warm_start(pl, &b, &left, &c, loose);
    warm_start(pl, &b, &right, &c, loose);
    if (loose) {
        c.side_soft = most > 0.0 ? p->side_creep * fabs(b.speed_mm_s) / (2.0 * most) : 0.0;
        c.side_per = 1.0 / (pl->side_give + c.side_soft);
        push_axle(pl, &b, b.side_push);
    }
    left.rubs = most_rub(pl, &left, c.rub);
    right.rubs = most_rub(pl, &right, c.rub);
    for (int i = 0; i < ITERATIONS; i++) {
        rub_gear(pl, &left);
        rub_gear(pl, &right);
        drag_body(pl, &b, &c, loose);
        push_tyre(pl, &b, &left, &c, loose, round);
        push_tyre(pl, &b, &right, &c, loose, round);
        if (loose) {
            push_aside(pl, &b, &left, &right, &c);
        }
    }
    end_wheel(&pl->left, &left);
    end_wheel(&pl->right, &right);
    pl->speed_mm_s = b.speed_mm_s;
    pl->turn_rad_s = b.turn_rad_s;
    pl->side_mm_s = b.side_mm_s;
    pl->side_push = b.side_push;
    follow_play(pl, &pl->left, &b, &left, &c, dt_s);
    follow_play(pl, &pl->right, &b, &right, &c, dt_s);
}

void cmi_sim_plant_couple(struct plant *pl, double dt_s) {
    bool loose = pl->p->side_creep > 0.0;
    bool round = pl->p->tyre_curve == CMO_SIM_ROUND;
    if (loose || round) {
        couple_as(pl, dt_s, loose, round);
    } else {
        couple_as(pl, dt_s, false, false);
    }
}
