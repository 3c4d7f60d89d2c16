// SPDX-License-Identifier: GPL-3.0-or-later
// Robots of another make: a plant that shares no line with the simulator, and no idea where there
// was a choice. Forces on rigid bodies in steps of 50 us; regulators that count; armatures;
// friction by Stribeck's curve; tyres by a smooth one; spots that are bells; looks that come when
// they come.
#ifndef FOREIGN_PLANT_H
#define FOREIGN_PLANT_H

#include <cammino/cammino.h>

// One dark line across the way; or more of them, so far from edge to edge.
#define FOREIGN_EDGE_MM    1000.0
#define FOREIGN_WIDTH_MM   20.0
#define FOREIGN_PAIR_MM    350.0
#define FOREIGN_SPACING_MM 90.0

// Reflectances.
#define FOREIGN_LIGHT 0.62
#define FOREIGN_DARK  0.06
#define FOREIGN_VOID  0.004

// A floor: what a spot whose bell has this standard deviation gets of it.
typedef double (*foreign_floor)(double x, double y, double sigma);

double foreign_line(double x, double y, double sigma);  // across the way
double foreign_pair(double x, double y, double sigma);  // two of them
double foreign_rungs(double x, double y, double sigma); // many
double foreign_ring(double x, double y, double sigma);  // a rectangle with a dark rim of 25 mm
double foreign_table(double x, double y, double sigma); // the same with nothing beyond
double foreign_angle(double x, double y, double sigma); // an L with a dark rim
double foreign_lane(double x, double y, double sigma);  // a dark line along the way, with two bends

// A place is beyond the inner edge of the rim by so much; negative: inside.
double foreign_over_ring(double x, double y);
double foreign_over_angle(double x, double y);

// To the left of the lane's middle.
double foreign_off_lane(double x, double y);

typedef enum foreign_drive {
    FOREIGN_PI,      // on the speed that it counts
    FOREIGN_RAMP,    // the same behind a ramp of its own
    FOREIGN_FORWARD, // feed-forward and a proportional part: no integral
    FOREIGN_DUTY,    // none
    FOREIGN_DRIVES
} foreign_drive;

// Lengths in mm, masses in kg, forces in mN, times in s; wheels as seen at the tyre.
typedef struct foreign_robot {
    foreign_drive drive;
    double mass, inertia, rotor, track;
    double stall, no_load, coulomb, sticks, sticks_below; // motor, and the friction of its gear
    double armature, cogging, battery, play, step;
    double grip, creep, rolling; // mm/s2, share, mm/s2
    double ramp, proportional, integral, window, delay;
    double ahead[2], aside[2], sigma[2], gain[2], offset[2], interval[2];
    double light_delay, bend, noise;
    double tyre, rear, front; // where it touches the floor: a ball behind the axle, or one ahead
    unsigned bits;
    bool look_times;
} foreign_robot;

typedef struct foreign_wheel {
    double speed, place, torque, play; // place of the motor, torque as a share of the stalled one
    double asked, coming, comes_in;    // command, and the one that is on its way
    double reference, sum, measured;
    long counts[16];
} foreign_wheel;

typedef struct foreign_look {
    double due;
    cmo_look look;
} foreign_look;

typedef struct foreign_plant {
    const foreign_robot *robot;
    foreign_floor floor;
    void *random; // GRand
    double now, x, y, heading, speed, turn;
    foreign_wheel wheel[2];
    bool driven, open; // else the motors are shorted, unless open
    double until, regulates_in, looks_in[2];
    unsigned sample;
    foreign_look look[2][8];
    unsigned looks[2];
    uint8_t sequence[2];
} foreign_plant;

// What chance makes of a robot's number.
void foreign_draw(foreign_robot *robot, unsigned number);

// On the line's floor, at (x, 0).
void foreign_start(foreign_plant *plant, const foreign_robot *robot, unsigned number, double x,
                   double heading);
void foreign_end(foreign_plant *plant);
void foreign_pass(foreign_plant *plant, double s);

// The middle between the spots, beyond the near edge.
double foreign_beyond(const foreign_plant *plant);

// The first of the two spots, beyond the near edge.
double foreign_first(const foreign_plant *plant);

// A place on the robot, as it stands.
void foreign_place(const foreign_plant *plant, double ahead, double aside, double *x, double *y);

cmo_port foreign_port(foreign_plant *plant);

// What a careful user writes down: by ruler, data sheet and one step of the speed. False: nobody
// would drive with that, for its own regulator is not steady.
bool foreign_describe(const foreign_robot *robot, unsigned number,
                      cmo_robot_description *description);
cmo_levels foreign_levels(const foreign_robot *robot, unsigned sensor);
uint16_t foreign_void(const foreign_robot *robot, unsigned sensor); // the level of no floor

#endif
