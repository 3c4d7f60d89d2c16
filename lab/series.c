// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/series.h>

#include "sketch.h"

#include <cammino_lab/fleet.h>
#include <cammino_lab/limits.h>

#include <math.h>
#include <string.h>

// ---------------------------------------------------------------------------------------- draft --

// Trials that are summed up together: all of them, or those of a kind in a part of the fleet's.
typedef struct group {
    unsigned part, kind; // a part of NONE is all of them
    unsigned trials, completed;
    lab_series_leg *leg;
    labi_sketch **sketch; // of each leg, figure and column; NULL: no such value yet
} group;
#define NONE LAB_PARTS_MAX

// The worst trials by a leg's figure; in the order of their seeds where they are as bad.
typedef struct worst_of {
    unsigned count;
    lab_series_worst trial[LAB_SERIES_WORST];
} worst_of;

struct lab_series_draft {
    lab_series *series;
    const lab_fleet *fleet;
    unsigned groups;
    group *group;    // the first is of all
    worst_of *worst; // by leg, and behind them of those that were not completed
};

static labi_sketch **sketch_of(const group *g, unsigned leg, unsigned figure, bool truth) {
    return &g->sketch[(leg * CMO_FIGURES + figure) * 2U + truth];
}

static group new_group(const lab_results *results, unsigned part, unsigned kind) {
    group g = {.part = part, .kind = kind};
    g.leg = g_new0(lab_series_leg, results->legs);
    g.sketch = g_new0(labi_sketch *, (gsize)results->legs * CMO_FIGURES * 2U);
    for (unsigned leg = 0; leg < results->legs; leg++) {
        g.leg[leg].routine = results->leg[leg].routine;
        g.leg[leg].name = g_strdup(results->leg[leg].name);
        g.leg[leg].judged = results->leg[leg].judged;
    }
    return g;
}

lab_series_draft *lab_series_begin(const lab_results *results, const lab_fleet *fleet) {
    lab_series_draft *draft = g_new0(lab_series_draft, 1);
    draft->series = g_new0(lab_series, 1);
    draft->fleet = fleet;
    draft->series->legs = results->legs;
    for (unsigned i = 1; i <= CMO_SURFACES_MAX; i++) {
        draft->series->surface[i] = g_strdup(results->surface[i]);
    }
    draft->groups = 1;
    for (unsigned part = 0; fleet != NULL && part < lab_fleet_parts(fleet); part++) {
        draft->groups += lab_fleet_kinds(fleet, part);
    }
    draft->group = g_new0(group, draft->groups);
    draft->group[0] = new_group(results, NONE, 0);
    group *to = &draft->group[1];
    for (unsigned part = 0; fleet != NULL && part < lab_fleet_parts(fleet); part++) {
        for (unsigned kind = 0; kind < lab_fleet_kinds(fleet, part); kind++, to++) {
            *to = new_group(results, part, kind);
        }
    }
    draft->worst = g_new0(worst_of, results->legs + 1U);
    return draft;
}

// ------------------------------------------------------------------------------------------ add --

// Whether it has counted as many lines as there truly were.
static void add_count(lab_series_leg *leg, const lab_trial_leg *row) {
    double robot, truth;
    if (lab_trial_figure(row, CMO_LINES_SEEN, false, &robot) &&
        lab_trial_figure(row, CMO_LINES_SEEN, true, &truth)) {
        leg->counts++;
        leg->miscounts += fabs(robot - truth) > 0.5;
    }
}

static void add_tally(lab_series_leg *leg, const lab_trial_leg *row) {
    if (!row->tells) {
        return;
    }
    if (leg->tallies == NULL) {
        leg->tallies = g_array_new(FALSE, FALSE, sizeof(lab_series_tally));
    }
    guint at = 0;
    while (at < leg->tallies->len && memcmp(g_array_index(leg->tallies, lab_series_tally, at).lines,
                                            row->tally, sizeof row->tally) != 0) {
        at++;
    }
    if (at == leg->tallies->len) {
        lab_series_tally new = {.times = 0};
        memcpy(new.lines, row->tally, sizeof new.lines);
        g_array_append_val(leg->tallies, new);
    }
    g_array_index(leg->tallies, lab_series_tally, at).times++;
}

static void add_figures(const group *g, const lab_trial_leg *row) {
    for (unsigned i = 0; i < 2U * CMO_FIGURES; i++) {
        double value;
        if (lab_trial_figure(row, (cmo_figure)(i / 2U), i % 2U != 0, &value)) {
            labi_sketch **sketch = sketch_of(g, row->leg, i / 2U, i % 2U != 0);
            if (*sketch == NULL) {
                *sketch = g_new0(labi_sketch, 1);
            }
            labi_sketch_add(*sketch, value);
        }
    }
}

static void add_to_group(group *g, const lab_trial *trial) {
    g->trials++;
    g->completed += trial->outcome == CMO_OUTCOME_DONE;
    for (unsigned n = 0; n < trial->legs; n++) {
        const lab_trial_leg *row = &trial->leg[n];
        lab_series_leg *to = &g->leg[row->leg];
        to->outcomes[row->outcome]++;
        add_count(to, row);
        add_tally(to, row);
        add_figures(g, row);
    }
}

static void add_worst(worst_of *to, const lab_series_worst *one, bool by_figure) {
    unsigned at = to->count;
    while (at > 0 && by_figure && fabs(to->trial[at - 1].truth) < fabs(one->truth)) {
        at--;
    }
    if (at < LAB_SERIES_WORST) {
        to->count = MIN(to->count + 1, LAB_SERIES_WORST);
        for (unsigned n = to->count - 1; n > at; n--) {
            to->trial[n] = to->trial[n - 1];
        }
        to->trial[at] = *one;
    }
}

// A trial that was not completed counts by the leg that ended otherwise, any other one by the
// largest error in each leg. Legs may well end otherwise than done where the route says what
// follows.
static void add_to_worst(lab_series_draft *draft, const lab_trial *trial) {
    const lab_series *series = draft->series;
    const group *all = &draft->group[0];
    for (unsigned i = 0; i < trial->legs; i++) {
        const lab_trial_leg *row = &trial->leg[i];
        cmo_figure figure = all->leg[row->leg].judged;
        lab_series_worst one = {trial->seed, row->leg, (cmo_outcome)row->outcome, CMO_FIGURES, NAN};
        if (figure != CMO_FIGURES && lab_trial_figure(row, figure, true, &one.truth)) {
            one.figure = figure;
        }
        if (row->outcome != CMO_OUTCOME_DONE && trial->outcome != CMO_OUTCOME_DONE) {
            add_worst(&draft->worst[series->legs], &one, false);
            return;
        }
    }
    for (unsigned leg = 0; leg < series->legs; leg++) {
        lab_series_worst most = {trial->seed, leg, CMO_OUTCOME_DONE, CMO_FIGURES, 0.0};
        for (unsigned i = 0; i < trial->legs; i++) { // of all its rounds
            const lab_trial_leg *row = &trial->leg[i];
            cmo_figure figure = all->leg[leg].judged;
            double truth;
            if (row->leg == leg && row->outcome == CMO_OUTCOME_DONE && figure != CMO_FIGURES &&
                lab_trial_figure(row, figure, true, &truth) && fabs(truth) > fabs(most.truth)) {
                most.figure = figure;
                most.truth = truth;
            }
        }
        if (most.figure != CMO_FIGURES) {
            add_worst(&draft->worst[leg], &most, true);
        }
    }
}

void lab_series_add(lab_series_draft *draft, const lab_trial *trial) {
    draft->series->uncalibrated += trial->uncalibrated;
    for (unsigned i = 0; i < draft->groups; i++) {
        group *g = &draft->group[i];
        if (g->part == NONE || lab_fleet_kind_of(draft->fleet, g->part, trial->seed) == g->kind) {
            add_to_group(g, trial);
        }
    }
    add_to_worst(draft, trial);
}

// ------------------------------------------------------------------------------------------ end --

// The most frequent first; of two as frequent the one with more lines of the lower surfaces.
static gint by_times(gconstpointer a, gconstpointer b) {
    const lab_series_tally *first = a;
    const lab_series_tally *second = b;
    int order = (first->times < second->times) - (first->times > second->times);
    return order != 0 ? order : memcmp(second->lines, first->lines, sizeof first->lines);
}

// Its sketches are summed up, and gone.
static void end_group(const lab_series_draft *draft, group *g) {
    for (unsigned leg = 0; leg < draft->series->legs; leg++) {
        if (g->leg[leg].tallies != NULL) {
            g_array_sort(g->leg[leg].tallies, by_times);
        }
        for (unsigned i = 0; i < 2U * CMO_FIGURES; i++) {
            labi_sketch *sketch = *sketch_of(g, leg, i / 2U, i % 2U != 0);
            lab_series_figure *to = &g->leg[leg].figure[i / 2U];
            if (sketch != NULL) {
                *(i % 2U != 0 ? &to->truth : &to->robot) = labi_sketch_sum_up(sketch);
                labi_sketch_clear(sketch);
                g_free(sketch);
            }
        }
    }
    g_free(g->sketch);
}

// Errors count by what 95 % of the trials keep to. One that was not completed is worse than any.
static double badness(const lab_series *series, const lab_series_worst *one, bool completed) {
    double within =
        one->figure != CMO_FIGURES ? series->leg[one->leg].figure[one->figure].truth.within : 0.0;
    return !completed ? INFINITY : within > 0.0 ? fabs(one->truth) / within : 0.0;
}

// How bad it is, and which.
typedef struct candidate {
    double bad;
    lab_series_worst one;
} candidate;

static gint by_badness(gconstpointer a, gconstpointer b) {
    const candidate *x = a;
    const candidate *y = b;
    int order = (x->bad < y->bad) - (x->bad > y->bad);
    order = order != 0 ? order : (x->one.seed > y->one.seed) - (x->one.seed < y->one.seed);
    return order != 0 ? order : (x->one.leg > y->one.leg) - (x->one.leg < y->one.leg);
}

// Among the worst of all are only those that are among the worst of a leg; each trial once.
static void find_worst(const lab_series_draft *draft) {
    lab_series *series = draft->series;
    GArray *all = g_array_new(FALSE, FALSE, sizeof(candidate));
    for (unsigned leg = 0; leg <= series->legs; leg++) {
        for (unsigned i = 0; i < draft->worst[leg].count; i++) {
            const lab_series_worst *one = &draft->worst[leg].trial[i];
            candidate c = {badness(series, one, leg < series->legs), *one};
            g_array_append_val(all, c);
        }
    }
    g_array_sort(all, by_badness);
    for (guint i = 0; i < all->len && series->worsts < LAB_SERIES_WORST; i++) {
        const candidate *c = &g_array_index(all, candidate, i);
        bool there = c->bad == 0.0;
        for (unsigned n = 0; n < series->worsts; n++) {
            there = there || series->worst[n].seed == c->one.seed;
        }
        if (!there) {
            series->worst[series->worsts++] = c->one;
        }
    }
    g_array_free(all, TRUE);
}

lab_series *lab_series_end(lab_series_draft *draft, const lab_results *results) {
    lab_series *series = draft->series;
    for (unsigned i = 0; i < draft->groups; i++) {
        end_group(draft, &draft->group[i]);
    }
    series->trials = draft->group[0].trials;
    series->completed = draft->group[0].completed;
    series->leg = draft->group[0].leg;
    series->asked = results->asked;
    series->diverged = results->diverged;
    series->undrawn = results->undrawn;
    series->undrawn_seed = results->undrawn_seed;
    lab_share_interval(series->completed, series->trials, 0.95, &series->low, &series->high);
    find_worst(draft);
    series->kinds = draft->groups - 1U;
    series->kind = g_new0(lab_series_kind, series->kinds);
    for (unsigned i = 0; i < series->kinds; i++) {
        const group *g = &draft->group[i + 1U];
        series->kind[i] = (lab_series_kind){lab_fleet_part(draft->fleet, g->part),
                                            lab_fleet_kind(draft->fleet, g->part, g->kind),
                                            g->trials, g->completed, g->leg};
    }
    g_free(draft->group);
    g_free(draft->worst);
    g_free(draft);
    return series;
}

lab_series *lab_series_of(const lab_results *results, const lab_fleet *fleet) {
    lab_series_draft *draft = lab_series_begin(results, fleet);
    for (guint i = 0; i < results->trials->len; i++) {
        lab_series_add(draft, &g_array_index(results->trials, lab_trial, i));
    }
    return lab_series_end(draft, results);
}

static void take(void *draft, const lab_trial *trial) {
    lab_series_add(draft, trial);
}

lab_series *lab_series_drive(lab_results *results, const lab_route *route, unsigned threads,
                             lab_progress progress, void *context, GError **error) {
    lab_series_draft *draft = lab_series_begin(results, route->fleet);
    results->take = take;
    results->taker = draft;
    bool good = lab_results_drive(results, route, threads, progress, context, error);
    lab_series *series = lab_series_end(draft, results);
    if (!good) {
        lab_series_free(series);
        return NULL;
    }
    return series;
}

lab_series *lab_series_run(const lab_route *route, unsigned trials, uint64_t seed, unsigned threads,
                           lab_progress progress, void *context) {
    lab_part whole = {1, 1};
    lab_results *results = lab_results_new(route, seed, trials, whole);
    lab_series *series = lab_series_drive(results, route, threads, progress, context, NULL);
    lab_results_free(results);
    return series;
}

static void free_legs(lab_series_leg *leg, unsigned legs) {
    for (unsigned i = 0; i < legs; i++) {
        g_clear_pointer(&leg[i].tallies, g_array_unref);
        g_free(leg[i].name);
    }
    g_free(leg);
}

void lab_series_free(lab_series *series) {
    if (series != NULL) {
        for (unsigned i = 0; i < series->kinds; i++) {
            free_legs(series->kind[i].leg, series->legs);
        }
        g_free(series->kind);
        free_legs(series->leg, series->legs);
        for (unsigned i = 0; i < G_N_ELEMENTS(series->surface); i++) {
            g_free(series->surface[i]);
        }
        g_free(series);
    }
}
