// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/run.h>

#include "legs.h"
#include "truth.h"

#include <math.h>
#include <string.h>

static void set_levels(cmo_robot *robot, const lab_robot *described) {
    for (uint8_t i = 0; i < described->description.lights; i++) {
        if (described->has_levels[i]) {
            cmo_robot_set_levels(robot, i, &described->levels[i]);
        }
    }
}

// -------------------------------------------------------------------------------------- check --

static uint32_t no_clock(void *context) {
    (void)context;
    return 0;
}

static cmo_status no_sample(void *context, cmo_sample *sample) {
    (void)context;
    (void)sample;
    return CMO_NOT_YET;
}

static cmo_status no_drive(void *context, float left, float right, uint32_t lifetime_us) {
    (void)context;
    (void)left;
    (void)right;
    (void)lifetime_us;
    return CMO_OK;
}

static cmo_status no_halt(void *context, cmo_halt how) {
    (void)context;
    (void)how;
    return CMO_OK;
}

static bool check_leg(const lab_route *route, unsigned number, cmo_robot *robot, GError **error) {
    const lab_leg *leg = &route->leg[number];
    labi_leg_state state;
    cmo_outcome outcome = labi_leg_start(leg, robot, &state);
    robot->routine = NULL;
    if (outcome != CMO_OUTCOME_BAD_PARAMETER && outcome != CMO_OUTCOME_NOT_SUPPORTED) {
        return true;
    }
    GString *text = g_string_new(NULL);
    if (outcome == CMO_OUTCOME_NOT_SUPPORTED) {
        g_string_append(text, "the robot does not have this");
    } else if (isnan(robot->limit)) {
        g_string_append(text, "makes no sense");
    } else {
        g_string_append_printf(text, "makes no sense for this robot; %.4g would do",
                               (double)robot->limit);
    }
    g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s:%d: legs[%u].%s.%s: %s", route->path,
                leg->line, number + 1, cmo_routine_name(leg->routine), robot->field, text->str);
    g_string_free(text, TRUE);
    return false;
}

bool lab_check(const lab_route *route, GError **error) {
    const lab_robot *described = route->robot;
    cmo_port port = {NULL, described->traits, no_clock, NULL, no_sample, no_drive, no_halt, NULL};
    cmo_robot robot;
    if (cmo_robot_start(&robot, &described->description, &port) != CMO_OUTCOME_DONE) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG, "%s: %s: makes no sense for this robot",
                    route->robot_path, robot.field);
        return false;
    }
    double width = cmo_sim_mat_width_mm(route->mat);
    double height = cmo_sim_mat_height_mm(route->mat);
    if (route->x_mm < 0.0 || route->x_mm > width || route->y_mm < 0.0 || route->y_mm > height) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                    "%s: start: (%.6g, %.6g) is not on the mat; x 0 to %.6g, y 0 to %.6g mm",
                    route->path, route->x_mm, route->y_mm, width, height);
        return false;
    }
    for (unsigned i = 0; i < route->legs; i++) {
        if (route->leg[i].routine == CMO_ROUTINE_STAY_INSIDE && route->region == NULL) {
            g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                        "%s: start: (%.4g, %.4g) stands on a boundary or off the floor; a place "
                        "inside would do",
                        route->path, route->x_mm, route->y_mm);
            return false;
        }
    }
    set_levels(&robot, described);
    for (unsigned i = 0; i < route->legs; i++) {
        if (!check_leg(route, i, &robot, error)) {
            return false;
        }
    }
    return true;
}

// ---------------------------------------------------------------------------------------- run --

typedef struct recorder {
    lab_run *run;
    const cmo_sim *sim;
    unsigned leg;
    unsigned objects;
} recorder;

static void take_row(void *context, const cmo_trace_row *row) {
    recorder *r = context;
    cmo_sim_truth truth = cmo_sim_truth_now(r->sim);
    lab_row kept = {.leg = r->leg,
                    .robot = *row,
                    .has_truth = true,
                    .true_x_mm = truth.x_mm,
                    .true_y_mm = truth.y_mm,
                    .true_heading_deg = truth.heading_rad * (180.0 / G_PI)};
    for (unsigned i = 0; i < r->objects; i++) {
        cmo_sim_object_now(r->sim, i, &kept.object_mm[i][0], &kept.object_mm[i][1]);
    }
    g_array_append_val(r->run->rows, kept);
}

static void take_report(lab_leg_result *result, const cmo_report *report, const lab_leg *leg) {
    result->report = *report;
    result->estimated = report->estimated;
    result->robot.applies = labi_leg_figures(leg);
    for (unsigned i = 0; i < CMO_REPORT_FIGURES; i++) {
        bool known = report->present & CMO_FIGURE_BIT(i) && isfinite(report->figure[i]);
        if (known && result->robot.applies & CMO_FIGURE_BIT(i)) {
            result->robot.known |= CMO_FIGURE_BIT(i);
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
        }
    }
    if (result->routine == CMO_ROUTINE_CHECK_WIRING) {
        result->findings = state->check_wiring.findings;
        result->curve_deg_m = (double)state->check_wiring.curve_deg_m;
    } else if (result->routine == CMO_ROUTINE_MEASURE_GEOMETRY) {
        result->geometry = state->measure_geometry.geometry;
    } else if (result->routine == CMO_ROUTINE_MEASURE_DRIVE) {
        result->drive = state->measure_drive.drive;
    }
}

// A move makes good what the leg before has left over.
static lab_leg make_good(const lab_leg *leg, cmo_left_over *left_over) {
    lab_leg made = *leg;
    float least = 0.01F;
    if (leg->routine == CMO_ROUTINE_ADVANCE) {
        float sign = leg->parameters.advance.distance_mm < 0.0F ? -1.0F : 1.0F;
        float way = fabsf(leg->parameters.advance.distance_mm) - sign * left_over->ahead_mm;
        made.parameters.advance.distance_mm = sign * fmaxf(way, least);
        left_over->ahead_mm = 0.0F;
    } else if (leg->routine == CMO_ROUTINE_TURN) {
        float sign = leg->parameters.turn.angle_deg < 0.0F ? -1.0F : 1.0F;
        float angle = fabsf(leg->parameters.turn.angle_deg) - sign * left_over->turn_deg;
        made.parameters.turn.angle_deg = sign * fmaxf(angle, least);
        *left_over = (cmo_left_over){0.0F, 0.0F};
    } else {
        *left_over = (cmo_left_over){0.0F, 0.0F}; // another line sets the pose anew
    }
    return made;
}

static cmo_outcome drive_leg(const lab_route *route, unsigned number, cmo_robot *robot,
                             cmo_sim *sim, lab_run *run, cmo_left_over *left_over) {
    const lab_leg made = make_good(&route->leg[number], left_over);
    const lab_leg *leg = &made;
    labi_leg_state state;
    lab_leg_result result = {
        .number = number + 1, .routine = leg->routine, .limit = NAN, .stopped_ms = NAN};
    result.start_ms = result.end_ms = cmo_sim_truth_now(sim).time_ms;
    result.outcome = labi_leg_start(leg, robot, &state);
    if (result.outcome == CMO_RUNNING) {
        result.outcome = leg->routine == CMO_ROUTINE_STAY_INSIDE
                             ? labi_patrol(robot, &state.stay_inside, &result)
                             : cmo_run(robot);
        result.end_ms = cmo_sim_truth_now(sim).time_ms;
        take_report(&result, &robot->report, leg);
        if (leg->routine == CMO_ROUTINE_STAY_INSIDE) {
            take_patrol(&result, &state.stay_inside);
        }
        labi_truth(route, sim, &result, leg);
        take_findings(&result, robot, &state);
        if (leg->stated) {
            cmo_take_pose(robot,
                          leg->routine == CMO_ROUTINE_SQUARE_ON_LINE ? &state.square_on_line.line
                                                                     : &state.stop_on_line,
                          &leg->place, left_over);
        }
        if (leg->routine == CMO_ROUTINE_TAKE_LEVELS && result.outcome != CMO_OUTCOME_DONE) {
            result.field = robot->field;
        }
    } else {
        result.field = robot->field;
        result.limit = (double)robot->limit;
        result.report.sensor = -1;
        cmo_halt_now(robot, CMO_HALT_DEFAULT);
    }
    g_array_append_val(run->legs, result);
    return result.outcome;
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

lab_run *lab_drive_from(const lab_route *route, const lab_robot *described, const lab_start *start,
                        uint64_t seed, bool trace) {
    lab_route driven = *route; // the truth is that of the robot that drives
    driven.robot = (lab_robot *)(uintptr_t)described;
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
    cmo_sim *sim = cmo_sim_new(&setup);
    cmo_sim_record(sim);
    lab_run *run = g_new0(lab_run, 1);
    run->seed = seed;
    run->legs = g_array_new(FALSE, FALSE, sizeof(lab_leg_result));
    run->rows = g_array_new(FALSE, FALSE, sizeof(lab_row));
    run->marked =
        cmo_sim_mat_has(route->mat, CMO_SIM_LINE) || cmo_sim_mat_has(route->mat, CMO_SIM_BOUNDARY);
    cmo_robot robot;
    run->outcome = cmo_robot_start(&robot, &described->description, cmo_sim_port(sim));
    set_levels(&robot, described);
    cmo_robot_set_pose(&robot, (float)route->x_mm, (float)route->y_mm, (float)route->heading_deg);
    cmo_robot_set_run_limit(&robot, (uint32_t)(1000.0 * route->longest_s));
    recorder r = {run, sim, 0, route->objects};
    if (trace) {
        cmo_robot_set_trace(&robot, take_row, &r);
    }
    cmo_left_over left_over = {0.0F, 0.0F};
    for (unsigned i = 0; i < route->legs && run->outcome == CMO_OUTCOME_DONE; i++) {
        r.leg = i + 1;
        run->outcome = drive_leg(&driven, i, &robot, sim, run, &left_over);
    }
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
            if (leg->rebounds != NULL) {
                g_array_free(leg->rebounds, TRUE);
            }
            g_free(leg->heat.seconds);
        }
        g_array_free(run->legs, TRUE);
        g_array_free(run->rows, TRUE);
        g_free(run);
    }
}
