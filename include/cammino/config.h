// SPDX-License-Identifier: MIT
/**
 * @file config.h
 * All options of the build, with their defaults. They set the size of the library's objects, so the
 * library and whatever uses it must be built with the same ones: the name that cmo_robot_start()
 * has for the linker spells them out, and a program that was built with others does not link.
 *
 * Set one for the whole build, by -DCMO_LIGHTS_MAX=3 say; plain numbers only.
 */
#ifndef CAMMINO_CONFIG_H
#define CAMMINO_CONFIG_H

/** Light sensors that a robot may have, 1..8; the usual robot has two. */
#ifndef CMO_LIGHTS_MAX
#define CMO_LIGHTS_MAX 2
#endif

/** Looks of one sensor that a port may hand over in one sample, 1..16. */
#ifndef CMO_LOOKS_MAX
#define CMO_LOOKS_MAX 4
#endif

/** Poses of the recent past that the robot remembers, to know where it was at mid-exposure, 3..32.
 */
#ifndef CMO_HISTORY
#define CMO_HISTORY 6
#endif

/** Whether light sensors are watched: levels that follow slow changes of the light, a warning when
 *  they no longer fit, readings that are stuck or jump. A part with little flash may set it to 0;
 *  that saves about 1500 bytes there, and 28 of RAM. */
#ifndef CMO_WATCH_LIGHT
#define CMO_WATCH_LIGHT 1
#endif

/** Whether looks can be placed along curved paths, as stay inside asks for. A part with little
 *  flash that does not use it may set it to 0; that saves about 350 bytes there. */
#ifndef CMO_CURVED_LOOKS
#define CMO_CURVED_LOOKS 1
#endif

/** Whether speeds are checked against the edge of a table. A part with little flash that never
 *  drives on one may set it to 0, which saves about 800 bytes on an 8-bit one. */
#ifndef CMO_TABLE_EDGE
#define CMO_TABLE_EDGE 1
#endif

/** Whether a robot learns what its commands have to lead by, and looks again for what it has slid
 *  past. A part with little flash may set it to 0: then commands lead by the stated lag, which
 * suits a regulator without an integral and tyres that hold. Saves about 2000 bytes on an 8-bit
 * one. */
#ifndef CMO_SLIDING
#define CMO_SLIDING 1
#endif

/** Whether a line must be met by both sensors, where two are watched. A part with little flash may
 *  set it to 0: then one is enough, largest_entry_deg is not looked at, and a line is as wide as
 *  it may be: there is no most_width_mm. Saves about 3600 bytes on an 8-bit one. */
#ifndef CMO_TWO_SIDED
#define CMO_TWO_SIDED 1
#endif

/** Whether the line that was met last is remembered, so that a search can start clear of it. A part
 *  with little flash may set it to 0: then off_line is refused, and a square does not go back to a
 *  line that was met just before. Saves about 600 bytes on an 8-bit one, and 13 of RAM. */
#ifndef CMO_LAST_LINE
#define CMO_LAST_LINE 1
#endif

/** How many of the lines that were counted last are kept, 1..64. */
#ifndef CMO_COUNTED_LINES
#define CMO_COUNTED_LINES 16
#endif

/** How many surfaces can be taught and told from each other, 0..16. A part with little flash may
 * set it to 0: then there are none, parameters have no `surface`, and looks no colour. */
#ifndef CMO_SURFACES_MAX
#define CMO_SURFACES_MAX 8
#endif

/** How deep a route's groups may stand in each other, 1..8. */
#ifndef CMO_GROUPS_DEEP
#define CMO_GROUPS_DEEP 2
#endif

/** How many of a route's rules of what follows may be limited to a number of times, 1..32. */
#ifndef CMO_COUNTED_RULES
#define CMO_COUNTED_RULES 8
#endif

/** Where constant tables stand, and how they are read from there. On a processor whose constants
 *  would take RAM, in flash. */
#if !defined(CMO_FLASH) && defined(__AVR__)
#include <avr/pgmspace.h>
#define CMO_FLASH                      PROGMEM
#define CMO_READ_FLASH(to, from, size) memcpy_P(to, from, size)
#elif !defined(CMO_FLASH)
#define CMO_FLASH
#define CMO_READ_FLASH(to, from, size) memcpy(to, from, size)
#endif

#if CMO_LIGHTS_MAX < 1 || CMO_LIGHTS_MAX > 8
#error "CMO_LIGHTS_MAX: 1 to 8"
#endif
#if CMO_LOOKS_MAX < 1 || CMO_LOOKS_MAX > 16
#error "CMO_LOOKS_MAX: 1 to 16"
#endif
#if CMO_HISTORY < 3 || CMO_HISTORY > 32
#error "CMO_HISTORY: 3 to 32"
#endif
#if (CMO_WATCH_LIGHT != 0 && CMO_WATCH_LIGHT != 1) ||                                              \
    (CMO_CURVED_LOOKS != 0 && CMO_CURVED_LOOKS != 1) ||                                            \
    (CMO_TABLE_EDGE != 0 && CMO_TABLE_EDGE != 1) || (CMO_SLIDING != 0 && CMO_SLIDING != 1) ||      \
    (CMO_TWO_SIDED != 0 && CMO_TWO_SIDED != 1) || (CMO_LAST_LINE != 0 && CMO_LAST_LINE != 1)
#error                                                                                             \
    "CMO_WATCH_LIGHT, CMO_CURVED_LOOKS, CMO_TABLE_EDGE, CMO_SLIDING, CMO_TWO_SIDED, CMO_LAST_LINE: 0 or 1"
#endif

#if CMO_GROUPS_DEEP < 1 || CMO_GROUPS_DEEP > 8
#error "CMO_GROUPS_DEEP: 1 to 8"
#endif
#if CMO_COUNTED_RULES < 1 || CMO_COUNTED_RULES > 32
#error "CMO_COUNTED_RULES: 1 to 32"
#endif

#if CMO_COUNTED_LINES < 1 || CMO_COUNTED_LINES > 64
#error "CMO_COUNTED_LINES: 1 to 64"
#endif

#if CMO_SURFACES_MAX < 0 || CMO_SURFACES_MAX > 16
#error "CMO_SURFACES_MAX: 0 to 16"
#endif

#define CMO_NAME_OF(lights, looks, history, watch, curved, table, sliding, sided, last, deep,      \
                    rules, counted, surfaces)                                                      \
    cmo_robot_start_lights##lights##_looks##looks##_history##history##_watch##watch##_curved##curved##_table##table##_sliding##sliding##_sided##sided##_last##last##_deep##deep##_rules##rules##_counted##counted##_surfaces##surfaces
#define CMO_NAME_WITH(lights, looks, history, watch, curved, table, sliding, sided, last, deep,    \
                      rules, counted, surfaces)                                                    \
    CMO_NAME_OF(lights, looks, history, watch, curved, table, sliding, sided, last, deep, rules,   \
                counted, surfaces)
#define cmo_robot_start                                                                            \
    CMO_NAME_WITH(CMO_LIGHTS_MAX, CMO_LOOKS_MAX, CMO_HISTORY, CMO_WATCH_LIGHT, CMO_CURVED_LOOKS,   \
                  CMO_TABLE_EDGE, CMO_SLIDING, CMO_TWO_SIDED, CMO_LAST_LINE, CMO_GROUPS_DEEP,      \
                  CMO_COUNTED_RULES, CMO_COUNTED_LINES, CMO_SURFACES_MAX)

#endif
