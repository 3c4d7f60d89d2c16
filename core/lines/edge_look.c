// SPDX-License-Identifier: MIT
#include "edge_look.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../tick/light_input.h"
#include "edge_figures.h"
#include "edge_floor.h"
#include "edge_search.h"
#include "edge_sight.h"
#include "edge_steer.h"

#include <math.h>

// What goes on away from the edge by so much of an angle, this far into the line, and leaves that,
// has left it over the other edge.
#define FAR_RAD 0.05F
#define FAR_MM  2.0F
// What left the line as it met its first edge, and has not met it again within this way, has left
// it over the other one.
#define AGAIN_MM 40.0F
// It has joined once it has been within this share of the spot, for so long a way.
#define NEAR_SHARE 0.5F
#define JOINED_MM  20.0F
// In a gap there is no edge though the spot should be off the line by no more than this share of
// it.
#define GAP_SHARE 0.35F
// Where another line leaves the one that it follows, the spot is over both though it should be on
// the line by no more than this share of it, had the edge bent as sharply as it can and been turned
// by so much besides. That takes no longer a way than so many widths of a line.
#define FORK_SHARE  0.2F
#define FORK_RAD    0.14F
#define FORK_WIDTHS 10.0F
// A gap is driven over along the mean bend of about so much way before it; one look makes no more
// than this share of it, for the first one after a gap may be off.
#define BEND_MM   40.0F
#define BEND_LOOK 0.25F
// The edge's course is its mean over about so much way.
#define COURSE_MM 100.0F
// An edge that bends by more than this share of the sharpest one has none.
#define STRAIGHT_SHARE 0.25F
// A line across is no wider.
#define ACROSS_MM 60.0F
// So many looks in a row that do not fit: what it meets now is the edge.
#define REFUSED_MOST 4U
// Before it has joined, its angle to the edge is known so well where it drives over a gap, and no
// edge is seen by so many standard deviations.
#define SURE_RAD 0.12F
#define SURE_SDS 3.0F

static void keep(const cmo_robot *robot, cmo_follow_edge_state *state) {
    for (uint8_t i = CMO_EDGE_BEFORE - 1; i > 0; i--) {
        state->before[i] = state->before[i - 1];
    }
    state->before[0] = (cmo_edge_before){state->track, cmi_wheels_now(robot), cmo_way_mm(robot)};
}

static void keep_all(const cmo_robot *robot, cmo_follow_edge_state *state) {
    for (uint8_t i = 0; i < CMO_EDGE_BEFORE; i++) {
        keep(robot, state);
    }
}

// What was thought of another edge is no help with the one that it meets now.
static void search(cmo_robot *robot, cmo_follow_edge_state *state, uint8_t sensor) {
    cmi_edge_search(robot, state, sensor);
    if (state->follows) {
        keep_all(robot, state);
    }
}

// The edge's heading by odometry: what the robot wobbles about it is in both, and cancels out. The
// mean of a mean lags by as much again, which tells how it drifts.
static void note_course(const cmo_robot *robot, cmo_follow_edge_state *state, float way_mm) {
    float course = robot->odometer.pose.heading_rad - state->track.angle_rad;
    float way = way_mm - state->mean_mm;
    float share = fminf(way / COURSE_MM, 1.0F);
    state->bend_per_mm +=
        fminf(way / BEND_MM, BEND_LOOK) * (state->track.curve_per_mm - state->bend_per_mm);
    bool bends = fabsf(state->bend_per_mm) > STRAIGHT_SHARE * state->track.sharpest_per_mm;
    if (bends || state->course_mm < 0.0F) {
        state->course_mm = way_mm;
        state->course_rad[0] = state->course_rad[1] = course;
    }
    state->course_rad[0] += share * (course - state->course_rad[0]);
    state->course_rad[1] += share * (state->course_rad[0] - state->course_rad[1]);
    state->mean_mm = way_mm;
}

// It has joined once it has seen the edge all along a way, and near it.
static void note_near(cmo_robot *robot, cmo_follow_edge_state *state, bool near) {
    float way = cmo_way_mm(robot);
    state->near_mm = near ? state->near_mm : way;
    if (way - state->near_mm >= JOINED_MM) {
        cmi_edge_joined(robot, state);
        state->course_mm = -1.0F;
        state->mean_mm = way;
        keep_all(robot, state);
        cmi_enter(robot, CMO_STAGE_FOLLOW);
        cmi_notify(robot, CMO_EVENT_CROSSING, state->sensor);
    }
}

static void note(cmo_robot *robot, cmo_follow_edge_state *state, const cmi_edge_sight *sight) {
    if (!state->joined) {
        float near = NEAR_SHARE * cmi_edge_spot_mm(robot, state);
        note_near(robot, state, sight->beyond == 0 && fabsf(sight->off_mm) <= near);
    } else if (sight->beyond == 0) {
        note_course(robot, state, cmo_way_mm(robot));
        cmi_edge_count_off(state, sight->off_mm);
    }
}

// What leaves the line may have crossed it: then its edge is the one that lies behind.
static void tell_side(const cmo_robot *robot, cmo_follow_edge_state *state) {
    cmo_edge_track *t = &state->track;
    const cmo_robot_description *d = robot->description;
    float into = cmi_line_sign(state);
    float way = cmo_way_mm(robot);
    bool inside = cmi_edge_on_line(robot, state, state->sensor);
    float turn_rad_s = (robot->right.speed_mm_s - robot->left.speed_mm_s) / d->track_mm;
    float swing = t->ahead_mm * turn_rad_s / fmaxf(state->speed_mm_s, 20.0F);
    bool leaves = state->inside && !inside;
    if (inside) {
        state->far = false;
    } else if (leaves && into * (t->angle_rad + swing) > FAR_RAD && into * t->off_mm > FAR_MM) {
        state->far = true;
    } else if (state->from_line && !state->joined && way - state->seen_mm > AGAIN_MM) {
        cmi_edge_beyond(state);
        state->seen_mm = way;
    }
    state->inside = inside;
}

// The other sensor is over a line as well, or its edge, since a short way: a line across lies under
// both, and what the one reads of it is no edge to follow.
static bool is_across(const cmo_robot *robot, cmo_follow_edge_state *state) {
    uint8_t sensor = state->sensor == 0 ? CMI_FRONT - 1 : 0;
    const cmo_light *other = &robot->light[sensor];
    bool on = cmi_front_lights(robot->description) > 1 && other->seen &&
              (other->edge.inside || cmi_edge_sees(robot, state, sensor));
    float way = cmo_way_mm(robot);
    state->clear_mm = on ? state->clear_mm : way;
    return on && way - state->clear_mm < ACROSS_MM;
}

// Where the edge is now by what was thought of it before its end came under the spot, had it gone
// on bending so.
static cmo_edge_track gone_on(const cmo_robot *robot, const cmo_follow_edge_state *state,
                              float curve_per_mm, float turned_rad) {
    const cmo_edge_before *before = &state->before[CMO_EDGE_BEFORE - 1];
    cmo_moment now = cmi_wheels_now(robot);
    cmo_edge_track on = before->track;
    on.curve_per_mm = curve_per_mm;
    on.angle_rad += turned_rad;
    cmi_track_go(&on, robot, &before->at, &now);
    return on;
}

// Before it has joined: what it has seen of the edge tells where that goes on.
static bool knows_edge(const cmo_follow_edge_state *state) {
    return cmi_track_sd(&state->before[CMO_EDGE_BEFORE - 1].track).angle_rad < SURE_RAD;
}

// The edge has ended: once it has joined, where it sees none; before, where that is not to be had
// by what it may have turned besides.
static bool ends_here(const cmo_robot *robot, const cmo_follow_edge_state *state,
                      const cmi_edge_sight *sight) {
    cmo_edge_track on = gone_on(robot, state, state->bend_per_mm, 0.0F);
    float off = cmi_line_sign(state) * (on.off_mm - sight->off_mm);
    return state->joined || (knows_edge(state) && off > SURE_SDS * cmi_track_sd(&on).off_mm);
}

// It sees the line alone, and no bend would have brought the spot over it so soon.
static bool forks(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    const cmo_edge_before *before = &state->before[CMO_EDGE_BEFORE - 1];
    float into = cmi_line_sign(state);
    float bent = before->track.curve_per_mm - into * before->track.sharpest_per_mm;
    cmo_edge_track on = gone_on(robot, state, bent, into * FORK_RAD);
    return into * on.off_mm < FORK_SHARE * cmi_edge_spot_mm(robot, state);
}

// The line's end comes under the spot as if the edge turned away, and so does another line that
// leaves it: what was thought before holds. A gap where that leaves the spot on the line or near
// its edge: it sees none because there is none; else it has come off it.
static void begin_bridge(cmo_robot *robot, cmo_follow_edge_state *state, bool gap) {
    const cmo_follow_edge_parameters *p = &state->parameters;
    float spot = cmi_edge_spot_mm(robot, state);
    cmo_edge_track on = gone_on(robot, state, state->bend_per_mm, 0.0F);
    state->hidden = true;
    state->hidden_to_mm = cmo_way_mm(robot);
    if (!gap || -cmi_line_sign(state) * on.off_mm < GAP_SHARE * spot) {
        state->track = on;
        state->hidden_to_mm += gap ? p->gap_mm : FORK_WIDTHS * p->least_width_mm;
        state->figures.forks += !gap;
    }
}

// Whether what it sees is taken: not in a gap, and not where another line leaves this one; nor
// where that has its other end under the spot. A route asks for one of them at most.
static bool bridges(cmo_robot *robot, cmo_follow_edge_state *state, const cmi_edge_sight *sight) {
    float way = cmo_way_mm(robot);
    float spot = cmi_edge_spot_mm(robot, state);
    bool gap = state->parameters.gap_mm > 0.0F;
    bool within = cmi_edge_within(robot, state);
    bool blank = sight->beyond != 0 && (gap ? !within : within && !state->far);
    if (state->hidden && !blank) {
        state->hidden = false;
        state->hidden_to_mm = fminf(state->hidden_to_mm, way + spot);
    } else if (!state->hidden && blank &&
               (gap ? ends_here(robot, state, sight) : forks(robot, state))) {
        begin_bridge(robot, state, gap);
    } else if (!blank && way - state->before[0].at_mm >= 0.5F * spot) {
        keep(robot, state);
    }
    if (way < state->hidden_to_mm) {
        state->seen_mm = state->near_mm = way;
    }
    return way < state->hidden_to_mm;
}

// Of both edges it may be about the middle of the line and see none; then it is off it by what it
// believes.
static void note_both(cmo_robot *robot, cmo_follow_edge_state *state) {
    float dead = cmi_edge_dead_mm(robot, state);
    bool sees = dead > 0.0F || cmi_edge_in_sight(robot, state);
    float near = NEAR_SHARE * cmi_edge_spot_mm(robot, state) + dead;
    if (!state->joined) {
        note_near(robot, state, sees && fabsf(state->track.off_mm) <= near);
    } else if (sees) {
        note_course(robot, state, cmo_way_mm(robot));
        cmi_edge_count_off(state, state->track.off_mm);
    }
}

// A new look of a sensor is taken.
static void take(cmo_robot *robot, cmo_follow_edge_state *state, uint8_t sensor,
                 const cmi_edge_sight *sight) {
    const cmo_light *light = &robot->light[sensor];
    cmo_moment now = cmi_wheels_now(robot);
    cmo_moment then = cmi_odometer_at(&robot->odometer, light->look_us);
    bool sees = sight->beyond == 0;
    bool fits = cmi_track_look(&state->track, robot, sight, &then, &now);
    state->refused = fits || !sees ? 0 : (uint8_t)(state->refused + 1U);
    bool ends = state->parameters.gap_mm > 0.0F && knows_edge(state);
    if (light->crossings > 0 && !fits && !state->joined && !ends) { // another edge of the line, say
        search(robot, state, sensor);
    } else if (state->refused >= REFUSED_MOST) { // it is there all the same
        float angle = state->track.angle_rad;
        cmi_track_start(&state->track, sight->off_mm, angle, CMI_ANGLE_SD_RAD);
        state->refused = 0;
    }
    if (sees && fits) {
        state->seen_mm = cmo_way_mm(robot);
        state->seen_rad = cmo_turned_rad(robot);
        state->drift = state->track.off_mm > 0.0F ? -1 : 1;
    }
}

static void look_with(cmo_robot *robot, cmo_follow_edge_state *state, uint8_t sensor) {
    bool both = state->parameters.edge == CMO_LINE_BOTH;
    if (both ? cmi_edge_torn(robot, state) : is_across(robot, state) && state->joined) {
        return;
    }
    if (!both) {
        tell_side(robot, state);
    }
    cmi_edge_sight sight = cmi_edge_sight_of(robot, state, sensor);
    bool passes = state->joined && state->parameters.fork == CMO_FORK_PASS;
    bool hides = passes || state->parameters.gap_mm > 0.0F;
    if (hides && !both && bridges(robot, state, &sight)) {
        return;
    }
    take(robot, state, sensor, &sight);
    if (both) {
        note_both(robot, state);
    } else {
        note(robot, state, &sight);
    }
}

void cmi_edge_look(cmo_robot *robot, cmo_follow_edge_state *state) {
    cmo_moment now = cmi_wheels_now(robot);
    if (state->follows) {
        cmi_track_go(&state->track, robot, &state->last, &now);
    }
    state->last = now;
    if (cmi_edge_know_floor(robot, state)) {
        cmi_edge_search_start(robot, state);
    }
    if (!state->follows) {
        if (state->parameters.edge == CMO_LINE_BOTH) {
            cmi_edge_search_both(robot, state);
        } else if (!cmi_edge_floor_waits(robot, state)) {
            search(robot, state, state->sensor);
        }
        return;
    }
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        const cmo_light *light = &robot->light[i];
        if (cmi_edge_watches(state, i) && light->seen && light->look_us != state->look_us[i]) {
            state->look_us[i] = light->look_us;
            look_with(robot, state, i);
        }
    }
}
