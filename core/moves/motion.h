// SPDX-License-Identifier: MIT
// Follows a profile of way over time with both wheels.
#ifndef CMI_MOTION_H
#define CMI_MOTION_H

#include <cammino/inside/motion.h>
#include <cammino/robot.h>

// Driven forward, a tyre turns further than the floor goes by: by a share of its speed that grows
// with the force, to 2 or 3 % where rubber lets go, at about 5000 mm/s2. Up to a speed v that adds
// up to 0.025 v^2 / (2 * 5000) mm; braking takes as much away. Soft tyres on a smooth floor creep
// three times as much as hard ones on a rough one: the error is a standard deviation of that.
#define CMI_TYRE_CREEP       2.5e-6F
#define CMI_TYRE_CREEP_ERROR 2e-6F

// Turned on the spot, a body with the radius of gyration k takes (k / h)^2 times the force at
// wheels that stand h from the middle that the same acceleration of the wheels takes straight on.
// Robots reach as far ahead and behind as to the sides, or further, so that is 1 to 2: turns are
// given this share of what the tyres are stated to pass on.
#define CMI_TURN_SHARE 0.5F

// That share for wheels with these signs, the larger of which is 1: forces of both kinds add up.
float cmi_motion_share(float left_sign, float right_sign);

// Begins from the speed that the robot has. Signs say which way each wheel turns; `target_mm` is
// the way of a wheel whose sign is 1, INFINITY for an open end.
void cmi_motion_start(cmo_motion *motion, const cmo_robot *robot, float target_mm, float left_sign,
                      float right_sign);

// It is one of the small moves between standstills, and its limits have been set. A drive that has
// not been measured may have a ramp of its own, and is given no more than it surely passes on;
// where its wheels were seen to run on, it is led by half as much, too.
void cmi_motion_settles(cmo_motion *motion, const cmo_robot *robot);

// And no sensor will see where it ends: what has not been measured is given twice the time that its
// wheels are led by, or more. Led by more than a move takes, they would be told to be to and fro.
void cmi_motion_ends_blind(cmo_motion *motion, const cmo_robot *robot);

// One tick of the profile: sets both wheels' commands.
void cmi_motion_follow(cmo_motion *motion, cmo_robot *robot);

// After the profile has arrived: what is left, or will have been too much, by more than small moves
// do soon is gone by another profile, to the same end of each wheel. False: it is near enough.
bool cmi_motion_again(cmo_motion *motion, const cmo_robot *robot);

// How far beyond its end it is, negative before it, also where it comes back from there.
float cmi_motion_beyond_mm(const cmo_motion *motion, const cmo_robot *robot);

// At rest: no reading tells where wheels stand within their counts. Amid them they are off by
// least; and from here on they settle by counts alone.
void cmi_motion_recentre(cmo_motion *motion, cmo_robot *robot);

// Motors that cannot turn as little as asked, or an encoder that dithers, must not be tried for
// ever.
#define CMI_SETTLE_US 1500000U

// After the profile has arrived: small moves until both wheels stand within the tolerance.
// True: they do. Wheels that stick for longer than so long are pushed (`cmi_pushed_mm_s`).
bool cmi_motion_settle(cmo_motion *motion, cmo_robot *robot, float tolerance_mm,
                       uint32_t patience_us);

// The least way that a wheel is driven to settle: in a tick, at the least speed.
float cmi_motion_least_mm(const cmo_robot *robot);

// Are both wheels within the tolerance of their targets?
bool cmi_motion_within(const cmo_motion *motion, const cmo_robot *robot, float tolerance_mm);

// Way of the wheels along the motion, mean of both.
float cmi_motion_way(const cmo_motion *motion, const cmo_robot *robot);

#endif
