// SPDX-License-Identifier: GPL-3.0-or-later
#include <cammino_lab/limits.h>

#include "sections.h"
#include "yaml_reader.h"

#include <gsl/gsl_cdf.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

// ---------------------------------------------------------------------------------------- file --

typedef struct staged_limit {
    char *leg, *figure;
    double of, least, most, within, share, confidence;
} staged_limit;

typedef struct staged_limits {
    unsigned count;
    staged_limit limit[LAB_LIMITS_MAX];
} staged_limits;

static const char *const columns[] = {"truth", "robot", NULL};

static const lab_key limit_keys[] = {
    KEY_TEXT(staged_limit, leg, "leg", "the whole run",
             "whose figure: the leg's number, from 1, or its name"),
    KEY_TEXT(staged_limit, figure, "figure", KEY_MUST,
             "a figure as results name it, or completed; of the whole run completed or elapsed_ms"),
    KEY_CHOICE(staged_limit, of, "of", columns, "truth",
               "which column of the figures; of a trace, by itself, robot"),
    KEY(staged_limit, least, "at_least", -1e7, 1e7, "the figure's", "no matter",
        "it must not be less"),
    KEY(staged_limit, most, "at_most", -1e7, 1e7, "the figure's", "no matter",
        "it must not be more"),
    KEY(staged_limit, within, "within", 0, 1e7, "the figure's", "no matter",
        "its magnitude must not be more"),
    KEY(staged_limit, share, "share", 0.001, 1, "", "1",
        "in what share of the trials it must be so; a trial without the figure does not count as "
        "so"),
    KEY(staged_limit, confidence, "confidence", 0.5, 0.9999, "", "none",
        "then the share must be kept of all runs that there could be, as surely as this, and not "
        "only of those that were driven"),
    KEY_END};
static const lab_section limit_section = {
    "limits[]", "What one figure must keep to: at_least, at_most, both, or within.", limit_keys};
static const lab_key limits_keys[] = {KEY_LIST(staged_limits, limit, "limits", &limit_section,
                                               staged_limit, LAB_LIMITS_MAX, count, KEY_MUST,
                                               "list of limits"),
                                      KEY_END};
static const lab_section limits_section = {"limits file", "What figures must keep to.",
                                           limits_keys};
const lab_section *const labi_limits_sections[] = {&limits_section, &limit_section, NULL};

static bool find_figure(const yaml_reader *reader, const yaml_node_t *node, const char *field,
                        const char *text, unsigned *figure) {
    const char *names[CMO_FIGURES + 2] = {NULL};
    for (unsigned f = 0; f < CMO_FIGURES; f++) {
        names[f] = cmo_figure_name((cmo_figure)f);
    }
    names[CMO_FIGURES] = "completed";
    for (unsigned f = 0; f <= CMO_FIGURES; f++) {
        if (strcmp(names[f], text) == 0) {
            *figure = f < CMO_FIGURES ? f : LAB_COMPLETED;
            return true;
        }
    }
    const char *nearest = lab_nearest(text, names);
    return labi_yaml_wrong(reader, node, field,
                           nearest != NULL ? "'%s' is no figure; did you mean %s?"
                                           : "'%s' is no figure; docs/formats.md lists them, as %s",
                           text, nearest != NULL ? nearest : "rest_error_mm");
}

// From what stands there to what is judged by.
static bool take(const yaml_reader *reader, const yaml_node_t *node, const char *path,
                 const staged_limit *from, lab_limit *to) {
    char *field = g_strdup_printf("%s.figure", path);
    bool good = find_figure(reader, node, field, from->figure, &to->figure);
    if (good && from->leg == NULL && to->figure != LAB_COMPLETED && to->figure != CMO_ELAPSED_MS) {
        good =
            labi_yaml_wrong(reader, node, field,
                            "%s is a leg's; leg: 1, or the leg's name, says whose", from->figure);
    }
    g_free(field);
    if (!good) {
        return false;
    }
    bool bound = !isnan(from->least) || !isnan(from->most);
    to->line = labi_yaml_line(node);
    to->leg = g_strdup(from->leg);
    to->chosen = !isnan(from->of);
    to->truth = !(from->of > 0.5);
    to->share = isnan(from->share) ? 1.0 : from->share;
    to->confidence = isnan(from->confidence) ? 0.0 : from->confidence;
    to->least = isnan(from->least) ? -INFINITY : from->least;
    to->most = isnan(from->most) ? INFINITY : from->most;
    if (to->figure == LAB_COMPLETED) {
        to->least = 1.0;
        return (!bound && isnan(from->within)) ||
               labi_yaml_wrong(reader, node, path,
                               "completed is so or not; share alone says in how many trials");
    }
    if (bound == !isnan(from->within)) {
        return labi_yaml_wrong(reader, node, path,
                               "must have at_least, at_most, both, or within alone");
    }
    if (!isnan(from->within)) {
        to->least = -from->within;
        to->most = from->within;
    }
    return to->least <= to->most ||
           labi_yaml_wrong(reader, node, path, "at_least %g is more than at_most %g", to->least,
                           to->most);
}

lab_limits *lab_limits_from_bytes(const char *name, const char *bytes, size_t size,
                                  GError **error) {
    yaml_reader reader;
    if (!labi_yaml_open(&reader, name, bytes, size, error)) {
        return NULL;
    }
    staged_limits *staged = g_new0(staged_limits, 1);
    labi_section_clear(&limits_section, staged);
    lab_limits *limits = g_new0(lab_limits, 1);
    limits->path = g_strdup(name);
    yaml_node_t *root = labi_yaml_root(&reader);
    bool good = labi_yaml_section(&reader, root, "", &limits_section, staged);
    yaml_node_t *list = good ? labi_yaml_find(&reader, root, "limits") : NULL;
    for (unsigned i = 0; good && i < staged->count; i++) {
        yaml_node_t *node =
            yaml_document_get_node(&reader.document, list->data.sequence.items.start[i]);
        char *path = g_strdup_printf("limits[%u]", i + 1);
        limits->count = i + 1;
        good = take(&reader, node, path, &staged->limit[i], &limits->limit[i]);
        g_free(path);
    }
    if (good && limits->count == 0) {
        good = labi_yaml_wrong(&reader, list, "limits",
                               "there is none; as in: - {leg: 1, figure: "
                               "rest_error_mm, within: 2}");
    }
    labi_section_release(&limits_section, staged);
    g_free(staged);
    labi_yaml_close(&reader);
    if (!good) {
        lab_limits_free(limits);
        return NULL;
    }
    return limits;
}

lab_limits *lab_limits_load(const char *path, GError **error) {
    char *bytes;
    gsize size;
    if (!labi_read_file(path, "limits", LAB_YAML_MAX, &bytes, &size, error)) {
        return NULL;
    }
    lab_limits *limits = lab_limits_from_bytes(path, bytes, size, error);
    g_free(bytes);
    return limits;
}

void lab_limits_free(lab_limits *limits) {
    if (limits != NULL) {
        for (unsigned i = 0; i < limits->count; i++) {
            g_free(limits->limit[i].leg);
        }
        g_free(limits->path);
        g_free(limits);
    }
}

// ---------------------------------------------------------------------------------------- text --

char *lab_limit_of(const lab_limit *limit) {
    const char *figure =
        limit->figure == LAB_COMPLETED ? "completed" : cmo_figure_name((cmo_figure)limit->figure);
    const char *column = limit->truth || limit->figure == LAB_COMPLETED ? "" : " (robot's)";
    return limit->leg != NULL ? g_strdup_printf("leg %s %s%s", limit->leg, figure, column)
                              : g_strdup_printf("run %s%s", figure, column);
}

char *lab_limit_text(const lab_limit *limit) {
    GString *text = g_string_new(NULL);
    if (limit->figure == LAB_COMPLETED) {
        // It is done or not.
    } else if (limit->least == -limit->most) {
        g_string_append_printf(text, "within %g ", limit->most);
    } else if (isinf(limit->least)) {
        g_string_append_printf(text, "at most %g ", limit->most);
    } else if (isinf(limit->most)) {
        g_string_append_printf(text, "at least %g ", limit->least);
    } else {
        g_string_append_printf(text, "%g to %g ", limit->least, limit->most);
    }
    g_string_append_printf(text, "in %g %%", 100.0 * limit->share);
    if (limit->confidence > 0.0) {
        g_string_append_printf(text, ", %g %% sure", 100.0 * limit->confidence);
    }
    return g_string_free(text, FALSE);
}

// ------------------------------------------------------------------------------------- verdict --

// By halving: the library's inverse does not converge for some counts, as 400 of 419.
static double beta_inverse(double p, double a, double b) {
    double low = 0.0;
    double high = 1.0;
    for (int i = 0; i < 60; i++) {
        double middle = 0.5 * (low + high);
        if (gsl_cdf_beta_P(middle, a, b) < p) {
            low = middle;
        } else {
            high = middle;
        }
    }
    return 0.5 * (low + high);
}

void lab_share_interval(unsigned k, unsigned n, double confidence, double *low, double *high) {
    double tail = 0.5 * (1.0 - confidence);
    *low = k > 0 ? beta_inverse(tail, k, n - k + 1.0) : 0.0;
    *high = k < n ? beta_inverse(1.0 - tail, k + 1.0, n - k) : 1.0;
}

#define WHOLE_RUN UINT_MAX

static bool find_leg(const lab_limits *limits, unsigned number, const lab_results *results,
                     unsigned *leg, GError **error) {
    const lab_limit *limit = &limits->limit[number];
    if (results->of_trace && limit->figure == LAB_COMPLETED) {
        g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                    "%s:%d: limits[%u].figure: a trace does not say how it ended; figures would do",
                    limits->path, limit->line, number + 1);
        return false;
    }
    if (limit->leg == NULL) {
        *leg = WHOLE_RUN;
        return true;
    }
    for (*leg = 0; *leg < results->legs; ++*leg) {
        if (g_strcmp0(results->leg[*leg].name, limit->leg) == 0) {
            return true;
        }
    }
    char *end;
    guint64 parsed = g_ascii_strtoull(limit->leg, &end, 10);
    if (end != limit->leg && *end == '\0' && parsed >= 1 && parsed <= results->legs) {
        *leg = (unsigned)parsed - 1U;
        return true;
    }
    g_set_error(error, LAB_ERROR, LAB_ERROR_WRONG,
                "%s:%d: limits[%u].leg: there is no leg '%s'; 1 to %u, or a leg's name",
                limits->path, limit->line, number + 1, limit->leg, results->legs);
    return false;
}

// How far a trial is on the good side, and by which value; where a leg was driven several times, by
// the worst of them. False: it has no such figure.
static bool margin_of(const lab_limit *limit, unsigned leg, const lab_trial *trial, bool truth,
                      double *margin, double *value) {
    bool any = false;
    double sum = 0.0;
    if (leg == WHOLE_RUN && limit->figure == LAB_COMPLETED) {
        sum = trial->outcome == CMO_OUTCOME_DONE;
        any = true;
    }
    if (leg == WHOLE_RUN && limit->figure != LAB_COMPLETED && trial->outcome != CMO_OUTCOME_DONE) {
        return false; // a run that ended early is not a short one
    }
    for (unsigned i = 0; i < trial->legs; i++) {
        const lab_trial_leg *row = &trial->leg[i];
        double found = row->outcome == CMO_OUTCOME_DONE;
        if ((leg != WHOLE_RUN && row->leg != leg) ||
            (leg == WHOLE_RUN && limit->figure == LAB_COMPLETED)) {
            continue;
        }
        if (limit->figure != LAB_COMPLETED &&
            !lab_trial_figure(row, (cmo_figure)limit->figure, truth, &found)) {
            return false;
        }
        double good = fmin(limit->most - found, found - limit->least);
        if (leg == WHOLE_RUN) {
            sum += found;
        } else if (!any || good < *margin) {
            *margin = good;
            *value = found;
        }
        any = true;
    }
    if (leg == WHOLE_RUN) {
        *value = sum;
        *margin = fmin(limit->most - sum, sum - limit->least);
    }
    return any;
}

typedef struct judged {
    double margin, value;
} judged;

static int by_margin(const void *a, const void *b) { // the best first
    double first = ((const judged *)a)->margin;
    double second = ((const judged *)b)->margin;
    return (first < second) - (first > second);
}

// A share's lower end by itself, at that confidence.
static double surely(unsigned k, unsigned n, double confidence) {
    double low, high;
    lab_share_interval(k, n, 2.0 * confidence - 1.0, &low, &high);
    return low;
}

bool lab_judge(const lab_limits *limits, unsigned number, const lab_results *results,
               lab_verdict *verdict, GError **error) {
    const lab_limit *limit = &limits->limit[number];
    unsigned leg;
    if (!find_leg(limits, number, results, &leg, error)) {
        return false;
    }
    bool truth = limit->truth && (limit->chosen || !results->of_trace);
    unsigned trials = results->trials->len;
    *verdict = (lab_verdict){.trials = trials, .surely = NAN, .value = NAN, .margin = NAN};
    judged *all = g_new(judged, trials);
    unsigned known = 0;
    for (unsigned i = 0; i < trials; i++) {
        judged *one = &all[known];
        if (margin_of(limit, leg, &g_array_index(results->trials, lab_trial, i), truth,
                      &one->margin, &one->value)) {
            verdict->keep += one->margin >= 0.0;
            known++;
        }
    }
    verdict->without = trials - known;
    qsort(all, known, sizeof *all, by_margin);
    // So many must keep to it; less by a billionth, for 0.95 of 20 are 19.
    unsigned needed = MAX((unsigned)ceil(limit->share * trials - 1e-9), 1U);
    if (needed <= known) {
        verdict->margin = all[needed - 1].margin;
        verdict->value = all[needed - 1].value;
    }
    g_free(all);
    lab_share_interval(verdict->keep, trials, 0.95, &verdict->low, &verdict->high);
    verdict->pass = verdict->keep >= needed;
    if (limit->confidence > 0.0) {
        verdict->surely = surely(verdict->keep, trials, limit->confidence);
        verdict->pass = verdict->surely >= limit->share;
    }
    return true;
}
