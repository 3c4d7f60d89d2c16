// SPDX-License-Identifier: MIT
/**
 * @file routines.h
 * What the robot can do.
 *
 * Each routine comes as a struct of parameters, an object for its state, and two functions:
 *  - cmo_NAME_start() begins it. The parameters are copied. Then call cmo_tick() in your own loop
 *    until it no longer answers CMO_RUNNING. The state object must live as long.
 *  - cmo_NAME() does the same and waits: start, tick, wait, tick... It returns the outcome.
 *
 * In all parameters zero means the default that stands beside the field. Parameters that make no
 * sense are refused before anything moves: the call answers CMO_OUTCOME_BAD_PARAMETER (or
 * _NOT_SUPPORTED, _LOW_CONTRAST, _TOO_FAST), and robot->field names the field.
 * A second start while a routine runs is refused with field "routine".
 *
 * How it went is in robot->report.
 */
#ifndef CAMMINO_ROUTINES_H
#define CAMMINO_ROUTINES_H

#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

/** How a routine leaves the motors when it is done. */
typedef enum cmo_ending {
    CMO_END_HALTED = 0, /**< at a standstill */
    CMO_END_MOVING      /**< at its last speed, for as long as a drive command lives */
} cmo_ending;

/** Which sensors are watched. */
typedef enum cmo_watch {
    CMO_WATCH_EITHER = 0, /**< the first that sees a line */
    CMO_WATCH_LEFT,
    CMO_WATCH_RIGHT,
    CMO_WATCH_BOTH /**< it ends when both have seen it */
} cmo_watch;

/** Where stop on line comes to rest. */
typedef enum cmo_rest {
    CMO_REST_HALTED = 0, /**< where the halt at the crossing leaves the robot */
    CMO_REST_NEAR_EDGE,  /**< with the sensors over the near edge */
    CMO_REST_CENTRE,     /**< over the middle of the line */
    CMO_REST_FAR_EDGE    /**< over the far edge */
} cmo_rest;

/** How much a rest is worth. */
typedef enum cmo_effort {
    CMO_EFFORT_NORMAL = 0, /**< comes back, and settles to within an encoder step or so */
    CMO_EFFORT_QUICK,      /**< brakes and stays there: no coming back. The report predicts the
                                overshoot when the braking begins */
    CMO_EFFORT_FINE        /**< settles as finely as the readings of the edge allow */
} cmo_effort;

/** What a routine does whose speed breaks its budget. */
typedef enum cmo_too_fast {
    CMO_TOO_FAST_REFUSE =
        0,              /**< it does not start; robot->limit is the highest speed that would do */
    CMO_TOO_FAST_SLOW,  /**< it drives no faster than that */
    CMO_TOO_FAST_ACCEPT /**< stay inside only: it drives so all the same */
} cmo_too_fast;

/** For least_width_mm: anything of the right tone is a line. */
#define CMO_ANY_WIDTH (-1.0F)

/** Follows a profile of way over time with both wheels. Part of the routines' state. */
typedef struct cmo_motion {
    float place_mm; /**< where the wheels should be by now, from the start of the motion */
    float speed_mm_s;
    float target_mm; /**< where it ends; INFINITY: open-ended */
    float top_mm_s;  /**< the speed to go for */
    float acceleration_mm_s2;
    float braking_mm_s2;
    float left_sign; /**< -1..1: the left wheel's way over the motion's; 0 keeps its place */
    float right_sign;
    float left_start_mm;
    float right_start_mm;
    float furthest_mm; /**< the most that it got beyond its target; negative: not yet there */
    uint32_t since_us; /**< time on the way there */
    bool arrived;      /**< the profile has reached its target */
} cmo_motion;

/* ---------------------------------------------------------------------------------- advance -- */

/** Drives straight on by a distance. */
typedef struct cmo_advance_parameters {
    float distance_mm;        /**< -20000..20000, not 0; negative is backward */
    float speed_mm_s;         /**< slowest..top speed; default: half the top speed */
    float acceleration_mm_s2; /**< default: the robot's */
    float braking_mm_s2;      /**< default: the robot's */
    float tolerance_mm; /**< it settles until it is this near, 0.1..50; default: 0.4, or half an
                             encoder step if that is more; 0.5 without encoders */
    uint32_t
        longest_ms; /**< default: twice what the profile takes, plus 2000 and 40 times lag_ms */
    cmo_halt halt;  /**< default: the port's best */
    cmo_ending ending;
} cmo_advance_parameters;

typedef struct cmo_advance_state {
    cmo_routine routine;
    cmo_advance_parameters parameters;
    cmo_motion motion;
    uint32_t settle_us;
} cmo_advance_state;

cmo_outcome cmo_advance_start(cmo_robot *robot, cmo_advance_state *state,
                              const cmo_advance_parameters *parameters);
cmo_outcome cmo_advance(cmo_robot *robot, const cmo_advance_parameters *parameters);

/* ---------------------------------------------------------------------------------- turn -- */

/** Turns on the spot by an angle. */
typedef struct cmo_turn_parameters {
    float angle_deg;          /**< -3600..3600, not 0; positive is to the left */
    float speed_mm_s;         /**< of the wheels; default: a third of the top speed */
    float acceleration_mm_s2; /**< of the wheels; default: half of the robot's: a body takes more
                                   force to turn than to drive on */
    float braking_mm_s2;      /**< of the wheels; default: half of the robot's */
    float tolerance_deg; /**< 0.05..20; default: what 0.4 mm, or half an encoder step if that is
                              more, is at the wheels; 0.5 mm without encoders */
    uint32_t
        longest_ms; /**< default: twice what the profile takes, plus 2000 and 40 times lag_ms */
    cmo_halt halt;  /**< default: the port's best */
} cmo_turn_parameters;

typedef struct cmo_advance_state cmo_turn_state;

cmo_outcome cmo_turn_start(cmo_robot *robot, cmo_turn_state *state,
                           const cmo_turn_parameters *parameters);
cmo_outcome cmo_turn(cmo_robot *robot, const cmo_turn_parameters *parameters);

/* ------------------------------------------------------ drive until line and stop on line -- */

/** How to look for a line. */
typedef struct cmo_line_parameters {
    cmo_tone tone;        /**< default: dark */
    cmo_band band;        /**< reflectances that count as the line, instead of a tone: a grey line;
                               default, both 0: by the tone */
    cmo_watch watch;      /**< which sensors; default: either */
    float blind_mm;       /**< drive this far without looking, 0..20000; default: 0 */
    float cruise_mm_s;    /**< speed while blind; default: half the top speed */
    float creep_mm_s;     /**< speed while looking, reached when the blind distance ends; default:
                               the cruise speed */
    float least_width_mm; /**< what is narrower is no line, 1..500; default: 10; CMO_ANY_WIDTH: no
                               least width. A candidate is accepted once it has lasted for 0.8 of
                               this: across it, where both sensors have met it; along the way, where
                               one has. */
    float largest_entry_deg; /**< the largest angle between the way and the line's perpendicular,
                                  1..90; default: 45. With two sensors watched, what the other one
                                  does not meet within what this allows is no line. 90: one sensor
                                  is enough, as at a line's end. On void one always is */
    float longest_mm;    /**< give up after this way without a candidate; default: blind distance +
                            2000 */
    uint32_t longest_ms; /**< default: twice what longest_mm takes, plus 2000; 6000 with a rest */
    float acceleration_mm_s2; /**< default: the robot's */
    float braking_mm_s2;      /**< default: the robot's */
    cmo_halt halt;            /**< default: the port's best */
    cmo_ending ending;        /**< of drive until line; stop on line always halts */
    cmo_too_fast too_fast;    /**< default: refuse */
    cmo_rest rest;            /**< of stop on line alone; default: where the halt leaves it */
    cmo_effort effort;        /**< with a rest; default: normal */
    float expected_mm; /**< way from the start at which the line is expected, from a route or a
                            line before it, 0..50000: it slows down there, and only there.
                            Default: not known */
    float beyond_mm;   /**< with a rest: how far beyond that place the sensors come to rest,
                            -500..500; ahead_mm of the sensors puts the axle over it.
                            On void only the near edge, and nothing beyond it */
} cmo_line_parameters;

/** One sensor's candidate for a line. */
typedef struct cmo_candidate {
    cmo_crossing near; /**< the crossing into it, */
    float speed_mm_s;  /**< the robot's speed there, */
    float turn_rad;    /**< and its turn */
    float far_mm;      /**< way at the crossing out of it; valid if `passed` */
    bool met;       /**< it counts as met, for the other sensor; also within the blind distance */
    bool passed;    /**< the far edge has been crossed */
    bool corrected; /**< and crossed again on the way back, which takes out what has slid */
    bool known;     /**< looked at again: what is met there once more is the same */
    bool doubted;   /**< by the wheels too narrow for a line, but they may have slid */
    int8_t side;    /**< where its spot is: -1 before it, 0 on it, 1 beyond it */
    bool open;      /**< the sensor is on a candidate, or has accepted it */
    bool accepted;  /**< it has proved to be a line */
} cmo_candidate;

typedef struct cmo_line_state {
    cmo_routine routine;
    /** What an edge says that is met again on the way back; NULL: nothing. */
    void (*again)(cmo_robot *robot, struct cmo_line_state *state, uint8_t sensor,
                  const cmo_crossing *crossing, bool far);
    cmo_line_parameters parameters;
    cmo_motion motion;
    cmo_candidate candidate[CMO_LIGHTS_MAX];
    uint8_t watched;      /**< bit n: sensor n */
    uint8_t rounds;       /**< moves to settle on the edge so far, */
    float goal_mm;        /**< how far the last of them was to go, */
    float share;          /**< and by what share of the limits they are driven */
    uint8_t searches;     /**< moves to find the line again so far */
    uint8_t moves;        /**< profiles for what others have left over */
    bool stood : 1;       /**< there has been a standstill after the crossing */
    bool slid : 1;        /**< the halt was a harder one than the tyres are stated to pass */
    bool looks_again : 1; /**< it goes back slowly over what it has met, */
    bool unseen : 1;      /**< no sensor has seen the edge at rest */
    bool elsewhere : 1;   /**< or on, for it was not met there */
    bool via_near : 1;    /**< to the centre, from where the near edge has been seen at rest: */
    float then_mm;        /**< so far beyond the centre, */
    float far_again_mm[CMO_LIGHTS_MAX]; /**< with the far edges where they were met coming back */
    float window_mm;       /**< the other sensor meets a line within this way; 0: it need not */
    float halt_mm;         /**< how far beyond the near edge it began to halt or brake, */
    float halt_speed_mm_s; /**< and how fast it was */
    float furthest_mm;     /**< the furthest beyond the near edge since the crossing */
    uint32_t waited_us;    /**< for small moves to settle, or for looks at rest */
    uint32_t stood_us;     /**< time of first standstill, port clock */
} cmo_line_state;

/**
 * Drives until a line, and ends on it: halted, or still moving.
 *
 * Outcomes: done; no_line after longest_mm; no_floor when a sensor with a known void level sees
 * void; sensor_silent; time_over; and what can end any routine.
 * Refused as too_fast: a speed at which the way between two looks is more than 0.8 of
 * least_width_mm, so that such a line could be missed; and on void one at which the robot cannot
 * stand before its wheels are over the edge (budget.h). robot->limit is the highest that would do.
 * With CMO_TOO_FAST_SLOW that speed is taken instead.
 */
cmo_outcome cmo_drive_until_line_start(cmo_robot *robot, cmo_line_state *state,
                                       const cmo_line_parameters *parameters);
cmo_outcome cmo_drive_until_line(cmo_robot *robot, const cmo_line_parameters *parameters);

/**
 * Drives to a line and stops on it. Where the robot stands before the line has shown its least
 * width, it creeps on until it has; and goes on looking if it was no line.
 *
 * Without a rest, it halts at the crossing and stays where that leaves it. With one, it brakes no
 * harder than the robot's limit, so that the tyres do not slide, comes back by the encoders, and
 * where the rest is an edge under the sensors, settles on the reading of the edge itself. A robot
 * that has slid away from its line and finds it no more ends with no_line.
 */
cmo_outcome cmo_stop_on_line_start(cmo_robot *robot, cmo_line_state *state,
                                   const cmo_line_parameters *parameters);
cmo_outcome cmo_stop_on_line(cmo_robot *robot, const cmo_line_parameters *parameters);

/* ---------------------------------------------------------------------------------- action -- */

/** The user's own routine: called once per tick; true means done. */
typedef bool (*cmo_action_function)(cmo_robot *robot, void *context);

/** Runs a user's function once per tick until it is done: a lift, a gripper, a wait. */
typedef struct cmo_action_parameters {
    cmo_action_function function; /**< must be given */
    void *context;
    uint32_t longest_ms; /**< 1..600000; default: 10000 */
} cmo_action_parameters;

typedef struct cmo_action_state {
    cmo_routine routine;
    cmo_action_parameters parameters;
} cmo_action_state;

cmo_outcome cmo_action_start(cmo_robot *robot, cmo_action_state *state,
                             const cmo_action_parameters *parameters);
cmo_outcome cmo_action(cmo_robot *robot, const cmo_action_parameters *parameters);

#ifdef __cplusplus
}
#endif

#endif
