// SPDX-License-Identifier: MIT
#include "motion.h"

#include "../shared/description.h"
#include "../shared/routine.h"
#include "../tick/lead.h"
#include "../tick/odometer.h"

#include <math.h>

static float left_way(const cmo_motion *motion, const cmo_robot *robot) {
    return robot->odometer.left_mm - motion->left_start_mm;
}

static float right_way(const cmo_motion *motion, const cmo_robot *robot) {
    return robot->odometer.right_mm - motion->right_start_mm;
}

// Position gain, 1/s: three lags to take out an error, which for a wheel that follows its command
// with one lag is damped at 0.87 of critical.
static float position_gain(const cmo_robot_description *description) {
    float lag_s = description->lag_ms * 1e-3F + (float)description->tick_us * 1e-6F;
    return 1.0F / (3.0F * lag_s);
}

float cmi_motion_share(float left_sign, float right_sign) {
    float straight = 0.5F * fabsf(right_sign + left_sign);
    float turn = 0.5F * fabsf(right_sign - left_sign);
    return 1.0F / (straight + turn / CMI_TURN_SHARE);
}

void cmi_motion_start(cmo_motion *motion, const cmo_robot *robot, float target_mm, float left_sign,
                      float right_sign) {
    motion->place_mm = 0.0F;
    motion->target_mm = target_mm;
    motion->left_sign = left_sign;
    motion->right_sign = right_sign;
    motion->left_start_mm = robot->odometer.left_mm;
    motion->right_start_mm = robot->odometer.right_mm;
    motion->arrived = false;
#if CMO_SLIDING
    motion->hardest_mm_s2 = 0.0F;
    motion->settles = motion->by_counts = motion->back = false;
    motion->again = 0;
#endif
    motion->since_us = 0;
    float speed =
        0.5F * (left_sign * robot->left.speed_mm_s + right_sign * robot->right.speed_mm_s);
    bool rolls = fabsf(speed) > robot->description->slowest_mm_s + 1.0F;
    motion->speed_mm_s = rolls ? speed : 0.0F;
}

// The least that a wheel which stands is driven at, to settle.
#define LEAST_MM_S(description) (1.3F * (description)->slowest_mm_s + 2.0F)

// Of what a drive surely passes on, small moves are given so many times: where its wheels fall
// behind, the profile waits for them.
#define SETTLE_SURE 2.0F

#if CMO_SLIDING
static void stay_below(cmo_motion *motion, float most_mm_s2) {
    motion->acceleration_mm_s2 = fminf(motion->acceleration_mm_s2, most_mm_s2);
    motion->braking_mm_s2 = fminf(motion->braking_mm_s2, most_mm_s2);
}
#endif

void cmi_motion_settles(cmo_motion *motion, const cmo_robot *robot) {
#if CMO_SLIDING
    if (!robot->description->lag_measured) {
        stay_below(motion, SETTLE_SURE * cmi_sure_mm_s2(robot->description));
    }
    motion->settles = true;
#else
    (void)motion, (void)robot;
#endif
}

// Speeding up and braking at a, a way s takes 2 sqrt(s / a). But what still rolls is braked within
// one of the times, and what stands is started within it.
void cmi_motion_ends_blind(cmo_motion *motion, const cmo_robot *robot) {
#if CMO_SLIDING
    float lead_s = cmi_lead_s(robot);
    if (!robot->description->lag_measured && lead_s > 0.0F) {
        float least = LEAST_MM_S(robot->description) + fabsf(motion->speed_mm_s);
        stay_below(motion, fmaxf(motion->target_mm / lead_s, least) / lead_s);
    }
#else
    (void)motion, (void)robot;
#endif
}

float cmi_motion_way(const cmo_motion *motion, const cmo_robot *robot) {
    float wheels = motion->left_sign * motion->left_sign + motion->right_sign * motion->right_sign;
    float ways =
        motion->left_sign * left_way(motion, robot) + motion->right_sign * right_way(motion, robot);
    return wheels > 0.0F ? ways / wheels : 0.0F;
}

// Speed of the wheels along the motion.
static float along(const cmo_motion *motion, const cmo_robot *robot) {
    return 0.5F * (motion->left_sign * robot->left.speed_mm_s +
                   motion->right_sign * robot->right.speed_mm_s);
}

// A profile whose speed has left that of the wheels behind would brake for a way that they have yet
// to go: it is never further ahead than the stated lag explains, and what it may take to start
// them.
static void hold_back(cmo_motion *motion, const cmo_robot *robot, float acceleration_mm_s2) {
    const cmo_robot_description *d = robot->description;
    float lag_s = d->lag_ms * 1e-3F + 2e-6F * (float)d->tick_us;
    float start = fmaxf(d->slowest_mm_s, 0.25F * d->top_speed_mm_s);
    float most = fmaxf(along(motion, robot), 0.0F) + acceleration_mm_s2 * lag_s + start;
    motion->speed_mm_s = fminf(motion->speed_mm_s, most);
}

// A profile that ends leaves wheels that follow it slower than this share of the top speed.
#define RUNS_ON_SHARE 0.06F

static float led_s(const cmo_motion *motion, const cmo_robot *robot) {
#if CMO_SLIDING
    return motion->settles && robot->runs_on ? 0.5F * cmi_lead_s(robot) : cmi_lead_s(robot);
#else
    (void)motion;
    return cmi_lead_s(robot);
#endif
}

// Wheels that are ahead of the profile take it along, by half a tick by tick, for counts are
// coarse: what is left to brake in is left of their own way.
static void take_along(cmo_motion *motion, const cmo_robot *robot, float way_mm) {
#if CMO_SLIDING
    float ahead = way_mm + motion->speed_mm_s * cmi_held_s(robot) - motion->place_mm;
    if (motion->hardest_mm_s2 > 0.0F && motion->speed_mm_s > 0.0F && ahead > 0.0F) {
        float left = fmaxf(motion->target_mm - motion->place_mm, 0.0F);
        motion->place_mm += fminf(0.5F * ahead, left);
    }
#else
    (void)motion, (void)robot, (void)way_mm;
#endif
}

// The next speed of the profile, within the limits and still able to stop at the target.
static float next_speed(const cmo_motion *motion, float acceleration_mm_s2, float dt_s) {
    float goal = motion->top_mm_s;
    float remaining = motion->target_mm - motion->place_mm;
    if (isfinite(remaining)) {
        // After this step, (v + v') dt / 2 on, v'^2 / (2 b) must still be left.
        float half = 0.5F * motion->braking_mm_s2 * dt_s;
        float square = half * half + 2.0F * motion->braking_mm_s2 * remaining -
                       2.0F * half * motion->speed_mm_s;
        float stop = square > half * half ? sqrtf(square) - half : 0.0F;
        goal = fminf(goal, stop);
    }
    float most = motion->speed_mm_s + acceleration_mm_s2 * dt_s;
#if CMO_SLIDING
    float hardest = fmaxf(motion->hardest_mm_s2, motion->braking_mm_s2);
#else
    float hardest = motion->braking_mm_s2;
#endif
    float least = motion->speed_mm_s - hardest * dt_s;
    return fmaxf(least, fminf(goal, most));
}

// From as near as this, small moves do the rest.
#define NEARLY_THERE_MM 20.0F

// A profile that is held back time and again, for wheels that swing about its end and do not
// follow, never arrives: after twice the time that it takes and a few lags, this is as near as it
// gets.
static bool swings(const cmo_motion *motion, const cmo_robot *robot, float way_mm) {
    float top = fmaxf(motion->top_mm_s, 1.0F);
    float planned_s =
        motion->target_mm / top + top / fminf(motion->acceleration_mm_s2, motion->braking_mm_s2);
    float longest_s = 2.0F * planned_s + 6e-3F * robot->description->lag_ms + 0.3F;
    return fabsf(motion->target_mm - way_mm) < NEARLY_THERE_MM &&
           (float)motion->since_us * 1e-6F > longest_s;
}

// Motors that cannot keep up must not let the profile run away from them; and what is not led for
// as it speeds up would be made good by driving too fast. A wheel that has yet to be started may
// need more. But a small move of a drive that runs on would end as far short of its place.
static float most_behind_mm(const cmo_motion *motion, const cmo_robot *robot, bool rolls,
                            float before) {
    if (rolls && motion->speed_mm_s >= before) {
        return 1.0F + motion->speed_mm_s * cmi_held_s(robot);
    }
#if CMO_SLIDING
    if (motion->settles && robot->runs_on) {
        return 1.0F + 0.03F * motion->speed_mm_s;
    }
#endif
    return 5.0F + 0.1F * motion->speed_mm_s;
}

void cmi_motion_follow(cmo_motion *motion, cmo_robot *robot) {
    const cmo_robot_description *description = robot->description;
    float dt_s = (float)robot->dt_us * 1e-6F;
    float before = motion->speed_mm_s;
    // What the wheels have been seen not to reach is not asked for.
    float reach = robot->reach_mm_s2 > 0.0F ? 0.9F * robot->reach_mm_s2 : INFINITY;
    float acceleration = fminf(motion->acceleration_mm_s2, reach);
    float way = cmi_motion_way(motion, robot);
    float next = before;
    if (!motion->arrived) {
        take_along(motion, robot, way);
        next = motion->speed_mm_s = next_speed(motion, acceleration, dt_s);
        if (motion->speed_mm_s > before) {
            hold_back(motion, robot, acceleration);
        }
        motion->place_mm += 0.5F * (before + motion->speed_mm_s) * dt_s;
        motion->since_us = cmi_add_us(motion->since_us, robot->dt_us);
        if (motion->place_mm >= motion->target_mm - 0.01F ||
            (CMO_SLIDING && swings(motion, robot, way))) {
            motion->place_mm = motion->target_mm;
            motion->speed_mm_s = 0.0F;
            motion->arrived = true;
            if (CMO_SLIDING && along(motion, robot) > RUNS_ON_SHARE * description->top_speed_mm_s) {
                cmi_lead_runs_on(robot);
            }
        }
    }
    float behind = motion->place_mm - way;
    bool rolls = along(motion, robot) > 0.5F * motion->speed_mm_s;
    float most_behind = most_behind_mm(motion, robot, rolls, before);
    // What still rolls the other way is not behind for that.
    if (behind > most_behind && !motion->arrived && motion->speed_mm_s >= 0.0F) {
        motion->place_mm -= behind - most_behind;
#if CMO_SLIDING
        // Set back each tick, a small move would speed up and brake in turns, and be led for both.
        float slow = fminf(0.5F * before, 0.05F * description->top_speed_mm_s);
        if (motion->settles && along(motion, robot) < 0.5F * before + slow) {
            next = before;
        } else if (!rolls) {
            next = fmaxf(next, before); // nor does it brake for what has yet to be started
        }
#endif
    }
    float now_mm = motion->place_mm - motion->speed_mm_s * cmi_held_s(robot);
    // What it is held back by is no braking, and nothing leads for it.
    float change = dt_s > 0.0F ? (next - before) / dt_s : 0.0F;
    change = fmaxf(-motion->braking_mm_s2, fminf(change, acceleration));
    float forward = motion->speed_mm_s + change * led_s(motion, robot);
    float gain = position_gain(description);
    float left_error = motion->left_sign * now_mm - left_way(motion, robot);
    float right_error = motion->right_sign * now_mm - right_way(motion, robot);
    float left = motion->left_sign * forward + gain * left_error;
    float right = motion->right_sign * forward + gain * right_error;
    uint32_t sticks_us = robot->still_us < motion->since_us ? robot->still_us : motion->since_us;
    cmi_drive(robot, cmi_pushed_mm_s(left, sticks_us, CMI_STICKS_US),
              cmi_pushed_mm_s(right, sticks_us, CMI_STICKS_US));
}

// What is left after a profile is little; from further away than that, nothing is to dash.
#define SETTLE_MOST_MM_S CMI_PUSHED_MOST_MM_S

// What will be left to go by more than this goes by a profile of its own, so many times.
#define FAR_MM     8.0F
#define MOST_AGAIN 2U

float cmi_motion_least_mm(const cmo_robot *robot) {
    const cmo_robot_description *description = robot->description;
    return LEAST_MM_S(description) * 1e-6F * (float)description->tick_us;
}

// By counts alone a wheel is amid its own until the next one comes: it may have been driven and
// stand yet.
static bool by_counts(const cmo_motion *motion) {
#if CMO_SLIDING
    return motion->by_counts;
#else
    (void)motion;
    return false;
#endif
}

static float within(const cmo_motion *motion, const cmo_wheel *wheel) {
    return by_counts(motion) ? wheel->within_mm : 0.0F;
}

static float left_to_go(const cmo_motion *motion, const cmo_robot *robot) {
    float here = left_way(motion, robot) - within(motion, &robot->left);
    return motion->left_sign * motion->target_mm - here;
}

static float right_to_go(const cmo_motion *motion, const cmo_robot *robot) {
    float here = right_way(motion, robot) - within(motion, &robot->right);
    return motion->right_sign * motion->target_mm - here;
}

// One wheel's small move: drives at no less than the slowest speed, and lets go when the roll-out
// will carry it to its place. On its way there it goes for the place itself: let go as soon as that
// is within the tolerance, it would always end at the near end of it. Returns its command.
static float settle_wheel(const cmo_motion *motion, const cmo_robot *robot, const cmo_wheel *wheel,
                          float error, float tolerance_mm, uint32_t patience_us) {
    const cmo_robot_description *description = robot->description;
    // A wheel that hardly moves does not roll out: it stands, or is about to.
    bool rolls =
        !by_counts(motion) && fabsf(wheel->speed_mm_s) > 0.5F * description->slowest_mm_s + 1.0F;
    float roll_s = cmi_lead_s(robot) + cmi_held_s(robot);
    float left_over = rolls ? error - wheel->speed_mm_s * roll_s : error;
    bool onward = rolls && wheel->command_mm_s * left_over > 0.0F &&
                  wheel->command_mm_s * wheel->speed_mm_s > 0.0F;
    float enough = onward ? 0.2F * tolerance_mm : tolerance_mm;
    if (fabsf(left_over) <= enough) {
        return 0.0F;
    }
    float speed = fminf(position_gain(description) * fabsf(left_over), SETTLE_MOST_MM_S);
    speed = fmaxf(speed, LEAST_MM_S(description));
    return cmi_pushed_mm_s(left_over < 0.0F ? -speed : speed, robot->still_us, patience_us);
}

float cmi_motion_beyond_mm(const cmo_motion *motion, const cmo_robot *robot) {
    float beyond = cmi_motion_way(motion, robot) - motion->target_mm;
#if CMO_SLIDING
    beyond = motion->back ? -beyond : beyond;
#endif
    return beyond;
}

void cmi_motion_recentre(cmo_motion *motion, cmo_robot *robot) {
    cmi_recentre_wheels(robot);
#if CMO_SLIDING
    motion->by_counts = true;
#else
    (void)motion;
#endif
}

bool cmi_motion_again(cmo_motion *motion, const cmo_robot *robot) {
#if CMO_SLIDING
    float left_over = motion->target_mm - cmi_motion_way(motion, robot);
    float rolls_mm = along(motion, robot) * robot->description->lag_ms * 1e-3F;
    if (motion->again >= MOST_AGAIN || fabsf(left_over - rolls_mm) < FAR_MM) {
        return false;
    }
    float left_end = motion->left_start_mm + motion->left_sign * motion->target_mm;
    float right_end = motion->right_start_mm + motion->right_sign * motion->target_mm;
    bool back = motion->back != (left_over < 0.0F);
    uint8_t again = (uint8_t)(motion->again + 1U);
    float sign = left_over < 0.0F ? -1.0F : 1.0F;
    cmi_motion_start(motion, robot, fabsf(left_over), sign * motion->left_sign,
                     sign * motion->right_sign);
    // Each wheel to its own end.
    motion->left_start_mm = left_end - motion->left_sign * motion->target_mm;
    motion->right_start_mm = right_end - motion->right_sign * motion->target_mm;
    motion->back = back;
    motion->again = again;
    cmi_motion_settles(motion, robot);
    return true;
#else
    (void)motion, (void)robot;
    return false;
#endif
}

bool cmi_motion_within(const cmo_motion *motion, const cmo_robot *robot, float tolerance_mm) {
    return fabsf(left_to_go(motion, robot)) <= tolerance_mm &&
           fabsf(right_to_go(motion, robot)) <= tolerance_mm;
}

bool cmi_motion_settle(cmo_motion *motion, cmo_robot *robot, float tolerance_mm,
                       uint32_t patience_us) {
    const cmo_robot_description *description = robot->description;
    float left = left_to_go(motion, robot);
    float right = right_to_go(motion, robot);
    left = settle_wheel(motion, robot, &robot->left, left, tolerance_mm, patience_us);
    right = settle_wheel(motion, robot, &robot->right, right, tolerance_mm, patience_us);
    cmi_drive(robot, left, right);
    cmi_pushes(robot); // so near to its place it may stick: the time to settle ends that too
    // Slower than this it hardly rolls on, and what an encoder shows of it is noise.
    float slow = fmaxf(description->slowest_mm_s * 0.5F + 1.0F, 5.0F);
    return cmi_motion_within(motion, robot, tolerance_mm) && fabsf(robot->left.speed_mm_s) < slow &&
           fabsf(robot->right.speed_mm_s) < slow;
}
