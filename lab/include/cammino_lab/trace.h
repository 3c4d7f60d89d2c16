// SPDX-License-Identifier: GPL-3.0-or-later
/**
 * @file trace.h
 * What a trace alone tells: of the loop, of the looks, and of each leg's figures.
 */
#ifndef CAMMINO_LAB_TRACE_H
#define CAMMINO_LAB_TRACE_H

#include <cammino_lab/results.h>

G_BEGIN_DECLS

/** The first row behind a leg that begins with this one; one that runs again begins anew. */
guint lab_trace_leg_end(const GArray *rows, guint start);

/** A leg by its rows. Times are on the trace's clock; what the rows do not tell is NAN. */
typedef struct lab_trace_leg_told {
    unsigned leg; /**< from 1: the trace's own number, else they are counted */
    cmo_routine_id routine;
    guint start, end;
    lab_figures figures; /**< the robot's, `known` where the rows tell them */
    /** Where the middle between the spots was over the line's near edge, as way since the leg's
     *  start, and when the first sensor was. When that was is by the robot's own latched crossing;
     *  where the edge is, by the looks of both sensors, if the trace says where they were taken. */
    double crossing_mm, crossing_ms;
} lab_trace_leg_told;

typedef struct lab_trace_told {
    unsigned rows;
    double period_ms;      /**< of the ticks: the middle one */
    double latest_ms;      /**< by how much the worst came later than that */
    unsigned gaps;         /**< ticks after more than two and a half periods: late, or rows lost */
    double gap_at_ms;      /**< when the first of them ended; NAN: there is none */
    double interval_ms[2]; /**< between two readings that differ, left and right: the middle one */
    double longest_ms[2];  /**< and the longest one while the wheels turned */
    GArray *legs;          /**< of lab_trace_leg_told */
} lab_trace_told;

/**
 * What the rows of lab_trace_read() tell.
 * @param play_mm the robot's gear play, at the tyre, which a trace does not show; 0: none, or not
 *     known.
 */
lab_trace_told *lab_trace_tell(const GArray *rows, double play_mm);
void lab_trace_told_free(lab_trace_told *told);

/** The same as one trial, with what the robot may know; how its legs ended a trace does not say. */
lab_results *lab_trace_results(const lab_trace_told *told, const char *name);

G_END_DECLS

#endif
