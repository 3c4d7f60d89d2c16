// SPDX-License-Identifier: MIT
#include "ends.h"

#include "../moves/motion.h"
#include "../shared/description.h"
#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/lead.h"
#include "../tick/light_input.h"
#include "../tick/surfaces.h"

#include <math.h>

static const cmi_row rows[] CMO_FLASH = {CMO_ENDS_PARAMETERS(CMI_ROW, cmo_ends)};

// -------------------------------------------------------------------------------------- checks --

cmo_outcome cmi_check_ends(cmo_robot *robot, const cmo_ends *ends) {
    uint16_t traits = robot->port->traits;
    cmo_ends checked = *ends;
    cmo_outcome outcome = cmi_check_parameters(robot, rows, CMI_ROWS(rows), &checked);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    const char *lacks =
        ends->range_below_mm != 0.0F && !(traits & CMO_TRAIT_RANGE)   ? "range_below_mm"
        : ends->range_above_mm != 0.0F && !(traits & CMO_TRAIT_RANGE) ? "range_above_mm"
        : ends->touch != 0 && !(traits & CMO_TRAIT_TOUCH)             ? "touch"
        : ends->button && !(traits & CMO_TRAIT_START)                 ? "button"
                                                                      : NULL;
    if (lacks != NULL) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, lacks, NAN);
    }
    if (ends->lines == 0) {
        return CMO_OUTCOME_DONE;
    }
    uint8_t watched;
    outcome = cmi_check_sensors(robot, ends->sensor, ends->tone, &watched);
#if CMO_SURFACES_MAX > 0
    if (outcome == CMO_OUTCOME_DONE) {
        outcome = cmi_check_surface(robot, ends->surface, ends->tone, &ends->band, watched);
    }
#endif
    return outcome;
}

bool cmi_any_way(const cmo_ends *ends) {
    return ends->way_mm != 0.0F || ends->left_way_mm != 0.0F || ends->right_way_mm != 0.0F ||
           ends->turn_deg != 0.0F;
}

bool cmi_any_end(const cmo_ends *ends) {
    return cmi_any_way(ends) || ends->for_ms != 0 || ends->range_below_mm != 0.0F ||
           ends->range_above_mm != 0.0F || ends->touch != 0 || ends->button || ends->lines != 0;
}

// ---------------------------------------------------------------------------------- what is met --

// Whether a way has come to where it is to end. Where it is to stand there, it is braked for: of
// its speed v, as the command falls from there at b, a wheel that trails it by T goes on for
// v^2 / 2b + v T, and by half a tick less since the command falls at each tick's start.
static bool way_met(const cmo_robot *robot, const cmo_ends *ends, float end_mm, float way_mm,
                    float speed_mm_s, float braking_mm_s2) {
    if (end_mm == 0.0F) {
        return false;
    }
    float on = way_mm < 0.0F ? -speed_mm_s : speed_mm_s;
    float stopping = 0.0F;
    if (ends->ending == CMO_END_HALTED && on > 0.0F) {
        float trail_s = cmi_lead_s(robot) + cmi_held_s(robot) - 0.5e-6F * (float)robot->dt_us;
        stopping = on * (0.5F * on / braking_mm_s2 + trail_s);
    }
    return fabsf(way_mm) + stopping >= end_mm;
}

static cmo_by find_way(const cmo_robot *robot, const cmo_ends *ends) {
    const cmo_robot_description *d = robot->description;
    float left = robot->odometer.left_mm - robot->start_left_mm;
    float right = robot->odometer.right_mm - robot->start_right_mm;
    float left_speed = robot->left.speed_mm_s;
    float right_speed = robot->right.speed_mm_s;
    float braking = d->braking_mm_s2;
    if (way_met(robot, ends, ends->way_mm, 0.5F * (left + right), cmo_speed_mm_s(robot), braking)) {
        return CMO_BY_WAY;
    }
    if (way_met(robot, ends, ends->left_way_mm, left, left_speed, braking)) {
        return CMO_BY_LEFT_WAY;
    }
    if (way_met(robot, ends, ends->right_way_mm, right, right_speed, braking)) {
        return CMO_BY_RIGHT_WAY;
    }
    float wheels = 0.5F * cmi_radians(ends->turn_deg) * d->track_mm;
    return way_met(robot, ends, wheels, 0.5F * (right - left), 0.5F * (right_speed - left_speed),
                   CMI_TURN_SHARE * braking)
               ? CMO_BY_TURN
               : CMO_BY_ITSELF;
}

static bool is_on(const cmo_robot *robot, const cmo_ends *ends, uint8_t sensor, bool was) {
    const cmo_light *light = &robot->light[sensor];
#if CMO_SURFACES_MAX > 0
    if (ends->surface != 0) {
        return light->surface.under == ends->surface;
    }
#endif
    cmo_edge edge;
    if (ends->band.low != ends->band.high) {
        cmo_edge_start_band(&edge, &light->levels, ends->band, 0.0F);
    } else {
        cmo_edge_start(&edge, &light->levels, ends->tone, 0.0F);
    }
    float margin = was ? -edge.hysteresis : edge.hysteresis;
    return light->seen && light->reflectance > edge.band.low + margin &&
           light->reflectance < edge.band.high - margin;
}

// Counts what the sensors come onto: any of them, or all at once. True: so many.
static bool count_lines(cmo_robot *robot, const cmo_ends *ends, cmo_ends_seen *seen) {
    uint8_t sensors = cmi_sensors_watched(robot, ends->sensor);
    bool on = ends->sensor == CMO_SENSOR_BOTH;
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        if (!(sensors & 1U << i)) {
            continue;
        }
        if (cmi_light_silent(robot, i)) {
            robot->report.sensor = (int8_t)i;
            cmi_end(robot, CMO_OUTCOME_SENSOR_SILENT);
            return false;
        }
        bool here = is_on(robot, ends, i, seen->on_line);
        on = ends->sensor == CMO_SENSOR_BOTH ? on && here : on || here;
    }
    if (seen->begun && on && !seen->on_line && seen->lines < UINT8_MAX) {
        seen->lines++;
    }
    seen->on_line = on;
    return seen->lines >= ends->lines;
}

// One that is held from before has to be let go first.
static bool is_pressed(const cmo_robot *robot, cmo_ends_seen *seen) {
    if (!(robot->sample->have & CMO_HAVE_BUTTONS)) {
        return false;
    }
    bool pressed = seen->let_go && robot->sample->start;
    seen->let_go = seen->let_go || !robot->sample->start;
    return pressed;
}

cmo_by cmi_end_met(cmo_robot *robot, const cmo_ends *ends, cmo_ends_seen *seen, uint32_t time_ms,
                   bool ways) {
    const cmo_sample *sample = robot->sample;
    cmo_by by = ways && cmi_any_way(ends) ? find_way(robot, ends) : CMO_BY_ITSELF;
    bool ranged = sample->have & CMO_HAVE_RANGE;
    if (by != CMO_BY_ITSELF) {
        return by;
    }
    if (ends->for_ms != 0 && time_ms >= ends->for_ms) {
        by = CMO_BY_TIME;
    } else if (ranged && ends->range_below_mm != 0.0F && sample->range_mm <= ends->range_below_mm) {
        by = CMO_BY_RANGE_BELOW;
    } else if (ranged && ends->range_above_mm != 0.0F && sample->range_mm > ends->range_above_mm) {
        by = CMO_BY_RANGE_ABOVE;
    } else if (sample->have & CMO_HAVE_TOUCH && sample->touch & ends->touch) {
        by = CMO_BY_TOUCH;
    } else if (ends->button && is_pressed(robot, seen)) {
        by = CMO_BY_BUTTON;
    } else if (ends->lines != 0 && count_lines(robot, ends, seen)) {
        by = CMO_BY_LINE;
    }
    seen->begun = true;
    return by;
}

// ------------------------------------------------------------------------------- how it ends --

// What is pushed never stands.
#define PATIENCE_MS 3000U

static void come_to_a_stand(cmo_robot *robot, cmo_routine *routine) {
    (void)routine;
    if (robot->stage == CMO_STAGE_HALT) {
        if (cmi_stands(robot) || robot->elapsed_ms + PATIENCE_MS >= robot->longest_ms) {
            cmi_end(robot, CMO_OUTCOME_DONE);
        }
        return;
    }
    // Both commands fall in one proportion, so that the path stays what it was; and from the speed
    // that the wheels have: what was yet to be reached is not waited for.
    float left = robot->left.command_mm_s;
    float right = robot->right.command_mm_s;
    float most = fmaxf(fabsf(left), fabsf(right));
    float wheels = fmaxf(fabsf(robot->left.speed_mm_s), fabsf(robot->right.speed_mm_s));
    if (robot->stage != CMO_STAGE_BRAKE && wheels < most) {
        left *= wheels / most;
        right *= wheels / most;
        most = wheels;
    }
    float share = most > 0.0F ? cmi_motion_share(left / most, right / most) : 1.0F;
    float less = share * robot->description->braking_mm_s2 * (float)robot->dt_us * 1e-6F;
    if (robot->halt != 0 || most <= robot->description->slowest_mm_s + less) {
        cmi_halt(robot, CMO_HALT_DEFAULT);
        return;
    }
    cmi_enter(robot, CMO_STAGE_BRAKE);
    cmi_drive(robot, left * (most - less) / most, right * (most - less) / most);
}

void cmi_end_by(cmo_robot *robot, const cmo_ends *ends, cmo_by by, cmo_routine *stop) {
    robot->report.by = (uint8_t)by;
    if (ends->ending == CMO_END_MOVING && robot->halt == 0) {
        cmi_drive(robot, robot->left.command_mm_s, robot->right.command_mm_s);
        cmi_end_moving(robot);
        return;
    }
    cmi_take_over(robot, stop, come_to_a_stand, 2U * PATIENCE_MS);
}

// -------------------------------------------------------------------------------- by itself --

static void watch(cmo_robot *robot, cmo_overseer *overseer, bool faulty) {
    cmo_ends_state *state = (cmo_ends_state *)overseer;
    if (faulty || robot->routine == &state->stop) {
        return;
    }
    cmo_by by = cmi_end_met(robot, &state->ends, &state->seen, robot->elapsed_ms, true);
    if (by != CMO_BY_ITSELF && robot->routine != NULL) {
        cmi_end_by(robot, &state->ends, by, &state->stop);
    }
}

static void over(cmo_robot *robot, cmo_overseer *overseer) {
    (void)overseer;
    cmi_oversee(robot, NULL);
}

cmo_outcome cmo_end_on(cmo_robot *robot, cmo_ends_state *state, const cmo_ends *ends) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    cmo_outcome outcome = cmi_check_ends(robot, ends);
    if (outcome == CMO_OUTCOME_DONE) {
        *state = (cmo_ends_state){.overseer = {watch, over}, .ends = *ends};
        cmi_oversee(robot, &state->overseer);
    }
    return outcome;
}
