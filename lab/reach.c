// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/reach.h>

#include <math.h>
#include <stdlib.h>

// Places on the way from the beginning to the end, in steps of the finest halving.
typedef struct search {
    const lab_reach_asked *asked;
    const lab_limits *limits;
    GError **error;
    int steps; // a power of two
    lab_reach *found;
    int place[LAB_REACH_MAX]; // of what was tried
    bool wrong;
    lab_route *like; // the first one, for its mat
} search;

static double value_at(const search *s, int place) {
    const lab_reach_asked *a = s->asked;
    double value = a->from + (a->to - a->from) * place / s->steps;
    char text[32]; // as it is told
    g_snprintf(text, sizeof text, "%.6g", value);
    return g_ascii_strtod(text, NULL);
}

static void judge(search *s, const lab_results *results, lab_reach_tried *to) {
    double least = INFINITY;
    to->keeps = to->surely = true;
    for (unsigned i = 0; i < s->limits->count; i++) {
        lab_verdict verdict;
        double share = s->limits->limit[i].share;
        if (!lab_judge(s->limits, i, results, &verdict, s->error)) {
            s->wrong = true;
            return;
        }
        double kept = (double)verdict.keep / MAX(verdict.trials, 1U);
        if (kept - share < least) {
            least = kept - share;
            to->tightest = i;
            to->share = kept;
            to->low = verdict.low;
            to->high = verdict.high;
        }
        to->keeps = to->keeps && verdict.pass;
        // That all of them do is never sure.
        to->surely = to->surely && verdict.pass && (share >= 1.0 || verdict.low >= share);
        to->surely_not = to->surely_not || verdict.high < share;
    }
}

static void drive_there(search *s, int place, lab_reach_tried *to) {
    lab_change change = {.field = s->asked->field, .value = to->value};
    lab_series_call call = s->asked->series;
    GError *error = NULL;
    call.changes = &change;
    call.like = &s->like;
    lab_results *results = lab_results_of(&call, &error);
    // What is refused keeps to nothing, and a robot whose motion runs away neither.
    to->refused = results == NULL || results->trials->len < results->asked;
    to->surely_not = to->refused;
    if (results == NULL && place == 0) { // where it begins it must make sense
        g_propagate_error(s->error, error);
        s->wrong = true;
    } else if (results == NULL) {
        g_free(s->found->refused);
        s->found->refused = g_strdup(error->message);
        s->found->refused_at = to->value;
        g_clear_error(&error);
    } else if (!lab_results_ended(results)) {
        s->found->stopped = true;
    } else if (!to->surely_not) {
        judge(s, results, to);
    }
    lab_results_free(results);
}

// What a series at a place comes to; it is driven once.
static const lab_reach_tried *try_at(search *s, int place) {
    lab_reach *found = s->found;
    for (unsigned i = 0; i < found->tried; i++) {
        if (s->place[i] == place) {
            return &found->at[i];
        }
    }
    if (found->tried == LAB_REACH_MAX || s->wrong || found->stopped) {
        return NULL;
    }
    lab_reach_tried one = {.value = value_at(s, place)};
    drive_there(s, place, &one);
    if (s->wrong || found->stopped) {
        return NULL;
    }
    s->place[found->tried] = place;
    found->at[found->tried] = one;
    return &found->at[found->tried++];
}

typedef bool (*good_by)(const lab_reach_tried *tried);

static bool keeps(const lab_reach_tried *tried) {
    return tried->keeps;
}

static bool surely(const lab_reach_tried *tried) {
    return tried->surely;
}

static bool not_surely_not(const lab_reach_tried *tried) {
    return !tried->surely_not;
}

// The last place that is good, or -1; what is good is taken to lie before what is not.
static int last_good(search *s, good_by is_good) {
    const lab_reach_tried *begin = try_at(s, 0);
    const lab_reach_tried *end = begin != NULL ? try_at(s, s->steps) : NULL;
    if (end == NULL || !is_good(&s->found->at[0])) {
        return -1;
    }
    if (is_good(end)) {
        return s->steps;
    }
    int good = 0;
    int bad = s->steps;
    while (bad - good > 1) {
        int middle = (good + bad) / 2;
        const lab_reach_tried *there = try_at(s, middle);
        if (there == NULL) {
            break;
        }
        if (is_good(there)) {
            good = middle;
        } else {
            bad = middle;
        }
    }
    return good;
}

static void sort_tried(search *s) {
    lab_reach *found = s->found;
    for (unsigned i = 1; i < found->tried; i++) {
        for (unsigned n = i; n > 0 && s->place[n - 1] > s->place[n]; n--) {
            int place = s->place[n];
            lab_reach_tried one = found->at[n];
            s->place[n] = s->place[n - 1];
            found->at[n] = found->at[n - 1];
            s->place[n - 1] = place;
            found->at[n - 1] = one;
        }
    }
}

static void find_all(search *s) {
    lab_reach *found = s->found;
    int last = last_good(s, keeps);
    int sure = last_good(s, surely);
    int possible = last_good(s, not_surely_not);
    found->none = last < 0;
    found->all = last == s->steps;
    found->value = value_at(s, MAX(last, 0));
    found->surely = sure >= 0 ? value_at(s, sure) : NAN;
    found->surely_not = possible < s->steps ? value_at(s, possible + 1) : NAN;
    sort_tried(s);
}

lab_reach *lab_reach_find(const lab_reach_asked *asked, const lab_limits *limits, GError **error) {
    search s = {.asked = asked,
                .limits = limits,
                .error = error,
                .steps = 1,
                .found = g_new0(lab_reach, 1)};
    while (fabs(asked->to - asked->from) / s.steps > asked->within && s.steps < 1 << 16) {
        s.steps *= 2;
    }
    find_all(&s);
    lab_route_free(s.like);
    if (s.wrong) {
        lab_reach_free(s.found);
        return NULL;
    }
    return s.found;
}

void lab_reach_free(lab_reach *reach) {
    if (reach != NULL) {
        g_free(reach->refused);
        g_free(reach);
    }
}
