// SPDX-License-Identifier: MIT
// The robot's body, motors and tyres: one step of their motion.
#ifndef CMO_SIM_PLANT_H
#define CMO_SIM_PLANT_H

#include <cammino_simulator/simulator.h>

#include "noise.h"

// How the motors are driven.
typedef enum drive_mode {
    DRIVE_DUTY,
    DRIVE_SPEED,
    DRIVE_COAST,
    DRIVE_BRAKE,
    DRIVE_HOLD
} drive_mode;

// One side: motor, gear and tyre. Lengths and speeds at the tyre, by the stated wheel size.
typedef struct side {
    double place_mm;       // of the motor; what the encoder counts
    double speed_mm_s;     // of the motor
    double command;        // duty or mm/s, as asked
    double reference_mm_s; // regulator: command after rounding and ramp
    double model_mm_s;     // regulator: what the wheel should do by now
    double trim;           // regulator: integral, as duty
    double hold_mm;
    double play_mm; // place of the motor in the gear play, -half..half
    int contact;    // 1 pushes forward, -1 backward, 0 free in the play, 2 no play at all
    double push;    // impulse between tyre and floor in the last step
    double rub;     // impulse of gear friction in the last step
    double force;   // of the motor, as a share of its stalled force
    double size;    // true wheel size over stated
    double strength;
    double round_size;    // the mean of `size` over a turn
    double phase;         // of the wheel's wave, in turns
    double measured_mm_s; // regulator: the speed that it measures
    double edge[4];       // encoder: how far each of four edges is off, in steps
} side;

// By which share what follows with a lag comes nearer in a step of that length.
typedef struct step_rates {
    double dt_s;
    double filter, trim, electric, battery, tips, model, motor_model;
    double most_scrub; // of the caster: what it stops within the step
} step_rates;

struct plant {
    const cmo_sim_plant *p;
    double x_mm, y_mm, heading_rad, cosine, sine;
    double speed_mm_s, turn_rad_s, way_mm;
    double side_mm_s;          // of the axle, to the left
    double side_push;          // impulse of both tyres sideways in the last step
    double gained_mm_s2;       // acceleration forward in the last steps
    double caster_x, caster_y; // unit vector from the caster's contact to its pivot, robot's frame
    double caster_skew;
    side left, right;
    drive_mode mode;
    double grip;      // factor on the plant's grip
    double leaned_mm; // the body, ahead of where its tyres have it
    double weary;     // battery: load of the last seconds
    bool blocked;
    bool plain_tyres; // nothing changes their grip

    // Made from the parameters once.
    double stall_mn;     // stalled force of one motor, mN
    double rub_mn;       // gear friction of one motor
    double half_grip_mn; // most force of one tyre
    double rotor_kg;
    double inertia_kg_mm2;
    double per_rotor_kg, per_mass_kg; // their inverses
    double per_turn;                  // turn for a moment's impulse
    double side_give;                 // what the axle gives way by sideways
    double per_lag_s;                 // fastest that a motor alone changes its speed
    double turns_per_mm;              // of a wheel
    double per_no_load, per_ripple, per_slide, per_stick, per_trail;
    double tips_along, tips_across; // share of its weight that a wheel gains by acceleration
    step_rates rates;
};

// Starts at rest. Draws the robot's own spreads from `source`.
void cmi_sim_plant_start(struct plant *plant, const cmo_sim_plant *parameters, noise *source,
                         double x_mm, double y_mm, double heading_rad);

void cmi_sim_plant_step(struct plant *plant, double dt_s);

// Draws what was added to the plant later, from a stream of its own.
void cmi_sim_plant_vary(struct plant *plant, noise *source);

// An encoder's count.
int64_t cmi_sim_plant_count(const struct plant *plant, const side *s);

// False: its motion has run away, as no robot's can.
bool cmi_sim_plant_sound(const struct plant *plant);

// Where it is, and to let it stand there: where its motion still made sense.
typedef struct plant_place {
    double x_mm, y_mm, heading_rad, cosine, sine, way_mm, left_mm, right_mm;
} plant_place;

plant_place cmi_sim_plant_place(const struct plant *plant);
void cmi_sim_plant_stand(struct plant *plant, const plant_place *at);

// Ends driving in this way; hold takes the places of now.
void cmi_sim_plant_halt(struct plant *plant, drive_mode mode);

#endif
