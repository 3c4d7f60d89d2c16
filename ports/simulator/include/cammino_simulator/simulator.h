// SPDX-License-Identifier: MIT
/**
 * @file simulator.h
 * A port that simulates the hardware: wheels, motors, light sensors, a mat, and the truth.
 *
 * Deterministic: the same setup and seed give the same bytes on every machine. It uses no function
 * of the C library whose last bit depends on the processor.
 */
#ifndef CAMMINO_SIMULATOR_H
#define CAMMINO_SIMULATOR_H

#include <cammino/port.h>
#include <cammino/robot.h>
#include <cammino_simulator/mat.h>

G_BEGIN_DECLS

/** What is true of a light sensor. `..._spread`: each robot (seed) draws evenly within +-. */
typedef struct cmo_sim_light {
    double ahead_mm; /**< true place, from the middle of the axle */
    double left_mm;
    double spot_mm;   /**< diameter of the spot at a height of 8 mm */
    double height_mm; /**< above the floor; light falls with its square, the spot grows with it */
    double black_counts;  /**< reading over nothing (luminance 0) without ambient light, at 8 mm */
    double white_counts;  /**< reading over luminance 1; lower than black: inverted polarity */
    double counts_max;    /**< the converter clips at 0 and here */
    double noise;         /**< standard deviation of a look, as a share of |white - black| */
    double ambient_share; /**< share of the ambient light that gets into the reading: 1 for a plain
                               sensor, about 0 for one that measures lit minus unlit */
    double interval_ms;   /**< between two exposures */
    double delay_ms;      /**< mid-exposure until the look is to be had */
    double exposure_ms;   /**< length of an exposure */
    double footprint;     /**< cmo_sim_footprint: how it weighs the floor within its spot */
    double lopsided;      /**< a part of the footprint lies ahead by this share of its radius */
    double bend;          /**< how far its response leaves a straight line halfway, as a share */
    double lag_ms;        /**< time constant of its electronics */
    double clock_off;     /**< share by which its own clock is fast; a robot's is drawn */
    double jitter_ms;     /**< each exposure is off by up to this */
    double gain_wander;   /**< standard deviation of a gain that wanders slowly (1/f), as a share */
    double cross_light;   /**< share of the other sensor's lamp that it sees */
    double colour;        /**< not 0: its looks have red, green and blue too */
    double colour_span_ms; /**< it exposes them one after another: from the first to the last */
    double colour_noise;   /**< of a channel, as `noise` */
    double colour_mix;     /**< share of either other colour that gets through a filter; each is off
                                by up to a fifth, robot by robot */
    double lamp_red, lamp_green, lamp_blue; /**< what its lamp gives of each */
} cmo_sim_light;

/** How a light sensor weighs the floor within its spot. Either has the second moment of a disc of
 *  the spot's size. */
typedef enum cmo_sim_footprint {
    CMO_SIM_DISC = 0, /**< evenly */
    CMO_SIM_BELL      /**< most in the middle, and a little beyond the edge */
} cmo_sim_footprint;

/** How a tyre's force grows with its slip. */
typedef enum cmo_sim_tyre_curve {
    CMO_SIM_STRAIGHT = 0, /**< evenly, until it lets go at `tyre_creep` */
    CMO_SIM_ROUND /**< less and less: slip = creep f / (1 - f^2), with f the force's share */
} cmo_sim_tyre_curve;

/** How a port with CMO_TRAIT_SPEED regulates. */
typedef enum cmo_sim_regulator {
    CMO_SIM_TRIM = 0, /**< feed-forward, and a slow trim against what the motor should do by now */
    CMO_SIM_PI,       /**< feed-forward and PI on the speed asked for: quick, it overshoots */
    CMO_SIM_PI_SOFT   /**< the same on a reference that follows what is asked for with a lag */
} cmo_sim_regulator;

/** A shadow, or a lamp's bright patch: a round change of the ambient light. */
typedef struct cmo_sim_shadow {
    double x_mm, y_mm, radius_mm;
    double soft_mm;          /**< width of its edge */
    double depth;            /**< share of the ambient light taken away; negative adds */
    double vx_mm_s, vy_mm_s; /**< how it moves; it stands at x, y at the start */
    double every_s;          /**< and again after each such time; 0: it does not come again */
} cmo_sim_shadow;

#define CMO_SIM_SHADOWS_MAX 8

/** Something that stands on the mat, or another robot that drives a route of its own: a disc that a
 *  range sensor sees and that can be pushed. */
typedef struct cmo_sim_object {
    double x_mm, y_mm, radius_mm; /**< middle, at the start */
    double mass_kg;
    double friction_n; /**< force below which it stays where it is, or goes on as it drives */
    double speed_mm_s; /**< at which it drives from stop to stop, over and over; 0: it stands */
    unsigned stops;
    double stop[8][2]; /**< x and y */
} cmo_sim_object;

#define CMO_SIM_OBJECTS_MAX 6

/** What is true of the robot. cmo_sim_plant_default() says where the numbers come from. */
typedef struct cmo_sim_plant {
    double mass_kg;
    double inertia_kg_m2;    /**< about the vertical through the middle of the axle */
    double grip_m_s2;        /**< most acceleration that the tyres pass on, both together */
    double tyre_creep;       /**< slip, as a share of speed, just before a tyre lets go */
    double drag_m_s2;        /**< deceleration by rolling resistance */
    double caster_behind_mm; /**< pivot, behind the axle */
    double caster_trail_mm;  /**< wheel's contact behind the pivot; below 0.1: a ball, no kick */
    double caster_scrub_n;   /**< side force while it swings round */
    double track_mm;
    double wheel_width_mm;
    double left_wheel; /**< true size over stated size */
    double right_wheel;
    double motor_lag_ms;  /**< time constant of motor and mass at full battery */
    double no_load_mm_s;  /**< speed at duty 1 without load, full battery */
    double dead_mm_s;     /**< gear friction, as the speed whose duty just does not turn it */
    double rotor_share;   /**< one rotor's inertia at the tyre, as a share of the mass */
    double gear_play_mm;  /**< at the tyre, between encoder and wheel */
    double left_strength; /**< motor's force over nominal */
    double right_strength;
    double battery;         /**< voltage over nominal, without load */
    double battery_sag;     /**< share of it lost with both motors stalled */
    double encoder_step_mm; /**< way per count by the stated wheel size */
    unsigned encoder_bits;
    double command_delay_ms;       /**< from the drive call until the motors obey */
    double regulator_slowest_mm_s; /**< regulated drive: commands below are taken as 0 */
    double regulator_step_mm_s;    /**< commands are rounded to this; 0: not */
    double regulator_ramp_mm_s2;   /**< 0: none */
    double regulator_reset_ms;     /**< integral time of the trim, or of the PI */
    double regulator;              /**< cmo_sim_regulator */
    double regulator_gain;         /**< PI: duty per error, in shares of the speed without load */
    double regulator_lag_ms;       /**< CMO_SIM_PI_SOFT: time constant of its reference */
    double regulator_filter_ms;    /**< PI: time constant of the speed that it measures */
    double tyre_curve;             /**< cmo_sim_tyre_curve */
    double slide_grip;             /**< grip of a tyre that slides, over that of one that rolls, */
    double slide_mm_s;             /**< and the slip at which half of the difference is gone */
    double side_creep;             /**< the same as tyre_creep sideways; 0: it never slides so */
    double centre_mm;              /**< centre of mass, ahead of the axle */
    double height_mm;              /**< and above the floor: it loads the tyres as it brakes */
    double nose_mm;                /**< the sensors rise by this for each m/s2 of acceleration */
    double turn_widens;            /**< share by which the track is wider in a turn on the spot */
    double lean_mm;            /**< the body leans ahead by this when the whole grip brakes it */
    double slope_deg;          /**< of the mat, */
    double slope_to_deg;       /**< and where it falls to, anticlockwise from the x axis */
    double wave_mm;            /**< the mat's height varies by this, up and down, */
    double wave_length_mm;     /**< once in this way, along x and along y */
    double electric_ms;        /**< time constant of a motor's current */
    double stick;              /**< gear friction at rest over that of motion, */
    double stick_mm_s;         /**< and the speed at which half of the excess is gone */
    double dead_backward;      /**< gear friction backward over that forward */
    double ripple;             /**< a motor's force varies by this share, */
    double ripple_mm;          /**< once in this way */
    double battery_deep;       /**< further share of the voltage lost by a lasting load, */
    double battery_recovery_s; /**< and the time constant of that */
    double eccentric;          /**< a wheel's size varies by this share, once a turn */
    double wheel_mm;           /**< diameter of a wheel, for that */
    double encoder_wobble;     /**< encoder edges are off by up to this share of a step */
    double flicker;            /**< share of the ambient light that flickers, */
    double flicker_hz;         /**< so often; mains lamps at 100 or 120 */
    unsigned sensors;
    cmo_sim_light sensor[CMO_LIGHTS_MAX];
    double heading_drift_deg_s; /**< heading sensor: how fast it turns by itself */
    double heading_scale;       /**< what it says over the true turn */
    double heading_noise_deg;   /**< standard deviation of a reading */
    double ambient_change;      /**< ambient light changes evenly by this share of itself, */
    double ambient_change_s;    /**< within this time from the start */
    double ambient; /**< ambient light, in luminance of the sensor's own lamp on white */
    unsigned shadows;
    cmo_sim_shadow shadow[CMO_SIM_SHADOWS_MAX];

    double body_front_mm; /**< how far the body reaches from the axle: what bumps into things */
    double body_back_mm;
    double body_half_mm;      /**< to either side */
    double range_ahead_mm;    /**< range sensor: its place ahead of the axle, */
    double range_half_deg;    /**< half the angle of its cone, */
    double range_reach_mm;    /**< how far it sees, */
    double range_noise_mm;    /**< standard deviation of a reading, */
    double range_interval_ms; /**< and between two of them */

    /* Spreads: what differs from robot to robot. */
    double wheel_spread;    /**< of each wheel's size */
    double place_spread_mm; /**< of each sensor's place, both ways */
    double delay_spread_ms; /**< of each sensor's delay */
    double gain_spread;     /**< of each sensor's white - black */
    double strength_spread; /**< of each motor's strength */
} cmo_sim_plant;

/** Faults on request. Shares are chances per event, 0..1; a time below 0 is never. */
typedef struct cmo_sim_faults {
    double light_silent_at_ms[CMO_LIGHTS_MAX]; /**< unplugged from then on */
    double light_stuck_at_ms[CMO_LIGHTS_MAX];  /**< repeats its reading from then on */
    bool lights_swapped;
    bool motors_swapped;
    bool left_reversed; /**< motor's polarity */
    bool right_reversed;
    bool left_dead; /**< motor unplugged */
    bool right_dead;
    bool left_encoder_dead;
    bool right_encoder_dead;
    bool left_encoder_reversed;
    bool right_encoder_reversed;
    bool encoders_swapped;
    double light_jumps_at_ms[CMO_LIGHTS_MAX];   /**< a loose plug: readings anywhere, by turns */
    double light_clipped_at_ms[CMO_LIGHTS_MAX]; /**< a cut wire: the converter's end from then on */
    double encoders_silent_at_ms;
    double encoder_jump_at_ms;
    double stalled_at_ms; /**< wheels blocked from then on */
    double late_share;    /**< of waits that end late, by up to */
    double late_ms;
    double look_missing_share;
    double look_doubled_share;
    double not_yet_share; /**< of sample and drive calls that answer "not yet" */
    double failed_at_ms;  /**< sample and drive answer "failed" from then on */
    double halt_fails_ms; /**< halts answer "failed" this long after the first was asked for */
    double slip_at_ms;    /**< from then on, for slip_ms, the grip is only slip_grip of itself */
    double slip_ms;
    double slip_grip;
} cmo_sim_faults;

typedef struct cmo_sim_setup {
    uint16_t traits; /**< of the port: any of encoders, look times, speed, coast, brake, hold,
                          heading, range, touch, start, stop */
    cmo_sim_plant plant;
    cmo_sim_faults faults;
    const cmo_sim_mat *mat;         /**< must outlive the simulator; may serve many at once */
    double x_mm, y_mm, heading_deg; /**< start pose */
    unsigned objects;
    cmo_sim_object object[CMO_SIM_OBJECTS_MAX];
    double start_pressed_ms; /**< the start button is pressed at this time, for 200 ms; 0: never */
    double stop_pressed_ms;  /**< the same of the stop button */
    uint64_t seed;
    uint32_t clock_start_us; /**< what the port's clock says at the start */
} cmo_sim_setup;

/** What is true at a moment. */
typedef struct cmo_sim_truth {
    double time_ms;                 /**< since the start */
    double x_mm, y_mm, heading_rad; /**< middle of the axle */
    double speed_mm_s;
    double turn_rad_s;
    double way_mm;    /**< of the middle of the axle; backward counts back */
    double wheels_mm; /**< what both wheels' motors have turned for that, their mean */
    double caster_x_mm, caster_y_mm; /**< where the caster touches the floor */
} cmo_sim_truth;

/** A lamp on the robot. */
typedef enum cmo_sim_lamp {
    CMO_SIM_LAMP_OFF = 0,
    CMO_SIM_LAMP_GREEN, /**< for 0.3 s: a line, or a number that is counted */
    CMO_SIM_LAMP_AMBER, /**< for 0.3 s: something was passed over. Until the next routine: the
                             levels do not fit, or something is wired wrongly */
    CMO_SIM_LAMP_RED    /**< until the next routine: this one was not done */
} cmo_sim_lamp;

/** Room of the display, with its 0 byte. */
#define CMO_SIM_DISPLAY 20

/** What the robot shows to people. The port's notify sets it; a program with a notify of its own
 *  may call that one too. */
typedef struct cmo_sim_panel {
    cmo_sim_lamp lamp;
    bool beeps;                    /**< for 0.1 s with each number, for 0.6 s when not done */
    char display[CMO_SIM_DISPLAY]; /**< the last number (line, rebound, second of a countdown), or
                                        what is wrong; "" at first */
} cmo_sim_panel;

/** Places at which a robot touches the floor: both edges of both tyres, and the caster. */
#define CMO_SIM_CONTACTS 5

/** A true crossing: the centre of a spot over the unblurred edge of a mark. */
typedef struct cmo_sim_crossing {
    cmo_sim_truth at;
    double x_mm, y_mm; /**< of the spot */
    unsigned sensor;
    cmo_sim_mark mark;
    bool entering;
} cmo_sim_crossing;

typedef struct cmo_sim cmo_sim;

/** Fills in a plant that fits a robot description: true values equal the stated ones, with the
 *  spreads and losses of small robots. The reasons for the numbers stand beside them in plant.c. */
void cmo_sim_plant_default(cmo_sim_plant *plant, const cmo_robot_description *description);

/** No faults at all. */
void cmo_sim_faults_none(cmo_sim_faults *faults);

cmo_sim *cmo_sim_new(const cmo_sim_setup *setup);
void cmo_sim_free(cmo_sim *sim);

/** The port. It lives as long as the simulator. */
const cmo_port *cmo_sim_port(cmo_sim *sim);

/** Lets time go on without the robot's program: a program that hangs, a robot left to itself. */
void cmo_sim_pass(cmo_sim *sim, double ms);

cmo_sim_truth cmo_sim_truth_now(const cmo_sim *sim);

/** True place of a sensor's spot at a moment. */
void cmo_sim_spot(const cmo_sim *sim, const cmo_sim_truth *at, unsigned sensor, double *x_mm,
                  double *y_mm);

/** What a sensor reads, without noise and ambient light, with its spot at a place and the robot's
 *  heading as it is: counts, and red, green and blue of one that has them. */
void cmo_sim_reading(const cmo_sim *sim, unsigned sensor, double x_mm, double y_mm,
                     uint16_t *counts, uint16_t colour[3]);

/** The places, x and y, at which the robot touches the floor at a moment. */
void cmo_sim_contacts(const cmo_sim *sim, const cmo_sim_truth *at,
                      double place[CMO_SIM_CONTACTS][2]);

/** All true crossings so far, in order of time. The array is the simulator's and is valid until
 *  time goes on. */
const cmo_sim_crossing *cmo_sim_crossings(const cmo_sim *sim, size_t *count);

/** Keeps one truth per millisecond from now on. */
void cmo_sim_record(cmo_sim *sim);
const cmo_sim_truth *cmo_sim_recorded(const cmo_sim *sim, size_t *count);

/** Noiseless luminance under a sensor now. */
double cmo_sim_luminance(const cmo_sim *sim, unsigned sensor);

/** Lamp, beeper and display now. */
cmo_sim_panel cmo_sim_panel_now(const cmo_sim *sim);

/** "green"...; "" while it is off. */
const char *cmo_sim_lamp_name(cmo_sim_lamp lamp);

/** Where an object is now. */
void cmo_sim_object_now(const cmo_sim *sim, unsigned object, double *x_mm, double *y_mm);

/** Distance from the range sensor's place to the nearest object in its cone, without noise;
 *  INFINITY: there is none within its reach. */
double cmo_sim_range(const cmo_sim *sim);

/** Whether the motors are halted, by a call or because a drive command was not renewed. */
bool cmo_sim_halted(const cmo_sim *sim);

/**
 * Whether the plant's motion could not be worked out: it ran away, as no robot's can. The robot
 * then stands where it last was, and the port answers "failed".
 */
bool cmo_sim_diverged(const cmo_sim *sim);

/** How often a drive command ran out of its lifetime. */
unsigned cmo_sim_expired(const cmo_sim *sim);

G_END_DECLS

#endif
