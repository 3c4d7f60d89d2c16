// SPDX-License-Identifier: MIT
/**
 * @file budget.h
 * The budget: how far a robot goes from the crossing of an edge to a standstill, and the speed that
 * follows from it. From the robot description alone, before anything moves.
 */
#ifndef CAMMINO_BUDGET_H
#define CAMMINO_BUDGET_H

#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

/** A candidate is accepted as a line once it has lasted for this share of the least width: between
 *  the 0.6 of the longest decoration and the 1.0 of the narrowest line. */
#define CMO_PROOF_SHARE 0.8F

/** The way from the crossing to a standstill, at worst if the robot is as stated, by part. In mm.
 */
typedef struct cmo_budget {
    float look_mm;    /**< until the next look is taken: v times the look interval */
    float delay_mm;   /**< until that look is to be had: v times the sensor's delay */
    float tick_mm;    /**< until the program asks for it: v times one tick */
    float lag_mm;     /**< until the motors answer: v times their lag */
    float braking_mm; /**< v^2 / (2 b), b the braking limit */
    float total_mm;
} cmo_budget;

/**
 * The budget of a sensor at a speed. Half of look_mm and of tick_mm is what happens on average.
 *
 * @param speed_mm_s     0 and more
 * @param braking_mm_s2  0: the robot's limit
 */
cmo_budget cmo_budget_at(const cmo_robot_description *description, uint8_t sensor, float speed_mm_s,
                         float braking_mm_s2);

/**
 * The highest speed, mm/s, at which the robot stands within `distance_mm` of the crossing, at
 * worst: the larger root of v T + v^2 / (2 b) = distance, T the sum of the budget's times. 0 for a
 * distance of 0 or less; no more than the robot's top speed.
 */
float cmo_budget_speed(const cmo_robot_description *description, uint8_t sensor, float distance_mm,
                       float braking_mm_s2);

/** The narrowest line, mm, that no look can miss at a speed, with the proof that it is a line: the
 *  way between two looks over the share of the least width that a line has to show. */
float cmo_budget_width(const cmo_robot_description *description, uint16_t traits, float speed_mm_s);

/** The highest speed, mm/s, at which an edge whose tightest bend has this radius can be followed:
 *  half of a spot away from it the robot has answered, and it looks once in a spot's way at least.
 *  From 400 mm on it is no higher. Where the sensor stands further aside of the middle than 0.6 of
 *  the radius it is the slower. 0: further than 0.7 of it, the robot would have to turn on the
 *  spot; or its spot's size is not known.
 *  @param gaps the line has gaps that are to be driven over: it is slower, for its end and a bend
 * look alike */
float cmo_budget_follow(const cmo_robot_description *description, uint8_t sensor, float tightest_mm,
                        bool gaps);

/** The way, mm, that the wheels and a contact ahead of them may go on after a sensor has crossed
 * the edge of a table, which it meets at up to `largest_entry_deg`, 0 to 90, off square on, less a
 *  margin of 10 mm for the tyres' own size. 0 or less: they may be there before the sensor.
 *  @param either whichever sensor meets it first answers; false: it may be the last one that does
 */
float cmo_budget_reach(const cmo_robot_description *description, float largest_entry_deg,
                       bool either);

/**
 * The highest speed, mm/s, at which the robot stands within that way. Wheels that lock slide, and
 * by how much tyres brake then, nobody states: half of the braking limit is counted on, or the grip
 * where it was measured. 0: no speed is safe.
 *
 * @param braking_mm_s2  no more than this; 0: the robot's limit
 */
float cmo_budget_edge_speed(const cmo_robot_description *description, float largest_entry_deg,
                            bool either, float braking_mm_s2);

/** What to do where a wheel can reach a boundary before a sensor has seen it: at a grazing angle,
 *  driving straight, if the tyres stand further out than the spots. */
typedef enum cmo_grazing {
    CMO_GRAZING_SWAY = 0, /**< sway to both sides, so that a sensor comes round first; for convex
                               boundaries alone */
    CMO_GRAZING_ACCEPT,   /**< drive straight: at angles from `blind_deg` on a wheel may go over */
    CMO_GRAZING_REFUSE    /**< do not start */
} cmo_grazing;
#define CMO_GRAZING_WORDS ("sway", "accept", "refuse")

/** What is safe within a boundary. */
typedef struct cmo_patrol_budget {
    float speed_mm_s; /**< the highest cruise at which the wheels stay inside, at any entry angle
                           below `sees_deg`; 0: there is none */
    float stop_mm;    /**< way from crossing to standstill at that speed, at worst */
    float sees_deg;   /**< entry angle, from the perpendicular, up to which that holds; 90: all */
    float blind_deg;  /**< entry angle from which a wheel is over before its sensor sees it, driving
                           straight at any speed; 90: there is none */
    float sway_deg;   /**< to either side; 0: it drives straight */
    float sway_mm;    /**< length of one sway to and fro */
    bool corners;     /**< that holds also where a corner of 90 degrees pokes into the floor */
} cmo_patrol_budget;

/** Way, mm, from the crossing of an edge to standstill, at worst, for braking that leads by the
 *  motors' lag, of which two fifths are left. Of the slowest sensor. */
float cmo_budget_braking(const cmo_robot_description *description, float speed_mm_s,
                         float braking_mm_s2);

/**
 * The highest speed, and how to drive, so that no wheel gets nearer than `margin_mm` to a boundary.
 *
 * With a sensor a ahead and s to the side, and a tyre's outer edge h to the side, a straight drive
 * that meets a straight boundary at an angle e from the perpendicular may take a - (h - s) tan e -
 * m / cos e to stand. That is nothing from a blind angle on, tan e = a / (h - s). While the robot
 * sways, a wheel stays inside if it never leaves the convex hull of where the sensors were one
 * stopping way before; that is tried out for all angles and phases.
 *
 * A corner that pokes in passes between the sensors; where a robot drives straight, the budget
 * leaves the way to stand from where the first sensor sees it, for a corner of 90 degrees at any
 * angle and place. Where the tyres stand further out than the spots, such a corner can pass beside
 * a spot and under a tyre: then no speed is safe, swaying or not.
 *
 * Takes some ten to some hundred thousand operations: it is meant for the start of a routine.
 *
 * @param convex         no corner pokes in: it may be faster
 * @param margin_mm      0 and more
 * @param braking_mm_s2  0: the robot's limit
 */
void cmo_budget_patrol(const cmo_robot_description *description, cmo_grazing grazing, bool convex,
                       float margin_mm, float braking_mm_s2, cmo_patrol_budget *budget);

/** Entry angle from which driving straight at a speed a wheel gets over the boundary before the
 *  robot stands, degrees from the perpendicular; 90: never. 0: also head on. */
float cmo_budget_sight(const cmo_robot_description *description, float speed_mm_s, float margin_mm,
                       float braking_mm_s2);

#ifdef __cplusplus
}
#endif

#endif
