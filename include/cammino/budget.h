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

/** The way from the crossing to a standstill, at worst, by part. All in mm. */
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

/** The way, mm, that the wheels may go on after a sensor has crossed the edge of a table: from the
 *  sensor nearest to the axle, less a margin of 10 mm for the tyres' own size. 0 or less: the
 * wheels stand ahead of a sensor. */
float cmo_budget_reach(const cmo_robot_description *description);

#ifdef __cplusplus
}
#endif

#endif
