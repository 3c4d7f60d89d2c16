// SPDX-License-Identifier: GPL-3.0-or-later
#include "wild.h"

#include "wild_port.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

// ------------------------------------------------------------------------------------ routines --

#define STATE_OF(NAME, name, figures, text) cmo_##name##_state name;
typedef union any_state {
    CMO_EACH_ROUTINE(STATE_OF)
} any_state;

static bool act(cmo_robot *robot, void *context) {
    wild *w = context;
    if (dice_chance(&w->dice, 0.02)) {
        cmo_halt_now(robot, CMO_HALT_DEFAULT);
    }
    return dice_chance(&w->dice, 0.02);
}

static bool at_once(cmo_robot *robot, void *context) {
    (void)robot;
    (void)context;
    return true;
}

static uint32_t some_ms(dice *d) {
    return dice_chance(d, 0.2) ? 0 : 1 + dice_pick(d, 4000);
}

// Numbers within reach of a short run; now and then one that makes no sense.
static float within_reach(dice *d, double least, double most) {
    return dice_number(d, fmax(least, -600.0), fmin(most, 600.0));
}

// A row of a routine's parameters, drawn.
#define DRAW(d, type, ...)                                DRAW_##type(d, __VA_ARGS__)
#define DRAW_NUMBER(d, name, least, most, usual, meaning) p.name = within_reach(d, least, most);
#define DRAW_OTHERWISE                                    DRAW_NUMBER
#define DRAW_SIGNED(d, name, least, most, usual, meaning) p.name = within_reach(d, -(most), most);
#define DRAW_SPEED(d, name, usual, meaning)               p.name = dice_number(d, 20, 400);
#define DRAW_RATE(d, name, usual, meaning)                                                         \
    p.name = dice_chance(d, 0.5) ? 0.0F : dice_number(d, 100, 5000);
#define DRAW_WIDTH(d, name, least, most, usual, meaning) p.name = dice_number(d, 5, 20);
#define DRAW_WHOLE(d, of, name, least, most, usual, meaning)                                       \
    p.name = (of)dice_pick(d, (unsigned)fmin(most, 20) + (dice_chance(d, 0.1) ? 3U : 1U));
#define DRAW_COUNT(d, of, name, least, most, usual, meaning)                                       \
    p.name = (of)(dice_chance(d, 0.3) ? dice_pick(d, 5) : 0);
#define DRAW_FLAG(d, name, meaning) p.name = dice_chance(d, 0.8);
#define DRAW_CHOICE(d, of, name, first, last, words, usual, meaning)                               \
    p.name = (of)(dice_chance(d, 0.2)                                                              \
                      ? 0U                                                                         \
                      : (unsigned)(first) +                                                        \
                            dice_pick(d, (last) - (first) + (dice_chance(d, 0.05) ? 9U : 1U)));
#define DRAW_BITS(d, name, words, usual, meaning) p.name = (uint8_t)(dice_chance(d, 0.2) ? 7 : 0);
#define DRAW_HALT(d, name, meaning)               p.name = (cmo_halt)(dice_chance(d, 0.8) ? 0 : dice_pick(d, 5));
#define DRAW_TIME(d, name, file_name, least, usual, meaning)                                       \
    p.name = dice_chance(d, 0.1) ? 0 : some_ms(d) + 1;
#define DRAW_BAND(d, name, usual, meaning)
#if CMO_SURFACES_MAX > 0
#define DRAW_SURFACE(d, name, usual, meaning)                                                      \
    p.name = (uint8_t)(dice_chance(d, 0.6) ? 0 : dice_pick(d, 5));
#else
#define DRAW_SURFACE(d, name, usual, meaning)
#endif
#define DRAW_PLACE(d, name, usual, meaning)
#define DRAW_PLACES(d, name, most, usual, meaning)

#define PARAMETERS_OF(NAME, name, figures, text) cmo_##name##_parameters name;
typedef union any_parameters {
    CMO_EACH_ROUTINE(PARAMETERS_OF)
} any_parameters;

#define DRAW_FOR(NAME, name, figures, text)                                                        \
    static cmo_##name##_parameters draw_##name(dice *d) {                                          \
        cmo_##name##_parameters p;                                                                 \
        memset(&p, 0, sizeof p);                                                                   \
        CMO_##NAME##_PARAMETERS(DRAW, d) return p;                                                 \
    }
CMO_EACH_LEG(DRAW_FOR)

static cmo_ends draw_ends(dice *d) {
    cmo_ends p;
    memset(&p, 0, sizeof p);
    CMO_ENDS_PARAMETERS(DRAW, d)
    p.button = p.button && dice_chance(d, 0.3); // else nearly all need one
    return p;
}

static cmo_outcome start_any(cmo_robot *robot, any_state *s, wild *w, unsigned routine) {
#define START_IF(NAME, name, figures, text)                                                        \
    case CMO_ROUTINE_##NAME:                                                                       \
        p.name = draw_##name(&w->dice);                                                            \
        return cmo_##name##_start(robot, &s->name, &p.name);
    any_parameters p;
    switch (routine) {
        CMO_EACH_LEG(START_IF)
    default:
        p.action = (cmo_action_parameters){act, w, some_ms(&w->dice)};
        return cmo_action_start(robot, &s->action, &p.action);
    }
}

// ----------------------------------------------------------------------------------------- run --

static void check_report(wild *w, const cmo_robot *robot) {
    for (unsigned i = 0; i < CMO_REPORT_FIGURES; i++) {
        if (robot->report.present & CMO_FIGURE_BIT(i) && !isfinite(robot->report.figure[i])) {
            wild_complain(w, "a figure that is no number");
        }
    }
    const cmo_pose *pose = &robot->odometer.pose;
    if (!isfinite(pose->x_mm) || !isfinite(pose->y_mm) || !isfinite(pose->heading_rad)) {
        wild_complain(w, "a pose that is no number");
    }
}

// The routine has ended: the motors are halted, or it says that they may not be and goes on
// halting.
static void check_end(wild *w, cmo_robot *robot, const any_state *state, const cmo_ends *ends) {
    bool by = robot->report.by != CMO_BY_ITSELF;
    bool moving = by ? ends->ending == CMO_END_MOVING
                     : robot->report.outcome == CMO_OUTCOME_DONE &&
                           ((robot->report.routine == CMO_ROUTINE_ADVANCE &&
                             state->advance.parameters.ending == CMO_END_MOVING) ||
                            (robot->report.routine == CMO_ROUTINE_DRIVE_UNTIL_LINE &&
                             state->drive_until_line.parameters.ending == CMO_END_MOVING) ||
                            (robot->report.routine == CMO_ROUTINE_FOLLOW_EDGE &&
                             state->follow_edge.parameters.ending == CMO_END_MOVING) ||
                            (robot->report.routine == CMO_ROUTINE_COUNT_LINES &&
                             state->count_lines.line.parameters.ending == CMO_END_MOVING));
    check_report(w, robot);
    for (int i = 0; i < 4 && !moving; i++) {
        bool halted = w->last_is_halt && w->last_halt_ok;
        if (!halted && !robot->report.motors_may_run) {
            wild_complain(w, "motors that may run, and nobody says so");
        }
        unsigned halts = w->halts;
        unsigned drives = w->drives;
        cmo_wait(robot);
        cmo_tick(robot);
        if (w->drives != drives) {
            wild_complain(w, "a drive after the end");
        }
        if (!halted && w->halts != halts + 1) {
            wild_complain(w, "a halt that is not repeated");
        }
    }
}

// Ticks until it ends, now and then aborted.
static void tick_to_end(wild *w, cmo_robot *robot, any_state *state, unsigned kind) {
    cmo_outcome outcome;
    uint32_t ticks = 0;
    double abort_at = dice_chance(&w->dice, 0.2) ? 500.0 * dice_unit(&w->dice) : -1.0;
    // The slowest clock that is not a broken one passes a tick in a thousand.
    uint32_t most = 30000000U;
    do {
        cmo_wait(robot);
        if ((double)ticks == floor(abort_at)) {
            if (kind == CMO_ROUTINE_STAY_INSIDE && dice_chance(&w->dice, 0.5)) {
                cmo_stay_inside_end(&state->stay_inside);
            } else {
                cmo_abort(robot);
            }
        }
        if (w->patience != 0 && ticks == w->patience) {
            cmo_abort(robot);
        }
        outcome = cmo_tick(robot);
        uint32_t over_ms = robot->elapsed_ms - robot->longest_ms;
        uint32_t tick_ms = robot->dt_us / 1000;
        if (outcome == CMO_RUNNING && robot->longest_ms != CMO_NO_END &&
            robot->elapsed_ms > robot->longest_ms && over_ms > tick_ms) {
            wild_complain(w, "a routine that goes on beyond its time");
        }
        ticks++;
    } while (outcome == CMO_RUNNING && ticks < most && w->wrong == NULL);
    if (outcome == CMO_RUNNING) {
        wild_complain(w, "a routine without an end");
    }
}

static void drive_routine(wild *w, cmo_robot *robot, any_state *state, unsigned kind) {
    unsigned drives = w->drives;
    memset(state, 0xA5, sizeof *state);
    cmo_ends ends = draw_ends(&w->dice);
    static cmo_ends_state ends_state;
    bool ended = dice_chance(&w->dice, 0.4);
    if (ended && cmo_end_on(robot, &ends_state, &ends) != CMO_OUTCOME_DONE &&
        robot->field == NULL) {
        wild_complain(w, "ends that are refused and no field is named");
    }
    cmo_outcome outcome = start_any(robot, state, w, kind);
    if (w->drives != drives) {
        wild_complain(w, "a drive before the first tick");
    }
    if (outcome != CMO_RUNNING) {
        if (robot->field == NULL || robot->routine != NULL) {
            wild_complain(w, "a refusal that names no field");
        }
        if (ended) { // what was stated holds for the next one; this is never met
            static const cmo_ends never = {.for_ms = 100000000};
            cmo_end_on(robot, &ends_state, &never);
        }
        return;
    }
    tick_to_end(w, robot, state, kind);
    check_end(w, robot, state, &ends);
}

// --------------------------------------------------------------------------------------- routes --

#define LEGS 4U

static cmo_leg draw_leg(wild *w, any_parameters *p) {
#define LEG_IF(NAME, name, figures, text)                                                          \
    case CMO_ROUTINE_##NAME:                                                                       \
        p->name = draw_##name(&w->dice);                                                           \
        return (cmo_leg){CMO_LEG(name, &p->name)};
    switch (CMO_ROUTINE_ADVANCE + dice_pick(&w->dice, CMO_ROUTINES - CMO_ROUTINE_ADVANCE)) {
        CMO_EACH_LEG(LEG_IF)
    default:
        p->action = (cmo_action_parameters){act, w, some_ms(&w->dice)};
        return (cmo_leg){CMO_LEG(action, &p->action)};
    }
}

static cmo_follow draw_rule(dice *d) {
    return (cmo_follow){.on =
                            (uint8_t)(dice_chance(d, 0.5)
                                          ? (dice_chance(d, 0.5) ? CMO_ON_OTHER : CMO_OUTCOME_DONE)
                                          : 1 + dice_pick(d, 63 + CMO_BYS)),
                        .next = (uint8_t)dice_pick(d, CMO_NEXTS + (dice_chance(d, 0.05) ? 1U : 0U)),
                        .leg = (uint8_t)dice_pick(d, LEGS),
                        .times = (uint8_t)dice_pick(d, 3)};
}

// A route of such legs; much of it makes no sense, and is refused whole.
static void drive_route(wild *w, cmo_robot *robot) {
    static any_parameters parameters[LEGS];
    static cmo_ends ends[LEGS + 1];
    static cmo_follow rules[LEGS][2];
    static cmo_leg legs[LEGS];
    static any_state room;
    static cmo_route_state state;
    dice *d = &w->dice;
    uint8_t count = (uint8_t)(1 + dice_pick(d, LEGS));
    for (uint8_t i = 0; i < count; i++) {
        legs[i] = draw_leg(w, &parameters[i]);
        ends[i] = draw_ends(d);
        legs[i].ends = dice_chance(d, 0.3) ? &ends[i] : NULL;
        rules[i][0] = draw_rule(d);
        rules[i][1] = draw_rule(d);
        legs[i].rules = (uint8_t)(dice_chance(d, 0.5) ? dice_pick(d, 3) : 0);
        legs[i].follow = rules[i];
    }
    ends[LEGS] = (cmo_ends){.for_ms = some_ms(d)};
    const cmo_group group = {.first = (uint8_t)dice_pick(d, 2),
                             .last = (uint8_t)dice_pick(d, count),
                             .rounds = (uint8_t)dice_pick(d, 3),
                             .ends = dice_chance(d, 0.5) ? &ends[LEGS] : NULL};
    const cmo_route_parameters route = {.leg = legs,
                                        .legs = count,
                                        CMO_ROOM(room),
                                        .group = &group,
                                        .groups = dice_chance(d, 0.3) ? 1 : 0};
    memset(&room, 0xA5, sizeof room);
    unsigned drives = w->drives;
    cmo_outcome outcome = cmo_route_start(robot, &state, &route);
    if (w->drives != drives) {
        wild_complain(w, "a drive before a route's first tick");
    }
    if (outcome != CMO_RUNNING) {
        if (robot->field == NULL || robot->routine != NULL) {
            wild_complain(w, "a route that is refused and names no field");
        }
        return;
    }
    tick_to_end(w, robot, &room, CMO_ROUTINE_NONE);
    if (robot->overseer != NULL) {
        wild_complain(w, "a route that is over and still watches");
    }
    const any_state still = {0}; // whatever its last leg was asked, nothing moves behind a route
    check_end(w, robot, &still, &(cmo_ends){0});
}

// Whatever has been, a robot in good health does what it is asked.
static void check_health(wild *w, cmo_robot *robot) {
    wild_heal(w);
    for (int i = 0; i < 3; i++) { // an abort that came too late, and a jump, end one routine each
        cmo_outcome outcome = cmo_action(robot, &(cmo_action_parameters){.function = at_once});
        wild_go(w, dice_pick(&w->dice, 6000000));
        if (outcome == CMO_OUTCOME_DONE) {
            break;
        }
    }
    cmo_outcome outcome = CMO_RUNNING;
    for (int i = 0; i < 2 && outcome != CMO_OUTCOME_DONE;
         i++) { // a coarse encoder may seem to roll
        outcome = cmo_advance(robot, &(cmo_advance_parameters){.distance_mm = 100.0F});
    }
    if (outcome != CMO_OUTCOME_DONE) {
        static char text[80];
        snprintf(text, sizeof text, "a healthy robot does not advance: %s %s",
                 cmo_outcome_name(outcome), robot->field != NULL ? robot->field : "");
        wild_complain(w, text);
    } else if (!w->last_is_halt || !w->last_halt_ok) {
        wild_complain(w, "a healthy robot that is not halted");
    }
    check_report(w, robot);
}

#if CMO_SURFACES_MAX > 0
// Floor and line among them, as they are read, and others as they come.
static void draw_surfaces(wild *w, cmo_surfaces *surfaces) {
    cmo_surfaces_clear(surfaces);
    surfaces->count = (uint8_t)dice_pick(&w->dice, 4);
    for (uint8_t i = 0; i < surfaces->count; i++) {
        for (uint8_t n = 0; n < CMO_LIGHTS_MAX; n++) {
            unsigned counts = i == 0 ? 600 : i == 1 ? 100 : dice_pick(&w->dice, 700);
            surfaces->shade[i][n] =
                (cmo_shade){(uint16_t)counts,
                            {(uint16_t)counts, (uint16_t)(counts / 2), (uint16_t)(counts / 3)},
                            (uint16_t)dice_pick(&w->dice, 20)};
        }
    }
}
#endif

static const char *run(dice given, uint32_t patience) {
    static wild w;
    static any_state state;
    memset(&w, 0, sizeof w);
    w.dice = given;
    w.patience = patience;
    wild_draw_description(&w);
    wild_draw_port(&w);
    cmo_robot robot;
    if (cmo_robot_start(&robot, &w.description, &w.port) != CMO_OUTCOME_DONE) {
        return "a robot that makes sense is refused";
    }
    cmo_levels levels = {100, 600, (uint16_t)(dice_chance(&w.dice, 0.3) ? 20 : 0xFFFF), 5, 0, 0};
    for (uint8_t i = 0; i < w.description.lights; i++) {
        cmo_robot_set_levels(&robot, i, &levels);
    }
#if CMO_SURFACES_MAX > 0
    static cmo_surfaces surfaces;
    draw_surfaces(&w, &surfaces);
    if (dice_chance(&w.dice, 0.5) &&
        cmo_robot_set_surfaces(&robot, &surfaces) != CMO_OUTCOME_DONE) {
        return "surfaces that make sense are refused";
    }
#endif
    unsigned routines = 1 + dice_pick(&w.dice, 3);
    for (unsigned i = 0; i < routines && w.wrong == NULL; i++) {
        unsigned kind =
            CMO_ROUTINE_ADVANCE + dice_pick(&w.dice, CMO_ROUTINES - CMO_ROUTINE_ADVANCE);
        if (dice_chance(&w.dice, 0.25)) {
            drive_route(&w, &robot);
        } else {
            drive_routine(&w, &robot, &state, kind);
        }
        wild_go(&w, dice_pick(&w.dice, 5000000));
    }
    check_health(&w, &robot);
    return w.wrong;
}

const char *wild_run(uint64_t seed) {
    return run((dice){.state = seed * 0x2545F4914F6CDD1DU}, 0);
}

const char *wild_run_bytes(const uint8_t *bytes, uint64_t count) {
    // Some wait an hour for a button, and a slow clock makes a thousand ticks of one.
    return run((dice){.bytes = bytes, .left = count}, 20000);
}
