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
#include <string.h>

// A spot is over an edge once it has gone on by so much of itself across it. What does so at less
// of an angle than this comes gently.
#define CROSSED_SHARE 0.4F
#define GENTLE_RAD    0.27F
// No robot comes onto it more steeply: of its sine, and of a way over how far apart sensors are.
#define LEAST_SHARE   0.9F
#define STEEPEST_SINE 0.9F

// What both sensors go over, one after the other, is one line where its ways over it differ by no
// more than this share and so many mm. It comes from the other side where the other sensor met the
// line by so much sooner than one that stood beside it would, and it does not go along it.
#define SAME_SHARE 0.15F
#define SAME_MM    3.0F
#define SOONER_MM  2.0F
#define ALONG      3.0F
// It looks back to the other side after this share of its way of search, and so many mm. What it
// meets then, it comes to from beyond, turned back by so much at least.
#define BACK_SHARE   0.45F
#define BACK_FROM_MM 200.0F
#define BACK_RAD     0.2F
// It has lost the edge as it joined it where it has followed it for no longer.
#define EARLY_MM 150.0F
// By that way its angle is known so well, with what it turns and rolls on meanwhile.
#define OVER_SD_RAD 0.2F

static const cmo_edge_pass *other_of(const cmo_follow_edge_state *state) {
    return &state->pass[state->sensor == 0 ? CMI_FRONT - 1 : 0];
}

// It has met an edge, with the spot of a sensor so far onto the line when the wheels were at
// `then`.
static void find(cmo_robot *robot, cmo_follow_edge_state *state, uint8_t sensor, float onto_mm,
                 float angle_rad, const cmo_moment *then) {
    cmo_moment now = cmi_wheels_now(robot);
    float off = cmi_edge_off_mm(robot, state, sensor, onto_mm, angle_rad);
    float sd = state->over && other_of(state)->on ? OVER_SD_RAD : CMI_ANGLE_SD_RAD;
    cmi_track_start(&state->track, off, angle_rad, sd);
    cmi_track_go(&state->track, robot, then, &now);
    state->follows = true;
    state->refused = 0;
    state->start_rad = state->seen_rad = cmo_turned_rad(robot);
    state->seen_mm = state->near_mm = cmo_way_mm(robot);
    state->look_us[sensor] = robot->light[sensor].look_us;
    cmi_enter(robot, CMO_STAGE_JOIN);
}

void cmi_edge_beyond(cmo_follow_edge_state *state) {
    float into = cmi_line_sign(state);
    cmi_track_start(&state->track, into * state->parameters.least_width_mm, into * CMI_ENTRY_RAD,
                    CMI_ANGLE_SD_RAD);
    state->from_line = false;
    state->far = true;
}

// Coming onto the line it heads for it, going off it away from it. Once it has gone over the line
// it knows better.
static float entry_rad(const cmo_follow_edge_state *state, uint8_t sensor, bool entering) {
    if (state->over) {
        return state->track.angle_rad;
    }
    float into = cmi_edge_into(state, sensor);
    return entering ? into * CMI_ENTRY_RAD : -into * CMI_ENTRY_RAD;
}

// At what angle two spots beside each other meet one edge after so much way: its tangent is their
// distance over the way.
static float one_by_one_rad(float apart_mm, float way_mm) {
    return cmi_atan(apart_mm / fmaxf(way_mm, LEAST_SHARE * apart_mm));
}

void cmi_edge_search_start(cmo_robot *robot, cmo_follow_edge_state *state) {
    state->follows = state->joined = state->over = state->far = state->from_line = false;
    state->hidden = false;
    state->over_rad = 0.0F;
    state->figures = (cmo_edge_figures){0};
    memset(state->pass, 0, sizeof state->pass);
    state->start_rad = cmo_turned_rad(robot);
    state->search_from_mm = cmi_gone_mm(robot);
    cmi_enter(robot, CMO_STAGE_SEARCH);
}

bool cmi_edge_search_anew(cmo_robot *robot, cmo_follow_edge_state *state) {
    bool early = !state->joined || cmi_gone_mm(robot) - state->figures.joined_mm < EARLY_MM;
    if (state->looks_to != 0 || !early || state->parameters.edge == CMO_LINE_BOTH) {
        return false;
    }
    float along = state->seen_rad;
    state->looks_to = cmo_turned_rad(robot) > along ? -1 : 1;
    cmi_edge_search_start(robot, state);
    state->start_rad = along;
    return true;
}

bool cmi_edge_looks_back(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    float gone = cmi_gone_mm(robot) - state->search_from_mm;
    if (state->looks_to != 0) {
        return (float)state->looks_to != cmi_line_sign(state);
    }
    return gone > fmaxf(BACK_SHARE * state->parameters.search_mm, BACK_FROM_MM);
}

// Where each sensor comes onto a line and goes off it. One that begins on it, with this one beside
// the line, has come onto it before.
static void note_passes(const cmo_robot *robot, cmo_follow_edge_state *state) {
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        const cmo_light *light = &robot->light[i];
        cmo_edge_pass *pass = &state->pass[i];
        const cmo_pose *pose = &robot->odometer.pose;
        if (light->crossings > 0 && light->crossing[light->crossings - 1].entering) {
            *pass = (cmo_edge_pass){.on = true};
            cmi_spot_of(robot, pose, i, &pass->on_x_mm, &pass->on_y_mm);
        } else if (light->crossings > 0 && pass->on) {
            pass->off = true;
            cmi_spot_of(robot, pose, i, &pass->off_x_mm, &pass->off_y_mm);
        } else if (!pass->on && light->edge.inside && !robot->light[state->sensor].edge.inside) {
            *pass = (cmo_edge_pass){.on = true, .stood = true};
            cmi_spot_of(robot, pose, i, &pass->on_x_mm, &pass->on_y_mm);
        }
    }
}

// The sensor that stands on the edge's side of this one has come onto a line before it, and not
// long ago: the robot comes from beyond the line. Both spots met one straight edge, so it lies
// along the way from where the other one did to where this one is, however it has turned in
// between.
float cmi_edge_from_beyond_rad(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    const cmo_edge_pass *other = other_of(state);
    if (cmi_front_lights(robot->description) < 2 || !other->on) {
        return 0.0F;
    }
    const cmo_pose *pose = &robot->odometer.pose;
    float x, y, sine, cosine;
    cmi_spot_of(robot, pose, state->sensor, &x, &y);
    cmi_sin_cos(pose->heading_rad, &sine, &cosine);
    float way = (x - other->on_x_mm) * cosine + (y - other->on_y_mm) * sine;
    float aside =
        cmi_line_sign(state) * ((y - other->on_y_mm) * cosine - (x - other->on_x_mm) * sine);
    return way > SOONER_MM && way < ALONG * aside ? cmi_direction(way, aside) : 0.0F;
}

// How wide a line is that a spot has gone over, where that lies so.
static float width_over(const cmo_edge_pass *pass, float along_x, float along_y) {
    float x = pass->off_x_mm - pass->on_x_mm;
    float y = pass->off_y_mm - pass->on_y_mm;
    return fabsf(x * along_y - y * along_x) / sqrtf(along_x * along_x + along_y * along_y);
}

static bool is_one_line(const cmo_edge_pass pass[CMI_FRONT]) {
    const cmo_edge_pass *right = &pass[CMI_FRONT - 1];
    float along_x = right->on_x_mm - pass->on_x_mm;
    float along_y = right->on_y_mm - pass->on_y_mm;
    float widths[2] = {width_over(pass, along_x, along_y), width_over(right, along_x, along_y)};
    float most = SAME_SHARE * fmaxf(widths[0], widths[1]) + SAME_MM;
    return pass->off && right->off && (widths[0] - widths[1] < most || right->stood) &&
           (widths[1] - widths[0] < most || pass->stood);
}

// By how much it has turned back to the other side than that of its own edge.
static float turned_back_rad(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    return -cmi_line_sign(state) * (cmo_turned_rad(robot) - state->start_rad);
}

// How steeply it comes to the line from beyond it, by what both sensors have met, or else about as
// it has turned back to it.
static float over_rad_of(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    float met = cmi_edge_from_beyond_rad(robot, state);
    bool back = cmi_edge_looks_back(robot, state);
    return met > 0.0F ? met : back ? fmaxf(turned_back_rad(robot, state), BACK_RAD) : 0.0F;
}

// From beyond the line it goes straight over it, to the edge that was asked for. Where the other
// sensor has gone over something else, that one lies behind by then.
static bool goes_over(cmo_robot *robot, cmo_follow_edge_state *state, uint8_t sensor) {
    const cmo_light *light = &robot->light[sensor];
    note_passes(robot, state);
    if (state->over_rad == 0.0F) {
        bool sees = light->seen && light->edge.looks > 1 && cmi_edge_sees(robot, state, sensor);
        const cmo_edge_pass *pass = &state->pass[sensor];
        bool comes = !pass->off && (pass->on || (sees && !light->edge.inside));
        state->over_rad = comes ? over_rad_of(robot, state) : 0.0F;
    }
    if (state->over_rad > 0.0F && light->crossings > 0 && state->pass[sensor].off) {
        const cmo_crossing *crossing = &light->crossing[light->crossings - 1];
        cmo_moment then = cmi_odometer_at(&robot->odometer, crossing->time_us);
        bool over = cmi_edge_looks_back(robot, state) || turned_back_rad(robot, state) > BACK_RAD ||
                    is_one_line(state->pass);
        float into = cmi_line_sign(state);
        state->over = over;
        find(robot, state, sensor, 0.0F, -into * (over ? state->over_rad : -CMI_ENTRY_RAD), &then);
        if (!over) {
            cmi_edge_beyond(state);
        }
        state->over_rad = 0.0F;
        return true;
    }
    return state->over_rad > 0.0F;
}

void cmi_edge_search(cmo_robot *robot, cmo_follow_edge_state *state, uint8_t sensor) {
    const cmo_light *light = &robot->light[sensor];
    if (!state->follows && goes_over(robot, state, sensor)) {
        return;
    }
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
