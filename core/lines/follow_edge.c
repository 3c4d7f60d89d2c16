// SPDX-License-Identifier: MIT
#include <cammino/follow_edge.h>

#include "../moves/motion.h"
#include "../shared/budget.h"
#include "../shared/description.h"
#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/light_input.h"
#include "../tick/odometer.h"
#include "edge_floor.h"
#include "edge_look.h"
#include "edge_search.h"
#include "edge_sight.h"
#include "edge_steer.h"
#include "line_candidates.h"
#include "line_figures.h"
#include "line_search.h"
#include "stated.h"
#include "stop.h"

#include <math.h>

// A bend that is told may be sharper than that by this.
#define SHARPER 1.2F
// Where the line has gaps, the spot is to be off its edge by so much of itself.
#define AIM_SHARE 0.15F
// It has lost the edge where none was seen for so long; on the line for as many times that.
#define LOST_MM 100.0F
#define ON_LINE 2.5F
// Turned by so much since, it would follow what it meets the way that it has come.
#define LOST_RAD 2.1F
// Between both edges it may see none for longer; and so many widths of the line, where it joins
// over it.
#define BOTH_LOST_MM   320.0F
#define JOINING_WIDTHS 2.5F
// How much further apart than the line is wide, or nearer, the sensors may be: by its width, and
// so many spots.
#define BOTH_SPOTS 2.0F
// Astride a line that the sensors stand wide of, it sees no edge amid it, and answers the later.
#define DEAD_SHARE 0.75F
// Both spots are over a line across once they have been for so much of a line's least width.
#define ACROSS_SHARE 0.4F
// The edge's course is known after so much way.
#define COURSE_LEAST_MM 200.0F

static const cmi_row rows[] CMO_FLASH = {
    CMO_FOLLOWING_PARAMETERS(CMI_ROW, cmo_follow_edge_parameters)};

// --------------------------------------------------------------------------------------- ending --

static void finish(cmo_robot *robot, const cmo_follow_edge_state *state) {
    if (state->parameters.ending == CMO_END_MOVING && robot->halt == 0) {
        cmi_end_moving(robot);
    } else {
        cmi_end(robot, CMO_OUTCOME_DONE);
    }
}

// Moving, or after a halt.
static void rest_here(cmo_robot *robot, const cmo_follow_edge_state *state) {
    if (state->parameters.ending == CMO_END_MOVING) {
        finish(robot, state);
    } else {
        cmi_halt(robot, state->parameters.halt);
    }
}

// Both sensors are over a line across, and not just at a stain.
static bool meets_both(const cmo_robot *robot, cmo_follow_edge_state *state) {
    float way = cmo_way_mm(robot);
    state->clear_mm = state->joined && cmi_edge_across(robot, state) ? state->clear_mm : way;
    return state->parameters.across == CMO_ACROSS_END &&
           way - state->clear_mm > ACROSS_SHARE * state->parameters.least_width_mm;
}

// A line across: where the robot joined, and where it has come off its edge, what the other sensor
// meets may be the one that it follows.
static bool meets(cmo_robot *robot, cmo_follow_edge_state *state) {
    if (state->parameters.edge == CMO_LINE_BOTH) {
        return meets_both(robot, state);
    }
    const cmo_light *light = &robot->light[state->sensor];
    bool on = light->edge.inside || cmi_edge_sees(robot, state, state->sensor);
    bool looks = state->parameters.across == CMO_ACROSS_END && state->joined && on && !state->far;
    if (looks) {
        cmi_line_look(robot, &state->line);
    }
    return looks && cmi_line_met(&state->line, state->parameters.ending == CMO_END_MOVING);
}

// Straight on from here, as a stop does that has met a candidate.
static void land(cmo_robot *robot, cmo_follow_edge_state *state) {
    cmo_line_state *line = &state->line;
    if (state->parameters.edge == CMO_LINE_BOTH) {
        rest_here(robot, state);
        return;
    }
    if (state->parameters.ending == CMO_END_MOVING) {
        cmi_line_finish(robot, line, NULL);
        return;
    }
    state->lands = true;
    cmi_motion_start(&line->motion, robot, INFINITY, 1.0F, 1.0F);
    cmi_enter(robot, CMO_STAGE_SEARCH);
    cmi_line_approach(robot, line);
}

// One tick of the stop; what was no line is passed over, and it follows on.
static void step_stop(cmo_robot *robot, cmo_follow_edge_state *state) {
    cmi_stop_step(robot, &state->line.routine);
    if (robot->stage == CMO_STAGE_SEARCH && !cmi_line_met(&state->line, false)) {
        state->lands = false;
        state->seen_mm = cmo_way_mm(robot);
        state->speed_mm_s = fmaxf(cmo_speed_mm_s(robot), 0.0F);
        cmi_enter(robot, CMO_STAGE_FOLLOW);
    }
}

static bool has_ended(cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_follow_edge_parameters *p = &state->parameters;
    if (!state->follows && cmi_gone_mm(robot) - state->search_from_mm > p->search_mm) {
        cmi_end(robot, state->looks_to != 0 ? CMO_OUTCOME_EDGE_LOST : CMO_OUTCOME_NO_LINE);
        return true;
    }
    // On the line, as on a crossing one, it goes on for longer: it turns to where its edge must be.
    float unseen = cmo_way_mm(robot) - state->seen_mm;
    float most = cmi_edge_dead_mm(robot, state) > 0.0F ? BOTH_LOST_MM
                 : cmi_edge_within(robot, state)       ? ON_LINE * LOST_MM
                                                       : LOST_MM;
    if (p->edge == CMO_LINE_BOTH) { // it joins over the line
        most += state->joined ? p->gap_mm : JOINING_WIDTHS * p->width_mm;
    }
    float turned = fabsf(cmo_turned_rad(robot) - state->seen_rad);
    if (state->follows && (unseen > most || turned > LOST_RAD) &&
        !cmi_edge_search_anew(robot, state)) {
        cmi_end(robot, CMO_OUTCOME_EDGE_LOST);
        return true;
    }
    if (cmi_light_no_floor(robot)) {
        cmi_end(robot, CMO_OUTCOME_NO_FLOOR);
        return true;
    }
    if (p->distance_mm > 0.0F && cmi_edge_left_mm(robot, state) <= 0.5F) {
        if (!state->follows || p->across == CMO_ACROSS_END) {
            cmi_end(robot, CMO_OUTCOME_NO_LINE);
        } else if (state->far) {
            cmi_end(robot, CMO_OUTCOME_EDGE_LOST);
        } else {
            rest_here(robot, state);
        }
        return true;
    }
    return false;
}

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_follow_edge_state *state = (cmo_follow_edge_state *)routine;
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        if (cmi_edge_watches(state, i)) {
            cmi_expect_greys(robot, i);
        }
    }
    if (state->lands) {
        cmi_edge_look(robot, state);
        step_stop(robot, state);
        return;
    }
    if (robot->stage == CMO_STAGE_HALT) {
        if (cmi_stands_or_waited(robot, &state->waited_us, 2000000U)) {
            finish(robot, state);
        }
        return;
    }
    if (robot->stage == CMO_STAGE_IDLE) {
        state->last = cmi_wheels_now(robot);
        state->start_mm[0] = state->last.left_mm;
        state->start_mm[1] = state->last.right_mm;
        state->start_rad = cmo_turned_rad(robot);
        state->speed_mm_s = fmaxf(cmo_speed_mm_s(robot), 0.0F);
        cmi_enter(robot, CMO_STAGE_SEARCH);
    }
    cmi_take_no_proof(robot);
    cmi_edge_look(robot, state);
    if (has_ended(robot, state)) {
        return;
    }
    if (meets(robot, state)) {
        land(robot, state);
    } else {
        cmi_edge_drive(robot, state);
    }
}

// ---------------------------------------------------------------------------------------- start --

// Whether the robot can go astride such a line.
static cmo_outcome check_both(cmo_robot *robot, const cmo_follow_edge_parameters *p,
                              float spot_mm) {
    float apart = cmi_across_mm(robot->description);
    float off = fabsf(apart - p->width_mm);
    float most = fminf(apart, p->width_mm) + BOTH_SPOTS * spot_mm;
    if (cmi_front_lights(robot->description) < 2) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "edge", NAN);
    }
    if (p->width_mm == 0.0F || off > most) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "width_mm", apart);
    }
    if (p->fork == CMO_FORK_PASS) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "fork", NAN);
    }
    return p->sensor != CMO_SENSOR_EITHER
               ? cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "sensor", NAN)
           : p->across == CMO_ACROSS_END && apart < p->width_mm - CMI_SEEN_SHARE * spot_mm
               ? cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "across", NAN)
               : CMO_OUTCOME_DONE;
}

// The place that is to be over the edge, or amid both.
static void choose_place(const cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_follow_edge_parameters *p = &state->parameters;
    const cmo_light_description *light = robot->description->light;
    cmo_edge_track *track = &state->track;
    track->ahead_mm = light[state->sensor].ahead_mm;
    track->left_mm = light[state->sensor].left_mm;
    track->sharpest_per_mm = SHARPER / p->tightest_mm;
    if (p->edge == CMO_LINE_BOTH) {
        track->ahead_mm = 0.5F * (light[0].ahead_mm + light[CMI_FRONT - 1].ahead_mm);
        track->left_mm = 0.5F * (light[0].left_mm + light[CMI_FRONT - 1].left_mm);
        state->middle_mm = 0.5F * p->width_mm;
        state->drift = 1;
    } else {
        // Over the line a little: what drifts off it is told from its end. Or off it, from a fork.
        float share = p->gap_mm > 0.0F ? AIM_SHARE : p->fork == CMO_FORK_PASS ? -AIM_SHARE : 0.0F;
        track->aim_mm = cmi_line_sign(state) * share * cmi_edge_spot_mm(robot, state);
    }
}

// Which sensor, and how fast.
static cmo_outcome choose(cmo_robot *robot, cmo_follow_edge_state *state, bool told) {
    cmo_follow_edge_parameters *p = &state->parameters;
    bool both = p->edge == CMO_LINE_BOTH;
    if (both) {
        cmo_outcome outcome = check_both(robot, p, robot->description->light[0].spot_mm);
        if (outcome != CMO_OUTCOME_DONE) {
            return outcome;
        }
    }
    if (p->sensor == CMO_SENSOR_EITHER && !both) {
        bool right = p->edge == CMO_LINE_LEFT && cmi_front_lights(robot->description) > 1;
        p->sensor = right ? CMO_SENSOR_RIGHT : CMO_SENSOR_LEFT;
    }
    uint8_t watched;
    cmo_outcome outcome =
        cmi_check_sensors(robot, both ? CMO_SENSOR_BOTH : p->sensor, p->tone, &watched);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    if (p->distance_of != CMO_DISTANCE_OF_MIDDLE && p->distance_mm == 0.0F) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "distance_of", NAN);
    }
    // At the beginning of a bend a reading is not exact enough for both.
    if (p->gap_mm > 0.0F && p->fork == CMO_FORK_PASS) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "gap_mm", NAN);
    }
    state->sensor = watched == 2 ? 1 : 0;
    if (cmi_edge_spot_mm(robot, state) <= 0.0F) { // no reading tells then how far off it is
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "spot_mm", NAN);
    }
    choose_place(robot, state);
    bool gaps = (p->gap_mm > 0.0F || p->fork == CMO_FORK_PASS) && !both;
    float aside = fabsf(state->track.left_mm);
    float safe = cmi_budget_follow(robot->description, state->sensor, aside, p->tightest_mm, gaps);
    if (safe <= 0.0F && p->too_fast != CMO_TOO_FAST_ACCEPT) {
        float tightest = cmi_budget_tightest_mm(aside);
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "tightest_mm", tightest);
    }
    if (cmi_edge_dead_mm(robot, state) > cmi_edge_spot_mm(robot, state)) {
        safe *= DEAD_SHARE;
    }
    bool slows = !told || p->too_fast == CMO_TOO_FAST_SLOW;
    bool crawls = safe < fmaxf(robot->description->slowest_mm_s, 1.0F);
    if (p->cruise_mm_s > safe && p->too_fast != CMO_TOO_FAST_ACCEPT) {
        if (!slows || crawls) {
            return cmi_refuse(robot, CMO_OUTCOME_TOO_FAST, "cruise_mm_s", safe);
        }
        p->cruise_mm_s = safe;
    }
    return CMO_OUTCOME_DONE;
}

// Bends and joining are slower than the rest.
static uint32_t usual_longest_ms(const cmo_follow_edge_parameters *p) {
    float way = p->search_mm + p->distance_mm;
    return p->distance_mm > 0.0F ? (uint32_t)(6000.0F * way / p->cruise_mm_s) + 10000U : 600000U;
}

bool cmo_take_course(cmo_robot *robot, const cmo_follow_edge_state *state,
                     const cmo_stated_line *edge, cmo_left_over *left_over) {
    const cmo_report *report = &robot->report;
    if (report->routine != CMO_ROUTINE_FOLLOW_EDGE || report->outcome != CMO_OUTCOME_DONE ||
        robot->routine != NULL || state->figures.looks == 0 || state->far ||
        state->mean_mm - state->course_mm < COURSE_LEAST_MM) {
        return false;
    }
    cmo_pose *pose = &robot->odometer.pose;
    const cmo_edge_track *t = &state->track;
    float along = cmi_square_rad(robot, edge);
    float course = 2.0F * state->course_rad[0] - state->course_rad[1];
    float turned = pose->heading_rad - course;
    cmi_odometer_set_heading(&robot->odometer, robot->description, along + turned);
    if (left_over != NULL) {
        *left_over = (cmo_left_over){0.0F, cmi_degrees(turned)};
    }
    float sine, cosine, nx, ny;
    cmi_sin_cos(pose->heading_rad, &sine, &cosine);
    cmi_sin_cos(along, &ny, &nx);
    float x = pose->x_mm + t->ahead_mm * cosine - t->left_mm * sine;
    float y = pose->y_mm + t->ahead_mm * sine + t->left_mm * cosine;
    float off = (y - edge->y_mm) * nx - (x - edge->x_mm) * ny;
    float missed = t->off_mm - off;
    pose->x_mm -= missed * ny;
    pose->y_mm += missed * nx;
    return true;
}

cmo_line_parameters cmo_follow_edge_across(const cmo_follow_edge_parameters *p) {
    bool left = p->sensor == CMO_SENSOR_LEFT ||
                (p->sensor == CMO_SENSOR_EITHER && p->edge == CMO_LINE_RIGHT);
    return (cmo_line_parameters){.tone = p->tone,
                                 .band = p->band,
                                 .cruise_mm_s = p->cruise_mm_s,
                                 .least_width_mm = p->least_width_mm,
                                 .longest_mm = 50000.0F,
                                 .longest_ms = p->longest_ms,
                                 .acceleration_mm_s2 = p->acceleration_mm_s2,
                                 .braking_mm_s2 = p->braking_mm_s2,
                                 .halt = p->halt,
                                 .too_fast = CMO_TOO_FAST_SLOW,
                                 .ending = p->ending,
                                 .sensor = left ? CMO_SENSOR_RIGHT : CMO_SENSOR_LEFT,
                                 .rest = CMO_REST_NEAR_EDGE};
}

static cmo_outcome begin_across(cmo_robot *robot, cmo_follow_edge_state *state) {
    cmo_follow_edge_parameters *p = &state->parameters;
    if (cmi_front_lights(robot->description) < 2) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "across", NAN);
    }
    cmo_line_parameters line = cmo_follow_edge_across(p);
    cmo_outcome outcome =
        cmi_line_begin(robot, &state->line, &line, step, CMO_ROUTINE_FOLLOW_EDGE, true);
    if (outcome == CMO_RUNNING) {
        cmi_stop_prepare(&state->line);
        p->cruise_mm_s = fminf(p->cruise_mm_s, state->line.parameters.creep_mm_s);
    }
    return outcome;
}

cmo_outcome cmo_follow_edge_start(cmo_robot *robot, cmo_follow_edge_state *state,
                                  const cmo_follow_edge_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    *state = (cmo_follow_edge_state){.parameters = *parameters};
    cmo_follow_edge_parameters *p = &state->parameters;
    cmi_usual_speed(robot, &p->cruise_mm_s, 0.5F * robot->description->top_speed_mm_s);
    cmo_outcome outcome = cmi_check_parameters(robot, rows, CMI_ROWS(rows), p);
    if (outcome == CMO_OUTCOME_DONE) {
        outcome = choose(robot, state, parameters->cruise_mm_s != 0.0F);
    }
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    p->longest_ms = p->longest_ms != 0 ? p->longest_ms : usual_longest_ms(p);
    if (p->across == CMO_ACROSS_END && p->edge != CMO_LINE_BOTH) {
        outcome = begin_across(robot, state);
        if (outcome != CMO_RUNNING) {
            return outcome;
        }
    } else {
        cmi_begin(robot, &state->line.routine, step, CMO_ROUTINE_FOLLOW_EDGE, p->longest_ms);
    }
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        cmi_watch_edge(robot, i, p->tone, p->band);
    }
    cmi_edge_start_floor(robot, state);
    return CMO_RUNNING;
}

cmo_outcome cmo_follow_edge(cmo_robot *robot, const cmo_follow_edge_parameters *parameters) {
    cmo_follow_edge_state state;
    cmo_outcome outcome = cmo_follow_edge_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
