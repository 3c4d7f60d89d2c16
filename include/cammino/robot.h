// SPDX-License-Identifier: MIT
/**
 * @file robot.h
 * The robot: its description, its state, the tick, and the loop around it.
 *
 *     static const cmo_robot_description mozzo = { .tick_us = 10000, .track_mm = 110, ... };
 *     cmo_robot robot;
 *     if (cmo_robot_start(&robot, &mozzo, &port) != CMO_OUTCOME_DONE) ...robot.field is wrong
 *     cmo_robot_set_levels(&robot, 0, &left_levels);
 *     cmo_robot_set_levels(&robot, 1, &right_levels);
 *     cmo_advance(&robot, &(cmo_advance_parameters){.distance_mm = 500});
 *
 * Every robot and every routine is an object of the caller's: no heap, no globals.
 */
#ifndef CAMMINO_ROBOT_H
#define CAMMINO_ROBOT_H

#include <cammino/light.h>
#include <cammino/port.h>
#include <cammino/report.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * A description's fields that a robot file has a key for, a row each:
 * F(X, MUST or MAY, type, field, key, factor, least, most, unit, "default", meaning). Of MAY zero
 * is the default. The key's number times the factor is the field's; range and unit are the key's.
 * From these lists are made the structs below, the check of cmo_robot_start(), and the keys of
 * robot files.
 */
// clang-format off
#define CMO_LIGHT_FIELDS(F, X)                                                                      \
    F(X, MUST, float, ahead_mm, ahead_mm, 1, -500, 500, "mm", "must be given",                      \
      "place of its spot ahead of the axle; behind is negative")                                    \
    F(X, MUST, float, left_mm, left_mm, 1, -500, 500, "mm", "must be given",                        \
      "place of its spot to the left of the middle; right is negative")                             \
    F(X, MAY, float, spot_mm, spot_mm, 1, 0, 50, "mm", "not known", "diameter of the spot that it sees") \
    F(X, MAY, uint32_t, delay_us, delay_ms, 1000, 0, 50, "ms", "0",                                 \
      "from the middle of an exposure to the look's own time")                                      \
    F(X, MAY, uint32_t, interval_us, interval_ms, 1000, 0.5, 100, "ms", "one tick",                 \
      "between two fresh looks")                                                                    \
    F(X, MAY, uint16_t, counts_min, counts_min, 1, 0, 65535, "counts", "0",                         \
      "least that the hardware can give")                                                           \
    F(X, MAY, uint16_t, counts_max, counts_max, 1, 1, 65535, "counts", "anything",                  \
      "most that the hardware can give")

#define CMO_BODY_FIELDS(F, X)                                                                       \
    F(X, MUST, uint32_t, tick_us, tick_ms, 1000, 1, 25, "ms", "must be given",                      \
      "period of the program's loop")                                                               \
    F(X, MUST, float, track_mm, track_mm, 1, 20, 1000, "mm", "must be given",                       \
      "between the wheels' contact points")                                                         \
    F(X, MAY, float, drift_most, drift_most, 1, 0, 0.2, "", "0",                                    \
      "levels may follow slow changes of the light by up to this share of the contrast")

/* Where it touches the floor; to stay inside. */
#define CMO_CONTACT_FIELDS(F, X)                                                                    \
    F(X, MAY, float, tyre_mm, tyre_mm, 1, 0, 200, "mm", "10",                                       \
      "width of a tyre; with the track it says how far out the wheels stand")                       \
    F(X, MAY, float, rear_mm, rear_mm, 1, 0, 500, "mm", "half the track",                           \
      "from the axle back to the hindmost place that touches the floor, a caster's wheel swung out " \
      "to the rear")                                                                                \
    F(X, MAY, float, front_mm, front_mm, 1, 0, 500, "mm", "0",                                      \
      "from the axle ahead to the foremost place that touches the floor, a ball in front say")

#define CMO_DRIVE_FIELDS(F, X)                                                                      \
    F(X, MUST, float, top_speed_mm_s, top_mm_s, 1, 10, 5000, "mm/s", "must be given",               \
      "the fastest that a routine may ask for; a wheel that has to catch up may be sent faster")    \
    F(X, MAY, float, slowest_mm_s, slowest_mm_s, 1, 0, 500, "mm/s", "0",                            \
      "commands below do not turn the wheels")                                                      \
    F(X, MUST, float, acceleration_mm_s2, acceleration_mm_s2, 1, 10, 50000, "mm/s2", "must be given", \
      "limit when speeding up")                                                                     \
    F(X, MUST, float, braking_mm_s2, braking_mm_s2, 1, 10, 50000, "mm/s2", "must be given",         \
      "limit when slowing down; stay below the grip")                                               \
    F(X, MAY, float, grip_mm_s2, grip_mm_s2, 1, 0, 50000, "mm/s2", "0: not known",                 \
      "what the tyres pass on to the floor before they slide")                                      \
    F(X, MAY, float, lag_ms, lag_ms, 1, 0, 500, "ms", "0", "time constant from commanded to driven speed")

/* Of a port that takes duty. */
#define CMO_DUTY_FIELDS(F, X)                                                                       \
    F(X, MUST, float, full_duty_mm_s, full_duty_mm_s, 1, 10, 10000, "mm/s", "must be given for duty", \
      "speed at duty 1")                                                                            \
    F(X, MAY, float, dead_duty, dead_duty, 1, 0, 0.9, "", "0",                                      \
      "duty below which the motors do not turn")                                                    \
    F(X, MAY, float, speed_gain, gain, 1, 0, 1, "duty per mm/s", "1 / full_duty_mm_s",              \
      "proportional gain of the speed control, for duty")                                           \
    F(X, MAY, float, speed_reset_ms, reset_ms, 1, 1, 10000, "ms", "150",                            \
      "integral time of the speed control, for duty")
// clang-format on

#define CMO_DESCRIBED(X, must, of, field, key, factor, least, most, unit, usual, meaning) of field;

/** A light sensor, as the robot believes it to be. Lengths from the middle of the axle. */
typedef struct cmo_light_description {
    CMO_LIGHT_FIELDS(CMO_DESCRIBED, )
    bool dark_is_high; /**< it reads higher over dark than over light; to take levels */
#if CMO_SURFACES_MAX > 0
    bool colour;        /**< its looks have colours */
    uint32_t colour_us; /**< from the first channel's exposure to the last one's, 0..100000; 0: they
                             are exposed at once */
#endif
} cmo_light_description;

/** What the robot believes of itself. Constant; may live in flash. */
typedef struct cmo_robot_description {
    CMO_BODY_FIELDS(CMO_DESCRIBED, )
    CMO_CONTACT_FIELDS(CMO_DESCRIBED, )

    float left_step_mm;  /**< way of the left wheel per encoder count, 0.001..20 */
    float right_step_mm; /**< way of the right wheel per encoder count */
    float gear_play_mm;  /**< at the tyre, between encoder and wheel, 0..5; 0: none, or not known. A
                              robot that has stopped has rolled on by it */
    uint8_t encoder_bits; /**< width at which the counts wrap, 8..32; 0: 32. In a tick and a half at
                             top speed wheels count less than half of that */

    CMO_DRIVE_FIELDS(CMO_DESCRIBED, )
    bool lag_measured;   /**< by measure_drive: commands lead by all of it from the start */
    float stated_lag_ms; /**< what lag_ms was before that, 0..500. A regulator that catches up needs
                            no lead, and yet takes its time to answer: budgets go by the longer one
                            of both */
    float stated_braking_mm_s2; /**< what braking_mm_s2 was before that, 0..50000: tyres pass it on,
                                     whatever a regulator's ramp does */
    float holds_mm_s; /**< by measure_braking: braked by its limit from up to here, its tyres do not
                           slide; 0: not known */
    CMO_DUTY_FIELDS(CMO_DESCRIBED, )

    /* Ages, two ticks to 10000000 us. */
    uint32_t lifetime_us;    /**< of a drive command; 0: five ticks, at least 50000 */
    uint32_t encoder_age_us; /**< older counts are a fault; 0: eight ticks, at least 80000 */
    uint32_t light_age_us;   /**< older looks are a fault; 0: ten look intervals, at least 80000 */

    uint8_t lights; /**< how many light sensors, 0..CMO_LIGHTS_MAX; 0 is left, 1 is right. Further
                         ones are read, traced, and have their levels taken; routines go by the
                         first two */
    cmo_light_description light[CMO_LIGHTS_MAX];
} cmo_robot_description;

/** Place and heading of the middle of the axle. */
typedef struct cmo_pose {
    float x_mm;
    float y_mm;
    float heading_rad; /**< anticlockwise from +x; not wrapped */
} cmo_pose;

/**
 * The robot. Start it with cmo_robot_start(), and change nothing in it by hand. Worth reading:
 *
 *  - report: how the last routine went (report.h), and whether motors may be running
 *  - field, limit: after a refusal, which field makes no sense, and the nearest value that would
 *    do; NAN: there is none
 *  - odometer.pose: where it believes to be
 *  - light[i].reflectance, light[i].counts: the newest look of sensor i
 *  - light[i].unfit: its levels no longer fit the floor
 *  - stage: what the routine is at (cmo_stage)
 *  - elapsed_ms: since it started
 *  - sample: during a tick, all inputs
 */
typedef struct cmo_robot cmo_robot;

/** The surfaces that it knows; see surfaces.h. */
typedef struct cmo_surfaces cmo_surfaces;

struct cmo_routine;
struct cmo_trace_row;

/** Takes one row per tick; see trace.h. */
typedef void (*cmo_trace_function)(void *context, const struct cmo_trace_row *row);

/** For times: no limit. */
#define CMO_NO_END UINT32_MAX

/**
 * Starts a robot on a port. Nothing moves. The pose becomes (0, 0, 0).
 * @return CMO_OUTCOME_DONE, or CMO_OUTCOME_BAD_PARAMETER or _NOT_SUPPORTED with robot->field set.
 */
cmo_outcome cmo_robot_start(cmo_robot *robot, const cmo_robot_description *description,
                            const cmo_port *port);

/* A robot whose start was refused does nothing: its functions answer CMO_OUTCOME_BAD_PARAMETER with
 * field "robot". */

/** Sets a sensor's levels.
 *  @return CMO_OUTCOME_DONE; CMO_OUTCOME_BAD_PARAMETER for a sensor that is none;
 *  CMO_OUTCOME_LOW_CONTRAST for levels that cannot part dark from light (they are not taken). */
cmo_outcome cmo_robot_set_levels(cmo_robot *robot, uint8_t sensor, const cmo_levels *levels);

/** Says where the robot stands. Angles in degrees, anticlockwise from +x. */
void cmo_robot_set_pose(cmo_robot *robot, float x_mm, float y_mm, float heading_deg);

/** Ends any routine with CMO_OUTCOME_TIME_OVER once the robot has run for `ms`; 0: no limit. */
void cmo_robot_set_run_limit(cmo_robot *robot, uint32_t ms);

/** Sets the function that takes one trace row per tick; NULL: none. */
void cmo_robot_set_trace(cmo_robot *robot, cmo_trace_function function, void *context);

/**
 * One turn of the loop: sample, odometry and light, the routine's step, drive. Never blocks.
 * Call it every description->tick_us.
 * @return CMO_RUNNING while a routine is active, then its outcome; CMO_OUTCOME_DONE when none ever
 * was. While a halt has not succeeded it is repeated in each tick, also after the routine's end.
 */
cmo_outcome cmo_tick(cmo_robot *robot);

/** Waits for the next tick, through the port. Returns at once if the port cannot wait. */
void cmo_wait(cmo_robot *robot);

/** Ticks and waits until the active routine has ended. Needs a port that can wait; without, it
 *  aborts the routine and answers CMO_OUTCOME_NOT_SUPPORTED. */
cmo_outcome cmo_run(cmo_robot *robot);

/** Ends the active routine at the next tick with CMO_OUTCOME_ABORTED, halted. Where none is active
 *  it ends the next one, at its first tick and before anything moves: an abort holds until it has
 *  ended one routine, or until the robot is started anew. Call it from anywhere, an interrupt too.
 */
void cmo_abort(cmo_robot *robot);

/** Halts at once, and ends the active routine with CMO_OUTCOME_ABORTED; called by a user's own
 *  action, it halts alone. A halt that does not succeed is repeated in each tick.
 *  From the main loop only, for it calls the port; from an interrupt call cmo_abort().
 *  @param how  CMO_HALT_DEFAULT: the best that the port has
 *  @return CMO_OK; CMO_NOT_YET: not halted yet; CMO_FAILED: the port has no such halt */
cmo_status cmo_halt_now(cmo_robot *robot, cmo_halt how);

/** Way of the middle of the axle since the robot's start, mm. */
float cmo_way_mm(const cmo_robot *robot);

/** Turn since the robot's start from the wheels, radians, anticlockwise. */
float cmo_turned_rad(const cmo_robot *robot);

/** Speed of the middle of the axle, mm/s. */
float cmo_speed_mm_s(const cmo_robot *robot);

#ifdef __cplusplus
}
#endif

#include <cammino/inside/robot.h>

#endif
