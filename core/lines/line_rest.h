// SPDX-License-Identifier: MIT
// Where the rest is, what the sensors say of it, and the moves that settle it.
#ifndef CMI_LINE_REST_H
#define CMI_LINE_REST_H

#include <cammino/line_search.h>

// All that the rest needs is known: the line is one, and its far edge if that matters.
bool cmi_line_known(const cmo_line_state *state);

// Way from here to the rest by the encoders; negative: back.
float cmi_line_to_rest(const cmo_robot *robot, const cmo_line_state *state);

// How far the sensors stand beyond their rest by their readings of the edge. False: the rest is no
// edge, or a sensor does not see it.
bool cmi_line_edge_error(const cmo_robot *robot, const cmo_line_state *state, float *error_mm);

// Whether the rest is over an edge, which then says better than the encoders where it is.
bool cmi_line_rests_on_edge(const cmo_robot *robot, const cmo_line_state *state);

// Whether both sensors will see it there: they have met it nearly at once.
bool cmi_line_sees_at_rest(const cmo_robot *robot, const cmo_line_state *state);

// Takes what their readings say of the edge for where it is. False: none of them sees it.
bool cmi_line_take_edge(const cmo_robot *robot, cmo_line_state *state);

// After a profile has arrived: settles, and says whether it has, or has tried for long enough.
bool cmi_line_settle_move(cmo_robot *robot, cmo_line_state *state, float finest_mm);

// What to ask of a wheel that is to go so far, and went that way last. At rest the body lies at
// that end of the gear play towards which it moved. Going on, the motor has the play to cross
// before it pushes, and in the end the body rolls on by as much; turning back, it pushes at once,
// and the body rolls on all the same.
float cmi_line_ask(const cmo_robot *robot, float way_mm, float last_sign);

// So many small moves settle a rest by profiles alone, which are quicker than creeping. What those
// leave, it creeps.
#define CMI_LINE_PROFILES 3U

// What a small move has left to go, against what it was to go. More than this over is no gear play
// but a regulator with a ramp of its own: they are driven by half of the share of the limits then;
// but never so gently that a wheel which had to be started cannot be braked in time.
#define CMI_LINE_OVERRUN_MM 2.0F
void cmi_line_learn_move(float *share, float goal_mm, float left_mm);

// Holds the wheels still, and says whether they have been so for long enough that every sensor's
// newest look was taken at rest, which is slower than this; or whether it has been waited for that
// for long enough.
bool cmi_line_look_at_rest(cmo_robot *robot, cmo_line_state *state, float slow_mm_s);

// While that is waited for: it rolls on slowly, as regulators do that are told to stand, and what
// the sensors read of the edge says already that it will not come to rest where it should.
// Only where CMO_SLIDING is.
bool cmi_line_rolls_off(const cmo_robot *robot, const cmo_line_state *state);

// By how much further than its wheels turned the robot went: the edge has not moved, so by as much
// as the encoders have it elsewhere than where it was crossed.
void cmi_line_write_slip(cmo_robot *robot, const cmo_line_state *state);

// How far beyond its rest it stands, halted so far beyond the near edge by its encoders.
float cmi_line_off_rest(const cmo_robot *robot, const cmo_line_state *state, float beyond_mm);

#endif
