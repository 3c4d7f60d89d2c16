// SPDX-License-Identifier: MIT
// Stay inside: patrol until a sensor crosses the boundary, turn away from it, go on; charge what is
// in range.
#include <cammino/stay_inside.h>

#include "../moves/motion.h"
#include "../shared/description.h"
#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/light_input.h"
#include "../tick/surfaces.h"
#include "boundary.h"
#include "course.h"
#include "met.h"
#include "push.h"
#include "rebound.h"

#include <math.h>
#include <stddef.h>

// Waiting for the first look.
#define FIRST_LOOK_MS 200U
// At the end of the braking: slow enough, and waited for long enough.
#define SLOW_MM_S 5.0F
#define WAIT_US   500000U
// Halted at the end, and waited for long enough.
#define PUSHED_US 2000000U
// To come to a standstill, after its time, before the routine is ended by force.
#define GRACE_MS 5000U
// Ticks without anything in range until a charge is given up.
#define UNSEEN_TICKS 5U

// ---------------------------------------------------------------------------------- parameters --

static const cmi_row rows[] CMO_FLASH = {
    CMO_STAY_INSIDE_PARAMETERS(CMI_ROW, cmo_stay_inside_parameters)};

// Where it touches the floor: of the description, but only a patrol needs it.
static const cmi_row contacts[] CMO_FLASH = {
    CMO_CONTACT_FIELDS(CMI_FIELD_ROW, cmo_robot_description)};

// What the robot has to have for them.
static cmo_outcome check_robot(cmo_robot *robot, const cmo_stay_inside_parameters *p) {
    if (robot->description->lights < 2) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "lights", NAN);
    }
    if ((p->range_mm > 0.0F || p->charge_mm > 0.0F) && !(robot->port->traits & CMO_TRAIT_RANGE)) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED,
                          p->range_mm > 0.0F ? "range_mm" : "charge_mm", NAN);
    }
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        if (!cmo_levels_usable(&robot->light[i].levels)) {
            return cmi_refuse(robot, CMO_OUTCOME_LOW_CONTRAST, "levels", NAN);
        }
    }
    if ((p->touch != 0 || p->charge_touch != 0) && !(robot->port->traits & CMO_TRAIT_TOUCH)) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED,
                          p->touch != 0 ? "touch" : "charge_touch", NAN);
    }
#if CMO_SURFACES_MAX > 0
    if (p->surface != 0 && p->boundary != CMO_TONE_DARK) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "boundary", NAN);
    }
    return cmi_check_surface(robot, p->surface, CMO_TONE_DARK, &p->band, 3);
#else
    return CMO_OUTCOME_DONE;
#endif
}

// Slower, a patrol would not get anywhere: the motors turn unevenly near their slowest speed.
static float least_speed(const cmo_robot_description *d) {
    return fmaxf(2.0F * d->slowest_mm_s, 10.0F);
}

static void find_budget(const cmo_robot *robot, const cmo_stay_inside_parameters *p,
                        cmo_grazing grazing, bool convex, cmo_patrol_budget *budget) {
    cmo_robot_description d = *robot->description;
    float margin_mm = p->margin_mm;
#if CMO_SURFACES_MAX > 0
    // A surface is told once the whole spot lies on it and has done so for a while: as by a sensor
    // that stands so much further back, looks half as often, and has a boundary further out.
    for (uint8_t i = 0; p->surface != 0 && i < cmi_front_lights(&d); i++) {
        cmo_light_description *light = &d.light[i];
        float half = 0.5F * CMI_SURFACE_SPOTS * cmi_surface_spot_mm(robot, i);
        light->ahead_mm -= half;
        light->interval_us =
            2U * (light->interval_us != 0 ? light->interval_us : d.tick_us) + light->colour_us;
        margin_mm = fmaxf(margin_mm, p->margin_mm + half);
    }
#endif
    cmo_budget_patrol(&d, grazing, convex, margin_mm, p->braking_mm_s2, budget);
}

// Where no speed is safe: the parameter by which one would be.
static const char *what_would_do(const cmo_robot *robot, const cmo_stay_inside_parameters *p) {
    const struct {
        cmo_grazing grazing;
        const char *field;
    } other[] = {
        {p->grazing, "convex"}, {CMO_GRAZING_SWAY, "grazing"}, {CMO_GRAZING_ACCEPT, "grazing"}};
    for (uint8_t i = 0; i < 3; i++) {
        cmo_patrol_budget budget;
        find_budget(robot, p, other[i].grazing, true, &budget);
        if (budget.speed_mm_s >= least_speed(robot->description)) {
            return other[i].field;
        }
    }
    return "margin_mm";
}

// Holds a speed to what is safe, where it was not told to accept more. False: there is no safe one,
// or it is faster and to be refused. Refused, robot->field says what would have to change.
static bool hold_speed(cmo_robot *robot, const cmo_stay_inside_state *state, float asked,
                       float otherwise, const char *field, float *speed_mm_s) {
    const cmo_stay_inside_parameters *p = &state->parameters;
    float safe = state->budget.speed_mm_s;
    *speed_mm_s = asked == 0.0F ? otherwise : asked;
    if (asked > 0.0F && p->too_fast == CMO_TOO_FAST_ACCEPT) {
        return true;
    }
    if (safe < least_speed(robot->description)) {
        cmi_refuse(robot, CMO_OUTCOME_TOO_FAST, what_would_do(robot, p), NAN);
        return false;
    }
    if (*speed_mm_s > safe && p->too_fast == CMO_TOO_FAST_REFUSE) {
        cmi_refuse(robot, CMO_OUTCOME_TOO_FAST, field, safe);
        return false;
    }
    *speed_mm_s = fminf(*speed_mm_s, safe);
    return true;
}

// ---------------------------------------------------------------------------------------- steps --

// Sets out from here, on the heading that was chosen.
static void go_on(cmo_robot *robot, cmo_stay_inside_state *state) {
    state->come_mm = 0.0F;
    state->reckoned_mm = cmo_way_mm(robot); // what it rolled in the turn is no way come
    // All of a swing lies to one side of where it sets out: away from the boundary just left.
    float off = cmi_wrap(state->heading_rad - state->boundary.normal_rad - CMI_PI);
    bool left = state->rebounds > 0 && off > 0.0F;
    state->course.sway_mm = left ? -state->budget.sway_mm : state->budget.sway_mm;
    cmi_course_start(&state->course, robot, state->heading_rad);
    cmi_enter(robot, CMO_STAGE_PATROL);
}

static bool in_range(const cmo_robot *robot, float range_mm) {
    const cmo_sample *sample = robot->sample;
    return range_mm > 0.0F && sample->have & CMO_HAVE_RANGE && sample->range_mm < range_mm;
}

// What ends it with done: the caller, its time and a touch in any stage; the rest where it drives
// on.
static bool is_over(const cmo_robot *robot, const cmo_stay_inside_state *state) {
    const cmo_stay_inside_parameters *p = &state->parameters;
    const cmo_sample *sample = robot->sample;
    float way = cmi_gone_mm(robot);
    bool drives_on = robot->stage == CMO_STAGE_PATROL || robot->stage == CMO_STAGE_CHARGE;
    return state->ending || (p->for_ms != CMO_NO_END && robot->elapsed_ms >= p->for_ms) ||
           (sample->have & CMO_HAVE_TOUCH && sample->touch & p->touch) ||
           (drives_on &&
            ((p->rebounds != 0 && state->rebounds >= p->rebounds) ||
             (p->distance_mm > 0.0F && way >= p->distance_mm) || in_range(robot, p->range_mm)));
}

// What stands there is left as a boundary is, square to the robot.
static void give_up(cmo_robot *robot, cmo_stay_inside_state *state) {
    state->pushes = false;
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        cmi_met_add(&state->boundary, robot, i, robot->clock_us);
    }
    cmi_rebound_begin(robot, state);
}

// Drives on and looks: for the boundary first, then for something to charge.
static void patrol(cmo_robot *robot, cmo_stay_inside_state *state) {
    const cmo_stay_inside_parameters *p = &state->parameters;
    if (cmi_rebound_meet(robot, state)) {
        state->pushes = false;
        cmi_rebound_begin(robot, state);
        return;
    }
    bool felt = cmi_push_feel(robot, state);
    if (felt && cmi_push_stuck(robot, state)) {
        give_up(robot, state);
        return;
    }
    bool seen = felt || in_range(robot, p->charge_mm);
    if (seen && robot->stage == CMO_STAGE_PATROL) {
        if (!felt) {
            state->course.heading_rad = robot->odometer.pose.heading_rad;
        }
        cmi_enter(robot, CMO_STAGE_CHARGE);
    }
    state->unseen = (uint8_t)(seen ? 0 : state->unseen < 255 ? state->unseen + 1 : 255);
    if (robot->stage == CMO_STAGE_CHARGE && state->unseen > UNSEEN_TICKS) {
        cmi_course_start(&state->course, robot, robot->odometer.pose.heading_rad);
        cmi_enter(robot, CMO_STAGE_PATROL);
    }
    bool charges = robot->stage == CMO_STAGE_CHARGE;
    if (charges) {
        cmi_pushes(robot); // which may well hold it
    }
    float speed = charges ? cmi_push_mm_s(robot, state) : state->cruise_mm_s;
    cmi_course_follow(&state->course, robot, state->share * speed, p->acceleration_mm_s2,
                      p->braking_mm_s2);
}

// At the end, as it was asked to.
static void halt(cmo_robot *robot, cmo_stay_inside_state *state) {
    cmi_halt(robot, state->parameters.halt);
    state->since_us = 0;
}

// A regulator with an integral drives on for a while when it is told to stop: what is left once a
// lag explains it no more is answered by half as much the other way, which no delay makes swing.
static void stop_wheels(cmo_robot *robot, const cmo_stay_inside_state *state) {
    bool runs_on = state->since_us > 3000U * (uint32_t)robot->description->lag_ms;
    float times = runs_on ? -0.5F : 0.0F;
    cmi_drive(robot, times * robot->left.speed_mm_s, times * robot->right.speed_mm_s);
}

// Brakes along its course; once it is slow enough, what is to be done about the boundary.
static void come_to_stand(cmo_robot *robot, cmo_stay_inside_state *state) {
    cmi_rebound_meet(robot, state);
    if (state->course.speed_mm_s == 0.0F) { // on the spot it would turn to its course's heading
        stop_wheels(robot, state);
    } else {
        cmi_rebound_brake(robot, state);
    }
    if (state->course.speed_mm_s != 0.0F) {
        return;
    }
    // Motors that turn as slowly as they like are slow enough at a speed that they pass in a tick;
    // and those that never seem to come to rest must not be waited for for ever.
    float slow = fmaxf(2.0F * robot->description->slowest_mm_s, SLOW_MM_S);
    state->since_us += robot->dt_us;
    if (fabsf(cmo_speed_mm_s(robot)) > slow && state->since_us < WAIT_US) {
        return;
    }
    if (state->over) {
        halt(robot, state);
        return;
    }
    cmi_rebound_stood(robot, state);
    cmi_rebound_answer(robot, state);
}

// Away from the boundary; then on round to look for something, if that is asked for.
static void turn(cmo_robot *robot, cmo_stay_inside_state *state) {
    if (!cmi_rebound_turn(robot, state)) {
        return;
    }
    float scan = cmi_radians(state->parameters.scan_deg);
    if (scan > 0.0F && !in_range(robot, state->parameters.charge_mm)) {
        scan = state->last.asked_deg < 0.0F ? -scan : scan; // on round, the way it turned
        state->heading_rad += scan;
        cmi_rebound_turn_by(robot, state, scan, CMO_STAGE_SCAN);
        return;
    }
    go_on(robot, state);
}

// Turns on to look for something, and stops where it sees it.
static void scan(cmo_robot *robot, cmo_stay_inside_state *state) {
    bool seen = in_range(robot, state->parameters.charge_mm);
    bool boundary = cmi_rebound_meet(robot, state);
    if (seen || boundary || cmi_rebound_blocked(robot)) {
        state->heading_rad = robot->odometer.pose.heading_rad;
        state->boundary.met = 0;
    } else if (!cmi_rebound_settle_turn(robot, state)) {
        return;
    }
    go_on(robot, state);
}

// Over in any stage but braking: from a drive along the course it brakes along it; from a turn it
// halts at once, for there it has no way on.
static void wind_up(cmo_robot *robot, cmo_stay_inside_state *state) {
    if (!cmi_rebound_turns(robot) && robot->stage != CMO_STAGE_FEEL) {
        cmi_rebound_brake(robot, state);
        return;
    }
    halt(robot, state);
}

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_stay_inside_state *state = (cmo_stay_inside_state *)routine;
    if (!state->over && robot->stage != CMO_STAGE_IDLE && is_over(robot, state)) {
        state->over = true;
        if (robot->stage != CMO_STAGE_BRAKE) {
            wind_up(robot, state);
            return;
        }
    }
    switch (robot->stage) {
    case CMO_STAGE_IDLE:
        for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
            if (robot->light[i].edge.looks == 0 && robot->elapsed_ms < FIRST_LOOK_MS) {
                return; // a look at the floor first
            }
        }
        if (!cmi_boundary_know_floor(robot, &state->parameters)) {
            return;
        }
        state->reckoned_mm = cmo_way_mm(robot);
        state->heading_rad = robot->odometer.pose.heading_rad;
        go_on(robot, state);
        return;
    case CMO_STAGE_PATROL:
    case CMO_STAGE_CHARGE:
        cmi_rebound_reckon(robot, state);
        if (state->come_mm < 1.0F && cmi_rebound_meet_at_rest(robot, state)) {
            cmi_rebound_begin(robot, state);
            return;
        }
        patrol(robot, state);
        return;
    case CMO_STAGE_BRAKE:
        cmi_rebound_reckon(robot, state);
        come_to_stand(robot, state);
        return;
    case CMO_STAGE_HALT: // what is pushed by another robot, say, never stands
        cmi_rebound_reckon(robot, state);
        if (cmi_stands_or_waited(robot, &state->since_us, PUSHED_US)) {
            cmi_end(robot, CMO_OUTCOME_DONE);
        }
        return;
    case CMO_STAGE_FEEL:
        cmi_rebound_feel(robot, state);
        return;
    case CMO_STAGE_ROOM:
    case CMO_STAGE_BACK:
        cmi_rebound_go_back(robot, state);
        return;
    case CMO_STAGE_TURN_BACK:
    case CMO_STAGE_TURN:
        turn(robot, state);
        return;
    default:
        scan(robot, state);
        return;
    }
}

// ---------------------------------------------------------------------------------------- start --

cmo_outcome cmo_stay_inside_start(cmo_robot *robot, cmo_stay_inside_state *state,
                                  const cmo_stay_inside_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    *state = (cmo_stay_inside_state){.parameters = *parameters, .margin_mm = INFINITY};
    cmo_stay_inside_parameters *p = &state->parameters;
    cmo_outcome outcome = cmi_check_parameters(robot, rows, CMI_ROWS(rows), p);
    if (outcome == CMO_OUTCOME_DONE) {
        cmo_robot_description d = *robot->description;
        outcome = cmi_check_parameters(robot, contacts, CMI_ROWS(contacts), &d);
    }
    if (outcome == CMO_OUTCOME_DONE) {
        outcome = check_robot(robot, p);
    }
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    p->for_ms = p->for_ms != 0 ? p->for_ms : 30000;
    p->push_ms = p->push_ms != 0 ? p->push_ms : 1500;
    find_budget(robot, p, p->grazing, p->convex, &state->budget);
    if (!hold_speed(robot, state, p->cruise_mm_s, state->budget.speed_mm_s, "cruise_mm_s",
                    &state->cruise_mm_s) ||
        !hold_speed(robot, state, p->charge_mm_s, state->cruise_mm_s, "charge_mm_s",
                    &state->charge_mm_s)) {
        return CMO_OUTCOME_TOO_FAST;
    }
    state->held = p->too_fast != CMO_TOO_FAST_ACCEPT || p->cruise_mm_s == 0.0F;
    state->course.sway_rad = cmi_radians(state->budget.sway_deg);
    state->course.sway_mm = state->budget.sway_mm;
    state->braking_mm_s2 =
        p->braking_mm_s2 * (state->budget.sway_deg > 0.0F ? CMI_SWAY_BRAKING : 1.0F);
    state->share = state->held ? cmi_rebound_first_share(robot, state) : 1.0F;
    // It turns.
    float most = cmi_sure_mm_s2(robot->description);
    state->motion.acceleration_mm_s2 = fminf(CMI_TURN_SHARE * p->acceleration_mm_s2, most);
    state->motion.braking_mm_s2 = fminf(CMI_TURN_SHARE * p->braking_mm_s2, most);
    bool ends = p->for_ms < CMO_NO_END - GRACE_MS;
    cmi_begin(robot, &state->routine, step, CMO_ROUTINE_STAY_INSIDE,
              ends ? p->for_ms + GRACE_MS : CMO_NO_END);
    cmi_looks_turning(robot);
    cmi_boundary_watch(robot, p, p->boundary == CMO_TONE_LIGHT ? 0.0F : 1.0F);
    return CMO_RUNNING;
}

cmo_outcome cmo_stay_inside(cmo_robot *robot, const cmo_stay_inside_parameters *parameters) {
    cmo_stay_inside_state state;
    cmo_outcome outcome = cmo_stay_inside_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}

void cmo_stay_inside_end(cmo_stay_inside_state *state) {
    state->ending = true;
}
