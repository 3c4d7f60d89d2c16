// SPDX-License-Identifier: GPL-3.0-or-later
#include "practice.h"

#include <glib.h>
#include <math.h>
#include <string.h>

#define LONGEST_MS 40000.0

// One turn of the loop: wait, read.
static void look(practice *p) {
    cmo_sample sample;
    memset(&sample, 0, sizeof sample);
    uint32_t now = p->port->clock(p->port->context);
    p->port->wait(p->port->context, now + p->tick_us);
    p->port->sample(p->port->context, &sample);
    p->elapsed_ms += p->tick_us / 1000.0;
    for (int i = 0; i < 2; i++) {
        if (sample.light[i].looks > 0) {
            p->counts[i] = sample.light[i].look[sample.light[i].looks - 1].counts;
        }
    }
    p->way_mm[0] = (int16_t)sample.encoders.left * p->step_mm;
    p->way_mm[1] = (int16_t)sample.encoders.right * p->step_mm;
}

// As much duty as a speed takes.
static double duty_of(const practice *p, double speed) {
    double sign = speed < 0.0 ? -1.0 : speed > 0.0 ? 1.0 : 0.0;
    return CLAMP(sign * p->dead_duty + (1.0 - p->dead_duty) * speed / p->full_mm_s, -1.0, 1.0);
}

static void drive(practice *p, double left, double right) {
    if (p->full_mm_s > 0.0) {
        left = duty_of(p, left);
        right = duty_of(p, right);
    }
    p->port->drive(p->port->context, (float)left, (float)right, 100000);
}

static bool sees(const practice *p, int sensor) {
    bool below = p->counts[sensor] < p->threshold[sensor];
    return (below != p->inverted) != p->light;
}

static void wait_ms(practice *p, double ms) {
    for (double until = p->elapsed_ms + ms; p->elapsed_ms < until;) {
        look(p);
    }
}

static void stop(practice *p) {
    p->port->halt(p->port->context, CMO_HALT_BRAKE);
    wait_ms(p, 200);
}

static void begin(practice *p) {
    p->elapsed_ms = 0.0;
    p->counts[0] = p->counts[1] = p->light != p->inverted ? 0.0 : 65535.0;
    look(p);
    look(p);
}

bool practice_stop(practice *p, double speed_mm_s) {
    begin(p);
    while (!sees(p, 0) && !sees(p, 1)) {
        drive(p, speed_mm_s, speed_mm_s);
        look(p);
        if (p->elapsed_ms > LONGEST_MS) {
            break;
        }
    }
    stop(p);
    return p->elapsed_ms < LONGEST_MS;
}

bool practice_follow(practice *p, double speed_mm_s, double share, bool on_off, double way_mm) {
    begin(p);
    while (0.5 * (p->way_mm[0] + p->way_mm[1]) < way_mm && p->elapsed_ms < LONGEST_MS) {
        double off = CLAMP((p->counts[1] - p->threshold[1]) / p->span[1], -1.0, 1.0);
        off = !on_off ? off : off > 0.0 ? 1.0 : -1.0;
        drive(p, speed_mm_s * (1.0 + share * off), speed_mm_s * (1.0 - share * off));
        look(p);
    }
    stop(p);
    return p->elapsed_ms < LONGEST_MS;
}

bool practice_count(practice *p, double speed_mm_s, unsigned number) {
    begin(p);
    bool was = sees(p, 0);
    for (unsigned counted = 0; counted < number && p->elapsed_ms < LONGEST_MS;) {
        drive(p, speed_mm_s, speed_mm_s);
        look(p);
        counted += sees(p, 0) && !was;
        was = sees(p, 0);
    }
    stop(p);
    return p->elapsed_ms < LONGEST_MS;
}

bool practice_square_by_wheel(practice *p, double speed_mm_s, double reverse) {
    begin(p);
    bool met[2] = {false, false};
    while ((!met[0] || !met[1]) && p->elapsed_ms < LONGEST_MS) {
        double back = -reverse * speed_mm_s;
        drive(p, met[0] ? back : speed_mm_s, met[1] ? back : speed_mm_s);
        look(p);
        met[0] = met[0] || sees(p, 0);
        met[1] = met[1] || sees(p, 1);
    }
    stop(p);
    return p->elapsed_ms < LONGEST_MS;
}

// One wheel: on until the line has been and gone, then half of it back.
static void halve(practice *p, int wheel, double speed_mm_s) {
    double sign = 1.0;
    double from = NAN;
    double start = p->way_mm[wheel];
    while (sees(p, wheel) && p->elapsed_ms < LONGEST_MS) { // off the line first, backward
        drive(p, wheel == 0 ? -speed_mm_s : 0.0, wheel == 1 ? -speed_mm_s : 0.0);
        look(p);
    }
    for (;;) {
        drive(p, wheel == 0 ? sign * speed_mm_s : 0.0, wheel == 1 ? sign * speed_mm_s : 0.0);
        look(p);
        bool on = sees(p, wheel);
        if (on && isnan(from)) {
            from = p->way_mm[wheel];
        }
        if ((!on && !isnan(from)) || p->elapsed_ms > LONGEST_MS) {
            break;
        }
        if (isnan(from) && fabs(p->way_mm[wheel] - start) > 120.0) { // the wrong way: turn round
            sign = -sign;
            start = p->way_mm[wheel];
        }
    }
    double middle = 0.5 * (from + p->way_mm[wheel]);
    sign = -sign;
    while (sign * (middle - p->way_mm[wheel]) > 0.0 && p->elapsed_ms < LONGEST_MS) {
        drive(p, wheel == 0 ? sign * speed_mm_s : 0.0, wheel == 1 ? sign * speed_mm_s : 0.0);
        look(p);
    }
    stop(p);
}

bool practice_square_by_halves(practice *p, double approach_mm_s, double search_mm_s) {
    if (!practice_stop(p, approach_mm_s)) {
        return false;
    }
    for (int pass = 0; pass < 2; pass++) {
        halve(p, 0, search_mm_s);
        halve(p, 1, search_mm_s);
    }
    return p->elapsed_ms < LONGEST_MS;
}

// Found by trial at 200 mm/s: half a second back, and as much turn as that takes.
#define BACK_MS   400.0
#define TURN_MS   600.0
#define BACK_MM   80.0
#define TURN_DEG  120.0
#define ROUND_DEG 180.0

static void move_by(practice *p, practice_means means, double left, double right, double ms,
                    double way_mm) {
    double start = p->way_mm[1];
    double until = p->elapsed_ms + (means == PRACTICE_TIME ? ms : 4000.0);
    while (p->elapsed_ms < until &&
           (means == PRACTICE_TIME || fabs(p->way_mm[1] - start) < way_mm)) {
        drive(p, left, right);
        look(p);
    }
    stop(p);
}

unsigned practice_patrol(practice *p, practice_means means, double speed, double until_ms) {
    begin(p);
    unsigned rebounds = 0;
    while (p->elapsed_ms < until_ms) {
        if (!sees(p, 0) && !sees(p, 1)) {
            drive(p, speed, speed);
            look(p);
            continue;
        }
        bool left = sees(p, 0);
        bool both = left && sees(p, 1);
        stop(p);
        move_by(p, means, -speed, -speed, BACK_MS, BACK_MM);
        double turn = both ? ROUND_DEG : TURN_DEG;
        double way = turn * 3.14159265 / 180.0 * 0.5 * p->track_mm;
        double sign = left ? 1.0 : -1.0; // away from the side that saw it
        move_by(p, means, sign * speed, -sign * speed, TURN_MS * turn / TURN_DEG, way);
        rebounds++;
    }
    stop(p);
    return rebounds;
}
