// SPDX-License-Identifier: GPL-3.0-or-later
#include "results_file.h"

#include "calibrate.h"

#include <cammino_lab/fleet.h>

#include <math.h>
#include <string.h>
#include <unistd.h>

// ------------------------------------------------------------------------------------- figures --

static unsigned bits(uint64_t of) {
    return (unsigned)__builtin_popcountll(of);
}

bool lab_trial_figure(const lab_trial_leg *leg, cmo_figure figure, bool truth, double *value) {
    uint64_t known = truth ? leg->truth : leg->robot;
    if (!(known & LAB_FIGURE_BIT(figure))) {
        return false;
    }
    unsigned at = bits(known & (LAB_FIGURE_BIT(figure) - 1U)) + (truth ? bits(leg->robot) : 0);
    *value = labi_rounded((double)leg->value[at]); // as it stands in files
    return true;
}

void labi_trial_make(lab_trial *trial, const labi_leg_staged *staged, unsigned legs) {
    size_t values = 0;
    for (unsigned i = 0; i < legs; i++) {
        values += bits(staged[i].robot.known) + bits(staged[i].truth.known);
    }
    // Legs and their values are one piece of memory, with the legs at its start.
    trial->legs = legs;
    trial->leg = g_malloc0(MAX(legs * sizeof(lab_trial_leg) + values * sizeof(float), 1));
    float *value = (float *)(void *)(trial->leg + legs);
    for (unsigned i = 0; i < legs; i++) {
        lab_trial_leg *leg = &trial->leg[i];
        *leg = staged[i].leg;
        leg->robot = staged[i].robot.known;
        leg->truth = staged[i].truth.known;
        leg->value = value;
        const lab_figures *const columns[] = {&staged[i].robot, &staged[i].truth};
        for (unsigned column = 0; column < 2; column++) {
            for (unsigned f = 0; f < CMO_FIGURES; f++) {
                if (columns[column]->known & LAB_FIGURE_BIT(f)) {
                    *value++ = (float)labi_rounded(columns[column]->value[f]);
                }
            }
        }
    }
}

bool labi_trials_same(const lab_trial *a, const lab_trial *b) {
    bool same = a->seed == b->seed && a->outcome == b->outcome &&
                a->uncalibrated == b->uncalibrated && a->legs == b->legs;
    for (unsigned i = 0; same && i < a->legs; i++) {
        const lab_trial_leg *first = &a->leg[i];
        const lab_trial_leg *second = &b->leg[i];
        same = first->leg == second->leg && first->outcome == second->outcome &&
               first->tells == second->tells && first->robot == second->robot &&
               first->truth == second->truth &&
               memcmp(first->tally, second->tally, sizeof first->tally) == 0;
        for (unsigned f = 0; same && f < 2 * CMO_FIGURES; f++) {
            double x = 0.0;
            double y = 0.0;
            lab_trial_figure(first, (cmo_figure)(f / 2), f % 2 != 0, &x);
            lab_trial_figure(second, (cmo_figure)(f / 2), f % 2 != 0, &y);
            same = x == y;
        }
    }
    return same;
}

static lab_trial trial_of(const lab_run *run) {
    lab_trial trial = {
        .seed = run->seed, .outcome = run->outcome, .uncalibrated = run->uncalibrated};
    labi_leg_staged *staged = g_new0(labi_leg_staged, run->legs->len);
    for (guint i = 0; i < run->legs->len; i++) {
        const lab_leg_result *leg = &g_array_index(run->legs, lab_leg_result, i);
        staged[i].robot = leg->robot;
        staged[i].truth = leg->truth;
        lab_trial_leg *to = &staged[i].leg;
        to->leg = (uint8_t)(leg->number - 1U);
        to->outcome = (uint8_t)leg->outcome;
        to->tells = leg->counted != NULL && leg->tells;
        for (guint n = 0; to->tells && n < leg->counted->len; n++) {
            to->tally[g_array_index(leg->counted, lab_counted, n).robot.surface]++;
        }
    }
    labi_trial_make(&trial, staged, run->legs->len);
    g_free(staged);
    return trial;
}

// ------------------------------------------------------------------------------------- results --

// What a leg is to get right.
static cmo_figure judged_by(const lab_leg *leg) {
    cmo_line_parameters line;
    switch (leg->routine) {
    case CMO_ROUTINE_STOP_ON_LINE:
    case CMO_ROUTINE_COUNT_LINES:
        return CMO_REST_ERROR_MM;
    case CMO_ROUTINE_SQUARE_ON_LINE:
        return CMO_RESIDUAL_ANGLE_DEG;
    case CMO_ROUTINE_FOLLOW_EDGE:
        return lab_leg_line(leg, &line) && line.ending == CMO_END_HALTED ? CMO_REST_ERROR_MM
                                                                         : CMO_EDGE_WORST_MM;
    case CMO_ROUTINE_STAY_INSIDE:
        return CMO_TURN_ERROR_DEG;
    default:
        return CMO_FIGURES;
    }
}

static void free_trial(gpointer trial) {
    g_free(((lab_trial *)trial)->leg);
}

lab_results *labi_results_empty(unsigned legs) {
    lab_results *results = g_new0(lab_results, 1);
    results->legs = legs;
    results->leg = g_new0(lab_results_leg, legs);
    results->file = -1;
    results->trials = g_array_new(FALSE, FALSE, sizeof(lab_trial));
    g_array_set_clear_func(results->trials, free_trial);
    return results;
}

lab_results *lab_results_new(const lab_route *route, uint64_t seed, unsigned trials,
                             lab_part part) {
    lab_results *results = labi_results_empty(route->legs);
    results->route = lab_printable(route->path);
    results->robot =
        lab_printable(route->fleet != NULL ? lab_fleet_name(route->fleet) : route->robot->name);
    results->mat = lab_printable(route->mat_path != NULL ? route->mat_path : "");
    results->calibrated = route->calibrations > 0;
    for (unsigned i = 0; i < route->legs; i++) {
        const lab_leg *leg = &route->leg[i];
        results->leg[i] = (lab_results_leg){leg->routine, g_strdup(leg->name), judged_by(leg)};
    }
    for (uint8_t i = 1; i <= route->surfaces; i++) {
        results->surface[i] = g_strdup(lab_surface_name(route, i));
    }
    results->of_all = trials;
    results->first = seed;
    results->seeds = g_new(uint64_t, trials / part.of + 1U);
    for (unsigned i = part.number - 1U; i < trials; i += part.of) {
        results->seeds[results->asked++] = seed + i;
    }
    return results;
}

void lab_results_free(lab_results *results) {
    if (results == NULL) {
        return;
    }
    if (results->file >= 0) {
        close(results->file);
    }
    for (unsigned i = 0; i < results->legs; i++) {
        g_free(results->leg[i].name);
    }
    for (unsigned i = 0; i < G_N_ELEMENTS(results->surface); i++) {
        g_free(results->surface[i]);
    }
    g_free(results->leg);
    g_free(results->route);
    g_free(results->robot);
    g_free(results->mat);
    g_free(results->path);
    g_free(results->seeds);
    g_array_free(results->trials, TRUE);
    g_free(results);
}

static gint by_seed(gconstpointer a, gconstpointer b) {
    uint64_t first = ((const lab_trial *)a)->seed;
    uint64_t second = ((const lab_trial *)b)->seed;
    return (first > second) - (first < second);
}

void labi_results_sort(lab_results *results) {
    g_array_sort(results->trials, by_seed);
}

// -------------------------------------------------------------------------------------- trials --

// Light, where the sensors sit, and what the loop and the bus do.
static void vary_senses(lab_robot *robot, const lab_spread *s, gsl_rng *rng) {
    robot->plant.ambient *= 1.0 + labi_spread(rng, s->ambient);
    double height = 1.0 + labi_spread(rng, s->height);
    for (unsigned i = 0; i < robot->plant.sensors; i++) {
        robot->plant.sensor[i].height_mm *= height;
    }
    double late_ms = s->late_ms * gsl_rng_uniform(rng);
    if (late_ms > robot->faults.late_ms) {
        robot->faults.late_ms = late_ms;
        robot->faults.late_share = 1.0;
    }
    double lost = s->looks_lost * gsl_rng_uniform(rng);
    robot->faults.look_missing_share = fmax(robot->faults.look_missing_share, lost);
}

lab_run *lab_drive_trial(const lab_route *route, uint64_t seed, bool traces) {
    lab_robot *own = NULL;
    if (route->fleet != NULL) {
        own = lab_fleet_robot(route->fleet, seed, NULL);
        if (own == NULL) {
            return NULL;
        }
    }
    gsl_rng *rng = gsl_rng_alloc(gsl_rng_mt19937);
    gsl_rng_set(rng, (unsigned long)(seed * 2654435761U % 4294967291U + 1U));
    const lab_spread *s = &route->spread;
    lab_robot robot = own != NULL ? *own : *route->robot;
    lab_start start = labi_spread_start(route, rng);
    robot.plant.battery *= 1.0 + labi_spread(rng, s->battery);
    robot.plant.grip_m_s2 *= 1.0 + labi_spread(rng, s->grip);
    robot.plant.wheel_spread = fmax(robot.plant.wheel_spread, s->wheel);
    robot.plant.gain_spread = fmax(robot.plant.gain_spread, s->gain);
    vary_senses(&robot, s, rng);
    gsl_rng_free(rng);
    bool calibrated = labi_calibrate(route, &robot, seed);
    lab_run *run = lab_drive_from(route, &robot, &start, seed, traces);
    run->uncalibrated = !calibrated;
    lab_robot_free(own);
    return run;
}

typedef enum state { WAITS, DRIVEN, UNDRAWN, DIVERGED } state;

typedef struct work {
    const lab_route *route;
    uint64_t *seed; // of trials that are to be driven, ascending
    lab_trial *trial;
    gint *state; // of each, once it is there
    unsigned count;
    gint next, done, stopped;
} work;

bool labi_trial_drive(const lab_route *route, uint64_t seed, lab_trial *trial, bool *diverged) {
    lab_run *run = lab_drive_trial(route, seed, false);
    if (run == NULL) {
        return false;
    }
    *diverged = run->diverged;
    *trial = trial_of(run);
    lab_run_free(run);
    return true;
}

static gpointer run_thread(gpointer data) {
    work *w = data;
    while (!g_atomic_int_get(&w->stopped)) {
        unsigned i = (unsigned)g_atomic_int_add(&w->next, 1);
        if (i >= w->count) {
            break;
        }
        bool diverged = false;
        bool drawn = labi_trial_drive(w->route, w->seed[i], &w->trial[i], &diverged);
        g_atomic_int_set(&w->state[i], !drawn ? UNDRAWN : diverged ? DIVERGED : DRIVEN);
        g_atomic_int_inc(&w->done);
    }
    return NULL;
}

// Hands over those that were there from before, up to a trial that is not.
static void hand_over(lab_results *results, uint64_t seed) {
    const GArray *trials = results->trials;
    while (results->take != NULL && results->handed < trials->len &&
           g_array_index(trials, lab_trial, results->handed).seed <= seed) {
        results->take(results->taker, &g_array_index(trials, lab_trial, results->handed++));
    }
}

static void keep(lab_results *results, lab_trial *trial, GString *lines) {
    if (results->file >= 0) {
        labi_results_put(lines, trial);
    }
    if (results->take == NULL) {
        g_array_append_val(results->trials, *trial);
        return;
    }
    hand_over(results, trial->seed);
    results->take(results->taker, trial);
    results->taken++;
    g_free(trial->leg);
}

// Takes the trials that are there up to the first one that is not; `at` is where it goes on.
static bool collect(lab_results *results, work *w, unsigned *at, GError **error) {
    GString *lines = g_string_new(NULL);
    for (; *at < w->count && g_atomic_int_get(&w->state[*at]) != WAITS; ++*at) {
        switch (g_atomic_int_get(&w->state[*at])) {
        case UNDRAWN:
            results->undrawn++;
            results->undrawn_seed = w->seed[*at];
            break;
        case DIVERGED:
            results->diverged++;
            g_free(w->trial[*at].leg);
            break;
        default:
            keep(results, &w->trial[*at], lines);
        }
    }
    bool good = results->file < 0 || labi_results_write(results, lines, error);
    g_string_free(lines, TRUE);
    return good;
}

static void find_missing(const lab_results *results, work *w) {
    guint there = 0;
    w->seed = g_new(uint64_t, results->asked);
    for (unsigned i = 0; i < results->asked; i++) {
        const GArray *trials = results->trials;
        while (there < trials->len &&
               g_array_index(trials, lab_trial, there).seed < results->seeds[i]) {
            there++;
        }
        if (there == trials->len ||
            g_array_index(trials, lab_trial, there).seed != results->seeds[i]) {
            w->seed[w->count++] = results->seeds[i];
        }
    }
    w->trial = g_new0(lab_trial, w->count);
    w->state = g_new0(gint, w->count);
}

#define POLL_US 20000U

bool lab_results_drive(lab_results *results, const lab_route *route, unsigned threads,
                       lab_progress progress, void *context, GError **error) {
    work w = {.route = route};
    find_missing(results, &w);
    threads = MIN(threads != 0 ? threads : g_get_num_processors(), w.count);
    GThread **population = g_new0(GThread *, threads);
    for (unsigned i = 0; i < threads; i++) {
        population[i] = g_thread_new("trials", run_thread, &w);
    }
    unsigned at = 0;
    bool good = true;
    while (good && (unsigned)g_atomic_int_get(&w.done) < w.count) {
        if (progress != NULL && !progress(context, (unsigned)g_atomic_int_get(&w.done), w.count)) {
            break;
        }
        good = collect(results, &w, &at, error);
        g_usleep(POLL_US);
    }
    g_atomic_int_set(&w.stopped, 1);
    for (unsigned i = 0; i < threads; i++) {
        g_thread_join(population[i]); // what was begun is ended
    }
    good = good && collect(results, &w, &at, error);
    for (; at < w.count; at++) {
        g_free(w.trial[at].leg);
    }
    hand_over(results, UINT64_MAX);
    labi_results_sort(results);
    g_free(population);
    g_free(w.seed);
    g_free(w.trial);
    g_free(w.state);
    return good;
}

lab_results *lab_results_of(const lab_series_call *call, GError **error) {
    const lab_route *like = call->like != NULL ? *call->like : NULL;
    lab_route *route =
        lab_route_load_changed(call->route, call->robot, call->seed, call->changes, like, error);
    lab_results *results = NULL;
    if (route != NULL && lab_check(route, error) &&
        lab_route_calibrate(route, call->calibrated, like, error)) {
        lab_part whole = {1, 1};
        results = lab_results_new(route, call->seed, call->trials, whole);
        lab_results_drive(results, route, call->threads, call->progress, call->context, NULL);
    }
    if (call->like != NULL && *call->like == NULL) {
        *call->like = route;
    } else {
        lab_route_free(route);
    }
    return results;
}

unsigned lab_results_count(const lab_results *results) {
    return results->trials->len + results->taken;
}

bool lab_results_ended(const lab_results *results) {
    return lab_results_count(results) + results->diverged + results->undrawn == results->asked;
}
