// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/advice.h>

#include "advice_changes.h"

#include <math.h>
#include <stdlib.h>

#define CHAIN_MOST 24U // changes at once

// Legs are judged by an error, or by how far they overrun their line.
static bool is_error(const lab_results *results, const lab_difference *d) {
    if (d->leg == LAB_RUN || !d->truth) {
        return false;
    }
    const lab_results_leg *leg = &results->leg[d->leg];
    return d->figure == (unsigned)leg->judged ||
           (leg->routine == CMO_ROUTINE_DRIVE_UNTIL_LINE && d->figure == CMO_OVERSHOOT_MM);
}

double lab_advice_gain(const lab_results *results, const lab_difference *d) {
    bool more_than_chance = d->low > 0.0 || d->high < 0.0;
    if (!is_error(results, d) || !more_than_chance || d->median[0] <= 0.0) {
        return NAN;
    }
    return -d->shift / d->median[0];
}

// Millimetres, or degrees: what is less off than this is hardly worth a change.
#define SMALL_ERROR 0.5

double lab_advice_rank(const lab_results *results, const lab_difference *d) {
    double gain = lab_advice_gain(results, d);
    if (isfinite(gain)) {
        return CLAMP(gain, -1.0, 1.0) * fmin(d->median[0] / SMALL_ERROR, 1.0);
    }
    if (d->leg == LAB_RUN && d->figure == CMO_ELAPSED_MS && (d->low > 0.0 || d->high < 0.0)) {
        return -d->shift / d->median[0];
    }
    bool completes = d->leg == LAB_RUN && d->figure == LAB_COMPLETED && d->chance < 0.5;
    return completes ? 10.0 * d->shift : 0.0;
}

static double gain_of(const lab_results *results, const lab_comparison *c) {
    double sum = 0.0;
    for (guint i = 0; i < c->differences->len; i++) {
        sum += lab_advice_rank(results, &g_array_index(c->differences, lab_difference, i));
    }
    return sum;
}

// Those that were made before, and those that are tried, which come last and so hold.
static bool chain(lab_change *changes, const lab_change *made, const lab_advice_tried *tried) {
    unsigned count = 0;
    for (; made != NULL && count < CHAIN_MOST - LAB_ADVICE_CHANGES; made = made->next) {
        changes[count++] =
            (lab_change){.field = made->field, .value = made->value, .word = made->word};
    }
    for (unsigned i = 0; i < tried->changes; i++) {
        changes[count++] = (lab_change){
            .field = tried->field[i], .value = tried->value[i], .word = tried->word[i]};
    }
    for (unsigned i = 0; i + 1 < count; i++) {
        changes[i].next = &changes[i + 1];
    }
    return made == NULL;
}

// What changes are tried on.
typedef struct trial_of {
    lab_series_call as;
    const lab_results *results;
    const lab_limits *limits;
    unsigned kept; // of them without a change
} trial_of;

static unsigned kept_of(const lab_limits *limits, const lab_results *results) {
    unsigned kept = 0;
    for (unsigned i = 0; limits != NULL && i < limits->count; i++) {
        lab_verdict verdict;
        kept += lab_judge(limits, i, results, &verdict, NULL) && verdict.pass;
    }
    return kept;
}

// False: it was stopped. What the route refuses with it is left without a comparison.
static bool try_one(lab_advice *advice, lab_advice_tried *tried, const trial_of *on) {
    lab_change changes[CHAIN_MOST];
    if (!chain(changes, on->as.changes, tried)) {
        return true;
    }
    lab_series_call call = on->as;
    call.changes = changes;
    lab_results *with = lab_results_of(&call, NULL);
    advice->stopped = with != NULL && !lab_results_ended(with);
    lab_comparison_free(tried->comparison);
    tried->comparison = NULL;
    tried->gain = 0.0;
    if (with != NULL && with->trials->len == with->asked) {
        tried->comparison = lab_compare(on->results, with, true);
        tried->gain = gain_of(on->results, tried->comparison);
        if (on->limits != NULL) {
            tried->kept = kept_of(on->limits, with);
        }
    }
    lab_results_free(with);
    return !advice->stopped;
}

// What is wrong is set right before it is driven around.
static int by_gain(const void *a, const void *b) {
    const lab_advice_tried *first = a;
    const lab_advice_tried *second = b;
    int order = (first->kept < second->kept) - (first->kept > second->kept);
    double gains = (first->sets_right ? 2.0 : 1.0) * first->gain;
    double others = (second->sets_right ? 2.0 : 1.0) * second->gain;
    return order != 0 ? order : (gains < others) - (gains > others);
}

// Whether it is worth a word: by its gain, or by limits that are kept with it only.
static bool helps(const lab_advice_tried *tried, const trial_of *on) {
    return tried->comparison != NULL && (tried->gain >= LAB_ADVICE_LEAST || tried->kept > on->kept);
}

// So many times the trials say by how much it helps.
#define OTHERS 2U

// What comes out best of many has had luck, too: the first ones are driven again on other trials,
// and what helps there as well is told by what it comes to there.
static void confirm(lab_advice *advice, const trial_of *on) {
    trial_of other = {.as = on->as};
    other.as.seed += on->as.trials;
    other.as.trials *= OTHERS;
    advice->others = other.as.trials;
    lab_results *results = lab_results_of(&other.as, NULL);
    advice->stopped = results != NULL && !lab_results_ended(results);
    bool driven = results != NULL && !advice->stopped;
    other.results = results;
    for (unsigned i = 0; i < advice->count && advice->told < LAB_ADVICE_TOLD && driven; i++) {
        lab_advice_tried tried = advice->tried[i];
        if (!helps(&tried, on)) {
            break;
        }
        driven = try_one(advice, &tried, &other);
        advice->tried[i] = advice->tried[advice->told];
        advice->tried[advice->told] = tried;
        advice->told += driven && helps(&tried, on);
    }
    lab_results_free(results);
    qsort(advice->tried, advice->told, sizeof *advice->tried, by_gain);
}

lab_advice *lab_advise(const lab_route *route, const lab_series_call *as,
                       const lab_results *results, const lab_limits *limits) {
    lab_route *like = (lab_route *)(uintptr_t)route;
    trial_of on = {*as, results, limits, kept_of(limits, results)};
    on.as.like = &like;
    lab_advice *advice = g_new0(lab_advice, 1);
    advice->trials = results->trials->len;
    labi_advice_changes(advice, route, results);
    for (unsigned i = 0; i < advice->count && try_one(advice, &advice->tried[i], &on); i++) {
    }
    qsort(advice->tried, advice->count, sizeof *advice->tried, by_gain);
    if (advice->count > 0 && !advice->stopped && helps(&advice->tried[0], &on)) {
        confirm(advice, &on);
    }
    return advice;
}

void lab_advice_free(lab_advice *advice) {
    for (unsigned i = 0; advice != NULL && i < advice->count; i++) {
        lab_advice_tried *tried = &advice->tried[i];
        for (unsigned n = 0; n < tried->changes; n++) {
            g_free(tried->field[n]);
        }
        g_free(tried->text);
        lab_comparison_free(tried->comparison);
    }
    g_free(advice);
}
