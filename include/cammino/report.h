// SPDX-License-Identifier: MIT
/**
 * @file report.h
 * How a routine ended, and its figures as the robot itself could measure them.
 */
#ifndef CAMMINO_REPORT_H
#define CAMMINO_REPORT_H

#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/**
 * How a routine can end, a row each: O(NAME, name, what it means and what to look at). Every
 * outcome but done halts the motors. Departed and wrong_line are said by a simulation only.
 * cmo_robot::field names what was refused, the report's sensor whose fault it was.
 */
// clang-format off
#define CMO_EACH_OUTCOME(O)                                                                         \
    O(DONE, done, "it did what was asked")                                                          \
    O(NO_LINE, no_line,                                                                             \
      "no line within the longest distance, or lost by sliding; right tone, right sensor?")         \
    O(TIME_OVER, time_over, "the time is over")                                                     \
    O(SENSOR_SILENT, sensor_silent, "a light sensor gave no look; is it plugged in?")               \
    O(SENSOR_RANGE, sensor_range,                                                                   \
      "a light sensor's readings left what it can give; is a wire loose?")                          \
    O(SENSOR_STUCK, sensor_stuck,                                                                   \
      "a light sensor's reading stays where the other one's proves that it must change")            \
    O(SENSOR_JUMPING, sensor_jumping,                                                               \
      "a light sensor's reading jumps as no motion of the robot explains; is a plug loose?")        \
    O(LOW_CONTRAST, low_contrast,                                                                   \
      "the levels are missing, too near to each other, or not of this floor; take them anew")       \
    O(ONE_SENSOR, one_sensor,                                                                       \
      "only one sensor met the line; did it pass the line's end, or a corner?")                     \
    O(NO_FLOOR, no_floor, "a sensor saw no floor while it looked for a line")                       \
    O(STALLED, stalled,                                                                             \
      "the motors are driven but the wheels stand still; is something in the way?")                 \
    O(ENCODER_SILENT, encoder_silent, "the encoders gave no counts; are they plugged in?")          \
    O(ENCODER_JUMP, encoder_jump, "the encoders jumped further than the robot can move")            \
    O(LATE, late, "a tick came later than a drive command lives")                                   \
    O(PORT_FAILED, port_failed,                                                                     \
      "the port said that the hardware failed, or takes no drive commands any more")                \
    O(TOO_FAST, too_fast, "at this speed a line could be missed, an edge lost, or a boundary overrun")            \
    O(BAD_PARAMETER, bad_parameter, "a parameter makes no sense")                                   \
    O(NOT_SUPPORTED, not_supported, "the robot lacks what was asked for")                           \
    O(STOPPED, stopped, "the stop button was pressed")                                              \
    O(ABORTED, aborted, "the program ended it")                                                     \
    O(WIRING_WRONG, wiring_wrong, "something is wired or described wrongly")                        \
    O(CORNERED, cornered,                                                                           \
      "the boundary is all around; is the tone right, and is there room to turn?")                  \
    O(EDGE_LOST, edge_lost,                                                                         \
      "the edge that it followed has ended, or turns more sharply than it can follow")              \
    O(UNEXPECTED, unexpected, "a leg ended in a way that its route does not expect")                \
    O(DEPARTED, departed, "a wheel was over the boundary; said by a simulation only")               \
    O(WRONG_LINE, wrong_line, "it ended on something that the mat does not mark as the line")
// clang-format on

#define CMO_OUTCOME_AS_ID(NAME, name, text) CMO_OUTCOME_##NAME,

/** How a routine ended: CMO_OUTCOME_DONE... */
typedef enum cmo_outcome {
    CMO_RUNNING = 0,                                 /**< it has not ended */
    CMO_EACH_OUTCOME(CMO_OUTCOME_AS_ID) CMO_OUTCOMES /**< how many there are, with running */
} cmo_outcome;

/**
 * What can end a routine besides itself, a row each: E(NAME, name, what happened). Whoever waits
 * for one states it (ends.h).
 */
// clang-format off
#define CMO_EACH_END(E)                                                                             \
    E(WAY, way, "the middle of the axle has come that far")                                         \
    E(LEFT_WAY, left_way, "the left wheel has")                                                     \
    E(RIGHT_WAY, right_way, "the right wheel has")                                                  \
    E(TURN, turn, "it has turned that far")                                                         \
    E(TIME, time, "that time is over")                                                              \
    E(RANGE_BELOW, range_below, "something is as near ahead as that")                               \
    E(RANGE_ABOVE, range_above, "nothing is as near ahead as that any more")                        \
    E(TOUCH, touch, "a bumper touches")                                                             \
    E(BUTTON, button, "the start button is pressed")                                                \
    E(LINE, line, "a sensor has come onto that many lines")
// clang-format on

#define CMO_BY_AS_ID(NAME, name, text) CMO_BY_##NAME,

/** What a routine ended by: CMO_BY_WAY... */
typedef enum cmo_by {
    CMO_BY_ITSELF = 0,
    CMO_EACH_END(CMO_BY_AS_ID) CMO_BYS /**< how many there are, with itself */
} cmo_by;

/**
 * The routines, a row each: R(NAME, name, figures besides those of all, what it does). From it are
 * made the names below, and on the host the legs of a route file with their keys and documentation:
 * a routine's types and functions are called after its name.
 */
// clang-format off
#define CMO_EACH_LEG(R)                                                                             \
    R(ADVANCE, advance, CMO_FIGURE_BIT(CMO_OVERSHOOT_MM), "Drive straight on by a distance.")       \
    R(TURN, turn, 0, "Turn on the spot by an angle.")                                               \
    R(DRIVE_UNTIL_LINE, drive_until_line, CMO_FIGURES_OF_LINE | CMO_FIGURES_OF_REST,                \
      "Drive until a line has proved to be one, and end on it.")                                    \
    R(STOP_ON_LINE, stop_on_line, CMO_FIGURES_OF_LINE | CMO_FIGURES_OF_REST,                        \
      "Drive to a line and stop on it.")                                                            \
    R(SQUARE_ON_LINE, square_on_line, CMO_FIGURES_OF_LINE | CMO_FIGURES_OF_REST,                    \
      "Stand square to a line, with both sensors over one of its edges.")                           \
    R(COUNT_LINES, count_lines,                                                                     \
      CMO_FIGURES_OF_LINE | CMO_FIGURES_OF_REST | CMO_FIGURES_OF_COUNT,                             \
      "Drive over lines and count them; end on the one that is asked for, or count all that come.") \
    R(FOLLOW_EDGE, follow_edge, 0, "Drive along a line, one sensor over one of its edges.")           \
    R(TAKE_LEVELS, take_levels, 0, "Drive over a line and back, and take all sensors' levels.")     \
    R(TAKE_SURFACE, take_surface, 0,                                                                \
      "Stand on a surface, or drive over it, and learn what all sensors read there.")               \
    R(CHECK_WIRING, check_wiring, 0,                                                                \
      "Move a little before a line, and find out which motor, encoder and light sensor is where. "  \
      "The sensors stand 10 to 25 mm before the line.")                                             \
    R(MEASURE_GEOMETRY, measure_geometry, 0,                                                        \
      "Drive over two parallel lines, straight and at a slant, and measure wheels, track, the "     \
      "spots' places and the sensors' delays.")                                                     \
    R(MEASURE_DRIVE, measure_drive, 0,                                                              \
      "Drive to and fro on 600 mm of free floor, and measure by how much the wheels trail what "    \
      "they are told, a ramp of their regulator's own, and the least commands that turn them.")     \
    R(MEASURE_BRAKING, measure_braking, 0,                                                          \
      "Stop over the near edge of a line and come back, and measure what the tyres pass on before " \
      "they slide.")                                                                                \
    R(STAY_INSIDE, stay_inside, CMO_FIGURE_BIT(CMO_CROSSING_SPEED_MM_S),                            \
      "Patrol within a boundary, and turn away from it.")                                           \
    R(COUNTDOWN, countdown, 0, "Wait for the start button, and count down.")
/** Besides them the user's own, which only a program can state. */
#define CMO_EACH_ROUTINE(R)                                                                         \
    CMO_EACH_LEG(R)                                                                                 \
    R(ACTION, action, 0, "Run a function of the user's.")
// clang-format on

#define CMO_ROUTINE_AS_ID(NAME, name, figures, text) CMO_ROUTINE_##NAME,

/** Which routine: CMO_ROUTINE_ADVANCE... */
typedef enum cmo_routine_id {
    CMO_ROUTINE_NONE = 0,
    CMO_EACH_ROUTINE(CMO_ROUTINE_AS_ID) CMO_ROUTINES /**< how many there are, with none */
} cmo_routine_id;

/** Stages of all routines, a row each: S(NAME, name, what it does then). */
// clang-format off
#define CMO_EACH_STAGE(S)                                                                           \
    S(IDLE, idle, "no routine runs")                                                                \
    S(MOVE, move, "along the speed profile")                                                        \
    S(BLIND, blind, "drives without looking for a line")                                            \
    S(SEARCH, search, "drives and looks")                                                           \
    S(PROVE, prove, "goes on until the line has shown its least width")                             \
    S(BRAKE, brake, "brakes along the speed profile")                                               \
    S(HALT, halt, "halted, and not yet at a standstill")                                            \
    S(RETURN, return, "comes back to where it is to rest")                                          \
    S(SETTLE, settle, "the last small closed-loop move onto the target")                            \
    S(SWING, swing, "swings one wheel by itself")                                                   \
    S(TURN, turn, "turns on the spot")                                                              \
    S(ACTION, action, "the user's own callback")                                                    \
    S(PATROL, patrol, "drives and looks for the boundary")                                          \
    S(FEEL, feel, "turns the other sensor over the boundary, to know its direction")                \
    S(ROOM, room, "backs off to have room for that")                                                \
    S(BACK, back, "backs off from it, on the way just come")                                        \
    S(TURN_BACK, turn_back, "turns back to the heading in which it had come to a stand")            \
    S(SCAN, scan, "turns on the spot to find something in range")                                   \
    S(CHARGE, charge, "drives at what is in range")                                                 \
    S(WAIT, wait, "waits for the start button")                                                     \
    S(COUNTDOWN, countdown, "counts down")                                                          \
    S(CREEP, creep, "turns the wheels as slowly as they will")                                      \
    S(JOIN, join, "turns along the edge that it has found")                                         \
    S(FOLLOW, follow, "follows the edge")
// clang-format on

#define CMO_STAGE_AS_ID(NAME, name, text) CMO_STAGE_##NAME,

/** Which stage: CMO_STAGE_IDLE... */
typedef enum cmo_stage { CMO_EACH_STAGE(CMO_STAGE_AS_ID) CMO_STAGES /**< how many */ } cmo_stage;

/**
 * Figures, a row each: F(NAME, name, FROM, meaning), and FROM is what it rests on: CLOCK (the clock
 * or the light sensors alone) or WAY (the odometer, so that without encoders it is an estimate).
 * Distances are in mm, angles in degrees, positive to the left; positive along the robot's way.
 *
 * These are in a report.
 */
// clang-format off
#define CMO_EACH_REPORT_FIGURE(F)                                                                   \
    F(ELAPSED_MS, elapsed_ms, CLOCK, "start of the routine to its end")                             \
    F(LOOK_INTERVAL_MS, look_interval_ms, CLOCK,                                                    \
      "mean time between two fresh looks of a watched sensor")                                      \
    F(LOOK_INTERVAL_WORST_MS, look_interval_worst_ms, CLOCK, "the longest such time")               \
    F(BLIND_GAP_MM, blind_gap_mm, WAY, "the longest way between two looks while searching")         \
    F(TICK_LATE_US, tick_late_us, CLOCK, "the worst lateness of a tick")                            \
    F(CROSSING_SPEED_MM_S, crossing_speed_mm_s, WAY, "speed at the crossing")                       \
    F(TOP_SPEED_MM_S, top_speed_mm_s, WAY, "the highest speed")                                     \
    F(REACTION_MS, reaction_ms, CLOCK, "crossing to the command that answers it")                   \
    F(STOPPING_DISTANCE_MM, stopping_distance_mm, WAY,                                              \
      "crossing to first standstill: the first reversal, or 30 ms within one encoder step "         \
      "(truth: within 0.5 mm)")                                                                     \
    F(OVERSHOOT_MM, overshoot_mm, WAY, "the furthest that the robot got beyond its target")         \
    F(REST_ERROR_MM, rest_error_mm, WAY,                                                            \
      "from the target to the rest point, across the edge; the target is the near edge, or "        \
      "what `rest` and `beyond_mm` say; the rest point is the middle of the spots, or the "         \
      "named sensor's; at a table's edge, unless it is both that are named, that of the one "       \
      "that has met it first")                                                                      \
    F(SETTLE_MS, settle_ms, WAY,                                                                    \
      "first standstill to rest: the start of the last window within 0.3 mm and 0.1 degrees "       \
      "(robot: one encoder step)")                                                                  \
    F(ENTRY_ANGLE_DEG, entry_angle_deg, WAY,                                                        \
      "angle to the perpendicular of the line at the first crossing; the robot knows it once "      \
      "both sensors have crossed")                                                                  \
    F(RESIDUAL_ANGLE_DEG, residual_angle_deg, WAY, "the same at rest")                              \
    F(TRAVELLED_MM, travelled_mm, WAY, "way of the middle of the axle")                             \
    F(TURNED_DEG, turned_deg, WAY, "turn from start to end")                                        \
    F(PREDICTED_OVERSHOOT_MM, predicted_overshoot_mm, WAY,                                          \
      "overshoot as the robot predicted it when it began to stop, from its braking limit or "       \
      "from what its last halts have shown")                                                        \
    F(SLIP_MM, slip_mm, WAY,                                                                        \
      "by how much further than its wheels turned the robot went, from the crossing to its "        \
      "rest: what tyres slid and crept, and gear play. The robot knows it where a sensor has "      \
      "seen the edge again, at rest or coming back")                                                \
    F(CLEAR_MM, clear_mm, WAY,                                                                      \
      "with off_line: way from the start to be clear of the line that was met last; in the "        \
      "robot's own report also where a halt before implies that")       \
    F(PASSED_OVER, passed_over, CLOCK, "candidates that were no line")                              \
    F(LINES_SEEN, lines_seen, CLOCK, "lines that were counted, each once")                          \
    F(LINES_MISSED, lines_missed, WAY,                                                              \
      "with a spacing: lines between those that should have been there")                            \
    F(COUNT_CERTAINTY, count_certainty, WAY,                                                        \
      "with a spacing: 1 less the chance that something else would have fitted as well as the "     \
      "line that is least sure")
/** And these stand in the state of stay inside or count lines, or only a simulation knows them. */
#define CMO_EACH_OTHER_FIGURE(F)                                                                    \
    F(REBOUNDS, rebounds, CLOCK, "rebounds from the boundary")                                      \
    F(TURN_ERROR_DEG, turn_error_deg, WAY,                                                          \
      "heading after a rebound, against the boundary, less what was asked; of a leg the root "      \
      "of the mean square over the rebounds where both sensors had crossed, corners left out")      \
    F(MARGIN_MM, margin_mm, WAY,                                                                    \
      "smallest distance of a ground contact (both edges of both tyres, the caster) to the "        \
      "near edge of the boundary around the start; negative is over it. The robot knows the "       \
      "wheels' where it stood, if the boundary's direction was measured")                           \
    F(DEPARTURES, departures, CLOCK,                                                                \
      "how often a ground contact went over the boundary; truth only")                              \
    F(COVERED_SHARE, covered_share, WAY,                                                            \
      "share of the floor inside over which the robot's body, a disc as wide as its outline, "      \
      "has been; cells of 20 mm; truth only")                                                       \
    F(COVERED_PER_MIN, covered_per_min, WAY, "that share over the minutes that it took")            \
    F(COVERED_EVENNESS, covered_evenness, WAY,                                                      \
      "1 less the Gini coefficient of the time spent over the cells: 1 is the same everywhere")     \
    F(EDGE_MEAN_MM, edge_mean_mm, WAY,                                                              \
      "mean distance of the spot from the edge that it follows, either side, once it has joined")   \
    F(EDGE_RMS_MM, edge_rms_mm, WAY, "root of the mean square of that")                             \
    F(EDGE_WORST_MM, edge_worst_mm, WAY, "and the largest; the robot knows it within its spot")     \
    F(JOINED_MM, joined_mm, WAY, "way from the start until the spot had come to the edge")          \
    F(JOINED_MS, joined_ms, CLOCK, "and time")                                                      \
    F(MEAN_SPEED_MM_S, mean_speed_mm_s, WAY, "way of the middle of the axle over time")             \
    F(WOBBLE_DEG, wobble_deg, WAY,                                                                  \
      "of an edge that is followed: root of the mean square of by how much the robot is turned "    \
      "off what its heading would be had its spot stayed on the edge; while it follows")            \
    F(WOBBLE_HZ, wobble_hz, WAY,                                                                    \
      "how often it swings so, by 0.3 degrees to either side at least; unknown below 3 swings")     \
    F(FULL_SHARE, full_share, CLOCK,                                                                \
      "share of that time in which a wheel was to turn faster than it can")                         \
    F(LINE_WIDTH_MM, line_width_mm, WAY, "mean width of the lines that were counted")               \
    F(LINE_WIDTH_SPREAD_MM, line_width_spread_mm, WAY, "standard deviation of their widths")        \
    F(LINE_GAP_MM, line_gap_mm, WAY, "mean floor between them, from far edge to near edge")         \
    F(LINE_GAP_SPREAD_MM, line_gap_spread_mm, WAY, "standard deviation of that")
// clang-format on

#define CMO_FIGURE_AS_ID(NAME, name, from, meaning) CMO_##NAME,

/** Which figure: CMO_ELAPSED_MS... Its name in files is that in lower case, without the prefix. */
typedef enum cmo_figure {
    CMO_EACH_REPORT_FIGURE(CMO_FIGURE_AS_ID) CMO_REPORT_FIGURES, /**< how many a report holds */
    CMO_BEFORE_OTHER_FIGURES = CMO_REPORT_FIGURES - 1,
    CMO_EACH_OTHER_FIGURE(CMO_FIGURE_AS_ID) CMO_FIGURES /**< how many there are */
} cmo_figure;

/** A figure's bit in `present` and `estimated`. */
#define CMO_FIGURE_BIT(figure) ((uint32_t)1 << (figure))

/** Figures that any routine has; that looking for a line adds; and standing on one. */
#define CMO_FIGURES_OF_ALL                                                                         \
    (CMO_FIGURE_BIT(CMO_ELAPSED_MS) | CMO_FIGURE_BIT(CMO_TICK_LATE_US) |                           \
     CMO_FIGURE_BIT(CMO_TOP_SPEED_MM_S) | CMO_FIGURE_BIT(CMO_TRAVELLED_MM) |                       \
     CMO_FIGURE_BIT(CMO_TURNED_DEG))
#define CMO_FIGURES_OF_LINE                                                                        \
    (CMO_FIGURE_BIT(CMO_LOOK_INTERVAL_MS) | CMO_FIGURE_BIT(CMO_LOOK_INTERVAL_WORST_MS) |           \
     CMO_FIGURE_BIT(CMO_BLIND_GAP_MM) | CMO_FIGURE_BIT(CMO_CROSSING_SPEED_MM_S) |                  \
     CMO_FIGURE_BIT(CMO_ENTRY_ANGLE_DEG) | CMO_FIGURE_BIT(CMO_PASSED_OVER))
#define CMO_FIGURES_OF_REST                                                                        \
    (CMO_FIGURE_BIT(CMO_REACTION_MS) | CMO_FIGURE_BIT(CMO_STOPPING_DISTANCE_MM) |                  \
     CMO_FIGURE_BIT(CMO_OVERSHOOT_MM) | CMO_FIGURE_BIT(CMO_REST_ERROR_MM) |                        \
     CMO_FIGURE_BIT(CMO_SETTLE_MS) | CMO_FIGURE_BIT(CMO_RESIDUAL_ANGLE_DEG) |                      \
     CMO_FIGURE_BIT(CMO_PREDICTED_OVERSHOOT_MM) | CMO_FIGURE_BIT(CMO_SLIP_MM))

#define CMO_FIGURES_OF_COUNT                                                                       \
    (CMO_FIGURE_BIT(CMO_LINES_SEEN) | CMO_FIGURE_BIT(CMO_LINES_MISSED) |                           \
     CMO_FIGURE_BIT(CMO_COUNT_CERTAINTY))

/** Why the last candidate was passed over. */
typedef enum cmo_passed_reason {
    CMO_PASSED_NONE = 0,
    CMO_PASSED_TOO_NARROW,   /**< it ended before it had shown the least width */
    CMO_PASSED_ONE_SIDED,    /**< the other sensor did not meet it where a line would be */
    CMO_PASSED_OUT_OF_PLACE, /**< no line lies there, by their spacing */
    CMO_PASSED_TOO_WIDE      /**< it went on beyond the most width */
} cmo_passed_reason;

/** A routine's report. A figure that does not apply is not `present`. */
typedef struct cmo_report {
    uint8_t routine;     /**< cmo_routine_id */
    uint8_t outcome;     /**< cmo_outcome */
    uint8_t by;          /**< cmo_by: what it ended by, done, besides itself */
    bool motors_may_run; /**< a halt was asked for and has not succeeded yet */
    int8_t sensor;       /**< whose crossing or fault ended it; -1: none's */
    uint32_t present;    /**< bit n: figure n applies and was measured */
    uint32_t estimated;  /**< bit n: figure n comes from commanded speed, not from encoders, or
                                 from encoders while the tyres slid */
    float figure[CMO_REPORT_FIGURES];
    float crossing_mm;     /**< way of that sensor from the routine's start to the crossing */
    uint32_t crossing_us;  /**< time of the crossing, port clock */
    float passed_at_mm;    /**< the last candidate that was passed over: where, */
    float passed_width_mm; /**< how wide along the way, */
    uint8_t passed_reason; /**< why (cmo_passed_reason), */
    uint8_t passed_sensor; /**< and whose it was */
} cmo_report;

/** The figure's value if it is present, else `otherwise`. */
float cmo_figure_or(const cmo_report *report, cmo_figure figure, float otherwise);

/* Names stand in a file of their own, core/shared/names.c: a firmware that prints none links none.
 */

/** "done", "no_line"...; "?" for a value that is none. Never NULL, as with all of these. */
const char *cmo_outcome_name(cmo_outcome outcome);
/** One short sentence for people: what it means and what to look at. */
const char *cmo_outcome_text(cmo_outcome outcome);
/** "way", "range_below"...; "itself". */
const char *cmo_by_name(cmo_by by);
/** "advance", "stop_on_line"... */
const char *cmo_routine_name(cmo_routine_id routine);
/** "blind", "search"... */
const char *cmo_stage_name(cmo_stage stage);
/** "elapsed_ms", "overshoot_mm"... */
const char *cmo_figure_name(cmo_figure figure);
/** "too_narrow", "one_sided", "out_of_place", "too_wide"; "none". */
const char *cmo_passed_reason_name(cmo_passed_reason reason);

#ifdef __cplusplus
}
#endif

#endif
