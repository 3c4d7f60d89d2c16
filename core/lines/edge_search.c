// SPDX-License-Identifier: MIT
#include "edge_search.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/light_input.h"
#include "edge_floor.h"
#include "edge_look.h"
#include "edge_sight.h"
#include "edge_steer.h"

#include <math.h>

// A spot is over an edge once it has gone on by so much of itself across it. What does so at less
// of an angle than this comes gently.
#define CROSSED_SHARE 0.4F
#define GENTLE_RAD    0.27F
// No robot comes onto it more steeply: of its sine, and of a way over how far apart sensors are.
#define LEAST_SHARE   0.9F
#define STEEPEST_SINE 0.9F

// It has met an edge, with the spot of a sensor so far onto the line when the wheels were at
// `then`.
static void find(cmo_robot *robot, cmo_follow_edge_state *state, uint8_t sensor, float onto_mm,
                 float angle_rad, const cmo_moment *then) {
    cmo_moment now = cmi_wheels_now(robot);
    float off = cmi_edge_off_mm(robot, state, sensor, onto_mm, angle_rad);
    cmi_track_start(&state->track, off, angle_rad);
    cmi_track_go(&state->track, robot, then, &now);
    state->follows = true;
    state->refused = 0;
    state->start_rad = state->seen_rad = cmo_turned_rad(robot);
    state->seen_mm = state->near_mm = cmo_way_mm(robot);
    state->look_us[sensor] = robot->light[sensor].look_us;
    cmi_enter(robot, CMO_STAGE_JOIN);
}

// Coming onto the line it heads for it, going off it away from it.
static float entry_rad(const cmo_follow_edge_state *state, uint8_t sensor, bool entering) {
    float into = cmi_edge_into(state, sensor);
    return entering ? into * CMI_ENTRY_RAD : -into * CMI_ENTRY_RAD;
}

void cmi_edge_search(cmo_robot *robot, cmo_follow_edge_state *state, uint8_t sensor) {
    const cmo_light *light = &robot->light[sensor];
    if (light->crossings > 0) {
        const cmo_crossing *crossing = &light->crossing[light->crossings - 1];
        cmo_moment then = cmi_odometer_at(&robot->odometer, crossing->time_us);
        state->from_line = !state->follows && !crossing->entering;
        find(robot, state, sensor, 0.0F, entry_rad(state, sensor, crossing->entering), &then);
    } else if (light->seen && light->edge.looks > 0 && cmi_edge_sees(robot, state, sensor)) {
        cmo_moment then = cmi_odometer_at(&robot->odometer, light->look_us);
        bool stood = light->edge.looks == 1; // over it from the start
        state->from_line = !stood && light->edge.inside;
        float angle = stood ? 0.0F : entry_rad(state, sensor, !light->edge.inside);
        float onto;
        cmi_edge_place(robot, state, sensor, &onto);
        find(robot, state, sensor, onto, angle, &then);
    }
}

// ------------------------------------------------------------------------------- both edges --

// At what angle a way goes over a line of that width: its sine is width over way.
static float over_rad(float width_mm, float way_mm) {
    float sine = width_mm / fmaxf(way_mm, width_mm / STEEPEST_SINE);
    return cmi_atan(sine / sqrtf(1.0F - sine * sine));
}

// At what angle two spots beside each other meet one edge after so much way: its tangent is their
// distance over the way.
static float one_by_one_rad(float apart_mm, float way_mm) {
    return cmi_atan(apart_mm / fmaxf(way_mm, LEAST_SHARE * apart_mm));
}

// It has come onto the line with one sensor, from beside it and steeply; then the other one does so
// too after a way that tells the slant, or the same one goes off it over its own edge.
static void cross(cmo_robot *robot, cmo_follow_edge_state *state, uint8_t sensor,
                  const cmo_crossing *crossing) {
    cmo_moment then = cmi_odometer_at(&robot->odometer, crossing->time_us);
    float into = cmi_edge_into(state, sensor);
    float way = cmo_way_mm(robot) - state->entered_mm;
    if (!crossing->entering) {
        bool over = state->entered == sensor + 1U;
        float slant = over ? over_rad(2.0F * state->middle_mm, way) : CMI_ENTRY_RAD;
        find(robot, state, sensor, 0.0F, -into * slant, &then);
    } else if (state->entered != 0 && state->entered != sensor + 1U) {
        float slant = one_by_one_rad(cmi_across_mm(robot->description), way);
        find(robot, state, sensor, 0.0F, into * slant, &then);
    }
}

// Amid the line a spot comes over its own edge gently, and it takes a long way to be over it; from
// beside the line it comes over the other edge first.
static void enter(cmo_robot *robot, cmo_follow_edge_state *state, uint8_t sensor) {
    const cmo_light *light = &robot->light[sensor];
    bool sees = cmi_edge_sees(robot, state, sensor);
    bool inside = light->edge.inside && !sees;
    float crosses = CROSSED_SHARE * cmi_edge_spot_mm(robot, state);
    float way = cmo_way_mm(robot);
    if (!sees && !inside) {
        state->off_mm[sensor] = way;
    } else if (way - state->off_mm[sensor] > crosses / GENTLE_RAD) {
        float onto = crosses;
        cmo_moment now = cmi_wheels_now(robot);
        if (sees) {
            cmi_edge_place(robot, state, sensor, &onto);
        }
        float slant = crosses / (way - state->off_mm[sensor]);
        find(robot, state, sensor, onto, cmi_edge_into(state, sensor) * slant, &now);
    } else if (inside) {
        state->entered = (uint8_t)(sensor + 1U);
        state->entered_mm = way;
    }
}

// What begins over an edge, or with the one spot on the line and the other one off it, is amid it.
static void begin(cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_light *left = &robot->light[0];
    const cmo_light *right = &robot->light[CMI_FRONT - 1];
    cmo_moment now = cmi_wheels_now(robot);
    float onto;
    state->begun = true;
    if (cmi_edge_place(robot, state, 0, &onto)) {
        find(robot, state, 0, onto, 0.0F, &now);
    } else if (cmi_edge_place(robot, state, CMI_FRONT - 1, &onto)) {
        find(robot, state, CMI_FRONT - 1, onto, 0.0F, &now);
    } else if (left->edge.inside != right->edge.inside) {
        onto = 0.5F * cmi_edge_spot_mm(robot, state);
        find(robot, state, 0, left->edge.inside ? onto : -onto, 0.0F, &now);
    }
}

void cmi_edge_search_both(cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_light *left = &robot->light[0];
    const cmo_light *right = &robot->light[CMI_FRONT - 1];
    if (!left->seen || !right->seen) {
        return;
    }
    if (!state->begun) {
        begin(robot, state);
    }
    // On the line with both, which edge is its own shows where it goes off it.
    bool both = left->edge.inside && right->edge.inside;
    for (uint8_t i = 0; i < CMI_FRONT && !state->follows; i++) {
        const cmo_light *light = &robot->light[i];
        if (light->crossings > 0) {
            cross(robot, state, i, &light->crossing[light->crossings - 1]);
        } else if (state->entered == 0 && !both) {
            enter(robot, state, i);
        }
    }
}
