// SPDX-License-Identifier: MIT
// What both sensors read of the edge that they are settled on.
#include "square_edge.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../shared/trig.h"
#include "../tick/surfaces.h"
#include "bearing.h"
#include "line_again.h"
#include "line_candidates.h"

#include <math.h>

// Coming back a sensor meets the line's far edge first, and where the robot has slid by as much as
// that is wide, comes to stand over it. Over the near one it has been deeper in the line before, by
// more than this.
#define DEEPER_MM 1.5F
// No robot slides further on its way to a stand, and by its encoders it is never further before the
// line than that while it is beyond it.
#define MOST_SLID_MM 100.0F

void cmi_square_come_back(const cmo_robot *robot, cmo_square_on_line_state *state) {
    int8_t off = state->line.parameters.tone == CMO_TONE_VOID ? -1 : 1; // beyond void there is none
    state->slid_mm = 0.0F;
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        state->fullest_mm[i] = state->deepest_mm[i];
        state->deepest_mm[i] = -INFINITY;
        state->side[i] = (int8_t)(robot->light[i].edge.inside ? 0 : off);
        state->from[i] = -1;
        state->entered_mm[i] = 0.0F;
        state->told[i] = false;
    }
}

// How far beyond the near edge its spot was then, by the encoders.
static float beyond_mm(const cmo_robot *robot, const cmo_square_on_line_state *state,
                       uint8_t sensor, const cmo_crossing *crossing) {
    cmi_bearing b = cmi_bearing_now(robot, state);
    float sine, cosine;
    cmi_sin_cos(b.angle_rad, &sine, &cosine);
    return b.spot_mm[sensor] - cosine * (cmi_way_now(robot, sensor) - crossing->way_mm);
}

// An end of the near edge is elsewhere: so the sensors' middle has been further, or less far.
static void shift(cmo_square_on_line_state *state, uint8_t sensor, float by_mm) {
    cmi_bearing_shift(state, sensor, by_mm);
    state->entered_mm[sensor] -= by_mm; // the same place, if it is on the line
    state->furthest_mm -= 0.5F * by_mm;
    state->slid_mm -= 0.5F * by_mm;
}

// Back over the far edge: by its encoders it is elsewhere if it has slid. So is the other end of
// the near edge then, until its own sensor has told.
static bool put_right(const cmo_robot *robot, cmo_square_on_line_state *state, uint8_t sensor,
                      const cmo_crossing *crossing) {
    float off = beyond_mm(robot, state, sensor, crossing) - cmi_bearing_width_at_mm(state, sensor);
    float most = CMI_LINE_SLID_MM + 0.5F * robot->description->light[sensor].spot_mm;
    const cmo_candidate *candidate = &state->line.candidate[sensor];
    bool wider = !candidate->passed && off > 0.0F; // than it is at least
    if (!CMO_SLIDING || fabsf(off) < most || wider || candidate->worn) {
        return false;
    }
    uint8_t other = sensor == 0 ? CMI_FRONT - 1 : 0;
    state->told[sensor] = true;
    shift(state, sensor, off);
    if (!state->told[other]) {
        shift(state, other, off);
    }
    return true;
}

// By how far it has come across the line since it entered it, a sensor has left it by the other
// edge, or by the same.
static void take_crossing(const cmo_robot *robot, cmo_square_on_line_state *state, uint8_t sensor,
                          const cmo_crossing *crossing) {
    float place = beyond_mm(robot, state, sensor, crossing);
    if (crossing->entering) {
        state->from[sensor] = state->side[sensor];
        state->entered_mm[sensor] = place;
        state->side[sensor] = 0;
        return;
    }
    float across = (float)state->from[sensor] * (state->entered_mm[sensor] - place);
    bool over = across > 0.5F * cmi_bearing_width_at_mm(state, sensor);
    state->side[sensor] = (int8_t)(over ? -state->from[sensor] : state->from[sensor]);
}

bool cmi_square_watch(const cmo_robot *robot, cmo_square_on_line_state *state) {
    bool slid = false;
    bool has_two = state->line.parameters.tone != CMO_TONE_VOID; // edges, one of them far
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        const cmo_light *light = &robot->light[i];
        float place_mm;
        cmo_edge_place(&light->edge, cmi_light_signal(light), &place_mm);
        state->deepest_mm[i] = fmaxf(state->deepest_mm[i], place_mm);
        for (uint8_t n = 0; n < light->crossings && has_two && cmi_line_settles(robot); n++) {
            const cmo_crossing *crossing = &light->crossing[n];
            if (crossing->entering && state->side[i] > 0) {
                slid |= put_right(robot, state, i, crossing);
            }
            take_crossing(robot, state, i, crossing);
        }
    }
    return slid;
}

static bool is_at_far_edge(const cmo_robot *robot, const cmo_square_on_line_state *state,
                           uint8_t sensor, float place_mm, float counted_mm) {
    float deepest = state->deepest_mm[sensor];
    // A line that is fainter than its level reads no further in.
    float full = 0.5F * robot->description->light[sensor].spot_mm;
    full = state->fullest_mm[sensor] > 0.0F ? fminf(full, state->fullest_mm[sensor]) : full;
    bool has_one = state->line.parameters.tone != CMO_TONE_VOID && !cmi_square_on_far_edge(state);
    bool beyond = CMO_SLIDING && state->side[sensor] > 0 && counted_mm > -MOST_SLID_MM;
    return has_one && (beyond || deepest < fminf(place_mm + DEEPER_MM, 0.9F * full));
}

float cmi_square_errors(const cmo_robot *robot, cmo_square_on_line_state *state, float to_go[2]) {
    cmi_bearing b = cmi_bearing_now(robot, state);
    bool far = cmi_square_on_far_edge(state);
    state->slip_mm = state->slid_mm;
    state->seen = state->lost = true;
    for (uint8_t i = 0; i < CMI_FRONT; i++) {
        const cmo_light *light = &robot->light[i];
        float counted = far ? b.spot_mm[i] - cmi_bearing_width_mm(state) : b.spot_mm[i];
        float place_mm;
        bool sees = cmo_edge_place(&light->edge, cmi_light_signal(light), &place_mm);
        place_mm = far ? -place_mm : place_mm;
        // Square means that the spot that is further ahead is so much further beyond the edge.
        float further = robot->description->light[i].ahead_mm - cmi_bearing_ahead_mm(robot);
        bool contrary =
            (place_mm > 0.0F && counted < place_mm) || (place_mm < 0.0F && counted > place_mm);
        if (is_at_far_edge(robot, state, i, place_mm, counted)) {
            place_mm = state->line.parameters.least_width_mm - place_mm;
            contrary = true;
            sees = false;
        }
        to_go[i] = further - (sees || contrary ? place_mm : counted);
        state->slip_mm += 0.5F * (place_mm - counted);
        state->seen = state->seen && sees;
        state->lost = state->lost && !sees && !light->edge.inside;
    }
    return fmaxf(fabsf(to_go[0]), fabsf(to_go[1]));
}
