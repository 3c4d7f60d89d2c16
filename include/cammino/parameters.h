// SPDX-License-Identifier: MIT
/**
 * @file parameters.h
 * How a routine's parameters are described: once, in a list beside its struct, from which the
 * struct itself, the checks before it starts, the keys of route files and their documentation are
 * made.
 *
 * A list is CMO_NAME_PARAMETERS(P, X), a row of it P(X, TYPE, name, ...): X is what the user of the
 * list likes to pass on. Zero always means the default. Types, and what follows the name:
 *
 *  - NUMBER, least, most, default, meaning: a number, and so is its default
 *  - OTHERWISE, least, most, "default", meaning: a number; without one, as the words say
 *  - SIGNED, least, most, "default", meaning: a number whose size is within the range, either sign
 *  - SPEED, "default", meaning: mm/s, from the robot's slowest speed to its top one
 *  - RATE, "default", meaning: mm/s2, 10 to 50000
 *  - WIDTH, least, most, default, meaning: a number, or CMO_ANY_WIDTH (in files 0) for none
 *  - WHOLE, (its type before the name) least, most, default, meaning: a whole number
 *  - COUNT, (type) least, most, "default", meaning: a whole number; without one, as the words say
 *  - FLAG, meaning: yes or no; by default no
 *  - CHOICE, (type) first, last, (words), "default", meaning: one of an enumeration
 *  - BITS, (words), "default", meaning: some of up to eight, one bit each
 *  - HALT, meaning: a halt that the port has; by default its best one
 *  - TIME, file's name, least, "default", meaning: milliseconds; in files seconds, 3600 at most
 *  - BAND, "default", meaning: reflectances, from low to high
 *  - SURFACE, "default", meaning: a surface by its number, in files by its name
 *  - PLACE, "default", meaning: of a route file alone, a line's true place
 *  - PLACES, most, "default", meaning: of a route file alone, so many numbers at most
 *
 * A name ends in its unit.
 */
#ifndef CAMMINO_PARAMETERS_H
#define CAMMINO_PARAMETERS_H

#include <cammino/robot.h>

#ifdef __cplusplus
extern "C" {
#endif

/** How a routine leaves the motors when it is done. */
typedef enum cmo_ending {
    CMO_END_HALTED = 0, /**< at a standstill */
    CMO_END_MOVING      /**< at its last speed, for as long as a drive command lives */
} cmo_ending;
#define CMO_ENDING_WORDS ("halted", "moving")

/** What a routine does whose speed breaks its budget. */
typedef enum cmo_too_fast {
    CMO_TOO_FAST_REFUSE =
        0,              /**< it does not start; robot->limit is the highest speed that would do */
    CMO_TOO_FAST_SLOW,  /**< it drives no faster than that */
    CMO_TOO_FAST_ACCEPT /**< stay inside only: it drives so all the same */
} cmo_too_fast;
#define CMO_TOO_FAST_WORDS ("refuse", "slow", "accept")

#define CMO_TONE_WORDS  ("dark", "light", "void")
#define CMO_HALT_WORDS  ("coast", "brake", "hold")
#define CMO_TOUCH_WORDS ("left", "right", "back")

/** For a least width: anything of the right tone is a line. */
#define CMO_ANY_WIDTH (-1.0F)

/** A row as a field of the parameters' struct. */
#define CMO_FIELD(X, type, ...)                                        CMO_FIELD_##type(__VA_ARGS__)
#define CMO_FIELD_NUMBER(name, least, most, usual, meaning)            float name;
#define CMO_FIELD_OTHERWISE(name, least, most, usual, meaning)         float name;
#define CMO_FIELD_SIGNED(name, least, most, usual, meaning)            float name;
#define CMO_FIELD_SPEED(name, usual, meaning)                          float name;
#define CMO_FIELD_RATE(name, usual, meaning)                           float name;
#define CMO_FIELD_WIDTH(name, least, most, usual, meaning)             float name;
#define CMO_FIELD_WHOLE(of, name, least, most, usual, meaning)         of name;
#define CMO_FIELD_COUNT(of, name, least, most, usual, meaning)         of name;
#define CMO_FIELD_FLAG(name, meaning)                                  bool name;
#define CMO_FIELD_CHOICE(of, name, first, last, words, usual, meaning) of name;
#define CMO_FIELD_BITS(name, words, usual, meaning)                    uint8_t name;
#define CMO_FIELD_HALT(name, meaning)                                  cmo_halt name;
#define CMO_FIELD_TIME(name, file_name, least, usual, meaning)         uint32_t name;
#define CMO_FIELD_PLACE(name, usual, meaning)
#define CMO_FIELD_PLACES(name, most, usual, meaning)
#define CMO_FIELD_BAND(name, usual, meaning) cmo_band name;
#if CMO_SURFACES_MAX > 0
#define CMO_FIELD_SURFACE(name, usual, meaning) uint8_t name;
#else // there are none, and nothing to look for by
#define CMO_FIELD_SURFACE(name, usual, meaning)
#endif

/** A row as an initialiser: what another struct has, to which `from` points. */
#define CMO_AS_IN(from, type, ...)           CMO_AS_IN_##type(from, __VA_ARGS__)
#define CMO_AS_IN_NUMBER(from, name, ...)    .name = (from)->name,
#define CMO_AS_IN_OTHERWISE                  CMO_AS_IN_NUMBER
#define CMO_AS_IN_SIGNED                     CMO_AS_IN_NUMBER
#define CMO_AS_IN_SPEED                      CMO_AS_IN_NUMBER
#define CMO_AS_IN_RATE                       CMO_AS_IN_NUMBER
#define CMO_AS_IN_WIDTH                      CMO_AS_IN_NUMBER
#define CMO_AS_IN_FLAG                       CMO_AS_IN_NUMBER
#define CMO_AS_IN_BITS                       CMO_AS_IN_NUMBER
#define CMO_AS_IN_HALT                       CMO_AS_IN_NUMBER
#define CMO_AS_IN_TIME                       CMO_AS_IN_NUMBER
#define CMO_AS_IN_BAND                       CMO_AS_IN_NUMBER
#define CMO_AS_IN_WHOLE(from, of, name, ...) .name = (from)->name,
#define CMO_AS_IN_COUNT                      CMO_AS_IN_WHOLE
#define CMO_AS_IN_CHOICE                     CMO_AS_IN_WHOLE
#define CMO_AS_IN_PLACE(from, name, ...)
#define CMO_AS_IN_PLACES(from, name, ...)
#if CMO_SURFACES_MAX > 0
#define CMO_AS_IN_SURFACE CMO_AS_IN_NUMBER
#else
#define CMO_AS_IN_SURFACE(from, name, ...)
#endif

#ifdef __cplusplus
}
#endif

#endif
