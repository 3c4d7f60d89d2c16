// SPDX-License-Identifier: GPL-3.0-or-later
// A fleet measures its drive: what it states, beside what is so.
#include "fleet.h"

#include <math.h>
#include <stdio.h>
#include <string.h>

enum { LAG, LAG_SIGMA, RAMP, RAMP_SIGMA, SEEN, TIME };

lab_leg_result fleet_leg(const lab_robot *robot, const cmo_sim_mat *mat, lab_leg leg,
                         const lab_start *start, uint64_t seed) {
    lab_route *route = population_route(mat, &leg);
    lab_run *run = lab_drive_from(route, robot, start, seed, false);
    lab_leg_result result = {.outcome = run->outcome}; // of a robot that makes no sense: no leg
    if (run->legs->len > 0) {
        result = g_array_index(run->legs, lab_leg_result, 0);
    }
    result.rebounds = NULL; // what goes with the run
    result.counted = NULL;
    result.surface = NULL;
    lab_run_free(run);
    population_route_free(route);
    return result;
}

static lab_leg_result measure(const lab_robot *robot, const cmo_sim_mat *mat, uint64_t seed) {
    lab_start start = {300.0, FLEET_Y_MM, 0.0};
    lab_leg leg = {.routine = CMO_ROUTINE_MEASURE_DRIVE};
    return fleet_leg(robot, mat, leg, &start, seed);
}

static void apply(const population *c, unsigned i, const void *context, outcome *out) {
    lab_robot *robot = c->robot[i];
    lab_leg_result result = measure(robot, context, i + 1);
    out->outcome = result.outcome;
    out->tried = true;
    if (out->outcome == CMO_OUTCOME_DONE) {
        cmo_drive_apply(&result.drive, &robot->description);
    }
}

void fleet_measure_drives(population *c, const cmo_sim_mat *mat) {
    static outcome results[POPULATION_MOST];
    population_work(c, apply, mat, results);
}

// ---------------------------------------------------------------------------------------- truth --

#define FINE_MM 0.01 // a perfect encoder's step

// Way that is commanded and not driven when the speed is changed, over the change: as perfect
// encoders show it.
static double step_trail_s(cmo_sim *sim, double tick_s, double settle_s, double from, double to) {
    const cmo_port *port = cmo_sim_port(sim);
    const double seconds[4] = {settle_s, 0.2, settle_s, 0.2}; // to come to a speed, at it; twice
    double way[4], took[4];
    cmo_sample sample;
    uint32_t last[2] = {0, 0};
    for (int part = 0; part < 4; part++) {
        way[part] = took[part] = 0.0;
        for (; took[part] < seconds[part]; took[part] += tick_s) {
            float command = (float)(part < 2 ? from : to);
            memset(&sample, 0, sizeof sample);
            port->drive(port->context, command, command, 200000);
            port->wait(port->context, port->clock(port->context) + (uint32_t)(tick_s * 1e6 + 0.5));
            port->sample(port->context, &sample);
            way[part] += 0.5 * FINE_MM *
                         ((int32_t)(sample.encoders.left - last[0]) +
                          (int32_t)(sample.encoders.right - last[1]));
            last[0] = sample.encoders.left;
            last[1] = sample.encoders.right;
        }
    }
    double before = way[1] / took[1];
    double after = way[3] / took[3];
    return (after * took[2] - way[2]) / (after - before);
}

static double true_lag_ms(const lab_robot *robot, const cmo_sim_mat *mat, uint64_t seed) {
    cmo_sim_setup setup = {.traits = robot->traits,
                           .plant = robot->plant,
                           .mat = mat,
                           .x_mm = 300.0,
                           .y_mm = FLEET_Y_MM,
                           .seed = seed};
    cmo_sim_faults_none(&setup.faults);
    setup.plant.encoder_step_mm = FINE_MM;
    setup.plant.encoder_wobble = 0.0;
    setup.plant.encoder_bits = 32;
    cmo_sim *sim = cmo_sim_new(&setup);
    double tick_s = robot->description.tick_us * 1e-6;
    double settle_s = CLAMP(4e-3 * (double)robot->description.lag_ms, 0.3, 0.65);
    const double change = 100.0;
    double sum = 0.0;
    for (int n = 0; n < 4; n++) {
        double low = 120.0;
        bool up = n % 2 == 0;
        double sign = n < 2 ? 1.0 : -1.0;
        sum += step_trail_s(sim, tick_s, settle_s, sign * (up ? low : low + change),
                            sign * (up ? low + change : low));
    }
    cmo_sim_free(sim);
    double ramp = robot->plant.regulator_ramp_mm_s2;
    return 1000.0 * (0.25 * sum - (ramp > 0.0 ? 0.5 * change / ramp : 0.0));
}

static void drive(const population *c, unsigned i, const void *context, outcome *out) {
    const lab_robot *robot = c->robot[i];
    lab_leg_result result = measure(robot, context, i + 1);
    cmo_drive found = result.drive;
    out->outcome = result.outcome;
    out->value[TIME] = (double)result.robot.value[CMO_ELAPSED_MS];
    out->tried = true;
    if (out->outcome != CMO_OUTCOME_DONE) {
        return;
    }
    double ramp = robot->plant.regulator_ramp_mm_s2;
    out->value[SEEN] = found.ramp_mm_s2 > 0.0F;
    if (robot->traits & CMO_TRAIT_SPEED) { // else the robot's own control is part of it
        double lag = fmax(true_lag_ms(robot, context, i + 1), 0.0);
        out->value[LAG] = (double)found.lag_ms - lag;
        out->value[LAG_SIGMA] = out->value[LAG] / (double)found.lag_error_ms;
    }
    if (ramp > 0.0 && found.ramp_mm_s2 > 0.0F) {
        out->value[RAMP] = 100.0 * ((double)found.ramp_mm_s2 / ramp - 1.0);
        out->value[RAMP_SIGMA] = ((double)found.ramp_mm_s2 - ramp) / (double)found.ramp_error_mm_s2;
    }
}

void fleet_print_within(const population *c, const outcome *results, const char *name, unsigned off,
                        unsigned sigma, const char *unit) {
    unsigned within[2] = {0, 0};
    unsigned n = 0;
    for (unsigned i = 0; i < c->n; i++) {
        double s = fabs(results[i].value[sigma]);
        if (isfinite(s)) {
            n++;
            within[0] += s <= 1.0;
            within[1] += s <= 2.0;
        }
    }
    population_figure f = population_sum_up(c, results, off, POPULATION_ALL, 0);
    printf("%-8s off by %.1f on the mean, RMS %.1f %s, 95 %% within %.1f, worst %.1f; within one "
           "stated deviation "
           "%.0f %%, within two %.0f %%, of %u; worst:",
           name, f.mean, f.rms, unit, f.within, f.worst, 100.0 * within[0] / n,
           100.0 * within[1] / n, n);
    population_print_worst(c, results, sigma);
    printf("\n");
}

void fleet_drive(const char *fleet, unsigned robots) {
    static outcome results[POPULATION_MOST];
    cmo_sim_mat *mat = fleet_two_lines();
    population *c = population_new(fleet, robots, mat, 300.0, FLEET_Y_MM);
    population_work(c, drive, mat, results);
    population_figure time = population_sum_up(c, results, TIME, POPULATION_ALL, 0);
    printf("Drive measured by driving to and fro: %u of %u done, in %.0f s on the mean\n",
           time.done, time.tried, time.mean / 1000.0);
    fleet_print_within(c, results, "lag", LAG, LAG_SIGMA, "ms");
    fleet_print_within(c, results, "ramp", RAMP, RAMP_SIGMA, "%");
    unsigned seen[2] = {0, 0}, have[2] = {0, 0};
    for (unsigned i = 0; i < c->n; i++) {
        bool has = c->robot[i]->plant.regulator_ramp_mm_s2 > 0.0;
        if (results[i].outcome == CMO_OUTCOME_DONE) {
            have[has]++;
            seen[has] += results[i].value[SEEN] > 0.0;
        }
    }
    printf("ramps seen: %u of %u that are there, %u of %u that are not\n\n", seen[1], have[1],
           seen[0], have[0]);
    static const char *const names[] = {"lag off, ms", "ramp off, %"};
    static const unsigned values[] = {LAG, RAMP};
    population_print_kinds(c, results, names, values, 2);
    printf("\n");
    population_free(c);
    cmo_sim_mat_free(mat);
}
