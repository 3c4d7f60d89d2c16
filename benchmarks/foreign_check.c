// SPDX-License-Identifier: GPL-3.0-or-later
// Robots of another make check their wiring, sound and with one fault each.
#include "foreign.h"

#include <glib.h>
#include <math.h>
#include <stdio.h>

typedef struct fault {
    const char *name;
    uint32_t finding; // what ought to be found
    bool motors_swapped, encoders_swapped, lights_swapped;
    int8_t motor[2], encoder[2]; // -1: the other way round, 1: dead
} fault;

// The plant behind wrong plugs: it stands first, so that its port's other calls reach it as well.
typedef struct wires {
    foreign_plant plant;
    cmo_port inner;
    const fault *fault;
} wires;

#define BIT(name) CMO_FINDING_BIT(CMO_FINDING_##name)

static const fault faults[] = {
    {.name = "sound"},
    {.name = "motors swapped", .finding = BIT(MOTORS_SWAPPED), .motors_swapped = true},
    {.name = "encoders swapped", .finding = BIT(ENCODERS_SWAPPED), .encoders_swapped = true},
    {.name = "light sensors swapped", .finding = BIT(LIGHTS_SWAPPED), .lights_swapped = true},
    {.name = "left motor reversed", .finding = BIT(LEFT_MOTOR_REVERSED), .motor = {-1, 0}},
    {.name = "right motor silent", .finding = BIT(RIGHT_MOTOR_SILENT), .motor = {0, 1}},
    {.name = "right encoder reversed", .finding = BIT(RIGHT_ENCODER_REVERSED), .encoder = {0, -1}},
    {.name = "left encoder silent", .finding = BIT(LEFT_ENCODER_SILENT), .encoder = {1, 0}},
};

static float through(int8_t how, float value) {
    return how == 0 ? value : how < 0 ? -value : 0.0F;
}

static cmo_status sample(void *context, cmo_sample *sample) {
    const wires *w = context;
    cmo_status status = w->inner.sample(context, sample);
    uint32_t count[2] = {sample->encoders.left, sample->encoders.right};
    for (int i = 0; i < 2; i++) {
        int8_t how = w->fault->encoder[i];
        count[i] = how == 0 ? count[i] : how < 0 ? 0U - count[i] : 0U;
    }
    sample->encoders.left = count[w->fault->encoders_swapped ? 1 : 0];
    sample->encoders.right = count[w->fault->encoders_swapped ? 0 : 1];
    if (w->fault->lights_swapped) {
        cmo_light_input left = sample->light[0];
        sample->light[0] = sample->light[1];
        sample->light[1] = left;
    }
    return status;
}

static cmo_status drive(void *context, float left, float right, uint32_t lifetime_us) {
    const wires *w = context;
    left = through(w->fault->motor[0], left);
    right = through(w->fault->motor[1], right);
    return w->fault->motors_swapped ? w->inner.drive(context, right, left, lifetime_us)
                                    : w->inner.drive(context, left, right, lifetime_us);
}

enum { NAMED, MORE, MS };

static void check(const foreign_robot *made, const cmo_robot_description *described,
                  unsigned number, const void *context, foreign_result *result) {
    const fault *f = context;
    double angle = 4.0 * (double)((int)(number % 5) - 2) / 2.0;
    wires w = {.fault = f};
    foreign_start(&w.plant, made, number, FOREIGN_EDGE_MM - 18.0 - made->ahead[0],
                  angle * G_PI / 180.0);
    w.inner = foreign_port(&w.plant);
    cmo_port port = w.inner;
    port.sample = sample;
    port.drive = drive;
    cmo_robot robot;
    cmo_check_wiring_state state;
    cmo_outcome outcome = cmo_robot_start(&robot, described, &port);
    cmo_check_wiring_parameters parameters = {0};
    outcome = outcome == CMO_OUTCOME_DONE ? cmo_check_wiring(&robot, &state, &parameters) : outcome;
    bool ended = outcome == CMO_OUTCOME_DONE || outcome == CMO_OUTCOME_WIRING_WRONG;
    if (ended) {
        result->value[NAMED] = (state.findings & f->finding) == f->finding ? 1.0 : 0.0;
        result->value[MORE] = (state.findings & ~f->finding) != 0 ? 1.0 : 0.0;
    }
    result->value[MS] = 1000.0 * w.plant.now;
    if (state.findings != f->finding) {
        result->outcome = outcome;
        for (int i = 0; i < CMO_FINDINGS; i++) {
            if (state.findings & ~f->finding & CMO_FINDING_BIT(i)) {
                result->field = cmo_finding_name((cmo_finding)i);
            }
        }
    }
    foreign_end(&w.plant);
}

void foreign_checks(const foreign_robots *robots) {
    static foreign_result results[FOREIGN_MOST];
    printf("the wiring\n%-36s%8s%8s%8s%10s\n", "", "ended", "named", "more", "mean ms");
    for (size_t k = 0; k < G_N_ELEMENTS(faults); k++) {
        foreign_all(robots, check, &faults[k], results);
        foreign_figure named = foreign_sum_up(robots->n, results, NAMED);
        foreign_figure more = foreign_sum_up(robots->n, results, MORE);
        foreign_figure ms = foreign_sum_up(robots->n, results, MS);
        printf("%-36s%8u%8.0f%8.0f%10.0f\n", faults[k].name, named.n, named.mean * named.n,
               more.mean * more.n, ms.mean);
        foreign_print_outcomes(robots->n, results);
    }
}
