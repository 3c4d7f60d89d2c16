// SPDX-License-Identifier: MIT
#include "wheel.h"

#include <math.h>

static float clamp(float value, float low, float high) {
    return value < low ? low : value > high ? high : value;
}

// Of a wheel that answers with one lag T, T dv/dt = c - v: what was commanded and not driven is T
// times the speed gained, at any time and of any regulator that comes near to that. Both forget
// within half a second, so that a regulator that runs a little slow does not add up.
static void follow_trail(cmo_wheel *wheel, float command, float before_mm_s, float way_mm,
                         float dt_s, uint8_t halt) {
    bool known = halt == 0 && !isnan(wheel->way_mm);
    float keeps = fmaxf(1.0F - 2.0F * dt_s, 0.0F);
    float driven = way_mm - wheel->way_mm;
    wheel->behind_mm = known ? keeps * wheel->behind_mm + command * dt_s - driven : 0.0F;
    wheel->gained_mm_s =
        known ? keeps * wheel->gained_mm_s + wheel->speed_mm_s - before_mm_s : 0.0F;
    wheel->way_mm = way_mm;
}

bool cmo_wheel_trails(const cmo_wheel *wheel, float *behind_mm, float *gained_mm_s) {
    float sign = wheel->speed_mm_s < 0.0F ? -1.0F : 1.0F;
    *behind_mm = sign * wheel->behind_mm;
    *gained_mm_s = sign * wheel->gained_mm_s;
    return sign * wheel->command_mm_s >= 0.9F * sign * wheel->speed_mm_s;
}

void cmo_wheel_observe(cmo_wheel *wheel, const cmo_robot_description *description, float way_mm,
                       float dt_s, uint8_t halt) {
    float lag_s = description->lag_ms * 1e-3F;
    float command =
        fabsf(wheel->command_mm_s) < description->slowest_mm_s ? 0.0F : wheel->command_mm_s;
    if (halt == CMO_HALT_COAST) {
        lag_s *= 6.0F; // the motors do not hold against it; friction alone ends the motion
    }
    // First order: exp(-dt / lag) to second order in the denominator, stable for any dt.
    float ratio = dt_s / (lag_s + 1e-6F);
    float share = lag_s > 0.0F ? 1.0F - 1.0F / (1.0F + ratio + 0.5F * ratio * ratio) : 1.0F;
    wheel->expected_mm_s += share * (command - wheel->expected_mm_s);
    bool left_alone = halt == 0 && wheel->command_mm_s == 0.0F;
    if (left_alone && !isnan(way_mm)) {
        share = 0.0F; // pushed by hand, say: only the encoder knows
    }
    float before = wheel->speed_mm_s;
    wheel->speed_mm_s += share * (command - wheel->speed_mm_s);
    wheel->place_mm += 0.5F * (before + wheel->speed_mm_s) * dt_s;
    if (isnan(way_mm) || dt_s <= 0.0F) {
        wheel->way_mm = NAN;
        return;
    }
    float error = way_mm - wheel->place_mm;
    // Gains of an alpha-beta filter; while the motors are halted the model says little, and the
    // encoder is trusted more.
    float alpha = halt || left_alone ? 0.6F : 0.4F;
    float beta = halt || left_alone ? 0.3F : 0.08F;
    if (fabsf(error) > 50.0F) { // pushed by hand, or started anew
        wheel->place_mm = way_mm;
        wheel->speed_mm_s = 0.0F;
        wheel->way_mm = NAN;
        return;
    }
    wheel->place_mm += alpha * error;
    wheel->speed_mm_s += beta * error / dt_s;
    if (CMO_SLIDING) {
        follow_trail(wheel, command, before, way_mm, dt_s, halt);
    }
}

float cmo_wheel_duty(cmo_wheel *wheel, const cmo_robot_description *description, float dt_s,
                     bool measured) {
    float command = wheel->command_mm_s;
    if (command == 0.0F) {
        wheel->integral = 0.0F;
        return 0.0F;
    }
    float full = description->full_duty_mm_s;
    float sign = command < 0.0F ? -1.0F : 1.0F;
    // Friction acts against the wheel's own motion, whatever is asked of it: a command that passes
    // zero while the wheel rolls must not jump by twice the dead band. Slower than what that is
    // worth, the command's sign takes over bit by bit: the wheel will have to be started anew.
    float worth = description->dead_duty * full;
    float rolls = wheel->speed_mm_s / (worth + 1e-6F);
    rolls = measured ? clamp(rolls, -1.0F, 1.0F) : 0.0F;
    float against = rolls + sign * (1.0F - fabsf(rolls));
    float forward =
        against * description->dead_duty + (1.0F - description->dead_duty) * command / full;
    if (!measured) {
        return clamp(forward, -1.0F, 1.0F);
    }
    float gain = description->speed_gain > 0.0F ? description->speed_gain : 1.0F / full;
    float reset_s =
        description->speed_reset_ms > 0.0F ? description->speed_reset_ms * 1e-3F : 0.15F;
    // Against what the motor should do by now: the feed-forward already holds the lead that the
    // lag needs, and must not be answered twice.
    float error = wheel->expected_mm_s - wheel->speed_mm_s;
    float duty = forward + gain * error + wheel->integral;
    // Anti-windup: no integration further into saturation.
    bool saturated = (duty > 1.0F && error > 0.0F) || (duty < -1.0F && error < 0.0F);
    if (!saturated) {
        wheel->integral = clamp(wheel->integral + gain * error * dt_s / reset_s, -0.5F, 0.5F);
    }
    return clamp(duty, -1.0F, 1.0F);
}
