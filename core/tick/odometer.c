// SPDX-License-Identifier: MIT
#include "odometer.h"

#include "../shared/trig.h"

#include <math.h>

// Degrees from `before` to `now`, the short way round.
static float heading_change(float now, float before) {
    float change = now - before;
    return change - 360.0F * floorf(change / 360.0F + 0.5F);
}

// Where the port has a heading, the turn is taken from it and the way from the wheels: each wheel
// is taken to have gone by what makes the two agree. A turn that the wheels cannot have missed (the
// sensor was set to another value) is not believed.
static void take_heading(cmo_odometer *odometer, float track_mm, const cmo_sample *sample,
                         float *left_mm, float *right_mm) {
    odometer->since_heading_rad += (*right_mm - *left_mm) / track_mm;
    if (!(sample->have & CMO_HAVE_HEADING) || !isfinite(sample->heading_deg)) {
        return;
    }
    float turn = cmi_radians(heading_change(sample->heading_deg, odometer->heading_deg));
    float missed = turn - odometer->since_heading_rad;
    if (odometer->has_heading && fabsf(missed) < 0.35F) {
        *left_mm -= 0.5F * missed * track_mm;
        *right_mm += 0.5F * missed * track_mm;
    }
    odometer->heading_deg = sample->heading_deg;
    odometer->since_heading_rad = 0.0F;
    odometer->has_heading = true;
}

// Adds what has been lost of the last additions too (Kahan, Further Remarks on Reducing Truncation
// Errors, 1965): a hundred metres on, a float takes no less than 8 um at a time, always to the same
// side where the steps are alike.
static void add_way(float *sum, float *rest, float way) {
    float due = way - *rest;
    float next = *sum + due;
    *rest = (next - *sum) - due;
    *sum = next;
}

static float turn_of(const cmo_odometer *odometer, float track_mm) {
    return (odometer->right_mm - odometer->left_mm) / track_mm;
}

void cmi_odometer_set_heading(cmo_odometer *odometer, const cmo_robot_description *description,
                              float heading_rad) {
    odometer->origin_rad = heading_rad - turn_of(odometer, description->track_mm);
    odometer->pose.heading_rad = heading_rad;
}

static void move(cmo_odometer *odometer, float track_mm, float left_mm, float right_mm) {
    float way = 0.5F * (left_mm + right_mm);
    float turn = (right_mm - left_mm) / track_mm;
    float middle = odometer->pose.heading_rad + 0.5F * turn;
    // The chord of an arc is shorter than the arc: 2 sin(turn / 2) / turn = 1 - turn^2 / 24 + ...
    float chord = way * (1.0F - turn * turn * (1.0F / 24.0F));
    float sine, cosine;
    cmi_sin_cos(middle, &sine, &cosine);
    odometer->pose.x_mm += chord * cosine;
    odometer->pose.y_mm += chord * sine;
    add_way(&odometer->left_mm, &odometer->left_rest, left_mm);
    add_way(&odometer->right_mm, &odometer->right_rest, right_mm);
    odometer->pose.heading_rad = odometer->origin_rad + turn_of(odometer, track_mm);
}

void cmi_recentre_wheels(cmo_robot *robot) {
#if CMO_SLIDING
    if (robot->port->traits & CMO_TRAIT_ENCODERS) {
        float left = -robot->left.within_mm;
        float right = -robot->right.within_mm;
        robot->left.within_mm = robot->right.within_mm = 0.0F;
        robot->still_left_mm += left; // nor has it moved
        robot->still_right_mm += right;
        float track_mm = robot->description->track_mm;
        robot->odometer.since_heading_rad += (right - left) / track_mm;
        move(&robot->odometer, track_mm, left, right);
    }
#else
    (void)robot;
#endif
}

// Moments are kept at a spacing that spans the longest delay of a sensor.
static void remember(cmo_odometer *odometer, const cmo_robot_description *description,
                     uint32_t time_us) {
    uint32_t span = 0;
    for (uint8_t i = 0; i < description->lights; i++) {
        const cmo_light_description *light = &description->light[i];
        uint32_t needed = light->delay_us + light->interval_us;
        span = needed > span ? needed : span;
    }
    uint32_t spacing = (span + 2 * description->tick_us) / (CMO_HISTORY - 2);
    cmo_moment *newest = &odometer->history[odometer->newest];
    bool room = true;
    if (odometer->moments >= 2) {
        uint8_t before = (uint8_t)((odometer->newest + CMO_HISTORY - 1) % CMO_HISTORY);
        // The newest entry is overwritten until it lies far enough behind the one before it.
        room = newest->time_us - odometer->history[before].time_us >= spacing;
    }
    if (room) {
        if (odometer->moments > 0) {
            odometer->newest = (uint8_t)((odometer->newest + 1) % CMO_HISTORY);
        }
        if (odometer->moments < CMO_HISTORY) {
            odometer->moments++;
        }
        newest = &odometer->history[odometer->newest];
    }
    newest->time_us = time_us;
    newest->left_mm = odometer->left_mm;
    newest->right_mm = odometer->right_mm;
}

bool cmi_odometer_counts(cmo_odometer *odometer, const cmo_robot_description *description,
                         const cmo_sample *sample, uint32_t dt_us, cmi_counted counted[2]) {
    const uint32_t now[2] = {sample->encoders.left, sample->encoders.right};
    uint32_t *const before[2] = {&odometer->left_counts, &odometer->right_counts};
    counted[0].step_mm = description->left_step_mm;
    counted[1].step_mm = description->right_step_mm;
    // Pushed by hand or rolling downhill a robot may be faster than its motors; twice the top
    // speed and some steps are beyond anything.
    float most = 2.0F * description->top_speed_mm_s * (float)dt_us * 1e-6F + 5.0F;
    uint8_t bits = description->encoder_bits;
    uint32_t sign = (uint32_t)1 << ((bits == 0 ? 32 : bits) - 1); // of a difference
    bool good = true;
    for (uint8_t i = 0; i < 2; i++) {
        uint32_t difference = (odometer->started ? now[i] - *before[i] : 0) & (2 * sign - 1);
        *before[i] = now[i];
        float step = counted[i].step_mm;
        counted[i].way_mm = step * (float)(int32_t)((difference ^ sign) - sign);
        good = good && fabsf(counted[i].way_mm) <= most + 4.0F * step;
    }
    return good;
}

void cmi_odometer_go(cmo_odometer *odometer, const cmo_robot_description *description,
                     const cmo_sample *sample, float left_mm, float right_mm, uint32_t time_us) {
    take_heading(odometer, description->track_mm, sample, &left_mm, &right_mm);
    move(odometer, description->track_mm, left_mm, right_mm);
    odometer->started = true;
    remember(odometer, description, time_us);
}

cmo_moment cmi_odometer_at(const cmo_odometer *odometer, uint32_t time_us) {
    const cmo_moment *later = &odometer->history[odometer->newest];
    if (odometer->moments < 2) {
        return *later;
    }
    uint8_t at = odometer->newest;
    const cmo_moment *earlier = later;
    for (uint8_t i = 1; i < odometer->moments; i++) {
        at = (uint8_t)((at + CMO_HISTORY - 1) % CMO_HISTORY);
        earlier = &odometer->history[at];
        if ((int32_t)(time_us - earlier->time_us) >= 0 || i + 1 == odometer->moments) {
            break;
        }
        later = earlier;
    }
    float span = (float)(later->time_us - earlier->time_us);
    float share = span > 0.0F ? (float)(int32_t)(time_us - earlier->time_us) / span : 1.0F;
    // A time beyond the newest moment goes on at the last speed, but not for long; one before the
    // oldest is as good as the oldest.
    share = share < 0.0F ? 0.0F : share > 3.0F ? 3.0F : share;
    cmo_moment moment = {
        .time_us = time_us,
        .left_mm = earlier->left_mm + share * (later->left_mm - earlier->left_mm),
        .right_mm = earlier->right_mm + share * (later->right_mm - earlier->right_mm),
    };
    return moment;
}

float cmi_sensor_way(const cmo_robot_description *description, uint8_t sensor, float left_mm,
                     float right_mm) {
    float turn = (right_mm - left_mm) / description->track_mm;
    return 0.5F * (left_mm + right_mm) - turn * description->light[sensor].left_mm;
}
