// SPDX-License-Identifier: GPL-3.0-or-later
#include "ideal.h"

#include <math.h>
#include <string.h>

void start_ideal(ideal *r, uint16_t traits) {
    memset(r, 0, sizeof *r);
    start_paper(&r->paper, traits);
    r->description = plain_robot;
    r->description.lag_ms = 0;
    r->line_mm = 1e9;
    r->width_mm = 20;
    ck_assert_int_eq(cmo_robot_start(&r->robot, &r->description, &r->paper.port), CMO_OUTCOME_DONE);
    cmo_levels levels = {.dark = 100, .light = 700, .void_counts = CMO_LEVEL_UNKNOWN, .noise = 4};
    for (uint8_t i = 0; i < 2; i++) {
        ck_assert_int_eq(cmo_robot_set_levels(&r->robot, i, &levels), CMO_OUTCOME_DONE);
    }
}

void start_all(ideal *r) {
    start_ideal(r, ALL_TRAITS);
    r->paper.sample.have |= CMO_HAVE_RANGE | CMO_HAVE_TOUCH | CMO_HAVE_BUTTONS;
    r->paper.sample.range_mm = 5000;
}

// What a spot reads whose middle is at a place.
static uint16_t reading(const ideal *r, double place_mm) {
    double spot = (double)r->description.light[0].spot_mm;
    double in = fmin(place_mm + 0.5 * spot, r->line_mm + r->width_mm) -
                fmax(place_mm - 0.5 * spot, r->line_mm);
    double floor = r->floor_counts > 0.0 ? r->floor_counts : 700.0;
    return (uint16_t)(floor + (100.0 - floor) * fmax(0.0, fmin(in / spot, 1.0)) + 0.5);
}

cmo_outcome turn(ideal *r, uint32_t us) {
    paper_port *p = &r->paper;
    bool drives = p->drives > 0 && !p->halted && r->robot.halt == 0 && p->drive_answer == CMO_OK;
    double s = us * 1e-6;
    double most = r->fastest_mm_s > 0.0 ? r->fastest_mm_s : 1e9;
    r->left_mm += drives ? CLAMP((double)p->left, -most, most) * s : 0.0;
    r->right_mm += drives ? CLAMP((double)p->right, -most, most) * s : 0.0;
    if (r->drive_fails_mm > 0.0 && r->left_mm >= r->drive_fails_mm) {
        p->drive_answer = CMO_FAILED;
    }
    r->left_mm += r->pushed_mm;
    r->right_mm += r->pushed_mm;
    p->clock_us += us;
    r->ticks++;
    p->sample.encoders.left =
        (uint32_t)(int32_t)floor(r->left_mm / 0.5) + (r->dithers && r->ticks & 1U);
    p->sample.encoders.right = (uint32_t)(int32_t)floor(r->right_mm / 0.5);
    r->sequence++;
    for (int i = 0; i < 2; i++) {
        double place = (i == 0 ? r->left_mm : r->right_mm) + 70.0;
        p->sample.light[i].looks = 1;
        p->sample.light[i].look[0] = (cmo_look){
            .time_us = p->clock_us + 10000, .counts = reading(r, place), .sequence = r->sequence};
    }
    return cmo_tick(&r->robot);
}

cmo_outcome run_ideal(ideal *r, cmo_outcome started, unsigned most_ticks) {
    ck_assert_int_eq(started, CMO_RUNNING);
    cmo_outcome outcome = CMO_RUNNING;
    for (unsigned i = 0; i < most_ticks && outcome == CMO_RUNNING; i++) {
        outcome = turn(r, r->description.tick_us);
    }
    return outcome;
}
