// SPDX-License-Identifier: GPL-3.0-or-later
#include "wild_port.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

// -------------------------------------------------------------------------------------- chance --

// SplitMix64, by Vigna; in the public domain. Or the next bytes that were given.
static uint64_t roll(dice *d) {
    if (d->left >= 2) {
        d->left -= 2;
        d->bytes += 2;
        d->state ^= (uint64_t)(d->bytes[-2] | d->bytes[-1] << 8);
    }
    uint64_t z = d->state += 0x9E3779B97F4A7C15U;
    z = (z ^ z >> 30) * 0xBF58476D1CE4E5B9U;
    z = (z ^ z >> 27) * 0x94D049BB133111EBU;
    return z ^ z >> 31;
}

double dice_unit(dice *d) {
    return (double)(roll(d) >> 11) / 9007199254740992.0;
}

bool dice_chance(dice *d, double share) {
    return dice_unit(d) < share;
}

unsigned dice_pick(dice *d, unsigned count) {
    return (unsigned)(roll(d) % count);
}

float dice_between(dice *d, double low, double high) {
    return (float)(low + (high - low) * dice_unit(d));
}

// A parameter: as a rule its default or one that makes sense, now and then one that does not.
float dice_number(dice *d, double low, double high) {
    static const float odd[] = {NAN,  INFINITY, -INFINITY, 1.4e-45F, -1e30F,
                                1e30, -1.0F,    1e-20F,    65536.0F};
    if (dice_chance(d, 0.4)) {
        return 0.0F;
    }
    return dice_chance(d, 0.01) ? odd[dice_pick(d, sizeof odd / sizeof *odd)]
                                : dice_between(d, low, high);
}

// ---------------------------------------------------------------------------------------- port --

void wild_complain(wild *w, const char *what) {
    if (w->wrong == NULL) {
        w->wrong = what;
    }
}

void wild_go(wild *w, uint32_t us) {
    for (uint32_t done = 0; done < us;) {
        uint32_t step = us - done < 5000 ? us - done : 5000;
        double s = step * 1e-6;
        if ((int32_t)(w->clock_us - w->deadline_us) >= 0) {
            w->left_set = w->right_set = 0.0;
        }
        double share = 1.0 - exp(-1000.0 * s / (w->lag_ms + 0.1));
        w->left_mm_s += share * (w->left_set - w->left_mm_s);
        w->right_mm_s += share * (w->right_set - w->right_mm_s);
        double way = 0.5 * (w->left_mm_s + w->right_mm_s) * s;
        w->left_mm += w->left_mm_s * s;
        w->right_mm += w->right_mm_s * s;
        w->heading_rad += (w->right_mm_s - w->left_mm_s) * s / (double)w->description.track_mm;
        w->x_mm += way * cos(w->heading_rad);
        w->y_mm += way * sin(w->heading_rad);
        w->clock_us += step;
        done += step;
    }
}

static uint32_t wild_clock(void *context) {
    wild *w = context;
    if (dice_chance(&w->dice, w->clock_jumps)) {
        wild_go(w, (uint32_t)(roll(&w->dice) % 300000U));
    }
    if (dice_chance(&w->dice, w->clock_back)) {
        w->clock_us -= (uint32_t)roll(&w->dice) >> dice_pick(&w->dice, 32);
    }
    return w->clock_us;
}

static void wild_wait(void *context, uint32_t until_us) {
    wild *w = context;
    uint32_t left = until_us - w->clock_us;
    if (!dice_chance(&w->dice, w->clock_stands)) {
        wild_go(w, left < 100000 ? left : 0);
    }
}

static double floor_at(const wild *w, double x_mm, double y_mm) {
    if (w->boundary) {
        return fabs(x_mm) > 400.0 || fabs(y_mm) > 350.0 ? 0.0 : 1.0;
    }
    double place = fmod(fabs(x_mm), 350.0);
    return place > 300.0 && place < 320.0 ? 0.0 : 1.0;
}

static void see(wild *w, cmo_sample *sample) {
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        const cmo_light_description *light = &w->description.light[i];
        cmo_light_input *input = &sample->light[i];
        double c = cos(w->heading_rad);
        double s = sin(w->heading_rad);
        double x = w->x_mm + (double)light->ahead_mm * c - (double)light->left_mm * s;
        double y = w->y_mm + (double)light->ahead_mm * s + (double)light->left_mm * c;
        input->looks = (uint8_t)(dice_chance(&w->dice, w->no_looks) ? 0 : 1);
        if (dice_chance(&w->dice, w->odd_looks)) {
            input->looks = (uint8_t)dice_pick(&w->dice, 2 * CMO_LOOKS_MAX);
        }
        for (uint8_t n = 0; n < input->looks && n < CMO_LOOKS_MAX; n++) {
            double counts = 100.0 + 500.0 * floor_at(w, x, y) + 5.0 * dice_unit(&w->dice);
            bool odd = dice_chance(&w->dice, w->odd_looks);
            input->look[n].counts = (uint16_t)(odd ? roll(&w->dice) : (uint64_t)counts);
            input->look[n].time_us = odd ? (uint32_t)roll(&w->dice) : w->clock_us;
            input->look[n].sequence = odd ? (uint8_t)roll(&w->dice) : ++w->sequence[i];
#if CMO_SURFACES_MAX > 0
            for (unsigned k = 0; k < CMO_COLOURS; k++) {
                double channel = odd ? (double)(uint16_t)roll(&w->dice) : counts / (k + 1.0);
                input->look[n].colour[k] = (uint16_t)channel;
            }
#endif
        }
        if (dice_chance(&w->dice, 0.2 * w->odd_looks)) {
            input->latched = true;
            input->latch = (cmo_latch){(uint32_t)roll(&w->dice), 0, 0, (uint8_t)roll(&w->dice),
                                       dice_chance(&w->dice, 0.5)};
        }
    }
}

static cmo_status wild_sample(void *context, cmo_sample *sample) {
    wild *w = context;
    dice *d = &w->dice;
    w->calls++;
    if (dice_chance(d, w->sample_fails)) {
        return CMO_FAILED;
    }
    if (!dice_chance(d, w->no_counts)) {
        sample->have |= CMO_HAVE_ENCODERS;
        if (dice_chance(d, w->counts_jump)) {
            w->offset[dice_pick(d, 2)] += (uint32_t)roll(d) >> dice_pick(d, 32);
        }
        double step = (double)w->description.left_step_mm;
        sample->encoders.time_us = w->clock_us;
        sample->encoders.left = (uint32_t)(int64_t)floor(w->left_mm / step) + w->offset[0];
        step = (double)w->description.right_step_mm;
        sample->encoders.right = (uint32_t)(int64_t)floor(w->right_mm / step) + w->offset[1];
    }
    see(w, sample);
    sample->have |= CMO_HAVE_BUTTONS | CMO_HAVE_TOUCH | CMO_HAVE_RANGE | CMO_HAVE_HEADING;
    sample->start = dice_chance(d, 0.02);
    sample->stop = dice_chance(d, w->buttons);
    sample->touch = (uint8_t)(dice_chance(d, w->buttons) ? roll(d) : 0);
    sample->range_mm = dice_between(d, 0, 3000);
    sample->heading_deg = (float)(w->heading_rad * 57.29577951308232);
    if (dice_chance(d, w->odd_sample)) {
        sample->have = (uint16_t)roll(d);
        sample->range_mm = dice_number(d, -10, 10);
        sample->heading_deg = dice_chance(d, 0.5) ? NAN : dice_number(d, -1e6, 1e6);
    }
    return dice_chance(d, w->sample_not_yet) ? CMO_NOT_YET : CMO_OK;
}

static cmo_status wild_drive(void *context, float left, float right, uint32_t lifetime_us) {
    wild *w = context;
    float most =
        w->port.traits & CMO_TRAIT_SPEED ? CMO_COMMAND_MOST * w->description.top_speed_mm_s : 1.0F;
    w->calls++;
    w->drives++;
    w->last_is_halt = false;
    if (!isfinite(left) || !isfinite(right)) {
        wild_complain(w, "a command that is no number");
    } else if (fabsf(left) > most || fabsf(right) > most) {
        wild_complain(w, "a command beyond its bound");
    }
    if (lifetime_us == 0 || lifetime_us > 10000000) {
        wild_complain(w, "a lifetime beyond its bounds");
    }
    if (dice_chance(&w->dice, w->drive_fails)) {
        return CMO_FAILED;
    }
    if (dice_chance(&w->dice, w->drive_not_yet)) {
        return CMO_NOT_YET;
    }
    double scale = w->port.traits & CMO_TRAIT_SPEED ? 1.0 : (double)w->description.full_duty_mm_s;
    w->left_set = (double)left * scale;
    w->right_set = (double)right * scale;
    w->deadline_us = w->clock_us + lifetime_us;
    return CMO_OK;
}

static cmo_status wild_halt(void *context, cmo_halt how) {
    static const uint16_t traits[] = {0, CMO_TRAIT_COAST, CMO_TRAIT_BRAKE, CMO_TRAIT_HOLD};
    wild *w = context;
    w->calls++;
    w->halts++;
    w->last_is_halt = true;
    w->last_halt_ok = w->halt_fails == 0;
    if (how < CMO_HALT_COAST || how > CMO_HALT_HOLD || !(w->port.traits & traits[how])) {
        wild_complain(w, "a halt that the port does not have");
    }
    if (w->halt_fails > 0) {
        w->halt_fails--;
        return w->halt_failure;
    }
    w->left_set = w->right_set = 0.0;
    return CMO_OK;
}

// --------------------------------------------------------------------------------------- robot --

void wild_draw_description(wild *w) {
    dice *d = &w->dice;
    cmo_robot_description *r = &w->description;
    *r = (cmo_robot_description){
        .tick_us = 1000 + dice_pick(d, 24001),
        .track_mm = dice_between(d, 60, 200),
        .left_step_mm = dice_between(d, 0.1, 2),
        .encoder_bits = (uint8_t)(dice_chance(d, 0.3) ? 0 : 12 + dice_pick(d, 21)),
        .gear_play_mm = dice_chance(d, 0.5) ? 0.0F : dice_between(d, 0, 2),
        .tyre_mm = dice_chance(d, 0.5) ? 0.0F : dice_between(d, 2, 20),
        .top_speed_mm_s = dice_between(d, 100, 1000),
        .slowest_mm_s = dice_chance(d, 0.3) ? 0.0F : dice_between(d, 1, 40),
        .acceleration_mm_s2 = dice_between(d, 500, 5000),
        .braking_mm_s2 = dice_between(d, 500, 5000),
        .lag_ms = dice_chance(d, 0.2) ? 0.0F : dice_between(d, 0, 100),
        .full_duty_mm_s = dice_between(d, 300, 1000),
        .dead_duty = dice_chance(d, 0.5) ? 0.0F : dice_between(d, 0, 0.3),
        .drift_most = dice_chance(d, 0.5) ? 0.0F : dice_between(d, 0, 0.2),
        .lights =
            (uint8_t)(dice_chance(d, 0.2) ? dice_pick(d, CMO_LIGHTS_MAX + 1) : CMO_LIGHTS_MAX),
    };
    r->right_step_mm = r->left_step_mm * dice_between(d, 0.99, 1.01);
    r->lifetime_us = dice_chance(d, 0.7) ? 0 : 2 * r->tick_us + dice_pick(d, 200000);
    for (uint8_t i = 0; i < CMO_LIGHTS_MAX; i++) {
        r->light[i] = (cmo_light_description) {
            .ahead_mm = i < 2 ? dice_between(d, 50, 100) : dice_between(d, -60, 60),
            .left_mm = (i % 2 == 0 ? 1.0F : -1.0F) * dice_between(d, 15, 70),
            .spot_mm = dice_chance(d, 0.2) ? 0.0F : dice_between(d, 2, 10),
            .delay_us = dice_pick(d, 20000),
            .interval_us = dice_chance(d, 0.3) ? 0 : 1000 + dice_pick(d, 20000),
            .counts_max = (uint16_t)(dice_chance(d, 0.5) ? 0 : 1023),
#if CMO_SURFACES_MAX > 0
            .colour = dice_chance(d, 0.3),
            .colour_us = dice_chance(d, 0.8) ? 0 : dice_pick(d, 5000),
#endif
        };
    }
}

static double seldom(dice *d, double share, double often) {
    return dice_chance(d, share) ? often * dice_unit(d) * dice_unit(d) : 0.0;
}

void wild_draw_port(wild *w) {
    dice *d = &w->dice;
    uint16_t halts = (uint16_t)((1 + dice_pick(d, 7)) * CMO_TRAIT_COAST);
    uint16_t others = (uint16_t)(roll(d) & (CMO_TRAIT_RANGE | CMO_TRAIT_TOUCH | CMO_TRAIT_START |
                                            CMO_TRAIT_STOP | CMO_TRAIT_LOOK_TIMES));
    w->port = (cmo_port){.context = w,
                         .traits = (uint16_t)(halts | others),
                         .clock = wild_clock,
                         .wait = wild_wait,
                         .sample = wild_sample,
                         .drive = wild_drive,
                         .halt = wild_halt};
    w->port.traits |= (uint16_t)(dice_chance(d, 0.8) ? CMO_TRAIT_ENCODERS : 0);
    w->port.traits |= (uint16_t)(dice_chance(d, 0.7) ? CMO_TRAIT_SPEED : 0);
    w->port.traits |= (uint16_t)(dice_chance(d, 0.2) ? CMO_TRAIT_HEADING : 0);
    w->clock_us = (uint32_t)roll(d);
    w->lag_ms = (double)w->description.lag_ms * (0.5 + dice_unit(d));
    w->boundary = dice_chance(d, 0.4);
    w->sample_not_yet = seldom(d, 0.3, 1);
    w->sample_fails = seldom(d, 0.2, 0.05);
    w->drive_not_yet = dice_chance(d, 0.05) ? 1.0 : seldom(d, 0.3, 1);
    w->drive_fails = seldom(d, 0.2, 0.05);
    w->no_counts = dice_chance(d, 0.05) ? 1.0 : seldom(d, 0.3, 0.8);
    w->no_looks = dice_chance(d, 0.05) ? 1.0 : seldom(d, 0.3, 0.8);
    w->odd_looks = seldom(d, 0.3, 1);
    w->counts_jump = seldom(d, 0.2, 0.1);
    w->clock_jumps = seldom(d, 0.2, 0.1);
    w->clock_back = seldom(d, 0.1, 0.1);
    w->clock_stands = dice_chance(d, 0.03) ? 1.0 : seldom(d, 0.2, 0.9);
    w->odd_sample = seldom(d, 0.2, 0.5);
    w->buttons = seldom(d, 0.3, 0.02);
    w->halt_failure = dice_chance(d, 0.5) ? CMO_FAILED : CMO_NOT_YET;
    w->halt_fails = dice_chance(d, 0.2) ? dice_pick(d, 30) : dice_chance(d, 0.05) ? 1000000U : 0;
}

void wild_heal(wild *w) {
    w->sample_not_yet = w->sample_fails = w->drive_not_yet = w->drive_fails = 0.0;
    w->no_counts = w->no_looks = w->odd_looks = w->counts_jump = w->clock_jumps = 0.0;
    w->clock_back = w->clock_stands = w->odd_sample = w->buttons = 0.0;
    w->halt_fails = 0;
}
