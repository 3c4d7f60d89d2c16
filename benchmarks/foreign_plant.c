// SPDX-License-Identifier: GPL-3.0-or-later
#include "foreign_plant.h"

#include <glib.h>
#include <math.h>
#include <string.h>

#define STEP_S      5e-5
#define REGULATES_S 5e-3

// ---------------------------------------------------------------------------------------- drawn --

static double even(GRand *random, double from, double to) {
    return g_rand_double_range(random, from, to);
}

static double gauss(GRand *random) {
    double size = sqrt(-2.0 * log(g_rand_double(random) + 1e-300));
    return size * cos(2.0 * G_PI * g_rand_double(random));
}

static void draw_drive(foreign_robot *r, GRand *random) {
    static const double steps[] = {0.1, 0.25, 0.5, 0.8, 1.3};
    r->no_load = even(random, 700, 1300);
    r->rotor = r->mass * even(random, 0.04, 0.2);
    r->stall = (0.5 * r->mass + r->rotor) * r->no_load / even(random, 0.03, 0.09);
    r->coulomb = r->stall * even(random, 0.02, 0.08);
    r->sticks = r->coulomb * even(random, 1, 2);
    r->sticks_below = even(random, 3, 15);
    r->armature = even(random, 0.0003, 0.003);
    r->cogging = even(random, 0, 0.15);
    r->battery = even(random, 0.85, 1);
    r->play = even(random, 0, 0.8);
    r->step = steps[g_rand_int_range(random, 0, G_N_ELEMENTS(steps))];
    r->ramp = even(random, 700, 2500);
    r->proportional = even(random, 1, 4);
    r->integral = r->drive == FOREIGN_FORWARD ? 0.0 : even(random, 5, 25);
    r->window = even(random, 0.01, 0.04);
    r->delay = g_rand_boolean(random) ? even(random, 0.001, 0.008) : 0.0;
}

static void draw_eyes(foreign_robot *r, GRand *random) {
    double spacing = even(random, 24, 90);
    double ahead = even(random, 30, 90);
    double interval = even(random, 0.002, 0.014);
    for (int i = 0; i < 2; i++) {
        r->ahead[i] = ahead + even(random, -1, 1);
        r->aside[i] = (i == 0 ? 0.5 : -0.5) * spacing;
        r->sigma[i] = even(random, 1.2, 3);
        r->gain[i] = even(random, 0.8, 1.1);
        r->offset[i] = even(random, -0.02, 0.02);
        r->interval[i] = interval * even(random, 0.98, 1.02);
    }
    r->light_delay = even(random, 0, 0.005);
    r->bend = even(random, 0.85, 1.2);
    r->noise = even(random, 0.001, 0.008);
    r->bits = g_rand_boolean(random) ? 10 : 12;
    r->look_times = g_rand_boolean(random);
}

void foreign_draw(foreign_robot *robot, unsigned number) {
    GRand *random = g_rand_new_with_seed(number);
    *robot = (foreign_robot){.drive = (foreign_drive)(number % FOREIGN_DRIVES)};
    robot->mass = even(random, 0.35, 1.4);
    robot->track = even(random, 75, 190);
    robot->inertia = robot->mass * robot->track * robot->track * even(random, 0.18, 0.32);
    robot->grip = even(random, 2000, 7000);
    robot->creep = even(random, 0.01, 0.05);
    robot->rolling = even(random, 20, 120);
    draw_drive(robot, random);
    draw_eyes(robot, random);
    g_rand_free(random);
    random = g_rand_new_with_seed(number + 3000000U);
    robot->tyre = even(random, 5, 25);
    bool ahead = g_rand_int_range(random, 0, 4) == 0;
    robot->rear = ahead ? 0.0 : robot->track * even(random, 0.3, 0.8);
    robot->front = ahead ? robot->ahead[0] * even(random, 0.3, 0.8) : 0.0;
    g_rand_free(random);
}

// ---------------------------------------------------------------------------------------- moves --

static double towards_zero(double speed, double by) {
    return speed > by ? speed - by : speed < -by ? speed + by : 0.0;
}

static double duty_of(const foreign_plant *plant, foreign_wheel *w) {
    const foreign_robot *r = plant->robot;
    if (!plant->driven) {
        return 0.0;
    }
    if (r->drive == FOREIGN_DUTY) {
        return CLAMP(w->asked, -1.0, 1.0);
    }
    double change = w->asked - w->reference;
    double most = r->drive == FOREIGN_RAMP ? r->ramp * STEP_S : INFINITY;
    w->reference += CLAMP(change, -most, most);
    double duty = w->sum + r->proportional * (w->reference - w->measured) / r->no_load;
    if (r->drive == FOREIGN_FORWARD && w->reference != 0.0) {
        duty += w->reference / r->no_load + copysign(0.05, w->reference);
    }
    return CLAMP(duty, -1.0, 1.0);
}

// The force that its tyre passes on, from a slip that a smooth curve answers; none amid the play.
static double tyre(const foreign_plant *plant, foreign_wheel *w, double side) {
    const foreign_robot *r = plant->robot;
    double ground = plant->speed + side * 0.5 * r->track * plant->turn;
    double slip = w->speed - ground;
    double half = 0.5 * r->play;
    w->play += slip * STEP_S;
    bool free = fabs(w->play) < half;
    double end = CLAMP(w->play, -half, half);
    w->play = end + (w->play - end) * exp(-STEP_S / 0.002);
    return free ? 0.0 : 0.5 * r->mass * r->grip * tanh(slip / (r->creep * (fabs(ground) + 40.0)));
}

static double turn_wheel(foreign_plant *plant, int i) {
    const foreign_robot *r = plant->robot;
    foreign_wheel *w = &plant->wheel[i];
    if (w->comes_in > 0.0 && (w->comes_in -= STEP_S) <= 0.0) {
        w->asked = w->coming;
    }
    double volts = r->battery * duty_of(plant, w);
    bool open = !plant->driven && plant->open;
    double pull = open ? 0.0 : volts - w->speed / r->no_load;
    w->torque += (pull - w->torque) * STEP_S / (r->armature + STEP_S);
    double push = tyre(plant, w, i == 0 ? -1.0 : 1.0);
    double cogs = 1.0 + r->cogging * sin(0.31 * w->place);
    w->speed += (r->stall * w->torque * cogs - push) / r->rotor * STEP_S;
    double fades = exp(-fabs(w->speed) / r->sticks_below);
    double friction = r->coulomb + (r->sticks - r->coulomb) * fades;
    w->speed = towards_zero(w->speed, friction / r->rotor * STEP_S);
    w->place += w->speed * STEP_S;
    return push;
}

static void regulate(foreign_plant *plant) {
    const foreign_robot *r = plant->robot;
    unsigned back = (unsigned)MAX(r->window / REGULATES_S, 1.0);
    plant->sample = (plant->sample + 1) % 16;
    for (int i = 0; i < 2; i++) {
        foreign_wheel *w = &plant->wheel[i];
        w->counts[plant->sample] = (long)floor(w->place / r->step);
        long counted = w->counts[plant->sample] - w->counts[(plant->sample + 16 - back) % 16];
        w->measured = (double)counted * r->step / (back * REGULATES_S);
        double off = (w->reference - w->measured) / r->no_load;
        w->sum = plant->driven ? CLAMP(w->sum + r->integral * off * REGULATES_S, -1.0, 1.0) : 0.0;
    }
}

// ----------------------------------------------------------------------------------------- eyes --

static double seen(const foreign_robot *r, unsigned i, double reflectance) {
    double full = (double)((1U << r->bits) - 1U);
    return full * (0.05 + 0.85 * r->gain[i] * (pow(reflectance, r->bend) + r->offset[i]));
}

void foreign_place(const foreign_plant *plant, double ahead, double aside, double *x, double *y) {
    *x = plant->x + ahead * cos(plant->heading) - aside * sin(plant->heading);
    *y = plant->y + ahead * sin(plant->heading) + aside * cos(plant->heading);
}

static double beyond(const foreign_plant *plant, int i) {
    double x, y;
    foreign_place(plant, plant->robot->ahead[i], plant->robot->aside[i], &x, &y);
    return x - FOREIGN_EDGE_MM;
}

static void look(foreign_plant *plant, unsigned i) {
    const foreign_robot *r = plant->robot;
    double x, y;
    foreign_place(plant, r->ahead[i], r->aside[i], &x, &y);
    double full = (double)((1U << r->bits) - 1U);
    double counts =
        seen(r, i, plant->floor(x, y, r->sigma[i])) + r->noise * full * gauss(plant->random);
    if (plant->looks[i] < G_N_ELEMENTS(plant->look[i])) {
        foreign_look *new = &plant->look[i][plant->looks[i]++];
        new->due = plant->now + r->light_delay;
        new->look = (cmo_look){.time_us = (uint32_t)(new->due * 1e6),
                               .counts = (uint16_t)(CLAMP(counts, 0.0, full) + 0.5),
                               .sequence = ++plant->sequence[i]};
    }
}

// ------------------------------------------------------------------------------------ the plant --

void foreign_start(foreign_plant *plant, const foreign_robot *robot, unsigned number, double x,
                   double heading) {
    memset(plant, 0, sizeof *plant);
    GRand *random = g_rand_new_with_seed(number + 1000000U);
    plant->robot = robot;
    plant->floor = foreign_line;
    plant->random = random;
    plant->x = x;
    plant->heading = heading;
    for (int i = 0; i < 2; i++) {
        plant->wheel[i].place = even(random, 0, robot->step);
        plant->wheel[i].play = even(random, -0.5, 0.5) * robot->play;
        plant->looks_in[i] = even(random, 0, robot->interval[i]);
    }
}

void foreign_end(foreign_plant *plant) {
    g_rand_free(plant->random);
}

static void step(foreign_plant *plant) {
    const foreign_robot *r = plant->robot;
    plant->driven = plant->driven && plant->now < plant->until;
    double left = turn_wheel(plant, 0);
    double right = turn_wheel(plant, 1);
    double rubs = r->rolling * STEP_S;
    plant->speed = towards_zero(plant->speed + (left + right) / r->mass * STEP_S, rubs);
    double turning = 0.5 * (right - left) * r->track / r->inertia * STEP_S;
    plant->turn = towards_zero(plant->turn + turning, 8.0 * rubs * r->mass / r->inertia);
    plant->heading += plant->turn * STEP_S;
    plant->x += plant->speed * cos(plant->heading) * STEP_S;
    plant->y += plant->speed * sin(plant->heading) * STEP_S;
    plant->now += STEP_S;
    if ((plant->regulates_in -= STEP_S) <= 0.0) {
        plant->regulates_in += REGULATES_S;
        regulate(plant);
    }
    for (unsigned i = 0; i < 2; i++) {
        if ((plant->looks_in[i] -= STEP_S) <= 0.0) {
            plant->looks_in[i] += r->interval[i];
            look(plant, i);
        }
    }
}

void foreign_pass(foreign_plant *plant, double s) {
    for (double until = plant->now + s; plant->now < until;) {
        step(plant);
    }
}

double foreign_beyond(const foreign_plant *plant) {
    return 0.5 * (beyond(plant, 0) + beyond(plant, 1));
}

double foreign_first(const foreign_plant *plant) {
    return fmax(beyond(plant, 0), beyond(plant, 1));
}

// ------------------------------------------------------------------------------------- the port --

static uint32_t read_clock(void *context) {
    const foreign_plant *plant = context;
    return (uint32_t)(plant->now * 1e6);
}

static void wait_until(void *context, uint32_t until_us) {
    while ((int32_t)(until_us - read_clock(context)) > 0) {
        step(context);
    }
}

// Of the looks that have arrived the newest, as many as there is room for.
static void hand_over(foreign_plant *plant, unsigned i, cmo_light_input *input) {
    unsigned due = 0;
    while (due < plant->looks[i] && plant->look[i][due].due <= plant->now) {
        due++;
    }
    for (unsigned n = due > CMO_LOOKS_MAX ? due - CMO_LOOKS_MAX : 0; n < due; n++) {
        input->look[input->looks++] = plant->look[i][n].look;
    }
    plant->looks[i] -= due;
    memmove(plant->look[i], plant->look[i] + due, plant->looks[i] * sizeof plant->look[i][0]);
}

static cmo_status sample(void *context, cmo_sample *sample) {
    foreign_plant *plant = context;
    const foreign_robot *r = plant->robot;
    hand_over(plant, 0, &sample->light[0]);
    hand_over(plant, 1, &sample->light[1]);
    sample->have |= CMO_HAVE_ENCODERS;
    sample->encoders.time_us = read_clock(context);
    sample->encoders.left = (uint32_t)(int32_t)floor(plant->wheel[0].place / r->step);
    sample->encoders.right = (uint32_t)(int32_t)floor(plant->wheel[1].place / r->step);
    return CMO_OK;
}

static cmo_status drive(void *context, float left, float right, uint32_t lifetime_us) {
    foreign_plant *plant = context;
    plant->driven = true;
    plant->until = plant->now + lifetime_us * 1e-6;
    for (int i = 0; i < 2; i++) {
        foreign_wheel *w = &plant->wheel[i];
        w->coming = (double)(i == 0 ? left : right);
        w->comes_in = w->comes_in > 0.0 ? w->comes_in : plant->robot->delay;
        w->asked = plant->robot->delay > 0.0 ? w->asked : w->coming;
    }
    return CMO_OK;
}

static cmo_status halt(void *context, cmo_halt how) {
    foreign_plant *plant = context;
    plant->driven = false;
    plant->open = how == CMO_HALT_COAST;
    for (int i = 0; i < 2; i++) {
        foreign_wheel *w = &plant->wheel[i];
        w->asked = w->coming = w->comes_in = w->reference = 0.0;
    }
    return CMO_OK;
}

cmo_port foreign_port(foreign_plant *plant) {
    const foreign_robot *r = plant->robot;
    unsigned traits = CMO_TRAIT_ENCODERS | CMO_TRAIT_BRAKE | CMO_TRAIT_COAST;
    traits |= r->look_times ? CMO_TRAIT_LOOK_TIMES : 0U;
    traits |= r->drive != FOREIGN_DUTY ? CMO_TRAIT_SPEED : 0U;
    return (cmo_port){.context = plant,
                      .traits = (uint16_t)traits,
                      .clock = read_clock,
                      .wait = wait_until,
                      .sample = sample,
                      .drive = drive,
                      .halt = halt};
}

// -------------------------------------------------------------------------------- what is known --

// A step of the command: how steady the wheel turns two seconds on, as a share of its speed, and
// when the body has 63 % of its own.
static double watch_step(const foreign_robot *robot, unsigned number, double *lag_s) {
    foreign_plant plant;
    double mean = 0.0, square = 0.0, speed = 0.0;
    for (int pass = 0; pass < 2; pass++) {
        foreign_start(&plant, robot, number, -5000.0, 0.0);
        float command = robot->drive == FOREIGN_DUTY ? 0.3F : 200.0F;
        drive(&plant, command, command, 100000000);
        for (int n = 1; n <= 40000; n++) {
            step(&plant);
            if (pass == 0 && n > 20000) {
                mean += plant.wheel[0].speed / 20000.0;
                square += plant.wheel[0].speed * plant.wheel[0].speed / 20000.0;
            } else if (pass == 1 && plant.speed >= 0.632 * speed) {
                *lag_s = plant.now;
                break;
            }
        }
        speed = plant.speed;
        foreign_end(&plant);
    }
    return sqrt(fmax(square - mean * mean, 0.0)) / fmax(mean, 1.0);
}

bool foreign_describe(const foreign_robot *robot, unsigned number,
                      cmo_robot_description *description) {
    double lag_s = 0.0;
    if (watch_step(robot, number, &lag_s) > 0.06) {
        return false;
    }
    GRand *random = g_rand_new_with_seed(number + 2000000U);
    cmo_robot_description *d = description;
    double tick_ms[] = {5, 8, 10};
    *d = (cmo_robot_description){.lights = 2,
                                 .tick_us = (uint32_t)(1000.0 * tick_ms[number % 3]),
                                 .track_mm = (float)(robot->track * even(random, 0.99, 1.01))};
    for (int i = 0; i < 2; i++) {
        cmo_light_description *light = &d->light[i];
        light->ahead_mm = (float)(robot->ahead[i] + even(random, -0.7, 0.7));
        light->left_mm = (float)robot->aside[i];
        light->spot_mm = (float)(3.2 * robot->sigma[i] * even(random, 0.85, 1.2));
        light->interval_us = (uint32_t)(robot->interval[i] * 1e6);
        light->delay_us = (uint32_t)(robot->light_delay * 1e6);
        light->counts_max = (uint16_t)((1U << robot->bits) - 1U);
    }
    d->left_step_mm = (float)(robot->step * even(random, 0.997, 1.003));
    d->right_step_mm = (float)(robot->step * even(random, 0.997, 1.003));
    d->gear_play_mm = (float)(robot->play * even(random, 0.6, 1.3));
    d->top_speed_mm_s = (float)fmin(620.0, 0.62 * robot->no_load * robot->battery);
    d->acceleration_mm_s2 = (float)(robot->grip * even(random, 0.4, 0.6));
    d->braking_mm_s2 = (float)(robot->grip * even(random, 0.5, 0.75));
    d->full_duty_mm_s = (float)(0.93 * robot->no_load);
    d->dead_duty = (float)(1.1 * robot->coulomb / robot->stall);
    d->slowest_mm_s = robot->drive == FOREIGN_DUTY ? 0.0F : (float)even(random, 5, 15);
    d->lag_ms = (float)fmin(490.0, 1000.0 * lag_s * even(random, 0.9, 1.1));
    d->tyre_mm = (float)robot->tyre;
    d->rear_mm = (float)fmax(robot->rear + even(random, -1, 1), 1.0);
    d->front_mm = (float)fmax(robot->front + even(random, -1, 1), 0.0);
    g_rand_free(random);
    return true;
}

cmo_levels foreign_levels(const foreign_robot *robot, unsigned sensor) {
    double full = (double)((1U << robot->bits) - 1U);
    return (cmo_levels){.dark = (uint16_t)seen(robot, sensor, FOREIGN_DARK),
                        .light = (uint16_t)seen(robot, sensor, FOREIGN_LIGHT),
                        .void_counts = CMO_LEVEL_UNKNOWN,
                        .noise = (uint16_t)(2.0 * robot->noise * full + 1.0)};
}

uint16_t foreign_void(const foreign_robot *robot, unsigned sensor) {
    return (uint16_t)seen(robot, sensor, FOREIGN_VOID);
}
