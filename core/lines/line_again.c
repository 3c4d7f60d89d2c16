// SPDX-License-Identifier: MIT
// A line that is met again, on the way back or after it has been lost: what that says of where the
// robot stands.
#include "line_again.h"

#include "../moves/motion.h"
#include "../tick/light_input.h"
#include "../tick/surfaces.h"
#include "line_candidates.h"
#include "line_floor.h"
#include "line_halt.h"
#include "line_rest.h"

#include <math.h>

// What looks and play leave of the place of an edge that is met again.
#define SURE_MM     1.0F
#define MOST_OFF_MM 5.0F

// By as much as the two places of an edge that is met twice differ, the encoders have gone wrong in
// between, through sliding and gear play: so have all that they say of this line.
static void shift(cmo_line_state *state, float shift_mm) {
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        cmo_candidate *candidate = &state->candidate[i];
        if (candidate->open && !candidate->corrected) {
            candidate->near.way_mm += shift_mm;
            candidate->far_mm += shift_mm;
        }
    }
}

// The way ends elsewhere; but no nearer than the profile can stop.
static void shift_target(cmo_motion *motion, float by_mm) {
    float speed = motion->speed_mm_s;
    float stopping = 0.5F * speed * speed / motion->braking_mm_s2;
    motion->target_mm = fmaxf(motion->target_mm + by_mm, motion->place_mm + stopping);
    motion->arrived = motion->arrived && motion->target_mm <= motion->place_mm;
}

void cmi_line_via_edge(const cmo_robot *robot, cmo_line_state *state) {
    cmo_line_parameters *p = &state->parameters;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        state->far_again_mm[i] = state->candidate[i].far_mm + robot->description->gear_play_mm;
    }
    state->via_edge = true;
    state->then_rest = (uint8_t)p->rest;
    state->then_mm = p->beyond_mm;
    p->rest = p->rest == CMO_REST_CENTRE ? CMO_REST_NEAR_EDGE : p->rest;
    p->beyond_mm = 0.0F;
}

// On the way back over the far edge: how far it is off is gear play, creep and the looks' own
// error, or else it has slid. Small shifts count only for the centre, where no edge is left under
// the sensors to settle on, and only if the spot had left the line wholly.
static void correct(cmo_robot *robot, cmo_line_state *state, uint8_t sensor, float way_mm) {
    cmo_candidate *candidate = &state->candidate[sensor];
    float by = way_mm - candidate->far_mm;
    float beyond = candidate->near.way_mm + state->furthest_mm - candidate->far_mm;
    float spot_mm = robot->description->light[sensor].spot_mm;
    float rolled = cmi_line_rolled_mm(robot, state);
    float play = robot->description->gear_play_mm;
    bool centre = state->parameters.rest == CMO_REST_CENTRE;
    bool clear = beyond >= spot_mm;
    float slid = rolled + (centre ? SURE_MM : CMI_LINE_SLID_MM + 0.5F * spot_mm);
    // By the wheels narrower than it can be: they have slid over it, and tell the centre wrong.
    float width = candidate->far_mm - candidate->near.way_mm;
#if CMO_SLIDING // or may have
    bool braked = candidate->braked;
#else
    bool braked = false;
#endif
    bool slid_over = centre && (braked || width < state->parameters.least_width_mm - SURE_MM);
    if (CMO_SLIDING && state->via_edge && state->then_rest == CMO_REST_CENTRE) {
        state->far_again_mm[sensor] = way_mm + play;
        return;
    }
    if (candidate->corrected) {
        return;
    }
    if (CMO_SLIDING && (slid_over || fabsf(by + rolled) > slid)) {
        shift(state, by);
        candidate->corrected = true;
        state->furthest_mm -= by;
        cmo_motion *motion = &state->motion;
        shift_target(motion, motion->left_sign * by);
        if (centre) {
            float to_near = cmi_way_now(robot, sensor) - candidate->near.way_mm;
            cmi_line_via_edge(robot, state);
            shift_target(motion, cmi_motion_way(motion, robot) + to_near - motion->target_mm);
        }
    } else if (clear && centre) {
        uint8_t accepted = 0;
        for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
            accepted = (uint8_t)(accepted + state->candidate[i].accepted);
        }
        candidate->corrected = true;
        candidate->near.way_mm += by;
        candidate->far_mm += by;
        // The shift holds what has rolled on, which the way back has been given already; and at
        // rest the body lies at the other end of the play than while the motors pushed.
        float back = state->motion.left_sign * by - rolled - play;
        shift_target(&state->motion, back / (float)accepted);
    }
}

// On the way back over the near edge: by more than it has rolled and looks are off, it has slid.
static void correct_near(cmo_robot *robot, cmo_line_state *state, uint8_t sensor, float way_mm) {
    float by = way_mm - state->candidate[sensor].near.way_mm + cmi_line_rolled_mm(robot, state);
    float most = 0.5F * state->parameters.least_width_mm + MOST_OFF_MM; // or it was the other edge
    if (fabsf(by) < SURE_MM || fabsf(by) > most) {
        return;
    }
    cmi_line_shift(state, by);
    shift_target(&state->motion, state->motion.left_sign * by);
}

// Going back over it slowly, nothing slides: here the edges are.
static void look_again(cmo_line_state *state, uint8_t sensor, const cmo_crossing *crossing,
                       bool is_far) {
    cmo_candidate *candidate = &state->candidate[sensor];
    float by = crossing->way_mm - (is_far ? candidate->far_mm : candidate->near.way_mm);
    if (is_far && !candidate->passed) {
        candidate->far_mm = crossing->way_mm;
        candidate->passed = true;
    } else if (is_far || candidate->accepted) {
        float before = candidate->near.way_mm;
        shift(state, by);
        candidate->near.way_mm = before + by;
        candidate->corrected = true;
        state->furthest_mm -= by;
    }
    if (!is_far && !candidate->accepted) {
        candidate->near.way_mm = crossing->way_mm;
        candidate->doubted = false; // what lies between its edges can be judged now
    }
}

void cmi_line_meet_again(cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                         const cmo_crossing *crossing, bool far) {
    cmo_candidate *candidate = &state->candidate[sensor];
    if (CMO_TWO_SIDED && candidate->worn) {
        return;
    }
    if (CMO_SLIDING && state->looks_again) {
        if (candidate->open) {
            look_again(state, sensor, crossing, far);
        }
    } else if (crossing->entering && far && candidate->accepted && candidate->passed &&
               (robot->stage == CMO_STAGE_RETURN || robot->stage == CMO_STAGE_SETTLE)) {
        correct(robot, state, sensor, crossing->way_mm);
    } else if (CMO_SLIDING && !crossing->entering && !far && candidate->accepted &&
               robot->stage == CMO_STAGE_RETURN && state->motion.left_sign < 0.0F &&
               state->parameters.rest == CMO_REST_NEAR_EDGE && state->rounds == 0) {
        correct_near(robot, state, sensor, crossing->way_mm);
    }
}

// By what it has crossed, a sensor is on the other side of the line than its encoders say. While it
// moves, what it has crossed is known by a look that may be late by an interval and two ticks.
static bool has_slid_across(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    const cmo_light_description *light = &robot->description->light[sensor];
    uint32_t late_us = light->delay_us + light->interval_us + 2U * robot->description->tick_us;
    float way = cmi_way_now(robot, sensor);
    float sure = 0.5F * light->spot_mm + 1e-6F * (float)late_us * fabsf(cmo_speed_mm_s(robot));
    return state->parameters.rest == CMO_REST_FAR_EDGE
               ? candidate->side < 0 && way > candidate->near.way_mm + sure
               : candidate->side > 0 && candidate->passed && way < candidate->far_mm - sure;
}

bool cmi_line_overdue(const cmo_robot *robot, const cmo_line_state *state) {
    bool overdue = false;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        bool tells = cmi_line_tells(&state->candidate[i]);
        overdue = overdue || (tells && has_slid_across(robot, state, i));
    }
    return overdue;
}

// Where its line has told a sensor last that it is: a rest over the near edge is before or on it,
// one over the far edge on it or beyond.
bool cmi_line_lost(const cmo_robot *robot, const cmo_line_state *state) {
    float error;
    bool centre = state->parameters.rest == CMO_REST_CENTRE &&
                  fabsf(state->parameters.beyond_mm) < 0.5F * state->parameters.least_width_mm;
    if (!centre && !cmi_line_edge_error(robot, state, &error)) {
        return false;
    }
    // Two spots on either side of the edge see it between them.
    int wrong = state->parameters.rest == CMO_REST_FAR_EDGE ? -1 : 1;
    int least = 1;
    int most = -1;
    bool all = true;
    if (!centre && cmi_line_overdue(robot, state)) {
        return true;
    }
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        const cmo_candidate *candidate = &state->candidate[i];
        all = all && !(CMO_TWO_SIDED && candidate->worn);
        if (cmi_line_tells(candidate)) {
            // A floor that is a little darker here than where the levels were taken is no edge.
            if (!centre &&
                cmo_edge_sees(&robot->light[i].edge, cmi_line_reading(robot, state, i))) {
                return false;
            }
            least = candidate->side < least ? candidate->side : least;
            most = candidate->side > most ? candidate->side : most;
        }
    }
    if (centre) {
        return all && least == most && least != 0;
    }
    // Where one of them cannot tell, the other one may well stand off it, at a slant. A wheel that
    // has not followed a move tells nothing.
    return all && least == most && (least == wrong || state->came >= 2);
}

float cmi_line_to_search(const cmo_robot *robot, const cmo_line_state *state) {
    // As far as it may have come from the near edge: by its wheels, and sliding. Back there is
    // floor, for it has come over it.
    const cmo_candidate *candidate = &state->candidate[cmi_line_first(robot, state)];
    float speed = candidate->speed_mm_s;
    float slid =
        speed * speed / (2.0F * CMI_LINE_LEAST_BRAKING * robot->description->braking_mm_s2);
    slid = fminf(fmaxf(slid, 60.0F), 300.0F);
    float reach = state->furthest_mm + slid + state->parameters.least_width_mm;
    bool before = candidate->side < 0;
    bool far = state->parameters.rest == CMO_REST_FAR_EDGE && candidate->side == 0;
    float way = before || far ? reach : -reach;
    return state->elsewhere ? -1.5F * way : way;
}
