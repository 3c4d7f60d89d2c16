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
#define DRAW_PLACE(d, name, usual, meaning)

#define START_OF(NAME, name, figures, text)                                                        \
    static cmo_outcome start_##name(cmo_robot *robot, any_state *s, dice *d) {                     \
        cmo_##name##_parameters p;                                                                 \
        memset(&p, 0, sizeof p);                                                                   \
        CMO_##NAME##_PARAMETERS(DRAW, d) return cmo_##name##_start(robot, &s->name, &p);           \
    }
CMO_EACH_LEG(START_OF)

static cmo_outcome start_any(cmo_robot *robot, any_state *s, wild *w, unsigned routine) {
#define START_IF(NAME, name, figures, text)                                                        \
    case CMO_ROUTINE_##NAME:                                                                       \
        return start_##name(robot, s, &w->dice);
    switch (routine) {
        CMO_EACH_LEG(START_IF)
    default: {
        cmo_action_parameters p = {act, w, some_ms(&w->dice)};
        return cmo_action_start(robot, &s->action, &p);
    }
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
static void check_end(wild *w, cmo_robot *robot, const any_state *state) {
    bool moving = robot->report.outcome == CMO_OUTCOME_DONE &&
                  ((robot->report.routine == CMO_ROUTINE_ADVANCE &&
                    state->advance.parameters.ending == CMO_END_MOVING) ||
                   (robot->report.routine == CMO_ROUTINE_DRIVE_UNTIL_LINE &&
                    state->drive_until_line.parameters.ending == CMO_END_MOVING));
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

static void drive_routine(wild *w, cmo_robot *robot, any_state *state, unsigned kind) {
    unsigned drives = w->drives;
    memset(state, 0xA5, sizeof *state);
    cmo_outcome outcome = start_any(robot, state, w, kind);
    if (w->drives != drives) {
        wild_complain(w, "a drive before the first tick");
    }
    if (outcome != CMO_RUNNING) {
        if (robot->field == NULL || robot->routine != NULL) {
            wild_complain(w, "a refusal that names no field");
        }
        return;
    }
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
    check_end(w, robot, state);
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

static const char *run(dice given) {
    static wild w;
    static any_state state;
    memset(&w, 0, sizeof w);
    w.dice = given;
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
    unsigned routines = 1 + dice_pick(&w.dice, 3);
    for (unsigned i = 0; i < routines && w.wrong == NULL; i++) {
        unsigned kind =
            CMO_ROUTINE_ADVANCE + dice_pick(&w.dice, CMO_ROUTINES - CMO_ROUTINE_ADVANCE);
        drive_routine(&w, &robot, &state, kind);
        wild_go(&w, dice_pick(&w.dice, 5000000));
    }
    check_health(&w, &robot);
    return w.wrong;
}

const char *wild_run(uint64_t seed) {
    return run((dice){.state = seed * 0x2545F4914F6CDD1DU});
}

const char *wild_run_bytes(const uint8_t *bytes, uint64_t count) {
    return run((dice){.bytes = bytes, .left = count});
}
