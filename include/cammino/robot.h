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

/** Where the wheels were at a moment. */
typedef struct cmo_moment {
    uint32_t time_us;
    float left_mm;
    float right_mm;
} cmo_moment;

/** Odometry: what the wheels have turned, and the pose that follows from it. */
typedef struct cmo_odometer {
    cmo_pose pose;
    float left_mm;    /**< way of the left wheel since the start of the robot */
    float right_mm;   /**< way of the right wheel */
    float left_rest;  /**< what the float above could not take of the last ways */
    float right_rest; /**< the same of the right wheel's */
    float origin_rad; /**< heading less the turn of the wheels since the start */
    uint32_t left_counts;
    uint32_t right_counts;
    float heading_deg;       /**< last heading taken, where the port has one */
    float since_heading_rad; /**< turn of the wheels since then */
    bool has_heading;
    cmo_moment history[CMO_HISTORY];
    uint8_t moments; /**< filled in */
    uint8_t newest;
    bool started;
} cmo_odometer;

/** One light sensor's state. */
typedef struct cmo_light {
    cmo_levels levels;
    float reflectance; /**< of the newest look */
    uint16_t counts;   /**< of the newest look */
    uint8_t sequence;
    uint8_t latch_sequence;
    bool seen : 1; /**< there has been a look */
    bool latch_seen : 1;
    bool out_of_range : 1; /**< the newest look left what the hardware can give */
    bool watching : 1;     /**< `edge` is in use */
    bool unfit : 1;  /**< for a while readings have been neither light nor dark: take levels anew */
    bool bright : 1; /**< which side the newest look is on */
#if CMO_WATCH_LIGHT
    int8_t dark_drift; /**< of the levels, in 512ths of the contrast */
    int8_t light_drift;
    uint8_t sure_looks; /**< looks in a row that were surely light or dark */
    uint8_t misfits;    /**< steady looks of no known surface, less the others */
    uint8_t same_looks; /**< looks in a row of the very same counts, */
    uint8_t proofs;     /**< and edges, up to 2, that others have crossed in the meantime, */
    int16_t proof_mm;   /**< the last of them at this way; */
    int16_t changed_mm; /**< way at which its own counts changed last */
    int8_t last_change; /**< -1, 0 or 1: what the newest look did to the reading */
    uint8_t jumps;      /**< weight of looks that no motion explains */
#endif
    uint8_t crossings; /**< completed in this tick */
    cmo_crossing crossing[2];
    uint32_t age_us;            /**< since the newest look came in */
    uint32_t look_us;           /**< time of the newest look, port clock */
    float way_mm;               /**< where it was taken, along the sensor's own way */
    uint32_t interval_sum_us;   /**< times between looks since the search began: sum, */
    uint32_t interval_worst_us; /**< longest, */
    uint16_t intervals;         /**< and number; */
    float gap_worst_mm;         /**< and the longest way between two of them */
    cmo_edge edge;
} cmo_light;

/** One wheel: what is asked of it, an observer of its speed, and the speed control for ports that
 *  take duty. */
typedef struct cmo_wheel {
    float command_mm_s;  /**< what the routine asks for */
    float speed_mm_s;    /**< estimated: the command through the lag, corrected by the encoder */
    float within_mm;     /**< its place within the step that the encoder counts, off its middle */
    float expected_mm_s; /**< the command through the lag alone: what the motor should do */
    float integral;      /**< duty */
    float behind_mm;     /**< way commanded but not driven, and */
    float gained_mm_s;   /**< speed gained, both of the last half second */
} cmo_wheel;

struct cmo_robot;
struct cmo_routine;
struct cmo_trace_row;

/** One turn of a routine. */
typedef void (*cmo_step)(struct cmo_robot *robot, struct cmo_routine *routine);

/** What all routines begin with. */
typedef struct cmo_routine {
    cmo_step step;
} cmo_routine;

/** Takes one row per tick; see trace.h. */
typedef void (*cmo_trace_function)(void *context, const struct cmo_trace_row *row);

/** For times: no limit. */
#define CMO_NO_END UINT32_MAX

/** The robot. Start it with cmo_robot_start(); read what you like, change nothing by hand. */
typedef struct cmo_robot {
    const cmo_robot_description *description;
    const cmo_port *port;
    cmo_routine *routine;     /**< the active one; NULL: none */
    const cmo_sample *sample; /**< during a tick: all inputs; NULL between ticks */
    const char *field;        /**< after a refusal: the field that makes no sense */

    cmo_odometer odometer;
    cmo_light light[CMO_LIGHTS_MAX];
    cmo_wheel left;
    cmo_wheel right;

    uint32_t clock_us;     /**< port clock at the last tick */
    uint32_t dt_us;        /**< time between the last two ticks */
    uint32_t elapsed_ms;   /**< since the start of the routine */
    uint32_t longest_ms;   /**< the routine's time; CMO_NO_END: no limit */
    uint32_t run_ms;       /**< since the start of the robot */
    uint32_t run_limit_ms; /**< 0: none */
    uint16_t elapsed_us;   /**< part of a millisecond, carried over */
    uint16_t run_us;       /**< the same of the run's */
    uint32_t lifetime_us;  /**< of a drive command */
    uint32_t encoder_age_us;
    uint32_t command_age_us; /**< since the last drive command that the port has taken */
    uint32_t untaken_us;     /**< for how long it has taken none that was given */
    uint32_t still_us;       /**< how long both wheels have stayed within one encoder step */
    uint32_t stall_us;       /**< how long they have stood still although driven */
    float still_left_mm;
    float still_right_mm;

    float trail_s;     /**< by how much the wheels trail their commands, learned as they speed up */
    float reach_mm_s2; /**< acceleration that they reach where more was asked for; 0: enough */
    uint32_t ramp_us;  /**< when they began to speed up, */
    float ramp_mm_s, ramp_command_mm_s; /**< what both had then, and were told */
    float halt_mm_s2; /**< deceleration by a halt, learned from the last ones; 0: none yet */

    float limit;    /**< after a refusal: the nearest value that would do; NAN: there is none */
    uint16_t stuck; /**< ticks for which the clock has not moved */

    uint8_t stage; /**< cmo_stage */
    uint8_t halt;  /**< cmo_halt that is asked for; 0: driving */
    bool halt_done;
    bool driving : 1; /**< a drive command was given in this tick */
    bool ticked : 1;
    bool unsure : 1;     /**< the routine does not take the encoders' word for anything */
    bool curved : 1;     /**< it turns as it looks: looks are placed along the spots' own paths */
    bool first_tick : 1; /**< the next tick is the routine's first */
    volatile bool abort;

    float start_left_mm; /**< odometer at the start of the routine */
    float start_right_mm;
    cmo_report report;

    cmo_trace_function trace;
    void *trace_context;
    void (*write_row)(const struct cmo_robot *robot); /**< NULL: there is no trace */
} cmo_robot;

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

#endif
