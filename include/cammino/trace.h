// SPDX-License-Identifier: MIT
/**
 * @file trace.h
 * The trace: one row per tick, and a writer that turns a row into CSV without stdio, so that a
 * microcontroller can send it over a serial line.
 */
#ifndef CAMMINO_TRACE_H
#define CAMMINO_TRACE_H

#include <stddef.h>
#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

/** One row. What is not known is NAN and becomes an empty field. */
typedef struct cmo_trace_row {
    uint32_t run_us; /**< since the start of the robot; wraps after 71 minutes */
    uint8_t routine; /**< cmo_routine_id of the active routine */
    uint8_t stage;   /**< cmo_stage */
    uint8_t halted;  /**< cmo_halt in force; 0: driving */
    float x_mm;      /**< pose by odometry */
    float y_mm;
    float heading_deg;
    float way_mm;    /**< of the middle of the axle, since the start of the robot */
    float left_mm_s; /**< measured */
    float right_mm_s;
    float left_command_mm_s;
    float right_command_mm_s;
    float reflectance[CMO_LIGHTS_MAX];
    float counts[CMO_LIGHTS_MAX];  /**< raw */
    float look_mm[CMO_LIGHTS_MAX]; /**< way of the sensor where that was read, since the start of
                                      the robot: a look comes in after it was taken */
    float band_low;                /**< detection band in use; NAN: none */
    float band_high;
    float crossing_mm; /**< way of the sensor at the latched crossing, since the start of the
                            robot; NAN: none in this routine yet */
} cmo_trace_row;

/** A buffer of this size holds any row and the header. */
#define CMO_CSV_SIZE (256 + 48 * CMO_LIGHTS_MAX)

/**
 * Writes the header row, ended by CR LF (RFC 4180), and a 0 byte.
 * @return its length without the 0 byte; 0 if `size` is less than CMO_CSV_SIZE.
 */
size_t cmo_csv_header(char *buffer, size_t size);

/** Writes one row in the same way. */
size_t cmo_csv_row(char *buffer, size_t size, const cmo_trace_row *row);

#ifdef __cplusplus
}
#endif

#endif
