// SPDX-License-Identifier: MIT
// Looking for a line: what may be one, and is (line_candidates.c); the parameters and the approach
// (line_search.c); halts and braking (line_halt.c); the rest and the figures (line_rest.c); and
// what is met again as it comes back (line_again.c).
#ifndef CMI_LINE_SEARCH_H
#define CMI_LINE_SEARCH_H

#include <cammino/budget.h>
#include <cammino/line_search.h>

#include "../tick/odometer.h"

// Whatever tyres and floor: a robot that slides is thought to brake with no less than this share of
// what is stated of it.
#define CMI_LINE_LEAST_BRAKING 0.2F

// Two places of one thing differ by no more: each is known to within a part of the spot, and the
// way to within some counts.
static inline float cmi_line_slack_mm(const cmo_robot *robot, uint8_t sensor) {
    return robot->description->light[sensor].spot_mm + 5.0F;
}

// A sensor's way where the routine started, and now.
static inline float cmi_start_way(const cmo_robot *robot, uint8_t sensor) {
    return cmi_sensor_way(robot->description, sensor, robot->start_left_mm, robot->start_right_mm);
}

static inline float cmi_way_now(const cmo_robot *robot, uint8_t sensor) {
    return cmi_sensor_way(robot->description, sensor, robot->odometer.left_mm,
                          robot->odometer.right_mm);
}

// Checks the parameters, fills in defaults, and begins. `stop`: it comes to rest on the line.
cmo_outcome cmi_line_begin(cmo_robot *robot, cmo_line_state *state,
                           const cmo_line_parameters *parameters, cmo_step step,
                           cmo_routine_id kind, bool stop);

// Faults and limits of the search. True: the routine has ended.
bool cmi_line_ended(cmo_robot *robot, const cmo_line_state *state);

// Takes this tick's crossings into the candidates.
void cmi_line_look(cmo_robot *robot, cmo_line_state *state);

// Whether a line must be met by both sensors.
static inline bool cmi_line_pairs(const cmo_line_state *state) {
    return CMO_TWO_SIDED && state->window_mm > 0.0F;
}

// The sensor whose crossing counts: the first accepted, else the first that is on a candidate.
uint8_t cmi_line_first(const cmo_robot *robot, const cmo_line_state *state);

// The centre lies between two edges: where it has slid between them, it first goes back to the near
// one, which tells at rest where it is. The far edge's place is taken for then: backward the motors
// push from the other end of the gear play than where the body will lie.
void cmi_line_via_near(const cmo_robot *robot, cmo_line_state *state);

// For routines that come to rest, as cmo_line_state's `again`.
void cmi_line_meet_again(cmo_robot *robot, cmo_line_state *state, uint8_t sensor,
                         const cmo_crossing *crossing, bool far);

// The sensors asked for stand on a candidate; with `accepted`, on a line that has proved itself.
bool cmi_line_met(const cmo_line_state *state, bool accepted);

// Drives on: blind at cruise, down to creep at the end of the blind distance, then creep.
void cmi_line_approach(cmo_robot *robot, cmo_line_state *state);

// Answers the crossing with a halt.
void cmi_line_halt(cmo_robot *robot, cmo_line_state *state);

// Answers it with braking along the profile instead, within the robot's limit.
void cmi_line_brake(cmo_robot *robot, cmo_line_state *state);

// Whether braking for a rest must begin now: before that, the way to a standstill would end short
// of what proves a line, and a candidate that is none need not stop the robot at all.
bool cmi_line_brakes_now(const cmo_robot *robot, const cmo_line_state *state);

// Follows how far the robot gets beyond the near edge, and its first standstill.
void cmi_line_track(cmo_robot *robot, cmo_line_state *state);

// Whether the rest asks for the far edge too.
static inline bool cmi_line_needs_far(const cmo_line_state *state) {
    return state->parameters.rest == CMO_REST_CENTRE || state->parameters.rest == CMO_REST_FAR_EDGE;
}

// All that the rest needs is known: the line is one, and its far edge if that matters.
bool cmi_line_known(const cmo_line_state *state);

// It has met what its wheels measured too narrow for a line, and may have slid meanwhile.
bool cmi_line_doubts(const cmo_line_state *state);

// Standing where an edge ought to be seen, it sees none: it must have slid. Then it stands where no
// encoder knows, and only on which side.
bool cmi_line_lost(const cmo_robot *robot, const cmo_line_state *state);

// All edges are elsewhere by the encoders, by as much.
void cmi_line_shift(cmo_line_state *state, float by_mm);

// How far, and which way, it is to look for the line again.
float cmi_line_to_search(const cmo_robot *robot, const cmo_line_state *state);

// What one sensor has proved to be a line, the other one's candidate is too; unless the rest asks
// for a far edge that it has not met.
void cmi_line_accept_open(cmo_robot *robot, cmo_line_state *state);

// Way from here to the rest by the encoders; negative: back.
float cmi_line_to_rest(const cmo_robot *robot, const cmo_line_state *state);

// How far the sensors stand beyond their rest by their readings of the edge. False: the rest is no
// edge, or a sensor does not see it.
bool cmi_line_edge_error(const cmo_robot *robot, const cmo_line_state *state, float *error_mm);

// Whether the rest is over an edge, which then says better than the encoders where it is.
bool cmi_line_rests_on_edge(const cmo_robot *robot, const cmo_line_state *state);

// Takes what their readings say of the edge for where it is. False: none of them sees it.
bool cmi_line_take_edge(const cmo_robot *robot, cmo_line_state *state);

// How hard the robot brakes: as the stop has shown, where its regulator does not reach the limit.
float cmi_line_braking(const cmo_line_state *state);

// While halted: follows the roll-out. True: the robot stands.
bool cmi_line_come_to_rest(cmo_robot *robot, cmo_line_state *state);

// The candidate was no line: back to the search, without its figures.
void cmi_line_refute(cmo_robot *robot, cmo_line_state *state);

// Drives on from a standstill.
void cmi_line_resume(cmo_robot *robot, cmo_line_state *state);

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

// How far the robot stands beyond what its encoders say, once it has stopped after a crossing: it
// was met with the motors pushing, and at rest the robot has rolled on within the gear play; and
// braking, further than its wheels.
float cmi_line_rolled_mm(const cmo_robot *robot, const cmo_line_state *state);

// Writes the figures of the looks, the crossing speed, and the time to settle.
void cmi_line_write_settling(cmo_robot *robot, const cmo_line_state *state);

// By how much further than its wheels turned the robot went: the edge has not moved, so by as much
// as the encoders have it elsewhere than where it was crossed.
void cmi_line_write_slip(cmo_robot *robot, const cmo_line_state *state);

// Where the rest is, beyond the near edge, when the sensors stand so far beyond it.
typedef float (*cmi_target)(const cmo_robot *robot, const cmo_line_state *state, float beyond_mm);
float cmi_line_target(const cmo_robot *robot, const cmo_line_state *state, float beyond_mm);

// Writes the figures of the crossing, and of the rest if the robot stands; then ends with done.
// Without a target, figures count from the near edge.
void cmi_line_finish(cmo_robot *robot, cmo_line_state *state, cmi_target target_of);

#endif
