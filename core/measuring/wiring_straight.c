// SPDX-License-Identifier: MIT
// The second half of the wiring check: straight over the line and back, slowly and fast.
#include "check_wiring.h"

#include "../moves/motion.h"
#include "../moves/move.h"
#include "../shared/description.h"
#include "../shared/routine.h"
#include "../shared/trig.h"

#include <math.h>

// Back to take a run-up, and over the line and back, slowly and fast.
#define RUN_UP_MM  60.0F
#define PASS_MM    130.0F
#define FAST_MM_S  250.0F
#define STRAIGHT   6U
#define MOST_CURVE 42.0F
#define MOST_DELAY 4.0F
#define SETTLE_US  600000U // a regulator may hum about its place for ever

void cmi_wiring_begin_pass(cmo_robot *robot, cmo_check_wiring_state *state) {
    static const float ways[STRAIGHT] = {-RUN_UP_MM, PASS_MM,  -PASS_MM,
                                         PASS_MM,    -PASS_MM, RUN_UP_MM};
    uint8_t pass = state->pass;
    float sign = ways[pass] < 0.0F ? -1.0F : 1.0F;
    bool fast = pass == 3 || pass == 4;
    float most = robot->description->top_speed_mm_s;
    cmi_motion_start(&state->motion, robot, fabsf(ways[pass]), sign, sign);
    state->motion.top_mm_s = fminf(most, fast ? FAST_MM_S : state->parameters.speed_mm_s);
    cmi_trust_encoders(robot, true);
    cmi_enter(robot, CMO_STAGE_MOVE);
    for (uint8_t i = 0; pass == 0 && i < cmi_front_lights(robot->description); i++) {
        cmo_light_check *check = &state->light[i];
        // Levels for the time of the check: what it read at rest, and over the line.
        check->levels = (cmo_levels){.dark = (uint16_t)check->furthest,
                                     .light = (uint16_t)check->rest,
                                     .void_counts = CMO_LEVEL_UNKNOWN,
                                     .noise = (uint16_t)(check->spread + 0.5F)};
        cmo_edge_start(&check->edge, &check->levels, CMO_TONE_DARK,
                       robot->description->light[i].spot_mm);
        for (uint8_t n = 0; n < 8; n++) {
            check->edge_mm[n / 4][n % 4] = NAN;
        }
    }
}

void cmi_wiring_look_passing(const cmo_robot *robot, cmo_check_wiring_state *state,
                             uint8_t sensor) {
    uint8_t pass = state->pass;
    const cmo_light *seen = &robot->light[sensor];
    cmo_light_check *check = &state->light[sensor];
    cmo_light_point point = {seen->look_us, seen->way_mm,
                             cmo_reflectance(&check->levels, seen->counts)};
    cmo_crossing crossing;
    bool crossed = cmo_edge_look(&check->edge, point, &crossing);
    if (!crossed || pass < 1 || pass > 4) {
        return;
    }
    // The near edge is met on the way in ahead, and on the way out back.
    bool near = crossing.entering == (pass % 2 == 1);
    check->edge_mm[near ? 0 : 1][pass - 1] = crossing.way_mm;
    check->speed_mm_s[near ? 0 : 1][pass - 1] = fabsf(cmo_speed_mm_s(robot));
}

// What the places of an edge say of a delay's error, s; NAN: it was not met each time. Met ahead
// and back they differ by the gear play, and by twice the way of that error. The play is the same
// at both speeds.
static float delay_off_s(const cmo_light_check *check, uint8_t edge) {
    const float *way = check->edge_mm[edge];
    const float *v = check->speed_mm_s[edge];
    float here = (way[2] - way[3]) - (way[0] - way[1]);
    float speeds = v[2] + v[3] - v[0] - v[1];
    float squares = v[2] * v[2] + v[3] * v[3] - v[0] * v[0] - v[1] * v[1];
    return (here - CMI_TYRE_CREEP * squares) / speeds;
}

// How well that is known: by what tyres may creep, by the counts of the encoders, of which four
// places have one's 1 / sqrt(12) each, and by half of what both edges differ by.
static float delay_error_ms(const cmo_robot_description *d, float slow, float fast, float apart_s) {
    float creep_s = CMI_TYRE_CREEP_ERROR * (fast + slow);
    float step_mm = fmaxf(d->left_step_mm, d->right_step_mm);
    float counts_s = 0.577F * step_mm / (2.0F * (fast - slow));
    return 1000.0F * sqrtf(creep_s * creep_s + counts_s * counts_s + 0.25F * apart_s * apart_s);
}

static void judge_straight(cmo_robot *robot, cmo_check_wiring_state *state) {
    const cmo_robot_description *d = robot->description;
    float slow = state->parameters.speed_mm_s;
    float fast = fminf(d->top_speed_mm_s, FAST_MM_S);
    for (uint8_t i = 0; i < cmi_front_lights(d); i++) {
        float near = delay_off_s(&state->light[i], 0);
        float far = delay_off_s(&state->light[i], 1);
        if (fast < 1.5F * slow || (isnan(near) && isnan(far))) {
            continue;
        }
        near = isnan(near) ? far : near;
        far = isnan(far) ? near : far;
        float off_ms = 500.0F * (near + far);
        state->delay_ms[i] = (float)d->light[i].delay_us * 1e-3F + off_ms;
        state->delay_error_ms[i] = delay_error_ms(d, slow, fast, near - far);
        if (fabsf(off_ms) > MOST_DELAY + 2.0F * state->delay_error_ms[i]) {
            cmi_wiring_find(robot, state, (cmo_finding)(CMO_FINDING_LEFT_DELAY + i));
        }
    }
}

// Driven alike, by commands alone: how unlike do the wheels go? From where they have got going.
static void watch_curve(cmo_robot *robot, cmo_check_wiring_state *state) {
    float left = robot->odometer.left_mm - state->left_mm;
    float right = robot->odometer.right_mm - state->right_mm;
    float way = 0.5F * (left + right);
    if (fabsf(state->motion.place_mm) < 15.0F) {
        state->left_mm = robot->odometer.left_mm;
        state->right_mm = robot->odometer.right_mm;
    } else if (robot->port->traits & CMO_TRAIT_ENCODERS && fabsf(way) > 20.0F) {
        state->curve_deg_m =
            cmi_degrees((right - left) / robot->description->track_mm) / way * 1000.0F;
    }
}

bool cmi_wiring_pass(cmo_robot *robot, cmo_check_wiring_state *state) {
    cmo_motion *motion = &state->motion;
    bool first = state->pass == 0;
    if (!motion->arrived) {
        cmi_motion_follow(motion, robot);
        if (first) { // alike, and not yet put right by what the encoders say
            float both = motion->left_sign * motion->speed_mm_s;
            cmi_drive(robot, both, both);
            cmi_trust_encoders(robot, false);
            watch_curve(robot, state);
        }
        return false;
    }
    if (first && fabsf(state->curve_deg_m) > MOST_CURVE) {
        cmi_wiring_find(robot, state, CMO_FINDING_CURVED);
    }
    bool settled = cmi_motion_settle(motion, robot, cmi_least_tolerance_mm(robot), CMI_STICKS_US);
    state->since_us += robot->dt_us;
    if (!first && !settled && state->since_us < SETTLE_US) {
        return false;
    }
    state->pass++;
    state->since_us = 0;
    if (state->pass < STRAIGHT) {
        cmi_wiring_begin_pass(robot, state);
        return false;
    }
    judge_straight(robot, state);
    return true;
}
