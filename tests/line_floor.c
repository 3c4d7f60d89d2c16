// SPDX-License-Identifier: GPL-3.0-or-later
#include "line_floor.h"

#include <math.h>

double line_across(void *data, double x_mm, double y_mm, unsigned *marks) {
    (void)data;
    (void)y_mm;
    bool on = x_mm >= EDGE_MM && x_mm < EDGE_MM + WIDTH_MM;
    *marks = on ? 1U << CMO_SIM_LINE : 0U;
    return on ? 0.05 : 0.6;
}

lab_run *drive_at_line(const lab_robot *robot, const cmo_sim_mat *mat, const lab_leg *leg,
                       double before_mm, double angle_deg, uint64_t seed) {
    lab_route *route = g_new0(lab_route, 1);
    route->legs = 1;
    route->leg[0] = *leg;
    route->mat = (cmo_sim_mat *)(uintptr_t)mat;
    route->longest_s = 120.0;
    double ahead = (double)robot->description.light[0].ahead_mm;
    double turn = angle_deg * G_PI / 180.0;
    lab_start start = {EDGE_MM - before_mm - ahead * cos(turn), 500.0, angle_deg};
    lab_run *run = lab_drive_from(route, robot, &start, seed, false);
    g_free(route);
    return run;
}

lab_fleet *fleet_at_line(const cmo_sim_mat *mat) {
    lab_fleet *fleet = lab_fleet_load("data/ferry/fleet.yaml", NULL);
    ck_assert_ptr_nonnull(fleet);
    lab_fleet_stand_on(fleet, mat, 300.0, 500.0);
    return fleet;
}
