// SPDX-License-Identifier: GPL-3.0-or-later
#include "describe.h"

#include "calibrate.h"

#include <cammino_lab/run.h>

#include <math.h>
#include <string.h>

// -------------------------------------------------------------------------------------- sheet --

#define SHEET_MM  600.0
#define ACROSS_MM 300.0
#define LINE_MM   300.0
#define WIDTH_MM  40.0

static double luminance(void *data, double x_mm, double y_mm, unsigned *marks) {
    (void)y_mm;
    const double *tones = data;
    bool line = x_mm >= LINE_MM && x_mm < LINE_MM + WIDTH_MM;
    *marks = line ? 1U << CMO_SIM_LINE : 0U;
    return tones[line];
}

cmo_sim_mat *labi_describe_sheet(double floor, double line) {
    double tones[2] = {floor, line};
    return cmo_sim_mat_from_function(SHEET_MM, ACROSS_MM, 1.0, luminance, tones);
}

// The marked line that stands out most against the floor at a place, as whoever takes levels picks
// it: by a fainter one, a darker one of another colour would be beyond all levels. Below 0: none.
static double boldest_line(const cmo_sim_mat *mat, double floor, bool *over_void) {
    const double grid = 4.0;
    double boldest = -1.0;
    *over_void = false;
    for (double y = 0.5 * grid; y < cmo_sim_mat_height_mm(mat); y += grid) {
        for (double x = 0.5 * grid; x < cmo_sim_mat_width_mm(mat); x += grid) {
            double cover[CMO_SIM_MARKS];
            cmo_sim_mat_cover(mat, x, y, cover);
            bool hole = cover[CMO_SIM_VOID] > 0.99;
            bool line = cover[CMO_SIM_LINE] > 0.99 || cover[CMO_SIM_BOUNDARY] > 0.99;
            *over_void = *over_void || hole;
            if (line && !hole) {
                double light = cmo_sim_mat_light(mat, x, y, 1.0);
                bool bolder = boldest < 0.0 || fabs(light - floor) > fabs(boldest - floor);
                boldest = bolder ? light : boldest;
            }
        }
    }
    return boldest;
}

#define FLOOR_MM 20.0 // across the spot of floor that is looked at

// Nothing that is marked in any place of such a spot.
static bool is_floor(const cmo_sim_mat *mat, double x_mm, double y_mm) {
    for (int i = 0; i < 9; i++) {
        double cover[CMO_SIM_MARKS];
        cmo_sim_mat_cover(mat, x_mm + 0.5 * FLOOR_MM * (i % 3 - 1),
                          y_mm + 0.5 * FLOOR_MM * (i / 3 - 1), cover);
        if (cover[CMO_SIM_LINE] + cover[CMO_SIM_BOUNDARY] + cover[CMO_SIM_VOID] > 0.0) {
            return false;
        }
    }
    return true;
}

// What the floor reads like where a robot starts: many start on the very line that they follow, so
// the nearest place without any, on rings about it.
static double floor_near(const cmo_sim_mat *mat, double x_mm, double y_mm) {
    double furthest = cmo_sim_mat_width_mm(mat) + cmo_sim_mat_height_mm(mat);
    for (double r = 0.0; r < furthest; r += FLOOR_MM) {
        for (int i = 0; i < 16; i++) {
            double angle = i * (3.141592653589793 / 8.0);
            double x = x_mm + r * cos(angle);
            double y = y_mm + r * sin(angle);
            if (is_floor(mat, x, y)) {
                return cmo_sim_mat_light(mat, x, y, FLOOR_MM);
            }
        }
    }
    return cmo_sim_mat_light(mat, x_mm, y_mm, FLOOR_MM);
}

cmo_sim_mat *labi_describe_sheet_of(const cmo_sim_mat *mat, double x_mm, double y_mm,
                                    bool *over_void) {
    double floor = floor_near(mat, x_mm, y_mm);
    double line = boldest_line(mat, floor, over_void);
    return labi_describe_sheet(floor, line >= 0.0 ? line : 0.04);
}

// --------------------------------------------------------------------------------------- runs --

// A robot that its user drives by hand: commands as the port takes them, counts from tick to tick.
typedef struct by_hand {
    const lab_robot *robot;
    const cmo_port *port;
    cmo_sim *sim;
    double tick_s;
    uint32_t last[2];
    double way_mm[2];
    double light[CMO_LIGHTS_MAX]; // sums of readings
    unsigned looks[CMO_LIGHTS_MAX];
} by_hand;

static void one_tick(by_hand *hand) {
    const cmo_port *port = hand->port;
    cmo_sample sample;
    memset(&sample, 0, sizeof sample);
    port->wait(port->context, port->clock(port->context) + hand->robot->description.tick_us);
    port->sample(port->context, &sample);
    unsigned bits = hand->robot->description.encoder_bits;
    uint32_t counts[2] = {sample.encoders.left, sample.encoders.right};
    const float step[2] = {hand->robot->description.left_step_mm,
                           hand->robot->description.right_step_mm};
    for (int i = 0; i < 2; i++) {
        // The difference in so many bits, with its sign.
        int32_t gone = (int32_t)((counts[i] - hand->last[i]) << (32U - bits)) >> (32U - bits);
        hand->way_mm[i] += gone * (double)step[i];
        hand->last[i] = counts[i];
    }
    for (int i = 0; i < CMO_LIGHTS_MAX; i++) {
        for (unsigned n = 0; n < sample.light[i].looks; n++) {
            hand->light[i] += sample.light[i].look[n].counts;
            hand->looks[i]++;
        }
    }
}

static void put_down(by_hand *hand, const lab_robot *robot, const cmo_sim_mat *sheet, double x_mm,
                     uint64_t seed) {
    cmo_sim_setup setup = {.traits = robot->traits,
                           .plant = robot->plant,
                           .faults = robot->faults,
                           .mat = sheet,
                           .x_mm = x_mm,
                           .y_mm = 0.5 * ACROSS_MM,
                           .seed = seed};
    *hand = (by_hand){
        .robot = robot, .sim = cmo_sim_new(&setup), .tick_s = robot->description.tick_us * 1e-6};
    hand->port = cmo_sim_port(hand->sim);
    one_tick(hand);
    hand->way_mm[0] = hand->way_mm[1] = 0.0;
}

// Both wheels alike.
static void drive_tick(by_hand *hand, double command) {
    hand->port->drive(hand->port->context, (float)command, (float)command, 200000);
    one_tick(hand);
}

static void drive_for(by_hand *hand, double command, double seconds) {
    for (double t = 0.0; t < seconds; t += hand->tick_s) {
        drive_tick(hand, command);
    }
}

// The speed of the slower wheel, once it does not grow any more.
static double settled_speed(by_hand *hand, double command) {
    const double window_s = 0.5;
    double last = 0.0;
    for (int i = 0; i < 10; i++) {
        double before[2] = {hand->way_mm[0], hand->way_mm[1]};
        drive_for(hand, command, window_s);
        double speed = fmin(hand->way_mm[0] - before[0], hand->way_mm[1] - before[1]) / window_s;
        if (i > 0 && speed < 1.02 * last) {
            return speed;
        }
        last = speed;
    }
    return last;
}

static double fastest(const lab_robot *robot, const cmo_sim_mat *sheet, uint64_t seed,
                      double command) {
    by_hand hand;
    put_down(&hand, robot, sheet, 100.0, seed);
    double speed = settled_speed(&hand, command);
    cmo_sim_free(hand.sim);
    return speed;
}

// Turned up until both wheels have begun to turn.
static double least_duty(const lab_robot *robot, const cmo_sim_mat *sheet, uint64_t seed) {
    const double step = 0.005;
    by_hand hand;
    put_down(&hand, robot, sheet, 100.0, seed);
    double most_mm = 2.5 * (double)robot->description.left_step_mm;
    double duty = 0.0;
    while (duty < 0.6 && fmin(fabs(hand.way_mm[0]), fabs(hand.way_mm[1])) < most_mm) {
        duty += step;
        drive_for(&hand, duty, 0.1);
    }
    cmo_sim_free(hand.sim);
    return duty;
}

// The least speed, in steps of 5 mm/s, at which both wheels go at least half of what is asked.
static double least_speed(const lab_robot *robot, const cmo_sim_mat *sheet, uint64_t seed) {
    for (double speed = 5.0; speed < 150.0; speed += 5.0) {
        by_hand hand;
        put_down(&hand, robot, sheet, 100.0, seed);
        drive_for(&hand, speed, 0.3);
        double before[2] = {hand.way_mm[0], hand.way_mm[1]};
        drive_for(&hand, speed, 0.5);
        double gone = fmin(hand.way_mm[0] - before[0], hand.way_mm[1] - before[1]);
        cmo_sim_free(hand.sim);
        if (gone >= 0.25 * speed) {
            return speed;
        }
    }
    return 150.0;
}

// The time at which a step to this command has come to 63 % of its speed, by the counts: each
// speed over a window of some counts, at the window's middle.
static double step_lag_ms(const lab_robot *robot, const cmo_sim_mat *sheet, uint64_t seed,
                          double command, double speed) {
    enum { TICKS = 2000 };
    const double seconds = 1.5;
    double way[TICKS];
    by_hand hand;
    put_down(&hand, robot, sheet, 100.0, seed);
    int ticks = MIN(TICKS, (int)(seconds / hand.tick_s));
    for (int i = 0; i < ticks; i++) {
        drive_tick(&hand, command);
        way[i] = 0.5 * (hand.way_mm[0] + hand.way_mm[1]);
    }
    double tick_ms = 1000.0 * hand.tick_s;
    cmo_sim_free(hand.sim);
    int tail = ticks / 3;
    double end = (way[ticks - 1] - way[ticks - 1 - tail]) / tail; // mm a tick
    int window = MAX(
        1, (int)ceil(6.0 * (double)robot->description.left_step_mm * 1000.0 / (speed * tick_ms)));
    double before = 0.0;
    for (int i = 0; i < ticks; i++) {
        double now = (way[i] - (i >= window ? way[i - window] : 0.0)) / window;
        double goal = (1.0 - exp(-1.0)) * end;
        if (now >= goal && end > 0.0) {
            double share = now > before ? (goal - before) / (now - before) : 1.0;
            return fmax(0.0, tick_ms * (i + share - 0.5 * window));
        }
        before = now;
    }
    return 500.0;
}

// ----------------------------------------------------------------------------------- describe --

static void describe_drive(lab_robot *robot, const staged_drive *stated, const cmo_sim_mat *sheet,
                           uint64_t seed) {
    cmo_robot_description *d = &robot->description;
    bool duty = (robot->traits & CMO_TRAIT_SPEED) == 0;
    // Nearly full, so that it still has something left to regulate with.
    double top = 0.9 * fastest(robot, sheet, seed, duty ? 1.0 : 2.0 * robot->plant.no_load_mm_s);
    if (isnan(stated->top_mm_s)) {
        d->top_speed_mm_s = (float)(10.0 * floor(CLAMP(top, 20.0, 5000.0) / 10.0));
    }
    double grip = 1000.0 * robot->plant.grip_m_s2;
    if (isnan(stated->braking_mm_s2)) {
        d->braking_mm_s2 = (float)(10.0 * floor(0.07 * grip));
    }
    if (isnan(stated->acceleration_mm_s2)) {
        d->acceleration_mm_s2 = (float)(10.0 * floor(0.045 * grip));
    }
    double command = fmax(0.3 * (double)d->top_speed_mm_s, 60.0);
    double speed = command;
    if (duty) {
        double dead = least_duty(robot, sheet, seed);
        if (isnan(stated->dead_duty)) {
            d->dead_duty = (float)dead;
        }
        double half = 0.5 * (1.0 + (double)d->dead_duty);
        if (isnan(stated->full_duty_mm_s)) {
            d->full_duty_mm_s =
                (float)(10.0 * floor(0.2 * CLAMP(fastest(robot, sheet, seed, half), 10.0, 5000.0)));
        }
        command =
            (double)d->dead_duty + (1.0 - (double)d->dead_duty) * speed / (double)d->full_duty_mm_s;
    } else if (isnan(stated->slowest_mm_s)) {
        d->slowest_mm_s = (float)least_speed(robot, sheet, seed);
    }
    if (isnan(stated->lag_ms)) {
        d->lag_ms = (float)rint(step_lag_ms(robot, sheet, seed, command, speed));
    }
}

// The routine's own, over the sheet's line and back.
static void take_levels(lab_robot *robot, const cmo_sim_mat *sheet, uint64_t seed) {
    double ahead = (double)robot->description.light[0].ahead_mm;
    lab_route *route = g_new0(lab_route, 1);
    route->legs = 1;
    route->leg[0] = (lab_leg){.routine = CMO_ROUTINE_TAKE_LEVELS,
                              .parameters.take_levels = {.distance_mm = 150.0F}};
    route->mat = (cmo_sim_mat *)(uintptr_t)sheet;
    route->robot = robot;
    route->longest_s = 60.0;
    lab_start start = {LINE_MM - 60.0 - ahead, 0.5 * ACROSS_MM, 0.0};
    lab_run *run = lab_drive_from(route, robot, &start, seed, false);
    const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, 0);
    for (unsigned i = 0; run->legs->len > 0 && i < robot->description.lights; i++) {
        if (!robot->has_levels[i]) {
            labi_take_levels(robot, i, leg);
        }
    }
    lab_run_free(run);
    g_free(route);
}

// Held over the table's edge for a third of a second.
static void take_void(lab_robot *robot, const cmo_sim_mat *sheet, uint64_t seed) {
    by_hand hand;
    put_down(&hand, robot, sheet, -1000.0, seed);
    for (double t = 0.0; t < 0.3; t += hand.tick_s) {
        one_tick(&hand);
    }
    cmo_sim_free(hand.sim);
    for (unsigned i = 0; i < robot->description.lights; i++) {
        if (robot->levels[i].void_counts == CMO_LEVEL_UNKNOWN && hand.looks[i] > 0) {
            robot->levels[i].void_counts = (uint16_t)rint(hand.light[i] / hand.looks[i]);
        }
    }
}

void labi_describe(lab_robot *robot, const staged_robot *stated, const cmo_sim_mat *sheet,
                   bool over_void, uint64_t seed) {
    if (robot->traits & CMO_TRAIT_ENCODERS) {
        if (isnan(stated->encoders.play_mm)) { // by turning a wheel to and fro by hand
            robot->description.gear_play_mm = (float)(0.1 * rint(10.0 * robot->plant.gear_play_mm));
        }
        describe_drive(robot, &stated->drive, sheet, seed);
    }
    if (robot->description.lights == 0) {
        return;
    }
    take_levels(robot, sheet, seed);
    if (over_void) {
        take_void(robot, sheet, seed);
    }
}
