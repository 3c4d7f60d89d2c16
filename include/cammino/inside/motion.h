// SPDX-License-Identifier: MIT
/**
 * @file motion.h
 * Part of the routines' states: for its size, and not to be touched.
 */
#ifndef CAMMINO_INSIDE_MOTION_H
#define CAMMINO_INSIDE_MOTION_H

#include <cammino/config.h>

#include <stdbool.h>
#include <stdint.h>

/** Follows a profile of way over time with both wheels. */
typedef struct cmo_motion {
    float place_mm; /**< where the wheels should be by now, from the start of the motion */
    float speed_mm_s;
    float target_mm; /**< where it ends; INFINITY: open-ended */
    float top_mm_s;  /**< the speed to go for */
    float acceleration_mm_s2;
    float braking_mm_s2;
#if CMO_SLIDING
    float hardest_mm_s2; /**< how hard it may brake for wheels that are ahead; 0: no harder */
#endif
    float left_sign; /**< -1..1: the left wheel's way over the motion's; 0 keeps its place */
    float right_sign;
    float left_start_mm;
    float right_start_mm;
    uint32_t since_us; /**< time on the way there */
    bool arrived;      /**< the profile has reached its target */
#if CMO_SLIDING
    bool settles;   /**< one of the small moves between standstills, which nothing hangs on */
    bool by_counts; /**< settles by the counts alone: a wheel is amid its own until the next one */
    bool back;      /**< it comes back to where it was to end, from beyond */
    uint8_t again;  /**< profiles after the first one, to the same end */
#endif
} cmo_motion;

#endif
