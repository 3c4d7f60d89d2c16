// SPDX-License-Identifier: MIT
// How motors, gears, tyres and body push each other within a step.
#include "couple.h"

#include "motor.h"

#include <math.h>

#define ITERATIONS 3

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

// One tyre in this step: what its slip gives way by, and its bounds.
typedef struct tyre {
    double sign, soft, give;
    double most;  // impulse that it can pass on, in any direction
    double aside; // and what of it goes sideways
} tyre;

// What weight and sliding make of a tyre's grip.
static G_GNUC_NO_INLINE double grip_of(const struct plant *pl, const side *s, double sign,
                                       double lever_mm, double most) {
    const cmo_sim_plant *p = pl->p;
    double share = 1.0;
    if (p->height_mm > 0.0) {
        // What a wheel carries cannot be less than nothing; from twice its share on it would tip.
        double along = pl->gained_mm_s2 * pl->tips_along;
        double across = pl->speed_mm_s * pl->turn_rad_s * pl->tips_across;
        share = clamp(1.0 - along + sign * across, 0.0, 2.0);
    }
    if (p->slide_grip < 1.0) {
        double floor_mm_s = pl->speed_mm_s + sign * lever_mm * pl->turn_rad_s;
        double slip = (s->size * s->speed_mm_s - floor_mm_s) * pl->per_slide;
        share *= p->slide_grip + (1.0 - p->slide_grip) / (1.0 + slip * slip);
    }
    return share * most;
}

// Both directions share one grip: what a tyre passes on sideways is not to be had along.
static double left_of(double most, double other) {
    double square = most * most - other * other;
    return square > 0.0 ? sqrt(square) : 0.0;
}

// An impulse within what the tyre can pass on, and what the gear can: where it lies against one end
// of the play, it pushes one way alone.
static inline double bounded(const side *s, const tyre *t, double push) {
    // The leg of a triangle is no less than the other two sides' difference: far below the bound no
    // root need be taken.
    if (fabs(push) > t->most - fabs(t->aside)) {
        double along = left_of(t->most, t->aside);
        push = clamp(push, -along, along);
    }
    return s->contact == 1 ? MAX(push, 0.0) : s->contact == -1 ? MIN(push, 0.0) : push;
}

static inline tyre begin_tyre(const struct plant *pl, const side *s, double sign,
                              const coupling *c) {
    double floor_mm_s = pl->speed_mm_s + sign * c->lever_mm * pl->turn_rad_s;
    double most = pl->plain_tyres ? c->most : grip_of(pl, s, sign, c->lever_mm, c->most);
    double soft = c->soft * fabs(floor_mm_s);
    tyre t = {.sign = sign,
              .soft = soft,
              .give = 1.0 / (s->size * s->size * pl->per_rotor_kg + c->body + soft),
              .most = most,
              .aside = pl->plain_tyres ? 0.0 : 0.5 * pl->side_push};
    return t;
}

// Newton's method squares what is left: after a step as small as this, nothing is.
#define CLOSE 1e-5

// The impulse at which the slip that is left is what the curve asks for: Newton's method on a
// function that only falls. `slip` is what there is now, `give` what an impulse takes of it.
static G_GNUC_NO_INLINE double on_curve(const struct plant *pl, const tyre *t, double slip,
                                        double push, double give, double speed) {
    double most = 0.999 * t->most;
    if (!(most > 0.0)) {
        return 0.0;
    }
    double creep = pl->p->tyre_creep * fabs(speed) + 1e-9;
    double now = clamp(push, -most, most);
    double all = slip + give * push;
    double per_most = 1.0 / t->most;
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

static G_ALWAYS_INLINE inline void give_way(struct plant *pl, side *s, const tyre *t,
                                            const coupling *c, double push, bool loose) {
    double change = push - s->push;
    s->push = push;
    s->speed_mm_s -= change * s->size * pl->per_rotor_kg;
    pl->speed_mm_s += change * pl->per_mass_kg;
    twist(pl, t->sign * change * c->lever_mm, loose);
}

static G_GNUC_NO_INLINE void push_round_tyre(struct plant *pl, side *s, const tyre *t,
                                             const coupling *c, bool loose) {
    if (s->contact == 0) {
        return;
    }
    double floor_mm_s = pl->speed_mm_s + t->sign * c->lever_mm * pl->turn_rad_s;
    double give = s->size * s->size * pl->per_rotor_kg + c->body;
    double slip = s->size * s->speed_mm_s - floor_mm_s;
    give_way(pl, s, t, c, bounded(s, t, on_curve(pl, t, slip, s->push, give, floor_mm_s)), loose);
}

static inline void push_tyre(struct plant *pl, side *s, const tyre *t, const coupling *c,
                             bool loose) {
    if (s->contact == 0) {
        return;
    }
    double floor_mm_s = pl->speed_mm_s + t->sign * c->lever_mm * pl->turn_rad_s;
    double slip = s->size * s->speed_mm_s - floor_mm_s - t->soft * s->push;
    give_way(pl, s, t, c, bounded(s, t, s->push + slip * t->give), loose);
}

static inline void push_axle(struct plant *pl, double change) {
    pl->side_mm_s += change * pl->side_give;
    pl->turn_rad_s -= pl->p->centre_mm * change * pl->per_turn;
}

// The axle sideways, both tyres as one: they stand on one line.
static void push_aside(struct plant *pl, const tyre *left, const tyre *right, const coupling *c) {
    double slip = -pl->side_mm_s - c->side_soft * pl->side_push;
    double push = pl->side_push + slip * c->side_per;
    if (fabs(push) > left->most - fabs(pl->left.push) + right->most - fabs(pl->right.push)) {
        double most = left_of(left->most, pl->left.push) + left_of(right->most, pl->right.push);
        push = clamp(push, -most, most);
    }
    double change = push - pl->side_push;
    pl->side_push = push;
    push_axle(pl, change);
}

// Friction at rest is higher than in motion.
static double most_rub(const struct plant *pl, const side *s, double most) {
    const cmo_sim_plant *p = pl->p;
    if (p->stick == 1.0) {
        return most;
    }
    double over = s->speed_mm_s * pl->per_stick;
    return most * (1.0 + (p->stick - 1.0) / (1.0 + over * over));
}

// It may differ with the direction.
static inline void rub_gear(const struct plant *pl, side *s, double most) {
    double backward = most * pl->p->dead_backward;
    double rub = clamp(s->rub - s->speed_mm_s * pl->rotor_kg, -most, backward);
    s->speed_mm_s += (rub - s->rub) * pl->per_rotor_kg;
    s->rub = rub;
}

static inline void drag_body(struct plant *pl, coupling *c, bool loose) {
    double drag = clamp(c->drag_sum - pl->speed_mm_s * pl->p->mass_kg, -c->drag, c->drag);
    pl->speed_mm_s += (drag - c->drag_sum) * pl->per_mass_kg;
    c->drag_sum = drag;
    double turn =
        clamp(c->turn_drag_sum - pl->turn_rad_s * pl->inertia_kg_mm2, -c->turn_drag, c->turn_drag);
    twist(pl, turn - c->turn_drag_sum, loose);
    c->turn_drag_sum = turn;
}

// The motor's place in the gear play, and whether it lies against one of its ends.
static void follow_play(const struct plant *pl, side *s, double sign, double lever_mm,
                        double dt_s) {
    if (s->contact == 2) {
        return;
    }
    double half = 0.5 * pl->p->gear_play_mm;
    double floor_mm_s = pl->speed_mm_s + sign * lever_mm * pl->turn_rad_s;
    double slip = s->size * s->speed_mm_s - floor_mm_s;
    if (s->contact != 0 && s->push == 0.0 && slip * s->contact < 0.0) {
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

static inline void warm_start(struct plant *pl, side *s, double sign, const coupling *c,
                              bool loose) {
    if (s->contact == 0) {
        s->push = 0.0;
    }
    s->speed_mm_s += (s->rub - s->push * s->size) * pl->per_rotor_kg;
    pl->speed_mm_s += s->push * pl->per_mass_kg;
    twist(pl, sign * s->push * c->lever_mm, loose);
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
static G_ALWAYS_INLINE inline void couple_as(struct plant *pl, double dt_s, bool loose,
                                             bool round) {
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
    tyre left = begin_tyre(pl, &pl->left, -1.0, &c);
    tyre right = begin_tyre(pl, &pl->right, 1.0, &c);
    warm_start(pl, &pl->left, -1.0, &c, loose);
    warm_start(pl, &pl->right, 1.0, &c, loose);
    if (loose) {
        c.side_soft = most > 0.0 ? p->side_creep * fabs(pl->speed_mm_s) / (2.0 * most) : 0.0;
        c.side_per = 1.0 / (pl->side_give + c.side_soft);
        push_axle(pl, pl->side_push);
    }
    double left_rub = most_rub(pl, &pl->left, c.rub);
    double right_rub = most_rub(pl, &pl->right, c.rub);
    for (int i = 0; i < ITERATIONS; i++) {
        rub_gear(pl, &pl->left, left_rub);
        rub_gear(pl, &pl->right, right_rub);
        drag_body(pl, &c, loose);
        if (round) {
            push_round_tyre(pl, &pl->left, &left, &c, loose);
            push_round_tyre(pl, &pl->right, &right, &c, loose);
        } else {
            push_tyre(pl, &pl->left, &left, &c, loose);
            push_tyre(pl, &pl->right, &right, &c, loose);
        }
        if (loose) {
            push_aside(pl, &left, &right, &c);
        }
    }
    follow_play(pl, &pl->left, -1.0, c.lever_mm, dt_s);
    follow_play(pl, &pl->right, 1.0, c.lever_mm, dt_s);
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
