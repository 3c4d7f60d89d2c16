// SPDX-License-Identifier: MIT
/**
 * @file stay_inside.h
 * Stay inside: to drive about within a boundary, and turn away from it.
 */
#ifndef CAMMINO_STAY_INSIDE_H
#define CAMMINO_STAY_INSIDE_H

#include <cammino/budget.h>
#include <cammino/inside/motion.h>
#include <cammino/parameters.h>

#ifdef __cplusplus
extern "C" {
#endif

/** Which way it goes on after a rebound. */
typedef enum cmo_leaving {
    CMO_LEAVE_MIRRORED =
        0,              /**< as light leaves a mirror, at 15 degrees from the boundary at least */
    CMO_LEAVE_BY_ANGLE, /**< by `angle_deg` from its heading, away from the side that met first */
    CMO_LEAVE_INWARD,   /**< along the boundary's normal */
    CMO_LEAVE_MIDDLE    /**< toward the middle of the ground that it has covered */
} cmo_leaving;
#define CMO_LEAVE_WORDS ("mirrored", "by_angle", "inward", "middle")

// clang-format off
#define CMO_STAY_INSIDE_PARAMETERS(P, X)                                                            \
    P(X, CHOICE, cmo_tone, boundary, CMO_TONE_DARK, CMO_TONE_VOID, CMO_TONE_WORDS, "dark",          \
      "what the boundary is made of; no floor counts too, where its level is known")                \
    P(X, BAND, band, "a fifth of the way from the floor to the boundary's level",                   \
      "reflectances that count as boundary")                                                        \
    P(X, SURFACE, surface, "by tone or band",                                                       \
      "a surface that was taught is the boundary, everywhere wider than 1.7 spots and two looks; "  \
      "no floor does not count then")                                                               \
    P(X, SPEED, cruise_mm_s, "as fast as is safe",                                                  \
      "speed of the patrol; at least a fifth less until a first stop has been seen")                \
    P(X, CHOICE, cmo_too_fast, too_fast, CMO_TOO_FAST_REFUSE, CMO_TOO_FAST_ACCEPT, CMO_TOO_FAST_WORDS, \
      "refuse", "where the wheels could go over the boundary; slow: drive as fast as is safe; accept: " \
      "drive all the same")                                                                         \
    P(X, CHOICE, cmo_grazing, grazing, CMO_GRAZING_SWAY, CMO_GRAZING_REFUSE, CMO_GRAZING_WORDS, "sway", \
      "where a wheel can reach the boundary unseen; accept: drive straight all the same")           \
    P(X, FLAG, convex,                                                                              \
      "no corner of the boundary pokes into the floor: it may be faster; needed where the tyres "   \
      "stand further out than the spots")                                                           \
    P(X, FLAG, guess, "where one sensor alone has crossed, guess the boundary's direction")         \
    P(X, CHOICE, cmo_leaving, leave, CMO_LEAVE_MIRRORED, CMO_LEAVE_MIDDLE, CMO_LEAVE_WORDS, "mirrored", \
      "which way to go on; middle: toward the middle of the ground covered")                        \
    P(X, NUMBER, angle_deg, 20, 180, 120, "with leave: by_angle, the turn from its heading")        \
    P(X, NUMBER, margin_mm, 0.5, 100, 3, "how far inside the wheels are to stay")                   \
    P(X, RATE, acceleration_mm_s2, "the robot's", "limit when speeding up")                         \
    P(X, RATE, braking_mm_s2, "the robot's", "limit when slowing down")                             \
    P(X, HALT, halt, "what the motors do at the end")                                               \
    P(X, TIME, for_ms, for_s, 0.1, "30", "done after this time")                                    \
    P(X, COUNT, uint16_t, rebounds, 1, 65535, "no end", "done after so many")                       \
    P(X, OTHERWISE, distance_mm, 1, 1000000, "no end", "done after this way")                       \
    P(X, BITS, touch, CMO_TOUCH_WORDS, "no end", "done when one of these bumpers touches")          \
    P(X, OTHERWISE, range_mm, 1, 5000, "no end", "done when something is nearer than this")         \
    P(X, OTHERWISE, charge_mm, 1, 5000, "nothing is", "what is nearer than this is charged")        \
    P(X, BITS, charge_touch, CMO_TOUCH_WORDS, "nothing is",                                         \
      "what touches these bumpers in front is pushed: it turns to the side that touches, and looks there for what is lost") \
    P(X, TIME, push_ms, push_s, 0.1, "1.5",                                                         \
      "a push that gets nowhere for so long, by the wheels, is given up, as if the boundary were there") \
    P(X, NUMBER, push_longest_mm, 50, 20000, 2000,                                                  \
      "and so is one of this way: nothing is as far from the boundary, so the wheels slide")        \
    P(X, SPEED, charge_mm_s, "cruise_mm_s", "speed of the charge")                                  \
    P(X, NUMBER, scan_deg, 0, 360, 0,                                                               \
      "after a rebound, turns on by up to this to look for something to charge")
// clang-format on

typedef struct cmo_stay_inside_parameters {
    CMO_STAY_INSIDE_PARAMETERS(CMO_FIELD, )
} cmo_stay_inside_parameters;

typedef struct cmo_stay_inside_state cmo_stay_inside_state;

/**
 * Drives about within a boundary. On a crossing of either sensor it brakes, backs off on the way
 * just come as far as turning needs, turns away, and goes on; it keeps looking all the time.
 *
 * Outcomes: done, halted; cornered, when ten rebounds follow one another with hardly any way
 * between them; sensor faults and what can end any routine. Refused as too_fast: a cruise at which
 * the wheels could go over the boundary (robot->limit is the highest that would do), or a robot
 * whose wheels can reach it unseen: with CMO_GRAZING_REFUSE, or where it is not convex. Refused as
 * low_contrast: levels; and ended so before it moves, where both sensors read neither the floor of
 * the levels, give or take 0.4 of the contrast, nor the boundary.
 */
cmo_outcome cmo_stay_inside_start(cmo_robot *robot, cmo_stay_inside_state *state,
                                  const cmo_stay_inside_parameters *parameters);
cmo_outcome cmo_stay_inside(cmo_robot *robot, const cmo_stay_inside_parameters *parameters);

/** Ends it at the next tick, with done and halted. */
void cmo_stay_inside_end(cmo_stay_inside_state *state);

/** A rebound: what was met, and what was done about it. Angles in degrees, positive to the left. */
typedef struct cmo_rebound {
    uint8_t sensor; /**< the one that crossed first */
    bool crossed;   /**< both had crossed when the robot stood */
    bool known;     /**< the boundary's direction was measured, by both crossings or by
                         turning the other sensor over it; else guessed */
    bool answered;  /**< something else was met in the turn, a corner: it left as it had come */
    uint32_t crossing_us; /**< first crossing, port clock */
    uint32_t done_us;     /**< turned away, port clock */
    float x_mm, y_mm;     /**< first crossing, by odometry */
    float speed_mm_s;     /**< there */
    float entry_deg;      /**< heading there against the boundary's outward normal */
    float exit_deg;       /**< new heading that was asked for, against that normal; 180: inward */
    float asked_deg;      /**< turn from the heading at the crossing, */
    float turned_deg;     /**< and what odometry says of it */
    float back_mm;        /**< backed off */
    float margin_mm; /**< of the wheels to the boundary, where it came to a stand; if `known` */
} cmo_rebound;

/** A course: a heading, and how the robot sways to both sides of it. */
typedef struct cmo_course {
    float heading_rad;
    float start_mm;
    float speed_mm_s;
    float sway_rad; /**< 0: straight on */
    float sway_mm;
    bool softly; /**< its wheels lock where they are told all of a lead at once */
} cmo_course;

/** What is known of the boundary that was met. Places and directions are odometry's. */
typedef struct cmo_met_boundary {
    uint8_t met;   /**< bit n: sensor n has crossed */
    uint8_t first; /**< the one that crossed first */
    bool known;    /**< its direction is measured, else guessed */
    float x_mm[2]; /**< where it was crossed, by the first sensor and then by the other */
    float y_mm[2];
    uint8_t anew;       /**< bit n: sensor n has crossed it once the robot stood: */
    float anew_x_mm[2]; /**< here, whatever its tyres had slid before */
    float anew_y_mm[2];
    float felt_rad;     /**< so far the first one was over it, turning to that side */
    float entry_rad;    /**< heading at the first crossing */
    float entry_way_mm; /**< way at the first crossing */
    float normal_rad;   /**< direction of the outward normal */
} cmo_met_boundary;

/** A boundary that it has turned away from, where its direction is known. By odometry. */
typedef struct cmo_past_boundary {
    bool known;
    float x_mm, y_mm; /**< a place on it */
    float normal_rad; /**< direction of the outward normal */
} cmo_past_boundary;

struct cmo_stay_inside_state {
    cmo_routine routine;
    cmo_stay_inside_parameters parameters;
    cmo_patrol_budget budget; /**< the speed that is safe, and how it sways */
    float cruise_mm_s;        /**< what it drives at, */
    float charge_mm_s;        /**< and charges at, */
    float share;              /**< times this: less until the first stop has shown what the budget
                                 counts on, and where a stop took longer than that */
    float stop_mm;            /**< from the last crossing to rest, by the encoders */
    bool slid;                /**< it has been seen how far the tyres slid in that */
    float swings_rad;         /**< furthest that a turn away has gone beyond its end */
    bool held;                /**< to what is safe, unless it was told to accept more */
    uint16_t rebounds;        /**< so far */
    uint16_t crossed;         /**< of them with both sensors; of these: */
    float turn_error_deg;     /**< root mean square of turned less asked, by odometry */
    float margin_mm;  /**< smallest distance of a wheel to the boundary; INFINITY: not known */
    cmo_rebound last; /**< valid once `rebounds` is above 0 */

    cmo_course course;
    float braking_mm_s2;
    float brakes_mm; /**< way at which it began to brake */
    cmo_motion motion;
    cmo_met_boundary boundary;
    cmo_past_boundary past[2]; /**< before this one, the last one first */
    float heading_rad;         /**< asked for after the rebound */
    cmo_pose stood;            /**< where it came to a stand at the boundary */
    float from_rad;            /**< heading from which it turned, on the way that it has come */
    float back_to_mm;          /**< place on the course that it backs off to */
    float come_mm;             /**< way since it last turned, which it may go back */
    float reckoned_mm;         /**< way at which that was reckoned last */
    float covered_mm;          /**< way that went into the middle of the ground covered, */
    float covered_x_mm;        /**< which is here, by odometry */
    float covered_y_mm;
    uint32_t since_us;    /**< since the profile of the turn, or of the braking, has ended */
    uint8_t short_runs;   /**< rebounds in a row with hardly any way between them */
    uint8_t to_and_fro;   /**< rebounds in a row that left nearly square */
    uint8_t answers;      /**< to further crossings within this rebound */
    uint8_t unseen;       /**< ticks without anything in range */
    int8_t side;          /**< on which what it pushes was felt last: 1 left, -1 right, 0 both */
    float push_from_mm;   /**< way at which the push began, */
    float push_mm;        /**< and at which it got on last, */
    uint32_t push_us;     /**< and since when it has not */
    float lost_rad;       /**< turned since it was felt */
    volatile bool ending; /**< the caller has asked for its end */
    bool felt : 1;        /**< the boundary's direction has been felt */
    bool other_met : 1;   /**< the sensor that did not cross it first has met it meanwhile */
    bool over : 1;        /**< it is done, and comes to a halt */
    bool pushes : 1;      /**< something that it feels, or looks for it */
    bool blocked : 1;     /**< the turn was blocked, and is tried the other way */
    bool other : 1;       /**< which way it turned last where either would do */
};

#ifdef __cplusplus
}
#endif

#endif
