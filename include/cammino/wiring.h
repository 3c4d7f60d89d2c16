// SPDX-License-Identifier: MIT
/**
 * @file wiring.h
 * The wiring check: which motor, encoder and light sensor is where, and which way round.
 */
#ifndef CAMMINO_WIRING_H
#define CAMMINO_WIRING_H

#include <cammino/levels.h>
#include <cammino/routines.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What the check can find. */
typedef enum cmo_finding {
    CMO_FINDING_LEFT_MOTOR_SILENT = 0,
    CMO_FINDING_RIGHT_MOTOR_SILENT,
    CMO_FINDING_LEFT_MOTOR_REVERSED,
    CMO_FINDING_RIGHT_MOTOR_REVERSED,
    CMO_FINDING_MOTORS_SWAPPED,
    CMO_FINDING_LEFT_ENCODER_SILENT,
    CMO_FINDING_RIGHT_ENCODER_SILENT,
    CMO_FINDING_LEFT_ENCODER_REVERSED,
    CMO_FINDING_RIGHT_ENCODER_REVERSED,
    CMO_FINDING_ENCODERS_SWAPPED,
    CMO_FINDING_LEFT_LIGHT_SILENT, /**< no looks, or looks that never change */
    CMO_FINDING_RIGHT_LIGHT_SILENT,
    CMO_FINDING_LIGHTS_SWAPPED,
    CMO_FINDING_LEFT_POLARITY, /**< over the line its readings go the other way than described */
    CMO_FINDING_RIGHT_POLARITY,
    CMO_FINDING_NO_LINE,       /**< neither sensor has seen a line: light is not checked */
    CMO_FINDING_LOOK_INTERVAL, /**< off by more than a quarter */
    CMO_FINDING_LEFT_DELAY,    /**< off by more than 6 ms */
    CMO_FINDING_RIGHT_DELAY,
    CMO_FINDING_CURVED, /**< driven alike, the wheels go so unlike that it turns by more than 42
                             degrees a metre */
    CMO_FINDINGS
} cmo_finding;

#define CMO_FINDING_BIT(finding) ((uint32_t)1 << (finding))

/**
 * The robot stands before a line, square to it within some 10 degrees, its sensors 10 to 25 mm away
 * from it, on a plain surface with 120 mm of room behind it. It needs no levels.
 */
typedef struct cmo_check_wiring_parameters {
    cmo_tone tone;    /**< of the line, dark or light; default: dark */
    float speed_mm_s; /**< of a wheel; default: 100, or twice the slowest speed if that is more */
    float swing_deg;  /**< how far each wheel by itself swings the robot to look for the line,
                           10..45; default: 35 */
    uint32_t longest_ms; /**< default: 20000 */
} cmo_check_wiring_parameters;

/** One light sensor in the check. */
typedef struct cmo_light_check {
    uint32_t look_us;
    uint32_t looks;
    float sum, squares; /**< of readings at rest, from the first one */
    float first;
    float rest, spread;  /**< reading at rest and its standard deviation */
    float furthest;      /**< the reading furthest away from it */
    float edge_mm[2][4]; /**< [near, far]: way at the edge ahead and back, slow; the same, fast */
    float speed_mm_s[2][4]; /**< and the speed there */
    uint32_t first_us, last_us;
    cmo_levels levels; /**< for the time of the check */
    cmo_edge edge;
} cmo_light_check;

typedef struct cmo_check_wiring_state {
    cmo_routine routine;
    cmo_check_wiring_parameters parameters;
    cmo_motion motion;
    uint8_t phase;
    uint32_t phase_us;
    float place_mm[2];      /**< where each wheel ought to be by its commands */
    float asked_mm[2];      /**< how far each was asked to go, to and fro */
    float counted_mm[2][2]; /**< [driven][encoder]: counted along the command */
    int8_t saw[2];          /**< [driven]: the sensor that saw the line first; -1: none */
    int8_t saw_at[2];       /**< and where the wheel was then: ahead 1, behind -1 */
    float left_mm, right_mm;
    cmo_light_check light[CMO_LIGHTS_MAX];

    uint32_t findings;                 /**< bit n: cmo_finding n */
    float interval_ms[CMO_LIGHTS_MAX]; /**< measured between looks; NAN: not measured */
    float delay_ms[CMO_LIGHTS_MAX];    /**< measured from mid-exposure to a look's time; NAN: not */
    float curve_deg_m;                 /**< turn a metre with both wheels driven alike; NAN: not */
} cmo_check_wiring_state;

/**
 * Swings each wheel by itself, to and fro, by commands and the clock alone: the encoders' and the
 * sensors' answers tell who is where. If all is well it drives over the line and back, slowly and
 * fast, and measures look interval, delay and how straight it goes. Ends about where it began.
 *
 * A swapped pair of motors and one of encoders and light sensors both at once look alike; of two
 * explanations the one with fewer faults is named. Without encoders, nothing is said of them.
 *
 * Outcomes: done, nothing found; wiring_wrong, and state->findings says what; and what can end any
 * routine.
 */
cmo_outcome cmo_check_wiring_start(cmo_robot *robot, cmo_check_wiring_state *state,
                                   const cmo_check_wiring_parameters *parameters);
cmo_outcome cmo_check_wiring(cmo_robot *robot, cmo_check_wiring_state *state,
                             const cmo_check_wiring_parameters *parameters);

/** "left_motor_silent"...; "?" for a value that is none. */
const char *cmo_finding_name(cmo_finding finding);
/** One short sentence for people: what to change. */
const char *cmo_finding_text(cmo_finding finding);

#ifdef __cplusplus
}
#endif

#endif
