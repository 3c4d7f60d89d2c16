// SPDX-License-Identifier: MIT
// What the sensors have met, one line after the other: which of it both have met.
#ifndef CMI_LINE_VOTES_H
#define CMI_LINE_VOTES_H

#include <cammino/count_lines.h>

// What is a line by the sensors' votes.
typedef struct cmi_vote {
    float at_mm;    // where its near edge is along the way, of the middle of the sensors
    float shown_mm; // how far along the way it has lasted so far
    float later_mm; // by how much further on the left sensor has met it; of two only
    uint8_t seen;   // bit n: sensor n has met it,
    uint8_t marks;  // and it stands in its queue
} cmi_vote;

// Takes this tick's crossings.
void cmi_votes_look(cmo_robot *robot, cmo_count_lines_state *state);

// The next line that has proved itself: true. It stays until it is taken. What is none is passed
// over on the way. `single`: one that a single sensor has met counts, where it says so.
typedef bool (*cmi_single_counts)(const cmo_robot *robot, const cmo_count_lines_state *state,
                                  const cmi_vote *vote);
bool cmi_votes_next(cmo_robot *robot, cmo_count_lines_state *state, cmi_single_counts single,
                    cmi_vote *vote);

// It was a line, and is behind; or it was none.
void cmi_votes_take(cmo_robot *robot, cmo_count_lines_state *state, const cmi_vote *vote);
void cmi_votes_refuse(cmo_robot *robot, cmo_count_lines_state *state, const cmi_vote *vote,
                      cmo_passed_reason reason);

// Where a sensor is now, in the same measure.
float cmi_votes_now(const cmo_robot *robot, const cmo_count_lines_state *state, uint8_t sensor);

// What has been met before that place is none.
void cmi_votes_drop_before(cmo_robot *robot, cmo_count_lines_state *state, float at_mm);

// Whether no sensor can meet anything more of the line that was taken last.
bool cmi_votes_clear(const cmo_robot *robot, const cmo_count_lines_state *state);

// A sensor's way there, from where it is along in that measure.
float cmi_votes_way(const cmo_robot *robot, const cmo_count_lines_state *state, uint8_t sensor,
                    float along_mm);

// Both sensors' places of one near edge may differ by so much; what is later is worn, for an edge
// is never met before it is there.
#define CMI_VOTES_WORN_MM 3.0F

#if CMO_SURFACES_MAX > 0
// What it is made of, once that has begun to last on it.
void cmi_votes_know(const cmo_robot *robot, cmo_candidate *mark, uint8_t sensor);
#endif

// The tangent of the angle at which lines are met.
float cmi_votes_tangent(const cmo_robot *robot, float later_mm);

#endif
