// SPDX-License-Identifier: MIT
#include "line_doubt.h"

#include "../shared/routine.h"
#include "line_candidates.h"

#include <math.h>

#if CMO_SLIDING

// By so much a line may be wider than its wheels say: its centre is off by half of it.
#define MOST_SLID_MM 2.0F

// A body that slides brakes by what tyres can pass on, of a robot whose limit stays below that.
#define SLIDING_SHARE 1.3F

static float slides_mm_s2(const cmo_robot_description *d) {
    float stated = SLIDING_SHARE * fmaxf(d->braking_mm_s2, d->stated_braking_mm_s2);
    return d->grip_mm_s2 > 0.0F ? d->grip_mm_s2 : stated;
}

// No robot is faster as it brakes than it was at the crossing that it brakes for, which may be
// another sensor's; nor does it slide on for longer than it may: as wide as that it may be.
// Of looks without times of their own it knows the time to a tick. From speed, it has left the line
// by its newest look, for sure: when between two looks that was, wheels that slide do not tell; and
// where two looks lie further apart than a spot is wide, it may have entered it anywhere in what no
// spot has covered between them.
bool cmi_line_may_be_wider(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                           const cmo_crossing *crossing) {
    const cmo_light_description *light = &robot->description->light[sensor];
    float speed = 0.0F;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        const cmo_candidate *candidate = &state->candidate[i];
        speed = fmaxf(speed, candidate->open ? candidate->speed_mm_s : 0.0F);
    }
    bool fast = cmi_line_is_fast(robot, speed);
    uint32_t left_us = fast ? robot->light[sensor].look_us : crossing->time_us;
    uint32_t entered_us = state->candidate[sensor].near.time_us;
    float within_s = (float)(int32_t)(left_us - entered_us) * 1e-6F;
    float slides_s = speed / (CMI_LINE_LEAST_BRAKING * robot->description->braking_mm_s2);
    bool braked =
        robot->stage == CMO_STAGE_BRAKE || robot->stage == CMO_STAGE_HALT ||
        (robot->stage == CMO_STAGE_PROVE && !state->candidate[sensor].crept && within_s < slides_s);
    bool timed = robot->port->traits & CMO_TRAIT_LOOK_TIMES;
    within_s += timed ? 0.0F : 1e-6F * (float)robot->description->tick_us;
    float covered_s = light->spot_mm / fmaxf(speed, 1.0F);
    within_s += fast ? fmaxf(1e-6F * (float)light->interval_us - covered_s, 0.0F) : 0.0F;
    return braked && state->parameters.rest != CMO_REST_HALTED &&
           speed * within_s >= CMO_PROOF_SHARE * state->parameters.least_width_mm;
}

uint32_t cmi_line_seen_us(const cmo_robot *robot, uint8_t sensor, const cmo_crossing *crossing) {
    uint32_t newest_us = robot->light[sensor].look_us;
    int32_t interval_us = (int32_t)robot->description->light[sensor].interval_us;
    int32_t before_us = (int32_t)(newest_us - crossing->time_us);
    before_us = before_us < 0 ? 0 : before_us > interval_us ? interval_us : before_us;
    return newest_us - (uint32_t)before_us;
}

// How far it comes in that time while it brakes.
static float braking_way(float speed_mm_s, float braking_mm_s2, float time_s) {
    float braked_s = fminf(time_s, speed_mm_s / braking_mm_s2);
    return braked_s * (speed_mm_s - 0.5F * braking_mm_s2 * braked_s);
}

float cmi_line_slid_mm(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                       const cmo_crossing *crossing) {
    bool halted = robot->stage == CMO_STAGE_HALT || robot->stage == CMO_STAGE_PROVE;
    uint32_t seen_us = cmi_line_seen_us(robot, sensor, crossing);
    float since_s = 1e-6F * (float)(int32_t)(seen_us - state->answered_us);
    if (!halted || state->parameters.rest != CMO_REST_HALTED || since_s <= 0.0F) {
        return 0.0F;
    }
    float counted =
        cmi_gone_mm(robot) - state->halted_at_mm + crossing->way_mm - cmi_way_now(robot, sensor);
    if (robot->stage == CMO_STAGE_PROVE) { // what it has crept on since is as they say
        counted = fminf(counted, state->furthest_mm - state->halt_mm);
    }
    float braking = slides_mm_s2(robot->description);
    return fmaxf(braking_way(state->halt_speed_mm_s, braking, since_s) - counted, 0.0F);
}

void cmi_line_slide_on(const cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                       const cmo_crossing *crossing) {
    cmo_candidate *candidate = &state->candidate[sensor];
    float slid = cmi_line_slid_mm(robot, state, sensor, crossing);
    candidate->slid_mm = fmaxf(slid - candidate->before_mm, 0.0F);
}

bool cmi_line_braked_on(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                        const cmo_crossing *crossing) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    // As wide as this it is at most, had it not braked.
    float within_s = 1e-6F * (float)(int32_t)(crossing->time_us - candidate->near.time_us);
    float width = fabsf(crossing->way_mm - candidate->near.way_mm);
    return robot->stage > CMO_STAGE_SEARCH && cmi_line_is_fast(robot, candidate->speed_mm_s) &&
           candidate->speed_mm_s * within_s > width + MOST_SLID_MM;
}

#endif

bool cmi_line_doubts(const cmo_line_state *state) {
    bool doubts = false;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        const cmo_candidate *candidate = &state->candidate[i];
        doubts = doubts || (candidate->open && !candidate->accepted && candidate->doubted);
    }
    return doubts;
}
