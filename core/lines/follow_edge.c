// SPDX-License-Identifier: MIT
#include <cammino/follow_edge.h>

#include "../moves/motion.h"
#include "../shared/description.h"
#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/light_input.h"
#include "../tick/odometer.h"
#include "edge_steer.h"
#include "edge_track.h"
#include "line_candidates.h"
#include "line_figures.h"
#include "line_search.h"
#include "stated.h"
#include "stop.h"

#include <cammino/budget.h>

#include <math.h>

// What has been found crosses an edge at about this angle.
#define ENTRY_RAD 0.4F
// A bend that is told may be sharper than that by this.
#define SHARPER 1.2F
// It has lost the edge where none was seen for so long; on the line for as many times that.
#define LOST_MM 100.0F
#define ON_LINE 2.5F
// What goes on away from the edge by so much of an angle, this far into the line, and leaves that,
// has left it over the other edge.
#define FAR_RAD 0.05F
#define FAR_MM  2.0F
// What left the line as it met its first edge, and has not met it again within this way, has left
// it over the other one.
#define AGAIN_MM 40.0F
// A reading of one surface alone: the spot is so much of its radius beyond the edge at least.
#define BEYOND_SHARE 0.7F
// It has joined once it has been within this share of the spot, for so long a way.
#define NEAR_SHARE 0.5F
#define JOINED_MM  20.0F
#define BEFORE     CMO_EDGE_BEFORE
// In a gap there is no edge though one should be, within this share of the spot.
#define GAP_SHARE 0.35F
// At speed a line's end and a bend look alike: with gaps it is no faster than this share.
#define GAP_SPEED 0.55F
// A gap is driven over along the mean bend of about so much way before it.
#define BEND_MM 40.0F
// The edge's course is its mean over about so much way, and known after so much.
#define COURSE_MM       100.0F
#define COURSE_LEAST_MM 200.0F
// An edge that bends by more than this share of the sharpest one has none.
#define STRAIGHT_SHARE 0.25F
// A line across is no wider.
#define ACROSS_MM 60.0F
// So many looks in a row that do not fit: what it meets now is the edge.
#define REFUSED_MOST 4U

static const cmi_row rows[] CMO_FLASH = {
    CMO_FOLLOWING_PARAMETERS(CMI_ROW, cmo_follow_edge_parameters)};

// ------------------------------------------------------------------------------------- readings --

// What a reading says of where the spot is.
static cmi_edge_sight sight_of(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    const cmo_light *light = &robot->light[state->sensor];
    float half = 0.5F * cmi_edge_spot_mm(robot, state);
    float into = cmi_line_sign(state); // onto the line
    cmi_edge_sight sight = {.sigma_mm = 0.1F * half, .bends = state->joined, .beyond = true};
    // What hardly touches the edge may well not do so: it says no more than on which side it is.
    if (state->far) {
        sight.off_mm = into * state->parameters.least_width_mm;
    } else if (!cmo_edge_sees(&light->edge, light->reflectance)) {
        sight.off_mm = (light->edge.inside ? into : -into) * BEYOND_SHARE * half;
    } else {
        float place;
        cmo_edge_place(&light->edge, light->reflectance, &place);
        // The disc's curve is as steep as 4 / pi over the spot in its middle, and flat at its ends.
        float u = place / half;
        float noise = 0.25F * cmo_hysteresis(&light->levels) * 1.5708F * half;
        sight.off_mm = into * place;
        sight.sigma_mm = 0.1F + noise / fmaxf(sqrtf(fmaxf(1.0F - u * u, 0.0F)), 0.3F);
        sight.beyond = false;
    }
    return sight;
}

static cmo_moment wheels_now(const cmo_robot *robot) {
    return (cmo_moment){robot->clock_us, robot->odometer.left_mm, robot->odometer.right_mm};
}

// It has met an edge, with the spot so far from it when the wheels were at `then`.
static void find(cmo_robot *robot, cmo_follow_edge_state *state, float off_mm, float angle_rad,
                 const cmo_moment *then) {
    cmo_moment now = wheels_now(robot);
    cmi_track_start(&state->track, off_mm, angle_rad);
    cmi_track_go(&state->track, robot, state->sensor, then, &now);
    state->follows = true;
    state->refused = 0;
    state->seen_mm = state->near_mm = cmo_way_mm(robot);
    state->look_us = robot->light[state->sensor].look_us;
    cmi_enter(robot, CMO_STAGE_JOIN);
}

// Coming onto the line it heads for it, going off it away from it.
static float entry_rad(const cmo_follow_edge_state *state, bool entering) {
    return entering ? cmi_line_sign(state) * ENTRY_RAD : -cmi_line_sign(state) * ENTRY_RAD;
}

// It drives straight on until a look sees an edge, or lies behind one.
static void search(cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_light *light = &robot->light[state->sensor];
    if (light->crossings > 0) {
        const cmo_crossing *crossing = &light->crossing[light->crossings - 1];
        cmo_moment then = cmi_odometer_at(&robot->odometer, crossing->time_us);
        state->from_line = !state->follows && !crossing->entering;
        find(robot, state, 0.0F, entry_rad(state, crossing->entering), &then);
    } else if (light->seen && light->edge.looks > 0 &&
               cmo_edge_sees(&light->edge, light->reflectance)) {
        cmo_moment then = cmi_odometer_at(&robot->odometer, light->look_us);
        bool stood = light->edge.looks == 1; // over it from the start
        state->from_line = !stood && light->edge.inside;
        float angle = stood ? 0.0F : entry_rad(state, !light->edge.inside);
        find(robot, state, sight_of(robot, state).off_mm, angle, &then);
    }
}

static void keep(const cmo_robot *robot, cmo_follow_edge_state *state) {
    for (uint8_t i = BEFORE - 1; i > 0; i--) {
        state->before[i] = state->before[i - 1];
    }
    state->before[0] = (cmo_edge_before){state->track, wheels_now(robot), cmo_way_mm(robot)};
}

// The edge's heading by odometry: what the robot wobbles about it is in both, and cancels out. The
// mean of a mean lags by as much again, which tells how it drifts.
static void note_course(const cmo_robot *robot, cmo_follow_edge_state *state, float way_mm) {
    float course = robot->odometer.pose.heading_rad - state->track.angle_rad;
    float way = way_mm - state->mean_mm;
    float share = fminf(way / COURSE_MM, 1.0F);
    state->bend_per_mm +=
        fminf(way / BEND_MM, 1.0F) * (state->track.curve_per_mm - state->bend_per_mm);
    bool bends = fabsf(state->bend_per_mm) > STRAIGHT_SHARE * state->track.sharpest_per_mm;
    if (bends) {
        state->course_mm = way_mm;
    }
    if (bends || state->looks == 0) {
        state->course_rad[0] = state->course_rad[1] = course;
    }
    state->course_rad[0] += share * (course - state->course_rad[0]);
    state->course_rad[1] += share * (state->course_rad[0] - state->course_rad[1]);
    state->mean_mm = way_mm;
}

static void note(cmo_robot *robot, cmo_follow_edge_state *state, float off_mm) {
    float way = cmo_way_mm(robot);
    float off = fabsf(off_mm);
    if (!state->joined) {
        if (off > NEAR_SHARE * cmi_edge_spot_mm(robot, state)) {
            state->near_mm = way;
        } else if (way - state->near_mm >= JOINED_MM) {
            state->joined = true;
            state->joined_mm = cmi_gone_mm(robot);
            state->course_mm = state->mean_mm = way;
            for (uint8_t i = 0; i < BEFORE; i++) {
                keep(robot, state);
            }
            cmi_enter(robot, CMO_STAGE_FOLLOW);
            cmi_notify(robot, CMO_EVENT_CROSSING, state->sensor);
        }
        return;
    }
    note_course(robot, state, way);
    state->looks++;
    state->sum_mm += off;
    state->squares_mm2 += off * off;
    state->worst_mm = fmaxf(state->worst_mm, off);
}

// What leaves the line may have crossed it: then its edge is the one that lies behind.
static void tell_side(const cmo_robot *robot, cmo_follow_edge_state *state) {
    cmo_edge_track *t = &state->track;
    const cmo_robot_description *d = robot->description;
    float into = cmi_line_sign(state);
    float way = cmo_way_mm(robot);
    bool inside = robot->light[state->sensor].edge.inside;
    float turn_rad_s = (robot->right.speed_mm_s - robot->left.speed_mm_s) / d->track_mm;
    float swing = d->light[state->sensor].ahead_mm * turn_rad_s / fmaxf(state->speed_mm_s, 20.0F);
    bool leaves = state->inside && !inside;
    if (inside) {
        state->far = false;
    } else if (leaves && into * (t->angle_rad + swing) > FAR_RAD && into * t->off_mm > FAR_MM) {
        state->far = true;
    } else if (state->from_line && !state->joined && way - state->seen_mm > AGAIN_MM) {
        cmi_track_start(t, into * state->parameters.least_width_mm, into * ENTRY_RAD);
        state->seen_mm = way;
        state->from_line = false;
        state->far = true;
    }
    state->inside = inside;
}

// The other sensor is over a line as well, or its edge, since a short way: a line across lies under
// both, and what the one reads of it is no edge to follow.
static bool is_across(const cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_light *other = &robot->light[state->sensor == 0 ? CMI_FRONT - 1 : 0];
    bool on = cmi_front_lights(robot->description) > 1 && other->seen &&
              (other->edge.inside || cmo_edge_sees(&other->edge, other->reflectance));
    float way = cmo_way_mm(robot);
    state->clear_mm = on ? state->clear_mm : way;
    return on && way - state->clear_mm < ACROSS_MM;
}

// The line's end comes under the spot as if the edge turned away: what was thought before it holds.
// Where that leaves the spot near the edge, it sees none because there is none; else the edge has
// turned away indeed.
static void begin_gap(cmo_robot *robot, cmo_follow_edge_state *state) {
    cmo_moment now = wheels_now(robot);
    cmo_edge_track on = state->before[BEFORE - 1].track;
    on.curve_per_mm = state->bend_per_mm;
    cmi_track_go(&on, robot, state->sensor, &state->before[BEFORE - 1].at, &now);
    state->in_gap = true;
    state->gap_to_mm = cmo_way_mm(robot);
    if (fabsf(on.off_mm) < GAP_SHARE * cmi_edge_spot_mm(robot, state)) {
        state->track = on;
        state->gap_to_mm += state->parameters.gap_mm;
    }
}

// Whether what it sees is taken: not in a gap, nor where its other end comes under the spot.
static bool bridges(cmo_robot *robot, cmo_follow_edge_state *state, const cmi_edge_sight *sight) {
    float way = cmo_way_mm(robot);
    float spot = cmi_edge_spot_mm(robot, state);
    bool floor = sight->beyond && !cmi_edge_within(robot, state);
    if (!state->in_gap && floor) {
        begin_gap(robot, state);
    } else if (state->in_gap && !floor) {
        state->in_gap = false;
        state->gap_to_mm = fminf(state->gap_to_mm, way + spot);
    } else if (!floor && way - state->before[0].at_mm >= 0.5F * spot) {
        keep(robot, state);
    }
    if (way < state->gap_to_mm) {
        state->seen_mm = way;
    }
    return way < state->gap_to_mm;
}

static void look(cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_light *light = &robot->light[state->sensor];
    cmo_moment now = wheels_now(robot);
    if (state->follows) {
        cmi_track_go(&state->track, robot, state->sensor, &state->last, &now);
    }
    state->last = now;
    if (!state->follows) {
        search(robot, state);
        return;
    }
    if (!light->seen || light->look_us == state->look_us) {
        return;
    }
    state->look_us = light->look_us;
    if (is_across(robot, state) && state->joined) {
        return;
    }
    tell_side(robot, state);
    cmi_edge_sight sight = sight_of(robot, state);
    if (state->parameters.gap_mm > 0.0F && state->joined && bridges(robot, state, &sight)) {
        return;
    }
    cmo_moment then = cmi_odometer_at(&robot->odometer, light->look_us);
    bool fits = cmi_track_look(&state->track, robot, state->sensor, &sight, &then, &now);
    state->refused = fits || sight.beyond ? 0 : (uint8_t)(state->refused + 1U);
    if (light->crossings > 0 && !fits && !state->joined) { // another edge of the line, say
        search(robot, state);
    } else if (state->refused >= REFUSED_MOST) { // it is there all the same
        float angle = state->track.angle_rad;
        cmi_track_start(&state->track, sight.off_mm, angle);
        state->refused = 0;
    }
    if (!sight.beyond) {
        state->seen_mm = fits ? cmo_way_mm(robot) : state->seen_mm;
        note(robot, state, sight.off_mm);
    } else {
        state->near_mm = cmo_way_mm(robot); // it has not joined as long as it does not see it
    }
}

// --------------------------------------------------------------------------------------- ending --

static void finish(cmo_robot *robot, const cmo_follow_edge_state *state) {
    if (state->parameters.ending == CMO_END_MOVING && robot->halt == 0) {
        cmi_end_moving(robot);
    } else {
        cmi_end(robot, CMO_OUTCOME_DONE);
    }
}

// A line across: where the robot joined, and where it has come off its edge, what the other sensor
// meets may be the one that it follows.
static bool meets(cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_light *light = &robot->light[state->sensor];
    bool on = light->edge.inside || cmo_edge_sees(&light->edge, light->reflectance);
    bool looks = state->parameters.across == CMO_ACROSS_END && state->joined && on && !state->far;
    if (looks) {
        cmi_line_look(robot, &state->line);
    }
    return looks && cmi_line_met(&state->line, state->parameters.ending == CMO_END_MOVING);
}

// Straight on from here, as a stop does that has met a candidate.
static void land(cmo_robot *robot, cmo_follow_edge_state *state) {
    cmo_line_state *line = &state->line;
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
    if (!state->follows && cmi_gone_mm(robot) > p->search_mm) {
        cmi_end(robot, CMO_OUTCOME_NO_LINE);
        return true;
    }
    // On the line, as on a crossing one, it goes on for longer: it turns to where its edge must be.
    float unseen = cmo_way_mm(robot) - state->seen_mm;
    float most = (cmi_edge_within(robot, state) ? ON_LINE : 1.0F) * LOST_MM;
    if (state->follows && unseen > most) {
        cmi_end(robot, CMO_OUTCOME_EDGE_LOST);
        return true;
    }
    if (cmi_light_no_floor(robot)) {
        cmi_end(robot, CMO_OUTCOME_NO_FLOOR);
        return true;
    }
    if (p->distance_mm > 0.0F && cmi_gone_mm(robot) >= p->distance_mm - 0.5F) {
        if (!state->follows || p->across == CMO_ACROSS_END) {
            cmi_end(robot, CMO_OUTCOME_NO_LINE);
        } else if (state->far) {
            cmi_end(robot, CMO_OUTCOME_EDGE_LOST);
        } else if (p->ending == CMO_END_MOVING) {
            finish(robot, state);
        } else {
            cmi_halt(robot, p->halt);
        }
        return true;
    }
    return false;
}

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_follow_edge_state *state = (cmo_follow_edge_state *)routine;
    if (state->lands) {
        look(robot, state);
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
        state->last = wheels_now(robot);
        state->start_rad = cmo_turned_rad(robot);
        state->speed_mm_s = fmaxf(cmo_speed_mm_s(robot), 0.0F);
        cmi_enter(robot, CMO_STAGE_SEARCH);
    }
    cmi_expect_greys(robot, state->sensor);
    cmi_take_no_proof(robot);
    look(robot, state);
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

// Which sensor, and how fast.
static cmo_outcome choose(cmo_robot *robot, cmo_follow_edge_state *state, bool told) {
    cmo_follow_edge_parameters *p = &state->parameters;
    if (p->sensor == CMO_SENSOR_EITHER) {
        bool right = p->edge == CMO_LINE_LEFT && cmi_front_lights(robot->description) > 1;
        p->sensor = right ? CMO_SENSOR_RIGHT : CMO_SENSOR_LEFT;
    }
    uint8_t watched;
    cmo_outcome outcome = cmi_check_sensors(robot, p->sensor, p->tone, &watched);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    state->sensor = watched == 2 ? 1 : 0;
    if (cmi_edge_spot_mm(robot, state) <=
        0.0F) { // how far it is from the edge, no reading tells then
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "spot_mm", NAN);
    }
    state->track.sharpest_per_mm = SHARPER / p->tightest_mm;
    float safe = cmo_budget_follow(robot->description, state->sensor, p->tightest_mm) *
                 (p->gap_mm > 0.0F ? GAP_SPEED : 1.0F);
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
        robot->routine != NULL || state->looks == 0 ||
        state->mean_mm - state->course_mm < COURSE_LEAST_MM) {
        return false;
    }
    cmo_pose *pose = &robot->odometer.pose;
    const cmo_light_description *light = &robot->description->light[state->sensor];
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
    float x = pose->x_mm + light->ahead_mm * cosine - light->left_mm * sine;
    float y = pose->y_mm + light->ahead_mm * sine + light->left_mm * cosine;
    float off = (y - edge->y_mm) * nx - (x - edge->x_mm) * ny;
    float missed = state->track.off_mm - off;
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
    if (p->across == CMO_ACROSS_END) {
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
    return CMO_RUNNING;
}

cmo_outcome cmo_follow_edge(cmo_robot *robot, const cmo_follow_edge_parameters *parameters) {
    cmo_follow_edge_state state;
    cmo_outcome outcome = cmo_follow_edge_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
