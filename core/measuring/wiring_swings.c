// SPDX-License-Identifier: MIT
// The first half of the wiring check: each wheel by itself swings the robot, to and fro.
#include "check_wiring.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../shared/trig.h"

#include <math.h>

enum { LEFT, RIGHT };

// Which wheel is swung, and which way. A wheel goes ahead until a sensor sees the line, and a
// little further for the other one, or else as far behind: whichever way it really turns, its
// sensor comes over the line. Then it goes back.
static const struct {
    int8_t wheel, way;
} swings_of[] = {{-1, 0},    {LEFT, 1},   {LEFT, -1}, {LEFT, 1}, {-1, 0},
                 {RIGHT, 1}, {RIGHT, -1}, {RIGHT, 1}, {-1, 0}};
#define SWINGS  (sizeof swings_of / sizeof *swings_of)
#define REST_US 300000U

// How far a reading is from what the sensor read at rest, either way.
static float off_rest(const cmo_light_check *light, float counts) {
    return fabsf(counts - light->rest);
}

// What no noise and no stain does.
static float clear_change(const cmo_robot *robot, const cmo_light_check *light, uint8_t sensor) {
    uint16_t most = robot->description->light[sensor].counts_max;
    float share = most > 0 ? 0.04F * (float)most : 24.0F;
    return fmaxf(10.0F * light->spread, share);
}

// What each encoder counts while one wheel is driven, along the command: so a wheel that is swung
// to and fro adds up.
static void watch_encoders(cmo_robot *robot, cmo_check_wiring_state *state) {
    float left = robot->odometer.left_mm - state->left_mm;
    float right = robot->odometer.right_mm - state->right_mm;
    state->left_mm = robot->odometer.left_mm;
    state->right_mm = robot->odometer.right_mm;
    int8_t wheel = swings_of[state->swing].wheel;
    if (wheel >= 0) {
        float way = (float)swings_of[state->swing].way;
        state->counted_mm[wheel][LEFT] += way * left;
        state->counted_mm[wheel][RIGHT] += way * right;
    }
}

// What a wheel's swing has shown, against what it ought to.
typedef struct swing {
    int8_t light;   // its own sensor 0, the other one's 1, none -1
    int8_t encoder; // the same of the encoders
    bool behind;    // the line came with the wheel behind
    bool backward;  // the counts went against the command
} swing;

// Of the two encoders the one that counted more is the driven wheel's.
static swing read_swing(const cmo_check_wiring_state *state, int wheel) {
    const float *counted = state->counted_mm[wheel];
    int more = fabsf(counted[RIGHT]) > fabsf(counted[LEFT]) ? RIGHT : LEFT;
    bool moved = fabsf(counted[more]) > 0.25F * state->asked_mm[wheel];
    int8_t saw = state->saw[wheel];
    return (swing){
        .light = (int8_t)(saw < 0 ? -1 : saw != wheel),
        .encoder = (int8_t)(moved ? more != wheel : -1),
        .behind = state->saw_mm[wheel] < 0.0F,
        .backward = counted[more] < 0.0F,
    };
}

// By how much later than the left sensor the right one has seen the line in a wheel's swing.
static float later_mm(const cmo_check_wiring_state *state, int wheel) {
    const float *seen = state->seen_mm[wheel];
    float left = seen[LEFT] > 0.0F ? seen[LEFT] : 1e6F;
    float right = seen[RIGHT] > 0.0F ? seen[RIGHT] : 1e6F;
    return right - left;
}

// At a slant one sensor may be so much nearer to the line that it sees it first whichever wheel
// swings. But a wheel's own sensor is further from the other wheel, about which it turns, and goes
// further: so it gains on the other sensor in its own wheel's swing.
static void part_sensors(const cmo_check_wiring_state *state, swing *swings) {
    bool same = state->saw[LEFT] >= 0 && state->saw[LEFT] == state->saw[RIGHT];
    float gained = later_mm(state, LEFT) - later_mm(state, RIGHT);
    if (same && gained != 0.0F) {
        swings[LEFT].light = swings[RIGHT].light = (int8_t)(gained < 0.0F ? 1 : 0);
    }
}

// A wheel that brought its sensor over the line while it should have been behind turns the wrong
// way; then its counts have to be wrong as well, or the encoder is the other way round by itself.
static void judge_swing(cmo_robot *robot, cmo_check_wiring_state *state, int wheel,
                        const swing *own) {
    bool counts = robot->port->traits & CMO_TRAIT_ENCODERS;
    bool moved = own->encoder >= 0 || own->light >= 0;
    // A finding of the right side stands behind that of the left.
    if (!moved) {
        cmi_wiring_find(robot, state, (cmo_finding)(CMO_FINDING_LEFT_MOTOR_SILENT + wheel));
        return;
    }
    bool reversed = own->light >= 0 && own->behind;
    if (reversed) {
        cmi_wiring_find(robot, state, (cmo_finding)(CMO_FINDING_LEFT_MOTOR_REVERSED + wheel));
    }
    if (counts && own->encoder < 0) {
        cmi_wiring_find(robot, state, (cmo_finding)(CMO_FINDING_LEFT_ENCODER_SILENT + wheel));
    } else if (counts && own->light >= 0 && own->backward != reversed) {
        cmi_wiring_find(robot, state, (cmo_finding)(CMO_FINDING_LEFT_ENCODER_REVERSED + wheel));
    }
}

// The line was there for a sensor whose wheel has swung; without any, nothing is said of light.
static void judge_lights(cmo_robot *robot, cmo_check_wiring_state *state, const swing *swings) {
    uint8_t lights = cmi_front_lights(robot->description);
    if (swings[LEFT].light < 0 && swings[RIGHT].light < 0) {
        bool looks = true;
        for (uint8_t i = 0; i < lights; i++) {
            looks = looks && state->light[i].looks > 0;
        }
        if (looks) {
            cmi_wiring_find(robot, state, CMO_FINDING_NO_LINE);
            return;
        }
    }
    for (uint8_t i = 0; i < lights; i++) {
        const cmo_light_check *light = &state->light[i];
        bool changed = off_rest(light, light->furthest) > clear_change(robot, light, i);
        // One whose wheel did not turn has had no line to see.
        bool swung = swings[i].encoder >= 0 || !(robot->port->traits & CMO_TRAIT_ENCODERS);
        if (light->looks == 0 || (!changed && swung)) {
            cmi_wiring_find(robot, state, (cmo_finding)(CMO_FINDING_LEFT_LIGHT_SILENT + i));
        } else if (changed) {
            bool higher = light->furthest > light->rest;
            bool dark = state->parameters.tone == CMO_TONE_DARK;
            if (higher != (dark == robot->description->light[i].dark_is_high)) {
                cmi_wiring_find(robot, state, (cmo_finding)(CMO_FINDING_LEFT_POLARITY + i));
            }
        }
    }
}

// Who is where: a wheel's sensor and its encoder each are its own or the other one's.
static void judge_places(cmo_robot *robot, cmo_check_wiring_state *state, const swing *swings) {
    bool light = swings[LEFT].light == 1 || swings[RIGHT].light == 1;
    bool encoder = swings[LEFT].encoder == 1 || swings[RIGHT].encoder == 1;
    bool counts = robot->port->traits & CMO_TRAIT_ENCODERS;
    if (encoder && (light || (swings[LEFT].light < 0 && swings[RIGHT].light < 0))) {
        cmi_wiring_find(robot, state, CMO_FINDING_MOTORS_SWAPPED);
    } else if (encoder) {
        cmi_wiring_find(robot, state, CMO_FINDING_ENCODERS_SWAPPED);
    } else if (light) {
        cmi_wiring_find(robot, state,
                        counts ? CMO_FINDING_LIGHTS_SWAPPED : CMO_FINDING_MOTORS_SWAPPED);
    }
}

// Motors and encoders first: only where those are clear do the sensors' answers tell.
static void judge(cmo_robot *robot, cmo_check_wiring_state *state) {
    swing swings[2] = {read_swing(state, LEFT), read_swing(state, RIGHT)};
    part_sensors(state, swings);
    judge_swing(robot, state, LEFT, &swings[LEFT]);
    judge_swing(robot, state, RIGHT, &swings[RIGHT]);
    judge_places(robot, state, swings);
    // Sensors in each other's place see the line where the other one ought to.
    if (state->findings & CMO_FINDING_BIT(CMO_FINDING_LIGHTS_SWAPPED)) {
        swing one = swings[LEFT];
        swings[LEFT] = swings[RIGHT];
        swings[RIGHT] = one;
    }
    judge_lights(robot, state, swings);
}

// How far a wheel is to go: until both sensors see the line, and where one does not, half as far
// again as the other one needed.
static float reach_of(const cmo_robot *robot, const cmo_check_wiring_state *state, int8_t wheel) {
    float most = cmi_radians(state->parameters.swing_deg) * robot->description->track_mm;
    const float *seen = state->seen_mm[wheel];
    float first = fabsf(state->saw_mm[wheel]);
    if (state->saw[wheel] < 0) {
        return most;
    }
    return seen[LEFT] > 0.0F && seen[RIGHT] > 0.0F ? 0.0F : fminf(most, 1.5F * first);
}

// Whether a wheel has gone as far as it is to in this phase.
static bool swung(const cmo_robot *robot, const cmo_check_wiring_state *state, int8_t wheel) {
    float reach = reach_of(robot, state, wheel);
    float place = state->place_mm[wheel];
    bool ahead = state->saw[wheel] >= 0 && state->saw_mm[wheel] >= 0.0F;
    if (swings_of[state->swing].way < 0) {
        return ahead ? place <= 0.0F : place <= -reach;
    }
    // Ahead, or the last way back from behind.
    bool last = swings_of[state->swing - 1].way < 0;
    return last ? place >= 0.0F : place >= reach;
}

bool cmi_wiring_swing(cmo_robot *robot, cmo_check_wiring_state *state) {
    float dt_s = (float)robot->dt_us * 1e-6F;
    int8_t wheel = swings_of[state->swing].wheel;
    watch_encoders(robot, state);
    state->since_us += robot->dt_us;
    bool over = state->since_us >= REST_US;
    float command[2] = {0.0F, 0.0F};
    if (wheel >= 0) {
        const cmo_wheel *driven = wheel == LEFT ? &robot->left : &robot->right;
        command[wheel] = state->parameters.speed_mm_s * (float)swings_of[state->swing].way;
        state->place_mm[wheel] += driven->expected_mm_s * dt_s;
        state->asked_mm[wheel] += fabsf(driven->expected_mm_s) * dt_s;
        over = swung(robot, state, wheel);
    }
    cmi_drive(robot, command[LEFT], command[RIGHT]);
    if (!over) {
        return false;
    }
    state->swing++;
    state->since_us = 0;
    if (state->swing < SWINGS) {
        return false;
    }
    judge(robot, state);
    return true;
}

// At rest first: what it reads there, and how much that varies.
static void take_rest(cmo_light_check *light, float counts) {
    light->sum += counts - light->first;
    light->squares += (counts - light->first) * (counts - light->first);
    float mean = light->sum / (float)light->looks;
    light->rest = light->first + mean;
    light->spread = sqrtf(fmaxf(light->squares / (float)light->looks - mean * mean, 0.0F)) + 0.5F;
    light->furthest = light->rest;
}

void cmi_wiring_look_swinging(const cmo_robot *robot, cmo_check_wiring_state *state,
                              uint8_t sensor) {
    cmo_light_check *light = &state->light[sensor];
    float counts = (float)robot->light[sensor].counts;
    if (state->swing == 0) {
        take_rest(light, counts);
        return;
    }
    if (off_rest(light, counts) > off_rest(light, light->furthest)) {
        light->furthest = counts;
    }
    int8_t wheel = swings_of[state->swing].wheel;
    if (wheel < 0 || off_rest(light, counts) <= clear_change(robot, light, sensor)) {
        return;
    }
    float place = state->place_mm[wheel];
    if (state->saw[wheel] < 0) {
        state->saw[wheel] = (int8_t)sensor;
        state->saw_mm[wheel] = place;
    }
    float *seen = &state->seen_mm[wheel][sensor];
    if (*seen == 0.0F) {
        *seen = fabsf(place);
    }
}
