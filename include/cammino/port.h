// SPDX-License-Identifier: MIT
/**
 * @file port.h
 * The port: everything that Cammino asks of a robot's hardware.
 *
 * To bring up a new robot, fill in one `cmo_port`: five functions, one pointer of your own, and the
 * traits that say what the hardware has. Nothing else in the library touches hardware.
 *
 * Rules that hold for every function:
 *  - It returns at once. Only `wait` may take time.
 *  - It says CMO_OK, CMO_NOT_YET or CMO_FAILED. "Not yet" means that nothing new is to be had or
 *    that the bus was busy: the library goes on with older readings until they are older than the
 *    robot description allows. "Failed" means that the hardware can no longer be trusted: it ends
 *    the running routine and the motors are halted.
 *  - It is called from one thread only, in this order in each tick: clock, sample, drive or halt.
 *
 * A port that obeys the lifetime of `drive` keeps a hung program from running away; see below.
 */
#ifndef CAMMINO_PORT_H
#define CAMMINO_PORT_H

#include <stdbool.h>
#include <stdint.h>

#include <cammino/config.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What a port function answers. */
typedef enum cmo_status {
    CMO_OK = 0,  /**< done */
    CMO_NOT_YET, /**< nothing new, or busy: ask again at the next tick */
    CMO_FAILED   /**< the hardware does not answer as it should */
} cmo_status;

/** How the motors end motion. A port that lacks one must not claim its trait. */
typedef enum cmo_halt {
    CMO_HALT_DEFAULT = 0, /**< in parameters: brake if there is a brake, else hold, else coast */
    CMO_HALT_COAST,       /**< motors open: the robot rolls out */
    CMO_HALT_BRAKE,       /**< motors shorted */
    CMO_HALT_HOLD         /**< the motors keep the place at which they were halted */
} cmo_halt;

/** Traits: what the hardware has. Or them together in cmo_port::traits. */
enum {
    CMO_TRAIT_ENCODERS = 1u << 0,   /**< both wheels are counted */
    CMO_TRAIT_LOOK_TIMES = 1u << 1, /**< looks carry their own time; without, each is
                                         taken to be half a tick old */
    CMO_TRAIT_SPEED = 1u << 2,      /**< drive takes mm/s and regulates; without, duty -1..1 */
    CMO_TRAIT_COAST = 1u << 3,
    CMO_TRAIT_BRAKE = 1u << 4,
    CMO_TRAIT_HOLD = 1u << 5,
    CMO_TRAIT_HEADING = 1u << 6, /**< a heading, from a gyroscope for example */
    CMO_TRAIT_RANGE = 1u << 7,   /**< the distance to what stands ahead */
    CMO_TRAIT_TOUCH = 1u << 8,   /**< bumpers */
    CMO_TRAIT_START = 1u << 9,   /**< a start button */
    CMO_TRAIT_STOP = 1u << 10    /**< a stop button: it ends any routine */
};

/** Channels of a sensor that sees colour: red, green, blue. */
#define CMO_COLOURS 3

/** One fresh reading of a light sensor. */
typedef struct cmo_look {
    /** Port clock, microseconds. Best is the middle of the exposure. A port that knows only when
     *  the reading arrived gives that, and the robot description states the delay from mid-exposure
     *  to arrival. Ignored without CMO_TRAIT_LOOK_TIMES. */
    uint32_t time_us;
    uint16_t counts;  /**< raw, as the converter gives it */
    uint8_t sequence; /**< freshness: goes up by one with each new look, and wraps. Looks that were
                           handed over before may come again */
#if CMO_SURFACES_MAX > 0
    uint16_t colour[CMO_COLOURS]; /**< raw, of a sensor whose description says so; of the same
                                       moment as `counts`. One that takes them one after another
                                       gives the middle one's time */
#endif
} cmo_look;

/** A crossing that an interrupt or a comparator caught between two samples. */
typedef struct cmo_latch {
    uint32_t time_us; /**< port clock, microseconds */
    uint32_t left;    /**< left encoder's counts at that time */
    uint32_t right;   /**< right encoder's counts at that time */
    uint8_t sequence; /**< goes up by one with each crossing caught, and wraps */
    bool entering;    /**< true: from light to dark; false: from dark to light */
} cmo_latch;

/** What one light sensor has to say in one sample. */
typedef struct cmo_light_input {
    cmo_look look[CMO_LOOKS_MAX]; /**< oldest first */
    uint8_t looks;                /**< how many of them are filled in; 0: none this time */
    bool latched;                 /**< `latch` is filled in; then it needs no look to back it */
    cmo_latch latch;
} cmo_light_input;

/** Groups of cmo_sample that are fresh in this sample. Light says it by its number of looks. */
enum {
    CMO_HAVE_ENCODERS = 1u << 0,
    CMO_HAVE_HEADING = 1u << 1,
    CMO_HAVE_RANGE = 1u << 2,
    CMO_HAVE_TOUCH = 1u << 3,
    CMO_HAVE_BUTTONS = 1u << 4
};

/** All inputs at once. The library clears it before each call of cmo_port::sample. */
typedef struct cmo_sample {
    uint16_t have; /**< CMO_HAVE_... of what is fresh */
    cmo_light_input light[CMO_LIGHTS_MAX];
    struct {
        uint32_t time_us; /**< when the counts were taken, port clock */
        uint32_t left;  /**< counts, up when the wheel drives the robot forward; they wrap at the */
        uint32_t right; /**< bit width that the robot description states; higher bits are ignored */
    } encoders;
    float heading_deg; /**< anticlockwise; may wrap at any multiple of 360 */
    float range_mm;    /**< to what stands ahead; larger than the sensor's reach: nothing there */
    uint8_t touch;     /**< one bit a bumper: 1 left, 2 right, 4 back */
    bool start;        /**< start button pressed */
    bool stop;         /**< stop button pressed */
} cmo_sample;

/** What a notification tells. */
typedef enum cmo_event_kind {
    CMO_EVENT_START = 1,   /**< a routine started; value: which (cmo_routine_id) */
    CMO_EVENT_STAGE,       /**< it entered a stage; value: cmo_stage */
    CMO_EVENT_CROSSING,    /**< a line was accepted; value: the sensor's number */
    CMO_EVENT_PASSED_OVER, /**< something was not a line; value: how many so far */
    CMO_EVENT_END,         /**< the routine ended; value: cmo_outcome */
    CMO_EVENT_COUNTDOWN,   /**< value: seconds left */
    CMO_EVENT_LEVELS,      /**< levels no longer fit the floor; value: the sensor's number */
    CMO_EVENT_REBOUND,     /**< turned away from the boundary; value: how many so far */
    CMO_EVENT_FINDING,     /**< the wiring check found something; value: cmo_finding */
    CMO_EVENT_LINE,        /**< a line was counted; value: its number */
    CMO_EVENT_LEG          /**< a leg of a route begins; value: its number, from 0 */
} cmo_event_kind;

typedef struct cmo_event {
    cmo_event_kind kind;
    int16_t value;
} cmo_event;

/** How far beyond the described top speed a command may reach, as a factor. */
#define CMO_COMMAND_MOST 1.25F

/**
 * The port. Fill in all functions; only `wait` and `notify` may be NULL.
 * The object is read on every tick and must outlive the robot that uses it.
 */
typedef struct cmo_port {
    void *context;   /**< handed to every function; yours */
    uint16_t traits; /**< CMO_TRAIT_... */

    /** Microseconds since any moment. Wraps after 2^32; must not be behind itself otherwise. */
    uint32_t (*clock)(void *context);

    /** Returns when the clock has reached `until_us` (at once if it has). Needed by the blocking
     *  calls only; NULL for robots that run their own loop. */
    void (*wait)(void *context, uint32_t until_us);

    /** Fills in what is fresh. CMO_OK also when only a part is fresh. */
    cmo_status (*sample)(void *context, cmo_sample *sample);

    /** Drives the wheels: duty -1..1, or mm/s with CMO_TRAIT_SPEED; positive is forward. The
     *  commands are finite; those in mm/s reach CMO_COMMAND_MOST times the described top speed,
     *  either way, where a wheel has to catch up.
     *  When `lifetime_us` pass without a further drive or halt, the port must halt the motors by
     *  itself (from a timer interrupt, or in the motor controller). CMO_NOT_YET: the command did
     *  not get through, the old one still holds with what is left of its lifetime; if none gets
     *  through for as long as one lives, the routine ends as with CMO_FAILED. */
    cmo_status (*drive)(void *context, float left, float right, uint32_t lifetime_us);

    /** Ends motion. Called again on every tick until it answers CMO_OK; until then nothing is
     *  driven, by a further routine neither. Never called with
     *  CMO_HALT_DEFAULT nor with a way of halting whose trait is missing. */
    cmo_status (*halt)(void *context, cmo_halt how);

    /** Tells a lamp, a buzzer, a display or a log. Must return at once. */
    void (*notify)(void *context, const cmo_event *event);
} cmo_port;

#ifdef __cplusplus
}
#endif

#endif
