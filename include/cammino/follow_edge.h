// SPDX-License-Identifier: MIT
/**
 * @file follow_edge.h
 * Follow an edge: to drive along a line with one sensor over one of its edges, or astride it with
 * one over each.
 */
#ifndef CAMMINO_FOLLOW_EDGE_H
#define CAMMINO_FOLLOW_EDGE_H

#include <cammino/line_search.h>
#include <cammino/stated_line.h>

#ifdef __cplusplus
extern "C" {
#endif

/** Which edge of a line, as the robot drives; or both, with the line between its sensors. */
typedef enum cmo_line_side { CMO_LINE_LEFT = 0, CMO_LINE_RIGHT, CMO_LINE_BOTH } cmo_line_side;
#define CMO_LINE_SIDE_WORDS ("left", "right", "both")

/** What a line across it does, which the other sensor meets. */
typedef enum cmo_across { CMO_ACROSS_PASS = 0, CMO_ACROSS_END } cmo_across;

/** What it does where another line leaves the edge's side of the line. */
typedef enum cmo_fork { CMO_FORK_TAKE = 0, CMO_FORK_PASS } cmo_fork;

/** Whose way a distance is. */
typedef enum cmo_distance_of {
    CMO_DISTANCE_OF_MIDDLE = 0,
    CMO_DISTANCE_OF_LEFT,
    CMO_DISTANCE_OF_RIGHT
} cmo_distance_of;

// clang-format off
#define CMO_FOLLOWING_PARAMETERS(P, X)                                                            \
    P(X, CHOICE, cmo_line_side, edge, CMO_LINE_LEFT, CMO_LINE_BOTH, CMO_LINE_SIDE_WORDS, "left",    \
      "which edge of the line, as it drives; both: astride, with the line between both sensors")    \
    P(X, OTHERWISE, width_mm, 1, 500, "none",                                                       \
      "how wide the line is: for both edges, which must be about as far apart as the sensors are")  \
    P(X, CHOICE, cmo_sensors, sensor, CMO_SENSOR_EITHER, CMO_SENSOR_RIGHT, ("either", "left", "right"), \
      "either: at a left edge the right one, at a right edge the left one, at both edges both",     \
      "which one stays over the edge; the other one is off the line then")                                                              \
    P(X, CHOICE, cmo_tone, tone, CMO_TONE_DARK, CMO_TONE_LIGHT, ("dark", "light"), "dark",          \
      "what the line is made of")                                                                   \
    P(X, BAND, band, "by the tone", "reflectances that count as the line: a grey one")              \
    P(X, CHOICE, cmo_across, across, CMO_ACROSS_PASS, CMO_ACROSS_END, ("pass", "end"), "pass",      \
      "end: it comes to rest with the other sensor over the near edge of a line that lies across, " \
      "or ends moving once that has proved to be one; astride, where braking leaves it once both "  \
      "sensors are over it; pass: it drives over it")                                               \
    P(X, CHOICE, cmo_fork, fork, CMO_FORK_TAKE, CMO_FORK_PASS, ("take", "pass"), "take",            \
      "where a line leaves on the edge's side at 30 degrees or less, take: it goes with the edge; pass: " \
      "it drives over that, along the bend before; not with gap_mm")                                                 \
    P(X, OTHERWISE, recover_mm, 5, 2000, "as little as it can answer in time",                      \
      "way in which it takes most of a distance from the edge out, once it has joined: less steers " \
      "harder, and swings to and fro where it cannot answer in time; more is calmer, and wider in bends") \
    P(X, NUMBER, damping, 0.2, 5, 1,                                                                \
      "of that: by 1 it comes to the edge as soon as it can without going beyond; by less it is "   \
      "there sooner and goes beyond, by more later")                                                \
    P(X, OTHERWISE, distance_mm, 1, 50000, "until something else ends it",                          \
      "way to drive, from the start; it comes to rest there. With `across: end` give up after it")                                       \
    P(X, CHOICE, cmo_distance_of, distance_of, CMO_DISTANCE_OF_MIDDLE, CMO_DISTANCE_OF_RIGHT,       \
      ("middle", "left", "right"), "middle", "whose way that is: the robot's middle, or a wheel")   \
    P(X, SPEED, cruise_mm_s, "half the top speed, or what such bends allow",                        \
      "speed where the edge does not bend")                                                         \
    P(X, NUMBER, tightest_mm, 20, 10000, 250,                                                       \
      "radius of its tightest bend: by that it knows how fast it may be")                           \
    P(X, NUMBER, least_width_mm, 1, 500, 10,                                                        \
      "a line is no narrower: as slowly as it must for that it looks for the edge")                 \
    P(X, NUMBER, gap_mm, 0, 500, 0,                                                                 \
      "gaps in the line up to so long are driven over along the bend before; with them it is "      \
      "slower, and its spot a little over the line, for a line's end and a bend look alike")                                             \
    P(X, NUMBER, search_mm, 1, 20000, 800, "give up after this way without an edge in sight")       \
    P(X, TIME, longest_ms, longest_s, 0.01,                                                         \
      "with a distance six times what it takes, plus 10; else 600", "give up after this time")      \
    P(X, RATE, acceleration_mm_s2, "the robot's", "limit when speeding up, and of what a curve asks") \
    P(X, RATE, braking_mm_s2, "the robot's", "limit when slowing down")                             \
    P(X, CHOICE, cmo_too_fast, too_fast, CMO_TOO_FAST_REFUSE, CMO_TOO_FAST_ACCEPT,                  \
      CMO_TOO_FAST_WORDS, "refuse",                                                                 \
      "where sensors and motors cannot answer such a bend in time; slow: as fast as they can")      \
    P(X, HALT, halt, "what the motors do at the end")                                               \
    P(X, CHOICE, cmo_ending, ending, CMO_END_HALTED, CMO_END_MOVING, CMO_ENDING_WORDS, "halted",    \
      "moving: go over into the next leg without a halt")
#define CMO_FOLLOW_EDGE_PARAMETERS(P, X)                                                            \
    CMO_FOLLOWING_PARAMETERS(P, X)                                                                  \
    P(X, PLACE, place, "not known",                                                                 \
      "where the edge truly is, straight where the leg ends: any point on it, and the heading along it")
// clang-format on

typedef struct cmo_follow_edge_parameters {
    CMO_FOLLOW_EDGE_PARAMETERS(CMO_FIELD, )
} cmo_follow_edge_parameters;

/** Where the edge is against the robot, as readings and wheels tell: lengths to the left. Of both
 * edges it is where the line's middle is. */
typedef struct cmo_edge_track {
    float ahead_mm;        /**< the spot, or the middle between both, against the axle's middle, */
    float left_mm;         /**< and to the left of that */
    float off_mm;          /**< of that place from the edge */
    float angle_rad;       /**< of the robot against it */
    float curve_per_mm;    /**< of the edge, 1 / radius; positive to the left */
    float sharpest_per_mm; /**< no bend of it is sharper */
    float aim_mm;          /**< so far off it the spot is to be */
    float turn_share;      /**< of a turn that the wheels tell, how much is true */
    bool beyond;           /**< at the newest look the spot was over one surface alone */
    float spread[6];       /**< variances and covariances: 11, 12, 13, 22, 23, 33 */
} cmo_edge_track;

/** How many tracks are kept, half a spot's way apart, in case the line's end has come into the
 * last. */
#define CMO_EDGE_BEFORE 3

/** A track, as it was where the wheels were then. */
typedef struct cmo_edge_before {
    cmo_edge_track track;
    cmo_moment at;
    float at_mm; /**< way of the robot then */
} cmo_edge_before;

/** Wobble is by how much the robot is turned off what its heading would be had its spot stayed on
 * the edge; a swing goes from beyond this on the one side to beyond that on the other one. */
#define CMO_SWING_RAD 0.005F

/** How well it has followed, once it had joined. */
typedef struct cmo_edge_figures {
    float joined_mm;      /**< way from the start until then, */
    uint32_t joined_ms;   /**< and time */
    uint32_t looks;       /**< that saw the edge: */
    float sum_mm;         /**< of the spot's distances from it, either side, */
    float squares_mm2;    /**< of their squares, */
    float worst_mm;       /**< and the largest */
    float followed_s;     /**< time that it followed: of that */
    float full_s;         /**< a wheel was to turn faster than it can, */
    float squares_rad2_s; /**< and wobble's squares over time */
    float wobble_rad;     /**< now */
    uint32_t forks;       /**< passed by */
    uint32_t swings;      /**< from one side to the other */
    int8_t side;          /**< at the last one */
} cmo_edge_figures;

/** Where the spot of a sensor came onto a line in the search, and where it went off it. */
typedef struct cmo_edge_pass {
    bool on, off; /**< it did */
    bool stood;   /**< it began on the line */
    float on_x_mm, on_y_mm, off_x_mm, off_y_mm;
} cmo_edge_pass;

/** Of `recall`: it knows of no line that may be meant, or that was not there. */
#define CMO_RECALL_NONE 2

/** Worth reading: `track`, and the figures. */
typedef struct cmo_follow_edge_state {
    cmo_line_state line; /**< the routine, and a line across that it ends on */
    cmo_follow_edge_parameters parameters;
    cmo_edge_track track;
    uint8_t sensor;
    bool follows;   /**< an edge was found, */
    bool joined;    /**< and the spot has come to it */
    bool inside;    /**< on the line, at the newest look */
    bool far;       /**< it has left the line over its other edge */
    bool from_line; /**< it left the line as it met its first edge, which may be either one */
    cmo_edge_pass pass[2];
    float over_rad;  /**< from beyond the line it goes over it, so steeply; 0: it does not */
    bool over;       /**< it has gone over it */
    int8_t looks_to; /**< it has lost the edge as it joined, and looks for it to this side: 1 is
                          the left; 0: it has not */
    float search_from_mm; /**< way at which it began to look for it */
    int8_t recall;      /**< it heads for the line that was met last: from this side of its edge, 1
                             is the left; 0: it has not begun; or CMO_RECALL_NONE */
    bool lands;         /**< it stops on a line across */
    bool hidden;        /**< it is in a gap, or where another line leaves this one: */
    float hidden_to_mm; /**< until this way none of what it sees is taken */
    float bend_per_mm;  /**< the edge's mean curvature */
    cmo_edge_before before[CMO_EDGE_BEFORE]; /**< the newest first */
    uint8_t refused;     /**< looks in a row that did not fit where the edge was thought to be */
    cmo_moment last;     /**< the wheels at the last step */
    uint32_t look_us[2]; /**< of the newest looks that were taken */
    float floor;         /**< reflectance of what lies beside the line */
    float bright;        /**< what a level of 1 reads to the sensor that follows */
    float middle_mm;     /**< half the line's width, of both edges */
    bool begun;          /**< so, it has looked where it stands, */
    float off_mm[2];     /**< until which way a sensor was off the line in the search, */
    uint8_t entered;     /**< which one has come onto it from beside, counted from 1, */
    float entered_mm;    /**< and at which way */
    int8_t drift;        /**< where both see none, it drifts to this side: 1 is the left */
    float start_mm[2];   /**< ways of the wheels at the start */
    float start_rad;     /**< turn of the wheels at the start, or where it met an edge since */
    float speed_mm_s;    /**< asked for */
    float trim_rad_s;    /**< by how much the wheels fall short of the turn that is asked for */
    float seen_mm;       /**< way at which the edge was seen last, */
    float seen_rad;      /**< and the turn of the wheels then */
    float clear_mm;      /**< way at which the other sensor was off the line last */
    float near_mm;       /**< since when it has been near it */
    float course_rad[2]; /**< of the edge by odometry, its mean over the way before, and that's, */
    float course_mm;     /**< since this way, for it was straight; below 0: not yet, */
    float mean_mm;       /**< and until this one */
    cmo_edge_figures figures;
    uint32_t waited_us;
} cmo_follow_edge_state;

/**
 * Drives along a line with one sensor over one of its edges. It drives on until that sensor
 * meets an edge, turns along it, and then follows: at cruise_mm_s where the curve allows it.
 * With no edge in sight it heads for the line that was met last (by a stop, a drive, a square, a
 * count or a line across), where that lies within 200 mm of the spot and 69 degrees of its heading,
 * and has the tone that is looked for: as after a turn at it. Else it drives straight on for 40 mm,
 * then turns by and by to where the edge is if the robot stands on that side of the line, and after
 * 0.45 of search_mm to the other side. From beyond the line it goes over it to the edge that was
 * asked for; the other sensor may tell that it comes from there. An edge that it loses before it
 * has followed it for 150 mm may have been another one: once it looks for its own to the other
 * side. Astride it keeps the middle between both sensors over the middle of the line, which is
 * about as wide as they are apart; it may begin amid the line or beside it. With neither edge in
 * sight it drifts to either side until it meets one. A floor that is off its level towards the
 * line's, by 0.4 of the contrast at most, is known from an edge by the other sensor; with one
 * alone, after 100 mm. Where that sensor alone reads light ground darker than its level, it is
 * known after 35 mm.
 *
 * Outcomes: done; no_line: no edge within search_mm, or no line across within distance_mm;
 * edge_lost: none was seen for 100 mm, astride for 320 where both sensors may be past their edges,
 * for the line has ended or turns more sharply than the robot can follow; no_floor; sensor_silent;
 * time_over; and what can end any routine.
 */
cmo_outcome cmo_follow_edge_start(cmo_robot *robot, cmo_follow_edge_state *state,
                                  const cmo_follow_edge_parameters *parameters);
cmo_outcome cmo_follow_edge(cmo_robot *robot, const cmo_follow_edge_parameters *parameters);

/**
 * Sets the robot's heading, and its place across the edge, from where that truly is: a point on it,
 * and the heading along it as the robot drove. After it has ended with done, having followed at
 * least 200 mm of it; the longer the edge was straight before, up to half a metre, the better.
 *
 * @param left_over  by how much the robot is turned off the edge; may be NULL
 * @return false, and nothing set, where it did not
 */
bool cmo_take_course(cmo_robot *robot, const cmo_follow_edge_state *state,
                     const cmo_stated_line *edge, cmo_left_over *left_over);

/** How it looks for a line across with the other sensor; not of both edges. */
cmo_line_parameters cmo_follow_edge_across(const cmo_follow_edge_parameters *parameters);

#ifdef __cplusplus
}
#endif

#endif
