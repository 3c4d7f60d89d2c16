// SPDX-License-Identifier: MIT
/**
 * @file check_wiring.h
 * The wiring check: which motor, encoder and light sensor is where, and which way round.
 */
#ifndef CAMMINO_CHECK_WIRING_H
#define CAMMINO_CHECK_WIRING_H

#include <cammino/levels.h>
#include <cammino/inside/motion.h>
#include <cammino/parameters.h>
#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What the check can find, a row each: F(NAME, name, what it is and what to change). A finding of
 * the right side stands behind that of the left. */
// clang-format off
#define CMO_EACH_FINDING(F)                                                                         \
    F(LEFT_MOTOR_SILENT, left_motor_silent,                                                         \
      "the left motor does not turn; check its plug, its wires and its driver")                     \
    F(RIGHT_MOTOR_SILENT, right_motor_silent,                                                       \
      "the right motor does not turn; check its plug, its wires and its driver")                    \
    F(LEFT_MOTOR_REVERSED, left_motor_reversed,                                                     \
      "the left motor turns backward; swap its two wires, or turn its sign round in the "           \
      "port")                                                                                       \
    F(RIGHT_MOTOR_REVERSED, right_motor_reversed,                                                   \
      "the right motor turns backward; swap its two wires, or turn its sign round in the "          \
      "port")                                                                                       \
    F(MOTORS_SWAPPED, motors_swapped,                                                               \
      "left and right motor are swapped; swap their plugs, or the two in the port's drive")         \
    F(LEFT_ENCODER_SILENT, left_encoder_silent,                                                     \
      "the left wheel turns and is not counted; check the left encoder's plug")                     \
    F(RIGHT_ENCODER_SILENT, right_encoder_silent,                                                   \
      "the right wheel turns and is not counted; check the right encoder's plug")                   \
    F(LEFT_ENCODER_REVERSED, left_encoder_reversed,                                                 \
      "the left encoder counts down when its wheel goes forward; swap its two channels, or "        \
      "turn its sign round in the port")                                                            \
    F(RIGHT_ENCODER_REVERSED, right_encoder_reversed,                                               \
      "the right encoder counts down when its wheel goes forward; swap its two channels, or "       \
      "turn its sign round in the port")                                                            \
    F(ENCODERS_SWAPPED, encoders_swapped,                                                           \
      "left and right encoder are swapped; swap their plugs, or the two in the port's "             \
      "sample")                                                                                     \
    F(LEFT_LIGHT_SILENT, left_light_silent,                                                         \
      "the left light sensor says nothing, or always the same; check its plug and its lamp")        \
    F(RIGHT_LIGHT_SILENT, right_light_silent,                                                       \
      "the right light sensor says nothing, or always the same; check its plug and its lamp")       \
    F(LIGHTS_SWAPPED, lights_swapped,                                                               \
      "left and right light sensor are swapped; swap their plugs, or the two in the port's "        \
      "sample")                                                                                     \
    F(LEFT_POLARITY, left_polarity,                                                                 \
      "the left light sensor reads the other way round over the line; set its dark_is_high "        \
      "the other way, or say what tone the line has")                                               \
    F(RIGHT_POLARITY, right_polarity,                                                               \
      "the right light sensor reads the other way round over the line; set its dark_is_high "       \
      "the other way, or say what tone the line has")                                               \
    F(NO_LINE, no_line,                                                                             \
      "neither light sensor saw a line; put the robot with its sensors 10 to 25 mm before "         \
      "one")                                                                                        \
    F(LOOK_INTERVAL, look_interval,                                                                 \
      "looks come at another interval than described; set interval_us to what was measured")        \
    F(LEFT_DELAY, left_delay,                                                                       \
      "the left light sensor's delay is another than described; set delay_us to what was "          \
      "measured")                                                                                   \
    F(RIGHT_DELAY, right_delay,                                                                     \
      "the right light sensor's delay is another than described; set delay_us to what was "         \
      "measured")                                                                                   \
    F(CURVED, curved,                                                                               \
      "driven alike, one wheel goes much further than the other; look for a dragging wheel "        \
      "or a weak motor")
// clang-format on

#define CMO_FINDING_AS_ID(NAME, name, text) CMO_FINDING_##NAME,

/** Which finding: CMO_FINDING_LEFT_MOTOR_SILENT... */
typedef enum cmo_finding {
    CMO_EACH_FINDING(CMO_FINDING_AS_ID) CMO_FINDINGS /**< how many there are */
} cmo_finding;

#define CMO_FINDING_BIT(finding) ((uint32_t)1 << (finding))

// clang-format off
#define CMO_CHECK_WIRING_PARAMETERS(P, X)                                                           \
    P(X, CHOICE, cmo_tone, tone, CMO_TONE_DARK, CMO_TONE_LIGHT, ("dark", "light"), "dark", "of the line") \
    P(X, SPEED, speed_mm_s, "100", "speed of a wheel")                                              \
    P(X, NUMBER, swing_deg, 10, 45, 35,                                                             \
      "how far each wheel by itself swings the robot to look for the line")                         \
    P(X, TIME, longest_ms, longest_s, 0.01, "20", "give up after this time")
// clang-format on

/**
 * The robot stands before a line, square to it within some 10 degrees, its sensors 10 to 25 mm away
 * from it, on a plain surface with 120 mm of room behind it. It needs no levels.
 */
typedef struct cmo_check_wiring_parameters {
    CMO_CHECK_WIRING_PARAMETERS(CMO_FIELD, )
} cmo_check_wiring_parameters;

typedef struct cmo_check_wiring_state cmo_check_wiring_state;

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

struct cmo_check_wiring_state {
    cmo_routine routine;
    cmo_check_wiring_parameters parameters;
    cmo_motion motion;
    uint8_t swing;          /**< which of the swings, */
    uint8_t pass;           /**< and then which of the straight passes */
    uint32_t since_us;      /**< of a rest between them, or of settling after one */
    float place_mm[2];      /**< where each wheel ought to be by its commands */
    float asked_mm[2];      /**< how far each was asked to go, to and fro */
    float counted_mm[2][2]; /**< [driven][encoder]: counted along the command */
    int8_t saw[2];          /**< [driven]: the sensor that saw the line first; -1: none */
    float saw_mm[2];        /**< and where the wheel ought to have been then */
    float seen_mm[2][2]; /**< [driven][sensor]: the way of the wheel until it saw the line; 0: no */
    float left_mm, right_mm;
    cmo_light_check light[CMO_LIGHTS_MAX];

    uint32_t findings;                 /**< bit n: cmo_finding n */
    float interval_ms[CMO_LIGHTS_MAX]; /**< measured between looks; NAN: not measured */
    float delay_ms[CMO_LIGHTS_MAX];    /**< measured from mid-exposure to a look's time; NAN: not */
    float delay_error_ms[CMO_LIGHTS_MAX]; /**< and their standard uncertainty; NAN: not */
    float curve_deg_m; /**< turn a metre with both wheels driven alike; NAN: not */
};

#ifdef __cplusplus
}
#endif

#endif
