// SPDX-License-Identifier: MIT
#include "edge_floor.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../tick/light_input.h"
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
// A reading that has been the same for so long a way, and stands for so much of the spot off where
// that is to be, is not that of an edge that is steered to.
#define DIMMED_MM    35.0F
#define DIMMED_SHARE 0.25F
// It turns back at once then, for no edge has been seen for so many spots at least.
#define BACK_SPOTS 1.5F

// On one surface for so long a way.
static bool lasts(const cmo_light *light, float way_mm) {
    const cmo_edge *edge = &light->edge;
    return light->seen && edge->looks > 0 && fabsf(light->way_mm - edge->steady_mm) >= way_mm &&
           fabsf(light->reflectance - edge->behind) <= edge->hysteresis;
}

// Off the line, and on one surface for some way.
static bool is_steady(const cmo_light *light) {
    return !light->edge.inside && lasts(light, LASTS_SPOTS * light->edge.spot_mm);
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
    float level = cmi_band_around(&edge->band);
    float off = level > 0.5F ? level - reflectance : reflectance - level;
    return off > FLOOR_SAME && off <= FLOOR_OFF;
}

static void set_floor(cmo_follow_edge_state *state, const cmo_edge *edge, float reflectance) {
    state->floor = is_another(edge, reflectance) ? reflectance : cmi_band_around(&edge->band);
}

// What a reading would be by the levels, with as much of the line under the spot.
static float by_levels(const cmo_robot *robot, const cmo_follow_edge_state *state, uint8_t sensor) {
    const cmo_light *light = &robot->light[sensor];
    float level = cmi_band_around(&light->edge.band);
    float line = cmi_band_target(&light->edge.band);
    bool own = sensor == state->sensor && state->bright < 1.0F;
    float from = own && level > line ? state->bright : state->floor;
    float to = own && line > level ? state->bright : line;
    return level + (light->reflectance - from) * (line - level) / (to - from);
}

bool cmi_edge_sees(const cmo_robot *robot, const cmo_follow_edge_state *state, uint8_t sensor) {
    return cmo_edge_sees(&robot->light[sensor].edge, by_levels(robot, state, sensor));
}

bool cmi_edge_on_line(const cmo_robot *robot, const cmo_follow_edge_state *state, uint8_t sensor) {
    const cmo_edge *edge = &robot->light[sensor].edge;
    float reads = by_levels(robot, state, sensor);
    float line = cmi_band_target(&edge->band);
    float level = cmi_band_around(&edge->band);
    return cmo_edge_sees(edge, reads) ? edge->inside : fabsf(reads - line) < fabsf(reads - level);
}

bool cmi_edge_place(const cmo_robot *robot, const cmo_follow_edge_state *state, uint8_t sensor,
                    float *onto_mm) {
    return cmo_edge_place(&robot->light[sensor].edge, by_levels(robot, state, sensor), onto_mm);
}

void cmi_edge_start_floor(const cmo_robot *robot, cmo_follow_edge_state *state) {
    state->floor = cmi_band_around(&robot->light[state->sensor].edge.band);
    state->bright = 1.0F;
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

// Nothing has changed for so long, nor before, since it was put down: it has followed nothing.
static bool steady_since_start(const cmo_robot *robot, const cmo_light *light, float way_mm) {
    float steady = fabsf(light->way_mm - light->edge.steady_mm);
    return steady >= way_mm && steady + way_mm > cmi_gone_mm(robot);
}

static bool know_alone(const cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_light *light = &robot->light[state->sensor];
    bool knows = steady_since_start(robot, light, ALONE_MM) && is_steady(light) &&
                 state->floor != light->edge.steady && is_another(&light->edge, light->edge.steady);
    if (knows) {
        set_floor(state, &light->edge, light->edge.steady);
        state->bright = 1.0F;
    }
    return knows;
}

// A lamp that is weaker than when the levels were taken, or a sensor that stands higher: light
// ground reads as if the spot touched an edge, and never came nearer to it however it is steered.
// What is lighter than that shows that it was an edge after all.
static bool know_dimmed(const cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_light *light = &robot->light[state->sensor];
    const cmo_edge *edge = &light->edge;
    float contrast = fabsf(cmi_band_around(&edge->band) - cmi_band_target(&edge->band));
    if (edge->inside != (cmi_band_target(&edge->band) > cmi_band_around(&edge->band))) {
        return false;
    }
    if (edge->behind > state->bright + edge->hysteresis) {
        state->bright = fminf(edge->behind, 1.0F);
    }
    float onto;
    float way = fmaxf(DIMMED_MM, LASTS_SPOTS * edge->spot_mm);
    float aim = cmi_line_sign(state) * state->track.aim_mm;
    bool knows = state->follows && lasts(light, way) &&
                 1.0F - edge->behind <= FLOOR_OFF * contrast &&
                 cmi_edge_sees(robot, state, state->sensor) &&
                 cmi_edge_place(robot, state, state->sensor, &onto) &&
                 fabsf(onto - aim) > DIMMED_SHARE * edge->spot_mm;
    if (knows) {
        state->bright = edge->behind;
        state->seen_mm -= BACK_SPOTS * edge->spot_mm;
    }
    return knows && steady_since_start(robot, light, way);
}

bool cmi_edge_know_floor(const cmo_robot *robot, cmo_follow_edge_state *state) {
    if (state->parameters.edge == CMO_LINE_BOTH) {
        know_astride(robot, state);
        return false;
    }
    bool none = know_dimmed(robot, state);
    if (cmi_front_lights(robot->description) < 2) {
        return know_alone(robot, state) || none;
    }
    // As it joins, the other one may go along the line.
    const cmo_light *other = &robot->light[state->sensor == 0 ? CMI_FRONT - 1 : 0];
    bool steady = is_steady(other) && (state->joined || !state->follows || none);
    if ((steady || begin_alike(robot)) &&
        fabsf(other->edge.behind - cmi_band_around(&other->edge.band)) <= FLOOR_OFF) {
        set_floor(state, &other->edge, other->edge.behind);
    }
    return none;
}

bool cmi_edge_floor_waits(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    const cmo_light *other = &robot->light[state->sensor == 0 ? CMI_FRONT - 1 : 0];
    return cmi_front_lights(robot->description) > 1 && !other->seen &&
           cmi_gone_mm(robot) < PUT_DOWN_MM;
}
