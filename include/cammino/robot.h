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

/** A light sensor, as the robot believes it to be. Lengths from the middle of the axle. */
typedef struct cmo_light_description {
    float ahead_mm;       /**< -500..500; positive is ahead of the axle */
    float left_mm;        /**< -500..500; positive is to the left */
    float spot_mm;        /**< diameter of the spot, 0..50; 0: not known */
    uint32_t delay_us;    /**< from mid-exposure to the look's time_us, 0..50000 */
    uint32_t interval_us; /**< time between two fresh looks, 500..100000; 0: one tick */
    uint16_t counts_min;  /**< what the hardware can give, */
    uint16_t counts_max;  /**< both 0: anything */
    bool dark_is_high;    /**< it reads higher over dark than over light; to take levels */
} cmo_light_description;

/** What the robot believes of itself. Constant; may live in flash. */
typedef struct cmo_robot_description {
    uint32_t tick_us;    /**< period at which cmo_tick() is called, 1000..25000 */
    float track_mm;      /**< between the wheels' contact points, 20..1000 */
    float left_step_mm;  /**< way of the left wheel per encoder count, 0.001..20 */
    float right_step_mm; /**< way of the right wheel per encoder count */
    float gear_play_mm;  /**< at the tyre, between encoder and wheel, 0..5; 0: none, or not known. A
                              robot that has stopped has rolled on by it */
    uint8_t encoder_bits; /**< width at which the counts wrap, 8..32; 0: 32 */

    float tyre_mm;  /**< to stay inside: width of a tyre, 0..200; 0: 10. With the track it says how
                       far out the wheels stand */
    float rear_mm;  /**< from the axle back to the hindmost ground contact, a caster's wheel swung
                         out to the rear, 0..500; 0: half the track */
    float front_mm; /**< from the axle ahead to the foremost ground contact, a ball in front say,
                         0..500; 0: there is none ahead of the tyres */

    float top_speed_mm_s;     /**< the fastest that any routine may ask for, 10..5000. A wheel that
                                   has to catch up is sent up to CMO_COMMAND_MOST times as much */
    float slowest_mm_s;       /**< commands below this do not turn the wheels, 0..500 */
    float acceleration_mm_s2; /**< limit when speeding up, 10..50000 */
    float braking_mm_s2;      /**< limit when slowing down, 10..50000; stay below the grip */
    float lag_ms;             /**< time constant from commanded to driven speed, 0..500 */
    bool lag_measured;        /**< by measure_drive: commands lead by all of it from the start */
    float stated_lag_ms; /**< what lag_ms was before that, 0..500. A regulator that catches up needs
                            no lead, and yet takes its time to answer: budgets go by the longer one
                            of both */

    float full_duty_mm_s; /**< duty only: speed at duty 1, 10..10000 */
    float dead_duty;      /**< duty only: duty below which the motors do not turn, 0..0.9 */
    float speed_gain;     /**< duty only: duty per mm/s of speed error; 0: 1 / full_duty_mm_s */
    float speed_reset_ms; /**< duty only: integral time of the speed control; 0: 150 */

    float drift_most; /**< the levels may follow slow changes of the light by up to this share of
                           the contrast, 0..0.2; 0: they stay as taken */

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
 *  - sample: during a tick, all inputs
 */
typedef struct cmo_robot cmo_robot;

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
