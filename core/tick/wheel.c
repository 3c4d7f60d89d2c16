// SPDX-License-Identifier: MIT
#include "wheel.h"

#include <math.h>
#include <stddef.h>

static float clamp(float value, float low, float high) {
    return value < low ? low : value > high ? high : value;
}

// Of a wheel that answers with one lag T, T dv/dt = c - v: what was commanded and not driven is T
// times the speed gained, at any time and of any regulator that comes near to that. Both forget
// within half a second, so that a regulator that runs a little slow does not add up.
static void follow_trail(cmo_wheel *wheel, float behind_mm, float gained_mm_s, float dt_s) {
    float keeps = fmaxf(1.0F - 2.0F * dt_s, 0.0F);
    wheel->behind_mm = keeps * wheel->behind_mm + behind_mm;
    wheel->gained_mm_s = keeps * wheel->gained_mm_s + gained_mm_s;
}

bool cmi_wheel_trails(const cmo_wheel *wheel, float *behind_mm, float *gained_mm_s) {
    float sign = wheel->speed_mm_s < 0.0F ? -1.0F : 1.0F;
    *behind_mm = sign * wheel->behind_mm;
    *gained_mm_s = sign * wheel->gained_mm_s;
    return sign * wheel->command_mm_s >= 0.9F * sign * wheel->speed_mm_s;
}

// By how much the estimated speed takes after what counts show to have been gone more or less than
// it says, 1/s: a wrong speed is put right with a time constant of 1 / 20 s, however short the
// ticks are, so that a single count at an edge is no jump. The same for a wheel that is driven,
// halted or pushed: a model that is wrong for it keeps the place at an end of the counted step
// until the speed is right.
#define SPEED_GAIN 20.0F

// By the model it has gone on by so many steps, and by what it goes in so many lags, and no count
// has come: the wheel sticks, or something blocks it. Left to the gain above, a wheel of the lag T
// would be believed to turn at 1 / (1 + 20 T) of what it is told for as long as it stood.
#define STUCK_STEPS 2.0F
#define STUCK_LAGS  1.0F

static bool is_stuck(cmo_wheel *wheel, const cmi_counted *counted, float error_mm, float lag_s) {
#if CMO_SLIDING
    bool goes = counted->way_mm != 0.0F || error_mm == 0.0F;
    wheel->overdue_mm = goes ? 0.0F : wheel->overdue_mm + fabsf(error_mm);
    return wheel->overdue_mm >
           STUCK_STEPS * counted->step_mm + STUCK_LAGS * lag_s * fabsf(wheel->speed_mm_s);
#else
    (void)wheel, (void)counted, (void)error_mm, (void)lag_s;
    return false;
#endif
}

float cmi_wheel_observe(cmo_wheel *wheel, const cmo_robot_description *description,
                        const cmi_counted *counted, float dt_s, float lag_s) {
    float command =
        fabsf(wheel->command_mm_s) < description->slowest_mm_s ? 0.0F : wheel->command_mm_s;
    // First order: exp(-dt / lag) to second order in the denominator, stable for any dt.
    float ratio = dt_s / (lag_s + 1e-6F);
    float share = lag_s > 0.0F ? 1.0F - 1.0F / (1.0F + ratio + 0.5F * ratio * ratio) : 1.0F;
    wheel->expected_mm_s += share * (command - wheel->expected_mm_s);
    float before = wheel->speed_mm_s;
    wheel->speed_mm_s += share * (command - wheel->speed_mm_s);
    float way = 0.5F * (before + wheel->speed_mm_s) * dt_s;
    if (counted == NULL) {
        wheel->within_mm += way;
        wheel->behind_mm = wheel->gained_mm_s = 0.0F;
        return way;
    }
    // A count is an interval, not a place: what lies within it stands, what has left it goes back
    // to its end, where the encoder has just changed or is about to.
    float within = wheel->within_mm + way - counted->way_mm;
    float error = clamp(within, -0.5F * counted->step_mm, 0.5F * counted->step_mm) - within;
    bool lost = fabsf(error) > 50.0F; // pushed by hand, or started anew
    wheel->within_mm = within + error;
    way += error;
    if (lost || is_stuck(wheel, counted, error, lag_s)) {
        wheel->speed_mm_s = wheel->behind_mm = wheel->gained_mm_s = 0.0F;
        return way;
    }
    wheel->speed_mm_s += fminf(SPEED_GAIN, 0.5F / (dt_s + 1e-6F)) * error;
    if (CMO_SLIDING) {
        follow_trail(wheel, command * dt_s - way, wheel->speed_mm_s - before, dt_s);
    }
    return way;
}

float cmi_wheel_duty(cmo_wheel *wheel, const cmo_robot_description *description, float dt_s,
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
    float asked = command / full;
    float forward = against * description->dead_duty + (1.0F - description->dead_duty) * asked;
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
        wheel->integral += gain * error * dt_s / reset_s;
    }
    // Most of what it makes good is a weaker battery's, and as much less as less is asked for: what
    // a high speed has taken must not drive on when the command has fallen.
    float most = 0.1F + 0.5F * fabsf(asked);
    wheel->integral = clamp(wheel->integral, -most, most);
    return clamp(duty, -1.0F, 1.0F);
}
