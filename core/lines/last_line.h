// SPDX-License-Identifier: MIT
// The line that was met last: where it is, and what it takes to be clear of it.
#ifndef CMI_LAST_LINE_H
#define CMI_LAST_LINE_H

#include <cammino/line_search.h>

// No robot that stands is faster.
#define CMI_STANDS_MM_S 20.0F

// What the report still tells of the routine before: it left the robot at a standstill, and at such
// a line as is looked for.
typedef enum cmi_halted { CMI_HALTED_ELSEWHERE, CMI_HALTED_AT_LINE, CMI_HALTED_SQUARED } cmi_halted;

#if CMO_LAST_LINE

cmi_halted cmi_last_line_halted(const cmo_robot *robot, const cmo_line_parameters *search);

// Keeps it: the robot is turned to the left of its normal by an angle, and its axle is so far
// beyond its near edge.
void cmi_last_line_keep(cmo_robot *robot, const cmo_line_parameters *search, float angle_rad,
                        float axle_mm, float width_mm);

// The same of a search that has met it: by both sensors, or by one, to which the line is thought to
// be square.
void cmi_last_line_met(cmo_robot *robot, const cmo_line_state *state, uint8_t sensor, bool both,
                       float entry_rad);

// It is the one that is stated: its normal, and its near edge's distance along that.
void cmi_last_line_state(cmo_robot *robot, float normal_rad, float offset_mm);

// The way ahead after which none of the watched sensors (bit n: sensor n) can meet it any more.
float cmi_last_line_clear_mm(const cmo_robot *robot, uint8_t watched);

// The way back after which all of them are before it; 0 where it is not known, or was met from the
// other side.
float cmi_last_line_before_mm(const cmo_robot *robot);

#else // none is remembered

static inline cmi_halted cmi_last_line_halted(const cmo_robot *robot,
                                              const cmo_line_parameters *search) {
    (void)robot;
    (void)search;
    return CMI_HALTED_ELSEWHERE;
}

static inline void cmi_last_line_keep(cmo_robot *robot, const cmo_line_parameters *search,
                                      float angle_rad, float axle_mm, float width_mm) {
    (void)robot;
    (void)search;
    (void)angle_rad;
    (void)axle_mm;
    (void)width_mm;
}

static inline void cmi_last_line_met(cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                                     bool both, float entry_rad) {
    (void)robot;
    (void)state;
    (void)sensor;
    (void)both;
    (void)entry_rad;
}

static inline void cmi_last_line_state(cmo_robot *robot, float normal_rad, float offset_mm) {
    (void)robot;
    (void)normal_rad;
    (void)offset_mm;
}

static inline float cmi_last_line_clear_mm(const cmo_robot *robot, uint8_t watched) {
    (void)robot;
    (void)watched;
    return 0.0F;
}

static inline float cmi_last_line_before_mm(const cmo_robot *robot) {
    (void)robot;
    return 0.0F;
}

#endif

#endif
