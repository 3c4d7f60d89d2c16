// SPDX-License-Identifier: MIT
#include <cammino/take_surface.h>

#include "../moves/motion.h"
#include "../shared/description.h"
#include "../shared/parameters.h"
#include "../shared/routine.h"

#include <math.h>

#if CMO_SURFACES_MAX > 0

static const cmi_row rows[] CMO_FLASH = {
    CMO_TAKE_SURFACE_PARAMETERS(CMI_ROW, cmo_take_surface_parameters)};

// Looks that a mean takes, and from which on it counts no more.
#define LEAST_LOOKS 20U
#define MOST_LOOKS  60000U
// Reflectances by which two sensors may differ over one surface: responses bend, lamps age.
#define MOST_APART 0.2F

// ----------------------------------------------------------------------------------- the looks --

static void add(cmo_channel_taker *taker, float value, uint16_t looks) {
    float off = value - taker->mean;
    taker->mean += off / (float)looks;
    taker->squares += off * (value - taker->mean);
}

static void collect(const cmo_robot *robot, cmo_take_surface_state *state) {
    for (uint8_t i = 0; i < robot->description->lights; i++) {
        const cmo_light *light = &robot->light[i];
        if (!light->seen || light->look_us == state->look_us[i] || state->looks[i] >= MOST_LOOKS) {
            continue;
        }
        state->look_us[i] = light->look_us;
        state->looks[i]++;
        add(&state->channel[i][0], (float)light->counts, state->looks[i]);
        for (uint8_t c = 0; c < CMO_COLOURS; c++) {
            add(&state->channel[i][1 + c], (float)light->colour[c], state->looks[i]);
        }
    }
}

// --------------------------------------------------------------------------------- what it is --

static float spread_of(const cmo_take_surface_state *state, uint8_t sensor, uint8_t channel) {
    return sqrtf(state->channel[sensor][channel].squares / (float)(state->looks[sensor] - 1U));
}

static uint16_t rounded(float value) {
    return (uint16_t)(fminf(value, 65534.0F) + 0.5F);
}

static cmo_outcome judge(const cmo_robot *robot, const cmo_take_surface_state *state,
                         uint8_t sensor, cmo_shade *shade) {
    const cmo_channel_taker *channel = state->channel[sensor];
    if (state->looks[sensor] < LEAST_LOOKS) {
        return CMO_OUTCOME_SENSOR_SILENT;
    }
    bool colour = robot->description->light[sensor].colour;
    const cmo_levels *levels = &robot->light[sensor].levels;
    float most = 0.1F * fabsf((float)levels->light - (float)levels->dark);
    float spread = spread_of(state, sensor, 0);
    bool one = colour || spread <= fmaxf(most, 2.0F);
    *shade = (cmo_shade){.counts = rounded(channel[0].mean)};
    for (uint8_t c = 1; c <= CMO_COLOURS && colour; c++) {
        float its = spread_of(state, sensor, c);
        spread = c == 1 ? its : fmaxf(spread, its);
        one = one && its <= fmaxf(most, fmaxf(0.1F * channel[c].mean, 2.0F));
        shade->colour[c - 1] = rounded(channel[c].mean);
    }
    shade->spread = rounded(spread);
    return one ? CMO_OUTCOME_DONE : CMO_OUTCOME_LOW_CONTRAST;
}

// Sensors whose levels are known see the same surface alike.
static bool differ(const cmo_robot *robot, const cmo_shade *shade) {
    if (cmi_front_lights(robot->description) < 2) {
        return false;
    }
    float seen[CMI_FRONT];
    bool usable = true;
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        usable = usable && cmo_levels_usable(&robot->light[i].levels);
        seen[i] = cmo_reflectance(&robot->light[i].levels, shade[i].counts);
    }
    return usable && fabsf(seen[0] - seen[CMI_FRONT - 1]) > MOST_APART;
}

// All sensors or none.
static void take(cmo_robot *robot, const cmo_take_surface_state *state) {
    cmo_surfaces *known = robot->surfaces;
    uint8_t number = state->parameters.surface;
    cmo_shade shade[CMO_LIGHTS_MAX];
    for (uint8_t i = 0; i < robot->description->lights; i++) {
        cmo_outcome outcome = judge(robot, state, i, &shade[i]);
        if (outcome != CMO_OUTCOME_DONE) {
            robot->report.sensor = (int8_t)i;
            cmi_refuse(robot, outcome, "surface", NAN);
            cmi_end(robot, outcome);
            return;
        }
    }
    if (differ(robot, shade)) {
        cmi_refuse(robot, CMO_OUTCOME_LOW_CONTRAST, "surface", NAN);
        cmi_end(robot, CMO_OUTCOME_LOW_CONTRAST);
        return;
    }
    for (uint8_t i = 0; i < robot->description->lights; i++) {
        known->shade[number - 1U][i] = shade[i];
    }
    known->count = known->count < number ? number : known->count;
    cmo_robot_set_surfaces(robot, known);
    cmi_end(robot, CMO_OUTCOME_DONE);
}

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_take_surface_state *state = (cmo_take_surface_state *)routine;
    const cmo_take_surface_parameters *p = &state->parameters;
    if (robot->stage == CMO_STAGE_HALT) {
        if (cmi_stands(robot)) {
            take(robot, state);
        }
        return;
    }
    collect(robot, state);
    if (p->distance_mm == 0.0F) {
        cmi_enter(robot, CMO_STAGE_WAIT);
        if (robot->elapsed_ms >= p->for_ms) {
            cmi_halt(robot, CMO_HALT_DEFAULT);
        }
        return;
    }
    if (robot->stage == CMO_STAGE_IDLE) {
        float sign = p->distance_mm < 0.0F ? -1.0F : 1.0F;
        cmi_motion_start(&state->motion, robot, fabsf(p->distance_mm), sign, sign);
        cmi_enter(robot, CMO_STAGE_MOVE);
    }
    cmi_motion_follow(&state->motion, robot);
    if (state->motion.arrived) {
        cmi_halt(robot, CMO_HALT_DEFAULT);
    }
}

// Slow enough for twice as many looks as a mean takes.
static float usual_speed_mm_s(const cmo_robot *robot, float distance_mm) {
    uint32_t longest_us = robot->description->tick_us;
    for (uint8_t i = 0; i < robot->description->lights; i++) {
        uint32_t interval_us = robot->description->light[i].interval_us;
        longest_us = interval_us > longest_us ? interval_us : longest_us;
    }
    float looks_s = 2.0F * (float)LEAST_LOOKS * (float)longest_us * 1e-6F;
    return fminf(80.0F, fabsf(distance_mm) / looks_s);
}

cmo_outcome cmo_take_surface_start(cmo_robot *robot, cmo_take_surface_state *state,
                                   const cmo_take_surface_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    const cmo_robot_description *d = robot->description;
    *state = (cmo_take_surface_state){.parameters = *parameters};
    cmo_take_surface_parameters *p = &state->parameters;
    cmi_usual_speed(robot, &p->speed_mm_s, usual_speed_mm_s(robot, p->distance_mm));
    cmo_outcome outcome = cmi_check_parameters(robot, rows, CMI_ROWS(rows), p);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    if (robot->surfaces == NULL || d->lights == 0) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED,
                          robot->surfaces == NULL ? "surfaces" : "lights", NAN);
    }
    if (p->surface == 0 || p->surface > CMO_SURFACES_MAX) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "surface",
                          p->surface == 0 ? 1.0F : (float)CMO_SURFACES_MAX);
    }
    p->for_ms = p->for_ms != 0 ? p->for_ms : 1000U;
    if (p->longest_ms == 0) {
        bool drives = p->distance_mm != 0.0F;
        uint32_t takes =
            drives ? (uint32_t)(1000.0F * fabsf(p->distance_mm) / p->speed_mm_s) : p->for_ms;
        p->longest_ms = takes < CMO_NO_END / 4U ? 2U * takes + 3000U : CMO_NO_END;
    }
    state->motion.top_mm_s = p->speed_mm_s;
    state->motion.acceleration_mm_s2 = d->acceleration_mm_s2;
    state->motion.braking_mm_s2 = d->braking_mm_s2;
    cmi_begin(robot, &state->routine, step, CMO_ROUTINE_TAKE_SURFACE, p->longest_ms);
    return CMO_RUNNING;
}

#else

cmo_outcome cmo_take_surface_start(cmo_robot *robot, cmo_take_surface_state *state,
                                   const cmo_take_surface_parameters *parameters) {
    (void)state;
    (void)parameters;
    return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "surfaces", NAN);
}

#endif

cmo_outcome cmo_take_surface(cmo_robot *robot, const cmo_take_surface_parameters *parameters) {
    cmo_take_surface_state state;
    cmo_outcome outcome = cmo_take_surface_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
