// SPDX-License-Identifier: GPL-3.0-or-later
#include "wild.h"

#include <cammino/cammino.h>

#include <math.h>
#include <stdio.h>
#include <string.h>

// -------------------------------------------------------------------------------------- chance --

typedef struct dice {
    uint64_t state;
    const uint8_t *bytes;
    uint64_t left;
} dice;

// SplitMix64, by Vigna; in the public domain. Or the next bytes that were given.
static uint64_t roll(dice *d) {
    if (d->left >= 2) {
        d->left -= 2;
        d->bytes += 2;
        d->state ^= (uint64_t)(d->bytes[-2] | d->bytes[-1] << 8);
    }
    uint64_t z = d->state += 0x9E3779B97F4A7C15U;
    z = (z ^ z >> 30) * 0xBF58476D1CE4E5B9U;
    z = (z ^ z >> 27) * 0x94D049BB133111EBU;
    return z ^ z >> 31;
}

static double unit(dice *d) {
    return (double)(roll(d) >> 11) / 9007199254740992.0;
}

static bool chance(dice *d, double share) {
    return unit(d) < share;
}

static unsigned pick(dice *d, unsigned count) {
    return (unsigned)(roll(d) % count);
}

static float between(dice *d, double low, double high) {
    return (float)(low + (high - low) * unit(d));
}

// A parameter: as a rule its default or one that makes sense, now and then one that does not.
static float number(dice *d, double low, double high) {
    static const float odd[] = {NAN,  INFINITY, -INFINITY, 1.4e-45F, -1e30F,
                                1e30, -1.0F,    1e-20F,    65536.0F};
    if (chance(d, 0.4)) {
        return 0.0F;
    }
    return chance(d, 0.01) ? odd[pick(d, sizeof odd / sizeof *odd)] : between(d, low, high);
}

// ---------------------------------------------------------------------------------------- port --

typedef struct wild {
    dice dice;
    cmo_port port;
    cmo_robot_description description;
    // how often each goes wrong
    double sample_not_yet, sample_fails, drive_not_yet, drive_fails, no_counts, no_looks, odd_looks;
    double counts_jump, clock_jumps, clock_back, clock_stands, odd_sample, buttons;
    unsigned halt_fails; // so many more calls
    cmo_status halt_failure;
    // the robot
    double x_mm, y_mm, heading_rad, left_mm, right_mm, left_mm_s, right_mm_s, left_set, right_set;
    double lag_ms;
    uint32_t offset[2]; // of the counts
    uint32_t clock_us, deadline_us, counts_us;
    bool boundary;
    uint8_t sequence[CMO_LIGHTS_MAX];
    // what the library asked for
    unsigned drives, halts, calls;
    bool last_is_halt, last_halt_ok;
    const char *wrong;
} wild;

static void complain(wild *w, const char *what) {
    if (w->wrong == NULL) {
        w->wrong = what;
    }
}

static void go(wild *w, uint32_t us) {
    for (uint32_t done = 0; done < us;) {
        uint32_t step = us - done < 5000 ? us - done : 5000;
        double s = step * 1e-6;
        if ((int32_t)(w->clock_us - w->deadline_us) >= 0) {
            w->left_set = w->right_set = 0.0;
        }
        double share = 1.0 - exp(-1000.0 * s / (w->lag_ms + 0.1));
        w->left_mm_s += share * (w->left_set - w->left_mm_s);
        w->right_mm_s += share * (w->right_set - w->right_mm_s);
        double way = 0.5 * (w->left_mm_s + w->right_mm_s) * s;
        w->left_mm += w->left_mm_s * s;
        w->right_mm += w->right_mm_s * s;
        w->heading_rad += (w->right_mm_s - w->left_mm_s) * s / (double)w->description.track_mm;
        w->x_mm += way * cos(w->heading_rad);
        w->y_mm += way * sin(w->heading_rad);
        w->clock_us += step;
        done += step;
    }
}

static uint32_t wild_clock(void *context) {
    wild *w = context;
    if (chance(&w->dice, w->clock_jumps)) {
        go(w, (uint32_t)(roll(&w->dice) % 300000U));
    }
    if (chance(&w->dice, w->clock_back)) {
        w->clock_us -= (uint32_t)roll(&w->dice) >> pick(&w->dice, 32);
    }
    return w->clock_us;
}

static void wild_wait(void *context, uint32_t until_us) {
    wild *w = context;
    uint32_t left = until_us - w->clock_us;
    if (!chance(&w->dice, w->clock_stands)) {
        go(w, left < 100000 ? left : 0);
    }
}

static double floor_at(const wild *w, double x_mm, double y_mm) {
    if (w->boundary) {
        return fabs(x_mm) > 400.0 || fabs(y_mm) > 350.0 ? 0.0 : 1.0;
    }
    double place = fmod(fabs(x_mm), 350.0);
    return place > 300.0 && place < 320.0 ? 0.0 : 1.0;
}

static void see(wild *w, cmo_sample *sample) {
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        const cmo_light_description *light = &w->description.light[i];
        cmo_light_input *input = &sample->light[i];
        double c = cos(w->heading_rad);
        double s = sin(w->heading_rad);
        double x = w->x_mm + (double)light->ahead_mm * c - (double)light->left_mm * s;
        double y = w->y_mm + (double)light->ahead_mm * s + (double)light->left_mm * c;
        input->looks = (uint8_t)(chance(&w->dice, w->no_looks) ? 0 : 1);
        if (chance(&w->dice, w->odd_looks)) {
            input->looks = (uint8_t)pick(&w->dice, 2 * CMO_LOOKS_MAX);
        }
        for (uint8_t n = 0; n < input->looks && n < CMO_LOOKS_MAX; n++) {
            double counts = 100.0 + 500.0 * floor_at(w, x, y) + 5.0 * unit(&w->dice);
            bool odd = chance(&w->dice, w->odd_looks);
            input->look[n].counts = (uint16_t)(odd ? roll(&w->dice) : (uint64_t)counts);
            input->look[n].time_us = odd ? (uint32_t)roll(&w->dice) : w->clock_us;
            input->look[n].sequence = odd ? (uint8_t)roll(&w->dice) : ++w->sequence[i];
        }
        if (chance(&w->dice, 0.2 * w->odd_looks)) {
            input->latched = true;
            input->latch = (cmo_latch){(uint32_t)roll(&w->dice), 0, 0, (uint8_t)roll(&w->dice),
                                       chance(&w->dice, 0.5)};
        }
    }
}

static cmo_status wild_sample(void *context, cmo_sample *sample) {
    wild *w = context;
    dice *d = &w->dice;
    w->calls++;
    if (chance(d, w->sample_fails)) {
        return CMO_FAILED;
    }
    if (!chance(d, w->no_counts)) {
        sample->have |= CMO_HAVE_ENCODERS;
        if (chance(d, w->counts_jump)) {
            w->offset[pick(d, 2)] += (uint32_t)roll(d) >> pick(d, 32);
        }
        double step = (double)w->description.left_step_mm;
        sample->encoders.time_us = w->clock_us;
        sample->encoders.left = (uint32_t)(int64_t)floor(w->left_mm / step) + w->offset[0];
        step = (double)w->description.right_step_mm;
        sample->encoders.right = (uint32_t)(int64_t)floor(w->right_mm / step) + w->offset[1];
    }
    see(w, sample);
    sample->have |= CMO_HAVE_BUTTONS | CMO_HAVE_TOUCH | CMO_HAVE_RANGE | CMO_HAVE_HEADING;
    sample->start = chance(d, 0.02);
    sample->stop = chance(d, w->buttons);
    sample->touch = (uint8_t)(chance(d, w->buttons) ? roll(d) : 0);
    sample->range_mm = between(d, 0, 3000);
    sample->heading_deg = (float)(w->heading_rad * 57.29577951308232);
    if (chance(d, w->odd_sample)) {
        sample->have = (uint16_t)roll(d);
        sample->range_mm = number(d, -10, 10);
        sample->heading_deg = chance(d, 0.5) ? NAN : number(d, -1e6, 1e6);
    }
    return chance(d, w->sample_not_yet) ? CMO_NOT_YET : CMO_OK;
}

static cmo_status wild_drive(void *context, float left, float right, uint32_t lifetime_us) {
    wild *w = context;
    float most =
        w->port.traits & CMO_TRAIT_SPEED ? CMO_COMMAND_MOST * w->description.top_speed_mm_s : 1.0F;
    w->calls++;
    w->drives++;
    w->last_is_halt = false;
    if (!isfinite(left) || !isfinite(right)) {
        complain(w, "a command that is no number");
    } else if (fabsf(left) > most || fabsf(right) > most) {
        complain(w, "a command beyond its bound");
    }
    if (lifetime_us == 0 || lifetime_us > 10000000) {
        complain(w, "a lifetime beyond its bounds");
    }
    if (chance(&w->dice, w->drive_fails)) {
        return CMO_FAILED;
    }
    if (chance(&w->dice, w->drive_not_yet)) {
        return CMO_NOT_YET;
    }
    double scale = w->port.traits & CMO_TRAIT_SPEED ? 1.0 : (double)w->description.full_duty_mm_s;
    w->left_set = (double)left * scale;
    w->right_set = (double)right * scale;
    w->deadline_us = w->clock_us + lifetime_us;
    return CMO_OK;
}

static cmo_status wild_halt(void *context, cmo_halt how) {
    static const uint16_t traits[] = {0, CMO_TRAIT_COAST, CMO_TRAIT_BRAKE, CMO_TRAIT_HOLD};
    wild *w = context;
    w->calls++;
    w->halts++;
    w->last_is_halt = true;
    w->last_halt_ok = w->halt_fails == 0;
    if (how < CMO_HALT_COAST || how > CMO_HALT_HOLD || !(w->port.traits & traits[how])) {
        complain(w, "a halt that the port does not have");
    }
    if (w->halt_fails > 0) {
        w->halt_fails--;
        return w->halt_failure;
    }
    w->left_set = w->right_set = 0.0;
    return CMO_OK;
}

// --------------------------------------------------------------------------------------- robot --

static void draw_description(wild *w) {
    dice *d = &w->dice;
    cmo_robot_description *r = &w->description;
    *r = (cmo_robot_description){
        .tick_us = 1000 + pick(d, 24001),
        .track_mm = between(d, 60, 200),
        .left_step_mm = between(d, 0.1, 2),
        .encoder_bits = (uint8_t)(chance(d, 0.3) ? 0 : 12 + pick(d, 21)),
        .gear_play_mm = chance(d, 0.5) ? 0.0F : between(d, 0, 2),
        .tyre_mm = chance(d, 0.5) ? 0.0F : between(d, 2, 20),
        .top_speed_mm_s = between(d, 100, 1000),
        .slowest_mm_s = chance(d, 0.3) ? 0.0F : between(d, 1, 40),
        .acceleration_mm_s2 = between(d, 500, 5000),
        .braking_mm_s2 = between(d, 500, 5000),
        .lag_ms = chance(d, 0.2) ? 0.0F : between(d, 0, 100),
        .full_duty_mm_s = between(d, 300, 1000),
        .dead_duty = chance(d, 0.5) ? 0.0F : between(d, 0, 0.3),
        .drift_most = chance(d, 0.5) ? 0.0F : between(d, 0, 0.2),
        .lights = (uint8_t)(chance(d, 0.2) ? pick(d, CMO_LIGHTS_MAX + 1) : CMO_LIGHTS_MAX),
    };
    r->right_step_mm = r->left_step_mm * between(d, 0.99, 1.01);
    r->lifetime_us = chance(d, 0.7) ? 0 : 2 * r->tick_us + pick(d, 200000);
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        r->light[i] = (cmo_light_description){
            .ahead_mm = i < 2 ? between(d, 50, 100) : between(d, -60, 60),
            .left_mm = (i % 2 == 0 ? 1.0F : -1.0F) * between(d, 15, 70),
            .spot_mm = chance(d, 0.2) ? 0.0F : between(d, 2, 10),
            .delay_us = pick(d, 20000),
            .interval_us = chance(d, 0.3) ? 0 : 1000 + pick(d, 20000),
            .counts_max = (uint16_t)(chance(d, 0.5) ? 0 : 1023),
        };
    }
}

static double seldom(dice *d, double share, double often) {
    return chance(d, share) ? often * unit(d) * unit(d) : 0.0;
}

static void draw_port(wild *w) {
    dice *d = &w->dice;
    uint16_t halts = (uint16_t)((1 + pick(d, 7)) * CMO_TRAIT_COAST);
    uint16_t others = (uint16_t)(roll(d) & (CMO_TRAIT_RANGE | CMO_TRAIT_TOUCH | CMO_TRAIT_START |
                                            CMO_TRAIT_STOP | CMO_TRAIT_LOOK_TIMES));
    w->port = (cmo_port){.context = w,
                         .traits = (uint16_t)(halts | others),
                         .clock = wild_clock,
                         .wait = wild_wait,
                         .sample = wild_sample,
                         .drive = wild_drive,
                         .halt = wild_halt};
    w->port.traits |= (uint16_t)(chance(d, 0.8) ? CMO_TRAIT_ENCODERS : 0);
    w->port.traits |= (uint16_t)(chance(d, 0.7) ? CMO_TRAIT_SPEED : 0);
    w->port.traits |= (uint16_t)(chance(d, 0.2) ? CMO_TRAIT_HEADING : 0);
    w->clock_us = (uint32_t)roll(d);
    w->lag_ms = (double)w->description.lag_ms * (0.5 + unit(d));
    w->boundary = chance(d, 0.4);
    w->sample_not_yet = seldom(d, 0.3, 1);
    w->sample_fails = seldom(d, 0.2, 0.05);
    w->drive_not_yet = chance(d, 0.05) ? 1.0 : seldom(d, 0.3, 1);
    w->drive_fails = seldom(d, 0.2, 0.05);
    w->no_counts = chance(d, 0.05) ? 1.0 : seldom(d, 0.3, 0.8);
    w->no_looks = chance(d, 0.05) ? 1.0 : seldom(d, 0.3, 0.8);
    w->odd_looks = seldom(d, 0.3, 1);
    w->counts_jump = seldom(d, 0.2, 0.1);
    w->clock_jumps = seldom(d, 0.2, 0.1);
    w->clock_back = seldom(d, 0.1, 0.1);
    w->clock_stands = chance(d, 0.03) ? 1.0 : seldom(d, 0.2, 0.9);
    w->odd_sample = seldom(d, 0.2, 0.5);
    w->buttons = seldom(d, 0.3, 0.02);
    w->halt_failure = chance(d, 0.5) ? CMO_FAILED : CMO_NOT_YET;
    w->halt_fails = chance(d, 0.2) ? pick(d, 30) : chance(d, 0.05) ? 1000000U : 0;
}

static void heal(wild *w) {
    w->sample_not_yet = w->sample_fails = w->drive_not_yet = w->drive_fails = 0.0;
    w->no_counts = w->no_looks = w->odd_looks = w->counts_jump = w->clock_jumps = 0.0;
    w->clock_back = w->clock_stands = w->odd_sample = w->buttons = 0.0;
    w->halt_fails = 0;
}

// ------------------------------------------------------------------------------------ routines --

#define STATE_OF(NAME, name, figures, text) cmo_##name##_state name;
typedef union any_state {
    CMO_EACH_ROUTINE(STATE_OF)
} any_state;

static bool act(cmo_robot *robot, void *context) {
    wild *w = context;
    if (chance(&w->dice, 0.02)) {
        cmo_halt_now(robot, CMO_HALT_DEFAULT);
    }
    return chance(&w->dice, 0.02);
}

static bool at_once(cmo_robot *robot, void *context) {
    (void)robot;
    (void)context;
    return true;
}

static uint32_t some_ms(dice *d) {
    return chance(d, 0.2) ? 0 : 1 + pick(d, 4000);
}

// Numbers within reach of a short run; now and then one that makes no sense.
static float within_reach(dice *d, double least, double most) {
    return number(d, fmax(least, -600.0), fmin(most, 600.0));
}

// A row of a routine's parameters, drawn.
#define DRAW(d, type, ...)                                DRAW_##type(d, __VA_ARGS__)
#define DRAW_NUMBER(d, name, least, most, usual, meaning) p.name = within_reach(d, least, most);
#define DRAW_OTHERWISE                                    DRAW_NUMBER
#define DRAW_SIGNED(d, name, least, most, usual, meaning) p.name = within_reach(d, -(most), most);
#define DRAW_SPEED(d, name, usual, meaning)               p.name = number(d, 20, 400);
#define DRAW_RATE(d, name, usual, meaning)                p.name = chance(d, 0.5) ? 0.0F : number(d, 100, 5000);
#define DRAW_WIDTH(d, name, least, most, usual, meaning)  p.name = number(d, 5, 20);
#define DRAW_WHOLE(d, of, name, least, most, usual, meaning)                                       \
    p.name = (of)pick(d, (unsigned)fmin(most, 20) + (chance(d, 0.1) ? 3U : 1U));
#define DRAW_COUNT(d, of, name, least, most, usual, meaning)                                       \
    p.name = (of)(chance(d, 0.3) ? pick(d, 5) : 0);
#define DRAW_FLAG(d, name, meaning) p.name = chance(d, 0.8);
#define DRAW_CHOICE(d, of, name, first, last, words, usual, meaning)                               \
    p.name = (of)(chance(d, 0.2) ? 0U                                                              \
                                 : (unsigned)(first) +                                             \
                                       pick(d, (last) - (first) + (chance(d, 0.05) ? 9U : 1U)));
#define DRAW_BITS(d, name, words, usual, meaning)     p.name = (uint8_t)(chance(d, 0.2) ? 7 : 0);
#define DRAW_HALT(d, name, meaning)                   p.name = (cmo_halt)(chance(d, 0.8) ? 0 : pick(d, 5));
#define DRAW_TIME(d, name, file_name, usual, meaning) p.name = chance(d, 0.1) ? 0 : some_ms(d) + 1;
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
            complain(w, "a figure that is no number");
        }
    }
    const cmo_pose *pose = &robot->odometer.pose;
    if (!isfinite(pose->x_mm) || !isfinite(pose->y_mm) || !isfinite(pose->heading_rad)) {
        complain(w, "a pose that is no number");
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
            complain(w, "motors that may run, and nobody says so");
        }
        unsigned halts = w->halts;
        unsigned drives = w->drives;
        cmo_wait(robot);
        cmo_tick(robot);
        if (w->drives != drives) {
            complain(w, "a drive after the end");
        }
        if (!halted && w->halts != halts + 1) {
            complain(w, "a halt that is not repeated");
        }
    }
}

static void drive_routine(wild *w, cmo_robot *robot, any_state *state, unsigned kind) {
    unsigned drives = w->drives;
    memset(state, 0xA5, sizeof *state);
    cmo_outcome outcome = start_any(robot, state, w, kind);
    if (w->drives != drives) {
        complain(w, "a drive before the first tick");
    }
    if (outcome != CMO_RUNNING) {
        if (robot->field == NULL || robot->routine != NULL) {
            complain(w, "a refusal that names no field");
        }
        return;
    }
    uint32_t ticks = 0;
    double abort_at = chance(&w->dice, 0.2) ? 500.0 * unit(&w->dice) : -1.0;
    // The slowest clock that is not a broken one passes a tick in a thousand.
    uint32_t most = 30000000U;
    do {
        cmo_wait(robot);
        if ((double)ticks == floor(abort_at)) {
            if (kind == CMO_ROUTINE_STAY_INSIDE && chance(&w->dice, 0.5)) {
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
            complain(w, "a routine that goes on beyond its time");
        }
        ticks++;
    } while (outcome == CMO_RUNNING && ticks < most && w->wrong == NULL);
    if (outcome == CMO_RUNNING) {
        complain(w, "a routine without an end");
    }
    check_end(w, robot, state);
}

// Whatever has been, a robot in good health does what it is asked.
static void check_health(wild *w, cmo_robot *robot) {
    heal(w);
    for (int i = 0; i < 3; i++) { // an abort that came too late, and a jump, end one routine each
        cmo_outcome outcome = cmo_action(robot, &(cmo_action_parameters){.function = at_once});
        go(w, pick(&w->dice, 6000000));
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
        complain(w, text);
    } else if (!w->last_is_halt || !w->last_halt_ok) {
        complain(w, "a healthy robot that is not halted");
    }
    check_report(w, robot);
}

static const char *run(dice given) {
    static wild w;
    static any_state state;
    memset(&w, 0, sizeof w);
    w.dice = given;
    draw_description(&w);
    draw_port(&w);
    cmo_robot robot;
    if (cmo_robot_start(&robot, &w.description, &w.port) != CMO_OUTCOME_DONE) {
        return "a robot that makes sense is refused";
    }
    cmo_levels levels = {100, 600, (uint16_t)(chance(&w.dice, 0.3) ? 20 : 0xFFFF), 5, 0, 0};
    for (uint8_t i = 0; i < w.description.lights; i++) {
        cmo_robot_set_levels(&robot, i, &levels);
    }
    unsigned routines = 1 + pick(&w.dice, 3);
    for (unsigned i = 0; i < routines && w.wrong == NULL; i++) {
        unsigned kind = CMO_ROUTINE_ADVANCE + pick(&w.dice, CMO_ROUTINES - CMO_ROUTINE_ADVANCE);
        drive_routine(&w, &robot, &state, kind);
        go(&w, pick(&w.dice, 5000000));
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
