// SPDX-License-Identifier: MIT
#include "rebound.h"

#include "../moves/motion.h"
#include "../shared/description.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/surfaces.h"
#include "contacts.h"
#include "course.h"
#include "met.h"

#include <math.h>
#include <stddef.h>

// In a corner it backs off by this much further, where it has come so far.
#define FURTHER_MM       80.0F
#define FURTHER_LEAST_MM 10.0F
// To feel for the boundary a spot is to pass over it so far beyond it.
#define IN_REACH_MM 4.0F
// A rebound that leaves as square as this goes to and fro on one line.
#define SQUARE_RAD   0.26F
#define MOST_ANSWERS 3U
// Back from feeling, as near to the way just come as this.
#define RETURN_RAD 0.25F
// On the spot there is little to be won by more than this.
#define TURN_MM_S 400.0F
// A heading is settled to an encoder's step or this share of the track, half a degree or so; and
// what does not settle in this time goes on all the same, for it looks all the while.
#define SETTLED_SHARE 0.008F
#define SETTLE_US     300000U
// A turn that went further beyond its end than this was pushed.
#define MOST_SWING_RAD 0.7F
// Driven for so long without a count, a turn is blocked; a little longer, and it would be a stall.
#define BLOCKED_US 350000U

// ------------------------------------------------------------------------------------ crossings --

// A crossing into the boundary in this tick, by either sensor. The second of two is left for the
// next call: `sensor` says where to go on.
static const cmo_crossing *next_crossing(const cmo_robot *robot, uint8_t *sensor) {
    for (; *sensor < cmi_front_lights(robot->description); (*sensor)++) {
        const cmo_light *light = &robot->light[*sensor];
        for (uint8_t n = 0; n < light->crossings; n++) {
            if (light->crossing[n].entering) {
                return &light->crossing[n];
            }
        }
    }
    return NULL;
}

bool cmi_rebound_turns(const cmo_robot *robot) {
    return robot->stage == CMO_STAGE_TURN || robot->stage == CMO_STAGE_TURN_BACK ||
           robot->stage == CMO_STAGE_SCAN;
}

// Takes this tick's crossings. True: there were some that the boundary so far does not explain.
bool cmi_rebound_meet(cmo_robot *robot, cmo_stay_inside_state *state) {
    bool met = false;
    for (uint8_t i = 0;; i++) {
        const cmo_crossing *crossing = next_crossing(robot, &i);
        if (crossing == NULL) {
            return met;
        }
        cmi_take_no_proof(robot); // one boundary after the other, and its neighbour none at all
        // Back from feeling, it passes over nothing that it has not passed over before.
        if (robot->stage == CMO_STAGE_TURN_BACK && state->answers == 0) {
            continue;
        }
        bool turns = cmi_rebound_turns(robot);
        // A painted rim is met a second time from outside, where a sensor has gone beyond it.
        bool again = state->boundary.met & 1U << i;
        if (turns ? cmi_met_explains(&state->boundary, robot, i) : again) {
            continue;
        }
        cmi_met_add(&state->boundary, robot, i, crossing->time_us);
        met = true;
    }
}

// A sensor that stands on the boundary without having crossed it: as where the robot was put down.
bool cmi_rebound_meet_at_rest(cmo_robot *robot, cmo_stay_inside_state *state) {
    bool on = false;
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        if (cmi_light_on(&robot->light[i]) && robot->light[i].edge.looks > 0) {
            cmi_met_add(&state->boundary, robot, i, robot->light[i].look_us);
            on = true;
        }
    }
    return on;
}

// -------------------------------------------------------------------------------------- rebound --

void cmi_rebound_turn_by(cmo_robot *robot, cmo_stay_inside_state *state, float turn_rad,
                         cmo_stage stage) {
    cmo_motion *motion = &state->motion;
    float way = 0.5F * fabsf(turn_rad) * robot->description->track_mm;
    float sign = turn_rad < 0.0F ? -1.0F : 1.0F;
    cmi_motion_start(motion, robot, fmaxf(way, 0.01F), -sign, sign); // a way of 0 is none
    motion->top_mm_s = fminf(0.6F * robot->description->top_speed_mm_s, TURN_MM_S);
    state->since_us = 0;
    cmi_enter(robot, stage);
    cmi_motion_follow(motion, robot);
}

// Turns back to the heading in which it has come by here.
static void return_to_way(cmo_robot *robot, cmo_stay_inside_state *state) {
    cmi_rebound_turn_by(robot, state, state->from_rad - robot->odometer.pose.heading_rad,
                        CMO_STAGE_TURN_BACK);
}

static void leave_as_it_came(cmo_robot *robot, cmo_stay_inside_state *state) {
    float heading = robot->odometer.pose.heading_rad;
    float turn =
        cmi_rebound_way_round(robot, state, cmi_wrap(state->course.heading_rad + CMI_PI - heading));
    state->heading_rad = heading + turn;
    cmi_rebound_turn_by(robot, state, turn, CMO_STAGE_TURN);
}

// A crossing that the boundary so far does not explain, in the middle of the turn: a corner. It
// turns back, backs off further on the way just come, and leaves on that way.
static void answer(cmo_robot *robot, cmo_stay_inside_state *state) {
    state->answers = (uint8_t)(state->answers + 1U);
    state->last.answered = true;
    if (state->come_mm > FURTHER_LEAST_MM) {
        return_to_way(robot, state);
        return;
    }
    leave_as_it_came(robot, state);
}

// Not where a corner may poke in beside it; nor where it turns on to look for something: its spots
// reach further than its contacts, and would meet the boundary again.
static bool may_leave_from_here(const cmo_stay_inside_state *state) {
    return state->parameters.convex && !(state->parameters.scan_deg > 0.0F);
}

// Where both sensors have crossed the boundary since the robot stands, it is known to where that
// is, however far the tyres had slid before. With room enough to turn, it leaves from there.
static bool leaves_from_here(cmo_robot *robot, cmo_stay_inside_state *state) {
    const cmo_met_boundary before = state->boundary;
    float slid;
    if (!may_leave_from_here(state) || !state->boundary.known ||
        robot->light[before.first].edge.inside || !cmi_met_anew(&state->boundary, robot, &slid)) {
        return false;
    }
    float turn = cmi_rebound_choose_turn(robot, state);
    if (cmi_rebound_missing_mm(robot, state, true) > 0.0F) {
        state->boundary = before;
        return false;
    }
    if (!cmi_rebound_is_cornered(robot, state, cmi_met_gone_mm(&state->boundary, robot))) {
        cmi_rebound_slid(robot, state, slid);
        cmi_rebound_note(robot, state);
        cmi_rebound_note_turn(robot, state);
        state->reckoned_mm = cmo_way_mm(robot);
        cmi_rebound_turn_by(robot, state, turn, CMO_STAGE_TURN);
    }
    return true;
}

// After a corner on the way that it came by; else as the boundary asks for.
static void turn_away(cmo_robot *robot, cmo_stay_inside_state *state) {
    state->reckoned_mm = cmo_way_mm(robot);
    cmi_rebound_note_turn(robot, state);
    if (state->answers > 0) {
        leave_as_it_came(robot, state);
    } else {
        cmi_rebound_turn_by(robot, state, cmi_rebound_choose_turn(robot, state), CMO_STAGE_TURN);
    }
}

// It has turned away: what became of it, and what the next one should know.
static void finish_rebound(cmo_robot *robot, cmo_stay_inside_state *state) {
    cmi_rebound_learn(robot, state);
    cmo_rebound *last = &state->last;
    float turned = robot->odometer.pose.heading_rad - state->boundary.entry_rad;
    last->asked_deg = cmi_degrees(state->heading_rad - state->boundary.entry_rad);
    last->turned_deg = cmi_degrees(turned);
    last->exit_deg = cmi_degrees(cmi_wrap(state->heading_rad - state->boundary.normal_rad));
    last->done_us = robot->clock_us;
    state->rebounds = (uint16_t)(state->rebounds < UINT16_MAX ? state->rebounds + 1 : UINT16_MAX);
    if (last->known && last->crossed && !last->answered) {
        float error = last->turned_deg - last->asked_deg;
        float squares = state->turn_error_deg * state->turn_error_deg * (float)state->crossed;
        state->crossed = (uint16_t)(state->crossed < UINT16_MAX ? state->crossed + 1 : UINT16_MAX);
        state->turn_error_deg = sqrtf((squares + error * error) / (float)state->crossed);
    }
    float off = cmi_wrap(state->heading_rad - state->boundary.normal_rad - CMI_PI);
    bool square = fabsf(off) < SQUARE_RAD;
    state->to_and_fro = (uint8_t)(square && state->to_and_fro < 255 ? state->to_and_fro + 1 : 0);
    state->other = !state->other;
    cmi_notify(robot, CMO_EVENT_REBOUND, (int)state->rebounds);
    state->answers = 0;
    state->blocked = false;
    cmi_rebound_keep(state);
    state->boundary.met = 0;
}

void cmi_rebound_begin(cmo_robot *robot, cmo_stay_inside_state *state) {
    uint8_t sensor = 0;
    const cmo_crossing *crossing = next_crossing(robot, &sensor);
    cmo_report *report = &robot->report;
    report->sensor = (int8_t)state->boundary.first;
    report->crossing_us = crossing != NULL ? crossing->time_us : robot->clock_us;
    report->crossing_mm =
        state->boundary.entry_way_mm - 0.5F * (robot->start_left_mm + robot->start_right_mm);
    state->last.speed_mm_s = cmo_speed_mm_s(robot);
    cmi_set_figure(robot, CMO_CROSSING_SPEED_MM_S, state->last.speed_mm_s);
    cmi_notify(robot, CMO_EVENT_CROSSING, report->sensor);
    cmi_rebound_brake(robot, state);
}

// Wheels that set off count more than the robot goes, and as they stop less: on short ways the
// more. A robot that backed off as far as they say it has come would work its way backward, from
// rebound to rebound between two sides, over a third one.
#define SPIN_SHARE   0.15F
#define SPIN_MOST_MM 10.0F

static float surely_come_mm(const cmo_stay_inside_state *state) {
    float come = fmaxf(state->come_mm, 0.0F);
    return come - fminf(SPIN_SHARE * come, SPIN_MOST_MM);
}

void cmi_rebound_answer(cmo_robot *robot, cmo_stay_inside_state *state) {
    state->felt = state->other_met = false;
    state->come_mm = surely_come_mm(state);
    state->stood = robot->odometer.pose;
    state->last.back_mm = 0.0F;
    state->last.crossed = state->boundary.met == 3;
    if (state->boundary.met == 3 || state->parameters.guess) {
        cmi_rebound_back_off(robot, state);
        return;
    }
    // Room to turn, should it stand square to the boundary, and the other sensor have met a gap.
    // But as far back as where the first spot crossed, none reaches a boundary that lies across the
    // line from the axle to that one. Where a corner may poke in, room comes first.
    const cmo_stay_inside_parameters *p = &state->parameters;
    float reach = cmi_met_gone_mm(&state->boundary, robot) - IN_REACH_MM;
    float missing =
        cmi_sweep_mm(robot->description) + p->margin_mm - cmi_rebound_room_mm(robot, state);
    reach = p->convex ? reach : fmaxf(reach, missing);
    missing = fminf(missing + CMI_MARGIN_LEFT_MM, fminf(reach, state->come_mm));
    cmi_rebound_back_by(robot, state, fmaxf(0.0F, missing), CMO_STAGE_ROOM);
}

// Turning towards the side that has crossed brings the other sensor forward, and takes wheels and
// caster away from the boundary.
void cmi_rebound_feel(cmo_robot *robot, cmo_stay_inside_state *state) {
    cmo_motion *motion = &state->motion;
    if (!state->felt) {
        cmi_rebound_felt(robot, state);
    }
    bool enough = state->other_met || !may_leave_from_here(state);
    if (enough && state->boundary.known && !state->felt) { // it stops as soon as it can
        float speed = motion->speed_mm_s;
        motion->target_mm = motion->place_mm + speed * speed / (2.0F * motion->braking_mm_s2);
        state->felt = true;
    }
    cmi_motion_follow(motion, robot);
    if (motion->arrived && !leaves_from_here(robot, state)) {
        cmo_met_boundary *boundary = &state->boundary;
        bool still_over = !boundary->known && robot->light[boundary->first].edge.inside;
        float turned = robot->odometer.pose.heading_rad - state->stood.heading_rad;
        boundary->felt_rad = still_over ? fabsf(turned) : 0.0F;
        return_to_way(robot, state);
    }
}

void cmi_rebound_go_back(cmo_robot *robot, cmo_stay_inside_state *state) {
    bool feels = robot->stage == CMO_STAGE_ROOM;
    if (feels && cmi_rebound_meet(robot, state)) { // the other one too, at the end of the braking
        state->last.crossed = true;
        cmi_rebound_back_off(robot, state);
        return;
    }
    cmi_rebound_note_slide(robot, state);
    if (cmi_rebound_goes_back(robot, state)) {
        return;
    }
    // A drive that stops late has gone back further than it was to.
    state->come_mm += fminf(cmi_course_way(&state->course, robot) - state->back_to_mm, 0.0F);
    state->from_rad = robot->odometer.pose.heading_rad;
    if (feels) {
        float feel = cmi_rebound_feels_rad(robot, state);
        cmi_rebound_turn_by(robot, state, state->boundary.met == 1 ? feel : -feel, CMO_STAGE_FEEL);
    } else if (!cmi_rebound_knows_better(robot, state)) {
        turn_away(robot, state);
    }
}

// Settles on the heading after the turn's profile has ended.
bool cmi_rebound_settle_turn(cmo_robot *robot, cmo_stay_inside_state *state) {
    if (!state->motion.arrived) {
        cmi_motion_follow(&state->motion, robot);
        return false;
    }
    const cmo_robot_description *d = robot->description;
    float within_mm = fmaxf(fmaxf(d->left_step_mm, d->right_step_mm), SETTLED_SHARE * d->track_mm);
    bool returns = robot->stage == CMO_STAGE_TURN_BACK;
    bool corner = returns && state->answers > 0;
    // On the way back from feeling it backs off next: roughly along the way just come will do, but
    // a regulator that has swung far beyond it must not back off over another boundary. In a corner
    // there is one to either side: it stands on that way first.
    if (returns && !corner) {
        within_mm = RETURN_RAD * 0.5F * d->track_mm;
        if (state->since_us == 0 && cmi_motion_within(&state->motion, robot, within_mm)) {
            return true;
        }
    }
    state->since_us += robot->dt_us;
    bool settled = cmi_motion_settle(&state->motion, robot, within_mm, CMI_STICKS_US);
    return (settled && (!corner || cmi_stands(robot))) ||
           state->since_us > (returns ? CMI_SETTLE_US : SETTLE_US);
}

bool cmi_rebound_blocked(cmo_robot *robot) {
    bool blocked = robot->stall_us > BLOCKED_US;
    if (blocked) {
        cmi_pushes(robot); // it is known, and no end of the routine
    }
    return blocked;
}

// To the same heading, the other way round than it turns now: that need not be the shorter one.
static void turn_other_way(cmo_robot *robot, cmo_stay_inside_state *state) {
    float heading = robot->odometer.pose.heading_rad;
    float other = state->heading_rad - heading - state->motion.right_sign * 2.0F * CMI_PI;
    state->blocked = true;
    state->heading_rad = heading + other;
    cmi_rebound_turn_by(robot, state, other, CMO_STAGE_TURN);
    state->motion.speed_mm_s = 0.0F; // it stands, whatever its wheels have been told
}

bool cmi_rebound_turn(cmo_robot *robot, cmo_stay_inside_state *state) {
    bool returns = robot->stage == CMO_STAGE_TURN_BACK;
    if (!returns && !state->blocked && cmi_rebound_blocked(robot)) {
        turn_other_way(robot, state);
        return false;
    }
    if (!returns) {
        float beyond = robot->odometer.pose.heading_rad - state->heading_rad;
        beyond = fminf(state->motion.right_sign * beyond, MOST_SWING_RAD);
        state->swings_rad = fmaxf(state->swings_rad, beyond);
    }
    bool met = cmi_rebound_meet(robot, state) && !returns && state->answers < MOST_ANSWERS;
    if (!met && !cmi_rebound_settle_turn(robot, state)) {
        return false;
    }
    if (returns) {
        if (state->answers == 0) {
            cmi_rebound_back_off(robot, state);
        } else {
            cmi_rebound_back_by(robot, state, fminf(state->come_mm, FURTHER_MM), CMO_STAGE_BACK);
        }
        return false;
    }
    if (met || (cmi_rebound_meet_at_rest(robot, state) && state->answers < MOST_ANSWERS)) {
        answer(robot, state);
        return false;
    }
    finish_rebound(robot, state);
    return true;
}
