// SPDX-License-Identifier: MIT
#include "routine.h"

#include "description.h"
#include "trig.h"

#include <math.h>
#include <string.h>

cmo_outcome cmi_refuse(cmo_robot *robot, cmo_outcome why, const char *field, float limit) {
    robot->field = field;
    robot->limit = limit;
    return why;
}

bool cmi_choose_halt(cmo_robot *robot, cmo_halt *halt) {
    static const uint16_t trait[4] = {0, CMO_TRAIT_COAST, CMO_TRAIT_BRAKE, CMO_TRAIT_HOLD};
    uint16_t traits = robot->port->traits;
    if (*halt == CMO_HALT_DEFAULT) {
        *halt = traits & CMO_TRAIT_BRAKE  ? CMO_HALT_BRAKE
                : traits & CMO_TRAIT_HOLD ? CMO_HALT_HOLD
                                          : CMO_HALT_COAST;
    }
    if ((unsigned)*halt > CMO_HALT_HOLD || !(traits & trait[*halt])) {
        robot->field = "halt";
        robot->limit = NAN;
        return false;
    }
    return true;
}

bool cmi_may_begin(cmo_robot *robot) {
    robot->field = robot->port == NULL ? "robot" : robot->routine != NULL ? "routine" : NULL;
    robot->limit = NAN;
    return robot->field == NULL;
}

void cmi_notify(const cmo_robot *robot, cmo_event_kind kind, int value) {
    if (robot->port->notify != NULL) {
        cmo_event event = {.kind = kind, .value = (int16_t)value};
        robot->port->notify(robot->port->context, &event);
    }
}

void cmi_begin(cmo_robot *robot, cmo_routine *routine, cmo_step step, cmo_routine_id id,
               uint32_t longest_ms) {
    if (robot->tries) {
        return;
    }
    memset(&robot->report, 0, sizeof robot->report);
    robot->field = NULL; // what the checks have tried out
    robot->limit = NAN;
    robot->report.routine = (uint8_t)id;
    robot->report.sensor = -1;
    robot->routine = routine;
    routine->step = step;
    robot->elapsed_ms = 0;
    robot->elapsed_us = 0;
    robot->longest_ms = longest_ms;
    robot->first_tick = true;
    robot->stall_us = 0;
    robot->still_us = 0;
    robot->untaken_us = 0;
    robot->reach_mm_s2 = 0.0F; // another battery, another floor
#if CMO_SLIDING
    robot->runs_on = false;
#endif
    if (robot->halt_done) { // else it is still to be repeated
        robot->halt = 0;
    }
    robot->report.motors_may_run = !robot->halt_done;
    robot->unsure = robot->curved = false;
    robot->start_left_mm = robot->odometer.left_mm;
    robot->start_right_mm = robot->odometer.right_mm;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        robot->light[i].watching = false;
    }
    cmi_notify(robot, CMO_EVENT_START, (int)id);
}

void cmi_take_over(cmo_robot *robot, cmo_routine *routine, cmo_step step, uint32_t longest_ms) {
    robot->routine = routine;
    routine->step = step;
    robot->longest_ms = robot->elapsed_ms + longest_ms;
}

void cmi_oversee(cmo_robot *robot, cmo_overseer *overseer) {
    robot->overseer = overseer;
}

void cmi_try(cmo_robot *robot, bool tries) {
    robot->tries = tries;
}

void cmi_enter(cmo_robot *robot, cmo_stage stage) {
    if (robot->stage != (uint8_t)stage) {
        robot->stage = (uint8_t)stage;
        cmi_notify(robot, CMO_EVENT_STAGE, (int)stage);
    }
}

void cmi_request_halt(cmo_robot *robot, cmo_halt how) {
    if (!cmi_choose_halt(robot, &how)) {
        how = CMO_HALT_COAST;
    }
    if (robot->halt != (uint8_t)how) {
        robot->halt = (uint8_t)how;
        robot->halt_done = false;
    }
    robot->driving = false;
}

void cmi_halt(cmo_robot *robot, cmo_halt how) {
    cmi_enter(robot, CMO_STAGE_HALT);
    cmi_request_halt(robot, how);
    // What was told to stand, and has stood, need not do so anew.
    if (!CMO_SLIDING || robot->left.command_mm_s != 0.0F || robot->right.command_mm_s != 0.0F) {
        cmi_count_still_anew(robot);
    }
}

void cmi_drive(cmo_robot *robot, float left_mm_s, float right_mm_s) {
    robot->left.command_mm_s = left_mm_s;
    robot->right.command_mm_s = right_mm_s;
    robot->driving = true;
}

#if CMO_SLIDING
float cmi_pushed_mm_s(float mm_s, uint32_t sticks_us, uint32_t patience_us) {
    float size = fabsf(mm_s);
    if (sticks_us <= patience_us || size >= CMI_PUSHED_MOST_MM_S) {
        return mm_s;
    }
    float longer = (float)sticks_us / (float)patience_us;
    return copysignf(fminf(size * longer * longer, CMI_PUSHED_MOST_MM_S), mm_s);
}
#endif

void cmi_learn_halt(cmo_robot *robot, float shown_mm_s2) {
    float before = robot->halt_mm_s2;
    robot->halt_mm_s2 = before > 0.0F ? 0.5F * (before + shown_mm_s2) : shown_mm_s2;
}

void cmi_count_still_anew(cmo_robot *robot) {
    robot->still_us = 0;
}

bool cmi_stands(const cmo_robot *robot) {
    return robot->still_us >= cmi_standstill_us(robot);
}

bool cmi_stands_or_waited(const cmo_robot *robot, uint32_t *waited_us, uint32_t patience_us) {
    *waited_us += robot->dt_us;
    return cmi_stands(robot) || *waited_us > patience_us;
}

void cmi_pushes(cmo_robot *robot) {
    robot->stall_us = 0;
}

void cmi_trust_encoders(cmo_robot *robot, bool trusts) {
    robot->unsure = !trusts;
}

void cmi_looks_turning(cmo_robot *robot) {
    robot->curved = true;
}

void cmi_watch_edge(cmo_robot *robot, uint8_t sensor, cmo_tone tone, cmo_band band) {
    cmo_light *light = &robot->light[sensor];
    float spot_mm = robot->description->light[sensor].spot_mm;
#if CMO_TABLE_EDGE
    if (tone == CMO_TONE_VOID && band.low == band.high && !cmi_void_is_deep(&light->levels)) {
        band = (cmo_band){-INFINITY, cmo_threshold(&light->levels, CMO_TONE_DARK)};
    }
#endif
    if (band.low != band.high) {
        cmo_edge_start_band(&light->edge, &light->levels, band, spot_mm);
    } else {
        cmo_edge_start(&light->edge, &light->levels, tone, spot_mm);
    }
#if CMO_SURFACES_MAX > 0
    light->surface.target = 0;
#endif
    light->watching = true;
    light->interval_sum_us = light->interval_worst_us = 0;
    light->intervals = 0;
    light->gap_worst_mm = 0.0F;
}

void cmi_watch_nothing(cmo_robot *robot, uint8_t sensor) {
    robot->light[sensor].watching = false;
}

void cmi_count_gaps_anew(cmo_robot *robot) {
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        robot->light[i].gap_worst_mm = 0.0F;
    }
}

void cmi_take_no_proof(cmo_robot *robot) {
#if CMO_WATCH_LIGHT
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        robot->light[i].proofs = 0;
    }
#else
    (void)robot;
#endif
}

void cmi_expect_greys(cmo_robot *robot, uint8_t sensor) {
#if CMO_WATCH_LIGHT
    robot->light[sensor].misfits = 0;
#else
    (void)robot;
    (void)sensor;
#endif
}

static void end(cmo_robot *robot, cmo_outcome outcome, bool moving) {
    if (robot->routine == NULL) {
        return;
    }
    float left = robot->odometer.left_mm - robot->start_left_mm;
    float right = robot->odometer.right_mm - robot->start_right_mm;
    cmi_set_figure(robot, CMO_ELAPSED_MS,
                   (float)robot->elapsed_ms + (float)robot->elapsed_us * 1e-3F);
    cmi_set_figure(robot, CMO_TRAVELLED_MM, 0.5F * (left + right));
    cmi_set_figure(robot, CMO_TURNED_DEG,
                   cmi_degrees((right - left) / robot->description->track_mm));
    cmi_raise_figure(robot, CMO_TICK_LATE_US, 0.0F);
    robot->report.outcome = (uint8_t)outcome;
    robot->routine = NULL;
    if (!moving) {
        if (robot->halt == 0) {
            cmi_request_halt(robot, CMO_HALT_DEFAULT);
        }
        robot->driving = false;
    }
    cmi_enter(robot, CMO_STAGE_IDLE);
    cmi_notify(robot, CMO_EVENT_END, (int)outcome);
}

void cmi_end(cmo_robot *robot, cmo_outcome outcome) {
    end(robot, outcome, false);
}

void cmi_spot_of(const cmo_robot *robot, const cmo_pose *pose, uint8_t sensor, float *x_mm,
                 float *y_mm) {
    const cmo_light_description *light = &robot->description->light[sensor];
    float sine, cosine;
    cmi_sin_cos(pose->heading_rad, &sine, &cosine);
    *x_mm = pose->x_mm + light->ahead_mm * cosine - light->left_mm * sine;
    *y_mm = pose->y_mm + light->ahead_mm * sine + light->left_mm * cosine;
}

void cmi_end_moving(cmo_robot *robot) {
    end(robot, CMO_OUTCOME_DONE, true);
}

uint32_t cmi_add_us(uint32_t time_us, uint32_t dt_us) {
    uint32_t sum = time_us + dt_us;
    return sum < time_us ? UINT32_MAX : sum;
}

#define BY_CLOCK(NAME) CMO_FIGURE_BIT(CMO_##NAME) |
#define BY_WAY(NAME)
#define IF_BY_CLOCK(NAME, name, from, meaning) BY_##from(NAME)

void cmi_set_figure(cmo_robot *robot, cmo_figure figure, float value) {
    // What is measured with the clock or the light sensors alone needs no encoders.
    const uint32_t sure = CMO_EACH_REPORT_FIGURE(IF_BY_CLOCK) 0;
    uint32_t bit = CMO_FIGURE_BIT(figure);
    if (!isfinite(value)) {
        return;
    }
    robot->report.figure[figure] = value;
    robot->report.present |= bit;
    if (!(robot->port->traits & CMO_TRAIT_ENCODERS) && !(sure & bit)) {
        robot->report.estimated |= bit;
    }
}

void cmi_raise_figure(cmo_robot *robot, cmo_figure figure, float value) {
    if (!(robot->report.present & CMO_FIGURE_BIT(figure)) || value > robot->report.figure[figure]) {
        cmi_set_figure(robot, figure, value);
    }
}

float cmo_figure_or(const cmo_report *report, cmo_figure figure, float otherwise) {
    return report->present & CMO_FIGURE_BIT(figure) ? report->figure[figure] : otherwise;
}

uint32_t cmi_standstill_us(const cmo_robot *robot) {
    const cmo_robot_description *description = robot->description;
    uint32_t needed = 50000;
    if (robot->port->traits & CMO_TRAIT_ENCODERS) {
        // A coarse encoder must have had the time to count once more at the slowest speed.
        float step = fmaxf(description->left_step_mm, description->right_step_mm);
        float slow = fmaxf(description->slowest_mm_s, 10.0F);
        needed = (uint32_t)fmaxf(50000.0F, 1.5e6F * step / slow);
    } else if (robot->halt == CMO_HALT_COAST) {
        needed = 500000;
    }
    // Rolling out, or coming back to the place that it holds, it counts its last step slowly.
    bool slow_end = robot->halt == CMO_HALT_COAST || robot->halt == CMO_HALT_HOLD;
    return slow_end && needed < 120000 ? 120000 : needed;
}
