// SPDX-License-Identifier: MIT
#include "braking_fit.h"

#include <math.h>

// No edge is met more exactly than this, mm, for what is under a spot is not the same all over.
#define LEAST_ERROR_MM 0.1F
// What is more than so many of its standard deviations is there.
#define SURE_DEVIATIONS 3.0F
// A tyre creeps as it brakes, a soft one by up to so much, s2 / mm of the speed's square: what is
// less has not let go.
#define CREEPS 1.2e-5F
// Evenly spread over a tick: the standard deviation, of it.
#define WHEN_SHARE 0.29F
// By how much a body that slides brakes, the least that is tried, and from each to the next.
#define LEAST_GRIP_MM_S2 800.0F
#define GRIP_RATIO       1.25F
// Tyres let go by and by, and no floor has the same grip all over.
#define LEAST_GRIP_ERROR 0.15F

static float squared(float x) {
    return x * x;
}

// Running means, and what each pass is off them (Welford's algorithm).
void cmi_braking_add(cmo_measure_braking_state *state, float nearer_mm) {
    float *mean = &state->nearer_mm[state->pass];
    float off = nearer_mm - *mean;
    *mean += off / ((float)state->round + 1.0F);
    state->scatter_mm2 += off * (nearer_mm - *mean);
}

void cmi_braking_begin_slides(cmo_measure_braking_state *state, float speed_mm_s) {
    for (uint8_t i = 0; i < CMO_BRAKING_GRIPS; i++) {
        state->body_mm_s[i] = speed_mm_s;
    }
}

// A body goes as fast as its wheels, or slides: then it brakes by what its tyres pass on, and no
// more. By how much it would have slid so far, for each grip that is tried; speeds are means of a
// tick's.
void cmi_braking_slide(cmo_measure_braking_state *state, float way_mm, float seconds) {
    float wheels = way_mm / seconds;
    float grip = LEAST_GRIP_MM_S2;
    for (uint8_t i = 0; i < CMO_BRAKING_GRIPS; i++, grip *= GRIP_RATIO) {
        float body = fmaxf(state->body_mm_s[i] - grip * seconds, fmaxf(wheels, 0.0F));
        state->body_mm_s[i] = body;
        state->slides_mm[i] += body * seconds - way_mm;
    }
}

// The grip by which it would have slid by so much; 0: more than any that is tried. The more grip
// the less it slides; between two grips that are tried, by the same share for the same ratio.
static float grip_of(const cmo_measure_braking_state *state, float slid_mm) {
    float halts = (float)state->parameters.rounds;
    float grip = LEAST_GRIP_MM_S2;
    for (uint8_t i = 1; i < CMO_BRAKING_GRIPS; i++, grip *= GRIP_RATIO) {
        float more = state->slides_mm[i - 1] / halts;
        float less = state->slides_mm[i] / halts;
        if (slid_mm > less) {
            float share = (more - slid_mm) / fmaxf(more - less, 1e-6F);
            return grip * (1.0F + (GRIP_RATIO - 1.0F) * fmaxf(share, 0.0F));
        }
    }
    return 0.0F;
}

// By the wheels the edge is nearer on the way back by what the tyres have slid; and by gear play,
// and looks that come late, and the creep of the tyres: that is the same however it brakes, and
// shows where it brakes gently.
void cmi_braking_solve(const cmo_robot_description *d, cmo_measure_braking_state *state) {
    cmo_braking *b = &state->braking;
    const float *nearer = state->nearer_mm;
    float passes = (float)state->parameters.rounds;
    float step = fmaxf(d->left_step_mm, d->right_step_mm);
    float spread = state->scatter_mm2 / ((float)CMI_BRAKING_PASSES * (passes - 1.0F));
    // A wheel stands anywhere within its count, there and back, and both are taken together.
    float variance = fmaxf(spread, squared(step) / 12.0F) / passes + squared(LEAST_ERROR_MM);
    b->slid_mm = nearer[CMI_BY_LIMIT] - nearer[CMI_GENTLY];
    b->slid_error_mm = sqrtf(2.0F * variance);
    b->halt_slid_mm = nearer[CMI_HALTED] - nearer[CMI_GENTLY];
    b->speed_mm_s = state->speed_mm_s;
    b->limit_mm_s2 = d->braking_mm_s2;
    b->grip_mm_s2 = b->grip_error_mm_s2 = 0.0F;
    // When in a tick it lets go is not known.
    float when_mm = WHEN_SHARE * b->speed_mm_s * (float)d->tick_us * 1e-6F;
    float error = sqrtf(squared(b->slid_error_mm) + squared(when_mm));
    float least = CREEPS * squared(b->speed_mm_s);
    if (b->halt_slid_mm > fmaxf(least, SURE_DEVIATIONS * error)) {
        float low = grip_of(state, b->halt_slid_mm + error);
        float high = grip_of(state, b->halt_slid_mm - error);
        if (high == 0.0F) {
            return;
        }
        b->grip_mm_s2 = grip_of(state, b->halt_slid_mm);
        b->grip_error_mm_s2 =
            sqrtf(squared(0.5F * (high - low)) + squared(LEAST_GRIP_ERROR * b->grip_mm_s2));
    }
}

// What was lowered once, and holds now, stays low.
void cmo_braking_apply(const cmo_braking *braking, cmo_robot_description *description) {
    float least =
        fmaxf(CREEPS * squared(braking->speed_mm_s), SURE_DEVIATIONS * braking->slid_error_mm);
    bool holds = fabsf(braking->slid_mm) <= least;
    bool slides = braking->slid_mm > least && braking->grip_mm_s2 > 0.0F;
    float most = holds    ? braking->limit_mm_s2
                 : slides ? CMO_GRIP_SHARE * braking->grip_mm_s2
                          : INFINITY;
    if (braking->grip_mm_s2 > 0.0F) {
        description->grip_mm_s2 = fminf(braking->grip_mm_s2, 50000.0F);
    }
    description->holds_mm_s = holds ? braking->speed_mm_s : 0.0F;
    most = fmaxf(most, 10.0F);
    if (most < description->braking_mm_s2) {
        description->braking_mm_s2 = most;
        description->acceleration_mm_s2 = fminf(description->acceleration_mm_s2, most);
    }
}
