// SPDX-License-Identifier: GPL-3.0-or-later
// The truth column: figures of a leg from the noiseless world alone.
#ifndef LAB_TRUTH_H
#define LAB_TRUTH_H

#include <cammino_lab/run.h>

// Fills in result->truth and result->target from what the simulator recorded between the leg's
// start and end; turns done into wrong_line where the robot ended on another line.
void labi_truth(const lab_route *route, const cmo_sim *sim, lab_leg_result *result,
                const lab_leg *leg);

// Index of the first record at or after a time.
size_t labi_first_at(const cmo_sim_truth *all, size_t count, double time_ms);

// Whether a leg goes by this sensor's crossings.
bool labi_watches(cmo_sensors which, unsigned sensor);

// Whether what lies behind the edge has the tone asked for, against what lies before it; or is the
// surface that is looked for.
bool labi_has_tone(const lab_route *route, const cmo_sim *sim, const cmo_sim_crossing *crossing,
                   double nx, double ny, cmo_tone tone, uint8_t surface);

void labi_put(lab_figures *figures, cmo_figure figure, double value);

#endif
