// SPDX-License-Identifier: GPL-3.0-or-later
// The line that a leg is truly to end on.
#ifndef LAB_TRUTH_TARGET_H
#define LAB_TRUTH_TARGET_H

#include <cammino_lab/run.h>

// The robot's crossing and the target's may differ by its own error, but not by this.
#define SAME_LINE_MM 10.0

typedef struct labi_span {
    const cmo_sim *sim;
    const cmo_sim_truth *at; // one a millisecond, from the leg's start to its end
    size_t count;
} labi_span;

// Whether a leg goes by this sensor's crossings.
bool labi_watches(cmo_sensors which, unsigned sensor);

// Whether what lies behind the edge has the tone asked for, against what lies before it; or is the
// surface that is looked for.
bool labi_has_tone(const lab_route *route, const cmo_sim *sim, const cmo_sim_crossing *crossing,
                   double nx, double ny, cmo_tone tone, uint8_t surface);

// The first one that is met; not `found`: there is none.
lab_target labi_target_find(const lab_route *route, const labi_span *s,
                            const cmo_line_parameters *p);

// The other sensor's crossing of the same line gives the chord that the angles are taken to.
void labi_target_chord(const labi_span *s, lab_target *target);

#endif
