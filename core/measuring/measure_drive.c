// SPDX-License-Identifier: MIT
// How wheels answer what they are told: the least that turns them, and changes of speed.
#include <cammino/measure_drive.h>

#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "drive_fit.h"

#include <math.h>
#include <string.h>

// ------------------------------------------------------------------------------------ the least --

// Both directions; the passes follow.
enum { AHEAD, BACK, PASSES };

#define HOLD_US   120000U
#define STEP_MM_S 2.5F
#define BOTH      3U
// A wheel turns if it goes a quarter of what is asked: a regulator may take its time.
#define TURN_SHARE 0.25F

// As the encoders have counted it, without what the observer thinks beyond that: it goes by the lag
// that is to be measured here.
static float way_of(const cmo_robot *robot, uint8_t wheel) {
    return wheel == 0 ? robot->odometer.left_mm - robot->left.within_mm
                      : robot->odometer.right_mm - robot->right.within_mm;
}

static float step_mm(const cmo_robot *robot) {
    return fmaxf(robot->description->left_step_mm, robot->description->right_step_mm);
}

// From here on ways and time of a phase are counted.
static void mark(const cmo_robot *robot, cmo_measure_drive_state *state) {
    state->since_us = 0;
    state->start_mm[0] = way_of(robot, 0);
    state->start_mm[1] = way_of(robot, 1);
}

static void drive_both(cmo_robot *robot, float mm_s) {
    cmi_drive(robot, mm_s, mm_s);
}

// Long enough for a coarse encoder to count once at what is asked.
static uint32_t hold_us(const cmo_robot *robot, float mm_s) {
    float counts = 1.5e6F * step_mm(robot) / fmaxf(mm_s, 1.0F);
    return counts > (float)HOLD_US ? (uint32_t)counts : HOLD_US;
}

// The least commands in one direction, from nothing on.
static void begin_slow(cmo_robot *robot, cmo_measure_drive_state *state) {
    state->command_mm_s = STEP_MM_S;
    state->turning = 0;
    state->lowers = false;
    state->rests = false;
    mark(robot, state);
    cmi_enter(robot, CMO_STAGE_CREEP);
}

// A wheel has turned if it has gone a good part of what was asked, and at least once past a count.
static bool has_turned(const cmo_robot *robot, const cmo_measure_drive_state *state,
                       uint8_t wheel) {
    float sign = state->phase == BACK ? -1.0F : 1.0F;
    float way = sign * (way_of(robot, wheel) - state->start_mm[wheel]);
    float asked = state->command_mm_s * (float)state->since_us * 1e-6F;
    return way >= fmaxf(TURN_SHARE * asked, 0.9F * step_mm(robot));
}

// From rest a little faster each time, until both wheels turn; then slower and slower, until both
// stand. True: that is done.
static bool creep(cmo_robot *robot, cmo_measure_drive_state *state) {
    state->since_us += robot->dt_us;
    if (state->since_us < (state->rests ? HOLD_US : hold_us(robot, state->command_mm_s))) {
        return false;
    }
    if (state->rests) { // what a regulator had summed up for the last command is gone
        state->rests = false;
        mark(robot, state);
        return false;
    }
    cmo_drive *drive = &state->drive;
    float *starts = state->phase == BACK ? drive->back_mm_s : drive->ahead_mm_s;
    for (uint8_t wheel = 0; wheel < 2; wheel++) {
        uint8_t bit = (uint8_t)(1U << wheel);
        bool turned = has_turned(robot, state, wheel);
        if (!state->lowers && turned && !(state->turning & bit)) {
            state->turning |= bit;
            starts[wheel] = state->command_mm_s;
        } else if (state->lowers && !turned && state->turning & bit) {
            state->turning &= (uint8_t)~bit;
            drive->keeps_mm_s[wheel] =
                fmaxf(drive->keeps_mm_s[wheel], state->command_mm_s + STEP_MM_S);
        }
    }
    state->lowers = state->lowers || state->turning == BOTH;
    if (!state->lowers && state->command_mm_s >= robot->description->top_speed_mm_s / 3.0F) {
        cmi_end(robot, CMO_OUTCOME_STALLED);
        return false;
    }
    state->command_mm_s += state->lowers ? -STEP_MM_S : STEP_MM_S;
    state->rests = !state->lowers;
    mark(robot, state);
    return state->lowers && (state->turning == 0 || state->command_mm_s < 0.5F * STEP_MM_S);
}

// -------------------------------------------------------------------------------- speed changes --

// What a pass goes through. At each even speed it waits until that is reached, then measures it.
enum { LOW, LOW_EVEN, HIGH, HIGH_EVEN, LOW_AGAIN, LOW_AGAIN_EVEN, STOP };

#define HEIGHTS     3U
#define EVEN_US     200000U
#define STANDING_US 1500000U // a regulator may hum for ever

// Passes go to and fro, so that the floor that it takes stays short.
static float sign_of(const cmo_measure_drive_state *state) {
    return state->pass % 2U == 0 ? 1.0F : -1.0F;
}

// Each pass goes up to one of three heights, the lowest first.
static float asked_in(const cmo_measure_drive_state *state) {
    float high = (float)(state->pass / 2U % HEIGHTS + 1U) * state->step_mm_s;
    bool is_high = state->phase == HIGH || state->phase == HIGH_EVEN;
    return state->phase == STOP ? 0.0F : state->low_mm_s + (is_high ? high : 0.0F);
}

// A change has been answered: what the wheels have not driven meanwhile of the speed that they have
// now, over the speed gained. Errors are ways, so its weight is the square of that.
static void take_answer(cmo_measure_drive_state *state, const float now_mm_s[2]) {
    float trail_s[2];
    float gained = 0.0F;
    for (uint8_t wheel = 0; wheel < 2; wheel++) {
        float change = now_mm_s[wheel] - state->before_mm_s[wheel];
        if (fabsf(change) < 0.5F * state->step_mm_s) {
            return; // held back by something
        }
        trail_s[wheel] = (now_mm_s[wheel] * state->gone_s - state->gone_mm[wheel]) / change;
        gained += 0.5F * fabsf(change);
    }
    cmi_drive_fit_add(&state->fit, gained, trail_s);
}

// A speed that is even now, over a while.
static void take_even(const cmo_robot *robot, cmo_measure_drive_state *state) {
    float seconds = (float)state->since_us * 1e-6F;
    float now_mm_s[2];
    for (uint8_t wheel = 0; wheel < 2; wheel++) {
        float way = sign_of(state) * (way_of(robot, wheel) - state->start_mm[wheel]);
        now_mm_s[wheel] = way / seconds;
        state->commanded_mm[wheel] += asked_in(state) * seconds;
        state->driven_mm[wheel] += way;
    }
    if (state->phase != LOW_EVEN) {
        take_answer(state, now_mm_s);
    }
    memcpy(state->before_mm_s, now_mm_s, sizeof now_mm_s);
}

// True: the pass is at its end.
static bool next_phase(const cmo_robot *robot, cmo_measure_drive_state *state) {
    if (state->phase == STOP) {
        return cmi_stands(robot) || state->since_us >= STANDING_US;
    }
    bool even = state->phase % 2U != 0;
    if (state->since_us < (even ? EVEN_US : state->settle_us)) {
        return false;
    }
    if (even) {
        take_even(robot, state);
    } else {
        for (uint8_t wheel = 0; wheel < 2; wheel++) {
            state->gone_mm[wheel] =
                sign_of(state) * (way_of(robot, wheel) - state->start_mm[wheel]);
        }
        state->gone_s = (float)state->since_us * 1e-6F;
    }
    state->phase++;
    mark(robot, state);
    return false;
}

// True: all passes have been driven.
static bool drive_passes(cmo_robot *robot, cmo_measure_drive_state *state) {
    state->since_us += robot->dt_us;
    if (next_phase(robot, state)) {
        state->pass++;
        state->phase = LOW;
        mark(robot, state);
    }
    return state->pass == 2U * HEIGHTS * state->parameters.rounds;
}

// ---------------------------------------------------------------------------------------- steps --

// False: hardly a change of speed was answered.
static bool conclude(cmo_measure_drive_state *state) {
    cmo_drive *drive = &state->drive;
    if (!cmi_drive_fit_solve(&state->fit, drive)) {
        return false;
    }
    for (uint8_t wheel = 0; wheel < 2; wheel++) {
        drive->ratio[wheel] = state->driven_mm[wheel] / fmaxf(state->commanded_mm[wheel], 1.0F);
    }
    return true;
}

// Ahead, then back; then it comes to rest, and the passes begin.
static void slow_step(cmo_robot *robot, cmo_measure_drive_state *state) {
    if (creep(robot, state)) {
        state->phase++;
        if (state->phase == BACK) {
            begin_slow(robot, state);
        } else {
            state->phase = STOP; // of no pass: it comes to rest first
            state->pass = UINT8_MAX;
            cmi_enter(robot, CMO_STAGE_MOVE);
        }
    }
    if (robot->routine != NULL) {
        float sign = state->phase == BACK ? -1.0F : 1.0F;
        bool creeps = robot->stage == CMO_STAGE_CREEP && !state->rests;
        drive_both(robot, creeps ? sign * fmaxf(state->command_mm_s, 0.0F) : 0.0F);
    }
}

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_measure_drive_state *state = (cmo_measure_drive_state *)routine;
    switch (robot->stage) {
    case CMO_STAGE_IDLE:
        state->phase = AHEAD;
        begin_slow(robot, state);
        drive_both(robot, state->command_mm_s);
        return;
    case CMO_STAGE_CREEP:
        slow_step(robot, state);
        return;
    case CMO_STAGE_MOVE:
        if (!drive_passes(robot, state)) {
            drive_both(robot, sign_of(state) * asked_in(state));
            return;
        }
        if (!conclude(state)) {
            cmi_end(robot, CMO_OUTCOME_STALLED);
            return;
        }
        cmi_halt(robot, CMO_HALT_DEFAULT);
        return;
    default:
        if (cmi_stands(robot)) {
            cmi_end(robot, CMO_OUTCOME_DONE);
        }
    }
}

static const cmi_row rows[] CMO_FLASH = {
    CMO_MEASURE_DRIVE_PARAMETERS(CMI_ROW, cmo_measure_drive_parameters)};

static cmo_outcome check(cmo_robot *robot, cmo_measure_drive_parameters *p) {
    const cmo_robot_description *d = robot->description;
    if (!(robot->port->traits & CMO_TRAIT_ENCODERS)) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "encoders", NAN);
    }
    if (d->top_speed_mm_s < 60.0F) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "top_speed_mm_s", 60.0F);
    }
    cmi_usual_speed(robot, &p->fast_mm_s, fminf(380.0F, 0.9F * d->top_speed_mm_s));
    if (!(p->fast_mm_s >= 40.0F)) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "fast_mm_s", 40.0F);
    }
    return cmi_check_parameters(robot, rows, CMI_ROWS(rows), p);
}

cmo_outcome cmo_measure_drive_start(cmo_robot *robot, cmo_measure_drive_state *state,
                                    const cmo_measure_drive_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    memset(state, 0, sizeof *state);
    state->parameters = *parameters;
    cmo_measure_drive_parameters *p = &state->parameters;
    cmo_outcome outcome = check(robot, p);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    const cmo_robot_description *d = robot->description;
    state->low_mm_s =
        fminf(fmaxf(2.0F * d->slowest_mm_s, 0.2F * p->fast_mm_s), 0.5F * p->fast_mm_s);
    state->step_mm_s = (p->fast_mm_s - state->low_mm_s) / (float)HEIGHTS;
    // Four lags, but no longer than that the floor suffices.
    state->settle_us = (uint32_t)fminf(fmaxf(4000.0F * d->lag_ms, 300000.0F), 650000.0F);
    p->longest_ms = p->longest_ms != 0 ? p->longest_ms : UINT32_C(30000) * (p->rounds + 1U);
    cmi_begin(robot, &state->routine, step, CMO_ROUTINE_MEASURE_DRIVE, p->longest_ms);
    return CMO_RUNNING;
}

cmo_outcome cmo_measure_drive(cmo_robot *robot, cmo_measure_drive_state *state,
                              const cmo_measure_drive_parameters *parameters) {
    cmo_outcome outcome = cmo_measure_drive_start(robot, state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
