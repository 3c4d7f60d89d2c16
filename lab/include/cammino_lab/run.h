// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file run.h
 * One run of a route on the simulated robot: the robot's figures, and the truth beside them.
 */
#ifndef CAMMINO_LAB_RUN_H
#define CAMMINO_LAB_RUN_H

#include <cammino/trace.h>
#include <cammino_lab/files.h>

G_BEGIN_DECLS

/** A figure's bit: of all that there are, not of a report's alone. */
#define LAB_FIGURE_BIT(figure) ((uint64_t)1 << (figure))

/** Figures of one column. A figure that applies but could not be measured is not `known`. */
typedef struct lab_figures {
    uint64_t applies; /**< bit n: figure n (cmo_figure) */
    uint64_t known;
    double value[CMO_FIGURES];
} lab_figures;

/** The line that a leg should have ended on: the first after the blind distance that the mat itself
 *  marks as a line or a boundary and that has the tone asked for. */
typedef struct lab_target {
    bool found;
    cmo_sim_crossing crossing; /**< its first true crossing by a sensor that is watched */
    double normal_x, normal_y; /**< across its near edge, along the robot's way */
} lab_target;

/** What the true way from the edge to the first standstill is made of, one after the other. */
typedef struct lab_halt_ways {
    bool known;
    double delay_mm;   /**< until the sensor's word of the edge is there: its delay */
    double looks_mm;   /**< until the robot answers: looks to come, and to be sure */
    double lag_mm;     /**< until it has slowed down by a twentieth */
    double braking_mm; /**< until it stands */
    /** Its mean over the way from four to two fifths of the speed; NaN: it has none. */
    double deceleration_mm_s2;
} lab_halt_ways;

/** A rebound: what the robot knows of it, and the truth. */
typedef struct lab_rebound {
    cmo_rebound robot;
    bool crossed;               /**< a sensor truly crossed the boundary: */
    bool both;                  /**< both did before the robot stood */
    double start_ms, end_ms;    /**< first true crossing, and turned away */
    double x_mm, y_mm;          /**< where that crossing was */
    double normal_rad;          /**< of the boundary there, outward: across the chord of both true
                                     crossings, else of its edge */
    double entry_rad, exit_rad; /**< headings then and at the end */
    double turn_error_deg;      /**< NAN: none */
    double margin_mm;           /**< least in between */
} lab_rebound;

/** A line that was counted, and where it truly is. */
typedef struct lab_counted {
    cmo_counted_line robot;
    double time_ms;      /**< when it was counted, on the simulator's clock */
    double x_mm, y_mm;   /**< true middle of where the sensors came onto it; NAN: there is none */
    double width_mm;     /**< true, across it; NAN: not left, or there is none */
    double gap_mm;       /**< true, of floor from the line before to this; NAN: there is none */
    const char *surface; /**< what it was told to be made of, by the route's name; NULL: none */
} lab_counted;

/** The surface of line n, from 0, and how many of them there are; NULL where one before it is of
 * the same, or it is of none that is known. */
const char *lab_tally(const GArray *counted, guint n, unsigned *count);

/** What was passed over, and where the robot's sensor truly was when that was settled. */
typedef struct lab_passed {
    cmo_passed_reason reason;
    unsigned sensor;
    double at_mm, width_mm; /**< as in cmo_report */
    double x_mm, y_mm;      /**< true place where that sensor met it */
} lab_passed;

/** Where a patrol has been: seconds spent over each cell of floor, under the robot's body. */
typedef struct lab_heat {
    int columns, rows; /**< row 0 at the bottom */
    float *seconds;    /**< negative: not inside of the region */
} lab_heat;
#define LAB_HEAT_CELL_MM 20.0

/** A leg as it was driven; one that is repeated is there each time. */
typedef struct lab_leg_result {
    unsigned number;  /**< in the route, from 1 */
    unsigned round;   /**< of the innermost group that it stands in, from 1; 0: it stands in none */
    const char *name; /**< the route's, and no longer there than that; NULL: none */
    cmo_routine_id routine;
    cmo_outcome outcome;
    cmo_report report;
    const char *field; /**< what was refused; NULL: nothing */
    double limit;      /**< nearest value that would do; NAN: none */
    lab_figures robot;
    lab_figures truth;
    uint32_t estimated;
    lab_target target;
    cmo_levels levels[CMO_LIGHTS_MAX];             /**< as the robot has them after the leg */
    cmo_levels_fault levels_fault[CMO_LIGHTS_MAX]; /**< take_levels: what became of each sensor */
    uint32_t findings;                             /**< check_wiring: bit n is cmo_finding n */
    double interval_ms[CMO_LIGHTS_MAX], delay_ms[CMO_LIGHTS_MAX]; /**< and what it measured, NAN: */
    double curve_deg_m;                                           /**< not */
    double delay_error_ms[CMO_LIGHTS_MAX]; /**< the delays' standard uncertainty */
    cmo_geometry geometry;                 /**< measure_geometry: the result */
    cmo_drive drive;                       /**< measure_drive: the result */
    cmo_braking braking;                   /**< measure_braking: the result */
    const char *surface;                   /**< take_surface: its name, by the route's; else NULL */
    cmo_shade shade[CMO_LIGHTS_MAX];       /**< and what it was taken for */
    bool tells;                            /**< the robot knew surfaces */
    bool unfit[CMO_LIGHTS_MAX];            /**< the levels no longer fit the floor */
    double start_ms, end_ms;               /**< on the simulator's clock */
    GArray *counted;                       /**< count_lines: of lab_counted; else NULL */
    GArray *passed;           /**< of lab_passed; of a run with a trace only, else NULL */
    GArray *rebounds;         /**< stay_inside: of lab_rebound; else NULL */
    lab_heat heat;            /**< stay_inside: seconds NULL otherwise */
    double cruise_mm_s;       /**< stay_inside: what it drove at, */
    cmo_patrol_budget budget; /**< and what is safe */
    double stopped_ms;        /**< true crossing to true first standstill; NAN: none */
    lab_halt_ways halt;       /**< what the way in between is made of */
    double followed_ms;       /**< follow_edge: from the start until it ended following, */
    unsigned forks;           /**< and so many forks it passed by */
} lab_leg_result;

/** An edge that is followed, beside the spot. */
typedef struct lab_edge_beside {
    bool there;            /**< the nearest one is no other line's, nor ahead or behind */
    bool right;            /**< and it is the one that is followed; false: a line's other one */
    double off_mm;         /**< of the spot from the one that is followed, to the left */
    double x_mm, y_mm;     /**< where that is, */
    double left_x, left_y; /**< and what its left is there */
} lab_edge_beside;

/** One trace row with what the simulator adds. */
typedef struct lab_row {
    unsigned leg; /**< from 1; 0: not known */
    cmo_trace_row robot;
    bool has_truth;
    double true_x_mm, true_y_mm, true_heading_deg;
    cmo_sim_panel panel;                      /**< what the robot shows */
    bool follows;                             /**< an edge, it believes: */
    double edge_off_mm, edge_curve_per_mm;    /**< where that is by its word, */
    lab_edge_beside edge;                     /**< and truly */
    double object_mm[CMO_SIM_OBJECTS_MAX][2]; /**< where the route's objects are */
} lab_row;

typedef struct lab_run {
    uint64_t seed;
    cmo_outcome outcome;                     /**< done, or that of the leg that ended the run */
    GArray *legs;                            /**< of lab_leg_result */
    GArray *rows;                            /**< of lab_row */
    double span_ms;                          /**< simulated time */
    cmo_sim_truth end;                       /**< where the robot truly ends */
    double pose_off_x_mm, pose_off_y_mm;     /**< what it believes of that, less the truth, */
    double pose_error_mm, heading_error_deg; /**< and how far that is */
    bool marked;                             /**< the mat marks lines or boundaries at all */
    bool diverged;                           /**< the simulated robot's motion ran away */
    bool uncalibrated; /**< of a trial: a route to calibrate by failed to the last */
} lab_run;

/**
 * Checks every leg of a route against its robot, without moving. False: `error` holds one line
 * with the route's file and line, the leg, the field and what would do.
 */
bool lab_check(const lab_route *route, GError **error);

/**
 * In a series each trial's robot drives these routes first, with the light, battery and grip of its
 * trial and from starts out of their own spread, and goes by what they find: levels, geometry,
 * drive. `paths` ends with NULL, and may be NULL; `like` as in lab_route_load_changed(). They are
 * checked too. False on error.
 */
bool lab_route_calibrate(lab_route *route, const char *const *paths, const lab_route *like,
                         GError **error);

/** Runs a route once. The route must have passed lab_check(). */
lab_run *lab_drive(const lab_route *route, uint64_t seed);

/** False where the simulated robot's motion ran away: nothing of such a run is true. `error` then
 *  says when, and what to look at. */
bool lab_check_run(const lab_route *route, const lab_run *run, GError **error);

/** Where the robot truly starts. */
typedef struct lab_start {
    double x_mm, y_mm, heading_deg;
} lab_start;

/** The simulated robot as a run of the route begins, for a program of your own. */
cmo_sim *lab_sim(const lab_route *route, const lab_robot *robot, const lab_start *start,
                 uint64_t seed);

/** Runs a route with another robot in the place of the route's, and a start that the robot does not
 *  know of: it believes to stand where the route says. Without a trace, `rows` stays empty. */
lab_run *lab_drive_from(const lab_route *route, const lab_robot *robot, const lab_start *start,
                        uint64_t seed, bool trace);
void lab_run_free(lab_run *run);

/**
 * Fills in the truth of a patrol from what the simulator recorded between result->start_ms and
 * end_ms: margin, departures, the true side of each of result->rebounds, and the ground covered.
 * Turns done into departed where a ground contact was over the boundary.
 */
void lab_patrol_truth(const lab_route *route, const cmo_sim *sim, lab_leg_result *result);

/** The run's results as JSON text, one document; free with g_free(). */
char *lab_run_json(const lab_run *run, const char *route_name);

/** Writes the trace as CSV; at `path` stands the whole file or what was there before. */
bool lab_trace_write(const lab_run *run, const char *path, GError **error);

/** Reads a trace: from lab_trace_write(), or as a robot sent it row by row. Rows only. */
GArray *lab_trace_read(const char *path, GError **error);
GArray *lab_trace_from_bytes(const char *name, const char *bytes, size_t size, GError **error);

G_END_DECLS

#endif
