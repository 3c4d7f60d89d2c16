// SPDX-License-Identifier: GPL-3.0-or-later
// Robots of another make measure themselves: levels, geometry and drive. Then they move, by what
// they have measured.
#include "foreign.h"

#include <glib.h>
#include <math.h>
#include <stdio.h>

// ---------------------------------------------------------------------------------------- levels
// --

enum { DARK, LIGHT };

static double larger(double a, double b) {
    return fabs(a) > fabs(b) ? a : b;
}

static void take_levels(const foreign_robot *made, const cmo_robot_description *described,
                        unsigned number, const void *context, foreign_result *result) {
    (void)context;
    foreign_plant plant;
    foreign_start(&plant, made, number, FOREIGN_EDGE_MM - 60.0 - made->ahead[0], 0.05);
    cmo_port port = foreign_port(&plant);
    cmo_robot robot;
    cmo_take_levels_state state;
    cmo_outcome outcome = cmo_robot_start(&robot, described, &port);
    cmo_take_levels_parameters parameters = {0};
    outcome = outcome == CMO_OUTCOME_DONE ? cmo_take_levels(&robot, &state, &parameters) : outcome;
    result->outcome = outcome;
    if (outcome == CMO_OUTCOME_DONE) {
        double dark[2], light[2];
        for (unsigned i = 0; i < 2; i++) {
            cmo_levels truth = foreign_levels(made, i);
            double span = (double)truth.light - truth.dark;
            dark[i] = 100.0 * ((double)state.taken[i].dark - truth.dark) / span;
            light[i] = 100.0 * ((double)state.taken[i].light - truth.light) / span;
        }
        result->value[DARK] = larger(dark[0], dark[1]);
        result->value[LIGHT] = larger(light[0], light[1]);
    }
    foreign_end(&plant);
}

static void print_levels(const foreign_robots *robots) {
    static foreign_result results[FOREIGN_MOST];
    static const char *const names[] = {[DARK] = "dark", [LIGHT] = "light"};
    foreign_all(robots, take_levels, NULL, results);
    printf("levels, the worse sensor's, %% of the contrast\n%-26s%6s%8s%8s%8s%8s\n", "", "robots",
           "mean", "RMS", "95 %", "worst");
    for (unsigned v = 0; v < G_N_ELEMENTS(names); v++) {
        foreign_figure f = foreign_sum_up(robots->n, results, v);
        printf("%-26s%6u%8.2f%8.2f%8.2f%8.2f\n", names[v], f.n, f.mean, f.rms, f.within, f.worst);
    }
    foreign_print_outcomes(robots->n, results);
}

// -------------------------------------------------------------------------------------- geometry
// --

enum { MISMATCH, RATIO, DELAY, TRACK, SIZE, FIGURES };

static const char *const names[FIGURES] = {"spots' mismatch, mm", "wheel ratio, %",
                                           "delay of the looks, ms", "track, %",
                                           "mean wheel size, %"};

typedef struct measured {
    foreign_robots prepared; // what is measured goes in here
    foreign_result stated[FOREIGN_MOST], claimed[FOREIGN_MOST];
} measured;

// By how much a description is off.
static foreign_result compare(const foreign_robot *made, const cmo_robot_description *d) {
    double mismatch = made->ahead[0] - made->ahead[1];
    double size = 0.5 * (double)(d->left_step_mm + d->right_step_mm);
    return (foreign_result){
        .value = {(double)(d->light[0].ahead_mm - d->light[1].ahead_mm) - mismatch,
                  100.0 * ((double)(d->right_step_mm / d->left_step_mm) - 1.0),
                  1e-3 * d->light[0].delay_us - 1e3 * made->light_delay,
                  100.0 * ((double)d->track_mm / made->track - 1.0),
                  100.0 * (size / made->step - 1.0)}};
}

static void measure_geometry(const foreign_robot *made, const cmo_robot_description *described,
                             unsigned number, const void *context, foreign_result *result) {
    measured *m = *(measured *const *)context;
    foreign_plant plant;
    foreign_start(&plant, made, number, FOREIGN_EDGE_MM - 110.0 - made->ahead[0], 0.04);
    plant.floor = foreign_pair;
    cmo_port port = foreign_port(&plant);
    cmo_robot robot;
    cmo_measure_geometry_state state;
    cmo_outcome outcome = foreign_robot_start(&robot, described, made, &port);
    cmo_measure_geometry_parameters parameters = {.lines_mm = (float)FOREIGN_PAIR_MM};
    outcome =
        outcome == CMO_OUTCOME_DONE ? cmo_measure_geometry(&robot, &state, &parameters) : outcome;
    m->stated[number - 1] = compare(made, described);
    if (outcome == CMO_OUTCOME_DONE) {
        const cmo_geometry *g = &state.geometry;
        cmo_robot_description *prepared = &m->prepared.described[number - 1];
        cmo_geometry_apply(g, prepared);
        *result = compare(made, prepared);
        m->claimed[number - 1] = (foreign_result){
            .value = {(double)g->mismatch_error_mm, 100.0 * (double)g->ratio_error,
                      (double)g->delay_error_ms, 100.0 * (double)(g->track_error_mm / g->track_mm),
                      100.0 * (double)g->size_error}};
    }
    result->outcome = outcome;
    foreign_end(&plant);
}

// In how many of them a figure is off by no more than so many times what is claimed, %.
static double share_within(const foreign_robots *robots, const foreign_result *results,
                           const measured *m, unsigned value, double times) {
    unsigned n = 0, within = 0;
    for (unsigned i = 0; i < robots->n; i++) {
        double off = fabs(results[i].value[value]);
        n += isfinite(off);
        within += off <= times * m->claimed[i].value[value];
    }
    return n > 0 ? 100.0 * within / n : NAN;
}

static void print_geometry(const foreign_robots *robots, measured *m) {
    static foreign_result results[FOREIGN_MOST];
    foreign_all(robots, measure_geometry, &m, results);
    printf("geometry; claimed: off by no more than one and two of the errors that it states\n"
           "%-26s%6s%8s%8s%8s%8s%8s%8s%6s\n",
           "", "robots", "stated", "mean", "RMS", "95 %", "worst", "1, %", "2, %");
    for (unsigned v = 0; v < FIGURES; v++) {
        foreign_figure stated = foreign_sum_up(robots->n, m->stated, v);
        foreign_figure f = foreign_sum_up(robots->n, results, v);
        printf("%-26s%6u%8.2f%8.2f%8.2f%8.2f%8.2f%8.0f%6.0f\n", names[v], f.n, stated.rms, f.mean,
               f.rms, f.within, f.worst, share_within(robots, results, m, v, 1.0),
               share_within(robots, results, m, v, 2.0));
    }
    foreign_print_outcomes(robots->n, results);
}

// ------------------------------------------------------------------------------------- drive --

enum { LAG, STATED_LAG, RAMP };

static void measure_drive(const foreign_robot *made, const cmo_robot_description *described,
                          unsigned number, const void *context, foreign_result *result) {
    measured *m = *(measured *const *)context;
    foreign_plant plant;
    foreign_start(&plant, made, number, 0.0, 0.0);
    cmo_port port = foreign_port(&plant);
    cmo_robot robot;
    cmo_measure_drive_state state;
    cmo_outcome outcome = foreign_robot_start(&robot, described, made, &port);
    cmo_measure_drive_parameters parameters = {0};
    outcome =
        outcome == CMO_OUTCOME_DONE ? cmo_measure_drive(&robot, &state, &parameters) : outcome;
    result->outcome = outcome;
    if (outcome == CMO_OUTCOME_DONE) {
        const cmo_drive *drive = &state.drive;
        cmo_drive_apply(drive, &m->prepared.described[number - 1]);
        result->value[LAG] = (double)drive->lag_ms;
        result->value[STATED_LAG] = (double)described->lag_ms;
        if (drive->ramp_mm_s2 > 0.0F && made->drive == FOREIGN_RAMP) {
            result->value[RAMP] = 100.0 * ((double)drive->ramp_mm_s2 / made->ramp - 1.0);
        }
    }
    foreign_end(&plant);
}

static void print_drive(const foreign_robots *robots, measured *m) {
    static foreign_result results[FOREIGN_MOST];
    foreign_all(robots, measure_drive, &m, results);
    foreign_figure lag = foreign_sum_up(robots->n, results, LAG);
    foreign_figure stated = foreign_sum_up(robots->n, results, STATED_LAG);
    foreign_figure ramp = foreign_sum_up(robots->n, results, RAMP);
    printf("drive: %u robots, mean lag %.0f ms, as a step's 63 %% say %.0f; %u ramps found, off by "
           "RMS %.1f %%, worst %.1f\n",
           lag.n, lag.mean, stated.mean, ramp.n, ramp.rms, ramp.worst);
    foreign_print_outcomes(robots->n, results);
}

// ----------------------------------------------------------------------------------- braking --

enum { GRIP, WITHIN, SLID };

static void measure_braking(const foreign_robot *made, const cmo_robot_description *described,
                            unsigned number, const void *context, foreign_result *result) {
    measured *m = *(measured *const *)context;
    foreign_plant plant;
    foreign_start(&plant, made, number, FOREIGN_EDGE_MM - 300.0 - made->ahead[0], 0.02);
    cmo_port port = foreign_port(&plant);
    cmo_robot robot;
    cmo_measure_braking_state state;
    cmo_outcome outcome = foreign_robot_start(&robot, described, made, &port);
    cmo_measure_braking_parameters parameters = {0};
    outcome =
        outcome == CMO_OUTCOME_DONE ? cmo_measure_braking(&robot, &state, &parameters) : outcome;
    result->outcome = outcome;
    if (outcome == CMO_OUTCOME_DONE) {
        const cmo_braking *braking = &state.braking;
        cmo_braking_apply(braking, &m->prepared.described[number - 1]);
        result->value[SLID] = (double)braking->halt_slid_mm;
        if (braking->grip_mm_s2 > 0.0F) {
            double off = (double)braking->grip_mm_s2 - made->grip;
            result->value[GRIP] = 100.0 * off / made->grip;
            result->value[WITHIN] = fabs(off) <= 2.0 * (double)braking->grip_error_mm_s2;
        }
    }
    foreign_end(&plant);
}

static void print_braking(const foreign_robots *robots, measured *m) {
    static foreign_result results[FOREIGN_MOST];
    foreign_all(robots, measure_braking, &m, results);
    foreign_figure grip = foreign_sum_up(robots->n, results, GRIP);
    foreign_figure within = foreign_sum_up(robots->n, results, WITHIN);
    foreign_figure slid = foreign_sum_up(robots->n, results, SLID);
    printf(
        "braking: %u robots, halted they slid by %.0f mm on the mean; grip of %u, off by %.0f %% "
        "on the mean, RMS %.0f %%, within two of the errors that it states %.0f %%\n",
        slid.n, slid.mean, grip.n, grip.mean, grip.rms, 100.0 * within.mean);
    foreign_print_outcomes(robots->n, results);
}

void foreign_measures(const foreign_robots *robots) {
    static measured m;
    measured *to = &m;
    m.prepared = *robots;
    print_levels(robots);
    print_geometry(robots, to);
    print_drive(robots, to);
    print_braking(robots, to);
    printf("with geometry, drive and braking as measured\n");
    foreign_moves(&m.prepared);
}
