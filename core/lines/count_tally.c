// SPDX-License-Identifier: MIT
// Which line it is, by where it lies; and what it tells of itself and of the robot's place.
#include "count_tally.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/odometer.h"
#include "last_line.h"
#include "line_candidates.h"
#include "line_figures.h"
#include "stated.h"

#include <math.h>
#include <string.h>

// No place is wider than this share of the spacing.
#define WIDEST_SHARE 0.35F

// ------------------------------------------------------------------------------------- places --

// Of the way along which lines are met, how much lies across them.
float cmi_count_across_share(const cmo_robot *robot, const cmo_count_lines_state *state) {
    float tangent = cmi_votes_tangent(robot, state->skew_mm);
    return 1.0F / sqrtf(1.0F + tangent * tangent);
}

float cmi_count_ahead_mm(const cmo_robot *robot, const cmo_count_lines_state *state) {
    const cmo_light_description *d = robot->description->light;
    return state->line.watched == 3 ? 0.5F * (d[0].ahead_mm + d[CMI_FRONT - 1].ahead_mm)
                                    : d[state->line.watched == 2 ? CMI_FRONT - 1 : 0].ahead_mm;
}

float cmo_counted_way_mm(float spacing_mm, const float *places_mm, uint8_t places, uint8_t number) {
    if (number == 0 || (places > 0 && number > places)) {
        return NAN;
    }
    if (places > 0) {
        float way;
        CMO_READ_FLASH(&way, &places_mm[number - 1U], sizeof way);
        return way;
    }
    return number == 1 ? 0.0F : spacing_mm > 0.0F ? spacing_mm * (float)(number - 1U) : NAN;
}

float cmi_count_way_mm(const cmo_count_lines_state *state, uint8_t number) {
    const cmo_counting *p = &state->parameters;
    return cmo_counted_way_mm(p->spacing_mm, p->places_mm, p->places, number);
}

bool cmi_count_knows_places(const cmo_count_lines_state *state) {
    return state->parameters.spacing_mm > 0.0F || state->parameters.places > 0;
}

// The line after one of so many that lies nearest to a way behind the first one; and how much room
// there is between it and its neighbours.
static uint8_t nearest(const cmo_count_lines_state *state, uint8_t after, float way_mm,
                       float *room_mm) {
    uint8_t number = (uint8_t)(after + 1U);
    *room_mm = INFINITY;
    float here = cmi_count_way_mm(state, number);
    float next = cmi_count_way_mm(state, (uint8_t)(number + 1U));
    while (number < CMI_COUNT_MOST && fabsf(way_mm - next) < fabsf(way_mm - here)) { // not if NAN
        number++;
        here = next;
        next = cmi_count_way_mm(state, (uint8_t)(number + 1U));
    }
    float before = here - cmi_count_way_mm(state, (uint8_t)(number - 1U));
    *room_mm = fminf(before, next - here); // of one that is not there, the other one's
    return number;
}

// Which one it is by where it lies: how many on from the last, 0: none lies there. `open`: by how
// much a place that a line may lie at is wider than nothing, as a share of all.
uint8_t cmi_count_steps_to(const cmo_robot *robot, const cmo_count_lines_state *state, float at_mm,
                           float *open) {
    float expected = state->expected_mm;
    bool first = state->number == 0;
    *open = 0.0F;
    if (!cmi_count_knows_places(state) || (first && expected == 0.0F)) {
        return 1;
    }
    // The first one counts from where it is expected, and start poses differ.
    float from = first ? expected + cmi_count_ahead_mm(robot, state) : state->last_mm;
    float behind = first ? 0.0F : cmi_count_way_mm(state, state->number);
    float way = (at_mm - from) * cmi_count_across_share(robot, state);
    float room;
    uint8_t number = nearest(state, state->number, behind + way, &room);
    float most = WIDEST_SHARE * room;
    float within =
        first ? most
              : fminf(cmi_line_slack_mm(robot, 0) + CMI_COUNT_SPACING_SHARE * fabsf(way), most);
    *open = 2.0F * within / room;
    float off = behind + way - cmi_count_way_mm(state, number);
    return (uint8_t)(fabsf(off) <= within ? number - state->number : 0);
}

cmo_stated_line cmo_counted_place(const cmo_stated_line *first, float way_mm) {
    cmo_stated_line line = *first;
    float sine, cosine;
    cmi_sin_cos(cmi_radians(line.heading_deg), &sine, &cosine);
    line.x_mm += way_mm * cosine;
    line.y_mm += way_mm * sine;
    return line;
}

// ------------------------------------------------------------------------------------ counting --

void cmi_count_anew(cmo_robot *robot, cmo_count_lines_state *state) {
    cmo_routine *routine = &state->line.routine;
    state->line.parameters.longest_mm = cmi_gone_mm(robot) + state->longest_mm;
    if (state->longest_ms != 0) {
        cmi_take_over(robot, routine, routine->step, state->longest_ms);
    }
}

// Whether lines before have told at what angle this one is met.
bool cmi_count_is_sure(const cmo_count_lines_state *state) {
    float first = state->later_mm[0];
    return state->pairs > 2 ||
           (state->pairs == 2 && fabsf(state->later_mm[1] - first) <= CMI_VOTES_WORN_MM);
}

// The line's true place sets the pose: across it, and the heading by the mean over the lines, for
// between two of them odometry turns less than one of them is wrong by.
static void take_pose(cmo_robot *robot, cmo_count_lines_state *state, uint8_t seen,
                      float angle_rad) {
    const cmo_counting *p = &state->parameters;
    float way = cmi_count_way_mm(state, state->number);
    if (!p->stated || !(way >= 0.0F)) {
        return;
    }
    cmo_stated_line line = cmo_counted_place(&p->place, way);
    cmo_pose *pose = &robot->odometer.pose;
    float square = cmi_square_rad(robot, &line);
    if (seen == 3) {
        float off = square + angle_rad - pose->heading_rad;
        cmi_odometer_set_heading(&robot->odometer, robot->description,
                                 pose->heading_rad + off / fmaxf((float)state->pairs, 1.0F));
    }
    float sine, cosine;
    cmi_sin_cos(pose->heading_rad - square, &sine, &cosine);
    float sum = 0.0F;
    uint8_t count = 0;
    for (uint8_t i = 0; i < 2; i++) {
        if (seen & 1U << i) {
            const cmo_light_description *d = &robot->description->light[i];
            float beyond = cmi_way_now(robot, i) - state->line.candidate[i].near.way_mm;
            sum += (beyond - d->ahead_mm) * cosine + d->left_mm * sine;
            count++;
        }
    }
    cmi_stand_beyond(robot, &line, square, sum / (float)count);
}

#if CMO_SURFACES_MAX > 0
// What it is made of, as far as the sensors that have met it agree.
static uint8_t surface_of(const cmo_count_lines_state *state, uint8_t seen) {
    uint8_t surface = 0;
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        uint8_t its = seen & 1U << i ? state->line.candidate[i].surface : 0;
        if (its != 0 && surface != 0 && its != surface) {
            return 0;
        }
        surface = its != 0 ? its : surface;
    }
    return surface;
}
#endif

// A line more, whose marks are the search's candidates.
void cmi_count_line(cmo_robot *robot, cmo_count_lines_state *state, const cmi_vote *vote,
                    uint8_t steps, float open) {
    bool both = vote->seen == 3;
    uint8_t sensor = vote->seen == 2 ? 1 : 0;
    const cmo_candidate *met = &state->line.candidate[sensor];
    bool worn =
        cmi_count_is_sure(state) && fabsf(vote->later_mm - state->skew_mm) > CMI_VOTES_WORN_MM;
    float entry =
        both ? cmi_line_entry_rad(robot, worn ? state->skew_mm : vote->later_mm, met->turn_rad)
             : 0.0F;
    float angle = both ? entry + cmo_turned_rad(robot) - met->turn_rad : 0.0F;
    state->number = (uint8_t)(state->number + steps);
    cmo_counted_line *line = &state->counted[state->seen % CMO_COUNTED_LINES];
    *line = (cmo_counted_line){.at_mm = vote->at_mm - cmi_count_ahead_mm(robot, state),
                               .width_mm = cmi_line_width_mm(&state->line, entry),
                               .entry_deg = cmi_degrees(entry),
                               .number = state->number,
                               .seen = vote->seen};
    state->seen++;
    state->last_mm = vote->at_mm;
#if CMO_SURFACES_MAX > 0
    line->surface = surface_of(state, vote->seen);
    state->tally[line->surface]++;
#endif
    // By chance something else fits as well, where the place and not both sensors speak for it.
    float chance = !both || steps > 1 ? open : 0.0F;
    state->certainty = fminf(state->certainty, fmaxf(1.0F - chance, 0.0F));
    cmi_set_figure(robot, CMO_LINES_SEEN, (float)state->seen);
    cmi_set_figure(robot, CMO_LINES_MISSED, (float)(state->number - state->seen));
    if (cmi_count_knows_places(state)) {
        cmi_set_figure(robot, CMO_COUNT_CERTAINTY, state->certainty);
    }
    cmi_last_line_met(robot, &state->line, sensor, both, both ? entry : 0.0F);
    take_pose(robot, state, vote->seen, angle);
    cmi_notify(robot, CMO_EVENT_LINE, state->number);
}
