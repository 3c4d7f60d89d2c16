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

/** How a routine ended. Every outcome but CMO_OUTCOME_DONE halts the motors. */
typedef enum cmo_outcome {
    CMO_RUNNING = 0,            /**< it has not ended */
    CMO_OUTCOME_DONE,           /**< it did what was asked */
    CMO_OUTCOME_NO_LINE,        /**< no line within the longest distance */
    CMO_OUTCOME_TIME_OVER,      /**< the routine's or the run's time is over */
    CMO_OUTCOME_SENSOR_SILENT,  /**< a light sensor's looks stopped */
    CMO_OUTCOME_SENSOR_RANGE,   /**< a light sensor's readings left what the hardware can give */
    CMO_OUTCOME_SENSOR_STUCK,   /**< its reading stays where others prove that it must change */
    CMO_OUTCOME_SENSOR_JUMPING, /**< its reading changes as no motion of the robot explains */
    CMO_OUTCOME_LOW_CONTRAST,   /**< levels missing, or too near to each other to be told apart */
    CMO_OUTCOME_ONE_SENSOR,     /**< only one sensor met the line; report.sensor says which */
    CMO_OUTCOME_NO_FLOOR,       /**< void under a sensor while it looked for a line */
    CMO_OUTCOME_STALLED,        /**< driven, but the encoders stand still */
    CMO_OUTCOME_ENCODER_SILENT, /**< encoder counts stopped coming */
    CMO_OUTCOME_ENCODER_JUMP,   /**< encoder counts jumped further than the robot can move */
    CMO_OUTCOME_LATE,           /**< a tick came later than a drive command lives */
    CMO_OUTCOME_PORT_FAILED,   /**< the port said that it failed, or took no command for too long */
    CMO_OUTCOME_TOO_FAST,      /**< a line of the least width could be missed at this speed */
    CMO_OUTCOME_BAD_PARAMETER, /**< a parameter makes no sense; cmo_robot::field names it */
    CMO_OUTCOME_NOT_SUPPORTED, /**< the robot lacks what was asked; cmo_robot::field names it */
    CMO_OUTCOME_STOPPED,       /**< the stop button */
    CMO_OUTCOME_ABORTED,       /**< cmo_abort() */
    CMO_OUTCOME_WIRING_WRONG,  /**< the wiring check found something; its state says what */
    CMO_OUTCOME_CORNERED,      /**< the boundary is all around: no way on was found */
    CMO_OUTCOME_DEPARTED,      /**< said by a simulation only: a wheel was over the boundary */
    CMO_OUTCOME_WRONG_LINE,    /**< said by a simulation only: it ended on another line */
    CMO_OUTCOMES               /**< how many there are */
} cmo_outcome;

/** Kinds of routine. */
typedef enum cmo_kind {
    CMO_KIND_NONE = 0,
    CMO_KIND_ADVANCE,
    CMO_KIND_TURN,
    CMO_KIND_DRIVE_UNTIL_LINE,
    CMO_KIND_STOP_ON_LINE,
    CMO_KIND_ACTION,
    CMO_KIND_TAKE_LEVELS,
    CMO_KIND_CHECK_WIRING,
    CMO_KIND_MEASURE_GEOMETRY,
    CMO_KIND_SQUARE_ON_LINE,
    CMO_KIND_STAY_INSIDE,
    CMO_KIND_COUNTDOWN,
    CMO_KIND_MEASURE_DRIVE,
    CMO_KINDS
} cmo_kind;

/** Stages of all routines. */
typedef enum cmo_stage {
    CMO_STAGE_IDLE = 0,  /**< no routine runs */
    CMO_STAGE_MOVE,      /**< along the speed profile */
    CMO_STAGE_BLIND,     /**< drives without looking for a line */
    CMO_STAGE_SEARCH,    /**< drives and looks */
    CMO_STAGE_PROVE,     /**< goes on until the line has shown its least width */
    CMO_STAGE_BRAKE,     /**< halted, and not yet at a standstill */
    CMO_STAGE_RETURN,    /**< comes back to where it is to rest */
    CMO_STAGE_SETTLE,    /**< the last small closed-loop move onto the target */
    CMO_STAGE_SWING,     /**< swings one wheel by itself */
    CMO_STAGE_TURN,      /**< turns on the spot */
    CMO_STAGE_ACTION,    /**< the user's own callback */
    CMO_STAGE_PATROL,    /**< drives and looks for the boundary */
    CMO_STAGE_FEEL,      /**< turns the other sensor over the boundary, to know its direction */
    CMO_STAGE_BACK,      /**< backs off from it, on the way just come */
    CMO_STAGE_SCAN,      /**< turns on the spot to find something in range */
    CMO_STAGE_CHARGE,    /**< drives at what is in range */
    CMO_STAGE_WAIT,      /**< waits for the start button */
    CMO_STAGE_COUNTDOWN, /**< counts down */
    CMO_STAGE_CREEP,     /**< turns the wheels as slowly as they will */
    CMO_STAGES
} cmo_stage;

/**
 * Figures. A figure's name in files is its name here in lower case, without the prefix.
 * Distances are in mm, angles in degrees, positive to the left; positive along the robot's way.
 */
typedef enum cmo_figure {
    CMO_ELAPSED_MS,             /**< start of the routine to its end */
    CMO_LOOK_INTERVAL_MS,       /**< mean time between two fresh looks of a watched sensor */
    CMO_LOOK_INTERVAL_WORST_MS, /**< the longest such time */
    CMO_BLIND_GAP_MM,           /**< the longest way between two looks while searching */
    CMO_TICK_LATE_US,           /**< worst lateness of a tick */
    CMO_CROSSING_SPEED_MM_S,    /**< speed at the crossing */
    CMO_TOP_SPEED_MM_S,         /**< the highest speed */
    CMO_REACTION_MS,            /**< crossing to the command that answers it */
    CMO_STOPPING_DISTANCE_MM,   /**< crossing to first standstill */
    CMO_OVERSHOOT_MM,           /**< the furthest that the robot got beyond its target */
    CMO_REST_ERROR_MM,          /**< from the target edge to the rest point, across the edge */
    CMO_SETTLE_MS,              /**< first standstill to rest */
    CMO_ENTRY_ANGLE_DEG,        /**< angle to the line at the first crossing; 0: perpendicular */
    CMO_RESIDUAL_ANGLE_DEG,     /**< the same at rest */
    CMO_TRAVELLED_MM,           /**< way of the middle of the axle, from start to end */
    CMO_TURNED_DEG,             /**< turn from start to end */
    CMO_PREDICTED_OVERSHOOT_MM, /**< overshoot as it was predicted when the robot began to stop */
    CMO_SLIP_MM, /**< by how much further than its wheels turned the robot went, from the crossing
                      to its rest: what tyres slid and crept, and gear play. Known to the robot
                      where a sensor at rest, or coming back, has seen the edge again */
    CMO_PASSED_OVER,    /**< candidates that were no line */
    CMO_REPORT_FIGURES, /**< how many a report holds. What follows stands in the state of
                           stay inside, or only a simulation knows it */
    CMO_REBOUNDS = CMO_REPORT_FIGURES, /**< rebounds from the boundary */
    CMO_TURN_ERROR_DEG, /**< turn of a rebound against the boundary, less what was asked: root of
                           the mean square over those where both sensors had crossed */
    CMO_MARGIN_MM,     /**< smallest distance of a ground contact to the boundary; negative: over */
    CMO_DEPARTURES,    /**< how often a ground contact went over the boundary */
    CMO_COVERED_SHARE, /**< share of the floor inside that the robot's body went over */
    CMO_COVERED_PER_MIN,  /**< that share per minute */
    CMO_COVERED_EVENNESS, /**< 0..1: how evenly it was there; 1 - Gini coefficient of the visits */
    CMO_FIGURES           /**< how many there are */
} cmo_figure;

/** A figure's bit in `present` and `estimated`. */
#define CMO_FIGURE_BIT(figure) ((uint32_t)1 << (figure))

/** Why the last candidate was passed over. */
typedef enum cmo_passed_reason {
    CMO_PASSED_NONE = 0,
    CMO_PASSED_TOO_NARROW, /**< it ended before it had shown the least width */
    CMO_PASSED_ONE_SIDED   /**< the other sensor did not meet it where a line would be */
} cmo_passed_reason;

/** A routine's report. A figure that does not apply is not `present`. */
typedef struct cmo_report {
    uint8_t kind;        /**< cmo_kind */
    uint8_t outcome;     /**< cmo_outcome */
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

/* Names stand in a file of their own, core/shared/names.c: a firmware that prints none links none. */

/** "done", "no_line"...; "?" for a value that is none. Never NULL, as with all of these. */
const char *cmo_outcome_name(cmo_outcome outcome);
/** One short sentence for people: what it means and what to look at. */
const char *cmo_outcome_text(cmo_outcome outcome);
/** "advance", "stop_on_line"... */
const char *cmo_kind_name(cmo_kind kind);
/** "blind", "search"... */
const char *cmo_stage_name(cmo_stage stage);
/** "elapsed_ms", "overshoot_mm"... */
const char *cmo_figure_name(cmo_figure figure);
/** "too_narrow", "one_sided"; "none". */
const char *cmo_passed_reason_name(cmo_passed_reason reason);

#ifdef __cplusplus
}
#endif

#endif
