// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/run.h>

#include "legs.h"
#include "surfaces.h"
#include "truth.h"
#include "truth_edge.h"

#include <math.h>
#include <string.h>

// ---------------------------------------------------------------------------------------- run --

typedef struct recorder {
    const lab_route *route;
    lab_run *run;
    cmo_sim *sim;
    const cmo_robot *robot;
    labi_legs legs;
    cmo_surfaces surfaces; // as they are known by now
    cmo_route_state state;
    bool traces;
    bool over;           // the simulation has ended the run: what follows is not of it
    double start_ms;     // of the leg
    GArray *rebounds;    // of the leg, as a patrol has made them,
    GArray *counted;     // lines as they were counted,
    GArray *passed;      // and what was passed over
    cmo_outcome outcome; // of the simulation, where it ended the run
} recorder;

static const lab_leg *leg_of(const recorder *r) {
    return &r->route->leg[r->state.leg];
}

// A patrol's rebounds stand in its state one at a time.
static void take_rebound(recorder *r) {
    const cmo_stay_inside_state *state = &r->legs.room.stay_inside;
    if (leg_of(r)->routine == CMO_ROUTINE_STAY_INSIDE && state->rebounds > r->rebounds->len) {
        lab_rebound rebound = {.robot = state->last, .turn_error_deg = NAN, .margin_mm = NAN};
        g_array_append_val(r->rebounds, rebound);
    }
}

// Lines stand in the state that counts them, the last ones of them.
static void take_counted(recorder *r) {
    const cmo_count_lines_state *state = &r->legs.room.count_lines;
    bool counts = leg_of(r)->routine == CMO_ROUTINE_COUNT_LINES;
    for (unsigned n = r->counted->len; counts && n < state->seen; n++) {
        lab_counted line = {.robot = state->counted[n % CMO_COUNTED_LINES],
                            .time_ms = cmo_sim_truth_now(r->sim).time_ms,
                            .x_mm = NAN,
                            .y_mm = NAN,
                            .width_mm = NAN,
                            .gap_mm = NAN};
        g_array_append_val(r->counted, line);
    }
    // The width of the last ones is known later than they are.
    for (unsigned n = 1; counts && n <= MIN(r->counted->len, 2U); n++) {
        unsigned at = r->counted->len - n;
        g_array_index(r->counted, lab_counted, at).robot = state->counted[at % CMO_COUNTED_LINES];
    }
}

static void take_passed(recorder *r) {
    const cmo_report *report = &r->robot->report;
    bool looks = r->robot->routine != NULL && report->passed_reason != CMO_PASSED_NONE;
    const lab_passed *last =
        r->passed->len > 0 ? &g_array_index(r->passed, lab_passed, r->passed->len - 1) : NULL;
    if (looks && (last == NULL || last->at_mm != (double)report->passed_at_mm ||
                  last->sensor != report->passed_sensor)) {
        lab_passed passed = {.reason = (cmo_passed_reason)report->passed_reason,
                             .sensor = report->passed_sensor,
                             .at_mm = (double)report->passed_at_mm,
                             .width_mm = (double)report->passed_width_mm};
        g_array_append_val(r->passed, passed);
    }
}

// Where the edge is that it follows.
static void keep_edge(const recorder *r, lab_row *kept, const cmo_sim_truth *truth) {
    const cmo_follow_edge_state *state = &r->legs.room.follow_edge;
    if (leg_of(r)->routine == CMO_ROUTINE_FOLLOW_EDGE && state->follows &&
        cmo_sim_mat_has(r->route->mat, CMO_SIM_LINE)) {
        kept->follows = true;
        kept->edge_off_mm = (double)state->track.off_mm;
        kept->edge_curve_per_mm = (double)state->track.curve_per_mm;
        kept->edge = labi_edge_beside(r->route, r->sim, truth, &state->parameters);
    }
}

static void take_row(void *context, const cmo_trace_row *row) {
    recorder *r = context;
    if (r->over) {
        return;
    }
    take_rebound(r);
    take_counted(r);
    if (!r->traces) {
        return;
    }
    take_passed(r);
    cmo_sim_truth truth = cmo_sim_truth_now(r->sim);
    lab_row kept = {.leg = r->state.leg + 1U,
                    .robot = *row,
                    .has_truth = true,
                    .true_x_mm = truth.x_mm,
                    .true_y_mm = truth.y_mm,
                    .true_heading_deg = truth.heading_rad * (180.0 / G_PI),
                    .panel = cmo_sim_panel_now(r->sim)};
    for (unsigned i = 0; i < r->route->objects; i++) {
        cmo_sim_object_now(r->sim, i, &kept.object_mm[i][0], &kept.object_mm[i][1]);
    }
    keep_edge(r, &kept, &truth);
    g_array_append_val(r->run->rows, kept);
}

static void take_report(lab_leg_result *result, const cmo_report *report, const lab_leg *leg) {
    result->report = *report;
    result->estimated = report->estimated;
    result->robot.applies = labi_leg_figures(leg);
    if (report->by != CMO_BY_ITSELF) { // it has not come to what it was to rest at
        result->robot.applies &=
            ~(uint64_t)(CMO_FIGURES_OF_REST | CMO_FIGURE_BIT(CMO_OVERSHOOT_MM));
    }
    for (unsigned i = 0; i < CMO_REPORT_FIGURES; i++) {
        bool known = report->present & CMO_FIGURE_BIT(i) && isfinite(report->figure[i]);
        if (known && result->robot.applies & LAB_FIGURE_BIT(i)) {
            result->robot.known |= LAB_FIGURE_BIT(i);
            result->robot.value[i] = (double)report->figure[i];
        }
    }
}

// The figures of a patrol stand in its state.
static void take_patrol(lab_leg_result *result, const cmo_stay_inside_state *state) {
    labi_put(&result->robot, CMO_REBOUNDS, state->rebounds);
    labi_put(&result->robot, CMO_MARGIN_MM, (double)state->margin_mm);
    labi_put(&result->robot, CMO_TURN_ERROR_DEG,
             state->crossed > 0 ? (double)state->turn_error_deg : NAN);
    result->cruise_mm_s = (double)state->cruise_mm_s;
    result->budget = state->budget;
}

static void take_edge(lab_leg_result *result, const cmo_follow_edge_state *state) {
    const cmo_edge_figures *f = &state->figures;
    lab_figures *robot = &result->robot;
    double looks = f->looks > 0 ? (double)f->looks : NAN;
    double followed_s = f->followed_s > 0.0F ? (double)f->followed_s : NAN;
    result->followed_ms = f->joined_ms + 1000.0 * followed_s;
    result->forks = f->forks;
    labi_put(robot, CMO_EDGE_MEAN_MM, (double)f->sum_mm / looks);
    labi_put(robot, CMO_EDGE_RMS_MM, sqrt((double)f->squares_mm2 / looks));
    labi_put(robot, CMO_EDGE_WORST_MM, f->looks > 0 ? (double)f->worst_mm : NAN);
    labi_put(robot, CMO_JOINED_MM, state->joined ? (double)f->joined_mm : NAN);
    labi_put(robot, CMO_JOINED_MS, state->joined ? (double)f->joined_ms : NAN);
    labi_put_swings(robot, (double)f->squares_rad2_s / followed_s, f->swings, followed_s);
    labi_put(robot, CMO_FULL_SHARE, (double)f->full_s / followed_s);
    labi_put_mean_speed(robot);
}

// What a routine has found out about the robot.
static void take_findings(lab_leg_result *result, const cmo_robot *robot,
                          const labi_leg_state *state) {
    for (unsigned i = 0; i < CMO_LIGHTS_MAX; i++) {
        result->levels[i] = robot->light[i].levels;
        result->unfit[i] = robot->light[i].unfit;
        if (result->routine == CMO_ROUTINE_TAKE_LEVELS) {
            result->levels_fault[i] = state->take_levels.fault[i];
        } else if (result->routine == CMO_ROUTINE_CHECK_WIRING) {
            result->interval_ms[i] = (double)state->check_wiring.interval_ms[i];
            result->delay_ms[i] = (double)state->check_wiring.delay_ms[i];
            result->delay_error_ms[i] = (double)state->check_wiring.delay_error_ms[i];
        }
    }
    if (result->routine == CMO_ROUTINE_CHECK_WIRING) {
        result->findings = state->check_wiring.findings;
        result->curve_deg_m = (double)state->check_wiring.curve_deg_m;
    } else if (result->routine == CMO_ROUTINE_MEASURE_GEOMETRY) {
        result->geometry = state->measure_geometry.geometry;
    } else if (result->routine == CMO_ROUTINE_MEASURE_DRIVE) {
        result->drive = state->measure_drive.drive;
    } else if (result->routine == CMO_ROUTINE_MEASURE_BRAKING) {
        result->braking = state->measure_braking.braking;
    }
}

// Of surfaces: what one was taken for, and names for numbers.
static void take_surfaces(lab_leg_result *result, const lab_route *route, const cmo_robot *robot,
                          const lab_leg *leg) {
    result->tells = robot->surfaces != NULL;
    if (leg->routine == CMO_ROUTINE_TAKE_SURFACE && result->tells) {
        uint8_t number = leg->parameters.take_surface.surface;
        result->surface = lab_surface_name(route, number);
        memcpy(result->shade, robot->surfaces->shade[number - 1U], sizeof result->shade);
    }
    for (guint i = 0; result->counted != NULL && i < result->counted->len; i++) {
        lab_counted *line = &g_array_index(result->counted, lab_counted, i);
        uint8_t surface = line->robot.surface;
        line->surface = surface != 0 ? lab_surface_name(route, surface) : NULL;
    }
}

// The leg as it was begun: a move makes good what the leg before has left over, a search may be
// blind for longer to be off the last line, or back off it, and an edge has a sensor.
static lab_leg as_begun(const recorder *r, const cmo_report *report) {
    lab_leg leg = *leg_of(r);
    const labi_leg_state *room = &r->legs.room;
    float clear = cmo_figure_or(report, CMO_CLEAR_MM, 0.0F);
    if (leg.routine == CMO_ROUTINE_SQUARE_ON_LINE) {
        leg.parameters.square_on_line.blind_mm = room->square_on_line.line.parameters.blind_mm;
    } else if (leg.routine == CMO_ROUTINE_COUNT_LINES) {
        leg.parameters.count_lines.blind_mm = fmaxf(leg.parameters.count_lines.blind_mm, clear);
    } else if (leg.routine == CMO_ROUTINE_STOP_ON_LINE ||
               leg.routine == CMO_ROUTINE_DRIVE_UNTIL_LINE) {
        leg.parameters.stop_on_line.blind_mm = fmaxf(leg.parameters.stop_on_line.blind_mm, clear);
    }
    if (leg.routine == CMO_ROUTINE_ADVANCE) {
        leg.parameters.advance = room->advance.parameters;
    } else if (leg.routine == CMO_ROUTINE_FOLLOW_EDGE) {
        leg.parameters.follow_edge = room->follow_edge.parameters;
    }
    return leg;
}

static unsigned round_of(const recorder *r) {
    const lab_group *group = lab_group_of(r->route, r->state.leg);
    if (group == NULL) {
        return 0;
    }
    uint8_t depth = cmo_group_depth(&r->legs.route, (uint8_t)(group - r->route->group));
    return r->state.group[depth].round + 1U;
}

static void take_leg(void *context, cmo_robot *robot, uint8_t number) {
    recorder *r = context;
    if (r->over) {
        return;
    }
    lab_leg leg = as_begun(r, &robot->report);
    lab_leg_result result = {.number = number + 1U,
                             .round = round_of(r),
                             .name = leg.name,
                             .routine = leg.routine,
                             .outcome = (cmo_outcome)robot->report.outcome,
                             .limit = NAN,
                             .stopped_ms = NAN,
                             .start_ms = r->start_ms,
                             .end_ms = cmo_sim_truth_now(r->sim).time_ms};
    if (robot->report.routine == CMO_ROUTINE_NONE) { // it was not begun
        result.field = robot->field;
        result.limit = (double)robot->limit;
        result.report.sensor = -1;
    } else {
        take_report(&result, &robot->report, &leg);
        if (leg.routine == CMO_ROUTINE_STAY_INSIDE) {
            result.rebounds = g_steal_pointer(&r->rebounds);
            r->rebounds = g_array_new(FALSE, FALSE, sizeof(lab_rebound));
            take_patrol(&result, &r->legs.room.stay_inside);
        }
        if (leg.routine == CMO_ROUTINE_FOLLOW_EDGE) {
            take_edge(&result, &r->legs.room.follow_edge);
        }
        take_counted(r);
        if (leg.routine == CMO_ROUTINE_COUNT_LINES) {
            result.counted = g_steal_pointer(&r->counted);
            r->counted = g_array_new(FALSE, FALSE, sizeof(lab_counted));
        }
        if (r->passed->len > 0) {
            result.passed = g_steal_pointer(&r->passed);
            r->passed = g_array_new(FALSE, FALSE, sizeof(lab_passed));
        }
        labi_truth(r->route, r->sim, &result, &leg);
        take_findings(&result, robot, &r->legs.room);
        take_surfaces(&result, r->route, robot, &leg);
        if (leg.routine == CMO_ROUTINE_TAKE_LEVELS && result.outcome != CMO_OUTCOME_DONE) {
            result.field = robot->field;
        }
    }
    g_array_append_val(r->run->legs, result);
    r->start_ms = result.end_ms;
    if (result.outcome != (cmo_outcome)robot->report.outcome) {
        // The robot does not know, and would go on from where it is not.
        r->over = true;
        r->outcome = result.outcome;
        cmo_abort(robot);
    }
}

bool lab_check_run(const lab_route *route, const lab_run *run, GError **error) {
    if (run->diverged) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                    "%s: plant: its values do not go together: the simulated robot's motion ran "
                    "away within %.3f s, seed %" G_GUINT64_FORMAT,
                    route->robot_path, run->span_ms / 1000.0, run->seed);
    }
    return !run->diverged;
}

lab_run *lab_drive(const lab_route *route, uint64_t seed) {
    lab_start start = {route->x_mm, route->y_mm, route->heading_deg};
    return lab_drive_from(route, route->robot, &start, seed, true);
}

cmo_sim *lab_sim(const lab_route *route, const lab_robot *described, const lab_start *start,
                 uint64_t seed) {
    cmo_sim_setup setup = {.traits = described->traits,
                           .plant = described->plant,
                           .faults = described->faults,
                           .mat = route->mat,
                           .x_mm = start->x_mm,
                           .y_mm = start->y_mm,
                           .heading_deg = start->heading_deg,
                           .objects = route->objects,
                           .start_pressed_ms = 1000.0 * route->start_pressed_s,
                           .stop_pressed_ms = 1000.0 * route->stop_pressed_s,
                           .seed = seed};
    memcpy(setup.object, route->object, sizeof setup.object);
    return cmo_sim_new(&setup);
}

lab_run *lab_drive_from(const lab_route *route, const lab_robot *described, const lab_start *start,
                        uint64_t seed, bool trace) {
    lab_route driven = *route; // the truth is that of the robot that drives
    driven.robot = (lab_robot *)(uintptr_t)described;
    cmo_sim *sim = lab_sim(route, described, start, seed);
    cmo_sim_record(sim);
    lab_run *run = g_new0(lab_run, 1);
    run->seed = seed;
    run->legs = g_array_new(FALSE, FALSE, sizeof(lab_leg_result));
    run->rows = g_array_new(FALSE, FALSE, sizeof(lab_row));
    run->marked =
        cmo_sim_mat_has(route->mat, CMO_SIM_LINE) || cmo_sim_mat_has(route->mat, CMO_SIM_BOUNDARY);
    cmo_robot robot;
    run->outcome = cmo_robot_start(&robot, &described->description, cmo_sim_port(sim));
    labi_set_levels(&robot, described);
    cmo_robot_set_pose(&robot, (float)route->x_mm, (float)route->y_mm, (float)route->heading_deg);
    cmo_robot_set_run_limit(&robot, (uint32_t)(1000.0 * route->longest_s));
    recorder *r = g_new0(recorder, 1);
    r->route = &driven;
    r->run = run;
    r->sim = sim;
    r->traces = trace;
    r->robot = &robot;
    r->rebounds = g_array_new(FALSE, FALSE, sizeof(lab_rebound));
    r->counted = g_array_new(FALSE, FALSE, sizeof(lab_counted));
    r->passed = g_array_new(FALSE, FALSE, sizeof(lab_passed));
    labi_legs_make(&r->legs, &driven);
    labi_set_surfaces(&robot, &r->surfaces, &driven);
    driven.known = &r->surfaces;
    r->legs.route.leg_over = take_leg;
    r->legs.route.context = r;
    cmo_robot_set_trace(&robot, take_row, r);
    if (run->outcome == CMO_OUTCOME_DONE) {
        run->outcome = cmo_route_start(&robot, &r->state, &r->legs.route);
        run->outcome = run->outcome == CMO_RUNNING ? cmo_run(&robot) : run->outcome;
        run->outcome = r->over ? r->outcome : run->outcome;
    }
    g_array_free(r->rebounds, TRUE);
    g_array_free(r->counted, TRUE);
    g_array_free(r->passed, TRUE);
    g_free(r);
    cmo_sim_truth end = cmo_sim_truth_now(sim);
    const cmo_pose *believed = &robot.odometer.pose;
    run->pose_off_x_mm = (double)believed->x_mm - end.x_mm;
    run->pose_off_y_mm = (double)believed->y_mm - end.y_mm;
    run->pose_error_mm = hypot(run->pose_off_x_mm, run->pose_off_y_mm);
    run->heading_error_deg =
        remainder((double)believed->heading_rad - end.heading_rad, 2.0 * G_PI) * 180.0 / G_PI;
    run->end = end;
    run->span_ms = end.time_ms;
    run->diverged = cmo_sim_diverged(sim);
    cmo_sim_free(sim);
    return run;
}

void lab_run_free(lab_run *run) {
    if (run != NULL) {
        for (guint i = 0; i < run->legs->len; i++) {
            lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, i);
            g_clear_pointer(&leg->rebounds, g_array_unref);
            g_clear_pointer(&leg->counted, g_array_unref);
            g_clear_pointer(&leg->passed, g_array_unref);
            g_free(leg->heat.seconds);
        }
        g_array_free(run->legs, TRUE);
        g_array_free(run->rows, TRUE);
        g_free(run);
    }
}
