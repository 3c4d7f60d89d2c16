// SPDX-License-Identifier: MIT
// The rest on a line: where it is, what the sensors say of it, and the moves that settle it.
#include "line_rest.h"

#include "../moves/motion.h"
#include "../shared/description.h"
#include "../shared/routine.h"
#include "../tick/surfaces.h"
#include "line_candidates.h"
#include "line_floor.h"
#include "line_halt.h"

#include <math.h>
#include <stddef.h>

// A wheel that stays within a step for so long sticks. And where there is an edge to look at, it
// creeps for no longer: the next look tells more than more patience.
#define STUCK_US 400000U
// What is to be judged by the edge, and not by the counts, is pushed as soon as this.
#define EDGE_STICKS_US 50000U
// Gear play is known to a part of itself: at least this share of a small move is asked for.
#define LEAST_ASKED 0.3F
// Moves are never driven more gently than this: a wheel that had to be started could not be braked.
#define LEAST_SHARE 0.25F
// A rest so near to an edge, as a share of the spot, is read from the edge: further off, the disc's
// curve is flat.
#define ON_EDGE 0.3F
// Rolling no faster than this, and no nearer within so much time, it is as good as at rest where it
// is off by this.
#define ROLLS_MM_S   40.0F
#define ROLLS_S      0.1F
#define ROLLS_OFF_MM 0.7F
// What encoders are off by while they settle, without having slid.
#define ABOUT_MM 1.0F

// How far a sensor is to go on from here to its rest.
static float left_to_go(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    float place = candidate->near.way_mm;
    if (state->parameters.rest == CMO_REST_FAR_EDGE) {
        place = candidate->far_mm;
    } else if (state->parameters.rest == CMO_REST_CENTRE) {
        place = 0.5F * (candidate->near.way_mm + candidate->far_mm);
    }
#if CMO_TWO_SIDED
    place += candidate->apart_mm;
#endif
    return place + state->parameters.beyond_mm - cmi_way_now(robot, sensor);
}

bool cmi_line_known(const cmo_line_state *state) {
    bool far = cmi_line_needs_far(state);
    bool known = cmi_line_met(state, true);
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        const cmo_candidate *candidate = &state->candidate[i];
        known = known && !(far && candidate->accepted && !candidate->passed);
    }
    return known;
}

float cmi_line_to_rest(const cmo_robot *robot, const cmo_line_state *state) {
    float sum = 0.0F;
    uint8_t count = 0;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        if (state->candidate[i].accepted) {
            sum += left_to_go(robot, state, i);
            count++;
        }
    }
    return count > 0 ? sum / (float)count : 0.0F;
}

// By the encoders a sensor stands beyond the line's other edge, where it sees floor again, or its
// spot may be over that edge: at a slant, and on a narrow line, it rests there.
static bool is_across(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    float way = cmi_way_now(robot, sensor);
    float about = 0.5F * robot->description->light[sensor].spot_mm + ABOUT_MM;
    return state->parameters.rest == CMO_REST_FAR_EDGE
               ? way < candidate->near.way_mm + about
               : candidate->passed && way > candidate->far_mm - about;
}

// What looks like the edge may be the line's other one, or a floor that is a little darker than
// where the levels were taken: the encoders tell.
static bool may_be_edge(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor,
                        float counted_mm, float place_mm) {
    const cmo_candidate *candidate = &state->candidate[sensor];
    const cmo_light *light = &robot->light[sensor];
    float width = candidate->passed ? candidate->far_mm - candidate->near.way_mm
                                    : state->parameters.least_width_mm;
    bool near = fabsf(counted_mm) < robot->description->light[sensor].spot_mm;
    float inward = state->parameters.rest == CMO_REST_FAR_EDGE ? -counted_mm : counted_mm;
    bool other = candidate->passed && inward > 0.5F * width;
    return !other && fabsf(place_mm - counted_mm) < 0.5F * width &&
           (near || cmo_edge_sees(&light->edge, cmi_line_reading(robot, state, sensor)));
}

// What a sensor's reading says of the edge that it is to rest on.
typedef struct edge_word {
    bool sees;
    float off_mm; // by how much further beyond it stands than the encoders say
#if CMO_TWO_SIDED
    bool bounds; // it does not see it, but is surely past it (or before it): by that much at least
    float bound_mm, sign;
#endif
} edge_word;

static edge_word read_edge(const cmo_robot *robot, const cmo_line_state *state, uint8_t sensor) {
    const cmo_line_parameters *p = &state->parameters;
    const cmo_edge *edge = &robot->light[sensor].edge;
    float reading = cmi_line_reading(robot, state, sensor);
    float counted = -left_to_go(robot, state, sensor) + p->beyond_mm;
    float place;
    bool in_spot = cmo_edge_place(edge, reading, &place);
    place = p->rest == CMO_REST_FAR_EDGE ? -place : place;
    edge_word word = {.sees = in_spot && may_be_edge(robot, state, sensor, counted, place)};
    bool across = is_across(robot, state, sensor);
    bool contrary =
        !across && ((place > 0.0F && counted < place) || (place < 0.0F && counted > place));
    // A spot that reads as if it hardly touched the edge may well not do so, where the line or the
    // floor is not quite as its level: further off it is read the same.
    bool clear = !cmo_edge_sees(edge, reading);
    bool agrees = clear && (place > 0.0F ? counted >= place : counted <= place);
    word.off_mm = contrary || (word.sees && !agrees) ? place - counted : 0.0F;
#if CMO_TWO_SIDED
    word.bounds = clear && !across && !word.sees;
    word.bound_mm = place - counted;
    word.sign = place;
#endif
    return word;
}

// By how much each sensor stands further beyond the edge than the encoders say. One that sees it
// says so exactly, and what it has once said holds. What the others see holds for it until then, as
// far as what it reads allows: the robot has slid, or else the line was not met at the angle that
// it was taken for. Returns the mean of those that tell; `seen`: one of them sees it.
static float edge_off(const cmo_robot *robot, const cmo_line_state *state,
                      edge_word word[CMO_LIGHTS_MAX], bool *seen) {
    float sum[2] = {0.0F, 0.0F}; // of those that see it; of others
    uint8_t counts[2] = {0, 0};
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        word[i] = (edge_word){.sees = false};
        if (cmi_line_tells(&state->candidate[i])) {
            word[i] = read_edge(robot, state, i);
            sum[!word[i].sees] += word[i].off_mm;
            counts[!word[i].sees]++;
        }
    }
    *seen = counts[0] > 0;
    uint8_t which = !*seen;
    float mean = counts[which] > 0 ? sum[which] / (float)counts[which] : 0.0F;
#if CMO_TWO_SIDED
    float all = sum[0];
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX && *seen; i++) {
        const cmo_candidate *candidate = &state->candidate[i];
        if (!word[i].sees && !candidate->read) {
            bool more = word[i].bounds && word[i].sign * (word[i].bound_mm - mean) > 0.0F;
            word[i].off_mm = more ? word[i].bound_mm : mean;
        }
        all += cmi_line_tells(candidate) && !word[i].sees ? word[i].off_mm : 0.0F;
    }
    mean = *seen ? all / (float)(counts[0] + counts[1]) : mean;
#endif
    return mean;
}

bool cmi_line_rests_on_edge(const cmo_robot *robot, const cmo_line_state *state) {
    const cmo_line_parameters *p = &state->parameters;
    float spot = robot->description->light[cmi_line_first(robot, state)].spot_mm;
    return spot > 0.0F && fabsf(p->beyond_mm) < ON_EDGE * spot && p->rest != CMO_REST_CENTRE &&
           p->rest != CMO_REST_HALTED;
}

bool cmi_line_sees_at_rest(const cmo_robot *robot, const cmo_line_state *state) {
    float least = INFINITY;
    float most = -INFINITY;
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        if (state->candidate[i].accepted) {
            float to_go = left_to_go(robot, state, i);
            least = fminf(least, to_go);
            most = fmaxf(most, to_go);
        }
    }
    float spot = robot->description->light[cmi_line_first(robot, state)].spot_mm;
    return cmi_line_rests_on_edge(robot, state) && most - least < spot;
}

bool cmi_line_edge_error(const cmo_robot *robot, const cmo_line_state *state, float *error_mm) {
    edge_word word[CMO_LIGHTS_MAX];
    bool seen;
    *error_mm = edge_off(robot, state, word, &seen) - cmi_line_to_rest(robot, state);
    return cmi_line_rests_on_edge(robot, state);
}

// From then on the encoders agree with the readings, also where a move has taken the sensors off
// the edge again.
bool cmi_line_take_edge(const cmo_robot *robot, cmo_line_state *state) {
    edge_word word[CMO_LIGHTS_MAX];
    bool seen;
    float off = edge_off(robot, state, word, &seen);
    cmi_line_shift(state, -off);
#if CMO_TWO_SIDED
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        cmo_candidate *candidate = &state->candidate[i];
        if (cmi_line_tells(candidate)) {
            candidate->apart_mm += off - word[i].off_mm;
            candidate->read |= word[i].sees;
        }
    }
#endif
    return seen;
}

bool cmi_line_settle_move(cmo_robot *robot, cmo_line_state *state, float finest_mm) {
    state->waited_us += robot->dt_us;
    bool edge = cmi_line_rests_on_edge(robot, state);
    uint32_t patience = edge ? EDGE_STICKS_US : CMI_STICKS_US;
    uint32_t longest = edge ? STUCK_US : CMI_SETTLE_US;
    bool settled = cmi_motion_settle(&state->motion, robot, finest_mm, patience);
    bool moved = settled || robot->still_us > STUCK_US || state->waited_us > longest;
    if (moved) {
        state->waited_us = 0;
    }
    return moved;
}

float cmi_line_ask(const cmo_robot *robot, float way_mm, float last_sign) {
    float size = fabsf(way_mm);
    if (way_mm * last_sign < 0.0F) {
        size = fmaxf(size - robot->description->gear_play_mm, LEAST_ASKED * size);
    }
    return way_mm < 0.0F ? -size : size;
}

void cmi_line_learn_move(float *share, float goal_mm, float left_mm) {
    float over = goal_mm < 0.0F ? left_mm : -left_mm;
    if (fabsf(over) > CMI_LINE_OVERRUN_MM) {
        *share = fmaxf(0.5F * *share, LEAST_SHARE);
    }
}

// A look that has been taken by now is known after this.
static uint32_t look_us(const cmo_robot *robot) {
    uint32_t longest = 0;
    for (uint8_t i = 0; i < cmi_front_lights(robot->description); i++) {
        const cmo_light_description *light = &robot->description->light[i];
        uint32_t needed = light->delay_us + light->interval_us;
        longest = needed > longest ? needed : longest;
    }
    return longest + robot->description->tick_us;
}

bool cmi_line_look_at_rest(cmo_robot *robot, cmo_line_state *state, float slow_mm_s) {
    cmi_drive(robot, 0.0F, 0.0F); // the motors hold their speed of nothing
    if (fabsf(robot->left.speed_mm_s) > slow_mm_s || fabsf(robot->right.speed_mm_s) > slow_mm_s) {
        cmi_count_still_anew(robot); // within a step, but still rolling
    }
    uint32_t longest = look_us(robot);
    // An encoder that dithers about an edge, or a regulator that buzzes, may seem to roll for ever.
    uint32_t patience = longest + 4 * cmi_standstill_us(robot);
    state->waited_us += robot->dt_us;
    bool looked = robot->still_us >= longest || state->waited_us >= patience;
    if (looked) {
        state->waited_us = 0;
    }
    return looked;
}

#if CMO_SLIDING
bool cmi_line_rolls_off(const cmo_robot *robot, const cmo_line_state *state) {
    float error;
    float speed = cmo_speed_mm_s(robot);
    // The body may slide on for a while after its wheels.
    bool looked = 2 * state->waited_us >= 3 * look_us(robot);
    if (!looked || fabsf(speed) > ROLLS_MM_S || !cmi_line_edge_error(robot, state, &error)) {
        return false;
    }
    bool nears = error * speed < 0.0F && fabsf(error) < ROLLS_S * fabsf(speed);
    return fabsf(error) > ROLLS_OFF_MM + 0.5F * robot->description->gear_play_mm && !nears;
}
#endif

float cmi_line_off_rest(const cmo_robot *robot, const cmo_line_state *state, float beyond_mm) {
    if (state->parameters.rest == CMO_REST_HALTED) {
        return beyond_mm;
    }
    // Where the sensors stand over an edge, its reading says it better than the encoders. A quick
    // stop may well stand over the other one.
    float error;
    if (state->parameters.effort != CMO_EFFORT_QUICK && cmi_line_edge_error(robot, state, &error)) {
        return error;
    }
    float to_go = cmi_line_to_rest(robot, state);
    bool from_edge =
        state->then_rest != CMO_REST_HALTED; // seen at rest: nothing rolled before that
    return CMO_SLIDING && !from_edge ? cmi_line_stands_mm(robot, state) - to_go : -to_go;
}

void cmi_line_write_slip(cmo_robot *robot, const cmo_line_state *state) {
    uint8_t sensor = cmi_line_first(robot, state);
    const cmo_candidate *candidate = &state->candidate[sensor];
    edge_word word[CMO_LIGHTS_MAX];
    bool seen;
    float off = edge_off(robot, state, word, &seen);
    bool edge = seen && cmi_line_rests_on_edge(robot, state);
    if (edge || candidate->corrected) {
        float crossed = robot->report.crossing_mm + cmi_start_way(robot, sensor);
        cmi_set_figure(robot, CMO_SLIP_MM, crossed - candidate->near.way_mm + (edge ? off : 0.0F));
    }
}
