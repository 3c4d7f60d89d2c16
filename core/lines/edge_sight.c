// SPDX-License-Identifier: MIT
#include "edge_sight.h"

#include "../shared/description.h"
#include "../shared/trig.h"
#include "edge_floor.h"
#include "edge_steer.h"

#include <math.h>

// A reading of one surface alone: the spot is so much of its radius beyond the edge at least.
#define BEYOND_SHARE 0.7F
// Angles to the edge are no steeper, by far.
#define STEEPEST_RAD 0.8F
// The line's width and the sensors' places are known to about so much: by that two looks may
// differ.
#define APART_MM 1.0F

// A sensor's spot against the track's place, to the left across the edge; and `turns_mm`, what it
// is more by a radian.
static float beside_mm(const cmo_robot *robot, const cmo_follow_edge_state *state, uint8_t sensor,
                       float angle_rad, float *turns_mm) {
    const cmo_light_description *light = &robot->description->light[sensor];
    float left = light->left_mm - state->track.left_mm;
    float ahead = light->ahead_mm - state->track.ahead_mm;
    float sine, cosine;
    cmi_sin_cos(fmaxf(-STEEPEST_RAD, fminf(angle_rad, STEEPEST_RAD)), &sine, &cosine);
    *turns_mm = ahead * cosine - left * sine;
    return left * cosine + ahead * sine;
}

float cmi_edge_into(const cmo_follow_edge_state *state, uint8_t sensor) {
    cmo_line_side edge = state->parameters.edge;
    return edge == CMO_LINE_LEFT || (edge == CMO_LINE_BOTH && sensor == 0) ? -1.0F : 1.0F;
}

// `onto_mm` onto the line from the one edge, or from that one of both.
static float off_mm(const cmo_follow_edge_state *state, float into, float onto_mm, float beside) {
    return into * (onto_mm - state->middle_mm) - beside;
}

float cmi_edge_off_mm(const cmo_robot *robot, const cmo_follow_edge_state *state, uint8_t sensor,
                      float onto_mm, float angle_rad) {
    float turns;
    float beside = beside_mm(robot, state, sensor, angle_rad, &turns);
    return off_mm(state, cmi_edge_into(state, sensor), onto_mm, beside);
}

cmi_edge_sight cmi_edge_sight_of(const cmo_robot *robot, const cmo_follow_edge_state *state,
                                 uint8_t sensor) {
    const cmo_light *light = &robot->light[sensor];
    const cmo_edge_track *track = &state->track;
    bool both = state->parameters.edge == CMO_LINE_BOTH;
    float half = 0.5F * robot->description->light[sensor].spot_mm;
    float apart = both ? APART_MM : 0.0F;
    float onto;
    cmi_edge_sight sight = {.sigma_mm = 0.1F * half, .bends = state->joined};
    float beside = beside_mm(robot, state, sensor, track->angle_rad, &sight.turns_mm);
    float into = cmi_edge_into(state, sensor);
    if (both) { // what lies on the left of the line's middle reads its left edge
        into = track->off_mm + beside > 0.0F ? -1.0F : 1.0F;
    }
    // What hardly touches the edge may well not do so: it says no more than on which side it is.
    if (state->far) {
        onto = state->parameters.least_width_mm;
        sight.beyond = into > 0.0F ? 1 : -1;
    } else if (!cmi_edge_sees(robot, state, sensor)) {
        float beyond = fmaxf(BEYOND_SHARE * half - apart, 0.0F);
        bool inside = cmi_edge_on_line(robot, state, sensor);
        onto = inside ? beyond : -beyond;
        sight.beyond = (into > 0.0F) == inside ? 1 : -1;
    } else {
        cmi_edge_place(robot, state, sensor, &onto);
        // The disc's curve is as steep as 4 / pi over the spot in its middle, and flat at its ends.
        float u = onto / half;
        float noise = 0.25F * cmo_hysteresis(&light->levels) * 1.5708F * half;
        sight.sigma_mm = 0.1F + noise / fmaxf(sqrtf(fmaxf(1.0F - u * u, 0.0F)), 0.3F);
    }
    sight.sigma_mm += apart;
    sight.off_mm = off_mm(state, into, onto, beside);
    return sight;
}

// By how much the sensors are further apart than the line is wide.
static float wider_mm(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    return cmi_across_mm(robot->description) - 2.0F * state->middle_mm;
}

float cmi_edge_dead_mm(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    float seen = CMI_SEEN_SHARE * cmi_edge_spot_mm(robot, state);
    bool both = state->parameters.edge == CMO_LINE_BOTH;
    return both ? fmaxf(0.5F * (fabsf(wider_mm(robot, state)) - seen), 0.0F) : 0.0F;
}

// How far onto the line from its own edge a spot is at least, and at most.
static void onto_mm(const cmo_robot *robot, const cmo_follow_edge_state *state, uint8_t sensor,
                    float least_most[2]) {
    const cmo_light *light = &robot->light[sensor];
    float spot = robot->description->light[sensor].spot_mm;
    bool sees = cmi_edge_sees(robot, state, sensor);
    float beyond = 0.5F * CMI_SEEN_SHARE * spot;
    least_most[0] = sees ? -0.5F * spot : light->edge.inside ? beyond : -INFINITY;
    least_most[1] = sees ? 0.5F * spot : light->edge.inside ? INFINITY : -beyond;
}

// A spot is over the line with all but so much of itself as nothing tells for sure.
static bool is_deep(const cmo_robot *robot, const cmo_follow_edge_state *state, uint8_t sensor) {
    const cmo_light *light = &robot->light[sensor];
    float half = 0.5F * robot->description->light[sensor].spot_mm;
    float onto;
    bool near = cmi_edge_place(robot, state, sensor, &onto);
    return light->edge.inside && (!near || onto > BEYOND_SHARE * half);
}

bool cmi_edge_across(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    float seen = CMI_SEEN_SHARE * cmi_edge_spot_mm(robot, state);
    return is_deep(robot, state, 0) && is_deep(robot, state, CMI_FRONT - 1) &&
           wider_mm(robot, state) > -seen;
}

bool cmi_edge_in_sight(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    return cmi_edge_sees(robot, state, 0) || cmi_edge_sees(robot, state, CMI_FRONT - 1);
}

bool cmi_edge_torn(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    float left[2], right[2];
    onto_mm(robot, state, 0, left);
    onto_mm(robot, state, CMI_FRONT - 1, right);
    float together = -wider_mm(robot, state);
    return left[0] + right[0] > together || left[1] + right[1] < together;
}
