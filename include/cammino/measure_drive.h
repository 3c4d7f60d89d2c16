// SPDX-License-Identifier: MIT
/**
 * @file measure_drive.h
 * The drive by measurement: how wheels answer what they are told, from some moves on free floor.
 */
#ifndef CAMMINO_MEASURE_DRIVE_H
#define CAMMINO_MEASURE_DRIVE_H

#include <stddef.h>
#include <cammino/inside/motion.h>
#include <cammino/parameters.h>
#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

/** What was measured. Pairs: left, right. Uncertainties are standard ones (one standard
 *  deviation). */
typedef struct cmo_drive {
    float lag_ms;       /**< by how much the wheels trail what they are told, mean of both: way
                             commanded and not driven, over the speed gained */
    float lag_error_ms; /**< its uncertainty */
    float wheel_lag_ms[2];
    float ramp_mm_s2;       /**< the fastest that the speed is changed, however much is asked for;
                                 0: none was seen */
    float ramp_error_mm_s2; /**< its uncertainty */
    float ahead_mm_s[2];    /**< the least command at which a wheel starts from rest, forward */
    float back_mm_s[2];     /**< and backward */
    float keeps_mm_s[2];    /**< the least at which it keeps turning, the worse of both ways */
    float ratio[2];         /**< driven speed over commanded speed, while neither changes */
} cmo_drive;

// clang-format off
#define CMO_MEASURE_DRIVE_PARAMETERS(P, X)                                                          \
    P(X, SPEED, fast_mm_s, "380", "the fastest that it drives, 40 or more")                         \
    P(X, WHOLE, uint8_t, rounds, 1, 10, 2, "how often the six passes are driven")                   \
    P(X, TIME, longest_ms, longest_s, 0.01, "30, and 30 a round", "give up after this time")
// clang-format on

/** The robot stands on free floor, 600 mm of it ahead, and 100 mm to all sides. */
typedef struct cmo_measure_drive_parameters {
    CMO_MEASURE_DRIVE_PARAMETERS(CMO_FIELD, )
} cmo_measure_drive_parameters;

typedef struct cmo_measure_drive_state cmo_measure_drive_state;

/**
 * Turns the wheels as slowly as they will, forward and backward; then drives to and fro, on each
 * pass from a low speed at once up to a higher one and down again, and ends where it began.
 *
 * What it rests on: of whatever kind the regulator is, the way that was commanded and not driven,
 * once a change of speed has been answered, tells how far ahead a command must be of what is to be
 * driven. Of a lag it grows with the change; of a regulator that changes its speed no faster than
 * by a ramp, with its square.
 *
 * The robot goes on with what its description says. cmo_drive_apply() puts the result into a
 * description for the next start.
 *
 * Outcomes: done; stalled where a wheel does not start at a third of the top speed, or does not
 * get faster when it is told to; and what can end any routine. Refused without encoders. No light
 * sensor is looked at.
 */
cmo_outcome cmo_measure_drive_start(cmo_robot *robot, cmo_measure_drive_state *state,
                                    const cmo_measure_drive_parameters *parameters);
cmo_outcome cmo_measure_drive(cmo_robot *robot, cmo_measure_drive_state *state,
                              const cmo_measure_drive_parameters *parameters);

/** Share of a regulator's own ramp that profiles use: what they lead by and what holds them on
 *  their place takes the rest. */
#define CMO_RAMP_SHARE 0.6F

/** Puts a measured drive into a description: lag_ms, known from the start, with what it was before
 *  in stated_lag_ms; slowest_mm_s; and where the regulator has a ramp, limits of acceleration and
 *  braking that stay within it. */
void cmo_drive_apply(const cmo_drive *drive, cmo_robot_description *description);

/** Bytes of the stored form: mark, version, reserve, fourteen numbers of 4 bytes, checksum. */
#define CMO_STORED_DRIVE_SIZE (4 + 14 * 4 + 2)

/** Writes a drive. @return bytes written; 0 if `size` is too small. */
size_t cmo_store_drive(const cmo_drive *drive, uint8_t *bytes, size_t size);

/** Takes a drive from its stored form. False, and nothing changed, for bytes that are damaged,
 *  foreign or of another version. */
bool cmo_load_drive(cmo_drive *drive, const uint8_t *bytes, size_t size);

/** Sums of a line fitted through trails over the speeds gained. */
typedef struct cmo_drive_fit {
    float weight, x, y, xx, xy, yy; /**< weighted */
    float wheel[2];                 /**< as y, of a wheel by itself */
    uint16_t count;
} cmo_drive_fit;

struct cmo_measure_drive_state {
    cmo_routine routine;
    cmo_measure_drive_parameters parameters;
    uint8_t pass;
    uint8_t phase;
    uint8_t turning; /**< bit n: wheel n turns */
    bool rests;      /**< between two of the least commands, */
    bool lowers;     /**< or the command is lowered until they stand again */
    float command_mm_s;
    float low_mm_s, step_mm_s; /**< passes go from the low speed one to three steps up */
    uint32_t settle_us;        /**< time that a speed takes to be reached */
    uint32_t since_us;         /**< of the phase */
    float start_mm[2];         /**< ways of the wheels at its start */
    float before_mm_s[2];      /**< speeds before the last change of the command, */
    float gone_mm[2];          /**< ways while it was answered, */
    float gone_s;              /**< and its time */
    float commanded_mm[2];     /**< at even speed, and */
    float driven_mm[2];        /**< what came of it */
    cmo_drive_fit fit;
    cmo_drive drive; /**< the result */
};

#ifdef __cplusplus
}
#endif

#endif
