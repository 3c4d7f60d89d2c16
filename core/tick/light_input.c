// SPDX-License-Identifier: MIT
#include "light_input.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "odometer.h"
#include "surfaces.h"

#include <math.h>
#include <string.h>

#if CMO_WATCH_LIGHT
// --------------------------------------------------------------------------------------- drift --

// Drift is kept in steps of this share of the contrast.
#define DRIFT_STEP (1.0F / 512.0F)
// Only a reading this near to a level is surely of that level's surface.
#define SURE 0.1F
// Looks that must follow one another on the same level before one of them may move it, and looks
// from one step to the next: with 100 looks a second, 5 % of the contrast a second at most.
#define SURE_LOOKS 4U
// Steady looks of no known surface, less those of one, before the levels are said not to fit.
#define MISFIT_LOOKS 200U

// What its drift makes of a reading.
static float corrected(const cmo_light *light, float reflectance) {
    if (light->dark_drift == 0 && light->light_drift == 0) {
        return reflectance;
    }
    float dark = (float)light->dark_drift * DRIFT_STEP;
    float bright = (float)light->light_drift * DRIFT_STEP;
    return (reflectance - dark) / (1.0F + bright - dark);
}

static void step_drift(int8_t *drift, float error, float most) {
    int8_t next = (int8_t)(*drift + (error > 0.0F ? 1 : -1));
    if (fabsf((float)next * DRIFT_STEP) <= most) {
        *drift = next;
    }
}

static void warn(cmo_robot *robot, uint8_t sensor) {
    if (!robot->light[sensor].unfit) {
        robot->light[sensor].unfit = true;
        cmi_notify(robot, CMO_EVENT_LEVELS, sensor);
    }
}

// The levels follow a slow change of the light, from readings alone that are surely light or dark;
// a surface that is neither leaves them where they are, and counts against them.
static void follow_drift(cmo_robot *robot, uint8_t sensor, float change) {
    cmo_light *light = &robot->light[sensor];
    float most = robot->description->drift_most;
    if (change > 0.5F * SURE || robot->halt != 0) {
        light->sure_looks = 0;
        return; // across an edge, or standing, where one surface would count for ever
    }
    bool dark = fabsf(light->reflectance) < SURE;
    bool bright = fabsf(light->reflectance - 1.0F) < SURE;
    bool below = light->reflectance < -SURE; // no floor at all, as like as not
    if (!dark && !bright) {
        light->sure_looks = 0;
        light->misfits = (uint8_t)(light->misfits + (light->misfits < UINT8_MAX && !below));
        if (light->misfits > MISFIT_LOOKS) {
            warn(robot, sensor);
        }
        return;
    }
    light->misfits = (uint8_t)(light->misfits - (light->misfits > 0));
    light->unfit = light->unfit && light->misfits > MISFIT_LOOKS / 2U;
    if (++light->sure_looks < SURE_LOOKS) {
        return;
    }
    light->sure_looks = 0;
    // The corrected reading lies on the same side of its level as the raw one of the drifted level.
    if (dark) {
        step_drift(&light->dark_drift, light->reflectance, most);
    } else {
        step_drift(&light->light_drift, light->reflectance - 1.0F, most);
    }
}

// -------------------------------------------------------------------------------------- health --

// A jump counts for as much as this many sound looks; six in quick succession are a fault.
#define JUMP_WEIGHT 10U
#define JUMP_LIMIT  60U
// A look that leaves the one before by this much, and is left by the next as much, is a spike.
#define SPIKE 0.35F
// Twice the least hysteresis: what changes by less has not jumped.
#define LEAST_JUMP 0.1F

// How far a robot may go until a line that another sensor has met must have been met by this one,
// up to 45 degrees from square, with the sensors about as far from the middle as each other.
static float apart_mm(const cmo_robot_description *description, uint8_t sensor) {
    return 2.0F * fabsf(description->light[sensor].left_mm) + 20.0F;
}

// A way in whole millimetres, which wrap.
static int16_t mark_of(float way_mm) {
    return (int16_t)(int32_t)fmaxf(-1e9F, fminf(way_mm, 1e9F));
}

// Way since such a mark.
static float gone_mm(const cmo_light *light, int16_t mark_mm) {
    int16_t gone = (int16_t)(mark_of(light->way_mm) - mark_mm);
    return fabsf((float)gone);
}

// Another sensor has crossed an edge. That proves something only where this one has not met the
// same edge before it.
static void take_proof(cmo_robot *robot, uint8_t sensor) {
    cmo_light *light = &robot->light[sensor];
    if (gone_mm(light, light->changed_mm) > apart_mm(robot->description, sensor) &&
        light->proofs < 2) {
        light->proofs++;
        light->proof_mm = mark_of(light->way_mm);
    }
}

// Whether the reading has changed as no motion of the robot explains: across an edge it changes by
// its whole contrast within the spot, at the middle by 4 / pi of what a straight line would; and it
// does not go to and fro within one.
static bool has_jumped(const cmo_robot_description *d, cmo_light *light, uint8_t sensor,
                       float change, float moved_mm) {
    if (fabsf(change) < LEAST_JUMP) {
        light->last_change = 0;
        return false;
    }
    float spot = fmaxf(d->light[sensor].spot_mm, 2.0F);
    float most = 1.3F * (moved_mm + d->left_step_mm) / spot + 2.0F * cmo_hysteresis(&light->levels);
    int8_t way = (int8_t)(change > SPIKE ? 1 : change < -SPIKE ? -1 : 0);
    bool spike = way * light->last_change < 0 && moved_mm < spot;
    light->last_change = way;
    return fabsf(change) > most || spike;
}

// Counts the looks that say to the last count what the one before said, and the edges that the
// other sensors have crossed in the meantime; and the looks that jump.
static void watch_health(cmo_robot *robot, uint8_t sensor, uint16_t counts, float reflectance,
                         float moved_mm) {
    const cmo_robot_description *d = robot->description;
    cmo_light *light = &robot->light[sensor];
    if (!light->seen) {
        return;
    }
    if (counts != light->counts) {
        light->same_looks = light->proofs = 0;
        light->changed_mm = mark_of(light->way_mm);
    } else if (light->same_looks < UINT8_MAX) {
        light->same_looks++;
    }
    bool bright = reflectance > (light->bright ? 0.35F : 0.65F);
    // The front ones prove something of each other; one behind them meets the line later.
    uint8_t front = cmi_front_lights(d);
    for (uint8_t i = 0; bright != light->bright && sensor < front && i < front; i++) {
        if (i != sensor) {
            take_proof(robot, i);
        }
    }
    light->bright = bright;
    float change = reflectance - cmo_reflectance(&light->levels, light->counts);
    if (has_jumped(d, light, sensor, change, moved_mm)) {
        light->jumps =
            (uint8_t)(light->jumps < JUMP_LIMIT ? light->jumps + JUMP_WEIGHT : JUMP_LIMIT);
    } else if (light->jumps > 0) {
        light->jumps--;
    }
}
#endif

uint8_t cmi_sensors_watched(const cmo_robot *robot, cmo_sensors sensor) {
    static const uint8_t sensors[4] = {3, 1, 2, 3};
    uint8_t there = (uint8_t)((1U << cmi_front_lights(robot->description)) - 1U);
    return sensors[sensor] & there;
}

// Half of what the lightest void reads that can be told from a floor; where dark paint does not
// count as void, from that.
#define VOID_MOST (CMO_TABLE_EDGE ? 0.1F : -0.02F)

cmo_outcome cmi_check_sensors(cmo_robot *robot, cmo_sensors sensor, cmo_tone tone,
                              uint8_t *watched) {
    *watched = cmi_sensors_watched(robot, sensor);
    if (*watched == 0 || (sensor == CMO_SENSOR_BOTH && *watched != 3)) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "sensor", NAN);
    }
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        const cmo_levels *levels = &robot->light[i].levels;
        if (!(*watched & 1U << i)) {
            continue;
        }
        if (!cmo_levels_usable(levels)) {
            return cmi_refuse(robot, CMO_OUTCOME_LOW_CONTRAST, "levels", NAN);
        }
        if (tone == CMO_TONE_VOID && !(cmo_threshold(levels, CMO_TONE_VOID) < VOID_MOST)) {
            return cmi_refuse(robot, CMO_OUTCOME_LOW_CONTRAST, "tone", NAN);
        }
    }
    return CMO_OUTCOME_DONE;
}

#if CMO_SURFACES_MAX > 0
cmo_outcome cmi_check_surface(cmo_robot *robot, uint8_t surface, cmo_tone tone,
                              const cmo_band *band, uint8_t watched) {
    if (surface == 0) {
        return CMO_OUTCOME_DONE;
    }
    const cmo_surfaces *known = robot->surfaces;
    uint8_t count = known != NULL ? known->count : 0;
    // While it tries, it takes its word for what a leg before is to teach.
    bool taught = known != NULL && surface <= (robot->tries ? CMO_SURFACES_MAX : count);
    for (uint8_t i = 0; taught && !robot->tries && i < CMI_FRONT; i++) {
        taught = !(watched & 1U << i) || known->shade[surface - 1U][i].counts != CMO_SHADE_UNKNOWN;
    }
    if (!taught) {
        return cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, "surface",
                          surface > count && count > 0 ? (float)count : NAN);
    }
    bool banded = band->low != band->high;
    return banded || tone != CMO_TONE_DARK
               ? cmi_refuse(robot, CMO_OUTCOME_BAD_PARAMETER, banded ? "band" : "tone", NAN)
               : CMO_OUTCOME_DONE;
}
#endif

// Longer than this no sensor takes between two looks, and no look is late.
#define LONGEST_INTERVAL_US 100000000U
#define OLDEST_US           1000000U

bool cmi_light_silent(const cmo_robot *robot, uint8_t sensor) {
    const cmo_robot_description *description = robot->description;
    uint32_t interval = description->light[sensor].interval_us;
    interval = interval != 0 ? interval : description->tick_us;
    return robot->light[sensor].age_us >
           cmi_age_limit(description->light_age_us, 10 * interval, 80000);
}

cmo_outcome cmi_light_fault(const cmo_robot *robot, uint8_t sensor) {
    const cmo_light *light = &robot->light[sensor];
    if (!light->watching) {
        return CMO_RUNNING;
    }
    if (cmi_light_silent(robot, sensor)) {
        return light->out_of_range ? CMO_OUTCOME_SENSOR_RANGE : CMO_OUTCOME_SENSOR_SILENT;
    }
#if CMO_WATCH_LIGHT
    if (light->jumps >= JUMP_LIMIT) {
        return CMO_OUTCOME_SENSOR_JUMPING;
    }
    // A reading without noise may well be the same on a plain floor. But where another sensor has
    // gone over a line, on and off, and the robot so far on that this one must have met it too,
    // even at 45 degrees, it ought to have moved by a count.
    bool proved = light->proofs >= 2 &&
                  gone_mm(light, light->proof_mm) > apart_mm(robot->description, sensor);
    return light->same_looks >= 20 && proved ? CMO_OUTCOME_SENSOR_STUCK : CMO_RUNNING;
#else
    return CMO_RUNNING;
#endif
}

// --------------------------------------------------------------------------- looks and latches --

#if CMO_CURVED_LOOKS
// Way of a spot along its own path since its last look. Turning, it goes sideways too.
static float path_mm(const cmo_robot *robot, uint8_t sensor, const cmo_moment *now) {
    const cmo_robot_description *d = robot->description;
    cmo_moment before = cmi_odometer_at(&robot->odometer, robot->light[sensor].look_us);
    float left = now->left_mm - before.left_mm;
    float right = now->right_mm - before.right_mm;
    float along = cmi_sensor_way(d, sensor, left, right);
    float across = (right - left) / d->track_mm * d->light[sensor].ahead_mm;
    return sqrtf(along * along + across * across);
}
#endif

// Takes the time and the way since the look before into the figures.
static void note_interval(cmo_light *light, uint32_t interval_us, float gap_mm) {
    if (interval_us > LONGEST_INTERVAL_US) {
        return; // a clock that was set
    }
    if (light->intervals == UINT16_MAX || light->interval_sum_us > UINT32_MAX / 2) {
        light->intervals /= 2U; // the mean stays as it is, and counts for half
        light->interval_sum_us /= 2U;
    }
    light->interval_sum_us += interval_us;
    light->intervals++;
    if (interval_us > light->interval_worst_us) {
        light->interval_worst_us = interval_us;
    }
    light->gap_worst_mm = fmaxf(light->gap_worst_mm, gap_mm);
}

// A fresh look: placed where the spot was at mid-exposure, by levels that follow slow changes, and
// watched for what no surface does; then it may complete a crossing.
static void take_look(cmo_robot *robot, uint8_t sensor, const cmo_look *look, uint32_t time_us) {
    uint16_t counts = look->counts;
    const cmo_robot_description *description = robot->description;
    const cmo_light_description *described = &description->light[sensor];
    cmo_light *light = &robot->light[sensor];
    light->out_of_range = described->counts_max > 0 &&
                          (counts < described->counts_min || counts > described->counts_max);
    if (light->out_of_range) {
        return; // as good as no look: if none comes in time, the sensor is silent
    }
    light->age_us = 0;
    uint32_t look_us = time_us - described->delay_us;
    if (light->seen && light->look_us - look_us - 1U < OLDEST_US) {
        return; // from before the newest look, or before a crossing that was caught since
    }
    cmo_moment moment = cmi_odometer_at(&robot->odometer, look_us);
    float way_mm = cmi_sensor_way(description, sensor, moment.left_mm, moment.right_mm);
#if CMO_CURVED_LOOKS
    if (robot->curved && light->seen) {
        way_mm = light->way_mm + path_mm(robot, sensor, &moment);
    }
#endif
    float reflectance = cmo_reflectance(&light->levels, counts);
#if CMO_WATCH_LIGHT
    float before = light->reflectance;
    watch_health(robot, sensor, counts, reflectance, fabsf(way_mm - light->way_mm));
    light->counts = counts;
    light->reflectance = corrected(light, reflectance);
    follow_drift(robot, sensor, fabsf(light->reflectance - before));
#else
    light->counts = counts;
    light->reflectance = reflectance;
#endif
    if (light->watching && light->edge.looks > 0) {
        note_interval(light, look_us - light->look_us, fabsf(way_mm - light->way_mm));
    }
    cmo_light_point point = {look_us, way_mm, light->reflectance};
    cmo_crossing crossing;
    bool crossed = false;
#if CMO_SURFACES_MAX > 0
    memcpy(light->colour, look->colour, sizeof light->colour);
    if (robot->surfaces != NULL) {
        crossed = robot->teller->look(robot, sensor, &point, &crossing);
    }
#endif
    light->look_us = look_us;
    light->way_mm = way_mm;
    light->seen = true;
    if (light->watching && cmi_light_by_tone(light)) {
        crossed = cmo_edge_look(&light->edge, point, &crossing);
    }
    if (crossed && light->crossings < 2) {
        light->crossing[light->crossings++] = crossing;
    }
}

// A crossing that an interrupt has caught: time and side are known, and so is where the wheels
// were.
static void take_latch(cmo_robot *robot, uint8_t sensor, const cmo_latch *latch) {
    cmo_light *light = &robot->light[sensor];
    bool fresh = !light->latch_seen || latch->sequence != light->latch_sequence;
    light->latch_seen = true;
    light->latch_sequence = latch->sequence;
    // What is dark, or void, is open below: into the dark is into it.
    bool open_below = isinf(light->edge.band.low);
    bool entering = latch->entering == open_below;
    if (!fresh || !light->watching || !cmi_light_by_tone(light) || light->crossings >= 2 ||
        entering == light->edge.inside) {
        return;
    }
    cmo_moment moment = cmi_odometer_at(&robot->odometer, latch->time_us);
    cmo_crossing *crossing = &light->crossing[light->crossings++];
    crossing->time_us = latch->time_us;
    crossing->way_mm = cmi_sensor_way(robot->description, sensor, moment.left_mm, moment.right_mm);
    crossing->entering = entering;
    light->edge.inside = entering;
    light->look_us = latch->time_us;
    light->way_mm = crossing->way_mm;
    light->seen = true;
    light->age_us = 0;
}

// The looks that follow the one that was seen last; where that is not among them, all are new.
// A pause may have let the number of the newest one wrap any number of times.
static uint8_t first_fresh(const cmo_light *light, const cmo_light_input *input, uint8_t looks) {
    for (uint8_t n = looks; light->seen && n > 0; n--) {
        if (input->look[n - 1].sequence == light->sequence) {
            return n;
        }
    }
    return 0;
}

// A look without a time came in somewhere since the last tick: half way is the best guess, off by
// T / sqrt(12); of several, evenly about it, where a port may hand over many.
static uint32_t untold_time_us(const cmo_robot *robot, uint8_t number, uint8_t fresh) {
    uint32_t time_us = robot->clock_us - robot->dt_us / 2;
#if CMO_LOOKS_MAX > 2
    uint32_t half_us = robot->dt_us / (2U * fresh);
    time_us += 2U * number * half_us - (fresh - 1U) * half_us;
#else
    (void)number, (void)fresh;
#endif
    return time_us;
}

void cmi_light_take(cmo_robot *robot, const cmo_sample *sample) {
    for (uint8_t i = 0; i < robot->description->lights; i++) {
        cmo_light *light = &robot->light[i];
        const cmo_light_input *input = &sample->light[i];
        uint8_t looks = input->looks < CMO_LOOKS_MAX ? input->looks : CMO_LOOKS_MAX;
        light->age_us = robot->first_tick ? 0 : cmi_add_us(light->age_us, robot->dt_us);
        light->crossings = 0;
        uint8_t first = first_fresh(light, input, looks);
        for (uint8_t n = first; n < looks; n++) {
            const cmo_look *look = &input->look[n];
            light->sequence = look->sequence;
            uint32_t time =
                robot->port->traits & CMO_TRAIT_LOOK_TIMES
                    ? look->time_us
                    : untold_time_us(robot, (uint8_t)(n - first), (uint8_t)(looks - first));
            take_look(robot, i, look, time);
        }
        if (input->latched) {
            take_latch(robot, i, &input->latch);
        }
    }
}
