// SPDX-License-Identifier: MIT
// A rebound from the boundary: brake, back off on the way just come, feel for the boundary's
// direction, turn away. The patrol around it is stay_inside.c.
#ifndef CMI_REBOUND_H
#define CMI_REBOUND_H

#include <cammino/stay_inside.h>

// It turns on the spot, looking at what is known of the boundary.
bool cmi_rebound_turns(const cmo_robot *robot);

// Takes this tick's crossings. True: there were some that the boundary so far does not explain.
bool cmi_rebound_meet(cmo_robot *robot, cmo_stay_inside_state *state);

// A sensor that stands on the boundary without having crossed it: as where the robot was put down.
bool cmi_rebound_meet_at_rest(cmo_robot *robot, cmo_stay_inside_state *state);

// Reckons the way just come, and the middle of the ground that was covered.
void cmi_rebound_reckon(cmo_robot *robot, cmo_stay_inside_state *state);

// Begins it, with what has been met in this tick.
void cmi_rebound_begin(cmo_robot *robot, cmo_stay_inside_state *state);

// One tick of braking, along the course.
void cmi_rebound_brake(cmo_robot *robot, cmo_stay_inside_state *state);

// Share of the cruise until a stop has shown what the budget counts on.
float cmi_rebound_first_share(const cmo_robot *robot, const cmo_stay_inside_state *state);

// It stands: how far this stop took.
void cmi_rebound_stood(const cmo_robot *robot, cmo_stay_inside_state *state);

// While it backs off: where a sensor leaves the boundary tells by how much the tyres slid.
void cmi_rebound_note_slide(cmo_robot *robot, cmo_stay_inside_state *state);

// Its tyres have slid so far since it crossed the boundary, if that is more than counts and gear
// play make.
void cmi_rebound_slid(const cmo_robot *robot, cmo_stay_inside_state *state, float slid_mm);

// How fast it may be by what the stop has shown.
void cmi_rebound_learn(const cmo_robot *robot, cmo_stay_inside_state *state);

// What is done about it, once the robot stands: back off, or first feel for the boundary.
void cmi_rebound_answer(cmo_robot *robot, cmo_stay_inside_state *state);

// What turning and odometry may take of the margin: three degrees at a body's corner.
#define CMI_MARGIN_LEFT_MM 4.0F

// How it leaves (rebound_leave.c). The heading to leave on, and which way round: radians to turn
// from here.
float cmi_rebound_choose_turn(const cmo_robot *robot, cmo_stay_inside_state *state);

// How far it has to back off to turn to the heading that it has chosen, and swing beyond it as its
// turns have done so far.
float cmi_rebound_missing_mm(const cmo_robot *robot, const cmo_stay_inside_state *state,
                             bool convex);

// How far it has to back off to turn, and may: on the way that it has come, and no further.
float cmi_rebound_way_back_mm(const cmo_robot *robot, const cmo_stay_inside_state *state,
                              float beyond_mm);

// A turn by so much, or the other way round, where the rear would come over a boundary.
float cmi_rebound_way_round(const cmo_robot *robot, const cmo_stay_inside_state *state,
                            float turn_rad);

// It has turned away from what it met, and keeps it for the next rebounds.
void cmi_rebound_keep(cmo_stay_inside_state *state);

// What is known of this rebound as it begins to leave.
void cmi_rebound_note(const cmo_robot *robot, cmo_stay_inside_state *state);

// How near it comes to the boundary as it turns away here.
void cmi_rebound_note_turn(const cmo_robot *robot, cmo_stay_inside_state *state);

// How it feels (rebound_feel.c). From the axle to where the first sensor has crossed, which is all
// the room there is if it stands square.
float cmi_rebound_room_mm(const cmo_robot *robot, const cmo_stay_inside_state *state);

// How far it may turn to feel for a boundary that it may stand square to: a wheel comes to that
// with the sine of the turn.
float cmi_rebound_feels_rad(const cmo_robot *robot, const cmo_stay_inside_state *state);

// Takes this tick's crossings, while it feels.
void cmi_rebound_felt(cmo_robot *robot, cmo_stay_inside_state *state);

// How it backs off (rebound_back.c). By so much from here, which is taken from the way that it has
// come; or as far as the boundary asks for.
void cmi_rebound_back_by(cmo_robot *robot, cmo_stay_inside_state *state, float way_mm,
                         cmo_stage stage);
void cmi_rebound_back_off(cmo_robot *robot, cmo_stay_inside_state *state);

// Too many runs in a row that got hardly anywhere: it is over.
bool cmi_rebound_is_cornered(cmo_robot *robot, cmo_stay_inside_state *state, float beyond_mm);

// One tick of backing off along the course; false: it stands there.
bool cmi_rebound_goes_back(cmo_robot *robot, cmo_stay_inside_state *state);

// It has backed off, and both sensors have left the boundary. True: its direction, known anew, asks
// for some way more, and it backs off by that.
bool cmi_rebound_knows_better(cmo_robot *robot, cmo_stay_inside_state *state);

// One tick each of turning the other sensor over the boundary, of backing off, and of turning away.
// The last one is true when the rebound is over.
void cmi_rebound_feel(cmo_robot *robot, cmo_stay_inside_state *state);
void cmi_rebound_go_back(cmo_robot *robot, cmo_stay_inside_state *state);
bool cmi_rebound_turn(cmo_robot *robot, cmo_stay_inside_state *state);

// Begins to turn on the spot; has it turned, and settled?
void cmi_rebound_turn_by(cmo_robot *robot, cmo_stay_inside_state *state, float turn_rad,
                         cmo_stage stage);
bool cmi_rebound_settle_turn(cmo_robot *robot, cmo_stay_inside_state *state);

// Something stands in the way of a turn: the wheels are driven, and do not go round.
bool cmi_rebound_blocked(cmo_robot *robot);

#endif
