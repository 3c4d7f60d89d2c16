// SPDX-License-Identifier: MIT
#include <cammino/follow_edge.h>

#include "../shared/description.h"
#include "../shared/parameters.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/lead.h"
#include "../tick/light_input.h"
#include "../tick/odometer.h"
#include "edge_track.h"

#include <cammino/budget.h>

#include <math.h>

// What has been found crosses an edge at about this angle.
#define ENTRY_RAD 0.4F
// Distance and angle are taken out within so many reaction times, and within no less than the way
// of the spot ahead of the axle over this: nearer, turning alone would swing it to and fro.
#define REACTIONS 1.5F
#define AHEADS    1.5F
// Until it has met an edge it turns by so much at most, and as gently.
#define SEARCH_RAD     0.3F
#define SEARCH_FROM_MM 40.0F
#define SEARCH_MM      300.0F
// Of a line's least width, what it may come onto it while it answers.
#define JOIN_SHARE 0.5F
// It heads for the edge at most so steeply.
#define STEEPEST 0.7F
// Of the spot, what lies between two looks at most.
#define LOOK_SHARE 0.6F
// It answers within this many times the way that it has.
#define FOLLOWS 0.55F
// A bend that is told may be sharper than that by this.
#define SHARPER 1.2F
// It has lost the edge where none was seen for so long; on the line for as many times that.
#define LOST_MM 100.0F
#define ON_LINE 2.5F
// Of the grip that braking may use, what a bend may.
#define BEND_SHARE 0.5F
// What wheels fall short of in a turn is learned within this time, up to this share.
#define TRIM_S    0.3F
#define TRIM_MOST 0.3F
// A reading of one surface alone: the spot is so much of its radius beyond the edge at least.
#define BEYOND_SHARE 0.7F
// Off the edge for so many spots it turns back to it, within so much more way by so much.
#define AWAY_SPOTS  1.3F
#define BACK_MM     30.0F
#define BACK_PER_MM 0.01F
#define BACK_POLES  1.0F
// It has joined once it has been within this share of the spot, for so long a way.
#define NEAR_SHARE 0.5F
#define JOINED_MM  30.0F
// So many looks in a row that do not fit: what it meets now is the edge.
#define REFUSED_MOST 4U

static const cmi_row rows[] CMO_FLASH = {
    CMO_FOLLOW_EDGE_PARAMETERS(CMI_ROW, cmo_follow_edge_parameters)};

// ------------------------------------------------------------------------------------- readings --

static float spot_mm(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    return robot->description->light[state->sensor].spot_mm;
}

// The line lies to the right of its left edge.
static float line_sign(const cmo_follow_edge_state *state) {
    return state->parameters.edge == CMO_LINE_LEFT ? -1.0F : 1.0F;
}

// What a reading says of where the spot is.
static cmi_edge_sight sight_of(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    const cmo_light *light = &robot->light[state->sensor];
    float half = 0.5F * spot_mm(robot, state);
    float place;
    cmo_edge_place(&light->edge, light->reflectance, &place);
    cmi_edge_sight sight = {.off_mm = line_sign(state) * place, .bends = state->joined};
    // What hardly touches the edge may well not do so: it says no more than on which side it is.
    if (cmo_edge_sees(&light->edge, light->reflectance)) {
        // The disc's curve is as steep as 4 / pi over the spot in its middle, and flat at its ends.
        float u = place / half;
        float noise = 0.25F * cmo_hysteresis(&light->levels) * 1.5708F * half;
        sight.sigma_mm = 0.1F + noise / fmaxf(sqrtf(fmaxf(1.0F - u * u, 0.0F)), 0.3F);
        return sight;
    }
    bool inside = light->edge.inside;
    sight.off_mm = (inside ? line_sign(state) : -line_sign(state)) * BEYOND_SHARE * half;
    sight.sigma_mm = 0.1F * half;
    sight.beyond = true;
    return sight;
}

static cmo_moment wheels_now(const cmo_robot *robot) {
    return (cmo_moment){robot->clock_us, robot->odometer.left_mm, robot->odometer.right_mm};
}

// It has met an edge, with the spot so far from it when the wheels were at `then`.
static void find(cmo_robot *robot, cmo_follow_edge_state *state, float off_mm, float angle_rad,
                 const cmo_moment *then) {
    cmo_moment now = wheels_now(robot);
    cmi_track_start(&state->track, off_mm, angle_rad);
    cmi_track_go(&state->track, robot, state->sensor, then, &now);
    state->follows = true;
    state->refused = 0;
    state->seen_mm = state->near_mm = cmo_way_mm(robot);
    state->look_us = robot->light[state->sensor].look_us;
    cmi_enter(robot, CMO_STAGE_JOIN);
}

// Coming onto the line it heads for it, going off it away from it.
static float entry_rad(const cmo_follow_edge_state *state, bool entering) {
    return entering ? line_sign(state) * ENTRY_RAD : -line_sign(state) * ENTRY_RAD;
}

// It drives straight on until a look sees an edge, or lies behind one.
static void search(cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_light *light = &robot->light[state->sensor];
    if (light->crossings > 0) {
        const cmo_crossing *crossing = &light->crossing[light->crossings - 1];
        cmo_moment then = cmi_odometer_at(&robot->odometer, crossing->time_us);
        find(robot, state, 0.0F, entry_rad(state, crossing->entering), &then);
    } else if (light->seen && light->edge.looks > 0 &&
               cmo_edge_sees(&light->edge, light->reflectance)) {
        cmo_moment then = cmi_odometer_at(&robot->odometer, light->look_us);
        bool stood = light->edge.looks == 1; // over it from the start
        float angle = stood ? 0.0F : entry_rad(state, !light->edge.inside);
        find(robot, state, sight_of(robot, state).off_mm, angle, &then);
    }
}

static void note(cmo_robot *robot, cmo_follow_edge_state *state, float off_mm) {
    float way = cmo_way_mm(robot);
    float off = fabsf(off_mm);
    if (!state->joined) {
        if (off > NEAR_SHARE * spot_mm(robot, state)) {
            state->near_mm = way;
        } else if (way - state->near_mm >= JOINED_MM) {
            state->joined = true;
            state->joined_mm = cmi_gone_mm(robot);
            cmi_enter(robot, CMO_STAGE_FOLLOW);
            cmi_notify(robot, CMO_EVENT_CROSSING, state->sensor);
        }
        return;
    }
    state->looks++;
    state->sum_mm += off;
    state->squares_mm2 += off * off;
    state->worst_mm = fmaxf(state->worst_mm, off);
}

// From what is under the spot until the wheels have answered.
static float react_s(const cmo_robot *robot, uint8_t sensor) {
    const cmo_robot_description *d = robot->description;
    uint32_t look_us = d->light[sensor].interval_us + d->light[sensor].delay_us + d->tick_us;
    return 1e-6F * (float)look_us + cmi_budget_lag_s(d) + cmi_held_s(robot);
}

// On a way s a straight edge that becomes a bend of radius r leaves the spot by s^2 / 2 r, one bend
// that becomes its opposite by twice that: within such a way, of half a spot, it has to answer.
static float follows_mm(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    return FOLLOWS * sqrtf(0.5F * spot_mm(robot, state) * state->parameters.tightest_mm);
}

// How fast it can follow: to take distance and angle out on that way.
static float safe_mm_s(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    float looks = LOOK_SHARE * spot_mm(robot, state) /
                  (1e-6F * (float)robot->description->light[state->sensor].interval_us);
    return fminf(follows_mm(robot, state) / (REACTIONS * react_s(robot, state->sensor)), looks);
}

static void look(cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_light *light = &robot->light[state->sensor];
    cmo_moment now = wheels_now(robot);
    if (state->follows) {
        cmi_track_go(&state->track, robot, state->sensor, &state->last, &now);
    }
    state->last = now;
    if (!state->follows) {
        search(robot, state);
        return;
    }
    if (!light->seen || light->look_us == state->look_us) {
        return;
    }
    state->look_us = light->look_us;
    cmi_edge_sight sight = sight_of(robot, state);
    cmo_moment then = cmi_odometer_at(&robot->odometer, light->look_us);
    bool fits = cmi_track_look(&state->track, robot, state->sensor, &sight, &then, &now);
    state->refused = fits || sight.beyond ? 0 : (uint8_t)(state->refused + 1U);
    if (light->crossings > 0 && !fits && !state->joined) { // another edge of the line, say
        search(robot, state);
    } else if (state->refused >= REFUSED_MOST) { // it is there all the same
        float angle = state->track.angle_rad;
        cmi_track_start(&state->track, sight.off_mm, angle);
        state->refused = 0;
    }
    if (!sight.beyond) {
        state->seen_mm = fits ? cmo_way_mm(robot) : state->seen_mm;
        note(robot, state, sight.off_mm);
    }
}

// -------------------------------------------------------------------------------------- driving --

// As slow as it has to be to see an edge and turn before the line is over.
static float join_mm_s(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    const cmo_follow_edge_parameters *p = &state->parameters;
    float slowest = fmaxf(2.0F * robot->description->slowest_mm_s, 40.0F);
    float safe = JOIN_SHARE * p->least_width_mm / react_s(robot, state->sensor);
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
// and w the turn a mm, have both poles at -pole with w = -pole^2 e - this angle.
static float angle_gain(const cmo_robot *robot, const cmo_follow_edge_state *state, float pole) {
    return 2.0F * pole - robot->description->light[state->sensor].ahead_mm * pole * pole;
}

// The turn a mm that takes both out, and turns with the edge.
static float steer(const cmo_robot *robot, const cmo_follow_edge_state *state, float pole) {
    const cmo_edge_track *t = &state->track;
    float ahead = robot->description->light[state->sensor].ahead_mm;
    float sine, cosine;
    cmi_sin_cos(t->angle_rad, &sine, &cosine);
    float most = STEEPEST / pole;
    float off = fmaxf(-most, fminf(t->off_mm, most));
    float turn = t->curve_per_mm - pole * pole * off -
                 angle_gain(robot, state, pole) * (sine + ahead * t->curve_per_mm);
    // Off the edge for longer than its spot is wide, it turns back to it, the more the longer.
    float since = cmo_way_mm(robot) - state->seen_mm - AWAY_SPOTS * spot_mm(robot, state);
    float side = robot->light[state->sensor].edge.inside ? -line_sign(state) : line_sign(state);
    float fastest =
        1.0F / (REACTIONS * react_s(robot, state->sensor) * fmaxf(state->speed_mm_s, 20.0F));
    float back = fminf(BACK_PER_MM, BACK_POLES * fastest * fastest);
    return turn + side * back * fmaxf(0.0F, fminf(since / BACK_MM, 1.0F));
}

static float pole_of(const cmo_robot *robot, const cmo_follow_edge_state *state, float speed) {
    const cmo_robot_description *d = robot->description;
    float ahead = fmaxf(fabsf(d->light[state->sensor].ahead_mm), 25.0F);
    float react = react_s(robot, state->sensor);
    return fminf(1.0F / (REACTIONS * react * fmaxf(speed, 20.0F)), AHEADS / ahead);
}

// How fast to be: slower off the edge, at an angle to it, and where it bends.
static float wanted_mm_s(const cmo_robot *robot, const cmo_follow_edge_state *state, float turn) {
    const cmo_follow_edge_parameters *p = &state->parameters;
    float join = join_mm_s(robot, state);
    if (!state->follows) {
        return join;
    }
    const cmo_edge_track *t = &state->track;
    float ahead = robot->description->light[state->sensor].ahead_mm;
    float off = fabsf(t->off_mm) / (1.2F * spot_mm(robot, state));
    float angle = fabsf(t->angle_rad + ahead * t->curve_per_mm) / 0.5F;
    float away = (cmo_way_mm(robot) - state->seen_mm) / (2.0F * spot_mm(robot, state));
    float bad = fmaxf(fmaxf(off, angle), state->joined ? away : 1.0F);
    float sure = fmaxf(0.0F, fminf(2.0F - 2.0F * bad, 1.0F));
    float speed = join + sure * (p->cruise_mm_s - join);
    return fminf(speed, bend_mm_s(robot, p, fmaxf(fabsf(turn), fabsf(t->curve_per_mm))));
}

// Where no edge has been met yet it turns a little to where it must be: a robot that was put down
// along the edge would never meet it.
static float search_turn(const cmo_robot *robot, const cmo_follow_edge_state *state) {
    const cmo_light *light = &robot->light[state->sensor];
    float side = light->edge.inside ? -line_sign(state) : line_sign(state);
    float turned = cmo_turned_rad(robot) - state->start_rad;
    bool late = cmi_gone_mm(robot) > SEARCH_FROM_MM;
    return light->seen && late && side * turned < SEARCH_RAD ? side / SEARCH_MM : 0.0F;
}

static void drive(cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_follow_edge_parameters *p = &state->parameters;
    const cmo_robot_description *d = robot->description;
    float dt_s = (float)robot->dt_us * 1e-6F;
    float before = state->speed_mm_s;
    float pole = pole_of(robot, state, before);
    float turn = state->follows ? steer(robot, state, pole) : search_turn(robot, state);
    float speed = wanted_mm_s(robot, state, turn);
    if (p->distance_mm > 0.0F) {
        float left = fmaxf(p->distance_mm - cmi_gone_mm(robot) - before * cmi_held_s(robot), 0.0F);
        float slowest = p->ending == CMO_END_MOVING ? speed : fmaxf(d->slowest_mm_s, 20.0F);
        speed = fminf(speed, fmaxf(sqrtf(2.0F * p->braking_mm_s2 * left), slowest));
    }
    speed = fmaxf(before - p->braking_mm_s2 * dt_s,
                  fminf(speed, before + p->acceleration_mm_s2 * dt_s));
    state->speed_mm_s = speed;
    float lag_s = fmaxf(cmi_lead_s(robot), 1e-3F * d->lag_ms);
    float rate = turn * speed;
    if (state->follows) {
        const cmo_edge_track *t = &state->track;
        float told = (robot->right.speed_mm_s - robot->left.speed_mm_s) / d->track_mm;
        float ahead = d->light[state->sensor].ahead_mm;
        // What the wheels do now changes what is to be asked for: by so much a second.
        float off_s = speed * t->angle_rad + ahead * told * t->turn_share;
        float angle_s = told * t->turn_share - t->curve_per_mm * speed;
        float change = -pole * pole * off_s - angle_gain(robot, state, pole) * angle_s;
        // And what they fall short of in the long run is asked for besides.
        float most = TRIM_MOST * fabsf(rate) + 0.05F;
        state->trim_rad_s += dt_s / TRIM_S * (rate / t->turn_share - told);
        state->trim_rad_s = fmaxf(-most, fminf(state->trim_rad_s, most));
        rate = (rate + lag_s * speed * change) / t->turn_share + state->trim_rad_s;
    }
    float forward = speed + (dt_s > 0.0F ? lag_s * (speed - before) / dt_s : 0.0F);
    float half = 0.5F * rate * d->track_mm;
    float most = fmaxf(d->top_speed_mm_s - fabsf(forward), 0.3F * d->top_speed_mm_s);
    half = fmaxf(-most, fminf(half, most));
    cmi_drive(robot, forward - half, forward + half);
}

// --------------------------------------------------------------------------------------- ending --

static void finish(cmo_robot *robot, const cmo_follow_edge_state *state) {
    if (state->parameters.ending == CMO_END_MOVING && robot->halt == 0) {
        cmi_end_moving(robot);
    } else {
        cmi_end(robot, CMO_OUTCOME_DONE);
    }
}

static bool has_ended(cmo_robot *robot, cmo_follow_edge_state *state) {
    const cmo_follow_edge_parameters *p = &state->parameters;
    if (!state->follows && cmi_gone_mm(robot) > p->search_mm) {
        cmi_end(robot, CMO_OUTCOME_NO_LINE);
        return true;
    }
    // On the line, as on a crossing one, it goes on for longer: it turns to where its edge must be.
    float unseen = cmo_way_mm(robot) - state->seen_mm;
    float most = (robot->light[state->sensor].edge.inside ? ON_LINE : 1.0F) * LOST_MM;
    if (state->follows && unseen > most) {
        cmi_end(robot, CMO_OUTCOME_EDGE_LOST);
        return true;
    }
    if (cmi_light_no_floor(robot)) {
        cmi_end(robot, CMO_OUTCOME_NO_FLOOR);
        return true;
    }
    if (p->distance_mm > 0.0F && cmi_gone_mm(robot) >= p->distance_mm - 0.5F) {
        if (!state->follows) {
            cmi_end(robot, CMO_OUTCOME_NO_LINE);
        } else if (p->ending == CMO_END_MOVING) {
            finish(robot, state);
        } else {
            cmi_halt(robot, p->halt);
        }
        return true;
    }
    return false;
}

static void step(cmo_robot *robot, cmo_routine *routine) {
    cmo_follow_edge_state *state = (cmo_follow_edge_state *)routine;
    if (robot->stage == CMO_STAGE_HALT) {
        if (cmi_stands_or_waited(robot, &state->waited_us, 2000000U)) {
            finish(robot, state);
        }
        return;
    }
    if (robot->stage == CMO_STAGE_IDLE) {
        state->last = wheels_now(robot);
        state->start_rad = cmo_turned_rad(robot);
        state->speed_mm_s = fmaxf(cmo_speed_mm_s(robot), 0.0F);
        cmi_enter(robot, CMO_STAGE_SEARCH);
    }
    cmi_expect_greys(robot, state->sensor);
    cmi_take_no_proof(robot);
    look(robot, state);
    if (!has_ended(robot, state)) {
        drive(robot, state);
    }
}

// ---------------------------------------------------------------------------------------- start --

// Which sensor, and how fast.
static cmo_outcome choose(cmo_robot *robot, cmo_follow_edge_state *state, bool told) {
    cmo_follow_edge_parameters *p = &state->parameters;
    if (p->sensor == CMO_SENSOR_EITHER) {
        bool right = p->edge == CMO_LINE_LEFT && cmi_front_lights(robot->description) > 1;
        p->sensor = right ? CMO_SENSOR_RIGHT : CMO_SENSOR_LEFT;
    }
    uint8_t watched;
    cmo_outcome outcome = cmi_check_sensors(robot, p->sensor, p->tone, &watched);
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    state->sensor = watched == 2 ? 1 : 0;
    if (spot_mm(robot, state) <= 0.0F) { // how far it is from the edge, no reading tells then
        return cmi_refuse(robot, CMO_OUTCOME_NOT_SUPPORTED, "spot_mm", NAN);
    }
    state->track.sharpest_per_mm = SHARPER / p->tightest_mm;
    float safe = safe_mm_s(robot, state);
    bool slows = !told || p->too_fast == CMO_TOO_FAST_SLOW;
    bool crawls = safe < fmaxf(robot->description->slowest_mm_s, 1.0F);
    if (p->cruise_mm_s > safe && p->too_fast != CMO_TOO_FAST_ACCEPT) {
        if (!slows || crawls) {
            return cmi_refuse(robot, CMO_OUTCOME_TOO_FAST, "cruise_mm_s", safe);
        }
        p->cruise_mm_s = safe;
    }
    return CMO_OUTCOME_DONE;
}

// Bends and joining are slower than the rest.
static uint32_t usual_longest_ms(const cmo_follow_edge_parameters *p) {
    float way = p->search_mm + p->distance_mm;
    return p->distance_mm > 0.0F ? (uint32_t)(6000.0F * way / p->cruise_mm_s) + 10000U : 600000U;
}

cmo_outcome cmo_follow_edge_start(cmo_robot *robot, cmo_follow_edge_state *state,
                                  const cmo_follow_edge_parameters *parameters) {
    if (!cmi_may_begin(robot)) {
        return CMO_OUTCOME_BAD_PARAMETER;
    }
    *state = (cmo_follow_edge_state){.parameters = *parameters};
    cmo_follow_edge_parameters *p = &state->parameters;
    cmi_usual_speed(robot, &p->cruise_mm_s, 0.5F * robot->description->top_speed_mm_s);
    cmo_outcome outcome = cmi_check_parameters(robot, rows, CMI_ROWS(rows), p);
    if (outcome == CMO_OUTCOME_DONE) {
        outcome = choose(robot, state, parameters->cruise_mm_s != 0.0F);
    }
    if (outcome != CMO_OUTCOME_DONE) {
        return outcome;
    }
    p->longest_ms = p->longest_ms != 0 ? p->longest_ms : usual_longest_ms(p);
    cmi_begin(robot, &state->routine, step, CMO_ROUTINE_FOLLOW_EDGE, p->longest_ms);
    cmi_watch_edge(robot, state->sensor, p->tone, p->band);
    cmi_looks_turning(robot);
    return CMO_RUNNING;
}

cmo_outcome cmo_follow_edge(cmo_robot *robot, const cmo_follow_edge_parameters *parameters) {
    cmo_follow_edge_state state;
    cmo_outcome outcome = cmo_follow_edge_start(robot, &state, parameters);
    return outcome == CMO_RUNNING ? cmo_run(robot) : outcome;
}
