// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/stops.h>

#include <math.h>

// A line across a plain floor, in the luminances that the robot's levels stand for.
typedef struct plain_floor {
    double line, floor, edge_mm;
} plain_floor;

#define EDGE_MM  1500.0 // at least
#define WIDTH_MM 60.0

// What takes longer than this to come up to its speed, and to stand again, is not tried.
#define LONGEST_MM 20000.0

static double luminance(void *data, double x_mm, double y_mm, unsigned *marks) {
    (void)y_mm;
    const plain_floor *f = data;
    bool line = x_mm >= f->edge_mm && x_mm < f->edge_mm + WIDTH_MM;
    *marks = line ? 1U << CMO_SIM_LINE : 0U;
    return line ? f->line : f->floor;
}

static double of_counts(const lab_robot *robot, uint16_t counts) {
    const cmo_sim_light *sensor = &robot->plant.sensor[0];
    double span = (sensor->white_counts - sensor->black_counts) *
                  (1.0 + sensor->ambient_share * robot->plant.ambient);
    return CLAMP(((double)counts - sensor->black_counts) / span, 0.0, 1.0);
}

bool lab_measure_stops(const lab_robot *robot, double speed_mm_s, unsigned trials,
                       lab_stops *stops) {
    *stops = (lab_stops){.speed_mm_s = speed_mm_s, .least_mm = INFINITY};
    if (!robot->has_levels[0]) {
        return false;
    }
    const cmo_robot_description *d = &robot->description;
    double run_up = speed_mm_s * speed_mm_s / (2.0 * (double)d->acceleration_mm_s2);
    double before = run_up + 150.0 + (double)d->light[0].ahead_mm;
    plain_floor floor = {of_counts(robot, robot->levels[0].dark),
                         of_counts(robot, robot->levels[0].light), fmax(EDGE_MM, before + 200.0)};
    double beyond =
        fmax(1100.0, 2.0 * (double)cmo_budget_at(d, 0, (float)speed_mm_s, 0.0F).total_mm);
    if (!(floor.edge_mm + beyond <= LONGEST_MM)) {
        return false;
    }
    cmo_sim_mat *mat = cmo_sim_mat_from_function(floor.edge_mm + beyond, 400, 1, luminance, &floor);
    lab_robot described = *robot;
    described.description.lights = 1; // both would need levels of one floor
    described.plant.sensors = 1;
    lab_leg leg = {.routine = CMO_ROUTINE_STOP_ON_LINE,
                   .parameters.stop_on_line = {.cruise_mm_s = (float)speed_mm_s,
                                               .least_width_mm = CMO_ANY_WIDTH,
                                               .rest = CMO_REST_NEAR_EDGE}};
    lab_route *route = g_new0(lab_route, 1);
    route->legs = 1;
    route->leg[0] = leg;
    route->mat = mat;
    route->robot = &described;
    for (unsigned i = 0; i < trials; i++) {
        // The phase of the looks differs from trial to trial.
        lab_start start = {floor.edge_mm - before - 10.0 * i / trials, 200.0, 0.0};
        lab_run *run = lab_drive_from(route, &described, &start, i + 1, false);
        const lab_leg_result *result = &g_array_index(run->legs, lab_leg_result, 0);
        if (run->legs->len > 0 && // none where it may not be driven at this speed
            (result->truth.known & LAB_FIGURE_BIT(CMO_STOPPING_DISTANCE_MM))) {
            double way = result->truth.value[CMO_STOPPING_DISTANCE_MM];
            stops->least_mm = fmin(stops->least_mm, way);
            stops->most_mm = fmax(stops->most_mm, way);
            stops->mean_mm += way;
            stops->n++;
        }
        lab_run_free(run);
    }
    stops->mean_mm /= MAX(stops->n, 1U);
    cmo_sim_mat_free(mat);
    g_free(route);
    return stops->n > 0;
}
