// SPDX-License-Identifier: MIT
/**
 * @file robot.h
 * What a robot object is made of. It stands here for its size: a robot needs no heap. Read what
 * robot.h names; nothing here is to be changed by hand.
 */
#ifndef CAMMINO_INSIDE_ROBOT_H
#define CAMMINO_INSIDE_ROBOT_H

#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

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

#if CMO_SURFACES_MAX > 0
/** What a sensor has told of the surfaces under it, and the one that is looked for. */
typedef struct cmo_surface_track {
    uint8_t under; /**< that has lasted; 0: none that is known */
    uint8_t told;  /**< by the newest looks, */
    uint8_t looks; /**< so many of them, up to 255 */
    uint8_t other; /**< by the newest look alone, if that is another one */
    bool differs : 1;
    bool on : 1;      /**< on the one looked for */
    bool sure : 1;    /**< its edge to `beside` counts as soon as it is crossed */
    bool pending : 1; /**< `into` is an edge of the one looked for, if that is what comes */
    uint8_t target;   /**< looked for; 0: a tone or a band is */
    uint8_t beside;   /**< the one that it is come from; 0: not known */
    float brightness; /**< of the readings, against the one at which surfaces were taught */
    float signal;     /**< how much of the spot the target covers, as far as `beside` is the rest */
    cmo_light_point last;         /**< newest look */
    cmo_light_point first;        /**< first look of `told`, */
    cmo_light_point before;       /**< and the one before it */
    cmo_light_point before_other; /**< the one before that of `other` */
    cmo_crossing into;
} cmo_surface_track;

/** What tells surfaces: a program that knows none links nothing of it. */
typedef struct cmo_surface_teller {
    /** A fresh look: true where it completes a crossing of what is looked for. */
    bool (*look)(struct cmo_robot *robot, uint8_t sensor, const cmo_light_point *point,
                 cmo_crossing *crossing);
    /** Watches for the edges of a surface under a sensor. */
    void (*watch)(struct cmo_robot *robot, uint8_t sensor, uint8_t surface);
} cmo_surface_teller;
#endif

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
#if CMO_SURFACES_MAX > 0
    uint16_t colour[CMO_COLOURS]; /**< of the newest look */
    cmo_surface_track surface;
#endif
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
#if CMO_SLIDING
    float overdue_mm; /**< way by the model since the last count, beyond its step */
#endif
} cmo_wheel;

/** One turn of a routine. */
typedef void (*cmo_step)(struct cmo_robot *robot, struct cmo_routine *routine);

/** What all routines begin with. */
typedef struct cmo_routine {
    cmo_step step;
} cmo_routine;

/** The line that was met last: all places p with n p = offset are its near edge, with n its normal,
 *  the way that the robot came. */
typedef struct cmo_last_line {
    float normal_rad;
    float offset_mm;
    float width_mm;  /**< 0: not known */
    uint8_t tone;    /**< cmo_tone, */
    uint8_t surface; /**< or it is one that was taught */
    bool known;
} cmo_last_line;

/** What watches over routines: ends besides their own, a route. */
typedef struct cmo_overseer {
    /** Before each step of the routine; it may end it, or put another step in its place. Or,
     * faulty, before it is ended by a fault. */
    void (*watch)(struct cmo_robot *robot, struct cmo_overseer *overseer, bool faulty);
    /** A routine has ended; another one may be begun. */
    void (*over)(struct cmo_robot *robot, struct cmo_overseer *overseer);
} cmo_overseer;

/** The robot. */
struct cmo_robot {
    const cmo_robot_description *description;
    const cmo_port *port;
    cmo_routine *routine;     /**< the active one; NULL: none */
    cmo_overseer *overseer;   /**< of it, or of the next one; NULL: none */
    const cmo_sample *sample; /**< during a tick: all inputs; NULL between ticks */
    const char *field;        /**< after a refusal: the field that makes no sense */
#if CMO_SURFACES_MAX > 0
    cmo_surfaces *surfaces; /**< that it knows; NULL: none */
    const cmo_surface_teller *teller;
#endif

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
#if CMO_SLIDING
    uint8_t asked_back; /**< in the last tick, bit n: wheel n was to go back */
#endif

    float trail_s;     /**< by how much the wheels trail their commands, learned as they speed up */
    float reach_mm_s2; /**< acceleration that they reach where more was asked for; 0: enough */
    uint32_t ramp_us;  /**< when they began to speed up, */
    float ramp_mm_s, ramp_command_mm_s; /**< what both had then, and were told */
#if CMO_LAST_LINE
    cmo_last_line last_line;
#endif
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
#if CMO_SLIDING
    bool runs_on : 1; /**< its wheels have still been fast where a profile had ended */
#endif
    bool tries : 1; /**< routines are begun to check their parameters alone */
    volatile bool abort;

    float start_left_mm; /**< odometer at the start of the routine */
    float start_right_mm;
    cmo_report report;

    cmo_trace_function trace;
    void *trace_context;
    void (*write_row)(const struct cmo_robot *robot); /**< NULL: there is no trace */
};

#ifdef __cplusplus
}
#endif

#endif
