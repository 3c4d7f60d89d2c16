// SPDX-License-Identifier: GPL-3.0-or-later
#include "room.h"

#include <math.h>
#include <string.h>

const room dark_room = {0.6, 0.05, 25, 0};
const room light_room = {0.05, 0.6, 25, 0};
const room table = {0.6, -1, 25, 0};

static bool in_room(const room *r, double x, double y, double by) {
    bool notch = r->notch_mm > 0.0 && x > RIGHT - r->notch_mm - by && y > HIGH - r->notch_mm - by;
    return x > LEFT + by && x < RIGHT - by && y > LOW + by && y < HIGH - by && !notch;
}

static double room_light(void *data, double x, double y, unsigned *marks) {
    const room *r = data;
    if (in_room(r, x, y, 0.0)) {
        return r->floor;
    }
    bool near = x > LEFT - r->wall_mm && x < RIGHT + r->wall_mm && y > LOW - r->wall_mm &&
                y < HIGH + r->wall_mm;
    if (r->rim < 0.0) {
        *marks |= 1U << CMO_SIM_VOID;
        return 0.0;
    }
    if (near || r->notch_mm > 0.0) {
        *marks |= 1U << CMO_SIM_BOUNDARY;
        return r->rim;
    }
    return r->floor;
}

static cmo_sim_mat *make_room(const room *r) {
    room copy = *r;
    return cmo_sim_mat_from_function(800, 700, 1, room_light, &copy);
}

cmo_sim_setup patrol_setup(const patrol *p, double x_mm, double y_mm, double heading_deg) {
    cmo_sim_setup setup = plain_setup(&p->description, PLAIN_TRAITS, p->mat);
    setup.x_mm = x_mm;
    setup.y_mm = y_mm;
    setup.heading_deg = heading_deg;
    return setup;
}

static void begin(patrol *p, const cmo_sim_setup *setup) {
    start_bench(&p->bench, setup, &p->description);
    p->least_mm = INFINITY;
    p->stages = 0;
}

void start_patrol(patrol *p, const room *r, float side_mm, uint16_t traits,
                  const cmo_sim_setup *extra) {
    p->mat = make_room(r);
    p->region = cmo_sim_region_new(p->mat, 400, 300);
    ck_assert_ptr_nonnull(p->region);
    p->description = robot_with(side_mm);
    cmo_sim_setup setup = patrol_setup(p, 400, 300, 20);
    setup.traits = (uint16_t)(setup.traits | traits);
    if (extra != NULL) {
        setup.objects = extra->objects;
        memcpy(setup.object, extra->object, sizeof setup.object);
        setup.faults = extra->faults;
    }
    begin(p, &setup);
}

void start_again(patrol *p, const cmo_sim_setup *setup) {
    end_bench(&p->bench);
    begin(p, setup);
}

void end_patrol(patrol *p) {
    end_bench(&p->bench);
    cmo_sim_region_free(p->region);
    cmo_sim_mat_free(p->mat);
}

cmo_outcome run_patrol(patrol *p, const cmo_stay_inside_parameters *parameters, double until_ms) {
    cmo_robot *robot = &p->bench.robot;
    cmo_outcome outcome = cmo_stay_inside_start(robot, &p->state, parameters);
    while (outcome == CMO_RUNNING) {
        outcome = cmo_tick(robot);
        p->stages |= 1U << robot->stage;
        cmo_wait(robot);
        cmo_sim_truth now = cmo_sim_truth_now(p->bench.sim);
        double place[CMO_SIM_CONTACTS][2];
        cmo_sim_contacts(p->bench.sim, &now, place);
        for (int i = 0; i < CMO_SIM_CONTACTS; i++) {
            p->least_mm =
                fmin(p->least_mm, cmo_sim_region_margin(p->region, place[i][0], place[i][1]));
        }
        if (now.time_ms > until_ms) {
            break;
        }
    }
    return outcome;
}

cmo_outcome watch_patrol(patrol *p, const cmo_stay_inside_parameters *parameters,
                         void (*look)(const patrol *p, double *seen), double *seen) {
    cmo_robot *robot = &p->bench.robot;
    cmo_outcome outcome = cmo_stay_inside_start(robot, &p->state, parameters);
    for (; outcome == CMO_RUNNING; cmo_wait(robot)) {
        outcome = cmo_tick(robot);
        look(p, seen);
    }
    return outcome;
}
