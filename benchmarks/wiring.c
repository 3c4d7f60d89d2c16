// SPDX-License-Identifier: GPL-3.0-or-later
// The wiring check on random robots: every fault must be found and named, and nothing else.
#include <cammino/cammino.h>
#include <cammino_lab/files.h>

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static uint64_t bits;

static double even(double low, double high) {
    bits = bits * 6364136223846793005U + 1442695040888963407U;
    return low + (high - low) * (double)(bits >> 11) * 0x1p-53;
}

// A floor with one line across, dark or light.
typedef struct line_floor {
    double floor, line, x_mm;
} line_floor;

static double luminance(void *data, double x_mm, double y_mm, unsigned *marks) {
    (void)y_mm;
    (void)marks;
    const line_floor *f = data;
    return x_mm >= f->x_mm && x_mm < f->x_mm + 20.0 ? f->line : f->floor;
}

typedef struct subject {
    cmo_robot_description description;
    cmo_sim_setup setup;
    cmo_tone tone;
} subject;

// A robot of any size within the usual, before the line.
static void make(subject *s, uint64_t seed, const cmo_sim_mat *mats[2]) {
    bits = seed * 0x9E3779B97F4A7C15U;
    even(0, 1);
    memset(s, 0, sizeof *s);
    cmo_robot_description *d = &s->description;
    double size = even(0.8, 1.5);
    d->tick_us = even(0, 1) < 0.5 ? 10000 : 5000;
    d->track_mm = (float)(110.0 * size);
    d->left_step_mm = d->right_step_mm = (float)even(0.2, 1.0);
    d->encoder_bits = 16;
    d->top_speed_mm_s = 700;
    d->slowest_mm_s = 15;
    d->acceleration_mm_s2 = 2000;
    d->braking_mm_s2 = 3000;
    d->lag_ms = (float)even(30.0, 60.0);
    d->lights = 2;
    double spread = even(0.3, 0.45) * (double)d->track_mm;
    double ahead = even(0.5, 0.8) * (double)d->track_mm;
    for (int i = 0; i < 2; i++) {
        d->light[i] = (cmo_light_description){
            .ahead_mm = (float)ahead,
            .left_mm = (float)(i == 0 ? spread : -spread),
            .spot_mm = 6,
            .delay_us = (uint32_t)even(3000, 15000),
            .interval_us = 10000,
            .counts_max = 1023,
            .dark_is_high = even(0, 1) < 0.3,
        };
    }
    bool regulated = even(0, 1) < 0.7;
    if (!regulated) {
        d->full_duty_mm_s = 1000;
        d->dead_duty = 0.02F;
    }
    s->tone = even(0, 1) < 0.7 ? CMO_TONE_DARK : CMO_TONE_LIGHT;
    s->setup = (cmo_sim_setup){
        .traits = (uint16_t)(CMO_TRAIT_ENCODERS | CMO_TRAIT_LOOK_TIMES | CMO_TRAIT_COAST |
                             CMO_TRAIT_BRAKE | (regulated ? CMO_TRAIT_SPEED : 0)),
        .mat = mats[s->tone],
        .seed = seed,
    };
    double heading = even(-8.0, 8.0);
    double gap = even(12.0, 22.0);
    double turn = heading * G_PI / 180.0;
    // The gap is that of the nearer spot.
    double reach = ahead * cos(turn) + spread * fabs(sin(turn));
    s->setup.x_mm = 500.0 - gap - reach;
    s->setup.y_mm = 500.0;
    s->setup.heading_deg = heading;
    cmo_sim_plant_default(&s->setup.plant, d);
    s->setup.plant.gain_spread = 0.2;
    s->setup.plant.battery = even(0.85, 1.1);
    for (int i = 0; i < 2; i++) {
        cmo_sim_light *sensor = &s->setup.plant.sensor[i];
        sensor->noise = even(0.003, 0.02);
        if (d->light[i].dark_is_high) {
            sensor->black_counts = 0.9 * 1023;
            sensor->white_counts = 0.1 * 1023;
        }
    }
    cmo_sim_faults_none(&s->setup.faults);
}

// Breaks one thing: by the lab's own hand, where it is not the floor or the kind of motor.
static void break_one(subject *s, cmo_finding finding) {
    lab_robot robot = {.plant = s->setup.plant, .faults = s->setup.faults};
    bool stuck = s->setup.seed % 2 == 0 && (finding == CMO_FINDING_LEFT_LIGHT_SILENT ||
                                            finding == CMO_FINDING_RIGHT_LIGHT_SILENT);
    if (finding == CMO_FINDING_NO_LINE) {
        s->setup.x_mm -= 200.0;
    } else if (finding == CMO_FINDING_CURVED) { // behind duty: a regulator makes up for it
        s->setup.traits &= (uint16_t)~CMO_TRAIT_SPEED;
        s->description.full_duty_mm_s = 1000;
        s->setup.plant.no_load_mm_s = 1000;
        s->setup.plant.left_strength = 0.6;
    } else if (stuck) { // looks come, and never change
        s->setup.faults.light_stuck_at_ms[finding - CMO_FINDING_LEFT_LIGHT_SILENT] = 0;
    } else if (finding < CMO_FINDINGS) {
        lab_robot_break(&robot, cmo_finding_name(finding), NULL);
        s->setup.plant = robot.plant;
        s->setup.faults = robot.faults;
    }
}

static bool try_one(uint64_t seed, int broken, const cmo_sim_mat *mats[2], bool talk,
                    double *delay_off_ms) {
    static subject s;
    make(&s, seed, mats);
    // Swapped sensors of unlike polarity would be two faults.
    if (broken == CMO_FINDING_LIGHTS_SWAPPED) {
        bool high = s.description.light[0].dark_is_high;
        s.description.light[1].dark_is_high = high;
        s.setup.plant.sensor[1].black_counts = s.setup.plant.sensor[0].black_counts;
        s.setup.plant.sensor[1].white_counts = s.setup.plant.sensor[0].white_counts;
    }
    break_one(&s, (cmo_finding)broken);
    double stated[2] = {s.description.light[0].delay_us / 1000.0,
                        s.description.light[1].delay_us / 1000.0};
    (void)stated;
    s.setup.plant.delay_spread_ms = 0.0;
    cmo_sim *sim = cmo_sim_new(&s.setup);
    cmo_robot robot;
    static cmo_check_wiring_state state;
    cmo_robot_start(&robot, &s.description, cmo_sim_port(sim));
    cmo_check_wiring_parameters parameters = {.tone = s.tone};
    cmo_outcome outcome = cmo_check_wiring(&robot, &state, &parameters);
    uint32_t wanted = broken < CMO_FINDINGS ? CMO_FINDING_BIT(broken) : 0;
    bool good = state.findings == wanted &&
                outcome == (wanted ? CMO_OUTCOME_WIRING_WRONG : CMO_OUTCOME_DONE);
    for (int i = 0; i < 2; i++) {
        delay_off_ms[i] = (double)state.delay_ms[i] - s.setup.plant.sensor[i].delay_ms;
    }
    if (!good && talk) {
        printf("    seed %d: %s;", (int)seed, cmo_outcome_name(outcome));
        for (int i = 0; i < CMO_FINDINGS; i++) {
            if (state.findings >> i & 1U) {
                printf(" %s", cmo_finding_name((cmo_finding)i));
            }
        }
        printf(" (delay off %.1f %.1f, interval %.1f %.1f, curve %.1f)\n", delay_off_ms[0],
               delay_off_ms[1], (double)state.interval_ms[0], (double)state.interval_ms[1],
               (double)state.curve_deg_m);
    }
    cmo_sim_free(sim);
    return good;
}

int main(int count, char **arguments) {
    int robots = count > 1 ? CLAMP(atoi(arguments[1]), 10, 1000) : 200;
    line_floor dark = {0.6, 0.05, 500.0};
    line_floor light = {0.06, 0.7, 500.0};
    cmo_sim_mat *mats[2] = {cmo_sim_mat_from_function(1000, 1000, 2, luminance, &dark),
                            cmo_sim_mat_from_function(1000, 1000, 2, luminance, &light)};
    const cmo_sim_mat *views[2] = {mats[0], mats[1]};
    printf("Wiring check; %d random robots a fault, %d healthy ones\n", robots, 5 * robots);
    bool all = true;
    for (int fault = 0; fault <= CMO_FINDINGS; fault++) {
        int named = 0;
        int tries = fault < CMO_FINDINGS ? robots : 5 * robots;
        double squares = 0.0;
        double worst = 0.0;
        int measured = 0;
        for (int i = 0; i < tries; i++) {
            double off[2];
            named += try_one((uint64_t)(1000 * fault + i + 1), fault, views, i - named < 3, off);
            for (int n = 0; n < 2; n++) {
                if (isfinite(off[n])) {
                    squares += off[n] * off[n];
                    worst = fmax(worst, fabs(off[n]));
                    measured++;
                }
            }
        }
        printf("%-24s %5d of %5d named rightly%s",
               fault < CMO_FINDINGS ? cmo_finding_name((cmo_finding)fault) : "none", named, tries,
               named == tries ? "  holds" : "  misses");
        if (measured > 0) {
            printf("  delay RMS %.2f worst %.2f ms", sqrt(squares / measured), worst);
        }
        printf("\n");
        all = all && named == tries;
    }
    cmo_sim_mat_free(mats[0]);
    cmo_sim_mat_free(mats[1]);
    return all ? 0 : 1;
}
