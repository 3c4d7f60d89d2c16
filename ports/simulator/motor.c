// SPDX-License-Identifier: MIT
// Motors and what regulates them: from a command to the force at the tyre.
#include "motor.h"

#include "direction.h"

#include <math.h>

// What is asked for, as the regulator takes it: rounded, its dead zone, its ramp.
static double take_goal(const cmo_sim_plant *p, side *s, double dt_s) {
    double goal = s->command;
    if (p->regulator_step_mm_s > 0.0) {
        goal = p->regulator_step_mm_s * floor(goal / p->regulator_step_mm_s + 0.5);
    }
    if (fabs(goal) < p->regulator_slowest_mm_s) {
        goal = 0.0;
    }
    if (p->regulator_ramp_mm_s2 > 0.0) {
        double most = p->regulator_ramp_mm_s2 * dt_s;
        goal = s->reference_mm_s + clamp(goal - s->reference_mm_s, -most, most);
    }
    s->reference_mm_s = goal;
    return goal;
}

static double friction_of(const cmo_sim_plant *p, double goal) {
    return goal > 0.0 ? p->dead_mm_s : goal < 0.0 ? -p->dead_mm_s : 0.0;
}

// Feed-forward, and a slow trim against what a motor of this lag should do.
static double trim(const struct plant *pl, side *s, double goal, double dt_s) {
    s->model_mm_s += (goal - s->model_mm_s) * pl->rates.motor_model;
    if (goal == 0.0) {
        s->trim *= 1.0 - MIN(1.0, 10.0 * dt_s);
    } else {
        double error = (s->model_mm_s - s->speed_mm_s) * pl->per_no_load;
        s->trim = clamp(s->trim + error * pl->rates.trim, -0.5, 0.5);
    }
    return (goal + friction_of(pl->p, goal)) * pl->per_no_load + s->trim;
}

// Feed-forward and PI. It does not know what the motor cannot do yet, so its integral runs ahead
// while the speed rises, and overshoots; on a reference that rises slowly enough it does not.
static double control(const struct plant *pl, side *s, double goal) {
    const cmo_sim_plant *p = pl->p;
    if (p->regulator == CMO_SIM_PI_SOFT) {
        s->model_mm_s += (goal - s->model_mm_s) * pl->rates.model;
        goal = s->model_mm_s;
    }
    s->measured_mm_s += (s->speed_mm_s - s->measured_mm_s) * pl->rates.filter;
    double error = p->regulator_gain * (goal - s->measured_mm_s) * pl->per_no_load;
    double duty = (goal + friction_of(p, goal)) * pl->per_no_load + error + s->trim;
    bool saturated = (duty > 1.0 && error > 0.0) || (duty < -1.0 && error < 0.0);
    if (!saturated) {
        s->trim = clamp(s->trim + error * pl->rates.trim, -1.0, 1.0);
    }
    return duty;
}

static double regulate(const struct plant *pl, side *s, double dt_s) {
    double goal = take_goal(pl->p, s, dt_s);
    return pl->p->regulator == CMO_SIM_TRIM ? trim(pl, s, goal, dt_s) : control(pl, s, goal);
}

double cmi_sim_motor_force(const struct plant *pl, side *s, double volts, double dt_s) {
    const cmo_sim_plant *p = pl->p;
    double back = s->speed_mm_s * pl->per_no_load;
    double duty = 0.0;
    switch (pl->mode) {
    case DRIVE_COAST:
        s->force = 0.0;
        return 0.0;
    case DRIVE_BRAKE:
        break;
    case DRIVE_DUTY:
        duty = s->command;
        break;
    case DRIVE_SPEED:
        duty = regulate(pl, s, dt_s);
        break;
    case DRIVE_HOLD: // a position loop in the motor controller: 20 1/s, with damping
        duty = 20.0 * (s->hold_mm - s->place_mm) * pl->per_no_load - 0.5 * back;
        break;
    }
    double force = s->strength * (clamp(duty, -1.0, 1.0) * volts - back);
    if (p->electric_ms > 0.0) { // the current follows the voltage
        force = s->force + (force - s->force) * pl->rates.electric;
    }
    s->force = force;
    if (p->ripple > 0.0) {
        force *= 1.0 + p->ripple * sine_of_turns(s->place_mm * pl->per_ripple);
    }
    return force * pl->stall_mn;
}
