// SPDX-License-Identifier: GPL-3.0-or-later
// A fleet measures what its tyres pass on: what it states, beside what is so.
#include "fleet.h"

#include <math.h>
#include <stdio.h>

enum { GRIP, GRIP_SIGMA, SLID, TIME };

static lab_leg_result measure(const lab_robot *robot, const cmo_sim_mat *mat, uint64_t seed) {
    lab_start start = fleet_before_line(robot, 300.0, 0.0);
    lab_leg leg = {.routine = CMO_ROUTINE_MEASURE_BRAKING};
    return fleet_leg(robot, mat, leg, &start, seed);
}

static void apply(const population *c, unsigned i, const void *context, outcome *out) {
    lab_robot *robot = c->robot[i];
    lab_leg_result result = measure(robot, context, i + 1);
    out->outcome = result.outcome;
    out->tried = true;
    if (out->outcome == CMO_OUTCOME_DONE) {
        cmo_braking_apply(&result.braking, &robot->description);
    }
}

void fleet_measure_brakings(population *c, const cmo_sim_mat *mat) {
    static outcome results[POPULATION_MOST];
    population_work(c, apply, mat, results);
}

// What the body brakes by in a halt, while it goes from four fifths to one fifth of its speed: with
// a ball ahead that takes load off the wheels it is less than the tyres' grip.
static double true_grip_mm_s2(const lab_robot *robot, const cmo_sim_mat *mat, uint64_t seed,
                              double speed_mm_s) {
    cmo_sim_setup setup = {.traits = robot->traits,
                           .plant = robot->plant,
                           .mat = mat,
                           .x_mm = 300.0,
                           .y_mm = FLEET_Y_MM,
                           .seed = seed};
    cmo_sim_faults_none(&setup.faults);
    cmo_sim *sim = cmo_sim_new(&setup);
    const cmo_port *port = cmo_sim_port(sim);
    bool brakes = robot->traits & CMO_TRAIT_BRAKE;
    double speed = 0.0, fast_s = 0.0, slow_s = 0.0, top = 0.0;
    double x = cmo_sim_truth_now(sim).x_mm;
    for (unsigned ms = 0; ms < 3000U; ms++) {
        if (ms < 1500U) {
            float asked = (float)speed_mm_s;
            if (!(robot->traits & CMO_TRAIT_SPEED)) {
                asked /= robot->description.full_duty_mm_s;
            }
            port->drive(port->context, asked, asked, 200000);
        } else if (ms == 1500U) {
            top = speed;
            port->halt(port->context, brakes ? CMO_HALT_BRAKE : CMO_HALT_COAST);
        }
        port->wait(port->context, port->clock(port->context) + 1000U);
        double now = cmo_sim_truth_now(sim).x_mm;
        speed = (now - x) * 1000.0;
        x = now;
        if (ms >= 1500U) {
            fast_s += speed > 0.8 * top ? 1e-3 : 0.0;
            slow_s += speed > 0.2 * top ? 1e-3 : 0.0;
        }
    }
    cmo_sim_free(sim);
    return 0.6 * top / (slow_s - fast_s);
}

static void drive(const population *c, unsigned i, const void *context, outcome *out) {
    const lab_robot *robot = c->robot[i];
    lab_leg_result result = measure(robot, context, i + 1);
    cmo_braking found = result.braking;
    out->outcome = result.outcome;
    out->value[TIME] = (double)result.robot.value[CMO_ELAPSED_MS];
    out->tried = true;
    if (out->outcome != CMO_OUTCOME_DONE) {
        return;
    }
    out->value[SLID] = (double)found.halt_slid_mm;
    if (found.grip_mm_s2 > 0.0F) {
        double grip = true_grip_mm_s2(robot, context, i + 1, (double)found.speed_mm_s);
        out->value[GRIP] = 100.0 * ((double)found.grip_mm_s2 / grip - 1.0);
        out->value[GRIP_SIGMA] = ((double)found.grip_mm_s2 - grip) / (double)found.grip_error_mm_s2;
    }
}

void fleet_braking(const char *fleet, unsigned robots) {
    static outcome results[POPULATION_MOST];
    cmo_sim_mat *mat = fleet_two_lines();
    population *c = population_new(fleet, robots, mat, 300.0, FLEET_Y_MM);
    population_work(c, drive, mat, results);
    population_figure time = population_sum_up(c, results, TIME, POPULATION_ALL, 0);
    printf("Braking measured by stops over an edge: %u of %u done, in %.0f s on the mean\n",
           time.done, time.tried, time.mean / 1000.0);
    fleet_print_within(c, results, "grip", GRIP, GRIP_SIGMA, "%");
    static const char *const names[] = {"grip off, %", "halted it slid, mm"};
    static const unsigned values[] = {GRIP, SLID};
    population_print_kinds(c, results, names, values, 2);
    printf("\n");
    population_free(c);
    cmo_sim_mat_free(mat);
}
