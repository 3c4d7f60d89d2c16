// SPDX-License-Identifier: GPL-3.0-or-later
#include "results_file.h"

#include <cammino_lab/json.h>
#include <math.h>
#include <string.h>

double labi_rounded(double value) {
    double thousandths = floor(fabs(value) * 1000.0 + 0.5) / 1000.0;
    return value < 0.0 && thousandths > 0.0 ? -thousandths : thousandths;
}

static void add_figures(JsonBuilder *builder, const char *name, const lab_figures *figures) {
    json_builder_set_member_name(builder, name);
    json_builder_begin_object(builder);
    for (unsigned i = 0; i < CMO_FIGURES; i++) {
        if (!(figures->applies & LAB_FIGURE_BIT(i))) {
            continue;
        }
        json_builder_set_member_name(builder, cmo_figure_name((cmo_figure)i));
        if (figures->known & LAB_FIGURE_BIT(i)) {
            json_builder_add_double_value(builder, labi_rounded(figures->value[i]));
        } else {
            json_builder_add_null_value(builder);
        }
    }
    json_builder_end_object(builder);
}

static void add_number(JsonBuilder *builder, const char *name, double value) {
    json_builder_set_member_name(builder, name);
    if (isfinite(value)) {
        json_builder_add_double_value(builder, labi_rounded(value));
    } else {
        json_builder_add_null_value(builder);
    }
}

static const char *const sides[2] = {"left", "right"};

static void add_findings(JsonBuilder *builder, const lab_leg_result *leg) {
    json_builder_set_member_name(builder, "findings");
    json_builder_begin_array(builder);
    for (unsigned i = 0; i < CMO_FINDINGS; i++) {
        if (leg->findings & CMO_FINDING_BIT(i)) {
            json_builder_add_string_value(builder, cmo_finding_name((cmo_finding)i));
        }
    }
    json_builder_end_array(builder);
    for (unsigned i = 0; i < CMO_LIGHTS_MAX && i < 2; i++) {
        char *interval = g_strdup_printf("%s_interval_ms", sides[i]);
        char *delay = g_strdup_printf("%s_delay_ms", sides[i]);
        char *error = g_strdup_printf("%s_delay_error_ms", sides[i]);
        add_number(builder, interval, leg->interval_ms[i]);
        add_number(builder, delay, leg->delay_ms[i]);
        add_number(builder, error, leg->delay_error_ms[i]);
        g_free(error);
        g_free(interval);
        g_free(delay);
    }
    add_number(builder, "curve_deg_m", leg->curve_deg_m);
}

// To a millionth: a step is less than a millimetre.
static void add_fine(JsonBuilder *builder, const char *name, float value) {
    json_builder_set_member_name(builder, name);
    json_builder_add_double_value(builder, floor((double)value * 1e6 + 0.5) / 1e6);
}

static void add_geometry(JsonBuilder *builder, const cmo_geometry *g) {
    json_builder_set_member_name(builder, "measured");
    json_builder_begin_object(builder);
    add_fine(builder, "left_step_mm", g->left_step_mm);
    add_fine(builder, "right_step_mm", g->right_step_mm);
    add_number(builder, "track_mm", (double)g->track_mm);
    for (unsigned i = 0; i < 2; i++) {
        json_builder_set_member_name(builder, sides[i]);
        json_builder_begin_object(builder);
        add_number(builder, "ahead_mm", (double)g->ahead_mm[i]);
        add_number(builder, "left_mm", (double)g->left_mm[i]);
        add_number(builder, "delay_ms", (double)g->delay_ms[i]);
        json_builder_end_object(builder);
    }
    if (isfinite(g->size_error)) {
        add_fine(builder, "size_error", g->size_error);
    }
    add_fine(builder, "ratio_error", g->ratio_error);
    add_number(builder, "track_error_mm", (double)g->track_error_mm);
    add_number(builder, "mismatch_error_mm", (double)g->mismatch_error_mm);
    add_number(builder, "delay_error_ms", (double)g->delay_error_ms);
    json_builder_end_object(builder);
}

static void add_drive(JsonBuilder *builder, const cmo_drive *d) {
    json_builder_set_member_name(builder, "measured_drive");
    json_builder_begin_object(builder);
    add_number(builder, "lag_ms", (double)d->lag_ms);
    add_number(builder, "lag_error_ms", (double)d->lag_error_ms);
    if (d->ramp_mm_s2 > 0.0F) {
        add_number(builder, "ramp_mm_s2", (double)d->ramp_mm_s2);
        add_number(builder, "ramp_error_mm_s2", (double)d->ramp_error_mm_s2);
    }
    for (unsigned i = 0; i < 2; i++) {
        json_builder_set_member_name(builder, sides[i]);
        json_builder_begin_object(builder);
        add_number(builder, "lag_ms", (double)d->wheel_lag_ms[i]);
        add_number(builder, "ahead_mm_s", (double)d->ahead_mm_s[i]);
        add_number(builder, "back_mm_s", (double)d->back_mm_s[i]);
        add_number(builder, "keeps_mm_s", (double)d->keeps_mm_s[i]);
        add_number(builder, "ratio", (double)d->ratio[i]);
        json_builder_end_object(builder);
    }
    json_builder_end_object(builder);
}

static void add_braking(JsonBuilder *builder, const cmo_braking *b) {
    json_builder_set_member_name(builder, "measured_braking");
    json_builder_begin_object(builder);
    add_number(builder, "slid_mm", (double)b->slid_mm);
    add_number(builder, "slid_error_mm", (double)b->slid_error_mm);
    add_number(builder, "halt_slid_mm", (double)b->halt_slid_mm);
    if (b->grip_mm_s2 > 0.0F) {
        add_number(builder, "grip_mm_s2", (double)b->grip_mm_s2);
        add_number(builder, "grip_error_mm_s2", (double)b->grip_error_mm_s2);
    }
    add_number(builder, "speed_mm_s", (double)b->speed_mm_s);
    add_number(builder, "limit_mm_s2", (double)b->limit_mm_s2);
    json_builder_end_object(builder);
}

static void add_halt(JsonBuilder *builder, const lab_halt_ways *halt) {
    json_builder_set_member_name(builder, "halt");
    json_builder_begin_object(builder);
    add_number(builder, "delay_mm", halt->delay_mm);
    add_number(builder, "looks_mm", halt->looks_mm);
    add_number(builder, "lag_mm", halt->lag_mm);
    add_number(builder, "braking_mm", halt->braking_mm);
    add_number(builder, "deceleration_mm_s2", halt->deceleration_mm_s2);
    json_builder_end_object(builder);
}

// A patrol: how it was driven, and each rebound, the robot's word beside the truth.
static void add_patrol(JsonBuilder *builder, const lab_leg_result *leg) {
    const cmo_patrol_budget *b = &leg->budget;
    add_number(builder, "cruise_mm_s", leg->cruise_mm_s);
    add_number(builder, "safe_mm_s", (double)b->speed_mm_s);
    add_number(builder, "sees_deg", (double)b->sees_deg);
    add_number(builder, "blind_deg", (double)b->blind_deg);
    add_number(builder, "sway_deg", (double)b->sway_deg);
    json_builder_set_member_name(builder, "rebounds");
    json_builder_begin_array(builder);
    for (guint i = 0; i < leg->rebounds->len; i++) {
        const lab_rebound *r = &g_array_index(leg->rebounds, lab_rebound, i);
        double degree = 180.0 / G_PI;
        double entry = remainder(r->entry_rad - r->normal_rad, 2.0 * G_PI) * degree;
        double exit = remainder(r->exit_rad - r->normal_rad, 2.0 * G_PI) * degree;
        json_builder_begin_object(builder);
        json_builder_set_member_name(builder, "sensor");
        json_builder_add_string_value(builder, sides[r->robot.sensor & 1U]);
        json_builder_set_member_name(builder, "known_by");
        json_builder_add_string_value(builder, !r->robot.known    ? "guess"
                                               : r->robot.crossed ? "both"
                                                                  : "feeling");
        json_builder_set_member_name(builder, "corner");
        json_builder_add_boolean_value(builder, r->robot.answered);
        add_number(builder, "x_mm", r->crossed ? r->x_mm : NAN);
        add_number(builder, "y_mm", r->crossed ? r->y_mm : NAN);
        add_number(builder, "start_ms", r->start_ms);
        add_number(builder, "end_ms", r->end_ms);
        add_number(builder, "crossing_speed_mm_s", (double)r->robot.speed_mm_s);
        add_number(builder, "back_mm", (double)r->robot.back_mm);
        add_number(builder, "robot_entry_angle_deg", (double)r->robot.entry_deg);
        add_number(builder, "entry_angle_deg", r->crossed ? entry : NAN);
        add_number(builder, "robot_exit_angle_deg", (double)r->robot.exit_deg);
        add_number(builder, "exit_angle_deg", r->crossed ? exit : NAN);
        add_number(builder, "turn_error_deg", r->turn_error_deg);
        add_number(builder, "margin_mm", r->margin_mm);
        json_builder_end_object(builder);
    }
    json_builder_end_array(builder);
}

// The last candidate that was no line.
static void add_passed(JsonBuilder *builder, const cmo_report *report) {
    json_builder_set_member_name(builder, "passed_over_last");
    json_builder_begin_object(builder);
    json_builder_set_member_name(builder, "sensor");
    json_builder_add_string_value(builder, sides[report->passed_sensor & 1U]);
    add_number(builder, "at_mm", (double)report->passed_at_mm);
    add_number(builder, "width_mm", (double)report->passed_width_mm);
    json_builder_set_member_name(builder, "reason");
    json_builder_add_string_value(builder,
                                  cmo_passed_reason_name((cmo_passed_reason)report->passed_reason));
    json_builder_end_object(builder);
}

// How many lines of each surface, in the order in which they came first.
static void add_tally(JsonBuilder *builder, const GArray *counted) {
    json_builder_set_member_name(builder, "tally");
    json_builder_begin_object(builder);
    for (guint i = 0; i < counted->len; i++) {
        unsigned count = 0;
        const char *name = lab_tally(counted, i, &count);
        if (name != NULL) {
            json_builder_set_member_name(builder, name);
            json_builder_add_int_value(builder, count);
        }
    }
    json_builder_end_object(builder);
}

// What a surface was taken for.
static void add_surface(JsonBuilder *builder, const lab_leg_result *leg) {
    json_builder_set_member_name(builder, "surface");
    json_builder_begin_object(builder);
    json_builder_set_member_name(builder, "name");
    json_builder_add_string_value(builder, leg->surface);
    for (unsigned i = 0; i < 2 && i < CMO_LIGHTS_MAX; i++) {
        const cmo_shade *shade = &leg->shade[i];
        if (shade->counts == CMO_SHADE_UNKNOWN) {
            continue;
        }
        json_builder_set_member_name(builder, sides[i]);
        json_builder_begin_object(builder);
        const char *const names[] = {"counts", "red", "green", "blue", "spread"};
        const unsigned values[] = {shade->counts, shade->colour[0], shade->colour[1],
                                   shade->colour[2], shade->spread};
        for (unsigned n = 0; n < G_N_ELEMENTS(names); n++) {
            json_builder_set_member_name(builder, names[n]);
            json_builder_add_int_value(builder, values[n]);
        }
        json_builder_end_object(builder);
    }
    json_builder_end_object(builder);
}

static void add_counted(JsonBuilder *builder, const GArray *counted, bool tells) {
    json_builder_set_member_name(builder, "lines");
    json_builder_begin_array(builder);
    for (guint i = 0; i < counted->len; i++) {
        const lab_counted *line = &g_array_index(counted, lab_counted, i);
        json_builder_begin_object(builder);
        json_builder_set_member_name(builder, "number");
        json_builder_add_int_value(builder, line->robot.number);
        json_builder_set_member_name(builder, "sensors");
        json_builder_add_string_value(
            builder, line->robot.seen == 3 ? "both" : sides[line->robot.seen == 2 ? 1 : 0]);
        add_number(builder, "at_mm", (double)line->robot.at_mm);
        add_number(builder, "width_mm",
                   line->robot.width_mm > 0.0F ? (double)line->robot.width_mm : NAN);
        add_number(builder, "entry_angle_deg", (double)line->robot.entry_deg);
        add_number(builder, "true_x_mm", line->x_mm);
        add_number(builder, "true_y_mm", line->y_mm);
        add_number(builder, "true_width_mm", line->width_mm);
        if (line->surface != NULL) {
            json_builder_set_member_name(builder, "surface");
            json_builder_add_string_value(builder, line->surface);
        }
        json_builder_end_object(builder);
    }
    json_builder_end_array(builder);
    if (tells) {
        add_tally(builder, counted);
    }
}

static void add_leg(JsonBuilder *builder, const lab_leg_result *leg) {
    json_builder_begin_object(builder);
    json_builder_set_member_name(builder, "leg");
    json_builder_add_int_value(builder, leg->number);
    if (leg->name != NULL) {
        json_builder_set_member_name(builder, "name");
        json_builder_add_string_value(builder, leg->name);
    }
    if (leg->round > 0) {
        json_builder_set_member_name(builder, "round");
        json_builder_add_int_value(builder, leg->round);
    }
    json_builder_set_member_name(builder, "routine");
    json_builder_add_string_value(builder, cmo_routine_name(leg->routine));
    json_builder_set_member_name(builder, "outcome");
    json_builder_add_string_value(builder, cmo_outcome_name(leg->outcome));
    if (leg->report.by != CMO_BY_ITSELF) {
        json_builder_set_member_name(builder, "by");
        json_builder_add_string_value(builder, cmo_by_name((cmo_by)leg->report.by));
    }
    if (leg->field != NULL) {
        json_builder_set_member_name(builder, "field");
        json_builder_add_string_value(builder, leg->field);
        if (isfinite(leg->limit)) {
            json_builder_set_member_name(builder, "limit");
            json_builder_add_double_value(builder, labi_rounded(leg->limit));
        }
    }
    add_figures(builder, "robot", &leg->robot);
    add_figures(builder, "truth", &leg->truth);
    json_builder_set_member_name(builder, "estimated");
    json_builder_begin_array(builder);
    for (unsigned i = 0; i < CMO_FIGURES; i++) {
        if (leg->estimated & leg->robot.known & LAB_FIGURE_BIT(i)) {
            json_builder_add_string_value(builder, cmo_figure_name((cmo_figure)i));
        }
    }
    json_builder_end_array(builder);
    if (leg->report.passed_reason != CMO_PASSED_NONE) {
        add_passed(builder, &leg->report);
    }
    if (leg->halt.known) {
        add_halt(builder, &leg->halt);
    }
    if (leg->counted != NULL) {
        add_counted(builder, leg->counted, leg->tells);
    }
    if (leg->rebounds != NULL) {
        add_patrol(builder, leg);
    }
    if (leg->routine == CMO_ROUTINE_CHECK_WIRING) {
        add_findings(builder, leg);
    } else if (leg->routine == CMO_ROUTINE_TAKE_SURFACE && leg->outcome == CMO_OUTCOME_DONE) {
        add_surface(builder, leg);
    } else if (leg->routine == CMO_ROUTINE_MEASURE_GEOMETRY && leg->outcome == CMO_OUTCOME_DONE) {
        add_geometry(builder, &leg->geometry);
    } else if (leg->routine == CMO_ROUTINE_MEASURE_DRIVE && leg->outcome == CMO_OUTCOME_DONE) {
        add_drive(builder, &leg->drive);
    } else if (leg->routine == CMO_ROUTINE_MEASURE_BRAKING && leg->outcome == CMO_OUTCOME_DONE) {
        add_braking(builder, &leg->braking);
    }
    json_builder_end_object(builder);
}

char *lab_run_json(const lab_run *run, const char *route_name) {
    JsonBuilder *builder = json_builder_new();
    json_builder_begin_object(builder);
    char *name = lab_printable(route_name); // a path need not be UTF-8
    lab_json_text(builder, "route", name);
    g_free(name);
    lab_json_whole(builder, "seed", (gint64)run->seed);
    lab_json_text(builder, "outcome", cmo_outcome_name(run->outcome));
    json_builder_set_member_name(builder, "legs");
    json_builder_begin_array(builder);
    for (guint i = 0; i < run->legs->len; i++) {
        add_leg(builder, &g_array_index(run->legs, lab_leg_result, i));
    }
    json_builder_end_array(builder);
    json_builder_end_object(builder);
    return lab_json_end(builder, true);
}
