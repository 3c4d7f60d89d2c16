// SPDX-License-Identifier: MIT
// The way to a boundary, the stop there, and what that has shown: how far it takes, and by how much
// the tyres slid meanwhile.
#include "../shared/description.h"
#include "../shared/routine.h"
#include "course.h"
#include "met.h"
#include "patrol_budget.h"
#include "rebound.h"

#include <math.h>

// A stop from less than this share of the cruise tells too little of one from all of it; and slower
// than that nothing makes it.
#define LEAST_SPEED_SHARE 0.25F
#define LEAST_SHARE       0.3F
// Of what one stop says that it may be faster by, what is believed.
#define FASTER_SHARE 0.3F
// Before any, no faster than this.
#define FIRST_SHARE 0.8F
// Wheels that stand within this share of the way that braking takes have locked; the body may go on
// for so many times that way.
#define LOCKED_SHARE 0.5F
#define SLIDES_TIMES 2.0F
// More than this is no slide.
#define MOST_SLIDE_MM 500.0F

// Reckons the way just come, and the middle of the ground that was covered.
void cmi_rebound_reckon(cmo_robot *robot, cmo_stay_inside_state *state) {
    float way = cmo_way_mm(robot) - state->reckoned_mm;
    const cmo_pose *pose = &robot->odometer.pose;
    state->reckoned_mm = cmo_way_mm(robot);
    // What a charge pushes against may have held the robot back while its wheels went on.
    if (robot->stage != CMO_STAGE_CHARGE) {
        state->come_mm += way;
    }
    if (way > 0.0F) {
        // Of what it covered long ago odometry knows less and less.
        state->covered_mm = fminf(state->covered_mm + way, 20000.0F);
        float share = way / state->covered_mm;
        state->covered_x_mm += share * (pose->x_mm - state->covered_x_mm);
        state->covered_y_mm += share * (pose->y_mm - state->covered_y_mm);
    }
}

void cmi_rebound_brake(cmo_robot *robot, cmo_stay_inside_state *state) {
    if (robot->stage != CMO_STAGE_BRAKE) {
        cmi_enter(robot, CMO_STAGE_BRAKE);
        state->since_us = 0;
        state->brakes_mm = cmo_way_mm(robot);
    }
    cmi_course_follow(&state->course, robot, 0.0F, state->parameters.acceleration_mm_s2,
                      state->braking_mm_s2);
}

float cmi_rebound_first_share(const cmo_robot *robot, const cmo_stay_inside_state *state) {
    float safe =
        cmi_surely_from_mm_s(robot->description, state->budget.stop_mm, state->braking_mm_s2);
    return fmaxf(fminf(safe / state->cruise_mm_s, FIRST_SHARE), LEAST_SHARE);
}

// A stop does not get longer by more than the square of the speed: where one from v has taken the
// way s, the way that is left, S, is kept to from v sqrt(S / s) on. The next one may come later by
// half a look than one that was met on the mean. Slower at once, faster again by and by.
void cmi_rebound_learn(const cmo_robot *robot, cmo_stay_inside_state *state) {
    float speed = fabsf(state->last.speed_mm_s);
    if (!state->held || state->stop_mm < 1.0F || speed < LEAST_SPEED_SHARE * state->cruise_mm_s) {
        return;
    }
    float allowed = state->budget.stop_mm;
    float late = 0.5e-6F * (float)robot->description->light[0].interval_us * speed;
    float left = fmaxf(allowed - late, 0.5F * allowed);
    float safe = speed * sqrtf(left / state->stop_mm) / state->cruise_mm_s;
    float share = fmaxf(fminf(safe, 1.0F), LEAST_SHARE);
    float more = share - state->share;
    state->share += more > 0.0F ? FASTER_SHARE * more : more;
}

// By its counts it stands sooner than tyres stop a body. By how much it has slid on nobody knows:
// the boundary is taken to lie nearer, and braked more softly from now on, it will not slide again.
static void notice_locked(const cmo_robot *robot, cmo_stay_inside_state *state) {
    float speed = fabsf(state->last.speed_mm_s);
    float takes = speed * speed / (2.0F * state->braking_mm_s2);
    float counted = cmo_way_mm(robot) - state->brakes_mm;
    bool fast = speed > LEAST_SPEED_SHARE * state->cruise_mm_s;
    if (fast && counted < LOCKED_SHARE * takes && robot->port->traits & CMO_TRAIT_ENCODERS) {
        float slid = SLIDES_TIMES * takes - counted;
        state->course.softly = true;
        state->stop_mm += slid;
        cmi_met_shift(&state->boundary, robot, slid);
    }
}

void cmi_rebound_stood(const cmo_robot *robot, cmo_stay_inside_state *state) {
    state->stop_mm = cmo_way_mm(robot) - state->boundary.entry_way_mm;
    state->slid = false;
    notice_locked(robot, state);
}

void cmi_rebound_slid(const cmo_robot *robot, cmo_stay_inside_state *state, float slid_mm) {
    const cmo_robot_description *d = robot->description;
    float least = d->gear_play_mm + 2.0F * fmaxf(d->left_step_mm, d->right_step_mm) + 1.0F;
    state->slid = slid_mm > least && slid_mm < MOST_SLIDE_MM;
    state->stop_mm += state->slid ? slid_mm : 0.0F;
}

void cmi_rebound_note_slide(cmo_robot *robot, cmo_stay_inside_state *state) {
    cmo_met_boundary *boundary = &state->boundary;
    for (uint8_t i = 0; state->parameters.convex && i < cmi_front_lights(robot->description); i++) {
        for (uint8_t n = 0; n < robot->light[i].crossings; n++) {
            if (!robot->light[i].crossing[n].entering) {
                cmi_met_note(boundary, robot, i, robot->light[i].crossing[n].time_us);
            }
        }
    }
    const cmo_light *light = &robot->light[boundary->first];
    for (uint8_t n = 0; n < light->crossings && !state->slid; n++) {
        if (light->crossing[n].entering) {
            continue;
        }
        // Still sliding on, it may leave a rim on the other side first: that is no way back.
        float slid = cmi_met_leave(boundary, robot, light->crossing[n].time_us);
        cmi_rebound_slid(robot, state, slid);
        if (state->slid) {
            cmi_met_shift(boundary, robot, slid);
            float further = fminf(slid, fmaxf(state->come_mm, 0.0F));
            state->back_to_mm -= further;
            state->come_mm -= further;
            state->last.back_mm += further;
            if (robot->stage == CMO_STAGE_BACK && boundary->known) { // it has been told before
                state->last.margin_mm -= slid;
                state->margin_mm = fminf(state->margin_mm, state->last.margin_mm);
            }
        }
    }
}
