// SPDX-License-Identifier: GPL-3.0-or-later
// The legs of a route file, made from the lists that describe the routines' parameters.
#ifndef LAB_LEGS_H
#define LAB_LEGS_H

#include "sections.h"

#include <cammino/routines.h>
#include <cammino_lab/files.h>

typedef struct staged_band {
    double low, high;
} staged_band;

typedef struct staged_start {
    double x_mm, y_mm, heading_deg;
} staged_start;

// A row as what the reader fills in first: a number, NAN where nothing was given.
#define STAGE(X, type, ...)        STAGE_##type(__VA_ARGS__)
#define STAGE_NUMBER(name, ...)    double name;
#define STAGE_OTHERWISE            STAGE_NUMBER
#define STAGE_SIGNED               STAGE_NUMBER
#define STAGE_SPEED                STAGE_NUMBER
#define STAGE_RATE                 STAGE_NUMBER
#define STAGE_WIDTH                STAGE_NUMBER
#define STAGE_FLAG                 STAGE_NUMBER
#define STAGE_BITS                 STAGE_NUMBER
#define STAGE_HALT                 STAGE_NUMBER
#define STAGE_TIME                 STAGE_NUMBER
#define STAGE_WHOLE(of, name, ...) double name;
#define STAGE_COUNT                STAGE_WHOLE
#define STAGE_CHOICE               STAGE_WHOLE
#define STAGE_BAND(name, ...)      staged_band name;
#define STAGE_PLACE(name, ...)     staged_start name;

#define STAGED_LEG(NAME, name, figures, text)                                                      \
    struct {                                                                                       \
        CMO_##NAME##_PARAMETERS(STAGE, )                                                           \
    } name;
typedef struct staged_leg {
    CMO_EACH_LEG(STAGED_LEG)
} staged_leg;

extern const lab_section labi_leg_section;

// Sections of the legs and of what stands in them, in the order of the documentation; ends with
// NULL.
extern const lab_section *const labi_leg_sections[];

// From what was read of the leg with this name to its routine and parameters.
void labi_leg_finish(lab_leg *leg, const char *name, const staged_leg *staged);

// Any leg's state: one object serves all.
#define STATE_OF_LEG(NAME, name, figures, text) cmo_##name##_state name;
typedef union labi_leg_state {
    CMO_EACH_LEG(STATE_OF_LEG)
} labi_leg_state;

cmo_outcome labi_leg_start(const lab_leg *leg, cmo_robot *robot, labi_leg_state *state);

// Figures that apply to a leg (bit n: figure n); what a report lacks of them could not be measured.
uint32_t labi_leg_figures(const lab_leg *leg);

#endif
