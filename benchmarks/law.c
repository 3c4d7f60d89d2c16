// SPDX-License-Identifier: GPL-3.0-or-later
// The law that is fitted to halts, against what the plant truly does in each of them: how long it
// has to wait for looks and ticks, and at which rate it then brakes.
//
//     bench_law [TRIALS]
#include "kinds.h"

#include <cammino_lab/law.h>

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static const char route_text[] =
    "robot: r\nmat: m\nstart: {x_mm: 150, y_mm: 550}\nspread: {heading_deg: 0.5}\n"
    "legs:\n  - drive_until_line: {least_width_mm: 15, cruise_mm_s: 200}\n";

static void leave_as_it_is(lab_robot *robot) {
    (void)robot;
}

static const robot_kind kinds[] = {{"as the demo's", leave_as_it_is},
                                   {"looks each 3 ms", make_fast_sensors},
                                   {"looks each 25 ms", make_slow_sensors},
                                   {"heavy, poor grip", make_heavy},
                                   {"duty only", make_duty_only}};

static const double speeds_mm_s[] = {150, 200, 250, 300, 350, 400, 450, 500};

// Halts of one robot, and the rates at which it truly braked.
typedef struct driven {
    GArray *halts, *braking; // braking: mm/s2
} driven;

// What a robot has to wait for by its plant: looks and ticks come at any time.
static double plants_reaction_ms(const lab_robot *robot) {
    const cmo_sim_light *sensor = &robot->plant.sensor[0];
    return sensor->delay_ms + sensor->lag_ms + 0.5 * sensor->interval_ms +
           0.5e-3 * robot->description.tick_us;
}

static lab_route *make_route(const char *file, const robot_kind *kind) {
    GError *error = NULL;
    lab_route *route = lab_route_from_bytes("law.yaml", route_text, sizeof route_text - 1, &error);
    if (route != NULL) {
        route->robot = lab_robot_load(file, &error);
    }
    if (route != NULL && route->robot != NULL) {
        kind->make(route->robot);
        route->mat = cmo_sim_mat_load(SOURCE_DIR "/data/ferry/quay.svg", NULL, &error);
    }
    if (route == NULL || route->robot == NULL || route->mat == NULL) {
        fprintf(stderr, "%s\n", error->message);
        exit(2);
    }
    return route;
}

// Of the fastest halts: those have the most of it.
static double true_braking(const driven *h, double fastest_mm_s) {
    double sum = 0.0;
    unsigned n = 0;
    for (unsigned i = 0; i < h->halts->len; i++) {
        if (g_array_index(h->halts, lab_law_halt, i).speed_mm_s >= 0.95 * fastest_mm_s) {
            sum += g_array_index(h->braking, double, i);
            n++;
        }
    }
    return sum / n;
}

static void add(driven *h, const lab_leg_result *leg) {
    const lab_figures *truth = &leg->truth;
    lab_law_halt halt = {truth->value[CMO_CROSSING_SPEED_MM_S],
                         truth->value[CMO_STOPPING_DISTANCE_MM], truth->value[CMO_REACTION_MS]};
    g_array_append_val(h->halts, halt);
    g_array_append_val(h->braking, leg->halt.deceleration_mm_s2);
}

static void tell(const char *file, const robot_kind *kind, unsigned trials) {
    lab_route *route = make_route(file, kind);
    cmo_drive_until_line_parameters *p = &route->leg[0].parameters.drive_until_line;
    driven h = {g_array_new(FALSE, FALSE, sizeof(lab_law_halt)),
                g_array_new(FALSE, FALSE, sizeof(double))};
    for (size_t i = 0; i < G_N_ELEMENTS(speeds_mm_s); i++) {
        p->cruise_mm_s = p->creep_mm_s = (float)speeds_mm_s[i];
        for (unsigned n = 1; n <= trials && lab_check(route, NULL); n++) {
            lab_run *run = lab_drive_trial(route, n, false);
            const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, 0);
            if (leg->outcome == CMO_OUTCOME_DONE && leg->halt.known) {
                add(&h, leg);
            }
            lab_run_free(run);
        }
    }
    lab_law law;
    bool known = lab_law_fit_to((lab_law_halt *)(void *)h.halts->data, h.halts->len, &law);
    printf("%-20s%7u", kind->name, h.halts->len);
    if (known) {
        printf("%8.1f%10.1f%8.1f", law.c_mm.value, law.reaction_ms.value,
               plants_reaction_ms(route->robot));
        printf("%8.1f", law.braking_ms.value);
        if (law.brakes) {
            printf("%10.0f (%4.0f to %4.0f)%8.0f%8.0f", law.deceleration_mm_s2.value,
                   law.deceleration_mm_s2.low, law.deceleration_mm_s2.high,
                   true_braking(&h, law.fastest_mm_s), law.from_mm_s);
        } else {
            printf("  no braking that is more than a lag");
        }
        printf("%8.2f", law.off_mm);
    }
    printf("\n");
    g_array_free(h.halts, TRUE);
    g_array_free(h.braking, TRUE);
    lab_route_free(route);
}

int main(int count, char **arguments) {
    unsigned trials = count > 1 ? (unsigned)atoi(arguments[1]) : 40;
    printf("%-20s%7s%8s%18s%8s%33s%8s%8s\n", "", "", "c", "t, reaction, ms", "b",
           "a, braking, mm/s2", "u", "off");
    printf("%-20s%7s%8s%10s%8s%8s%25s%8s%8s%8s\n", "", "halts", "mm", "fitted", "true", "ms",
           "fitted, 95 % sure", "true", "mm/s", "mm");
    for (int plain = 0; plain < 2; plain++) {
        printf("%s:\n",
               plain ? "no more than the plain robot has" : "with all that the demo's robot has");
        for (size_t i = 0; i < G_N_ELEMENTS(kinds); i++) {
            tell(plain ? SOURCE_DIR "/data/ferry/mozzo-plain.yaml"
                       : SOURCE_DIR "/data/ferry/mozzo.yaml",
                 &kinds[i], trials);
        }
    }
    return 0;
}
