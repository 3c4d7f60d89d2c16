// SPDX-License-Identifier: MIT
#include <cammino/check_wiring.h>

#include "../moves/motion.h"
#include "../moves/move.h"
#include "../shared/description.h"
#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/odometer.h"

#include <math.h>
#include <string.h>

enum { LEFT, RIGHT };

// Which wheel is swung, and which way. A wheel goes ahead until a sensor sees the line, or else as
// far behind: whichever way it really turns, its sensor comes over the line. Then it goes back.
static const struct {
    int8_t wheel, way;
} phases[] = {{-1, 0},    {LEFT, 1},   {LEFT, -1}, {LEFT, 1}, {-1, 0},
              {RIGHT, 1}, {RIGHT, -1}, {RIGHT, 1}, {-1, 0}};
#define SWINGS  (sizeof phases / sizeof phases[0])
#define REST_US 300000U

// Then straight: back to take a run-up, and over the line and back, slowly and fast.
#define RUN_UP_MM  60.0F
#define PASS_MM    130.0F
#define FAST_MM_S  250.0F
#define STRAIGHT   6U
#define MOST_CURVE 42.0F
#define MOST_DELAY 6.0F

static void find(cmo_robot *robot, cmo_check_wiring_state *state, cmo_finding finding) {
    if (!(state->findings & CMO_FINDING_BIT(finding))) {
        state->findings |= CMO_FINDING_BIT(finding);
        cmi_notify(robot, CMO_EVENT_FINDING, (int)finding);
    }
}

// -------------------------------------------------------------------------------------- swings --

static float away(const cmo_light_check *light, float counts) {
    return fabsf(counts - light->rest);
}

// What no noise and no stain does.
static float much(const cmo_robot *robot, const cmo_light_check *light, uint8_t sensor) {
    uint16_t most = robot->description->light[sensor].counts_max;
    float share = most > 0 ? 0.04F * (float)most : 24.0F;
    return fmaxf(10.0F * light->spread, share);
}

static void watch_encoders(cmo_robot *robot, cmo_check_wiring_state *state) {
    float left = robot->odometer.left_mm - state->left_mm;
    float right = robot->odometer.right_mm - state->right_mm;
    state->left_mm = robot->odometer.left_mm;
    state->right_mm = robot->odometer.right_mm;
    int8_t wheel = phases[state->phase].wheel;
    if (wheel >= 0) {
        float way = (float)phases[state->phase].way;
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

static swing read_swing(const cmo_check_wiring_state *state, int wheel) {
    const float *counted = state->counted_mm[wheel];
    int more = fabsf(counted[RIGHT]) > fabsf(counted[LEFT]) ? RIGHT : LEFT;
    bool moved = fabsf(counted[more]) > 0.25F * state->asked_mm[wheel];
    int8_t saw = state->saw[wheel];
    return (swing){
        .light = (int8_t)(saw < 0 ? -1 : saw != wheel),
        .encoder = (int8_t)(moved ? more != wheel : -1),
        .behind = state->saw_at[wheel] < 0,
        .backward = counted[more] < 0.0F,
    };
}

static void judge_swing(cmo_robot *robot, cmo_check_wiring_state *state, int wheel,
                        const swing *own) {
    bool counts = robot->port->traits & CMO_TRAIT_ENCODERS;
    bool moved = own->encoder >= 0 || own->light >= 0;
    // A finding of the right side stands behind that of the left.
    if (!moved) {
        find(robot, state, (cmo_finding)(CMO_FINDING_LEFT_MOTOR_SILENT + wheel));
        return;
    }
    bool reversed = own->light >= 0 && own->behind;
    if (reversed) {
        find(robot, state, (cmo_finding)(CMO_FINDING_LEFT_MOTOR_REVERSED + wheel));
    }
    if (counts && own->encoder < 0) {
        find(robot, state, (cmo_finding)(CMO_FINDING_LEFT_ENCODER_SILENT + wheel));
    } else if (counts && own->light >= 0 && own->backward != reversed) {
        find(robot, state, (cmo_finding)(CMO_FINDING_LEFT_ENCODER_REVERSED + wheel));
    }
}

static void judge_lights(cmo_robot *robot, cmo_check_wiring_state *state, const swing *swings) {
    uint8_t lights = cmi_front_lights(robot->description);
    if (swings[LEFT].light < 0 && swings[RIGHT].light < 0) {
        bool looks = true;
        for (uint8_t i = 0; i < lights; i++) {
            looks = looks && state->light[i].looks > 0;
        }
        if (looks) {
            find(robot, state, CMO_FINDING_NO_LINE);
            return;
        }
    }
    for (uint8_t i = 0; i < lights; i++) {
        const cmo_light_check *light = &state->light[i];
        bool changed = away(light, light->furthest) > much(robot, light, i);
        // One whose wheel did not turn has had no line to see.
        bool swung = swings[i].encoder >= 0 || !(robot->port->traits & CMO_TRAIT_ENCODERS);
        if (light->looks == 0 || (!changed && swung)) {
            find(robot, state, (cmo_finding)(CMO_FINDING_LEFT_LIGHT_SILENT + i));
        } else if (changed) {
            bool higher = light->furthest > light->rest;
            bool dark = state->parameters.tone == CMO_TONE_DARK;
            if (higher != (dark == robot->description->light[i].dark_is_high)) {
                find(robot, state, (cmo_finding)(CMO_FINDING_LEFT_POLARITY + i));
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
        find(robot, state, CMO_FINDING_MOTORS_SWAPPED);
    } else if (encoder) {
        find(robot, state, CMO_FINDING_ENCODERS_SWAPPED);
    } else if (light) {
        find(robot, state, counts ? CMO_FINDING_LIGHTS_SWAPPED : CMO_FINDING_MOTORS_SWAPPED);
    }
}

static void judge(cmo_robot *robot, cmo_check_wiring_state *state) {
    swing swings[2] = {read_swing(state, LEFT), read_swing(state, RIGHT)};
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

// ------------------------------------------------------------------------------------ straight --

static void begin_pass(cmo_robot *robot, cmo_check_wiring_state *state) {
    static const float ways[STRAIGHT] = {-RUN_UP_MM, PASS_MM,  -PASS_MM,
                                         PASS_MM,    -PASS_MM, RUN_UP_MM};
    uint8_t pass = (uint8_t)(state->phase - SWINGS);
    float sign = ways[pass] < 0.0F ? -1.0F : 1.0F;
    bool fast = pass == 3 || pass == 4;
    float most = robot->description->top_speed_mm_s;
    cmi_motion_start(&state->motion, robot, fabsf(ways[pass]), sign, sign);
    state->motion.top_mm_s = fminf(most, fast ? FAST_MM_S : state->parameters.speed_mm_s);
    robot->unsure = false;
    cmi_enter(robot, CMO_STAGE_MOVE);
    for (uint8_t i = 0; pass == 0 && i < cmi_front_lights(robot->description); i++) {
        cmo_light_check *check = &state->light[i];
        // Levels for the time of the check: what it read at rest, and over the line.
        check->levels = (cmo_levels){.dark = (uint16_t)check->furthest,
                                     .light = (uint16_t)check->rest,
                                     .void_counts = CMO_LEVEL_UNKNOWN,
                                     .noise = (uint16_t)(check->spread + 0.5F)};
        cmo_edge_start(&check->edge, &check->levels, CMO_TONE_DARK,
                       robot->description->light[i].spot_mm);
        for (uint8_t n = 0; n < 8; n++) {
            check->edge_mm[n / 4][n % 4] = NAN;
        }
    }
}

static void watch_pass(const cmo_robot *robot, cmo_check_wiring_state *state, uint8_t sensor) {
    uint8_t pass = (uint8_t)(state->phase - SWINGS);
    const cmo_light *seen = &robot->light[sensor];
    cmo_light_check *check = &state->light[sensor];
    cmo_light_point point = {seen->look_us, seen->way_mm,
                             cmo_reflectance(&check->levels, seen->counts)};
    cmo_crossing crossing;
    bool crossed = cmo_edge_look(&check->edge, point, &crossing);
    if (!crossed || pass < 1 || pass > 4) {
        return;
    }
    // The near edge is met on the way in ahead, and on the way out back.
    bool near = crossing.entering == (pass % 2 == 1);
    check->edge_mm[near ? 0 : 1][pass - 1] = crossing.way_mm;
    check->speed_mm_s[near ? 0 : 1][pass - 1] = fabsf(cmo_speed_mm_s(robot));
}

// The same edge, met ahead and back: its places differ by the gear play, and by twice the way of
// the delay's error. The play is the same at both speeds.
static void judge_straight(cmo_robot *robot, cmo_check_wiring_state *state) {
    const cmo_robot_description *d = robot->description;
    float slow = state->parameters.speed_mm_s;
    float fast = fminf(d->top_speed_mm_s, FAST_MM_S);
    for (uint8_t i = 0; i < cmi_front_lights(d); i++) {
        const cmo_light_check *check = &state->light[i];
        float off_s = 0.0F;
        float edges = 0.0F;
        for (uint8_t n = 0; n < 2; n++) {
            const float *way = check->edge_mm[n];
            const float *v = check->speed_mm_s[n];
            float here = (way[2] - way[3]) - (way[0] - way[1]);
            float speeds = v[2] + v[3] - v[0] - v[1];
            if (!isnan(here)) {
                here -= CMI_TYRE_CREEP * (v[2] * v[2] + v[3] * v[3] - v[0] * v[0] - v[1] * v[1]);
                off_s += here / speeds;
                edges += 1.0F;
            }
        }
        float off_ms = 1000.0F * off_s / edges;
        if (fast < 1.5F * slow || edges == 0.0F) {
            continue;
        }
        state->delay_ms[i] = (float)d->light[i].delay_us * 1e-3F + off_ms;
        if (fabsf(off_ms) > MOST_DELAY) {
            find(robot, state, (cmo_finding)(CMO_FINDING_LEFT_DELAY + i));
        }
    }
}

static void judge_intervals(cmo_robot *robot, cmo_check_wiring_state *state) {
    const cmo_robot_description *d = robot->description;
    for (uint8_t i = 0; i < cmi_front_lights(d); i++) {
        const cmo_light_check *light = &state->light[i];
        if (light->looks < 10) {
            continue;
        }
        state->interval_ms[i] =
            (float)(light->last_us - light->first_us) * 1e-3F / (float)(light->looks - 1);
        // Between two ticks more than one look may come, and only the newest is counted here.
        uint32_t stated =
            d->light[i].interval_us > d->tick_us ? d->light[i].interval_us : d->tick_us;
        float ratio = state->interval_ms[i] * 1000.0F / (float)stated;
        if (ratio > 1.25F || ratio < 0.75F) {
            find(robot, state, CMO_FINDING_LOOK_INTERVAL);
        }
    }
}

// ---------------------------------------------------------------------------------------- steps --

static void watch_light(cmo_robot *robot, cmo_check_wiring_state *state, uint8_t sensor) {
    cmo_light_check *light = &state->light[sensor];
    const cmo_light *seen = &robot->light[sensor];
    if (!seen->seen || (light->looks > 0 && seen->look_us == light->look_us)) {
        return;
    }
    float counts = (float)seen->counts;
    light->look_us = seen->look_us;
    if (light->looks == 0) {
        light->first = counts;
        light->first_us = seen->look_us;
    }
    light->last_us = seen->look_us;
    light->looks++;
    if (state->phase == 0) {
        light->sum += counts - light->first;
        light->squares += (counts - light->first) * (counts - light->first);
        float mean = light->sum / (float)light->looks;
        light->rest = light->first + mean;
        light->spread =
            sqrtf(fmaxf(light->squares / (float)light->looks - mean * mean, 0.0F)) + 0.5F;
        light->furthest = light->rest;
        return;
    }
    if (state->phase >= SWINGS) {
        watch_pass(robot, state, sensor);
        return;
    }
    if (away(light, counts) > away(light, light->furthest)) {
        light->furthest = counts;
    }
    int8_t wheel = phases[state->phase].wheel;
    if (wheel >= 0 && state->saw[wheel] < 0 && away(light, counts) > much(robot, light, sensor)) {
        state->saw[wheel] = (int8_t)sensor;
        state->saw_at[wheel] = state->place_mm[wheel] < 0.0F ? -1 : 1;
    }
}

static void finish(cmo_robot *robot, cmo_check_wiring_state *state) {
    judge_intervals(robot, state);
    cmi_end(robot, state->findings == 0 ? CMO_OUTCOME_DONE : CMO_OUTCOME_WIRING_WRONG);
}

// Whether a wheel has gone as far as it is to in this phase.
static bool swung(const cmo_robot *robot, const cmo_check_wiring_state *state, int8_t wheel) {
    float most = cmi_radians(state->parameters.swing_deg) * robot->description->track_mm;
    float place = state->place_mm[wheel];
    bool saw = state->saw[wheel] >= 0;
    if (phases[state->phase].way < 0) {
        return place <= (saw && state->saw_at[wheel] > 0 ? 0.0F : saw ? place : -most);
    }
    // Ahead, or the last way back from behind.
    bool last = phases[state->phase - 1].way < 0;
    return last ? place >= 0.0F : saw || place >= most;
}

static void step_swing(cmo_robot *robot, cmo_check_wiring_state *state) {
    float dt_s = (float)robot->dt_us * 1e-6F;
    int8_t wheel = phases[state->phase].wheel;
    watch_encoders(robot, state);
    robot->left.command_mm_s = robot->right.command_mm_s = 0.0F;
    robot->driving = true;
    state->phase_us += robot->dt_us;
    bool over = state->phase_us >= REST_US;
    if (wheel >= 0) {
        float speed = state->parameters.speed_mm_s * (float)phases[state->phase].way;
        cmo_wheel *driven = wheel == LEFT ? &robot->left : &robot->right;
        driven->command_mm_s = speed;
        state->place_mm[wheel] += driven->expected_mm_s * dt_s;
        state->asked_mm[wheel] += fabsf(driven->expected_mm_s) * dt_s;
        over = swung(robot, state, wheel);
    }
    if (!over) {
        return;
    }
    state->phase++;
    state->phase_us = 0;
    if (state->phase < SWINGS) {
        return;
    }
    judge(robot, state);
    if (state->findings == 0 && robot->description->lights > 0) {
        begin_pass(robot, state);
    } else {
        finish(robot, state);
    }
}

// Driven alike, by commands alone: how unlike do the wheels go? From where they have got going.
static void watch_curve(cmo_robot *robot, cmo_check_wiring_state *state) {
    float left = robot->odometer.left_mm - state->left_mm;
    float right = robot->odometer.right_mm - state->right_mm;
    float way = 0.5F * (left + right);
    if (fabsf(state->motion.place_mm) < 15.0F) {
        state->left_mm = robot->odometer.left_mm;
        state->right_mm = robot->odometer.right_mm;
    } else if (robot->port->traits & CMO_TRAIT_ENCODERS && fabsf(way) > 20.0F) {
        state->curve_deg_m =
            cmi_degrees((right - left) / robot->description->track_mm) / way * 1000.0F;
    }
}

static void step_pass(cmo_robot *robot, cmo_check_wiring_state *state) {
    cmo_motion *motion = &state->motion;
    uint8_t pass = (uint8_t)(state->phase - SWINGS);
    if (!motion->arrived) {
        cmi_motion_follow(motion, robot);
        if (pass == 0) { // alike, and not yet put right by what the encoders say
            robot->unsure = true;
            robot->left.command_mm_s = robot->right.command_mm_s =
                motion->left_sign * motion->speed_mm_s;
            watch_curve(robot, state);
        }
        return;
    }
    if (pass == 0 && fabsf(state->curve_deg_m) > MOST_CURVE) {
        find(robot, state, CMO_FINDING_CURVED);
    }
    bool settled = cmi_motion_settle(motion, robot, cmi_least_tolerance_mm(robot));
    state->phase_us += robot->dt_us;
    if (pass > 0 && !settled && state->phase_us < 600000) {
        return;
    }
    state->phase++;
    state->phase_us = 0;
    if (state->phase < SWINGS + STRAIGHT) {
        begin_pass(robot, state);
        return;
    }
    judge_straight(robot, state);
    cmi_request_halt(robot, CMO_HALT_DEFAULT);
    finish(robot, state);
}

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_check_wiring_state *state = (cmo_check_wiring_state *)routine;
    robot->unsure = state->phase < SWINGS;
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        watch_light(robot, state, i);
    }
    if (robot->stage == CMO_STAGE_IDLE) {
        state->left_mm = robot->odometer.left_mm;
        state->right_mm = robot->odometer.right_mm;
        cmi_enter(robot, CMO_STAGE_SWING);
    }
    if (state->phase < SWINGS) {
        step_swing(robot, state);
    } else {
        step_pass(robot, state);
    }
}

static const cmi_row rows[] CMO_FLASH = {
    CMO_CHECK_WIRING_PARAMETERS(CMI_ROW, cmo_check_wiring_parameters)};

cmo_outcome cmo_check_wiring_start(cmo_robot *robot, cmo_check_wiring_state *state,
                                   const cmo_check_wiring_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    const cmo_robot_description *d = robot->description;
    memset(state, 0, sizeof *state);
    state->parameters = *parameters;
    cmo_check_wiring_parameters *p = &state->parameters;
    cmi_usual_speed(robot, &p->speed_mm_s, fmaxf(2.0F * d->slowest_mm_s, 100.0F));
    cmo_outcome outcome = cmi_check_parameters(robot, rows, CMI_ROWS(rows), p);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    if (d->lights < 2) {
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "lights", NAN);
    }
    p->longest_ms = p->longest_ms != 0 ? p->longest_ms : 20000;
    state->saw[LEFT] = state->saw[RIGHT] = -1;
    state->curve_deg_m = NAN;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        state->delay_ms[i] = state->interval_ms[i] = NAN;
    }
    state->motion.acceleration_mm_s2 = fminf(d->acceleration_mm_s2, 2000.0F);
    state->motion.braking_mm_s2 = fminf(d->braking_mm_s2, 2000.0F);
    cmi_begin(robot, &state->routine, step, CMO_ROUTINE_CHECK_WIRING, p->longest_ms);
    robot->unsure = true;
    return CMO_RUNNING;
}

cmo_outcome cmo_check_wiring(cmo_robot *robot, cmo_check_wiring_state *state,
                             const cmo_check_wiring_parameters *parameters) {
    cmo_outcome outcome = cmo_check_wiring_start(robot, state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
