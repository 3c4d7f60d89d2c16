// SPDX-License-Identifier: GPL-3.0-or-later
#include "calibrate.h"

double labi_spread(gsl_rng *rng, double most) {
    return most * (2.0 * gsl_rng_uniform(rng) - 1.0);
}

lab_start labi_spread_start(const lab_route *route, gsl_rng *rng) {
    double x_mm = route->x_mm + labi_spread(rng, route->spread.x_mm);
    double y_mm = route->y_mm + labi_spread(rng, route->spread.y_mm);
    return (lab_start){x_mm, y_mm,
                       route->heading_deg + labi_spread(rng, route->spread.heading_deg)};
}

// ------------------------------------------------------------------------------ what is found --

void labi_take_levels(lab_robot *robot, unsigned sensor, const lab_leg_result *leg) {
    const cmo_levels *found = &leg->levels[sensor];
    if (leg->levels_fault[sensor] == CMO_LEVELS_GOOD && found->dark != CMO_LEVEL_UNKNOWN) {
        uint16_t void_counts = robot->levels[sensor].void_counts;
        robot->levels[sensor] = *found;
        robot->levels[sensor].void_counts = void_counts;
        robot->has_levels[sensor] = true;
    }
}

static void take(lab_robot *robot, const lab_leg_result *leg) {
    if (leg->outcome != CMO_OUTCOME_DONE) {
        return;
    }
    if (leg->routine == CMO_ROUTINE_TAKE_LEVELS) {
        for (unsigned i = 0; i < robot->description.lights; i++) {
            labi_take_levels(robot, i, leg);
        }
    } else if (leg->routine == CMO_ROUTINE_MEASURE_GEOMETRY) {
        robot->measured = true;
        robot->geometry = leg->geometry;
        cmo_geometry_apply(&robot->geometry, &robot->description);
    } else if (leg->routine == CMO_ROUTINE_MEASURE_DRIVE) {
        robot->drive_measured = true;
        robot->drive = leg->drive;
        cmo_drive_apply(&robot->drive, &robot->description);
    } else if (leg->routine == CMO_ROUTINE_MEASURE_BRAKING) {
        robot->braking_measured = true;
        robot->braking = leg->braking;
        cmo_braking_apply(&robot->braking, &robot->description);
    }
}

static bool tells(const lab_route *route) {
    bool any = false;
    for (unsigned i = 0; i < route->legs; i++) {
        cmo_routine_id routine = route->leg[i].routine;
        any = any || routine == CMO_ROUTINE_TAKE_LEVELS ||
              routine == CMO_ROUTINE_MEASURE_GEOMETRY || routine == CMO_ROUTINE_MEASURE_DRIVE ||
              routine == CMO_ROUTINE_MEASURE_BRAKING;
    }
    return any;
}

// -------------------------------------------------------------------------------------- drive --

// So often a team tries before it goes by what it has.
#define ATTEMPTS 3U

static bool attempt(const lab_route *by, lab_robot *robot, uint64_t seed, gsl_rng *rng) {
    lab_start start = labi_spread_start(by, rng);
    lab_run *run = lab_drive_from(by, robot, &start, seed, false);
    bool good = run->outcome == CMO_OUTCOME_DONE && !run->diverged;
    for (guint i = 0; good && i < run->legs->len; i++) {
        take(robot, &g_array_index(run->legs, lab_leg_result, i));
    }
    lab_run_free(run);
    return good;
}

bool labi_calibrate(const lab_route *route, lab_robot *robot, uint64_t seed) {
    gsl_rng *rng = gsl_rng_alloc(gsl_rng_mt19937);
    gsl_rng_set(rng, (unsigned long)(seed % 4294967291U + 1U));
    bool all = true;
    for (unsigned i = 0; i < route->calibrations; i++) {
        bool good = false;
        for (unsigned n = 0; n < ATTEMPTS && !good; n++) {
            good = attempt(route->calibration[i], robot, seed, rng);
        }
        all = all && good;
    }
    gsl_rng_free(rng);
    return all;
}

bool lab_route_calibrate(lab_route *route, const char *const *paths, const lab_route *like,
                         GError **error) {
    for (; paths != NULL && *paths != NULL; paths++) {
        if (route->calibrations == LAB_CALIBRATIONS_MAX) {
            g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                        "%s: one route to calibrate by too many; at most %u", *paths,
                        LAB_CALIBRATIONS_MAX);
            return false;
        }
        const lab_route *same = like != NULL && route->calibrations < like->calibrations
                                    ? like->calibration[route->calibrations]
                                    : NULL;
        lab_route *by = lab_route_load_changed(*paths, route->robot_path, 1, NULL, same, error);
        if (by == NULL) {
            return false;
        }
        route->calibration[route->calibrations++] = by;
        if (!tells(by)) {
            g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                        "%s: it measures nothing to go by; a leg take_levels, measure_geometry, "
                        "measure_drive or measure_braking would",
                        *paths);
            return false;
        }
        if (!lab_check(by, error)) {
            return false;
        }
    }
    return true;
}
