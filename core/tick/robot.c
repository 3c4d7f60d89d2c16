// SPDX-License-Identifier: MIT
// The robot and its tick: sample, odometry and light, the routine's step, drive, trace.
#include <cammino/robot.h>

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "lead.h"
#include "light_input.h"
#include "odometer.h"
#include "wheel.h"

#include <math.h>
#include <string.h>

// Ticks for which a clock may stand still before it is taken for broken.
#define STUCK_TICKS 1000U

cmo_outcome cmo_robot_start(cmo_robot *robot, const cmo_robot_description *description,
                            const cmo_port *port) {
    memset(robot, 0, sizeof *robot);
    robot->limit = NAN;
    robot->description = description;
    robot->report.outcome = CMO_OUTCOME_DONE;
    robot->report.sensor = -1;
    robot->halt_done = true;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        robot->light[i].levels =
            (cmo_levels){CMO_LEVEL_UNKNOWN, CMO_LEVEL_UNKNOWN, CMO_LEVEL_UNKNOWN, 0, 0, 0};
    }
    if (port == NULL || port->clock == NULL || port->sample == NULL || port->drive == NULL ||
        port->halt == NULL) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "port", NAN);
    }
    if (!(port->traits & (CMO_TRAIT_COAST | CMO_TRAIT_BRAKE | CMO_TRAIT_HOLD))) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "halt", NAN);
    }
    if (description == NULL || !cmi_check_description(robot, description, port->traits)) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER,
                          description == NULL ? "description" : robot->field, robot->limit);
    }
    robot->port = port;
    robot->lifetime_us = cmi_age_limit(description->lifetime_us, 5 * description->tick_us, 50000);
    return CMO_OUTCOME_DONE;
}

cmo_outcome cmo_robot_set_levels(cmo_robot *robot, uint8_t sensor, const cmo_levels *levels) {
    if (robot->port == NULL) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "robot", NAN);
    }
    if (sensor >= robot->description->lights) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "sensor", NAN);
    }
    if (!cmo_levels_usable(levels)) {
        return cmi_refuse(robot, CMO_OUTCOME_LOW_CONTRAST, "levels", NAN);
    }
    robot->light[sensor].levels = *levels;
#if CMO_WATCH_LIGHT
    robot->light[sensor].dark_drift = robot->light[sensor].light_drift = 0;
    robot->light[sensor].misfits = 0;
#endif
    robot->light[sensor].unfit = false;
    return CMO_OUTCOME_DONE;
}

void cmo_robot_set_pose(cmo_robot *robot, float x_mm, float y_mm, float heading_deg) {
    robot->odometer.pose.x_mm = x_mm;
    robot->odometer.pose.y_mm = y_mm;
#if CMO_LAST_LINE
    robot->last_line.known = false; // it was somewhere else
#endif
    if (robot->port != NULL) {
        cmi_odometer_set_heading(&robot->odometer, robot->description, cmi_radians(heading_deg));
    }
}

void cmo_robot_set_run_limit(cmo_robot *robot, uint32_t ms) {
    robot->run_limit_ms = ms;
}

float cmo_way_mm(const cmo_robot *robot) {
    return 0.5F * (robot->odometer.left_mm + robot->odometer.right_mm);
}

float cmo_turned_rad(const cmo_robot *robot) {
    return (robot->odometer.right_mm - robot->odometer.left_mm) / robot->description->track_mm;
}

float cmo_speed_mm_s(const cmo_robot *robot) {
    return 0.5F * (robot->left.speed_mm_s + robot->right.speed_mm_s);
}

// ---------------------------------------------------------------------------------- the tick --

// Milliseconds, for days; the part of one that is carried over.
static void add_time(uint32_t *ms, uint16_t *us, uint32_t whole_ms, uint16_t part_us) {
    uint16_t part = (uint16_t)(*us + part_us);
    bool carry = part >= 1000;
    *ms += whole_ms + (carry ? 1U : 0U);
    *us = (uint16_t)(carry ? part - 1000U : part);
}

static void keep_time(cmo_robot *robot) {
    uint32_t now = robot->port->clock(robot->port->context);
    robot->dt_us = robot->ticked ? now - robot->clock_us : 0;
    bool stands = robot->ticked && robot->dt_us == 0;
    robot->stuck = (uint16_t)(stands ? robot->stuck + (robot->stuck <= STUCK_TICKS ? 1U : 0U) : 0U);
    robot->clock_us = now;
    robot->ticked = true;
    uint32_t whole_ms = robot->dt_us / 1000;
    uint16_t part_us = (uint16_t)(robot->dt_us - 1000 * whole_ms);
    add_time(&robot->run_ms, &robot->run_us, whole_ms, part_us);
    if (robot->first_tick) {
        return; // the time before the routine is not the routine's
    }
    add_time(&robot->elapsed_ms, &robot->elapsed_us, whole_ms, part_us);
    if (robot->routine != NULL && robot->dt_us > robot->description->tick_us) {
        cmi_raise_figure(robot, CMO_TICK_LATE_US,
                         (float)(robot->dt_us - robot->description->tick_us));
    }
}

static void watch_standstill(cmo_robot *robot) {
    float left = robot->odometer.left_mm - robot->still_left_mm;
    float right = robot->odometer.right_mm - robot->still_right_mm;
    bool counted = robot->port->traits & CMO_TRAIT_ENCODERS;
    float step =
        counted ? fmaxf(robot->description->left_step_mm, robot->description->right_step_mm) * 1.01F
                : 0.05F;
    if (fabsf(left) > step || fabsf(right) > step) {
        robot->still_left_mm = robot->odometer.left_mm;
        robot->still_right_mm = robot->odometer.right_mm;
        robot->still_us = 0;
    } else {
        robot->still_us = cmi_add_us(robot->still_us, robot->dt_us);
    }
    // Stalled: asked for well more than the slowest speed, and not one step comes of it.
    float asked = fmaxf(fabsf(robot->left.command_mm_s), fabsf(robot->right.command_mm_s));
    float slow = 2.0F * robot->description->slowest_mm_s + 10.0F;
    bool stalled = counted && robot->halt == 0 && asked > slow && robot->still_us > robot->dt_us;
#if CMO_SLIDING
    // Asked for more and more, wheels may be driven to and fro about their place, a step either
    // way: they push nothing.
    uint8_t back = signbit(robot->left.command_mm_s) ? 1 : 0;
    back |= signbit(robot->right.command_mm_s) ? 2 : 0;
    stalled = stalled && back == robot->asked_back;
    robot->asked_back = back;
#endif
    robot->stall_us = stalled ? robot->stall_us + robot->dt_us : 0;
}

// A pause, longer than a command lives: the port has halted by itself, and the wheel stands.
// Returns the way until it did.
static float stand(cmo_wheel *wheel, const cmo_robot *robot) {
    float on_us = wheel->command_mm_s != 0.0F ? (float)robot->lifetime_us : 0.0F;
    float way = wheel->speed_mm_s * (on_us * 1e-6F + robot->description->lag_ms * 1e-3F);
    wheel->within_mm += way;
    wheel->command_mm_s = wheel->speed_mm_s = wheel->expected_mm_s = 0.0F;
    wheel->behind_mm = wheel->gained_mm_s = 0.0F;
    return way;
}

// The lag with which wheels answer now. Coasting, the motors do not hold against them: friction
// alone ends the motion. With counts, what nobody has
// driven in the tick before may be pushed by hand.
static float lag_now_s(const cmo_robot *robot) {
    float lag_s = robot->description->lag_ms * 1e-3F;
    bool counted = robot->port->traits & CMO_TRAIT_ENCODERS;
    if (counted && robot->halt == 0 && !robot->driving) {
        return INFINITY;
    }
    return robot->halt == CMO_HALT_COAST ? 6.0F * lag_s : lag_s;
}

// False: the counts jumped.
static bool take_wheels(cmo_robot *robot, const cmo_sample *sample) {
    const cmo_robot_description *description = robot->description;
    float dt_s = (float)robot->dt_us * 1e-6F;
    float left = 0.0F;
    float right = 0.0F;
    if (robot->dt_us > robot->lifetime_us) {
        left = stand(&robot->left, robot);
        right = stand(&robot->right, robot);
    }
    bool encoders = robot->port->traits & CMO_TRAIT_ENCODERS;
    bool fresh = encoders && sample->have & CMO_HAVE_ENCODERS;
    cmi_counted counted[2];
    if (encoders) {
        robot->encoder_age_us =
            fresh || robot->first_tick ? 0 : cmi_add_us(robot->encoder_age_us, robot->dt_us);
        uint32_t span = cmi_add_us(robot->encoder_age_us, robot->dt_us);
        if (fresh && !cmi_odometer_counts(&robot->odometer, description, sample,
                                          span < 100000 ? 100000 : span, counted)) {
            return false;
        }
    }
    float lag_s = lag_now_s(robot);
    left += cmi_wheel_observe(&robot->left, description, fresh ? &counted[0] : NULL, dt_s, lag_s);
    right += cmi_wheel_observe(&robot->right, description, fresh ? &counted[1] : NULL, dt_s, lag_s);
    if (fresh || !encoders || robot->odometer.started) {
        cmi_odometer_go(&robot->odometer, description, sample, left, right,
                        fresh ? sample->encoders.time_us : robot->clock_us);
    }
    if (encoders) {
        cmi_lead_learn(robot, dt_s);
    }
    watch_standstill(robot);
    robot->command_age_us = cmi_add_us(robot->command_age_us, robot->dt_us);
    if (robot->command_age_us > robot->lifetime_us) { // the port has halted by itself
        robot->left.command_mm_s = robot->right.command_mm_s = 0.0F;
    }
    return true;
}

static cmo_outcome find_fault(cmo_robot *robot, cmo_status status, bool wheels) {
    const cmo_robot_description *description = robot->description;
    bool aborted = robot->abort;
    if (aborted) { // not unless it was: an interrupt may ask for one now
        robot->abort = false;
    }
    if (status == CMO_FAILED || robot->stuck > STUCK_TICKS ||
        robot->untaken_us > robot->lifetime_us) {
        return CMO_OUTCOME_PORT_FAILED;
    }
    if (aborted) {
        return CMO_OUTCOME_ABORTED;
    }
    if (!wheels && !robot->unsure) {
        return CMO_OUTCOME_ENCODER_JUMP;
    }
    if (!robot->first_tick && robot->dt_us > robot->lifetime_us) {
        return CMO_OUTCOME_LATE;
    }
    uint32_t limit = cmi_age_limit(description->encoder_age_us, 8 * description->tick_us, 80000);
    if (robot->encoder_age_us > limit && !robot->unsure) {
        return CMO_OUTCOME_ENCODER_SILENT;
    }
    for (uint8_t i = 0; i < description->lights; i++) {
        cmo_outcome fault = cmi_light_fault(robot, i);
        if (fault != CMO_RUNNING) {
            robot->report.sensor = (int8_t)i;
            return fault;
        }
    }
    if ((robot->run_limit_ms != 0 && robot->run_ms >= robot->run_limit_ms) ||
        robot->elapsed_ms > robot->longest_ms) {
        return CMO_OUTCOME_TIME_OVER;
    }
    // Long enough for a heavy robot to start off, short enough to spare the motors.
    return robot->stall_us > 500000 && !robot->unsure ? CMO_OUTCOME_STALLED : CMO_RUNNING;
}

static float command_within(float command, float most) {
    return isnan(command) ? 0.0F : fmaxf(-most, fminf(command, most));
}

static cmo_status command_wheels(cmo_robot *robot) {
    const cmo_robot_description *description = robot->description;
    const cmo_port *port = robot->port;
    float most = CMO_COMMAND_MOST * description->top_speed_mm_s;
    float left = robot->left.command_mm_s = command_within(robot->left.command_mm_s, most);
    float right = robot->right.command_mm_s = command_within(robot->right.command_mm_s, most);
    if (!(port->traits & CMO_TRAIT_SPEED)) {
        float dt_s = (float)robot->dt_us * 1e-6F;
        bool measured = port->traits & CMO_TRAIT_ENCODERS && !robot->unsure;
        left = cmi_wheel_duty(&robot->left, description, dt_s, measured);
        right = cmi_wheel_duty(&robot->right, description, dt_s, measured);
    }
    robot->halt = 0;
    return port->drive(port->context, left, right, robot->lifetime_us);
}

static void carry_out_halt(cmo_robot *robot) {
    robot->left.command_mm_s = robot->right.command_mm_s = 0.0F;
    robot->left.integral = robot->right.integral = 0.0F;
    robot->left.behind_mm = robot->right.behind_mm = 0.0F;
    robot->left.gained_mm_s = robot->right.gained_mm_s = 0.0F;
    if (!robot->halt_done) {
        robot->halt_done = robot->port->halt(robot->port->context, (cmo_halt)robot->halt) == CMO_OK;
    }
    robot->report.motors_may_run = !robot->halt_done;
}

// Drives, if a routine has asked for it. A command that does not get through leaves the one before
// in force, which was these two.
static void carry_out_drive(cmo_robot *robot, float left_mm_s, float right_mm_s) {
    switch (command_wheels(robot)) {
    case CMO_OK:
        robot->command_age_us = robot->untaken_us = 0;
        return;
    case CMO_NOT_YET:
        robot->untaken_us = cmi_add_us(robot->untaken_us, robot->dt_us);
        robot->left.command_mm_s = left_mm_s;
        robot->right.command_mm_s = right_mm_s;
        return;
    default:
        robot->driving = false;
        cmi_end(robot, CMO_OUTCOME_PORT_FAILED);
        if (robot->halt == 0) { // it ended in this very tick, still moving
            cmi_request_halt(robot, CMO_HALT_DEFAULT);
            robot->report.outcome = CMO_OUTCOME_PORT_FAILED;
        }
    }
}

// One step of the active routine, or its end. It waits for the first counts, and for a halt from
// before it that has not succeeded yet.
static void step_routine(cmo_robot *robot, cmo_sample *sample, cmo_status status, bool wheels) {
    cmo_outcome fault = find_fault(robot, status, wheels);
    if (fault == CMO_RUNNING && sample->have & CMO_HAVE_BUTTONS && sample->stop) {
        fault = CMO_OUTCOME_STOPPED;
    }
    if (fault != CMO_RUNNING) {
        if (robot->overseer != NULL) {
            robot->sample = sample;
            robot->overseer->watch(robot, robot->overseer, true);
            robot->sample = NULL;
        }
        cmi_end(robot, fault);
    } else if (robot->odometer.started && (robot->stage != CMO_STAGE_IDLE || robot->halt_done)) {
        if (robot->stage == CMO_STAGE_IDLE) {
            robot->start_left_mm = robot->odometer.left_mm;
            robot->start_right_mm = robot->odometer.right_mm;
        }
        cmi_raise_figure(robot, CMO_TOP_SPEED_MM_S, fabsf(cmo_speed_mm_s(robot)));
        robot->sample = sample;
        if (robot->overseer != NULL) {
            robot->overseer->watch(robot, robot->overseer, false);
        }
        if (robot->routine != NULL) {
            robot->routine->step(robot, robot->routine);
        }
        robot->sample = NULL;
    }
    robot->first_tick = false;
}

// The routine has ended: what watched over it may begin another one.
static void tell_overseer(cmo_robot *robot) {
    if (robot->routine == NULL && robot->overseer != NULL) {
        robot->overseer->over(robot, robot->overseer);
    }
}

cmo_outcome cmo_tick(cmo_robot *robot) {
    if (robot->port == NULL) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    keep_time(robot);
    cmo_sample sample;
    memset(&sample, 0, sizeof sample);
    cmo_status status = robot->port->sample(robot->port->context, &sample);
    bool wheels = true;
    if (status == CMO_FAILED) {
        sample.have = 0;
    }
    wheels = take_wheels(robot, &sample);
    if (robot->first_tick && robot->dt_us > robot->description->tick_us) {
        robot->dt_us = robot->description->tick_us; // what was before it is not the routine's
    }
    if (status != CMO_FAILED) {
        cmi_light_take(robot, &sample);
    }
    robot->driving = false;
    float left = robot->left.command_mm_s;
    float right = robot->right.command_mm_s;
    bool ran = robot->routine != NULL;
    if (ran) {
        step_routine(robot, &sample, status, wheels);
    }
    if (robot->driving) {
        carry_out_drive(robot, left, right);
    }
    if (robot->halt != 0) {
        carry_out_halt(robot);
    }
    if (robot->write_row != NULL) {
        robot->write_row(robot);
    }
    if (ran) {
        tell_overseer(robot);
    }
    return robot->routine != NULL ? CMO_RUNNING : (cmo_outcome)robot->report.outcome;
}

void cmo_wait(cmo_robot *robot) {
    if (robot->port != NULL && robot->port->wait != NULL) {
        robot->port->wait(robot->port->context, robot->clock_us + robot->description->tick_us);
    }
}

cmo_outcome cmo_run(cmo_robot *robot) {
    if (robot->port == NULL) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "robot", NAN);
    }
    if (robot->port->wait == NULL) {
        cmo_halt_now(robot, CMO_HALT_DEFAULT);
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "wait", NAN);
    }
    cmo_outcome outcome = cmo_tick(robot);
    // A halt that has not succeeded is worth some more tries before control goes back.
    for (uint8_t tries = 0;
         outcome == CMO_RUNNING || (robot->report.motors_may_run && tries < 50);) {
        cmo_wait(robot);
        outcome = cmo_tick(robot);
        if (outcome != CMO_RUNNING) {
            tries++;
        }
    }
    return outcome;
}

void cmo_abort(cmo_robot *robot) {
    robot->abort = true;
}

cmo_status cmo_halt_now(cmo_robot *robot, cmo_halt how) {
    if (robot->port == NULL || !cmi_choose_halt(robot, &how)) {
        return CMO_FAILED;
    }
    robot->halt = (uint8_t)how;
    robot->halt_done = false;
    if (robot->sample == NULL) { // not called by a step of it
        bool ran = robot->routine != NULL;
        cmi_end(robot, CMO_OUTCOME_ABORTED);
        if (ran) {
            tell_overseer(robot);
        }
    }
    carry_out_halt(robot);
    return robot->halt_done ? CMO_OK : CMO_NOT_YET;
}
