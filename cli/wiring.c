// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli.h"

#include <math.h>
#include <string.h>

static gint64 seed = 1;
static gboolean json, quiet, write_file;
static char *robot, **faults;

static const GOptionEntry options[] = {
    CLI_ROBOT_OPTION(&robot),
    {"fault", 0, 0, G_OPTION_ARG_STRING_ARRAY, &faults,
     "Break this on the simulated robot, to see it found; may be given again. The names are those "
     "of the findings",
     "NAME"},
    {"write", 0, 0, G_OPTION_ARG_NONE, &write_file,
     "Write what was measured into the robot file, as its sections measured, "
     "measured_drive and measured_braking",
     NULL},
    {"seed", 0, 0, G_OPTION_ARG_INT64, &seed, "Which robot, and which noise (default 1)", "N"},
    {"json", 0, 0, G_OPTION_ARG_NONE, &json, "Print the results as one JSON document", NULL},
    {"quiet", 0, 0, G_OPTION_ARG_NONE, &quiet, "Print nothing but what is wrong", NULL},
    {NULL, 0, 0, 0, NULL, NULL, NULL}};

static void print_pair(const char *name, const double *values, const double *stated,
                       unsigned lights) {
    printf("  %-24s", name);
    for (unsigned i = 0; i < lights; i++) {
        if (isfinite(values[i])) {
            printf("%9.1f", values[i]);
        } else {
            printf("%9s", "-");
        }
    }
    printf("%15.1f%9.1f\n", stated[0], stated[lights > 1]);
}

static void print_findings(const lab_route *route, const lab_leg_result *leg) {
    const cmo_robot_description *d = &route->robot->description;
    printf("\nleg %u  check_wiring: ", leg->number);
    if (leg->findings == 0) {
        printf(leg->outcome == CMO_OUTCOME_DONE ? "nothing found; all is where it is described to "
                                                  "be\n"
                                                : "%s, %s\n",
               cmo_outcome_name(leg->outcome), cmo_outcome_text(leg->outcome));
    } else {
        printf("found\n");
    }
    for (unsigned i = 0; i < CMO_FINDINGS; i++) {
        if (leg->findings & CMO_FINDING_BIT(i)) {
            printf("  %s\n    %s\n", cmo_finding_name((cmo_finding)i),
                   cmo_finding_text((cmo_finding)i));
        }
    }
    double intervals[2], delays[2];
    for (unsigned i = 0; i < 2; i++) {
        const cmo_light_description *light = &d->light[i];
        intervals[i] = (light->interval_us != 0 ? light->interval_us : d->tick_us) / 1000.0;
        delays[i] = light->delay_us / 1000.0;
    }
    printf("\n  %-24s%9s%9s%15s%9s\n", "", "left", "right", "stated left", "right");
    print_pair("look interval, ms", leg->interval_ms, intervals, d->lights);
    if (leg->findings == 0) {
        print_pair("delay, ms", leg->delay_ms, delays, d->lights);
        if (isfinite(leg->delay_ms[0]) && isfinite(leg->delay_ms[1])) {
            printf("  %-24s%9.1f%9.1f\n", "  +-", leg->delay_error_ms[0], leg->delay_error_ms[1]);
        }
    }
    if (isfinite(leg->curve_deg_m)) {
        printf("  %-24s%9.1f\n", "driven alike, deg/m", leg->curve_deg_m);
    }
}

// At which angles a boundary is not seen before a wheel is over it.
static void print_blind(const lab_route *route) {
    cmo_patrol_budget budget;
    cmo_budget_patrol(&route->robot->description, CMO_GRAZING_ACCEPT, true, 3.0F, 0.0F, &budget);
    if (budget.blind_deg < 90.0F) {
        printf("\nblind: driving straight, a wheel is over a boundary unseen from %.0f degrees off "
               "square on; cammino budget says what speed is safe\n",
               (double)budget.blind_deg);
    }
}

static void print_row(const char *name, double stated, double measured, double error,
                      int decimals) {
    printf("  %-24s%12.*f%12.*f", name, decimals, stated, decimals, measured);
    if (isfinite(error)) {
        printf("%10.*f", decimals, error);
    }
    printf("\n");
}

static void print_geometry(const lab_route *route, const lab_leg_result *leg) {
    const cmo_robot_description *d = &route->robot->description;
    const cmo_geometry *g = &leg->geometry;
    printf("\nleg %u  measure_geometry: %s", leg->number, cmo_outcome_name(leg->outcome));
    if (leg->outcome != CMO_OUTCOME_DONE) {
        printf(", %s\n", cmo_outcome_text(leg->outcome));
        return;
    }
    printf("\n  %-24s%12s%12s%10s\n", "", "described", "measured", "+-");
    double size = (double)g->size_error;
    print_row("left step, mm", (double)d->left_step_mm, (double)g->left_step_mm,
              size * (double)g->left_step_mm, 5);
    print_row("right step, mm", (double)d->right_step_mm, (double)g->right_step_mm,
              size * (double)g->right_step_mm, 5);
    print_row("right over left, %", 100.0 * ((double)(d->right_step_mm / d->left_step_mm) - 1.0),
              100.0 * ((double)(g->right_step_mm / g->left_step_mm) - 1.0),
              100.0 * (double)g->ratio_error, 3);
    print_row("track, mm", (double)d->track_mm, (double)g->track_mm, (double)g->track_error_mm, 2);
    print_row("left spot further, mm", (double)(d->light[0].ahead_mm - d->light[1].ahead_mm),
              (double)(g->ahead_mm[0] - g->ahead_mm[1]), (double)g->mismatch_error_mm, 2);
    print_row("spots apart, mm", (double)(d->light[0].left_mm - d->light[1].left_mm),
              (double)(g->left_mm[0] - g->left_mm[1]), NAN, 2);
    for (unsigned i = 0; i < 2; i++) {
        print_row(i == 0 ? "left delay, ms" : "right delay, ms", d->light[i].delay_us / 1000.0,
                  (double)g->delay_ms[i], (double)g->delay_error_ms, 1);
    }
    if (isnan(g->size_error)) {
        printf(
            "  the mean wheel size is as described: lines_mm, the way between the lines, was not "
            "given\n");
    }
}

static void print_wheels(const char *name, const float values[2], int decimals) {
    printf("  %-24s%12.*f%12.*f\n", name, decimals, (double)values[0], decimals, (double)values[1]);
}

// What the user is to change, or will find changed once it is written.
static void print_drive_advice(const cmo_robot_description *d, const cmo_drive *drive) {
    cmo_robot_description used = *d;
    cmo_drive_apply(drive, &used);
    // Within twice its uncertainty it says nothing.
    float least = used.braking_mm_s2 + CMO_RAMP_SHARE * 2.0F * drive->ramp_error_mm_s2;
    if (drive->ramp_mm_s2 > 0.0F && d->braking_mm_s2 > least) {
        printf("  the regulator changes its speed by no more than %.0f mm/s2, and profiles need "
               "some of that to keep their place: brake with %.0f, not %.0f\n",
               (double)drive->ramp_mm_s2, (double)used.braking_mm_s2, (double)d->braking_mm_s2);
    }
    if (used.slowest_mm_s > d->slowest_mm_s + 2.5F) {
        printf("  a wheel starts at %.1f mm/s only: slowest_mm_s is %.1f\n",
               (double)used.slowest_mm_s, (double)d->slowest_mm_s);
    }
    if (!d->lag_measured && fabsf(drive->lag_ms - d->lag_ms) > 2.0F * drive->lag_error_ms + 5.0F) {
        printf("  lag_ms is %.0f: the time of a step's answer is not what a command has to lead "
               "by\n",
               (double)d->lag_ms);
    }
    float apart = fabsf(drive->ratio[0] - drive->ratio[1]);
    float off = fabsf(0.5F * (drive->ratio[0] + drive->ratio[1]) - 1.0F);
    if (apart > 0.03F || off > 0.05F) {
        printf("  wheels do not drive what they are told: look at full_duty_mm_s, at the "
               "regulator, or at the battery\n");
    }
}

static void print_drive(const lab_route *route, const lab_leg_result *leg) {
    const cmo_robot_description *d = &route->robot->description;
    const cmo_drive *drive = &leg->drive;
    printf("\nleg %u  measure_drive: %s", leg->number, cmo_outcome_name(leg->outcome));
    if (leg->outcome != CMO_OUTCOME_DONE) {
        printf(", %s\n", cmo_outcome_text(leg->outcome));
        return;
    }
    printf("\n  %-24s%12s%12s%10s\n", "", "described", "measured", "+-");
    print_row("lag, ms", (double)d->lag_ms, (double)drive->lag_ms, (double)drive->lag_error_ms, 1);
    if (drive->ramp_mm_s2 > 0.0F) {
        printf("  %-24s%12s%12.0f%10.0f\n", "ramp, mm/s2", "-", (double)drive->ramp_mm_s2,
               (double)drive->ramp_error_mm_s2);
    } else {
        printf("  %-24s%12s%12s\n", "ramp, mm/s2", "-", "none");
    }
    printf("\n  %-24s%12s%12s\n", "", "left", "right");
    print_wheels("lag, ms", drive->wheel_lag_ms, 1);
    print_wheels("starts forward, mm/s", drive->ahead_mm_s, 1);
    print_wheels("starts backward, mm/s", drive->back_mm_s, 1);
    print_wheels("keeps turning, mm/s", drive->keeps_mm_s, 1);
    print_wheels("driven over commanded", drive->ratio, 3);
    print_drive_advice(d, drive);
}

static void print_braking_advice(const cmo_robot_description *d, const cmo_braking *b) {
    cmo_robot_description used = *d;
    cmo_braking_apply(b, &used);
    double limit = (double)d->braking_mm_s2;
    double would_do = 10.0 * floor(0.1 * (double)used.braking_mm_s2);
    if (b->grip_mm_s2 == 0.0F) {
        printf("  its motors do not brake hard enough to make its tyres slide\n");
    } else if (used.braking_mm_s2 < d->braking_mm_s2) {
        printf("  your braking limit slides this floor: brake with %.0f, not %.0f\n", would_do,
               limit);
    }
}

static void print_slide(const char *name, float slid_mm, float error_mm) {
    printf("  %-24s%12s%12.1f%10.1f\n", name, "-", (double)slid_mm, (double)error_mm);
}

static void print_braking(const lab_route *route, const lab_leg_result *leg) {
    const cmo_robot_description *d = &route->robot->description;
    const cmo_braking *b = &leg->braking;
    printf("\nleg %u  measure_braking: %s", leg->number, cmo_outcome_name(leg->outcome));
    if (leg->outcome != CMO_OUTCOME_DONE) {
        printf(", %s\n", cmo_outcome_text(leg->outcome));
        return;
    }
    printf(", from %.0f mm/s\n  %-24s%12s%12s%10s\n", (double)b->speed_mm_s, "", "described",
           "measured", "+-");
    printf("  %-24s%12.0f\n", "braking limit, mm/s2", (double)d->braking_mm_s2);
    print_slide("slides by it, mm", b->slid_mm, b->slid_error_mm);
    print_slide("slides halted, mm", b->halt_slid_mm, b->slid_error_mm);
    char described[16] = "-";
    if (d->grip_mm_s2 > 0.0F) {
        g_snprintf(described, sizeof described, "%.0f", (double)d->grip_mm_s2);
    }
    if (b->grip_mm_s2 > 0.0F) {
        printf("  %-24s%12s%12.0f%10.0f\n", "grip, mm/s2", described, (double)b->grip_mm_s2,
               (double)b->grip_error_mm_s2);
    } else {
        printf("  %-24s%12s%12s\n", "grip, mm/s2", described, "not met");
    }
    print_braking_advice(d, b);
}

static int tell(const lab_route *route, const lab_run *driven) {
    const cmo_geometry *geometry = NULL;
    const cmo_drive *drive = NULL;
    const cmo_braking *braking = NULL;
    for (guint i = 0; i < driven->legs->len; i++) {
        const lab_leg_result *leg = &g_array_index(driven->legs, lab_leg_result, i);
        if (leg->routine == CMO_ROUTINE_MEASURE_GEOMETRY && leg->outcome == CMO_OUTCOME_DONE) {
            geometry = &leg->geometry;
        } else if (leg->routine == CMO_ROUTINE_MEASURE_DRIVE && leg->outcome == CMO_OUTCOME_DONE) {
            drive = &leg->drive;
        } else if (leg->routine == CMO_ROUTINE_MEASURE_BRAKING &&
                   leg->outcome == CMO_OUTCOME_DONE) {
            braking = &leg->braking;
        }
    }
    GError *error = NULL;
    bool measured = geometry != NULL || drive != NULL || braking != NULL;
    if (write_file && measured &&
        !lab_robot_write_measured(route->robot_path, geometry, drive, braking, &error)) {
        return cli_error(error);
    }
    if (json) {
        char *text = lab_run_json(driven, route->path);
        puts(text);
        g_free(text);
    } else if (!quiet) {
        printf("%s on %s, seed %" G_GINT64_FORMAT "\n", route->robot->name, route->mat_path, seed);
        bool looks = false; // the drive and its braking say nothing of where the light sensors are
        for (guint i = 0; i < driven->legs->len; i++) {
            const lab_leg_result *leg = &g_array_index(driven->legs, lab_leg_result, i);
            looks = looks || (leg->routine != CMO_ROUTINE_MEASURE_DRIVE &&
                              leg->routine != CMO_ROUTINE_MEASURE_BRAKING);
            if (leg->routine == CMO_ROUTINE_CHECK_WIRING) {
                print_findings(route, leg);
            } else if (leg->routine == CMO_ROUTINE_MEASURE_GEOMETRY) {
                print_geometry(route, leg);
            } else if (leg->routine == CMO_ROUTINE_MEASURE_DRIVE) {
                print_drive(route, leg);
            } else if (leg->routine == CMO_ROUTINE_MEASURE_BRAKING) {
                print_braking(route, leg);
            } else {
                printf("\nleg %u  %s: %s\n", leg->number, cmo_routine_name(leg->routine),
                       cmo_outcome_name(leg->outcome));
            }
        }
        if (looks && route->robot->description.lights > 1) {
            print_blind(route);
        }
        if (write_file) {
            printf("\n");
            cli_line(measured ? "written to %s" : "%s stays as it was: nothing was measured",
                     route->robot_path);
        }
    }
    return driven->outcome == CMO_OUTCOME_DONE ? CLI_DONE : CLI_FAILED;
}

bool cli_wiring_tells(cmo_routine_id routine) {
    return routine == CMO_ROUTINE_CHECK_WIRING || routine == CMO_ROUTINE_MEASURE_GEOMETRY ||
           routine == CMO_ROUTINE_MEASURE_DRIVE || routine == CMO_ROUTINE_MEASURE_BRAKING;
}

static bool has_check(const lab_route *route) {
    for (unsigned i = 0; i < route->legs; i++) {
        if (cli_wiring_tells(route->leg[i].routine)) {
            return true;
        }
    }
    return false;
}

static int run(int count, char **arguments) {
    if (count != 1) {
        return cli_wrong(
            "wiring takes one route with a leg check_wiring, measure_geometry, "
            "measure_drive or measure_braking, as in: cammino wiring data/ferry/check-wiring.yaml");
    }
    if (seed < 0) {
        return cli_wrong("--seed: %" G_GINT64_FORMAT " is out of range; 0 or more", seed);
    }
    lab_route *route = cli_load_route(arguments[0], robot, seed);
    if (route == NULL) {
        return CLI_WRONG;
    }
    if (write_file && !cli_one_robot(route, "--write")) {
        lab_route_free(route);
        return CLI_WRONG;
    }
    GError *error = NULL;
    int status = CLI_DONE;
    for (char **fault = faults; fault != NULL && *fault != NULL && status == CLI_DONE; fault++) {
        if (!lab_robot_break(route->robot, *fault, &error)) {
            status = cli_error(error);
        }
    }
    if (status == CLI_DONE && !has_check(route)) {
        status = cli_wrong("%s: no leg check_wiring, measure_geometry, measure_drive or "
                           "measure_braking; put one into the "
                           "route, as in - check_wiring: {}",
                           route->path);
    }
    if (status == CLI_DONE) {
        lab_run *driven = cli_drive_route(route, seed);
        status = driven != NULL ? tell(route, driven) : CLI_WRONG;
        lab_run_free(driven);
    }
    lab_route_free(route);
    g_strfreev(faults);
    return status;
}

const cli_command cli_wiring = {
    "wiring",
    "ROUTE",
    "Check which motor, encoder and light sensor is where; measure geometry, drive and braking",
    "Drives a route on the simulated robot. Its leg check_wiring moves the robot a little before a "
    "line, and names what is swapped, reversed or silent, and what to change. Its leg "
    "measure_geometry drives over two lines and measures what a ruler can't: wheel sizes, track, "
    "the "
    "spots' places, the sensors' delays. Its leg measure_drive drives to and fro, and measures how "
    "the wheels answer what they are told. Its leg measure_braking stops over a line's edge, and "
    "measures what the tyres pass on before they slide. Exit status 1: "
    "something was found.",
    "cammino wiring data/ferry/check-wiring.yaml --fault motors_swapped",
    options,
    run};
