// SPDX-License-Identifier: MIT
#include "budget.h"

#include "description.h"
#include "trig.h"

#include <math.h>

#define TYRE_MARGIN_MM 10.0F
// Of the way within which a bend leaves the spot, what a robot may drive until it has answered; and
// by how much a bend may have turned by then whose radius is the spot's way ahead of the axle. It
// takes so much longer than its first answer until it turns with the edge; and of the spot, what
// may lie between two looks.
#define BEND_WAYS  1.7F
#define BEND_RAD   0.24F
#define AHEAD_MM   25.0F // at least
#define BEND_S     0.1F
#define LOOK_SPOTS 1.0F // from one look to the next
// Along a straight or a wider bend than this it is no faster: not only bends take it off.
#define WIDEST_MM 400.0F
// At speed a line's end and a bend look alike: where it has gaps, this share of it.
#define GAP_SHARE 0.45F
// A spot that stands aside goes round a bend whose middle lies near to the axle while that hardly
// goes on. From this share of the spot's speed on it is the slower, down to where none would do.
#define AXLE_EASY  0.4F
#define AXLE_LEAST 0.3F
// A wider spot sees the bend for longer, but more vaguely.
#define BEND_SPOT_MM 8.0F

static float seconds(uint32_t us) {
    return (float)us * 1e-6F;
}

static float interval_s(const cmo_robot_description *d, uint8_t sensor) {
    uint32_t interval_us = d->light[sensor].interval_us;
    return seconds(interval_us != 0 ? interval_us : d->tick_us);
}

// From what is under a spot until the wheels have answered, at worst.
static float answer_s(const cmo_robot_description *d, uint8_t sensor) {
    return interval_s(d, sensor) + seconds(d->light[sensor].delay_us + d->tick_us) +
           cmi_budget_lag_s(d);
}

cmo_budget cmo_budget_at(const cmo_robot_description *d, uint8_t sensor, float speed_mm_s,
                         float braking_mm_s2) {
    float braking = braking_mm_s2 > 0.0F ? braking_mm_s2 : d->braking_mm_s2;
    cmo_budget b = {
        .look_mm = speed_mm_s * interval_s(d, sensor),
        .delay_mm = speed_mm_s * seconds(d->light[sensor].delay_us),
        .tick_mm = speed_mm_s * seconds(d->tick_us),
        .lag_mm = speed_mm_s * cmi_budget_lag_s(d),
        .braking_mm = speed_mm_s * speed_mm_s / (2.0F * braking),
    };
    b.total_mm = b.look_mm + b.delay_mm + b.tick_mm + b.lag_mm + b.braking_mm;
    return b;
}

float cmo_budget_speed(const cmo_robot_description *d, uint8_t sensor, float distance_mm,
                       float braking_mm_s2) {
    if (!(distance_mm > 0.0F)) {
        return 0.0F;
    }
    float braking = braking_mm_s2 > 0.0F ? braking_mm_s2 : d->braking_mm_s2;
    float time_s = answer_s(d, sensor);
    float speed = cmi_stops_from_mm_s(distance_mm, time_s, braking);
    return fminf(speed, d->top_speed_mm_s);
}

float cmo_budget_width(const cmo_robot_description *d, uint16_t traits, float speed_mm_s) {
    float longest_s = 0.0F;
    for (uint8_t i = 0; i < cmi_front_lights(d); i++) {
        float here = interval_s(d, i);
        // Without times of their own, looks are known to a tick alone.
        here = traits & CMO_TRAIT_LOOK_TIMES ? here : fmaxf(here, seconds(d->tick_us));
        longest_s = fmaxf(longest_s, here);
    }
    return speed_mm_s * longest_s / CMO_PROOF_SHARE;
}

// On a way s a straight edge that becomes a bend of radius r leaves the spot by s^2 / 2 r, and one
// bend that becomes its opposite by twice that. Where the bend is hardly wider than the spot is
// ahead, the robot has to turn further than the edge.
float cmi_budget_follow(const cmo_robot_description *d, uint8_t sensor, float aside_mm,
                        float tightest_mm, bool gaps) {
    const cmo_light_description *light = &d->light[sensor];
    float bend = fminf(tightest_mm, WIDEST_MM);
    float looks = LOOK_SPOTS * light->spot_mm / interval_s(d, sensor);
    float leaves = sqrtf(0.5F * fminf(light->spot_mm, BEND_SPOT_MM) * bend);
    float turns = tightest_mm * sqrtf(tightest_mm / fmaxf(fabsf(light->ahead_mm), AHEAD_MM));
    float axle = 1.0F - aside_mm / tightest_mm;
    float eases = axle < AXLE_LEAST ? 0.0F : fminf(axle / AXLE_EASY, 1.0F);
    float way = eases * fminf(BEND_WAYS * leaves, BEND_RAD * turns);
    float speed = fminf(fminf(way / (answer_s(d, sensor) + BEND_S), looks), d->top_speed_mm_s);
    return gaps ? GAP_SHARE * speed : speed;
}

float cmo_budget_follow(const cmo_robot_description *d, uint8_t sensor, float tightest_mm,
                        bool gaps) {
    return cmi_budget_follow(d, sensor, fabsf(d->light[sensor].left_mm), tightest_mm, gaps);
}

float cmi_budget_tightest_mm(float aside_mm) {
    return aside_mm / (1.0F - AXLE_LEAST);
}

// Turned by e, a spot that is a ahead and s aside lies a cos e + s sin e before the axle, along the
// normal of the edge that it meets, and a tyre's outer end, h aside, h sin e. Along the robot's way
// that leaves a - (h - s) tan e. Where the other sensor has to meet it, its s is negative.
float cmo_budget_reach(const cmo_robot_description *d, float largest_entry_deg, bool either) {
    float sine, cosine;
    cmi_sin_cos(cmi_radians(largest_entry_deg), &sine, &cosine);
    float tangent = sine / fmaxf(cosine, 1e-3F);
    uint8_t sensors = cmi_front_lights(d);
    bool first = either && sensors > 1;
    float least = sensors > 0 ? INFINITY : 0.0F;
    for (uint8_t i = 0; i < sensors; i++) {
        float aside = fabsf(d->light[i].left_mm);
        float beside = cmi_half_width_mm(d) - (first ? aside : -aside);
        float contact = fmaxf(d->front_mm, beside * tangent);
        least = fminf(least, d->light[i].ahead_mm - contact - TYRE_MARGIN_MM);
    }
    return least;
}

// Tyres that slide in a halt pass on less than what is stated of them: a ball that bears half of
// the weight brakes nothing.
#define SURE_BRAKING 0.75F

float cmo_budget_edge_speed(const cmo_robot_description *d, float largest_entry_deg, bool either,
                            float braking_mm_s2) {
    float stated = fmaxf(d->braking_mm_s2, d->stated_braking_mm_s2);
    float sure = d->grip_mm_s2 > 0.0F ? d->grip_mm_s2 : SURE_BRAKING * stated;
    float braking = fminf(braking_mm_s2 > 0.0F ? braking_mm_s2 : d->braking_mm_s2, sure);
    float reach = cmo_budget_reach(d, largest_entry_deg, either);
    float speed = INFINITY;
    for (uint8_t i = 0; i < cmi_front_lights(d); i++) {
        speed = fminf(speed, cmo_budget_speed(d, i, reach, braking));
    }
    return isfinite(speed) ? speed : 0.0F;
}
