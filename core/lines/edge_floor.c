// SPDX-License-Identifier: MIT
#include "edge_floor.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "edge_steer.h"

#include <math.h>

// So near to the level, no reading of it looks like an edge, nor does one of a floor that is
// further from the line's; up to so far, it is another floor.
#define FLOOR_SAME 0.1F
#define FLOOR_OFF  0.4F
// Two spots on one floor differ by so much; and two that touch a line's edges, both as much, tell
// that it is narrower than stated by this at least, or that there is no line.
#define FLOOR_APART 0.1F
#define NARROWER_MM 3.0F
// One sensor alone knows it once it has driven so far from where it was put down, with nothing
// changed: an edge it would have come nearer to.
#define ALONE_MM 100.0F
// So far from where it was put down it has seen nothing else yet; and waits for the other sensor's
// first look. Later a surface is one that lasts for so many spots: beside a line's edge one may go
// along it for a while.
#define PUT_DOWN_MM 5.0F
#define LASTS_SPOTS 3.0F

static float level_of(const cmo_edge *edge) {
    return isinf(edge->band.high) ? 0.0F : 1.0F;
}

// Off the line, and on one surface for some way.
static bool is_steady(const cmo_light *light) {
    const cmo_edge *edge = &light->edge;
    return light->seen && edge->looks > 0 && !edge->inside &&
           fabsf(light->way_mm - edge->steady_mm) >= LASTS_SPOTS * edge->spot_mm &&
           fabsf(light->reflectance - edge->behind) <= edge->hysteresis;
}

// Both off the line as they were put down, and reading the same.
static bool begin_alike(const cmo_robot *robot) {
    const cmo_light *left = &robot->light[0];
    const cmo_light *right = &robot->light[CMI_FRONT - 1];
    return cmi_gone_mm(robot) < PUT_DOWN_MM && left->seen && right->seen && left->edge.looks > 0 &&
           right->edge.looks > 0 && !left->edge.inside && !right->edge.inside &&
           fabsf(left->reflectance - right->reflectance) <= FLOOR_APART;
}

static bool is_another(const cmo_edge *edge, float reflectance) {
    float level = level_of(edge);
    float off = level > 0.5F ? level - reflectance : reflectance - level;
    return off > FLOOR_SAME && off <= FLOOR_OFF;
}

static void set_floor(cmo_follow_edge_state *state, const cmo_edge *edge, float reflectance) {
    state->floor = is_another(edge, reflectance) ? reflectance : level_of(edge);
}

// What a reading would be on the floor of the levels, with as much of the line under the spot.
static float by_levels(const cmo_edge *edge, float reflectance, float floor) {
    float level = level_of(edge);
    float line = isfinite(edge->band.low) && isfinite(edge->band.high)
                     ? 0.5F * (edge->band.low + edge->band.high)
                     : 1.0F - level;
    return level + (reflectance - floor) * (line - level) / (line - floor);
}

bool cmi_edge_sees(const cmo_robot *robot, const cmo_follow_edge_state *state, uint8_t sensor) {
    const cmo_light *light = &robot->light[sensor];
    return cmo_edge_sees(&light->edge, by_levels(&light->edge, light->reflectance, state->floor));
}

bool cmi_edge_place(const cmo_robot *robot, const cmo_follow_edge_state *state, uint8_t sensor,
                    float *onto_mm) {
    const cmo_light *light = &robot->light[sensor];
    float reflectance = by_levels(&light->edge, light->reflectance, state->floor);
    return cmo_edge_place(&light->edge, reflectance, onto_mm);
}

void cmi_edge_start_floor(const cmo_robot *robot, cmo_follow_edge_state *state) {
    state->floor = level_of(&robot->light[state->sensor].edge);
}

// Astride, both spots touch an edge alike.
static void know_astride(const cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_light *left = &robot->light[0];
    const cmo_light *right = &robot->light[CMI_FRONT - 1];
    bool steady = is_steady(left) && is_steady(right) &&
                  fabsf(left->edge.behind - right->edge.behind) <= FLOOR_APART;
    if (!steady && !begin_alike(robot)) {
        return;
    }
    float mean = 0.5F * (left->edge.behind + right->edge.behind);
    float onto;
    cmo_edge_place(&left->edge, mean, &onto);
    float together = 2.0F * state->middle_mm - cmi_across_mm(robot->description);
    if (2.0F * onto < together - NARROWER_MM) {
        set_floor(state, &left->edge, mean);
    }
}

// Nothing has changed since it was put down: it has followed nothing.
static void know_alone(cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_light *light = &robot->light[state->sensor];
    float steady = fabsf(light->way_mm - light->edge.steady_mm);
    bool never = steady >= ALONE_MM && steady + ALONE_MM > cmi_gone_mm(robot);
    if (never && is_steady(light) && state->floor != light->edge.steady &&
        is_another(&light->edge, light->edge.steady)) {
        set_floor(state, &light->edge, light->edge.steady);
        state->follows = state->joined = false;
        state->figures = (cmo_edge_figures){0};
        state->start_rad = cmo_turned_rad(robot);
        cmi_enter(robot, CMO_STAGE_SEARCH);
    }
}

void cmi_edge_know_floor(cmo_robot *robot, cmo_follow_edge_state *state) {
    bool two = cmi_front_lights(robot->description) > 1;
    if (state->parameters.edge == CMO_LINE_BOTH) {
        know_astride(robot, state);
    } else if (!two) {
        know_alone(robot, state);
    } else {
        // As it joins, the other one may go along the line.
        const cmo_light *other = &robot->light[state->sensor == 0 ? CMI_FRONT - 1 : 0];
        bool steady = is_steady(other) && (state->joined || !state->follows);
        if ((steady || begin_alike(robot)) &&
            fabsf(other->edge.behind - level_of(&other->edge)) <= FLOOR_OFF) {
            set_floor(state, &other->edge, other->edge.behind);
        }
    }
}

bool cmi_edge_floor_waits(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    const cmo_light *other = &robot->light[state->sensor == 0 ? CMI_FRONT - 1 : 0];
    return cmi_front_lights(robot->description) > 1 && !other->seen &&
           cmi_gone_mm(robot) < PUT_DOWN_MM;
}
