// SPDX-License-Identifier: MIT
#include "edge_steer.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/lead.h"
#include "edge_figures.h"
#include "edge_recall.h"
#include "edge_search.h"
#include "edge_sight.h"

#include <math.h>

// Distance and angle are taken out within so many reaction times, and within no less than the way
// of the spot ahead of the axle over this: nearer, turning alone would swing it to and fro. However
// soon its wheels answer, its body does so on their tyres, in no less than this.
#define REACTIONS 1.5F
#define LEAST_S   0.06F
#define AHEADS    1.5F
// Until it has met an edge it turns by so much at most where it is off the line, and as gently; by
// more after this share of its way, and so many mm; and looks back to the other side.
#define SEARCH_FROM_MM    40.0F
#define SEARCH_RAD        0.3F
#define SEARCH_MM         300.0F
#define SEARCH_MORE_SHARE 0.25F
#define SEARCH_MORE_FROM  150.0F
#define SEARCH_MORE_RAD   0.6F
#define SEARCH_MORE_MM    150.0F
#define SEARCH_BACK_RAD   0.8F
#define SEARCH_BACK_MM    75.0F
#define SEARCH_ANEW_MM    40.0F
// To where it knows of a line it heads as steeply as so, more from further off.
#define RECALL_LEAST_RAD  0.3F
#define RECALL_A_MM       100.0F
#define RECALL_WITHIN_RAD 0.04F
// It goes over a line at so much of an angle.
#define OVER_RAD 0.7F
// Between both edges it may be amid the line and see none: its heading sways by so much about what
// it was, more where both are further from an edge, over so much way a radian.
#define SWAY_RAD  0.08F
#define SWAY_A_MM 0.008F
#define SWAY_MM   100.0F
// Of a line's least width, what it may come onto it until it stands.
#define JOIN_SHARE 0.4F
// While it joins, what a radian more of an angle beyond the one from which on it turns more on the
// spot takes from its speed, and what is left of that at least.
#define EASE_FROM_RAD 0.28F
#define EASE_A_RAD    1.8F
#define EASE_LEAST    0.1F
#define EASE_OUTER    0.6F // and the outer wheel at least
#define EASE_TURN_RAD 1.2F // what has turned by more is not coming onto it
// A bend whose middle lies nearer to the axle than to the spot sends the spot further along the
// edge than the axle: by no more than 1 / this for its speed, and for its turn.
#define SPEED_SHARE 0.4F
#define TURN_SHARE  0.7F
// So far it is turned off a bend at most.
#define STEEPEST_SINE 0.8F
// It heads for the edge at most so steeply.
#define STEEPEST 0.7F
// Of the grip that braking may use, what a bend may.
#define BEND_SHARE 0.5F
// What wheels fall short of in a turn is learned within this time, up to this share.
#define TRIM_S    0.3F
#define TRIM_MOST 0.3F
// Off the edge for so many spots it turns back to it, within so much more way by this share of what
// the tightest bend asks for: by less, an edge that bends as sharply would never be met again. No
// more sharply than by so much of what it can answer in time.
#define AWAY_SPOTS 1.3F
#define BACK_MM    15.0F
#define BACK_SHARE 1.3F
#define BACK_POLES 3.0F
// More gently before it has joined, or it would go to and fro over the edge without ever joining,
// and where it may be another line that hides the edge.
#define GENTLE_MM    30.0F
#define GENTLE_SHARE 0.75F
// Before it has joined it turns back as for a bend of that radius, and where it goes over the line
// as steeply as that, sooner.
#define JOINING_MM   75.0F
#define STEEP_RAD    0.35F
#define OVER_SPOTS   0.5F
#define OVER_BACK_MM 5.0F
// Between both edges, with neither in sight for so much way, it drifts to the one that it has not
// met last, within so much more.
#define DRIFT_FROM_MM 120.0F
#define DRIFT_MM      100.0F
// It is slower where it has seen no edge for so many spots and reactions.
#define UNSEEN_SPOTS     1.0F
#define UNSEEN_REACTIONS 0.3F

// From what is under the spot until the wheels have answered.
static float react_s(const cmo_robot *robot, uint8_t sensor) {
    const cmo_robot_description *d = robot->description;
    uint32_t look_us = d->light[sensor].interval_us + d->light[sensor].delay_us + d->tick_us;
    return 1e-6F * (float)look_us + cmi_budget_lag_s(d) + cmi_held_s(robot);
}

// By how much its wheels trail what they are told, at most.
static float lag_s(const cmo_robot *robot) {
    return fmaxf(cmi_lead_s(robot), 1e-3F * robot->description->lag_ms);
}

// No more sharply than it can answer in time.
static float fastest_pole(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    float speed = fmaxf(state->speed_mm_s, 20.0F);
    return 1.0F / (REACTIONS * fmaxf(react_s(robot, state->sensor), LEAST_S) * speed);
}

// As slow as it has to be to see an edge and stand before the line is over.
static float join_mm_s(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    const cmo_follow_edge_parameters *p = &state->parameters;
    float slowest = fmaxf(2.0F * robot->description->slowest_mm_s, 40.0F);
    float safe = cmi_stops_from_mm_s(JOIN_SHARE * p->least_width_mm, react_s(robot, state->sensor),
                                     p->braking_mm_s2);
    return fminf(fmaxf(safe, slowest), p->cruise_mm_s);
}

// How fast it may be where it is to turn by so much a mm.
static float bend_mm_s(const cmo_robot *robot, const cmo_follow_edge_parameters *p, float per_mm) {
    const cmo_robot_description *d = robot->description;
    float grip = sqrtf(BEND_SHARE * p->acceleration_mm_s2 / fmaxf(per_mm, 1e-5F));
    float wheels = d->top_speed_mm_s / (1.0F + 0.5F * per_mm * d->track_mm);
    return fminf(grip, wheels);
}

// Of distance and angle: e' = angle + a w, angle' = w - curve, with the spot a ahead of the axle
// and w the turn a mm. With w = -pole^2 e - this angle, e'' + 2 damping pole e' + pole^2 e = 0: by
// a damping of 1 both poles are at -pole.
static float angle_gain(const cmo_follow_edge_state *state, float pole) {
    float damping = state->joined ? state->parameters.damping : 1.0F;
    return 2.0F * damping * pole - state->track.ahead_mm * pole * pole;
}

// A spot beside or ahead of the axle goes further along a bend, or less far, than the middle of the
// axle does: by s' = cos - w (left cos + ahead sin), and w = curve s'. Of the edge's mean bend, and
// of the angle that the robot has to it once it goes round steadily: by what it thinks of both from
// one look to the next, a robot whose body turns later than its wheels would swing itself up.
static float spot_goes(const cmo_follow_edge_state *state, float least_share) {
    const cmo_edge_track *t = &state->track;
    float bend = state->bend_per_mm;
    float sine = fmaxf(-STEEPEST_SINE, fminf(-t->ahead_mm * bend, STEEPEST_SINE));
    float cosine = sqrtf(1.0F - sine * sine);
    float beside = t->left_mm * cosine + t->ahead_mm * sine;
    return cosine / fmaxf(1.0F + bend * beside, least_share);
}

// To which side an edge lies that it does not see; 0: amid both it may see none.
static float back_side(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    if (state->parameters.edge != CMO_LINE_BOTH) {
        return cmi_edge_within(robot, state) ? -cmi_line_sign(state) : cmi_line_sign(state);
    }
    bool left = robot->light[0].edge.inside;
    if (left != robot->light[CMI_FRONT - 1].edge.inside) {
        return left ? 1.0F : -1.0F;
    }
    bool amid = cmi_edge_dead_mm(robot, state) > 0.0F || cmi_edge_torn(robot, state);
    return amid ? 0.0F : state->track.off_mm > 0.0F ? -1.0F : 1.0F;
}

// Off the edge for longer than its spot is wide, it turns back to it, the more the longer.
static float back_turn(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    const cmo_edge_track *t = &state->track;
    bool within = cmi_edge_within(robot, state);
    bool over = !state->joined && within && cmi_line_sign(state) * t->angle_rad > STEEP_RAD;
    float spot = cmi_edge_spot_mm(robot, state);
    float away = cmo_way_mm(robot) - state->seen_mm - (over ? OVER_SPOTS : AWAY_SPOTS) * spot;
    bool gently = !state->joined || state->parameters.fork == CMO_FORK_PASS;
    float fully = away / (over ? OVER_BACK_MM : gently ? GENTLE_MM : BACK_MM);
    float fastest = (gently ? 1.0F : BACK_POLES) * fastest_pole(robot, state);
    float tightest = state->parameters.tightest_mm;
    tightest = state->joined ? tightest : fminf(tightest, JOINING_MM);
    float back = fminf((gently ? GENTLE_SHARE : BACK_SHARE) / tightest, fastest * fastest);
    return back_side(robot, state) * back * fmaxf(0.0F, fminf(fully, 1.0F));
}

// Where the place is to be. Where the line has ended between both spots, they would never tell.
static float aim_mm(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    float dead = cmi_edge_dead_mm(robot, state);
    float unseen = cmo_way_mm(robot) - state->seen_mm - DRIFT_FROM_MM;
    if (dead == 0.0F || unseen < 0.0F) {
        return state->track.aim_mm;
    }
    return (float)state->drift * fminf(unseen / DRIFT_MM, 1.0F) *
           (dead + 0.5F * cmi_edge_spot_mm(robot, state));
}

// The turn a mm that takes both out, and turns with the edge.
static float steer(const cmo_robot *robot, const cmo_follow_edge_state *state, float pole) {
    const cmo_edge_track *t = &state->track;
    float sine, cosine;
    cmi_sin_cos(t->angle_rad, &sine, &cosine);
    float most = STEEPEST / pole;
    float off = fmaxf(-most, fminf(t->off_mm - aim_mm(robot, state), most));
    float turn = t->curve_per_mm * spot_goes(state, TURN_SHARE) - pole * pole * off -
                 angle_gain(state, pole) * (sine + t->ahead_mm * t->curve_per_mm);
    return turn + back_turn(robot, state);
}

static float pole_of(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    if (state->joined && state->parameters.recover_mm > 0.0F) {
        return 1.0F / state->parameters.recover_mm;
    }
    float ahead = fmaxf(fabsf(state->track.ahead_mm), 25.0F);
    return fminf(fastest_pole(robot, state), AHEADS / ahead);
}

// How fast to be: slower off the edge, at an angle to it, and where it bends.
static float wanted_mm_s(const cmo_robot *robot, const cmo_follow_edge_state *state, float turn) {
    const cmo_follow_edge_parameters *p = &state->parameters;
    float join = join_mm_s(robot, state);
    if (!state->follows) {
        return join;
    }
    const cmo_edge_track *t = &state->track;
    float dead = cmi_edge_dead_mm(robot, state);
    float off = fmaxf(fabsf(t->off_mm) - dead, 0.0F) / (1.2F * cmi_edge_spot_mm(robot, state));
    float angle = fabsf(t->angle_rad + t->ahead_mm * t->curve_per_mm) / 0.5F;
    float unseen = UNSEEN_SPOTS * cmi_edge_spot_mm(robot, state) +
                   UNSEEN_REACTIONS * react_s(robot, state->sensor) * state->speed_mm_s;
    bool amid = back_side(robot, state) == 0.0F;
    float away = amid ? 0.0F : (cmo_way_mm(robot) - state->seen_mm) / unseen;
    float bad = fmaxf(fmaxf(off, angle), state->joined ? away : 1.0F);
    float sure = fmaxf(0.0F, fminf(2.0F - 2.0F * bad, 1.0F));
    float speed = join + sure * (p->cruise_mm_s - join);
    speed = fminf(speed, p->cruise_mm_s / spot_goes(state, SPEED_SHARE)); // of the spot, too
    return fminf(speed, bend_mm_s(robot, p, fmaxf(fabsf(turn), fabsf(t->curve_per_mm))));
}

// Between both edges its heading sways.
static float search_both(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    float gone = cmi_gone_mm(robot) - SEARCH_FROM_MM;
    float sine, cosine;
    cmi_sin_cos(gone / SWAY_MM, &sine, &cosine);
    float dead = cmi_edge_dead_mm(robot, state);
    float sway = fminf(SWAY_RAD + SWAY_A_MM * dead, 2.0F * SWAY_RAD);
    return gone > 0.0F && state->entered == 0 && dead > 0.0F ? sway / SWAY_MM * cosine : 0.0F;
}

// To the edge of a line that it knows of it heads the more steeply, the further off it is; on the
// line it comes off it over that edge, wherever that was thought to be.
static float recall_turn(const cmo_robot *robot, const cmo_follow_edge_state *state,
                         const cmi_recalled *edge) {
    float most = fmaxf(RECALL_LEAST_RAD, fminf(fabsf(edge->off_mm) / RECALL_A_MM, OVER_RAD));
    float to = -(float)state->recall * most;
    if (robot->light[state->sensor].edge.inside) {
        to = -cmi_line_sign(state) * fmaxf(RECALL_LEAST_RAD, fabsf(edge->angle_rad));
    }
    float turn = to - edge->angle_rad;
    return fabsf(turn) < RECALL_WITHIN_RAD ? 0.0F : copysignf(1.0F / SEARCH_BACK_MM, turn);
}

// Where no edge has been met yet it turns to where it must be: a robot that was put down along the
// edge would never meet it.
static float search_turn(const cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_light *light = &robot->light[state->sensor];
    cmi_recalled edge;
    if (light->seen && state->over_rad == 0.0F && cmi_edge_recall(robot, state, &edge)) {
        return recall_turn(robot, state, &edge);
    }
    float gone = cmi_gone_mm(robot) - state->search_from_mm;
    bool begins = gone <= SEARCH_FROM_MM && state->looks_to == 0;
    if (!light->seen || begins || state->over_rad > 0.0F) {
        return 0.0F;
    }
    float side = cmi_line_sign(state);
    // On the line, the edge is within its width: it turns on until it gets there.
    if (light->edge.inside) {
        return -side / SEARCH_MM;
    }
    float most = SEARCH_RAD;
    float radius = SEARCH_MM;
    if (gone > fmaxf(SEARCH_MORE_SHARE * state->parameters.search_mm, SEARCH_MORE_FROM)) {
        most = SEARCH_MORE_RAD;
        radius = SEARCH_MORE_MM;
    }
    // From beyond the line it has turned away from it, and is to go over it at an angle.
    bool back = cmi_edge_looks_back(robot, state);
    float angle = cmi_edge_from_beyond_rad(robot, state);
    if (back || angle > 0.0F || state->looks_to != 0) {
        side = back || angle > 0.0F ? -side : side;
        most = back || state->looks_to != 0 || angle < OVER_RAD ? SEARCH_BACK_RAD : 0.0F;
        radius = state->looks_to != 0 ? SEARCH_ANEW_MM : SEARCH_BACK_MM;
    }
    return side * (cmo_turned_rad(robot) - state->start_rad) < most ? side / radius : 0.0F;
}

float cmi_edge_left_mm(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    float gone = cmi_gone_mm(robot);
    if (state->parameters.distance_of == CMO_DISTANCE_OF_LEFT) {
        gone = robot->odometer.left_mm - state->start_mm[0];
    } else if (state->parameters.distance_of == CMO_DISTANCE_OF_RIGHT) {
        gone = robot->odometer.right_mm - state->start_mm[1];
    }
    return state->parameters.distance_mm - gone;
}

// What is wanted, as its limits and the way that is left allow.
static float next_mm_s(const cmo_robot *robot, const cmo_follow_edge_state *state, float turn) {
    const cmo_follow_edge_parameters *p = &state->parameters;
    float dt_s = (float)robot->dt_us * 1e-6F;
    float before = state->speed_mm_s;
    float speed = wanted_mm_s(robot, state, turn);
    if (p->distance_mm > 0.0F) {
        float least = fmaxf(robot->description->slowest_mm_s, 20.0F);
        float trails_s = cmi_held_s(robot) + lag_s(robot);
        float left = fmaxf(cmi_edge_left_mm(robot, state) - before * trails_s, 0.0F);
        float slowest = p->ending == CMO_END_MOVING ? speed : least;
        speed = fminf(speed, fmaxf(sqrtf(2.0F * p->braking_mm_s2 * left), slowest));
    }
    // What sticks, at the end of its way above all, is pushed.
    speed = cmi_pushed_mm_s(speed, robot->still_us, CMI_STICKS_US);
    // No sooner than its drive surely passes on: what brakes harder than that, and speeds up again
    // at the next look that sees the edge, shakes itself off it.
    float sure = cmi_sure_mm_s2(robot->description);
    return fmaxf(before - fminf(p->braking_mm_s2, sure) * dt_s,
                 fminf(speed, before + fminf(p->acceleration_mm_s2, sure) * dt_s));
}

// What is to be asked for so that the robot turns so fast, in spite of its lag.
static float asked_rad_s(const cmo_robot *robot, cmo_follow_edge_state *state, float rate_rad_s,
                         float pole) {
    const cmo_edge_track *t = &state->track;
    const cmo_robot_description *d = robot->description;
    float dt_s = (float)robot->dt_us * 1e-6F;
    float speed = state->speed_mm_s;
    float told = (robot->right.speed_mm_s - robot->left.speed_mm_s) / d->track_mm;
    // What the wheels do now changes what is to be asked for: by so much a second.
    float off_s = speed * t->angle_rad + t->ahead_mm * told * t->turn_share;
    float angle_s = told * t->turn_share - t->curve_per_mm * speed;
    float change = -pole * pole * off_s - angle_gain(state, pole) * angle_s;
    // And what they fall short of in the long run is asked for besides.
    float most = TRIM_MOST * fabsf(rate_rad_s) + 0.05F;
    state->trim_rad_s += dt_s / TRIM_S * (rate_rad_s / t->turn_share - told);
    state->trim_rad_s = fmaxf(-most, fminf(state->trim_rad_s, most));
    return (rate_rad_s + lag_s(robot) * speed * change) / t->turn_share + state->trim_rad_s;
}

// Where it comes onto the line steeply it turns on the spot, or nearly so: a spot that stands about
// as far beside the axle as ahead of it stays near the edge then, where driving on would carry it
// over the line. The outer wheel goes on all the same: where distance and angle ask for no turn
// between them, it would stand for ever. Not astride: there another spot stands on the other side;
// nor where it has left the line, and may have to go on until it knows over which edge.
static float ease(const cmo_robot *robot, const cmo_follow_edge_state *state, float forward,
                  float half) {
    float angle = state->track.angle_rad;
    bool onto = state->parameters.edge != CMO_LINE_BOTH && state->follows && !state->joined &&
                !state->from_line && !state->far && half * angle < 0.0F &&
                state->track.off_mm * angle >= 0.0F &&
                fabsf(cmo_turned_rad(robot) - state->start_rad) < EASE_TURN_RAD;
    float share = fmaxf(EASE_LEAST, 1.0F - EASE_A_RAD * (fabsf(angle) - EASE_FROM_RAD));
    float eased = fmaxf(share * forward, EASE_OUTER * forward - fabsf(half));
    return onto ? fminf(eased, forward) : forward;
}

void cmi_edge_drive(cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_robot_description *d = robot->description;
    float pole = pole_of(robot, state);
    bool both = state->parameters.edge == CMO_LINE_BOTH;
    float turn = state->follows ? steer(robot, state, pole)
                 : both         ? search_both(robot, state)
                                : search_turn(robot, state);
    // Its turn leads by the lag. Its speed does not, but for the end of its way: led by a lag that
    // it has not, it shakes.
    float speed = next_mm_s(robot, state, turn);
    state->speed_mm_s = speed;
    float rate = turn * speed;
    rate = state->follows ? asked_rad_s(robot, state, rate, pole) : rate;
    float half = 0.5F * rate * d->track_mm;
    float forward = ease(robot, state, speed, half);
    float most = fmaxf(d->top_speed_mm_s - fabsf(forward), 0.3F * d->top_speed_mm_s);
    bool full = fabsf(half) > most || fabsf(forward) + fabsf(half) > d->top_speed_mm_s;
    half = fmaxf(-most, fminf(half, most));
    if (state->joined) {
        cmi_edge_count_tick(robot, state, full);
    }
    cmi_drive(robot, forward - half, forward + half);
}
